package sensitivity

import (
	"context"
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// A Surface predicts an output, and knows how well: by the share Q2 of the variance that it predicts at points that it was not fitted to,
// and by surfaces that were fitted without a part of the points each.
type Surface interface {
	Mean(core.Design) float64
	Parts() int
	PartMean(part int, design core.Design) float64
}

// Base points on surfaces.
const (
	baseOfSurface = 1 << 13
	baseOfPart    = 1 << 9
)

// OnSurface estimates the indices on a surface that predicts a share q2 of the variance. The limits include what the plan leaves open, how the indices
// move when a part of the points is left out (the jackknife: B. Efron, The Annals of Statistics 9 (1981)), and that the share of the variance that is
// not predicted may belong to any input or to none.
func OnSurface(ctx context.Context, s space.Space, surface Surface, q2 float64, seed uint64) (Indices, error) {
	found, err := indicesOf(ctx, s, surface.Mean, seed, baseOfSurface)
	if err != nil {
		return found, err
	}
	parts := make([]Indices, surface.Parts())
	for k := range parts {
		if parts[k], err = indicesOf(ctx, s, func(d core.Design) float64 { return surface.PartMean(k, d) }, seed, baseOfPart); err != nil {
			return found, err
		}
	}
	known := min(1, max(0, q2))
	for j := range found.First {
		found.First[j].doubt(known, parts, func(i Indices) float64 { return i.First[j].Value })
		found.Total[j].doubt(known, parts, func(i Indices) float64 { return i.Total[j].Value })
	}
	return found, nil
}

func indicesOf(ctx context.Context, s space.Space, f func(core.Design) float64, seed uint64, base int) (Indices, error) {
	p := NewVariancePlan(s, seed, base)
	next, err := p.Points(ctx)
	if err != nil {
		return Indices{}, err
	}
	values := core.NewMatrix(base, p.Block())
	for i := range base {
		if err := ctx.Err(); err != nil {
			return Indices{}, err
		}
		block, err := next()
		if err != nil {
			return Indices{}, err
		}
		for k, design := range block {
			values.Row(i)[k] = f(design)
		}
	}
	return p.Indices(values)
}

// doubt widens the limits of an index of a surface.
func (e *Estimate) doubt(known float64, parts []Indices, of func(Indices) float64) {
	half := (e.To - e.From) / 2
	if n := float64(len(parts)); n > 1 {
		mean, square := 0.0, 0.0
		for _, part := range parts {
			mean += of(part) / n
		}
		for _, part := range parts {
			square += (of(part) - mean) * (of(part) - mean)
		}
		half = math.Hypot(half, normal95*math.Sqrt(square*(n-1)/n))
	}
	e.Value = min(1, max(0, e.Value)) // beyond is the error of the plan
	e.From = max(0, e.Value-half) * known
	e.To = min(1, min(1, e.Value+half)*known+1-known)
}
