package optimize

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/space"
)

// A trial is a point that was evaluated.
type trial struct {
	point   []float64
	design  core.Design
	rank    budget.Rank
	outcome core.Outcome
	raw     []float64 // what a noisy solver gave, where the outcome has what is believed of it; nil: that is the outcome
}

// given are the values that the solver gave.
func (t trial) given() []float64 {
	if t.raw != nil {
		return t.raw
	}
	return t.outcome.Values
}

// byRank sorts trials, the best first.
func byRank(a, b trial) int {
	switch {
	case a.rank.Better(b.rank):
		return -1
	case b.rank.Better(a.rank):
		return 1
	}
	return 0
}

// A search asks for the outcomes of points of the unit cube, on the account of a method.
type search struct {
	*budget.Account
	space space.Space
	total int // evaluations of the budget
	watch Observer

	patience   int // restarts in a row without an improvement that counts, after which it is stuck; 0: the plateau alone decides
	fruitless  int
	improvedAt int // at the last restart

	doubts    map[int]Doubt
	beside    compared // the last design that was compared with its neighbours
	chose     string
	together  int             // designs that are at work at a time, of which each is chosen without waiting for the others; 0: one
	flatSince int             // the improvement after which it was said that nothing better has come
	ends      *basins         // of local searches; nil: there are none
	seen      *landscape      // nil: the method has none
	known     map[string]bool // designs that were asked, where there are finitely many

	startPoint []float64 // nil: there is none
	given      []trial   // whose designs are not to be changed on their way through the cube and back
}

func newSearch(p Problem, e core.Evaluator, o Options, watch Observer, patience int) *search {
	if watch == nil {
		watch = func(string) {}
	}
	s := &search{space: p.Space, total: o.Budget, watch: watch}
	if !math.IsInf(p.Space.Size(), 1) {
		s.known = map[string]bool{}
	}
	if o.Plateau == 0 {
		s.patience = patience
	}
	if o.Start != nil {
		s.startPoint = p.Space.Point(o.Start)
		if p.Space.Contains(o.Start) {
			s.given = append(s.given, trial{point: s.startPoint, design: o.Start})
		}
	}
	s.Account = budget.Open(e, p.Goal, budget.Limits{Evaluations: o.Budget, Tolerance: o.Tolerance, Plateau: o.Plateau, Designs: p.Space.Size(), Beyond: o.beyond, Enough: o.enough, Keep: o.Noisy, Inside: p.Space.Contains})
	return s
}

// ask evaluates points, or the first of them that the budget still pays for. Its error is of type budget.Ended when the
// search is to end; the trials that came with it are good.
func (s *search) ask(ctx context.Context, points [][]float64) ([]trial, error) {
	designs := make([]core.Design, len(points))
	for i, point := range points {
		designs[i] = s.design(point)
	}
	answers, err := s.Ask(ctx, designs)
	return s.trials(points, answers), err
}

// trials are answers to points, or to the first of them, as they are noted.
func (s *search) trials(points [][]float64, answers []budget.Answer) []trial {
	s.sayFlat()
	trials := make([]trial, len(answers))
	for i, answer := range answers {
		if s.known != nil {
			s.known[key(answer.Design)] = true
		}
		trials[i] = trial{point: points[i], design: answer.Design, rank: answer.Rank, outcome: answer.Outcome}
	}
	return trials
}

const (
	flatFrom = 40  // evaluations without an improvement from which on a curve is called flat
	flatPart = 0.5 // of all that were asked, at least
)

// sayFlat says once that nothing better has come for a while.
func (s *search) sayFlat() {
	long := float64(s.Used() - s.ImprovedAt())
	if s.flatSince == s.ImprovedAt() || long < flatFrom || long < flatPart*float64(s.Used()) {
		return
	}
	s.flatSince = s.ImprovedAt()
	s.watch(fmt.Sprintf("nothing better since evaluation %d: it may be time to stop", s.ImprovedAt()))
}

// knows is true for a point whose design was asked, where there are finitely many.
func (s *search) knows(point []float64) bool { return s.known[key(s.design(point))] }

func key(design core.Design) string {
	bits := make([]byte, 0, 8*len(design))
	for _, value := range design {
		bits = binary.LittleEndian.AppendUint64(bits, math.Float64bits(value))
	}
	return string(bits)
}

func (s *search) design(point []float64) core.Design {
	for _, t := range s.given {
		if slices.Equal(point, t.point) {
			return t.design
		}
	}
	return s.space.Design(point)
}

// vainShare is the share of a budget that is spent on beginning anew before a search is called stuck: one with many valleys needs
// many starts.
const vainShare = 0.5

// restarts is asked before a search begins again. Its error ends one that has done so too often in vain: it would only spend
// what is left.
func (s *search) restarts() error {
	s.fruitless++
	if s.ImprovedAt() > s.improvedAt {
		s.improvedAt, s.fruitless = s.ImprovedAt(), 0
	}
	inVain := float64(s.Used() - s.ImprovedAt())
	if s.patience > 0 && s.fruitless >= s.patience && inVain >= vainShare*float64(s.total) {
		return budget.Ended{Cause: budget.Stuck, Reason: fmt.Sprintf("%d searches in a row, each begun anew, have found nothing better than evaluation %d: another method, seed or start may", s.fruitless, s.ImprovedAt())}
	}
	return nil
}

// result ends a method: an error of type budget.Ended says why, any other is passed on.
func (s *search) result(err error) (Result, error) {
	var end budget.Ended
	if err != nil && !errors.As(err, &end) {
		return Result{}, err
	}
	r := Result{Easings: s.Easings(), Answers: s.Answers(), Best: s.Nearest(), Cause: end.Cause, Reason: end.Reason, Used: s.Used(), ImprovedAt: s.ImprovedAt(), Chose: s.chose, Together: s.together, Doubted: s.doubts}
	if s.ends != nil && r.Best.Design != nil {
		r.Searches, r.Ends, r.Unseen, r.Others, r.end = s.ends.searches, len(s.ends.found), s.ends.unseen(), s.ends.others(r.Best, s.space.Point(r.Best.Design), s.seen), s.ends.endingAt(r.Best)
	}
	if s.beside.design != nil && slices.Equal(s.beside.design, r.Best.Design) {
		r.Neighbours = s.beside.count
		for _, t := range s.beside.next {
			if t.outcome.Values != nil {
				r.Next = &Place{Design: t.design, Number: t.outcome.Number, Feasible: t.rank.Kept()}
			}
		}
	}
	if s.seen != nil {
		r.Learned = s.seen.learned(r.end)
	}
	return r, nil
}
