package study

import (
	"cmp"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
	"ropebench/dispatch"
	"ropebench/model"
)

// Earlier says which evaluations of a run a later run may know: those that had come out when it was queued, without the first ones where
// there are too many.
type Earlier struct {
	Run   int `json:"run"`
	Count int `json:"count"`
	Skip  int `json:"skip,omitempty"` // of these
}

const (
	mostEarlier   = 500 // evaluations, the latest, that a search takes in
	slowPace      = 1.0 // seconds of an evaluation from which on no slot is to wait for another, and thinking pays
	fastPace      = 0.1 // seconds below which waiting does not matter
	fewForAnInput = 20  // evaluations for each input, and one more: fewer are few
)

// lookBack records what a search on an external solver may know of earlier runs, and how many designs it has at work together.
func (r *Runs) lookBack(benchName string, b *bench.Bench, s bench.Study, q *Question) error {
	settings, searches := s.Settings.(*bench.Optimize)
	if !searches || len(b.Solver.Steps) == 0 && settings.Using.SurrogateOf == "" {
		return nil
	}
	runs, err := r.All(benchName)
	if err != nil {
		return err
	}
	if of := settings.Using.SurrogateOf; of != "" {
		return r.standIn(q, s, runs, of)
	}
	if q.Pace, err = r.pace(runs); err != nil {
		return err
	}
	q.AtOnce = r.atOnce(b, s, *q)
	if !q.Fresh && !b.Solver.Noisy {
		q.Earlier, err = r.earlier(runs, s)
	}
	return err
}

// standIn records the run to whose evaluations a stand-in is fitted: the latest of a study that has any.
func (r *Runs) standIn(q *Question, s bench.Study, runs []Run, of string) error {
	for _, run := range runs {
		if run.Question.Study != of || !run.State.Ended() {
			continue
		}
		count, err := r.records.CountEvaluations(run.ID)
		if err != nil || count > 0 {
			q.Earlier = []Earlier{{Run: run.ID, Count: count}}
			return err
		}
	}
	return fmt.Errorf("study %s searches on a stand-in that is fitted to the evaluations of %s, and there is no run of it: run %s first", s.Name, of, of)
}

// earlier lists the runs of other studies that a search may know, the latest first. Those of its own study are left out: another seed or
// another start is to be another opinion, and the same question again is to ask for the same designs.
func (r *Runs) earlier(runs []Run, s bench.Study) ([]Earlier, error) {
	var all []Earlier
	left := mostEarlier
	for _, run := range runs {
		if k := run.Question.Kind; run.Question.Study == s.Name || k == KindTry || k == KindVerify {
			continue
		}
		count, err := r.records.CountEvaluations(run.ID)
		if err != nil {
			return nil, err
		}
		if taken := min(count, left); taken > 0 {
			all = append(all, Earlier{Run: run.ID, Count: count, Skip: count - taken})
			left -= taken
		}
	}
	return all, nil
}

// pacedRuns are the latest runs, of which one is to tell how long the solver takes.
const pacedRuns = 5

// pace is how many seconds an evaluation took the solver, the median of those of the latest run that asked it; 0: that is not known.
func (r *Runs) pace(runs []Run) (float64, error) {
	for _, run := range runs[:min(pacedRuns, len(runs))] {
		var seconds []float64
		for record, err := range r.records.Replay(run.ID) {
			if err != nil {
				return 0, err
			}
			if record.State == core.OK && !record.Reused {
				seconds = append(seconds, record.Seconds)
			}
		}
		if len(seconds) > 0 {
			slices.Sort(seconds)
			return seconds[len(seconds)/2], nil
		}
	}
	return 0, nil
}

