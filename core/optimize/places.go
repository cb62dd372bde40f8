package optimize

import (
	"context"
	"slices"

	"ropebench/core"
)

const (
	mostPlaces   = 4 // other than the best, at which a better design is looked for
	vainAtAPlace = 2 // times, after which it is left alone
)

// betterElsewhere is a promising point at another place: the best of what is known about it, which is to be bettered although it is not
// believed to become better than the best of all. So a place is known by its floor before it is left. Nil where there is none.
func (b *believer) betterElsewhere(ctx context.Context, best trial) ([]float64, error) {
	places := b.otherPlaces(ctx, best)
	for _, t := range places[:min(mostPlaces, len(places))] {
		found, err := b.searchBeliefs(ctx, t, besideBest, 1, Quick)
		if err != nil {
			return nil, err
		}
		if found.Best.Outcome.Values == nil || !b.promises(found.Best.Outcome.Values, t) {
			b.leftAt[key(t.design)]++
			continue
		}
		point, rank := b.space.Point(found.Best.Design), b.Rank(core.Outcome{Values: found.Best.Outcome.Values})
		if !b.hill(ctx, trial{point: point, rank: rank}, best) {
			b.leftAt[key(t.design)] = vainAtAPlace
			continue
		}
		if b.isNew(point) {
			b.expected = wished{point: point, half: 1, best: t, elsewhere: true}
			return point, nil
		}
	}
	return nil, nil
}

const (
	hillSteps = 6 // between two places, at which it is looked for a hill
)

// hill is true where the way from a place to a better one is believed to lead over worse designs: they are two places then (R. K. Ursem,
// Proceedings of the Congress on Evolutionary Computation 3 (1999)).
func (b *believer) hill(ctx context.Context, from, to trial) bool {
	var designs []core.Design
	for k := 1; k < hillSteps; k++ {
		between := slices.Clone(from.point)
		for _, j := range b.axes {
			between[j] += (to.point[j] - from.point[j]) * float64(k) / hillSteps
		}
		designs = append(designs, b.design(between))
	}
	outcomes, _ := predicted{b, len(b.best().outcome.Values)}.Evaluate(ctx, designs)
	return slices.ContainsFunc(outcomes, func(o core.Outcome) bool { return from.rank.Better(b.Rank(o)) })
}

// otherPlaces has the best designs about which no better one is known, without the best of all and those that were left alone; the best first.
func (b *believer) otherPlaces(ctx context.Context, best trial) []trial {
	if len(b.axes) == 0 {
		return nil
	}
	sorted := slices.SortedStableFunc(slices.Values(b.known), byRank)
	var places, all []trial
	for _, t := range sorted {
		if !t.rank.Usable() || slices.ContainsFunc(all, func(p trial) bool { return distance(p.point, t.point) < besideBest }) {
			continue
		}
		if all = append(all, t); b.leftAt[key(t.design)] < vainAtAPlace && b.hill(ctx, t, best) {
			places = append(places, t)
		}
	}
	return places
}
