package optimize

import (
	"math"

	"ropebench/core"
)

// working is the probability that the solver gives values: as it is believed, and less where a design that failed stands nearer than one that
// did not. Where it fails is mostly a region, with an edge that no smooth surface has.
func (b *believer) working(design core.Design) float64 {
	if b.works == nil {
		return 1
	}
	mean, deviation := b.works.Believed(design)
	spread := b.works.Spread()
	believed := normal((mean - b.works.Scaled(0.5)) / min(max(deviation, leastDoubt*spread), mostDoubted*spread))
	point := b.space.Point(design)
	failed, worked := math.Inf(1), math.Inf(1)
	for _, t := range b.known {
		if away := distance(t.point, point); t.rank.Usable() {
			worked = min(worked, away)
		} else {
			failed = min(failed, away)
		}
	}
	if failed >= worked {
		return believed
	}
	return believed * 2 * failed / (failed + worked)
}

// demanded is the probability of working that a design must have, at least so much: the more, the more often designs failed of late that were
// believed to work.
func (b *believer) demanded(least float64) float64 {
	latest := b.known[max(0, len(b.known)-rememberedWorks):]
	failed := 0
	for _, t := range latest {
		if !t.rank.Usable() {
			failed++
		}
	}
	return least + (mostDemanded-least)*float64(failed)/rememberedWorks
}

const (
	rememberedWorks = 10 // of the latest designs
	mostDemanded    = 0.9
)

// normal is the distribution function of the normal distribution.
func normal(x float64) float64 { return math.Erfc(-x/math.Sqrt2) / 2 }
