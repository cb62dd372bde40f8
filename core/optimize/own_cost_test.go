package optimize

import (
	"math"
	"testing"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// BenchmarkNextDesign is what a search by surrogates takes for the next design of 10 inputs and 5 constraints after 200 evaluations.
func BenchmarkNextDesign(b *testing.B) {
	const inputs, constraints, known = 10, 5, 200
	p := Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}
	for range inputs {
		p.Space = append(p.Space, space.Input{Lower: -1, Upper: 1})
	}
	for c := range constraints {
		p.Constraints = append(p.Constraints, core.Constraint{Value: c + 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0.5}})
	}
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		values := make([]float64, constraints+1)
		for j, u := range x {
			values[0] += u*u + 0.3*math.Cos(3*u)
			for c := range constraints {
				values[c+1] += math.Sin(float64((j+2)*(c+1))) * u * (1 + 0.3*u)
			}
		}
		return core.Outcome{Values: values}
	})
	var o Options
	o.Seed, o.Budget = 1, 10_000
	var known0 []Evaluated
	for _, point := range plan.Draw(plan.NewRand(1), known-1, inputs) {
		x := p.Space.Design(point)
		known0 = append(known0, Evaluated{Design: x, Outcome: e(x)})
	}
	o.Earlier = known0
	s := newSearch(p, e, o, nil, 0)
	search := s.landscape(p, o).believer(p, o)
	if err := search.begin(b.Context()); err != nil {
		b.Fatal(err)
	}
	if err := search.believe(b.Context()); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if err := search.believe(b.Context()); err != nil {
			b.Fatal(err)
		}
		point, _, err := search.wish(b.Context())
		if err != nil || point == nil {
			b.Fatal(point, err)
		}
		if err := search.take(b.Context(), [][]float64{point}); err != nil {
			b.Fatal(err)
		}
	}
}
