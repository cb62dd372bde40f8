package study

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/result"
)

const (
	sameStep      = 1e-9 // by which a change may exceed whole steps
	checksOfALoss = 6    // evaluations for each requirement, to find the change by which it is missed
	nearLoss      = 0.02 // of a change, within which the one by which a requirement is missed is known
)

// A spot is so far along a way.
type spot struct {
	way int
	t   float64
}

// margins are those of requirements in a design, by id; nil where the solver has no values.
type margins map[string]float64

func marginsOf(s *session, values []float64) margins {
	all := margins{}
	for id, j := range s.Model.Judge(values) {
		if j.Margin != nil {
			all[id] = *j.Margin
		}
	}
	return all
}

// A lookout knows the margins about a design.
type lookout struct {
	*session
	base  core.Design
	here  margins
	ways  []way
	known map[spot]margins
}

// visit evaluates spots, each once, and gives the numbers of their evaluations; 0 for those that were known.
func (l *lookout) visit(ctx context.Context, spots []spot) ([]int, error) {
	var designs []core.Design
	var asked []int
	for i, at := range spots {
		if _, known := l.known[at]; known {
			continue
		}
		design := slices.Clone(l.base)
		design[l.ways[at.way].at] = l.ways[at.way].value(at.t)
		designs, asked = append(designs, design), append(asked, i)
	}
	numbers := make([]int, len(spots))
	if len(designs) == 0 {
		return numbers, nil
	}
	outcomes, err := l.evaluator.Evaluate(ctx, designs)
	if err != nil {
		return nil, err
	}
	for k, o := range outcomes {
		l.known[spots[asked[k]]] = nil
		if numbers[asked[k]] = o.Number; o.State == core.OK {
			l.known[spots[asked[k]]] = marginsOf(l.session, o.Values)
		}
	}
	return numbers, nil
}

// A suspicion is a way along which a requirement may be missed, and about how far.
type suspicion struct {
	way   int
	about float64
	seen  bool // the neighbour misses it
	ends  bool // it is missed at the end of the way
}

