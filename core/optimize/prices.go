package optimize

import (
	"math"
	"slices"
)

// propose solves the subproblem with prices at which it comes as near to the constraints as it can.
func (d *descent) propose() step {
	q := d.subproblem(d.radius)
	d.startPrices(q)
	s := q.solve()
	missed := d.weighed(q, s)
	if missed > 0 {
		s = d.steer(q, s, missed)
	}
	for i, f := range d.constraints() {
		if f.price == 0 && !f.decided && s.missed[i] <= 1e-9*largest(d.here.slopes[d.objectives()+i]) {
			d.prices[i] = math.Max(math.Max(cheaper*d.prices[i], leastPrice*d.firstPrice(i)), dearer*math.Abs(s.multipliers[i]))
		}
	}
	q.prices = d.prices
	q.stiff = slices.Clone(d.prices)
	before, _ := q.cost(q.centre)
	after, _ := q.cost(s.axes)
	s.predicted = before - after
	return s
}

// startPrices makes every violation cost about as much as the objective can gain.
func (d *descent) startPrices(q *subproblem) {
	for i, f := range d.constraints() {
		switch {
		case f.price > 0:
			d.prices[i] = f.price
		case d.prices[i] == 0 && !f.decided:
			d.prices[i] = d.firstPrice(i)
		case !f.decided:
			d.prices[i] = math.Min(d.prices[i], dearest*d.firstPrice(i))
		}
	}
	q.prices = d.prices
}

func (d *descent) firstPrice(constraint int) float64 {
	steepest := 1e-3
	if d.objectives() == 1 {
		steepest = math.Max(steepest, largest(d.here.slopes[0]))
	}
	k := d.objectives() + constraint
	unit := math.Max(largest(d.here.slopes[k]), math.Abs(d.functions[k].limit.Margin(d.here.values[k])))
	return steepest / math.Max(1e-9, unit)
}

// weighed is the sum by which a step misses the constraints that only the solver decides, each in units of its slope.
func (d *descent) weighed(q *subproblem, s step) float64 {
	sum := 0.0
	for i, f := range d.constraints() {
		if f.price > 0 || f.decided {
			continue
		}
		if unit := largest(d.here.slopes[d.objectives()+i]); unit > 0 && s.missed[i] > 1e-10*unit {
			sum += s.missed[i] / unit
		}
	}
	return sum
}

// steer raises the prices as far as that brings the step nearer to the constraints: onto them where a step can reach them, else
// by half of what a step could at most.
func (d *descent) steer(q *subproblem, s step, missed float64) step {
	raised := func(by float64) step {
		q.prices = slices.Clone(d.prices)
		for i, f := range d.constraints() {
			if f.price == 0 && !f.decided {
				q.prices[i] *= by
			}
		}
		return q.solve()
	}
	nearest := d.weighed(q, raised(dearest))
	now := d.weighed(q, step{missed: d.missed(d.here)})
	enough := nearest + (now-nearest)*steeredShare
	if nearest == 0 {
		enough = 0
	}
	q.prices = d.prices
	for by := steering; by < dearest && missed > enough; by *= steering {
		s = raised(by)
		if missed = d.weighed(q, s); missed <= enough {
			break
		}
	}
	d.prices = q.prices
	return s
}

func (d *descent) missed(p place) []float64 {
	m := make([]float64, len(d.prices))
	for i, aim := range d.aims(d.last.multipliers) {
		m[i] = violation(p.values[d.objectives()+i], aim[0], aim[1])
	}
	return m
}

// merit is the objective with what is paid for violations.
func (d *descent) merit(p place, aims [][2]float64) float64 {
	sum := d.objective(p.values)
	for i := range aims {
		sum += d.prices[i] * violation(p.values[d.objectives()+i], aims[i][0], aims[i][1])
	}
	return sum
}
