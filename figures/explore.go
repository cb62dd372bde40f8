package main

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/published"
	"ropebench/core/sensitivity"
	"ropebench/core/surrogate"
)

const seedsOfFits = 20

// A known function is measured by figures.
type known struct{ published.Function }

// ask evaluates the points of a plan.
func (p known) ask(ctx context.Context, of plan.Plan, seed uint64, n int) (designs []core.Design, y []float64, err error) {
	points, err := plan.All(ctx, of, plan.NewRand(seed), n, make([]int, p.Inputs))
	for _, point := range points {
		designs, y = append(designs, point), append(y, p.Of(point))
	}
	return designs, y, err
}

// indices by the solver itself.
func (p known) indices(ctx context.Context, seed uint64, base int) (sensitivity.Indices, error) {
	of := sensitivity.NewVariancePlan(p.Space(), seed, base)
	next, err := of.Points(ctx)
	if err != nil {
		return sensitivity.Indices{}, err
	}
	values := core.NewMatrix(of.Base(), of.Block())
	for i := range values.Rows {
		block, err := next()
		if err != nil {
			return sensitivity.Indices{}, err
		}
		for k, design := range block {
			values.Row(i)[k] = p.Of(design)
		}
	}
	return of.Indices(values)
}

// reference fills in the indices of a function that has none in closed form.
func (p known) reference(ctx context.Context) (known, error) {
	if p.First != nil {
		return p, nil
	}
	found, err := p.indices(ctx, 4711, 1<<17)
	for j := range found.First {
		p.First, p.Total = append(p.First, found.First[j].Value), append(p.Total, found.Total[j].Value)
	}
	return p, err
}

// worst is the largest distance of indices from those that are known.
func (p known) worst(found sensitivity.Indices) float64 {
	worst := 0.0
	for j := range p.First {
		worst = max(worst, math.Abs(found.First[j].Value-p.First[j]), math.Abs(found.Total[j].Value-p.Total[j]))
	}
	return worst
}

// indicesOfPublished measures indices on the solver and on surrogates against those that are known.
func indicesOfPublished(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	const base, onSolver, onSurface, runs = 1 << 13, 0.01, 0.03, 5
	for _, f := range []published.Function{published.Ishigami(), published.SobolG(), published.Borehole(), published.WingWeight()} {
		p, err := known{f}.reference(ctx)
		if err != nil {
			return nil, err
		}
		worst := 0.0
		for seed := range uint64(runs) {
			found, err := p.indices(ctx, seed+1, base)
			if err != nil {
				return nil, err
			}
			worst = max(worst, p.worst(found))
		}
		figures = append(figures, figure{name: fmt.Sprintf("indices of %s by the solver, 2^13 base points", p.Name), asked: "within 0.01", measured: fmt.Sprintf("%.4f at worst (%d seeds)", worst, runs), reached: worst <= onSolver})
	}
	for _, c := range []struct {
		known
		n int
	}{{known{published.Ishigami()}, 200}, {known{published.Borehole()}, 150}} {
		p, err := c.reference(ctx)
		if err != nil {
			return nil, err
		}
		worst := 0.0
		for seed := range uint64(runs) {
			designs, y, err := p.ask(ctx, plan.MaximinLatinHypercube, seed+1, c.n)
			if err != nil {
				return nil, err
			}
			s, err := surrogate.Fit(ctx, surrogate.Encode(p.Space()), designs, y, surrogate.Options{Seed: seed + 1})
			if err != nil {
				return nil, err
			}
			found, err := sensitivity.OnSurface(ctx, p.Space(), s, s.Q2, seed+1)
			if err != nil {
				return nil, err
			}
			worst = max(worst, p.worst(found))
		}
		figures = append(figures, figure{name: fmt.Sprintf("indices of %s on a surrogate of %d evaluations", p.Name, c.n), asked: "within 0.03", measured: fmt.Sprintf("%.4f at worst (%d seeds)", worst, runs), reached: worst <= onSurface})
	}
	return figures, nil
}

// trueR2 is the share of the variance that a surface predicts at fresh points.
func (p known) trueR2(s *surrogate.Surrogate, n int) float64 {
	var left, total, mean float64
	points := plan.Draw(plan.NewRand(271828), n, p.Inputs)
	values := make([]float64, n)
	for i, point := range points {
		values[i] = p.Of(point)
		mean += values[i] / float64(n)
	}
	for i, point := range points {
		e := values[i] - s.Mean(point)
		left += e * e
		total += (values[i] - mean) * (values[i] - mean)
	}
	return 1 - left/total
}

