package optimize

import (
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// An example is a published problem with its best known value, as a plain function of the design.
type example struct {
	name   string
	ranges [][2]float64
	start  []float64
	best   float64
	budget int
	f      func(x core.Design) float64
	limits []core.Limit
	g      func(x core.Design) []float64
}

func atMost(limit float64) core.Limit  { return core.Limit{Lower: math.Inf(-1), Upper: limit} }
func atLeast(limit float64) core.Limit { return core.Limit{Lower: limit, Upper: math.Inf(1)} }

// least is to make the first value least under constraints.
func least(constraints ...core.Constraint) core.Goal {
	return core.Goal{Objectives: []core.Objective{{}}, Constraints: constraints}
}

func (p example) problem() Problem {
	problem := Problem{Goal: least()}
	for _, r := range p.ranges {
		problem.Space = append(problem.Space, space.Input{Lower: r[0], Upper: r[1]})
	}
	for i, limit := range p.limits {
		problem.Constraints = append(problem.Constraints, core.Constraint{Value: i + 1, Limit: limit})
	}
	return problem
}

// evaluator counts the designs it is asked.
func (p example) evaluator(asked *int) core.Evaluator {
	return core.EvaluatorFunc(func(x core.Design) core.Outcome {
		*asked++
		values := []float64{p.f(x)}
		if p.g != nil {
			values = append(values, p.g(x)...)
		}
		for _, v := range values {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				return core.Outcome{State: core.Failed}
			}
		}
		return core.Outcome{Values: values}
	})
}

var publishedProblems = []example{
	{ // L. C. W. Dixon and G. P. Szego (1978)
		name: "branin", ranges: [][2]float64{{-5, 10}, {0, 15}}, start: []float64{2.5, 7.5}, best: 0.39788735772973816, budget: 1200,
		f: func(x core.Design) float64 {
			return math.Pow(x[1]-5.1/(4*math.Pi*math.Pi)*x[0]*x[0]+5/math.Pi*x[0]-6, 2) + 10*(1-1/(8*math.Pi))*math.Cos(x[0]) + 10
		},
	},
	{ // g06, g08, g24: J. J. Liang et al., CEC 2006
		name: "g06", ranges: [][2]float64{{13, 100}, {0, 100}}, start: []float64{20.1, 5.84}, best: -6961.81387558015, budget: 4000,
		f:      func(x core.Design) float64 { return math.Pow(x[0]-10, 3) + math.Pow(x[1]-20, 3) },
		limits: []core.Limit{atLeast(100), atMost(82.81)},
		g: func(x core.Design) []float64 {
			return []float64{math.Pow(x[0]-5, 2) + math.Pow(x[1]-5, 2), math.Pow(x[0]-6, 2) + math.Pow(x[1]-5, 2)}
		},
	},
	{
		name: "g08", ranges: [][2]float64{{1e-4, 10}, {1e-4, 10}}, start: []float64{5, 5}, best: -0.0958250414180359, budget: 2400,
		f: func(x core.Design) float64 {
			return -math.Pow(math.Sin(2*math.Pi*x[0]), 3) * math.Sin(2*math.Pi*x[1]) / (math.Pow(x[0], 3) * (x[0] + x[1]))
		},
		limits: []core.Limit{atMost(0), atMost(0)},
		g: func(x core.Design) []float64 {
			return []float64{x[0]*x[0] - x[1] + 1, 1 - x[0] + math.Pow(x[1]-4, 2)}
		},
	},
	{
		name: "g24", ranges: [][2]float64{{0, 3}, {0, 4}}, start: []float64{1, 1}, best: -5.50801327159536, budget: 3000,
		f:      func(x core.Design) float64 { return -x[0] - x[1] },
		limits: []core.Limit{atMost(2), atMost(36)},
		g: func(x core.Design) []float64 {
			a := x[0]
			return []float64{-2*a*a*a*a + 8*a*a*a - 8*a*a + x[1], -4*a*a*a*a + 32*a*a*a - 88*a*a + 96*a + x[1]}
		},
	},
	{ // J. S. Arora, Introduction to Optimum Design (1989)
		name: "spring", ranges: [][2]float64{{0.05, 2}, {0.25, 1.3}, {2, 15}}, start: []float64{0.1, 0.7, 8}, best: 0.0126652, budget: 6000,
		f:      func(x core.Design) float64 { return (x[2] + 2) * x[1] * x[0] * x[0] },
		limits: []core.Limit{atMost(0), atMost(0), atMost(0), atMost(0)},
		g: func(x core.Design) []float64 {
			d, D, n := x[0], x[1], x[2]
			return []float64{1 - D*D*D*n/(71785*math.Pow(d, 4)), (4*D*D-d*D)/(12566*(D*d*d*d-math.Pow(d, 4))) + 1/(5108*d*d) - 1,
				1 - 140.45*d/(D*D*n), (d+D)/1.5 - 1}
		},
	},
}
