package optimize

import (
	"context"
	"math"
	"testing"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

func tenInputs() Problem {
	p := Problem{Goal: least()}
	for range 10 {
		p.Space = append(p.Space, space.Input{Lower: -5, Upper: 5})
	}
	return p
}

func rosenbrock(x core.Design) core.Outcome {
	sum := 0.0
	for i := range len(x) - 1 {
		sum += 100*math.Pow(x[i+1]-x[i]*x[i], 2) + math.Pow(1-x[i], 2)
	}
	return core.Outcome{Values: []float64{sum}}
}

func benchmarkMethod(b *testing.B, method Method) {
	_, err := method(b.Context(), tenInputs(), core.EvaluatorFunc(rosenbrock), Options{Seed: 1, Budget: b.N + 1}, nil)
	if err != nil {
		b.Fatal(err)
	}
}

func BenchmarkDifferentialEvolution(b *testing.B) { benchmarkMethod(b, DifferentialEvolution) }
func BenchmarkCMAES(b *testing.B)                 { benchmarkMethod(b, CMAES) }

// thirty is a problem with thirty inputs and thirty ellipsoids that the solver decides, with its derivatives.
type thirty struct{ core.Evaluator }

func (thirty) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, x := range designs {
		values := make([]float64, 31)
		for j, u := range x {
			values[0] += math.Pow(u-1-float64(j%3), 4)
			for k := range 30 {
				values[1+k] += float64(1+(j*k)%7) * (u - float64(k%5)/10) * (u - float64(k%5)/10)
			}
		}
		outcomes[i].Values = values
	}
	return outcomes, nil
}

func (t thirty) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := t.Evaluate(ctx, designs)
	derivatives := make([]core.Derivatives, len(designs))
	for i, x := range designs {
		d := core.NewMatrix(31, 30)
		for j, u := range x {
			d.Row(0)[j] = 4 * math.Pow(u-1-float64(j%3), 3)
			for k := range 30 {
				d.Row(1 + k)[j] = 2 * float64(1+(j*k)%7) * (u - float64(k%5)/10)
			}
		}
		derivatives[i] = &d
	}
	return outcomes, derivatives, err
}

// BenchmarkStep is a step of SQP with thirty inputs and thirty constraints that the solver decides.
func BenchmarkStep(b *testing.B) {
	p := Problem{Goal: least()}
	for k := range 30 {
		p.Space = append(p.Space, space.Input{Lower: -3, Upper: 3})
		p.Constraints = append(p.Constraints, core.Constraint{Value: 1 + k, Limit: atMost(20 + float64(k))})
	}
	steps := 0
	for b.Loop() {
		s := newSearch(p, thirty{}, Options{Budget: 500}, nil, 0)
		end, err := s.landscape(p, Options{}).descend(b.Context(), plan.Draw(plan.NewRand(1), 1, 30)[0], nil)
		if err != nil || !end.converged {
			b.Fatal(err, end.converged)
		}
		steps += end.iterations
	}
	b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(steps), "us/step")
}
