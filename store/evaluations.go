package store

import (
	"errors"
	"fmt"

	"gorm.io/gorm"

	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/solver"
)

// A chunkRow holds evaluations of one commit that have consecutive numbers: packed, since a formula model makes many
// thousands in a second. The chunks of a run do not overlap, so that an evaluation is found by its number, and stand in the
// order in which they were committed by their ids.
type chunkRow struct {
	ID        int    `gorm:"primaryKey;autoIncrement"`
	Version   int    // of the form of Data
	Run       int    `gorm:"uniqueIndex:chunk_of_run,priority:1"`
	First     int    `gorm:"uniqueIndex:chunk_of_run,priority:2"` // the least number in it
	Count     int    // of evaluations
	SolverKey []byte `gorm:"index"`
	Keys      []byte // of the evaluations that others may use, one after the other; zeros for the others
	Data      []byte
}

func (chunkRow) TableName() string { return "chunks" }

// A curvesRow holds the vectors and curves of one evaluation, which are loaded when they are asked for.
type curvesRow struct {
	Run     int `gorm:"primaryKey;autoIncrement:false"`
	Number  int `gorm:"primaryKey;autoIncrement:false"`
	Version int
	Data    []byte
}

func (curvesRow) TableName() string { return "curves" }

type journal struct {
	store     *Store
	db        *gorm.DB
	run       int
	solverKey solver.Key
}

// Journal keeps the evaluations of a run. durable is safe against a power cut, otherwise against a killed service.
func (s *Store) Journal(run int, key solver.Key, durable bool) dispatch.Journal {
	if durable {
		return journal{store: s, db: s.durable, run: run, solverKey: key}
	}
	return journal{store: s, db: s.write, run: run, solverKey: key}
}

// Append commits the records at once.
func (j journal) Append(records []dispatch.Record) error {
	var chunks []chunkRow
	var curves []curvesRow
	for from := 0; from < len(records); {
		to := from + 1
		for to < len(records) && records[to].Number == records[to-1].Number+1 {
			to++
		}
		chunk, err := j.chunk(records[from:to])
		if err != nil {
			return err
		}
		chunks = append(chunks, chunk)
		from = to
	}
	for _, record := range records {
		if len(record.Curves) == 0 {
			continue
		}
		data, err := packCurves(record.Curves)
		if err != nil {
			return err
		}
		curves = append(curves, curvesRow{Run: j.run, Number: record.Number, Version: curvesVersion, Data: data})
	}
	if len(curves) == 0 && len(chunks) == 1 {
		return explain(j.db.Create(&chunks[0]).Error)
	}
	return explain(j.db.Transaction(func(tx *gorm.DB) error {
		if err := tx.CreateInBatches(chunks, rowsTogether).Error; err != nil || len(curves) == 0 {
			return err
		}
		return tx.CreateInBatches(curves, rowsTogether).Error
	}))
}

// rowsTogether is how many rows are written by one statement.
const rowsTogether = 200

func (j journal) chunk(records []dispatch.Record) (chunkRow, error) {
	const size = len(dispatch.Key{})
	keys := make([]byte, 0, size*len(records))
	for _, record := range records {
		key := dispatch.Key{}
		if record.State == core.OK {
			key = record.Key
		}
		keys = append(keys, key[:]...)
	}
	data, err := packRecords(records)
	return chunkRow{Version: recordsVersion, Run: j.run, First: records[0].Number, Count: len(records), SolverKey: j.solverKey[:], Keys: keys, Data: data}, err
}

// Read gives back a record with its curves.
func (j journal) Read(number int) (dispatch.Record, error) { return j.store.Evaluation(j.run, number) }

// CountEvaluations is how many evaluations of a run are written down.
func (s *Store) CountEvaluations(run int) (int, error) {
	var count int
	err := s.read.Model(&chunkRow{}).Where("run = ?", run).Select("coalesce(sum(count), 0)").Scan(&count).Error
	return count, explain(err)
}

// columnsOfChunks are what reading needs.
const columnsOfChunks = "id, version, run, first, count, keys, data"

// eachChunk calls see for chunks of a run, until it returns an error. A chunk is the same piece of memory each time.
func (s *Store) eachChunk(query *gorm.DB, see func(chunk *chunkRow) error) error {
	rows, err := query.Model(&chunkRow{}).Select(columnsOfChunks).Rows()
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	var chunk chunkRow
	for rows.Next() {
		if err := rows.Scan(&chunk.ID, &chunk.Version, &chunk.Run, &chunk.First, &chunk.Count, &chunk.Keys, &chunk.Data); err != nil {
			return explain(err)
		}
		if err := see(&chunk); err != nil {
			return err
		}
	}
	return explain(rows.Err())
}

// errEnough ends a reading early.
var errEnough = errors.New("enough was read")

// Evaluations calls see for each evaluation of a run in the order of their numbers, without their curves, beginning with
// from, until see returns false.
func (s *Store) Evaluations(run, from int, see func(dispatch.Record) (more bool)) error {
	query := s.read.Where("run = ? and first >= (?)", run, s.chunkWith(run, from)).Order("first")
	err := s.eachChunk(query, func(chunk *chunkRow) error {
		return chunk.each(from, func(record dispatch.Record) error {
			if !see(record) {
				return errEnough
			}
			return nil
		})
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// chunkWith is the first number of the chunk in which a number stands, or would stand: found by the index.
func (s *Store) chunkWith(run, number int) *gorm.DB {
	return s.read.Model(&chunkRow{}).Select("coalesce(max(first), 0)").Where("run = ? and first <= ?", run, number)
}

// Replay gives the evaluations of a run, without their curves, in the order in which they were finished.
func (s *Store) Replay(run int) dispatch.Replay {
	return func(yield func(dispatch.Record, error) bool) {
		order := 0
		err := s.eachChunk(s.read.Where("run = ?", run).Order("id"), func(chunk *chunkRow) error {
			return chunk.each(0, func(record dispatch.Record) error {
				order++
				record.Order = order
				if !yield(record, nil) {
					return errEnough
				}
				return nil
			})
		})
		if err != nil && !errors.Is(err, errEnough) {
			yield(dispatch.Record{}, err)
		}
	}
}

// Evaluation finds one evaluation of a run, with its curves.
func (s *Store) Evaluation(run, number int) (dispatch.Record, error) {
	opened, err := s.chunkOf(run, number)
	if err != nil {
		return dispatch.Record{}, err
	}
	return s.withCurves(run, opened.record(number-opened.first))
}

// chunkOf is the chunk in which an evaluation stands.
func (s *Store) chunkOf(run, number int) (*chunk, error) {
	var row chunkRow
	if err := s.read.Select(columnsOfChunks).Where("run = ? and first <= ?", run, number).Order("first desc").Limit(1).Find(&row).Error; err != nil {
		return nil, explain(err)
	}
	if number >= row.First+row.Count {
		return nil, notFound{fmt.Sprintf("run %d has no evaluation %d", run, number)}
	}
	return row.open()
}

// withCurves loads the vectors and curves of an evaluation.
func (s *Store) withCurves(run int, record dispatch.Record) (dispatch.Record, error) {
	var row curvesRow
	if err := s.read.Where("run = ? and number = ?", run, record.Number).Limit(1).Find(&row).Error; err != nil {
		return record, explain(err)
	}
	var err error
	if row.Data != nil {
		record.Curves, err = unpackCurves(row)
	}
	return record, err
}
