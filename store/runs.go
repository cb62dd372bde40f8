package store

import (
	"encoding/json"
	"fmt"

	"ropebench/study"
)

type runRow struct {
	ID    int    `gorm:"primaryKey;autoIncrement"`
	Bench string `gorm:"index"`
	Data  []byte // JSON of the run
}

func (runRow) TableName() string { return "runs" }

// CreateRun writes a new run down and gives it its ID.
func (s *Store) CreateRun(run *study.Run) error {
	row := runRow{Bench: run.Bench}
	if err := s.durable.Create(&row).Error; err != nil {
		return explain(err)
	}
	run.ID = row.ID
	return s.SaveRun(*run)
}

// SaveRun writes a run down as it is now.
func (s *Store) SaveRun(run study.Run) error {
	data, err := json.Marshal(run)
	if err != nil {
		return fmt.Errorf("run %d cannot be encoded: %w", run.ID, err)
	}
	return explain(s.durable.Save(&runRow{ID: run.ID, Bench: run.Bench, Data: data}).Error)
}

// Run returns a run by its ID.
func (s *Store) Run(id int) (study.Run, error) {
	var row runRow
	if err := s.read.First(&row, id).Error; err != nil {
		return study.Run{}, found(err, "there is no run %d", id)
	}
	return decode(row)
}

func decode(row runRow) (run study.Run, err error) {
	if row.Data == nil { // the service ended between giving the ID and writing the run
		return study.Run{ID: row.ID, Bench: row.Bench, State: study.Broken, Reason: "it was never begun"}, nil
	}
	if err = json.Unmarshal(row.Data, &run); err != nil {
		err = fmt.Errorf("run %d is damaged: %w", row.ID, err)
	}
	return run, err
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
		var err error
		if runs[i], err = decode(row); err != nil {
			return nil, err
		}
	}
	return runs, nil
}
