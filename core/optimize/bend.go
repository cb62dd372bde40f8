package optimize

import (
	"math"
	"slices"
)

const ridge = 1e-12 // of the largest curvature, added to that of a sum of squares

// squared is the curvature of a sum of squares whose values are planes: that of Gauss and Newton.
func (d *descent) squared() [][]float64 {
	bend := square(len(d.axes))
	most := 0.0
	for i, t := range d.goal.Targets {
		for a, x := range d.here.targets[i] {
			for b, y := range d.here.targets[i] {
				bend[a][b] += 2 * t.Weight * x * y
			}
		}
	}
	for a := range bend {
		most = math.Max(most, bend[a][a])
	}
	for a := range bend {
		bend[a][a] += ridge * most
	}
	return bend
}

// bendBy learns the curvature of the Lagrangian of what only the solver decides from the last step.
func (d *descent) bendBy(before place) {
	if d.ofTargets() && d.here.targets != nil {
		d.bend = d.squared()
		return
	}
	move := minus(d.along(d.here.point), d.along(before.point))
	change := make([]float64, len(move))
	for k, f := range d.functions {
		weight := 1.0
		if k >= d.objectives() {
			weight = -d.last.multipliers[k-d.objectives()]
		}
		if f.decided || weight == 0 {
			continue
		}
		for a := range change {
			change[a] += weight * (d.here.slopes[k][a] - before.slopes[k][a])
		}
	}
	d.update(move, change)
}

// symmetricRankOne learns curvature of either sign: where what inputs alone decide is bent as well, only the sum of both need
// be convex. A change that tells next to nothing is left out (J. Nocedal and S. J. Wright, Numerical Optimization, section 6.2).
func (d *descent) symmetricRankOne(move, gap []float64) {
	along := dot(gap, move)
	if math.Abs(along) <= 1e-8*math.Sqrt(dot(gap, gap)*dot(move, move)) {
		return
	}
	for a := range d.bend {
		for b := range d.bend[a] {
			d.bend[a][b] += gap[a] * gap[b] / along
		}
	}
}

// update is the damped BFGS formula. The first time the bend is scaled to the change.
func (d *descent) update(move, change []float64) {
	length, along := dot(move, move), dot(move, change)
	if length == 0 {
		return
	}
	if along < 0 {
		d.bent = true
	}
	if !d.scaled && along > 0 {
		d.scaled = true
		for a := range d.bend {
			for b := range d.bend[a] {
				d.bend[a][b] = 0
			}
			d.bend[a][a] = dot(change, change) / along
		}
	}
	bent := times(d.bend, move)
	curvature := dot(move, bent)
	if d.mixed {
		d.symmetricRankOne(move, minus(change, bent))
		return
	}
	if curvature <= 0 {
		return
	}
	change = slices.Clone(change)
	if along < lessened*curvature {
		share := (1 - lessened) * curvature / (curvature - along)
		for a := range change {
			change[a] = share*change[a] + (1-share)*bent[a]
		}
		along = dot(move, change)
	}
	for a := range d.bend {
		for b := range d.bend[a] {
			d.bend[a][b] += change[a]*change[b]/along - bent[a]*bent[b]/curvature
		}
	}
}
