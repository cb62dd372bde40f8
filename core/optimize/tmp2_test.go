package optimize

import (
	"fmt"
	"math"
	"testing"

	"ropebench/core"
	"ropebench/core/space"
)

func TestTmpDE(t *testing.T) {
	for _, n := range []int{5} {
		p := Problem{Goal: least()}
		for range n {
			p.Space = append(p.Space, space.Input{Lower: -5.12, Upper: 5.12})
		}
		for _, size := range []int{0, 60} {
			method := DifferentialEvolution
			if size == 0 {
				method = CMAES
			}
			good, used := 0, 0
			for seed := range uint64(20) {
				at := 0
				count := 0
				e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
					f := 10 * float64(n)
					for _, v := range x {
						f += v*v - 10*math.Cos(2*math.Pi*v)
					}
					count++
					if f < 1e-4 && at == 0 {
						at = count
					}
					return core.Outcome{Values: []float64{f}}
				})
				populationSize = size
				r, err := method(t.Context(), p, e, Options{Seed: seed + 1, Budget: 30000}, nil)
				if err != nil {
					t.Fatal(err)
				}
				if r.Best.Outcome.Values[0] < 1e-4 {
					good++
				}
				used += at
			}
			fmt.Println(n, size, good, used/max(1, good))
		}
	}
}
