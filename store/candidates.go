package store

import (
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// A candidateRow is a design that was picked and named. One that was withdrawn stays, and gives its name free.
type candidateRow struct {
	ID         int    `gorm:"primaryKey;autoIncrement"`
	Bench      string `gorm:"index"`
	Name       string
	Run        int
	Evaluation int
	Revision   int
	Because    string
	Picked     time.Time
	Withdrawn  *time.Time
}

func (candidateRow) TableName() string { return "candidates" }

// A Candidate is a design that was picked and named.
type Candidate struct {
	Bench      string
	Name       string
	Run        int
	Evaluation int
	Revision   int // of the bench, on which it was evaluated
	Because    string
	Picked     time.Time
}

// ErrNameTaken is the answer to a candidate whose name another design has.
var ErrNameTaken = errors.New("the name belongs to another candidate")

// Pick names a design. A name that has the same design gets the new reason; one that has another design is ErrNameTaken.
func (s *Store) Pick(c Candidate) error {
	return explain(s.durable.Transaction(func(tx *gorm.DB) error {
		var there candidateRow
		err := tx.Where("bench = ? and name = ? and withdrawn is null", c.Bench, c.Name).First(&there).Error
		switch {
		case err == nil && (there.Run != c.Run || there.Evaluation != c.Evaluation):
			return fmt.Errorf("%w: %s is evaluation %d of run %d", ErrNameTaken, c.Name, there.Evaluation, there.Run)
		case err == nil:
			return tx.Model(&there).Update("because", c.Because).Error
		case !errors.Is(err, gorm.ErrRecordNotFound):
			return err
		}
		row := candidateRow{Bench: c.Bench, Name: c.Name, Run: c.Run, Evaluation: c.Evaluation, Revision: c.Revision, Because: c.Because, Picked: c.Picked}
		return tx.Create(&row).Error
	}))
}

// Withdraw takes a candidate back at a moment.
func (s *Store) Withdraw(bench, name string, at time.Time) error {
	changed := s.durable.Model(&candidateRow{}).Where("bench = ? and name = ? and withdrawn is null", bench, name).Update("withdrawn", at)
	if changed.Error == nil && changed.RowsAffected == 0 {
		return notFound{fmt.Sprintf("%s has no candidate %s", bench, name)}
	}
	return explain(changed.Error)
}

// Candidates lists those of a bench, or all if bench is "", that were not withdrawn, in the order in which they were picked.
func (s *Store) Candidates(bench string) ([]Candidate, error) {
	query := s.read.Where("withdrawn is null").Order("id")
	if bench != "" {
		query = query.Where("bench = ?", bench)
	}
	var rows []candidateRow
	if err := query.Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	all := make([]Candidate, len(rows))
	for i, row := range rows {
		all[i] = Candidate{Bench: row.Bench, Name: row.Name, Run: row.Run, Evaluation: row.Evaluation, Revision: row.Revision, Because: row.Because, Picked: row.Picked}
	}
	return all, nil
}
