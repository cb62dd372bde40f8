package dynamics

import (
	"fmt"
	"math"
	"slices"
)

// guards are the values on whose passing the modes hang, as evaluated last.
func (r *run) guards() []float64 { return r.out[len(r.model.Signals)+len(r.model.States):] }

// modes is the part of the row that holds them.
func (r *run) modes() []float64 { return r.row[1+len(r.model.States)+len(r.inputs):] }

// mode is what mode k is for a value of its guard. One whose guard has no value stays as it is: nothing uses it there.
func (r *run) mode(k int, guard float64) float64 {
	if math.IsNaN(guard) {
		return r.modes()[k]
	}
	return r.model.switched.Mode(k, guard)
}

// changes lists the modes that these guards would make others.
func (r *run) changes(guards []float64) (changed []int) {
	for k, guard := range guards {
		if r.mode(k, guard) != r.modes()[k] {
			changed = append(changed, k)
		}
	}
	return changed
}

// settle takes the modes from what the formulas say at a time. One mode may hang on another, so that it is done until
// nothing changes.
func (r *run) settle(t float64, y []float64) { r.follow(t, y, nil) }

// follow settles all modes but those that are held.
func (r *run) follow(t float64, y []float64, held []int) {
	for range len(r.modes()) + 1 {
		r.evaluate(t, y)
		changed := false
		for _, k := range r.changes(r.guards()) {
			if !slices.Contains(held, k) {
				r.modes()[k], changed, r.current = r.mode(k, r.guards()[k]), true, false
			}
		}
		if !changed {
			return
		}
	}
}

// holds is true where the modes are still those that the formulas give.
func (r *run) holds(t float64, y []float64) bool {
	r.evaluate(t, y)
	for k, guard := range r.guards() {
		if r.mode(k, guard) != r.modes()[k] {
			return false
		}
	}
	return true
}

// What is looked at within a step, so that nothing in it is overlooked.
const (
	looks      = 6    // at the values of guards in a stretch, its ends included
	stretches  = 200  // over the whole time, at least, where the formulas follow the time itself
	wiggle     = 0.05 // of a guard's size: how far two looks may be from the cubic through the other four
	finest     = 1e-9 // of the whole time: shorter steps are believed as they are
	between    = 16   // places within a stretch at which a guard is foreseen by its polynomial
	rallies    = 1000 // switches, in which the time has to go on
	rallyShare = 1e-6 // by this share of the whole
)

// lookShares are uneven, so that what comes and goes evenly is not taken for rest.
var lookShares = [looks]float64{0, 0.19, 0.41, 0.62, 0.83, 1}

// A sight is what is found by looking at a step.
type sight struct {
	end      float64 // how far the step is good
	switched bool    // there the modes become others
	clear    bool    // false: it ends there since something behind it is not resolved
	defect   float64 // the largest until there
}

// look finds the first time, up to end, at which the modes are others than at the start of the step: right behind the
// switch, as near as numbers stand to each other. Where guards behave within the step as they should not between its ends, it
// says how far the step may go.
func (r *run) look(end float64) (found sight) {
	s := r.step
	n := 1
	if whole := r.to - r.from; r.model.follows && end-s.t > whole/stretches {
		n = int(math.Ceil((end - s.t) / whole * stretches))
	}
	if !r.begins {
		r.evaluate(s.t, s.y0)
		copy(r.first, r.guards())
		r.begins = true
	}
	copy(r.seen[0], r.first)
	defect := 0.0
	for i := range n {
		from, to := s.t+(end-s.t)*float64(i)/float64(n), s.t+(end-s.t)*float64(i+1)/float64(n)
		if i == n-1 {
			to = end
		}
		found = r.lookAt(from, to)
		defect = math.Max(defect, found.defect)
		if found.defect = defect; !found.clear || found.switched || defect > 1 {
			break
		}
		copy(r.seen[0], r.seen[looks-1])
	}
	return found
}

// see evaluates at a look and keeps the guards.
func (r *run) see(look int, t float64) (holds bool) {
	if t == r.end() {
		copy(r.state, r.step.y1)
	} else {
		r.method.at(t, r.state)
	}
	holds = r.holds(t, r.state)
	copy(r.seen[look], r.guards())
	return holds
}

