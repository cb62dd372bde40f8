package store

import (
	"os"
	"path/filepath"

	"gorm.io/gorm"

	"ropebench/study"
)

// MoveBench says where the file of a bench stands now.
func (s *Store) MoveBench(name, folder, file string) error {
	return explain(s.durable.Model(&benchRow{}).Where("name = ?", name).Updates(benchRow{Folder: folder, File: file}).Error)
}

// RenameBench gives a bench another name, with all that belongs to it. No run of it may be at work.
func (s *Store) RenameBench(from, to string) error {
	runs, err := s.Runs(from)
	if err != nil {
		return err
	}
	return explain(s.durable.Transaction(func(tx *gorm.DB) error {
		if err := tx.Model(&benchRow{}).Where("name = ?", from).Update("name", to).Error; err != nil {
			return err
		}
		for _, rows := range []any{&revisionRow{}, &leftOutRow{}, &candidateRow{}} {
			if err := tx.Model(rows).Where("bench = ?", from).Update("bench", to).Error; err != nil {
				return err
			}
		}
		for _, run := range runs {
			run.Bench = to
			row, err := rowOf(run)
			if err != nil {
				return err
			}
			if err := tx.Save(&row).Error; err != nil {
				return err
			}
		}
		return nil
	}))
}

// RemoveBench forgets a bench with its revisions, runs, and the files that these have kept. No run of it may be at work.
func (s *Store) RemoveBench(name string) error {
	runs, err := s.Runs(name)
	if err != nil {
		return err
	}
	err = s.durable.Transaction(func(tx *gorm.DB) error {
		for _, run := range runs {
			for _, rows := range []any{&partRow{}, &chunkRow{}, &curvesRow{}, &selectionRow{}} {
				if err := tx.Where("run in ?", []int{run.ID, study.CoarseNumber(run.ID)}).Delete(rows).Error; err != nil {
					return err
				}
			}
		}
		for _, rows := range []any{&runRow{}, &revisionRow{}, &leftOutRow{}, &candidateRow{}} {
			if err := tx.Where("bench = ?", name).Delete(rows).Error; err != nil {
				return err
			}
		}
		return tx.Where("name = ?", name).Delete(&benchRow{}).Error
	})
	if err != nil {
		return explain(err)
	}
	return s.dropKept(runs)
}

func (s *Store) dropKept(runs []study.Run) error {
	for _, run := range runs {
		if err := os.RemoveAll(filepath.Dir(s.keptFolder(run.ID, 0))); err != nil {
			return err
		}
	}
	return nil
}
