package optimize

import (
	"fmt"
	"strconv"
	"testing"

	"ropebench/core"
	"ropebench/core/space"
)

func TestTmpR(t *testing.T) {
	for _, digits := range []int{0, 4} {
		p := Problem{Goal: least()}
		var start core.Design
		for i := range 10 {
			p.Space = append(p.Space, space.Input{Lower: -5, Upper: 10})
			start = append(start, []float64{-1.2, 1}[i%2])
		}
		count := 0
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			f := 0.0
			for i := range 9 {
				a, b := x[i+1]-x[i]*x[i], 1-x[i]
				f += 100*a*a + b*b
			}
			count++
			if digits > 0 {
				f, _ = strconv.ParseFloat(strconv.FormatFloat(f, 'e', digits-1, 64), 64)
			}
			return core.Outcome{Values: []float64{f}}
		})
		trace = true
		r, err := TrustRegion(t.Context(), p, e, Options{Seed: 1, Budget: 6000, Start: start}, nil)
		fmt.Println(digits, r.Best.Outcome.Values, r.Reason, err, count)
	}
}