// honesty measures what Q² says against what comes true at 10,000 fresh points.
func honesty(ctx context.Context, _, _ string) ([]figure, error) {
	fit := func(p known, n int) (said, came []float64, err error) {
		for seed := range uint64(seedsOfFits) {
			designs, y, err := p.ask(ctx, plan.LatinHypercube, seed, n)
			if err != nil {
				return nil, nil, err
			}
			s, err := surrogate.Fit(ctx, surrogate.Encode(p.Space()), designs, y, surrogate.Options{Seed: seed})
			if err != nil {
				return nil, nil, err
			}
			said, came = append(said, s.Q2), append(came, p.trueR2(s, 10_000))
		}
		return said, came, nil
	}
	within := func(said, came []float64, by float64) (n int, worst, mean float64) {
		for k := range said {
			apart := said[k] - came[k]
			mean += apart / float64(len(said))
			worst = max(worst, math.Abs(apart))
			if math.Abs(apart) <= by {
				n++
			}
		}
		return n, worst, mean
	}
	said, came, err := fit(known{published.Borehole()}, 60)
	if err != nil {
		return nil, err
	}
	n, worst, _ := within(said, came, 0.005)
	least := slices.Min(said)
	figures := []figure{
		{name: "Q² of borehole with 60 points against R² at fresh points", asked: "within 0.005, all of 20 seeds", measured: fmt.Sprintf("%d of 20 (%.5f at worst)", n, worst), reached: n == seedsOfFits},
		{name: "Q² of borehole with 60 points", asked: "at least 0.995", measured: fmt.Sprintf("%.5f at least (R² %.5f)", least, slices.Min(came)), reached: least >= 0.995},
	}
	if said, came, err = fit(known{published.Ishigami()}, 150); err != nil {
		return nil, err
	}
	n, worst, mean := within(said, came, 0.08)
	figures = append(figures, figure{name: "Q² of Ishigami with 150 points against R² at fresh points", asked: "within 0.08, 17 of 20 seeds, mean at most 0.03", measured: fmt.Sprintf("%d of 20 (%.3f at worst, mean %.3f)", n, worst, mean), reached: n >= 17 && math.Abs(mean) <= 0.03})
	quiet := 0
	for seed := range uint64(seedsOfFits) {
		r := plan.NewRand(1000 + seed)
		noise := known{published.Function{Inputs: 5, Of: func(core.Design) float64 { return r.NormFloat64() }}}
		designs, y, err := noise.ask(ctx, plan.LatinHypercube, seed, 60)
		if err != nil {
			return nil, err
		}
		s, err := surrogate.Fit(ctx, surrogate.Encode(noise.Space()), designs, y, surrogate.Options{Seed: seed})
		if err != nil {
			return nil, err
		}
		if s.Q2 <= 0.15 {
			quiet++
		}
	}
	return append(figures, figure{name: "Q² of pure noise, 60 points over 5 inputs", asked: "at most 0.15, 19 of 20 seeds", measured: fmt.Sprintf("%d of 20", quiet), reached: quiet >= 19}), nil
}

// roundsOfSampling counts the evaluations until a surface of Ishigami has a true R² of 0.95: in rounds that put their points where the
// surface knows least, five at a time, and by one Latin hypercube that grows by ten.
func roundsOfSampling(ctx context.Context, _, _ string) ([]figure, error) {
	const first, step, ofRound, most, wanted = 50, 10, 5, 400, 0.95
	p := known{published.Ishigami()}
	e := surrogate.Encode(p.Space())
	reach := func(seed uint64, designs []core.Design, y []float64, more func(s *surrogate.Surrogate, n int) ([]core.Design, error)) (float64, error) {
		for {
			s, err := surrogate.Fit(ctx, e, designs, y, surrogate.Options{Seed: seed})
			if err != nil {
				return 0, err
			}
			if p.trueR2(s, 4000) >= wanted || len(y) >= most {
				return float64(len(y)), nil
			}
			next, err := more(s, len(y))
			if err != nil {
				return 0, err
			}
			for _, design := range next {
				designs, y = append(designs, design), append(y, p.Of(design))
			}
		}
	}
	var grown, rounds []float64
	for seed := range uint64(seedsOfFits) {
		stages := []int{first}
		for n := first; n < most; n += step {
			stages = append(stages, step)
		}
		point, err := plan.LatinHypercube(ctx, plan.NewRand(seed), stages, make([]int, p.Inputs))
		if err != nil {
			return nil, err
		}
		take := func(n int) (designs []core.Design, y []float64) {
			for range n {
				u, _ := point() // it is prepared already
				designs, y = append(designs, u), append(y, p.Of(u))
			}
			return designs, y
		}
		designs, y := take(first)
		n, err := reach(seed, designs, y, func(*surrogate.Surrogate, int) ([]core.Design, error) {
			next, _ := take(step)
			return next, nil
		})
		if err != nil {
			return nil, err
		}
		grown = append(grown, n)
		if designs, y, err = p.ask(ctx, plan.MaximinLatinHypercube, seed, first); err != nil {
			return nil, err
		}
		n, err = reach(seed, designs, y, func(s *surrogate.Surrogate, n int) ([]core.Design, error) {
			return surrogate.Next(ctx, plan.NewRand(seed+uint64(n)), []surrogate.Wish{{Surface: s}}, ofRound)
		})
		if err != nil {
			return nil, err
		}
		rounds = append(rounds, n)
	}
	fewer := 1 - median(rounds)/median(grown)
	return []figure{{name: "evaluations until Ishigami is predicted with an R² of 0.95: rounds against a growing Latin hypercube", asked: "at least 15 % fewer (median of 20 seeds)",
		measured: fmt.Sprintf("%.0f %% (%.0f against %.0f)", 100*fewer, median(rounds), median(grown)), reached: fewer >= 0.15}}, nil
}

