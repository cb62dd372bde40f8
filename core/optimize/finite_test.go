package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// A randomProblem is small, and of a kind that gives searches trouble: contradictions, gradients that vanish, kinks, stairs, limits that are
// met at a point alone.
type randomProblem struct {
	Problem
	start core.Design
	f     []func(x core.Design) float64 // one for each value
	steps float64                       // of which values are multiples; 0: they are exact
	fails func(x core.Design) bool      // nil: nowhere
}

func randomFunction(r *rand.Rand, n int) func(x core.Design) float64 {
	a, c := make([]float64, n), make([]float64, n)
	for j := range n {
		a[j], c[j] = math.Round(4*(2*r.Float64()-1)), math.Round(2*(2*r.Float64()-1))
	}
	sum := func(x core.Design, of func(a, d float64) float64) float64 {
		total := 0.0
		for j := range n {
			total += of(a[j], x[j]-c[j])
		}
		return total
	}
	switch r.IntN(9) {
	case 0:
		return func(x core.Design) float64 { return sum(x, func(a, d float64) float64 { return a * d }) }
	case 1:
		return func(x core.Design) float64 { return sum(x, func(_, d float64) float64 { return d * d }) }
	case 2:
		return func(x core.Design) float64 { return sum(x, func(a, d float64) float64 { return a * d * d * d }) }
	case 3:
		return func(x core.Design) float64 { return sum(x, func(a, d float64) float64 { return math.Abs(a * d) }) }
	case 4:
		return func(x core.Design) float64 {
			product := 1.0
			for j := range n {
				product *= x[j] - c[j]
			}
			return product
		}
	case 5:
		return func(x core.Design) float64 {
			return math.Exp(math.Min(50, sum(x, func(a, d float64) float64 { return a * d })))
		}
	case 6:
		return func(core.Design) float64 { return c[0] }
	case 7:
		return func(x core.Design) float64 { return 1 / (1e-3 + sum(x, func(_, d float64) float64 { return d * d })) }
	}
	return func(x core.Design) float64 { return sum(x, func(a, d float64) float64 { return math.Sin(a * d) }) }
}

func newRandomProblem(seed uint64) randomProblem {
	r := plan.NewRand(seed)
	n := 1 + r.IntN(3)
	var p randomProblem
	for j := range n {
		in := space.Input{Name: fmt.Sprint("x", j), Lower: -5, Upper: 5}
		if r.IntN(6) == 0 {
			in.Step = 0.5
		}
		p.Space = append(p.Space, in)
		p.start = append(p.start, in.Value(r.Float64()))
		if r.IntN(3) == 0 {
			p.start[j] = 0
		}
	}
	values := 1 + r.IntN(4)
	for range values {
		p.f = append(p.f, randomFunction(r, n))
	}
	if r.IntN(6) > 0 {
		p.Objectives = []core.Objective{{Maximize: r.IntN(2) == 0}}
	}
	for i := 1; i < values; i++ {
		at := math.Round(6 * (2*r.Float64() - 1))
		c := core.Constraint{Value: i, Limit: [...]core.Limit{atMost(at), atLeast(at), {Lower: at, Upper: at + 1}, {Lower: at - 1e-4, Upper: at + 1e-4}}[r.IntN(4)]}
		c.Equal = c.Limit.Upper-c.Limit.Lower < 0.1
		p.Constraints = append(p.Constraints, c)
	}
	if r.IntN(8) == 0 {
		p.Objectives, p.Targets = nil, []core.Target{{Value: 0, To: 1, Weight: 1}, {Value: values - 1, To: -2, Weight: 2}}
	}
	switch r.IntN(5) {
	case 0:
		p.steps = 0.05
	case 1:
		p.steps = 1e-4
	}
	if r.IntN(4) == 0 {
		centre := r.Float64()*6 - 3
		p.fails = func(x core.Design) bool { return math.Abs(x[0]-centre) < 0.5 }
	}
	return p
}

func (p randomProblem) outcome(x core.Design) core.Outcome {
	if p.fails != nil && p.fails(x) {
		return core.Outcome{State: core.Failed}
	}
	values := p.values(x)
	for i := range values {
		if p.steps > 0 {
			values[i] = math.Round(values[i]/p.steps) * p.steps
		}
	}
	return core.Outcome{Values: values}
}

func (p randomProblem) values(x core.Design) []float64 {
	values := make([]float64, len(p.f))
	for i, f := range p.f {
		values[i] = f(x)
	}
	return values
}

// guarded fails the test where a design is asked that no solver can be asked.
type guarded struct {
	randomProblem
	t     *testing.T
	name  string
	known map[string]bool
}

func (g guarded) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, x := range designs {
		for j, in := range g.Space {
			if !(x[j] >= in.Lower && x[j] <= in.Upper) {
				assert.Fail(g.t, "asked what no solver can be asked", "%s: %v", g.name, x)
			}
		}
		outcomes[i] = g.outcome(x)
		outcomes[i].Repeated = g.known[key(x)]
		g.known[key(x)] = true
	}
	return outcomes, nil
}

// No method asks for a design that is not finite or lies outside of its ranges, and none breaks, whatever the problem.
func TestNoPointLeavesAMethodThatIsNotFinite(t *testing.T) {
	t.Parallel()
	first, count := problemsAsked(150)
	names := []string{"auto", "sqp", "multi-start", "trust-region", "nelder-mead", "pattern", "cma-es", "differential-evolution", "levenberg-marquardt", "surrogate"}
	for seed := first; seed < first+count; seed++ {
		p := newRandomProblem(uint64(seed))
		for i, name := range names {
			if name == "levenberg-marquardt" && p.Targets == nil || name == "surrogate" && seed%10 != 0 || Unsuited(name, p.Space) != "" {
				continue
			}
			o := Options{Seed: uint64(seed), Budget: 40 + 40*(seed%4), Start: p.start, Tolerance: 1e-4}
			if name == "surrogate" {
				o.Budget = 20
			}
			g := guarded{randomProblem: p, t: t, name: fmt.Sprintf("%s, problem %d", name, seed), known: map[string]bool{}}
			var e core.Evaluator = g
			if (seed+i)%2 == 0 {
				e = withDerivatives{Evaluator: g, rows: central(p.values, 1e-6)}
			}
			r, err := Methods[name](t.Context(), p.Problem, e, o, nil)
			assert.NoError(t, err, g.name)
			assert.LessOrEqual(t, r.Used, o.Budget, g.name)
			var aside core.Evaluator
			if seed%3 == 0 {
				aside = core.EvaluatorFunc(p.outcome) // which is asked beyond ranges, too
			}
			_, err = Explain(t.Context(), p.Problem, e, aside, r)
			assert.NoError(t, err, g.name)
		}
	}
}