// losses are those that an evaluation shows, of each requirement the nearest that was found; those that decide first, and the nearest of all first.
func (l *lookout) losses(ctx context.Context) ([]result.Loss, error) {
	var ends []spot
	for i, w := range l.ways {
		near := l.known[spot{i, w.first}]
		for id, margin := range near {
			if l.here[id] >= 0 && margin < l.here[id] && w.length > w.first {
				ends = append(ends, spot{i, w.length})
				break
			}
		}
	}
	if _, err := l.visit(ctx, ends); err != nil {
		return nil, err
	}
	all := []result.Loss{}
	for _, q := range l.bench.Requirements {
		margin, known := l.here[q.ID]
		if !known || margin < 0 {
			continue
		}
		loss, found, err := l.nearest(ctx, q.ID)
		if err != nil {
			return nil, err
		}
		if found {
			all = append(all, loss)
		}
	}
	wish := func(one result.Loss) int {
		if q, _ := l.bench.Requirement(one.Requirement); q.Decisive() {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(all, func(a, b result.Loss) int {
		return cmp.Or(cmp.Compare(wish(a), wish(b)), cmp.Compare(a.Share, b.Share), cmp.Compare(a.Requirement, b.Requirement))
	})
	return all, nil
}

// suspicions are the ways along which a requirement may be missed within the range, the one of which that is expected first before the others: margins are taken for straight.
func (l *lookout) suspicions(id string) (all []suspicion) {
	for i, w := range l.ways {
		near, known := l.known[spot{i, w.first}][id]
		if !known {
			continue
		}
		end, ended := l.known[spot{i, w.length}][id]
		one := suspicion{way: i, about: math.Inf(1), seen: near < 0, ends: ended && end < 0}
		if near < l.here[id] {
			one.about = w.first * l.here[id] / (l.here[id] - near)
		}
		if one.ends {
			one.about = math.Min(one.about, w.length)
		}
		if one.about <= w.length*(1+sameStep) {
			all = append(all, one)
		}
	}
	slices.SortStableFunc(all, func(a, b suspicion) int { return cmp.Compare(l.share(a.way, a.about), l.share(b.way, b.about)) })
	return all
}

// share is how far that is along a way, of the range of its input.
func (l *lookout) share(i int, t float64) float64 {
	w := l.ways[i]
	if w.in.Choices != nil {
		return t / float64(len(w.in.Choices.Numbers)-1)
	}
	if w.stepped() {
		t *= w.in.Step
	}
	return t / (w.in.Range.Upper - w.in.Range.Lower)
}

// nearest is the least change that was found by which a requirement is missed.
func (l *lookout) nearest(ctx context.Context, id string) (loss result.Loss, found bool, err error) {
	left := checksOfALoss
	best := math.Inf(1)
	for _, one := range l.suspicions(id) {
		if l.share(one.way, one.about) >= best {
			break
		}
		t, missed, err := l.missedAt(ctx, id, one, &left)
		if err != nil {
			return loss, false, err
		}
		if missed && l.share(one.way, t) < best {
			best, found, loss = l.share(one.way, t), true, l.loss(id, one, t)
		}
	}
	return loss, found, nil
}

// missedAt is how far along a way a requirement is missed, shown by an evaluation there or just behind: by straight lines between what keeps it and what misses it (regula falsi), until two of them say the
// same.
func (l *lookout) missedAt(ctx context.Context, id string, one suspicion, left *int) (t float64, missed bool, err error) {
	w := l.ways[one.way]
	margin := func(t float64) (float64, bool) { m, known := l.known[spot{one.way, t}][id]; return m, known }
	kept, keptMargin, lost, lostMargin := 0.0, l.here[id], math.Inf(1), 0.0
	near, _ := margin(w.first)
	if one.seen {
		lost, lostMargin = w.first, near
	} else {
		kept, keptMargin = w.first, near
	}
	if one.ends && !one.seen {
		lost = w.length
		lostMargin, _ = margin(w.length)
	}
	between := func() float64 { return w.rounded(kept + (lost-kept)*keptMargin/(keptMargin-lostMargin)) }
	told := one.about
	if missed = !math.IsInf(lost, 1); missed {
		told = between()
	}
	for !one.seen && *left > 0 {
		next := w.rounded(math.Min(told*(1+nearLoss), w.length))
		if next >= lost {
			next = w.rounded(kept + (lost-kept)/2)
		}
		if next <= kept || next >= lost {
			break // there is nothing between
		}
		*left--
		if _, err := l.visit(ctx, []spot{{one.way, next}}); err != nil {
			return 0, false, err
		}
		at, known := margin(next)
		switch {
		case !known, at >= 0 && !missed: // the solver fails there, or the margin bends away from its line
			if missed && w.stepped() {
				told = lost
			}
			return told, missed, nil
		case at < 0:
			lost, lostMargin, missed = next, at, true
		default:
			kept, keptMargin = next, at
		}
		before := told
		if told = between(); !w.stepped() && math.Abs(told-before) <= nearLoss*told {
			break
		}
	}
	if missed && w.stepped() {
		told = lost // of steps only what was evaluated is told
	}
	return told, missed, nil
}

// rounded is the next place behind that is on the way.
func (w way) rounded(t float64) float64 {
	if w.stepped() {
		return math.Ceil(t - sameStep)
	}
	return t
}

// loss tells by which change a requirement would be missed.
func (l *lookout) loss(id string, one suspicion, t float64) result.Loss {
	w := l.ways[one.way]
	loss := result.Loss{Requirement: id, Input: w.in.Name, By: w.by(t), Share: l.share(one.way, t), Seen: one.seen}
	wish := ""
	if q, _ := l.bench.Requirement(id); q.Wish {
		wish = ", a wish,"
	}
	loss.Says = fmt.Sprintf("%s%s would be lost by %s %s, %s of its range", id, wish, w.in.Name, signedWith(loss.By, w.in.Unit), plain.Percent(loss.Share))
	return loss
}