// speedOfFits measures a Gaussian process against one Cholesky factorization of gonum, in turns, and its predictions.
func speedOfFits(ctx context.Context, _, _ string) ([]figure, error) {
	const n, d, turns = 500, 10, 9
	r := plan.NewRand(1)
	x := core.MatrixOf(plan.Draw(r, n, d))
	y := make([]float64, n)
	for i := range y {
		row := x.Row(i)
		y[i] = math.Sin(3*row[0]) + row[1]*row[2] + 0.5*row[3]*row[3] + 0.01*r.NormFloat64()
	}
	square := mat.NewSymDense(n, nil)
	for i := range n {
		for j := range i + 1 {
			apart := 0.0
			for k := range d {
				apart += (x.Row(i)[k] - x.Row(j)[k]) * (x.Row(i)[k] - x.Row(j)[k])
			}
			square.SetSym(i, j, math.Exp(-apart))
		}
		square.SetSym(i, i, 1.001)
	}
	var factors, likelihoods []float64
	likelihood := surrogate.Likelihood(x, y)
	for range turns {
		var factor mat.Cholesky
		began := time.Now()
		if !factor.Factorize(square) {
			return nil, fmt.Errorf("the matrix cannot be factored")
		}
		factors = append(factors, time.Since(began).Seconds())
		began = time.Now()
		likelihood()
		likelihoods = append(likelihoods, time.Since(began).Seconds())
	}
	one := median(factors)
	began := time.Now()
	if err := surrogate.FitOne(ctx, x, y); err != nil {
		return nil, err
	}
	whole := time.Since(began).Seconds()
	designs := make([]core.Design, 200)
	values := make([]float64, 200)
	for i, point := range plan.Draw(r, 200, 6) {
		designs[i], values[i] = point, math.Sin(3*point[0])*math.Cos(2*point[1])+point[2]*point[3]*point[4]+math.Exp(point[5])
	}
	s, err := surrogate.Fit(ctx, surrogate.Encode(published.Cube(6)), designs, values, surrogate.Options{})
	if err != nil {
		return nil, err
	}
	fresh := plan.Draw(r, 40_000, 6)
	began = time.Now()
	var both sync.WaitGroup
	for core := range 2 {
		both.Go(func() {
			for i := core; i < len(fresh); i += 2 {
				s.Mean(fresh[i])
			}
		})
	}
	both.Wait()
	rate := float64(len(fresh)) / time.Since(began).Seconds()
	return []figure{
		{name: "Gaussian process, 500 points of 10 inputs: a likelihood with its gradient, over one Cholesky of gonum", asked: "at most 6", measured: fmt.Sprintf("%.1f (%.1f and %.1f ms, median of %d)", median(likelihoods)/one, 1000*median(likelihoods), 1000*one, turns), reached: median(likelihoods) <= 6*one},
		{name: "the whole fit with its starts, over one Cholesky", asked: "at most 400", measured: fmt.Sprintf("%.0f (%.1f s)", whole/one, whole), reached: whole <= 400*one},
		{name: fmt.Sprintf("predictions of the mean, 200 points of 6 inputs (%s, over %d of them), 2 cores", s.Method, len(s.Active)), asked: "100,000 a second", measured: fmt.Sprintf("%.0f a second", rate), reached: rate >= 100_000},
	}, nil
}
