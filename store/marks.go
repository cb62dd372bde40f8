package store

import (
	"encoding/json"
	"fmt"

	"gorm.io/gorm/clause"
)

// A leftOutRow is a design whose value does not take part in the fits of a study.
type leftOutRow struct {
	Bench      string `gorm:"primaryKey"`
	Study      string `gorm:"primaryKey"`
	Value      string `gorm:"primaryKey"`
	Design     string `gorm:"primaryKey"`
	Run        int
	Evaluation int
	Reason     string
}

func (leftOutRow) TableName() string { return "left_out" }

// LeftOut is a design whose value does not take part in the fits of a study, in whatever run of it the design is.
type LeftOut struct {
	Value      string
	Design     string // its inputs, in a form that two equal designs share
	Run        int    // in which it was left out
	Evaluation int
	Reason     string
}

// LeaveOut leaves a design out of the fits of a value, or changes the reason.
func (s *Store) LeaveOut(bench, study string, l LeftOut) error {
	row := leftOutRow{Bench: bench, Study: study, Value: l.Value, Design: l.Design, Run: l.Run, Evaluation: l.Evaluation, Reason: l.Reason}
	return explain(s.durable.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error)
}

// TakeBack lets a design take part again.
func (s *Store) TakeBack(bench, study, value, design string) error {
	return explain(s.durable.Where("bench = ? and study = ? and value = ? and design = ?", bench, study, value, design).Delete(&leftOutRow{}).Error)
}

// LeftOut lists the designs that are left out in a study.
func (s *Store) LeftOut(bench, study string) ([]LeftOut, error) {
	var rows []leftOutRow
	if err := s.read.Where("bench = ? and study = ?", bench, study).Order("value, run, evaluation").Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	all := make([]LeftOut, len(rows))
	for i, row := range rows {
		all[i] = LeftOut{Value: row.Value, Design: row.Design, Run: row.Run, Evaluation: row.Evaluation, Reason: row.Reason}
	}
	return all, nil
}

// A selectionRow has evaluations of a run that were picked together and named.
type selectionRow struct {
	Run  int    `gorm:"primaryKey;autoIncrement:false"`
	Name string `gorm:"primaryKey"`
	Data []byte // JSON of the numbers of the evaluations
}

func (selectionRow) TableName() string { return "selections" }

// A Selection has evaluations of a run that were picked together.
type Selection struct {
	Name        string
	Evaluations []int
}

// KeepSelection keeps a selection under its name, in place of another of that name.
func (s *Store) KeepSelection(run int, selection Selection) error {
	data, err := json.Marshal(selection.Evaluations)
	if err != nil {
		return fmt.Errorf("the selection cannot be encoded: %w", err)
	}
	row := selectionRow{Run: run, Name: selection.Name, Data: data}
	return explain(s.durable.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error)
}

// DropSelection forgets a selection.
func (s *Store) DropSelection(run int, name string) error {
	dropped := s.durable.Where("run = ? and name = ?", run, name).Delete(&selectionRow{})
	if dropped.Error == nil && dropped.RowsAffected == 0 {
		return notFound{fmt.Sprintf("run %d has no selection %s", run, name)}
	}
	return explain(dropped.Error)
}

// Selections lists those of a run by name.
func (s *Store) Selections(run int) ([]Selection, error) {
	var rows []selectionRow
	if err := s.read.Where("run = ?", run).Order("name").Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	all := make([]Selection, len(rows))
	for i, row := range rows {
		all[i].Name = row.Name
		if err := json.Unmarshal(row.Data, &all[i].Evaluations); err != nil {
			return nil, fmt.Errorf("the selection %s of run %d is damaged: %w", row.Name, run, err)
		}
	}
	return all, nil
}
