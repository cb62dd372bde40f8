package sensitivity

import (
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// A Trajectory is a walk through the space on which each input moves once.
type Trajectory struct {
	Designs []core.Design // one more than there are inputs
	Moved   []int         // the input that moves before each design but the first
	By      []float64     // how far, in ranges; 1 between words
}

// stepOfWalk is how far a continuous input moves, in ranges.
const stepOfWalk = 0.5

// Trajectories draws walks (M. D. Morris, Technometrics 33 (1991)); continuous inputs begin anywhere, not on a grid, so that nothing that
// repeats itself along an input is missed.
func Trajectories(s space.Space, seed uint64, n int) []Trajectory {
	r := plan.NewRand(seed)
	all := make([]Trajectory, n)
	for k := range all {
		all[k] = walk(s, r)
	}
	return all
}

func walk(s space.Space, r *rand.Rand) Trajectory {
	from, to := make([]float64, len(s)), make([]float64, len(s))
	by := make([]float64, len(s))
	for j, in := range s {
		from[j], to[j], by[j] = move(in, r)
	}
	design := s.Design(from)
	t := Trajectory{Designs: []core.Design{design}}
	for _, j := range r.Perm(len(s)) {
		design = slices.Clone(design)
		design[j] = s[j].Value(to[j])
		if !s[j].Unordered || s[j].Traits != nil {
			by[j] = s[j].Share(design[j]) - s[j].Share(t.Designs[0][j])
		}
		t.Designs, t.Moved, t.By = append(t.Designs, design), append(t.Moved, j), append(t.By, by[j])
	}
	return t
}

// move draws two values of an input, as coordinates.
func move(in space.Input, r *rand.Rand) (from, to, by float64) {
	levels := in.Levels()
	if levels == 0 || in.Log {
		from = r.Float64() * (1 - stepOfWalk)
		to = from + stepOfWalk
	} else {
		a := r.IntN(levels)
		b := a
		if levels > 1 && in.Unordered {
			b = (a + 1 + r.IntN(levels-1)) % levels
		} else if half := (levels + 1) / 2; levels > 1 {
			a = r.IntN(levels - half)
			b = a + half
		}
		from, to = (float64(a)+0.5)/float64(levels), (float64(b)+0.5)/float64(levels)
	}
	if r.IntN(2) == 0 {
		from, to = to, from
	}
	return from, to, 1
}

// Effects of one input on an output, in the unit of the output for a move over the whole range of the input.
type Effects struct {
	Mean     float64
	Absolute Estimate // the mean of absolute values (F. Campolongo et al., Environ. Model. Softw. 22 (2007))
	Spread   float64  // deviation: large where the effect depends on where one is
	Used     int      // moves with values before and after
}

// ElementaryEffects gives the effects of each of d inputs, from the values of the designs of each trajectory, NaN where there is none.
func ElementaryEffects(d int, seed uint64, walks []Trajectory, values [][]float64) []Effects {
	each := make([][]float64, d)
	for k, t := range walks {
		for step, j := range t.Moved {
			before, after := values[k][step], values[k][step+1]
			if by := t.By[step]; by != 0 && !math.IsNaN(before) && !math.IsNaN(after) {
				each[j] = append(each[j], (after-before)/by)
			}
		}
	}
	r := plan.NewRand(seed)
	found := make([]Effects, d)
	for j, effects := range each {
		found[j] = effectsOf(effects, r)
	}
	return found
}

func effectsOf(effects []float64, r *rand.Rand) Effects {
	n := len(effects)
	e := Effects{Used: n}
	if n == 0 {
		e.Absolute.To = math.Inf(1)
		return e
	}
	for _, v := range effects {
		e.Mean += v / float64(n)
		e.Absolute.Value += math.Abs(v) / float64(n)
	}
	for _, v := range effects {
		e.Spread += (v - e.Mean) * (v - e.Mean)
	}
	e.Spread = math.Sqrt(e.Spread / float64(max(1, n-1)))
	means := make([]float64, resamples)
	for b := range means {
		for range n {
			means[b] += math.Abs(effects[r.IntN(n)]) / float64(n)
		}
	}
	e.Absolute.limits(means, 0)
	return e
}
