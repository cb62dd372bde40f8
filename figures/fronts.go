package main

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"time"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/pareto"
	"ropebench/core/plan"
	"ropebench/study"
)

// A traded problem has two objectives, and a front that is known.
type traded struct {
	name      string
	reference []float64
	front     func() [][]float64
}

const alongFront = 200_000 // points of the true front

// along draws a front over a number from low to high.
func along(low, high float64, at func(float64) (float64, float64)) func() [][]float64 {
	return func() [][]float64 {
		points := make([][]float64, alongFront+1)
		for i := range points {
			f1, f2 := at(low + (high-low)*float64(i)/alongFront)
			points[i] = []float64{f1, f2}
		}
		return points
	}
}

var zdt1 = along(0, 1, func(f float64) (float64, float64) { return f, 1 - math.Sqrt(f) })

var tradedProblems = []traded{
	{name: "zdt1", reference: []float64{1.1, 1.1}, front: zdt1},
	{name: "zdt1_6", reference: []float64{1.1, 1.1}, front: zdt1},
	{name: "zdt3", reference: []float64{1.1, 1.1}, front: along(0, 1, func(f float64) (float64, float64) { return f, 1 - math.Sqrt(f) - f*math.Sin(10*math.Pi*f) })},
	// x = y up to 3, and from there on y = 3
	{name: "bnh", reference: []float64{140, 50}, front: along(0, 5, func(x float64) (float64, float64) {
		y := math.Min(x, 3)
		return 4*x*x + 4*y*y, (x-5)*(x-5) + (y-5)*(y-5)
	})},
	{name: "tnk", reference: []float64{1.2, 1.2}, front: tanaka},
}

// A trading method is to cover a share of the true hypervolume.
type trading struct {
	problem, called string
	method          optimize.Method
	budget          int // 0: that of the study
	asked           float64
}

var tradings = []trading{
	{problem: "zdt1", called: "nsga2", method: optimize.NSGA2, asked: 99},
	{problem: "zdt3", called: "nsga2", method: optimize.NSGA2, asked: 99},
	{problem: "bnh", called: "nsga2", method: optimize.NSGA2, asked: 99},
	{problem: "tnk", called: "nsga2", method: optimize.NSGA2, asked: 99},
	{problem: "zdt1_6", called: "surrogate", method: optimize.Surrogate, asked: 97},
	{problem: "bnh", called: "surrogate", method: optimize.Surrogate, budget: 80, asked: 98},
	{problem: "bnh", called: "epsilon-constraint", method: optimize.EpsilonConstraint, budget: 300, asked: 99.5},
	{problem: "bnh", called: "weighted-sum", method: optimize.WeightedSum, budget: 300, asked: 99.5},
}

// tanaka is the boundary of the first limit, as far as the second is kept.
func tanaka() [][]float64 {
	var points [][]float64
	for i := range alongFront {
		angle := math.Pi / 2 * (float64(i) + 0.5) / alongFront
		radius := math.Sqrt(1 + 0.1*math.Cos(16*(math.Pi/2-angle))) // atan(x1/x2) is measured from the other axis
		x, y := radius*math.Cos(angle), radius*math.Sin(angle)
		if (x-0.5)*(x-0.5)+(y-0.5)*(y-0.5) <= 0.5 {
			points = append(points, []float64{x, y})
		}
	}
	return points
}

// fronts compares what methods for several objectives cover with what the true fronts cover.
func fronts(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, m := range tradings {
		if only := os.Getenv("ONLY"); only != "" && only != m.problem && only != m.called {
			continue
		}
		p := tradedProblems[slices.IndexFunc(tradedProblems, func(p traded) bool { return p.name == m.problem })]
		truth := pareto.Hypervolume(p.front(), p.reference)
		var shares []float64
		for seed := range uint64(seedsAsked()) {
			covered, err := p.covered(ctx, m, seed+1)
			if err != nil {
				return nil, err
			}
			shares = append(shares, 100*covered/truth)
		}
		slices.Sort(shares)
		median := shares[len(shares)/2]
		figures = append(figures, figure{name: m.called + " on " + p.name, asked: fmt.Sprintf("%g %% of the true hypervolume", m.asked), measured: fmt.Sprintf("%.2f %%, %.2f %% at least", median, shares[0]), reached: median >= m.asked})
	}
	for _, size := range []struct {
		objectives int
		most       time.Duration
	}{{2, time.Millisecond}, {3, 20 * time.Millisecond}, {5, 2 * time.Second}} {
		points := sphere(size.objectives)
		began := time.Now()
		pareto.Hypervolume(points, slices.Repeat([]float64{1.1}, size.objectives))
		took := time.Since(began)
		figures = append(figures, figure{name: fmt.Sprintf("hypervolume of %d points of %d objectives", len(points), size.objectives), asked: "under " + size.most.String(), measured: took.String(), reached: took < size.most})
	}
	return figures, nil
}

// sphere has points of which none dominates another.
func sphere(objectives int) [][]float64 {
	r := plan.NewRand(3)
	points := make([][]float64, 500)
	for i := range points {
		p, square := make([]float64, objectives), 0.0
		for k := range p {
			p[k] = math.Abs(r.NormFloat64())
			square += p[k] * p[k]
		}
		for k := range p {
			p[k] = 1 - p[k]/math.Sqrt(square)
		}
		points[i] = p
	}
	return points
}

// covered is the hypervolume of all feasible designs that a search has asked for.
func (p traded) covered(ctx context.Context, m trading, seed uint64) (float64, error) {
	b, _, err := problem(p.name)
	if err != nil {
		return 0, err
	}
	asked, e, err := evaluator(b, study.Question{Study: "best", Seed: seed})
	if err != nil {
		return 0, err
	}
	most := cmp.Or(m.budget, asked.Study.Budget.Evaluations)
	kept := &archive{Evaluator: e, asked: asked, most: most}
	var over core.Evaluator = kept
	if inner, differentiates := e.(core.Differentiator); differentiates && (m.called == "epsilon-constraint" || m.called == "weighted-sum") {
		over = slopedArchive{kept, inner}
	}
	if _, err := m.method(ctx, asked.Problem.Problem, over, optimize.Options{Seed: seed, Budget: most}, nil); err != nil {
		return 0, err
	}
	return pareto.Hypervolume(kept.points, p.reference), nil
}

// An archive keeps the objectives of feasible designs, until so many evaluations and derivatives were asked.
type archive struct {
	core.Evaluator
	asked  *study.Asked
	points [][]float64
	spent  int
	most   int
}

func (a *archive) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := a.Evaluator.Evaluate(ctx, designs)
	a.keep(outcomes, 0)
	return outcomes, err
}

func (a *archive) keep(outcomes []core.Outcome, derivatives int) {
	for _, o := range outcomes {
		if a.spent += derivatives; !o.Repeated {
			a.spent++
		}
		if a.spent > a.most || o.State != core.OK || !a.asked.Problem.Feasible(o.Values) {
			continue
		}
		var point []float64
		for _, objective := range a.asked.Problem.Objectives {
			point = append(point, objective.Least(o.Values))
		}
		a.points = append(a.points, point)
	}
}

// A slopedArchive counts derivatives as evaluations.
type slopedArchive struct {
	*archive
	inner core.Differentiator
}

func (a slopedArchive) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives, err := a.inner.Differentiate(ctx, designs)
	a.keep(outcomes, 1)
	return outcomes, derivatives, err
}
