package store

import (
	"fmt"
	"slices"
	"sync"

	"github.com/fxamacker/cbor/v2"
	"gorm.io/gorm"

	"ropebench/core"
	"ropebench/dispatch"
)

// A chunkRow holds the evaluations of one commit: packed, since a formula model makes many thousands in a second.
type chunkRow struct {
	ID        int    `gorm:"primaryKey;autoIncrement"`
	Run       int    `gorm:"index"`
	First     int    // the least number in it
	Count     int    // of evaluations
	SolverKey []byte `gorm:"index"`
	Keys      []byte // of the evaluations that other runs may use, one after the other; zeros for the others
	Data      []byte // CBOR of []dispatch.Record, compressed where it is large
	Gradients []byte // CBOR of their gradients by number; NULL where there are none
}

// gradients are the derivatives that came with evaluations: by number, output and input.
type gradients map[int]map[string]map[string]float64

func (chunkRow) TableName() string { return "chunks" }

var encoder = sync.OnceValues(func() (cbor.EncMode, error) {
	return cbor.EncOptions{Time: cbor.TimeUnixMicro}.EncMode()
})

var decoder = sync.OnceValues(func() (cbor.DecMode, error) {
	return cbor.DecOptions{MaxArrayElements: 1 << 27}.DecMode()
})

type journal struct {
	db        *gorm.DB
	run       int
	solverKey [32]byte
}

// Journal keeps the evaluations of a run. durable is safe against a power cut, otherwise against a killed service.
func (s *Store) Journal(run int, solverKey [32]byte, durable bool) dispatch.Journal {
	if durable {
		return journal{s.durable, run, solverKey}
	}
	return journal{s.write, run, solverKey}
}

// Append commits the records.
func (j journal) Append(records []dispatch.Record) error {
	encode, err := encoder()
	if err != nil {
		return err
	}
	data, err := encode.Marshal(records)
	if err != nil {
		return err
	}
	if data, err = packed(data); err != nil {
		return err
	}
	const size = len(dispatch.Key{})
	keys := make([]byte, 0, size*len(records))
	first := records[0].Number
	for _, record := range records {
		first = min(first, record.Number)
		key := dispatch.Key{}
		if record.State == core.OK {
			key = record.Key
		}
		keys = append(keys, key[:]...)
	}
	slopes, err := packGradients(encode, records)
	if err != nil {
		return err
	}
	return explain(j.db.Create(&chunkRow{Run: j.run, First: first, Count: len(records), SolverKey: j.solverKey[:], Keys: keys, Data: data, Gradients: slopes}).Error)
}

func packGradients(encode cbor.EncMode, records []dispatch.Record) ([]byte, error) {
	all := gradients{}
	for _, record := range records {
		if record.Gradients != nil {
			all[record.Number] = record.Gradients
		}
	}
	if len(all) == 0 {
		return nil, nil
	}
	return encode.Marshal(all)
}

// CountEvaluations is how many evaluations of a run are written down.
func (s *Store) CountEvaluations(run int) (int, error) {
	var count int
	err := s.read.Model(&chunkRow{}).Where("run = ?", run).Select("coalesce(sum(count), 0)").Scan(&count).Error
	return count, explain(err)
}

// chunksAtOnce is how many chunks are read at a time, so that a long run does not fill the memory.
const chunksAtOnce = 200

