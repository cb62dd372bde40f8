package optimize

import (
	"cmp"
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/space"
)

const (
	allValues   = 8   // values of a list of words, up to which all are neighbours of each other
	nearRows    = 4   // rows of a catalog that count as neighbours of one
	mostRepairs = 200 // steps in which discrete inputs are repaired
)

// stepped lists the inputs that are stepped or have lists.
func (s *search) stepped() []int {
	var stepped []int
	for j, in := range s.space {
		if in.Levels() > 0 {
			stepped = append(stepped, j)
		}
	}
	return stepped
}

// nextTo lists the coordinates of the values of a stepped input that are next to the one at u.
func nextTo(in space.Input, u float64) []float64 {
	value := in.Value(u)
	var values []float64
	switch {
	case in.Traits != nil:
		values = nearestRows(in, in.Index(value))
	case in.Unordered:
		if len(in.Values) > allValues {
			at := in.Index(value)
			for k := 1; k <= allValues/2; k++ {
				values = append(values, in.Values[(at+k)%len(in.Values)], in.Values[(at+len(in.Values)-k)%len(in.Values)])
			}
		} else {
			values = in.Values
		}
	default:
		step := 1 / float64(in.Levels())
		if in.Log {
			return beside(in, u)
		}
		var coordinates []float64
		for _, other := range []float64{u - step, u + step} {
			if other > 0 && other < 1 {
				coordinates = append(coordinates, in.Unit(in.Value(other)))
			}
		}
		return coordinates
	}
	var coordinates []float64
	for _, other := range values {
		if other != value {
			coordinates = append(coordinates, in.Unit(other))
		}
	}
	return coordinates
}

// beside are the coordinates of the values below and above on a logarithmic scale.
func beside(in space.Input, u float64) []float64 {
	value := in.Value(u)
	var coordinates []float64
	for _, other := range []float64{value - in.Step, value + in.Step} {
		if other >= in.Lower && other <= in.Upper {
			coordinates = append(coordinates, in.Unit(other))
		}
	}
	return coordinates
}

// nearestRows are the values of the rows of a catalog whose columns are nearest.
func nearestRows(in space.Input, at int) []float64 {
	type row struct{ index, distance float64 }
	var rows []row
	for i, traits := range in.Traits {
		if i != at {
			away := minus(traits, in.Traits[at])
			rows = append(rows, row{in.Values[i], dot(away, away)})
		}
	}
	slices.SortStableFunc(rows, func(a, b row) int { return cmp.Compare(a.distance, b.distance) })
	var values []float64
	for _, r := range rows[:min(nearRows, len(rows))] {
		values = append(values, r.index)
	}
	return values
}

// around lists the points that differ from one in one stepped input, by a neighbour.
func (s *search) around(point []float64) [][]float64 { return s.aroundIn(point, s.stepped()) }

// aroundIn does so in some inputs: that of the lower value comes before that of the higher one.
func (s *search) aroundIn(point []float64, inputs []int) [][]float64 {
	var points [][]float64
	for _, j := range inputs {
		for _, u := range nextTo(s.space[j], point[j]) {
			other := slices.Clone(point)
			other[j] = u
			points = append(points, other)
		}
	}
	return points
}

// snapped gives the coordinates of stepped inputs the middle of their values, so that one design has one point.
func (s *search) snapped(point []float64) []float64 {
	other := slices.Clone(point)
	for _, j := range s.stepped() {
		other[j] = s.space[j].Unit(s.space[j].Value(point[j]))
	}
	return other
}

// stepNearer repairs a point by its stepped inputs, the continuous ones following, as long as that brings it nearer to what inputs
// alone decide.
func (l *landscape) stepNearer(point []float64) []float64 {
	missed := l.missedBy(point)
	for range mostRepairs {
		best := point
		for _, other := range l.around(point) {
			other = l.slid(other)
			if by := l.missedBy(other); by < missed {
				best, missed = other, by
			}
		}
		if missed == 0 || slices.Equal(best, point) {
			return best
		}
		point = best
	}
	return point
}

// A compared design is one of whose neighbours, which differ in one stepped input, none is better.
type compared struct {
	design core.Design
	count  int
	next   []trial // the best of them; empty where there is none
}

