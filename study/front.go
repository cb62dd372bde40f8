package study

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/pareto"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
)

// A front keeps the designs of a run of which none is better in every objective; nothing where there is one objective.
type front struct {
	model      *model.Model
	objectives []core.Objective
	// constraints are those of the study, of which soft ones are paid for.
	constraints []core.Constraint
	called      []model.Column // the objectives, where they are no columns of the model
	members     []member
	growing     bool     // the run is at work: what takes long is left for its end
	missing     []member // while there are no members: designs that miss what is asked by little more than the least
}

// A member of a front with its objectives, to be made least.
type member struct {
	*evaluation
	at     []float64
	misses float64 // a share of the limit that is missed worst
}

// seeMissing takes note of a design that does not meet what is asked: as long as none does, those that miss it least have a front.
func (f *front) seeMissing(record dispatch.Record, rank budget.Rank, misses float64) {
	if len(f.objectives) < 2 || len(f.members) > 0 {
		return
	}
	least := misses
	for _, m := range f.missing {
		least = min(least, m.misses)
	}
	if misses > alike*least {
		return
	}
	f.missing = slices.DeleteFunc(f.missing, func(m member) bool { return m.misses > alike*least })
	f.missing = append(f.missing, member{evaluation: keep(record, rank), at: f.objectivesOf(record.Values), misses: misses})
}

// alike is how much more than the least a design may miss to count among those that miss least.
const alike = 1.1

// leastViolated is the front of those that miss least.
func (f *front) leastViolated() front {
	g := front{model: f.model, objectives: f.objectives, constraints: f.constraints, growing: f.growing}
	for _, m := range f.missing {
		if !g.bettered(m.at, m.number) {
			g.enter(m)
		}
	}
	return g
}

func (f *front) objectivesOf(values []float64) []float64 {
	at := make([]float64, len(f.objectives))
	for k, o := range f.objectives {
		at[k] = o.Least(values)
	}
	return at
}

// see takes note of a design that meets what is asked.
func (f *front) see(record dispatch.Record, rank budget.Rank) {
	if len(f.objectives) < 2 {
		return
	}
	f.missing = nil
	if at := f.objectivesOf(record.Values); !f.bettered(at, record.Number) {
		f.enter(member{evaluation: keep(record, rank), at: at})
	}
}

// bettered is true where a member is better in all, or as good and asked before.
func (f *front) bettered(at []float64, number int) bool {
	return slices.ContainsFunc(f.members, func(m member) bool { return pareto.Dominates(m.at, at) || slices.Equal(m.at, at) && m.number < number })
}

// enter takes a design in that no member betters.
func (f *front) enter(new member) {
	f.members = slices.DeleteFunc(f.members, func(m member) bool { return pareto.Dominates(new.at, m.at) || slices.Equal(m.at, new.at) })
	f.members = append(f.members, new)
}

// sorted has the members along the first objective.
func (f *front) sorted() []member {
	return slices.SortedFunc(slices.Values(f.members), func(a, b member) int { return cmp.Or(slices.Compare(a.at, b.at), cmp.Compare(a.number, b.number)) })
}

// mostShown designs of a front are shown, those that stand most alone; the ends are among them.
const mostShown = 300

// compromise is the knee of a front, or where it has none the member nearest to what is best in each objective, in shares of their ranges.
func compromise(members []member) int {
	points := pointsOf(members)
	if knee := pareto.Knee(points); knee >= 0 {
		return knee
	}
	least, most := ranges(points)
	best, nearest := 0, math.Inf(1)
	for i, p := range points {
		square := 0.0
		for k, v := range p {
			if most[k] > least[k] {
				share := (v - least[k]) / (most[k] - least[k])
				square += share * share
			}
		}
		if square < nearest {
			best, nearest = i, square
		}
	}
	return best
}

func pointsOf(members []member) [][]float64 {
	points := make([][]float64, len(members))
	for i, m := range members {
		points[i] = m.at
	}
	return points
}

func ranges(points [][]float64) (least, most []float64) {
	least, most = slices.Clone(points[0]), slices.Clone(points[0])
	for _, p := range points {
		for k, v := range p {
			least[k], most[k] = math.Min(least[k], v), math.Max(most[k], v)
		}
	}
	return least, most
}