// Evaluations calls see for each evaluation of a run in the order of their numbers, beginning with from, until see
// returns false. Chunks of an external solver are committed in the order in which they end, so that the numbers of
// those within reach of each other are put in order here.
func (s *Store) Evaluations(run, from int, see func(dispatch.Record) (more bool)) error {
	var rows []chunkRow
	waiting := map[int]dispatch.Record{}
	next, err := from, error(nil)
	for offset := 0; ; offset += len(rows) {
		rows = nil
		if err = s.read.Where("run = ? and first + count > ?", run, from).Order("first").Offset(offset).Limit(chunksAtOnce).Find(&rows).Error; err != nil {
			return explain(err)
		}
		for _, row := range rows {
			records, err := unpack(row)
			if err != nil {
				return err
			}
			for _, record := range records {
				if record.Number >= from {
					waiting[record.Number] = record
				}
			}
		}
		for record, ok := waiting[next]; ok; record, ok = waiting[next] {
			delete(waiting, next)
			next++
			if !see(record) {
				return nil
			}
		}
		if len(rows) < chunksAtOnce {
			break
		}
	}
	// What is left has gaps before it: evaluations that were at work when the run was cut off.
	for _, number := range sortedKeys(waiting) {
		if !see(waiting[number]) {
			return nil
		}
	}
	return nil
}

func sortedKeys(records map[int]dispatch.Record) []int {
	numbers := make([]int, 0, len(records))
	for number := range records {
		numbers = append(numbers, number)
	}
	slices.Sort(numbers)
	return numbers
}

func unpack(row chunkRow) ([]dispatch.Record, error) {
	decode, err := decoder()
	if err != nil {
		return nil, err
	}
	var records []dispatch.Record
	data, err := unpacked(row.Data)
	if err == nil {
		err = decode.Unmarshal(data, &records)
	}
	if err != nil {
		return nil, fmt.Errorf("evaluations from %d on of run %d are damaged: %w", row.First, row.Run, err)
	}
	if row.Gradients == nil {
		return records, nil
	}
	var slopes gradients
	if err := decode.Unmarshal(row.Gradients, &slopes); err != nil {
		return nil, fmt.Errorf("the gradients of evaluations from %d on of run %d are damaged: %w", row.First, row.Run, err)
	}
	for i := range records {
		records[i].Gradients = slopes[records[i].Number]
	}
	return records, nil
}

// maxKnown bounds how many earlier evaluations of a solver a run looks at: the newest.
const maxKnown = 1_000_000

// A known index finds evaluations of one solver in all runs. It is for one goroutine at a time.
type known struct {
	store  *Store
	places map[dispatch.Key]place
	opened int // chunk that was read last
	latest []dispatch.Record
}

// A place is a chunk and the index of a record in it.
type place struct {
	chunk int32
	index int32
}

// Known finds the evaluations of the same solver in all runs up to now.
func (s *Store) Known(solverKey [32]byte) (dispatch.Known, error) {
	k := &known{store: s, places: map[dispatch.Key]place{}}
	rows, err := s.read.Model(&chunkRow{}).Where("solver_key = ?", solverKey[:]).Order("id desc").Select("id", "keys").Rows()
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	for rows.Next() && len(k.places) < maxKnown {
		var id int
		var keys []byte
		if err := rows.Scan(&id, &keys); err != nil {
			return nil, explain(err)
		}
		k.add(id, keys)
	}
	return k, explain(rows.Err())
}

func (k *known) add(chunk int, keys []byte) {
	const size = len(dispatch.Key{})
	for index := 0; (index+1)*size <= len(keys); index++ {
		key := dispatch.Key(keys[index*size : (index+1)*size])
		if _, newer := k.places[key]; !newer && key != (dispatch.Key{}) {
			k.places[key] = place{int32(chunk), int32(index)}
		}
	}
}

// Find returns the newest record of a key.
func (k *known) Find(key dispatch.Key) (dispatch.Record, bool, error) {
	at, ok := k.places[key]
	if !ok {
		return dispatch.Record{}, false, nil
	}
	if k.opened != int(at.chunk) {
		var row chunkRow
		if err := k.store.read.First(&row, at.chunk).Error; err != nil {
			return dispatch.Record{}, false, explain(err)
		}
		records, err := unpack(row)
		if err != nil {
			return dispatch.Record{}, false, err
		}
		k.opened, k.latest = int(at.chunk), records
	}
	return k.latest[at.index], true, nil
}