// lookAt looks at a stretch of a step; the guards at its start are known.
func (r *run) lookAt(from, to float64) (found sight) {
	at := func(i int) float64 { return from + (to-from)*lookShares[i] }
	found = sight{end: to, clear: true}
	rates, changed := r.out[len(r.model.Signals):][:len(r.model.States)], 0
	if !r.see(looks-1, to) { // first, since the step has just been evaluated there
		changed = looks - 1
	}
	for i := 1; i < looks-1; i++ {
		if i%2 == 1 && len(r.modes()) == 0 && !r.model.follows {
			continue // two looks tell the defect
		}
		if !r.see(i, at(i)) && (changed == 0 || changed == looks-1) {
			changed = i
		}
		if changed == 0 || changed == looks-1 {
			found.defect = math.Max(found.defect, r.method.defect(r, at(i), r.state, rates))
		}
	}
	foreseen := math.Inf(1)
	for k := range r.modes() {
		resolved, first := r.foresee(k)
		if !resolved && to-r.step.t > finest*(r.to-r.from) {
			return sight{end: r.shorter(from, at(2))}
		}
		foreseen = math.Min(foreseen, first)
	}
	if foreseen < 1 && (changed == 0 || foreseen < lookShares[changed]) {
		middle, before := from+(to-from)*foreseen, from
		for i := range looks {
			if lookShares[i] < foreseen {
				before = at(i)
			}
		}
		if r.method.at(middle, r.state); !r.holds(middle, r.state) {
			found.end, found.switched = r.bisect(before, middle), true
			return found
		}
	}
	if changed > 0 {
		found.end, found.switched = r.bisect(at(changed-1), at(changed)), true
	}
	return found
}

// shorter is where a step ends of which a stretch from a time is not resolved: before it, or in the first one within.
func (r *run) shorter(from, within float64) float64 {
	if from > r.step.t {
		return from
	}
	return within
}

// foresee fits the looks at guard k: resolved is false where it may pass unseen between them; first is where, as a share of
// the stretch, its polynomial says that it passes, +Inf if nowhere.
func (r *run) foresee(k int) (resolved bool, first float64) {
	var guard [looks]float64
	least, most := math.Inf(1), 0.0
	for i := range guard {
		guard[i] = r.seen[i][k]
		if !finite(guard[i]) {
			return true, math.Inf(1)
		}
		least, most = math.Min(least, math.Abs(guard[i])), math.Max(most, math.Abs(guard[i]))
	}
	rounds := r.model.switched.Rounds(k)
	if least > most-least && !rounds {
		return true, math.Inf(1) // it is farther away than it moves
	}
	off := 0.0
	for _, i := range [...]int{1, 4} {
		fitted := 0.0
		for j, weight := range cubicAt[i] {
			fitted += weight * guard[j]
		}
		off = math.Max(off, math.Abs(fitted-guard[i]))
	}
	if off > wiggle*most && (off*8 > least || rounds) {
		return false, 0
	}
	for i := range quinticAt {
		value := 0.0
		for j, weight := range quinticAt[i] {
			value += weight * guard[j]
		}
		if r.mode(k, value) != r.modes()[k] {
			return true, float64(i+1) / (between + 1)
		}
	}
	return true, math.Inf(1)
}

// cubicAt has the weights of four looks in the cubic through them, at each look; quinticAt those of all at places between.
var (
	cubicAt = func() (weights [looks][looks]float64) {
		for i, share := range lookShares {
			weights[i] = lagrange(share, []int{0, 2, 3, 5})
		}
		return weights
	}()
	quinticAt = func() (weights [between][looks]float64) {
		for i := range weights {
			weights[i] = lagrange(float64(i+1)/(between+1), []int{0, 1, 2, 3, 4, 5})
		}
		return weights
	}()
)

// lagrange gives the weights of some looks in the polynomial through them.
func lagrange(at float64, through []int) (weights [looks]float64) {
	for _, i := range through {
		weights[i] = 1
		for _, j := range through {
			if j != i {
				weights[i] *= (at - lookShares[j]) / (lookShares[i] - lookShares[j])
			}
		}
	}
	return weights
}

// bisect finds where the modes change: they hold at left, and do not at right.
func (r *run) bisect(left, right float64) float64 {
	for {
		middle := left + (right-left)/2
		if middle <= left || middle >= right {
			return right
		}
		if r.method.at(middle, r.state); r.holds(middle, r.state) {
			left = middle
		} else {
			right = middle
		}
	}
}

// passSwitch takes the new modes at the start of the next step.
func (r *run) passSwitch() error {
	s := r.step
	if r.switches++; r.switches%rallies == 0 {
		if s.t-r.rallied < rallyShare*(r.to-r.from) {
			return fmt.Errorf("the equations switch %d times at time = %.6g: they switch there and back; leave a band between switching there and back", rallies, s.t)
		}
		r.rallied = s.t
	}
	r.begins = false
	old := append([]float64{}, r.modes()...)
	r.settle(s.t, s.y0)
	if r.sense != nil {
		r.sense.jump(r, old)
	}
	r.rate(s.t, s.y0, s.rate)
	r.next = math.Max(r.next, 1e3*ulp(s.t)) // what is behind a switch may be quicker, which the next failure shows
	r.before = 1e-4
	return nil
}
