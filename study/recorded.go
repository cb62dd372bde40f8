package study

import (
	"fmt"
	"math"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/model"
	"ropebench/result"
)

const (
	sameValueShare   = 1e-9  // of a value, of what it was, or of the nominal one, within which a value is what was recorded
	sameValueLeast   = 1e-15 // and of values that are all next to nothing
	shownDifferences = 4     // that are named
)

// recordedOf are the values of an evaluation of a run, by name, and the revision on which it was made; nil where it has none.
func (r *Runs) recordedOf(of Candidate) (values map[string]float64, revision int, err error) {
	run, err := r.Run(of.Run)
	if err != nil {
		return nil, 0, err
	}
	for record, err := range r.records.Replay(of.Run) {
		if err != nil {
			return nil, 0, err
		}
		if record.Number != of.Evaluation || record.State != core.OK {
			continue
		}
		values = map[string]float64{}
		for k, column := range run.Layout.Columns[:min(len(record.Values), len(run.Layout.Columns))] {
			values[column.Name] = record.Values[k]
		}
	}
	return values, run.Revision, nil
}

// comparedWith says which of the values of a design are not those that a run has recorded for it.
func comparedWith(m *model.Model, of Candidate, recorded map[string]float64, values, nominal []float64, sameRevision bool) *result.Recorded {
	var differ []string
	count := 0
	for k, column := range m.Columns {
		was, known := recorded[column.Name]
		if !known {
			continue
		}
		count++
		scale := math.Max(math.Abs(was), math.Abs(values[k]))
		if nominal != nil {
			scale = math.Max(scale, math.Abs(nominal[k]))
		}
		if math.Abs(values[k]-was) > math.Max(sameValueLeast, sameValueShare*scale) {
			before, now := plain.With(was, column.Unit), plain.With(values[k], column.Unit)
			if before == now {
				before, now = plain.ExactWith(was, column.Unit), plain.ExactWith(values[k], column.Unit)
			}
			differ = append(differ, fmt.Sprintf("%s was %s and is %s", column.Name, before, now))
		}
	}
	if count == 0 {
		return nil
	}
	if len(differ) == 0 {
		return &result.Recorded{Says: fmt.Sprintf("its values are those that run %d has recorded", of.Run)}
	}
	says := fmt.Sprintf("%d of %s not what run %d has recorded: ", len(differ), areOf(count), of.Run)
	more := ""
	if len(differ) > shownDifferences {
		more = fmt.Sprintf("; and %d more", len(differ)-shownDifferences)
		differ = differ[:shownDifferences]
	}
	why := "; the solver gives other values for the same design: see whether a program or a file that the bench does not name has changed, and whether each start is a fresh one, or give it noisy: true"
	switch {
	case m.Bench.Solver.Noisy:
		why = "; the solver is noisy"
	case !sameRevision:
		why = "; the bench has changed since"
	}
	return &result.Recorded{Differs: true, Says: says + strings.Join(differ, ", ") + more + why}
}

func areOf(count int) string {
	if count == 1 {
		return "1 value is"
	}
	return fmt.Sprintf("%d values are", count)
}
