package store

import (
	"encoding/json"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"ropebench/result"
	"ropebench/study"
)

// The versions of the forms in which runs and their parts are kept.
const (
	runVersion  = 1
	partVersion = 1
)

type runRow struct {
	ID      int    `gorm:"primaryKey;autoIncrement"`
	Bench   string `gorm:"index"`
	Version int
	Data    []byte // JSON of the run
}

func (runRow) TableName() string { return "runs" }

// A partRow is a part of what a run has found.
type partRow struct {
	Run     int    `gorm:"primaryKey;autoIncrement:false"`
	Name    string `gorm:"primaryKey"`
	Version int
	Data    []byte // JSON of the part
}

func (partRow) TableName() string { return "parts" }

// CreateRun writes a new run down and gives it its ID.
func (s *Store) CreateRun(run *study.Run) error {
	row := runRow{Bench: run.Bench, Version: runVersion}
	if err := s.durable.Create(&row).Error; err != nil {
		return explain(err)
	}
	run.ID = row.ID
	return s.SaveRun(*run)
}

// SaveRun writes a run down as it is now.
func (s *Store) SaveRun(run study.Run) error {
	row, err := rowOf(run)
	if err != nil {
		return err
	}
	return explain(s.durable.Save(&row).Error)
}

func rowOf(run study.Run) (runRow, error) {
	data, err := json.Marshal(run)
	if err != nil {
		return runRow{}, fmt.Errorf("run %d cannot be encoded: %w", run.ID, err)
	}
	return runRow{ID: run.ID, Bench: run.Bench, Version: runVersion, Data: data}, nil
}

// Run returns a run by its ID.
func (s *Store) Run(id int) (study.Run, error) {
	var row runRow
	if err := s.read.First(&row, id).Error; err != nil {
		return study.Run{}, found(err, "there is no run %d", id)
	}
	return decodeRun(row), nil
}

// decodeRun reads a run. One that cannot be read is broken, and says why: it must not hide the others.
func decodeRun(row runRow) (run study.Run) {
	broken := study.Run{ID: row.ID, Bench: row.Bench, State: study.Broken}
	switch {
	case row.Data == nil: // the service ended between giving the ID and writing the run
		broken.Reason = "it was never begun"
		return broken
	case row.Version != runVersion:
		broken.Reason = fmt.Sprintf("its record has the form %d, and this version of Rope Bench reads %d: use a newer one", row.Version, runVersion)
		return broken
	}
	if err := json.Unmarshal(row.Data, &run); err != nil {
		broken.Reason = fmt.Sprintf("its record is damaged: %s", err)
		return broken
	}
	return run
}

// Runs lists the runs of a bench, or all if bench is "", newest first.
func (s *Store) Runs(bench string) ([]study.Run, error) {
	query := s.read.Order("id desc")
	if bench != "" {
		query = query.Where("bench = ?", bench)
	}
	var rows []runRow
	if err := query.Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	runs := make([]study.Run, len(rows))
	for i, row := range rows {
		runs[i] = decodeRun(row)
	}
	return runs, nil
}

// SaveParts writes down what a run has found, part by part, and forgets parts that it has no more.
func (s *Store) SaveParts(run int, parts result.Parts) error {
	encoded, err := parts.Encode()
	if err != nil {
		return err
	}
	var rows []partRow
	names := []string{""}
	for name, data := range encoded {
		rows, names = append(rows, partRow{Run: run, Name: name, Version: partVersion, Data: data}), append(names, name)
	}
	return explain(s.durable.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("run = ? AND name NOT IN ?", run, names).Delete(&partRow{}).Error; err != nil || len(rows) == 0 {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&rows).Error
	}))
}

// Parts gives back what a run has found.
func (s *Store) Parts(run int) (result.Parts, error) {
	var rows []partRow
	if err := s.read.Where("run = ?", run).Find(&rows).Error; err != nil {
		return result.Parts{}, explain(err)
	}
	parts := map[string]json.RawMessage{}
	for _, row := range rows {
		if row.Version != partVersion {
			return result.Parts{}, fmt.Errorf("part %s of run %d has the form %d, and this version of Rope Bench reads %d: use a newer one", row.Name, run, row.Version, partVersion)
		}
		parts[row.Name] = row.Data
	}
	return result.Decode(parts)
}