// enterFront shows the front, and gives its compromise, which stands for it as the best design; nil where there is none: where no design meets
// what is asked, the one that misses it least does.
func (s *standing) enterFront(p *result.Parts) *evaluation {
	switch {
	case len(s.front.members) > 0:
	case len(s.front.missing) > 0:
		least := s.front.leastViolated()
		p.Front, p.Tradeoff, _ = least.show()
		return nil
	default:
		return nil
	}
	var chosen *evaluation
	p.Front, p.Tradeoff, chosen = s.front.show()
	return chosen
}

// column is that of an objective.
func (f *front) column(k int) model.Column {
	if f.called != nil {
		return f.called[k]
	}
	return f.model.Columns[f.objectives[k].Value]
}

// longFrom is from how many objectives on the hypervolume of a front takes seconds: it is told once the run has ended.
const longFrom = 4

// show gives the members, those that stand most alone, with what the front is good for and its compromise. There must be one.
func (f *front) show() ([]*result.Design, *result.Tradeoff, *evaluation) {
	members := f.sorted()
	points := pointsOf(members)
	chosen := compromise(members)
	t := &result.Tradeoff{Count: len(members), Compromise: members[chosen].number, Knee: pareto.Knee(points) >= 0}
	least, most := ranges(points)
	reference := make([]float64, len(least))
	for k, o := range f.objectives {
		reference[k] = most[k] + referenceShare*math.Max(most[k]-least[k], math.Abs(most[k])*referenceShare)
		value := reference[k]
		if o.Maximize {
			value = -value
		}
		t.Objectives = append(t.Objectives, f.column(k).Name)
		t.Most, t.Reference = append(t.Most, o.Maximize), append(t.Reference, value)
	}
	if !f.growing || len(f.objectives) < longFrom {
		t.Hypervolume = pareto.Hypervolume(points, reference)
	}
	crowding := pareto.Crowding(points)
	order := make([]int, len(members))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return -cmp.Compare(crowding[i], crowding[j]) })
	indices := order[:min(mostShown, len(order))]
	if !slices.Contains(indices, chosen) {
		indices[len(indices)-1] = chosen
	}
	slices.Sort(indices)
	var shown []*result.Design
	for _, i := range indices {
		m := members[i]
		goal := core.Goal{Objectives: f.objectives, Constraints: f.constraints}
		d := f.model.Describe(m.number, m.design, m.values, objectiveOf(goal, m.values), goal)
		for k, o := range f.objectives {
			d.Values[f.column(k).Name] = m.values[o.Value]
		}
		shown = append(shown, d)
	}
	t.Exchange = f.exchange(shown)
	t.Says = f.inWords(members, chosen, t.Knee)
	for _, m := range members {
		t.Violation = max(t.Violation, m.misses)
	}
	if t.Violation > 0 {
		t.Says = fmt.Sprintf("no design meets every requirement: this is the front of those that miss least, by up to %s %% of a limit; %s", plain.Show(math.Ceil(100*t.Violation)), t.Says)
	}
	return shown, t, members[chosen].evaluation
}

// exchange is what one more unit of the first of two objectives brings in the second, from each design to the next.
func (f *front) exchange(shown []*result.Design) []float64 {
	if len(f.objectives) != 2 {
		return nil
	}
	first, second := f.column(0).Name, f.column(1).Name
	var rates []float64
	for i := range shown[:len(shown)-1] {
		here, next := shown[i].Values, shown[i+1].Values
		rates = append(rates, (next[second]-here[second])/(next[first]-here[first]))
	}
	return rates
}

// referenceShare is how far behind the worst of a front its reference point stands, as a share of the range.
const referenceShare = 0.1

// inWords says what a front is good for.
func (f *front) inWords(members []member, chosen int, knee bool) string {
	if len(members) == 1 {
		return fmt.Sprintf("the objectives do not conflict as far as was seen: evaluation %d is best in all", members[0].number)
	}
	value := func(m member, k int) string {
		o := f.objectives[k]
		return f.column(k).Name + " " + plain.With(m.values[o.Value], f.column(k).Unit)
	}
	text := fmt.Sprintf("%d designs of which none is better in all objectives", len(members))
	for k := range f.objectives {
		best := slices.MinFunc(members, func(a, b member) int { return cmp.Compare(a.at[k], b.at[k]) })
		text += fmt.Sprintf("; the best %s is evaluation %d", value(best, k), best.number)
		for other := range f.objectives {
			if other != k {
				text += ", at " + value(best, other)
			}
		}
	}
	what := "the nearest to all of these"
	if knee {
		what = "the knee, where the front bends most,"
	}
	return text + fmt.Sprintf("; %s is evaluation %d", what, members[chosen].number)
}