// atOnce is how many designs a search may have at work together: 0 where it asks for them one after the other, so that its designs do not
// depend on the slots. That is so unless the solver is known to be slow, or a method is asked for that is for slow solvers.
func (r *Runs) atOnce(b *bench.Bench, s bench.Study, q Question) int {
	methods := s.Search().Methods
	asked := slices.Contains(methods, "surrogate") && (q.Pace == 0 || q.Pace > fastPace)
	if !asked && !(slices.Contains(methods, "auto") && q.Pace > slowPace) {
		return 0
	}
	count := r.engine.Slots.Count()
	for _, most := range []int{q.Slots, b.Solver.AtOnce} {
		if most > 0 {
			count = min(count, most)
		}
	}
	if count < 2 {
		return 0
	}
	return count
}

// recallEarlier gives the evaluations of earlier runs that are designs of a problem, each once.
func (r *Runs) recallEarlier(a *Asked, d *dispatch.Dispatcher) ([]optimize.Evaluated, error) {
	var parts, wholes []core.Design
	var all []optimize.Evaluated
	for _, e := range a.Question.Earlier {
		run, err := r.Run(e.Run)
		if err != nil {
			return nil, err
		}
		records, err := r.byNumber(e)
		if err != nil {
			return nil, err
		}
		for _, record := range records {
			part := a.Problem.Part(designOf(a.Model, run.Layout, record.Design))
			whole := a.Problem.Whole(part)
			if !standsIn(a.Problem.Space, part) || slices.ContainsFunc(parts, func(p core.Design) bool { return slices.Equal(p, part) }) {
				continue
			}
			switch failed := record.State == core.Failed || record.State == core.TimedOut; {
			case record.State == core.OK:
				parts, wholes = append(parts, part), append(wholes, whole)
			case failed && run.SolverKey == hex.EncodeToString(d.SolverKey[:]) && sameInputs(a.Model, whole, run.Layout, record.Design):
				all = append(all, optimize.Evaluated{Design: part, Outcome: core.Outcome{State: record.State}}) // its outcome is all that is known
			}
		}
	}
	outcomes, curves, err := d.Recall(wholes)
	if err != nil {
		return nil, err
	}
	for i, outcome := range outcomes {
		if outcome.State == core.OK {
			all = append(all, optimize.Evaluated{Design: parts[i], Outcome: outcome, Curves: curves[i]})
		}
	}
	return all, nil
}

// byNumber are the evaluations of another run that may be known, in the order in which they were asked: which ended first changes nothing.
func (r *Runs) byNumber(e Earlier) (records []dispatch.Record, err error) {
	for record, err := range r.records.Replay(e.Run) {
		if err != nil {
			return nil, err
		}
		if record.Order > e.Skip && record.Order <= e.Count {
			records = append(records, record)
		}
	}
	slices.SortFunc(records, func(a, b dispatch.Record) int { return cmp.Compare(a.Number, b.Number) })
	return records, nil
}

// sameInputs is true where a design of another run has the values of one of this model in every input.
func sameInputs(m *model.Model, design core.Design, of model.Layout, other []float64) bool {
	theirs := maps.Clone(of.Held)
	for at, name := range of.Inputs {
		in, known := m.Bench.Input(name)
		if !known {
			return false
		}
		theirs[name] = in.ValueOf(other[at])
	}
	return maps.Equal(m.Values(design), theirs)
}

// designOf is a design of another run, by the names of its inputs.
func designOf(m *model.Model, of model.Layout, design []float64) core.Design {
	own := m.Design(of.Held)
	for k, name := range m.Inputs {
		if at := slices.Index(of.Inputs, name); at >= 0 {
			own[k] = design[at]
		}
	}
	return own
}

// onStep is the share of a range within which a value stands on a step.
const onStep = 1e-9

// standsIn is true for designs of a space.
func standsIn(s space.Space, design core.Design) bool {
	near := s.Design(s.Point(design))
	for k, in := range s {
		wide := in.Upper - in.Lower
		if in.Values != nil {
			wide = in.Values[len(in.Values)-1] - in.Values[0]
		}
		if away := near[k] - design[k]; away > onStep*wide || away < -onStep*wide {
			return false
		}
	}
	return true
}
