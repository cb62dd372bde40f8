package optimize

import (
	"context"
	"math"
)

const (
	tornLength    = 1e-8 // of a step in the unit cube, below which the curvature of a smooth function cannot be why it was in vain
	tornSlope     = 1e-2 // of the objective over the range, that was promised at least
	strayed       = 1e-3 // of its limit, by which a constraint is missed at least where slopes led away from where all were kept
	tornMesh      = 0.1  // of the first pattern across tears
	leastTornMesh = 1e-4
	crawlSteps    = 8    // after which it is looked at whether a search crawls
	crawlShare    = 30.0 // times as much as those steps have brought promise slopes within lookRadius, where it does
	vainMesh      = 1e-2 // below which a pattern that has found nothing feasible gives way to other starts
)

// torn is true where a short step along slopes that are fresh was to bring much, and brought nothing.
func (d *descent) torn() bool {
	return d.last.length < tornLength && d.last.predicted > tornSlope*d.last.length*d.scale()
}

// crawls is true where steps bring next to nothing of what slopes promise: they cross an edge to and fro.
func (d *descent) crawls(iteration int) bool {
	if iteration%crawlSteps != 0 {
		return false
	}
	aims := d.plainAims()
	before := d.crawledFrom
	d.crawledFrom = d.here
	if before.values == nil || before.rank.Kept() != d.here.rank.Kept() || distance(before.point, d.here.point) > lookRadius {
		return false
	}
	return d.steepness() > narrowShare && d.promised() > crawlShare*math.Max(0, d.merit(before, aims)-d.merit(d.here, aims))
}

// acrossTears goes on where values jump or have edges, and slopes lead nowhere: a pattern looks over the edge, and slopes lead on from what
// it finds, as long as that brings something.
func (k *looker) acrossTears(ctx context.Context, from ending) (ending, error) {
	for from.torn {
		least := leastTornMesh
		if !from.rank.Kept() {
			least = vainMesh
		}
		best, err := k.refine(ctx, from.trial, tornMesh, least, k.rand)
		if !best.rank.Better(from.rank) {
			return from, err
		}
		next := ending{place: k.placed(best)}
		if err == nil {
			next, err = k.descend(ctx, best.point, nil)
		}
		gain := next.rank.Gain(from.rank)
		from = next
		if err != nil || gain < sameValue {
			return from, err
		}
	}
	return from, nil
}