// climb goes from neighbour to neighbour as long as one is better: all are asked as one batch. Where inputs are continuous too, those
// of the better neighbours are searched before they are compared.
func (k *looker) climb(ctx context.Context, from ending) (ending, error) {
	if len(k.stepped()) == 0 || from.values == nil {
		return from, nil
	}
	for {
		points := k.around(from.point)
		for i := range points {
			points[i] = k.slid(points[i])
		}
		trials, err := k.ask(ctx, points)
		slices.SortStableFunc(trials, byRank)
		better := from
		for _, t := range trials {
			if !t.rank.Better(from.rank) {
				break
			}
			better.place = k.placed(t)
			break
		}
		if err != nil {
			return better, err
		}
		if onLattice := k.long(); len(k.axes) > 0 || len(onLattice) > 0 {
			others := trials
			if len(k.axes) == 0 { // those on the lattice were compared by the descent
				others = slices.DeleteFunc(slices.Clone(trials), func(t trial) bool { return differsIn(t.point, from.point, onLattice) })
			}
			for _, t := range k.promising(from, others) {
				end, err := k.descend(ctx, t.point, nil)
				if end.values != nil && end.rank.Better(better.rank) {
					better = end
				}
				if err != nil {
					return better, err
				}
			}
		}
		if !better.rank.Better(from.rank) && len(k.axes) == 0 && !k.Best().Rank.Better(from.rank) {
			if better, err = k.pairs(ctx, from); err != nil {
				return better, err
			}
		}
		if !better.rank.Better(from.rank) {
			if slices.Equal(from.design, k.Best().Design) {
				k.beside = compared{design: from.design, count: len(trials), next: trials[:min(1, len(trials))]}
			}
			return from, nil
		}
		from = better
	}
}

// promising are the two neighbours, sorted by rank, whose continuous inputs are worth a search: the best, and the one that promises most once
// these have followed, or else the second best.
func (k *looker) promising(from ending, trials []trial) []trial {
	usable := slices.DeleteFunc(slices.Clone(trials), func(t trial) bool { return !t.rank.Usable() })
	if len(usable) < 2 {
		return usable
	}
	next, least := 1, math.Inf(1)
	for i, t := range usable[1:] {
		if promise := k.promised(from, k.placed(t)); promise < least {
			next, least = i+1, promise
		}
	}
	return []trial{usable[0], usable[next]}
}

// promised is the objective to be expected next to a neighbour, where continuous inputs bring the constraints back to what they are where a search
// ended: by their multipliers there. It is infinite where one that did not matter there is missed.
func (k *looker) promised(from ending, neighbour place) float64 {
	if from.multipliers == nil || neighbour.values == nil {
		return math.Inf(1)
	}
	promise := k.objective(neighbour.values)
	for i, f := range k.constraints() {
		value := neighbour.values[k.objectives()+i]
		switch multiplier := from.multipliers[i]; {
		case multiplier != 0:
			promise += multiplier * (from.values[k.objectives()+i] - value)
		case f.price == 0 && f.limit.Margin(value) < 0:
			return math.Inf(1)
		}
	}
	return promise
}

const (
	mostPairs  = 600 // of neighbours that are looked at together
	pairsShare = 0.5 // of what is left of a budget that they may cost
)

// pairs looks at the points that differ in two inputs by a neighbour each, where the budget leaves room for all of them.
func (k *looker) pairs(ctx context.Context, from ending) (ending, error) {
	var points [][]float64
	stepped := k.stepped()
	for i, a := range stepped {
		for _, b := range stepped[i+1:] {
			for _, u := range nextTo(k.space[a], from.point[a]) {
				for _, v := range nextTo(k.space[b], from.point[b]) {
					other := slices.Clone(from.point)
					other[a], other[b] = u, v
					if k.missedBy(other) == 0 {
						points = append(points, other)
					}
				}
			}
		}
	}
	if len(points) == 0 || len(points) > mostPairs || float64(len(points)) > pairsShare*float64(k.total-k.Used()) {
		return from, nil
	}
	trials, err := k.ask(ctx, points)
	slices.SortStableFunc(trials, byRank)
	if len(trials) > 0 && trials[0].rank.Better(from.rank) {
		from.place = k.placed(trials[0])
	}
	return from, err
}

// differsIn is true for points that have other coordinates in some inputs.
func differsIn(a, b []float64, inputs []int) bool {
	return slices.ContainsFunc(inputs, func(j int) bool { return a[j] != b[j] })
}
