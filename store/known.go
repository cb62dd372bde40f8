package store

import (
	"sync"

	"ropebench/dispatch"
	"ropebench/solver"
)

// maxKnown bounds how many earlier evaluations of a solver a run looks at: the newest.
const maxKnown = 1_000_000

// A known index finds evaluations of one solver in all runs.
type known struct {
	store  *Store
	places map[dispatch.Key]place // does not change

	mutex  sync.Mutex // guards what follows
	opened *chunk     // that was read last: those of one batch are mostly asked together
	run    int        // of that
}

// A place is that of an evaluation among all.
type place struct {
	run, number int32
}

// Known finds the evaluations of the same solver in all runs up to now.
func (s *Store) Known(key solver.Key) (dispatch.Known, error) {
	k := &known{store: s, places: map[dispatch.Key]place{}}
	rows, err := s.read.Model(&chunkRow{}).Where("solver_key = ?", key[:]).Order("id desc").Select("run", "first", "keys").Rows()
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	for rows.Next() && len(k.places) < maxKnown {
		var run, first int
		var keys []byte
		if err := rows.Scan(&run, &first, &keys); err != nil {
			return nil, explain(err)
		}
		k.add(run, first, keys)
	}
	return k, explain(rows.Err())
}

func (k *known) add(run, first int, keys []byte) {
	const size = len(dispatch.Key{})
	for index := 0; (index+1)*size <= len(keys); index++ {
		key := dispatch.Key(keys[index*size : (index+1)*size])
		if _, newer := k.places[key]; !newer && key != (dispatch.Key{}) {
			k.places[key] = place{int32(run), int32(first + index)}
		}
	}
}

// Find returns the newest record of a key, with its curves.
func (k *known) Find(key dispatch.Key) (dispatch.Record, bool, error) {
	at, ok := k.places[key]
	if !ok {
		return dispatch.Record{}, false, nil
	}
	record, err := k.read(int(at.run), int(at.number))
	if err != nil {
		return record, false, err
	}
	record, err = k.store.withCurves(int(at.run), record)
	return record, err == nil, err
}

func (k *known) read(run, number int) (dispatch.Record, error) {
	k.mutex.Lock()
	defer k.mutex.Unlock()
	if k.opened == nil || k.run != run || number < k.opened.first || number >= k.opened.first+len(k.opened.States) {
		opened, err := k.store.chunkOf(run, number)
		if err != nil {
			return dispatch.Record{}, err
		}
		k.opened, k.run = opened, run
	}
	return k.opened.record(number - k.opened.first), nil
}
