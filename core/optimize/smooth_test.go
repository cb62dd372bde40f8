package optimize

import (
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/published"
)

// A smoothModel answers a smooth problem and counts what it is asked: designs, and derivatives.
type smoothModel struct {
	values, slopes *formula.Machine
	inputs, count  int // count: of values
	seen           map[string]bool
	asked, derived int
	objectives     []float64 // of the designs asked, NaN where a limit is missed
	problem        published.Smooth
	costs          []int // asked + derived when each was asked
	round          int   // significant digits; 0: all
}

func newSmoothModel(t testing.TB, s published.Smooth) *smoothModel {
	program, err := s.Program()
	require.NoError(t, err)
	wrt := make([]int, len(s.Start))
	for j := range wrt {
		wrt[j] = j
	}
	return &smoothModel{values: program.NewMachine(), slopes: program.Derivatives(wrt).NewMachine(), inputs: len(s.Start), count: 1 + len(s.AtLeast0) + len(s.Equal0), seen: map[string]bool{}, problem: s}
}

func (m *smoothModel) valuesOf(x core.Design) []float64 {
	in, out := core.MatrixOf([][]float64{x}), core.NewMatrix(1, m.count)
	m.values.Eval(in, out)
	return out.Row(0)
}

func (m *smoothModel) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, x := range designs {
		key := fmt.Sprint([]float64(x))
		values := m.valuesOf(x)
		outcomes[i] = core.Outcome{Values: values, Repeated: m.seen[key]}
		if m.round > 0 {
			for k := range values {
				fmt.Sscan(fmt.Sprintf("%.*g", m.round, values[k]), &values[k])
			}
		}
		if slices.ContainsFunc(values, func(v float64) bool { return math.IsNaN(v) || math.IsInf(v, 0) }) {
			outcomes[i] = core.Outcome{State: core.Failed, Repeated: m.seen[key]}
		}
		if !m.seen[key] {
			m.seen[key] = true
			m.asked++
			objective := math.NaN()
			if m.problem.Goal().Feasible(values) {
				objective = values[0]
			}
			m.objectives, m.costs = append(m.objectives, objective), append(m.costs, m.asked+m.derived)
		}
	}
	return outcomes, nil
}

// toSuccess is what was asked, derivatives included, until the best known value was reached; 0: never.
func (m *smoothModel) toSuccess(tolerance float64) int {
	for i, objective := range m.objectives {
		if m.problem.Reached(objective, tolerance) {
			return m.costs[i]
		}
	}
	return 0
}

// A smoothDerivatives knows the derivatives, too.
type smoothDerivatives struct{ *smoothModel }

func (m smoothDerivatives) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := m.Evaluate(ctx, designs)
	derivatives := make([]core.Derivatives, len(designs))
	for i, x := range designs {
		m.derived++
		derivatives[i] = m.derivativesOf(x)
	}
	return outcomes, derivatives, err
}

func (m *smoothModel) derivativesOf(x core.Design) core.Derivatives {
	in, out := core.MatrixOf([][]float64{x}), core.NewMatrix(1, m.count*(1+m.inputs))
	m.slopes.Eval(in, out)
	d := core.NewMatrix(m.count, m.inputs)
	for k := range m.count {
		copy(d.Row(k), out.Row(0)[m.count+k*m.inputs:])
	}
	return &d
}

// A smoothAhead knows the constraints without asking.
type smoothAhead struct{ *smoothModel }

func (m smoothAhead) Decided() []bool {
	decided := make([]bool, m.count)
	for k := 1; k < m.count; k++ {
		decided[k] = true
	}
	return decided
}

func (m smoothAhead) Look(x core.Design, derivatives bool) ([]float64, core.Derivatives) {
	values := m.valuesOf(x)
	values[0] = math.NaN()
	if !derivatives {
		return values, nil
	}
	return values, m.derivativesOf(x)
}

func TestSmoothTable(t *testing.T) {
	if os.Getenv("TABLE") == "" {
		t.Skip()
	}
	method := Methods[os.Getenv("METHOD")]
	for _, mode := range []string{"exact", "ahead", "differences", "differences ahead"} {
		var costs, totals []int
		solved := 0
		for _, s := range published.SmoothExamples {
			if only := os.Getenv("ONLY"); only != "" && only != s.Name {
				continue
			}
			m := newSmoothModel(t, s)
			var e core.Evaluator = m
			if mode == "exact" || mode == "ahead" {
				e = smoothDerivatives{m}
			}
			p := Problem{Space: s.Space(), Goal: s.Goal()}
			if mode == "ahead" || mode == "differences ahead" {
				p.Ahead = smoothAhead{m}
			}
			watch := func(note string) {
				if os.Getenv("ONLY") != "" {
					fmt.Println(note)
				}
			}
			r, err := method(t.Context(), p, e, Options{Seed: 1, Budget: 400, Start: s.Start}, watch)
			require.NoError(t, err)
			cost := m.toSuccess(1e-5)
			note := ""
			totals = append(totals, m.asked+m.derived)
			if cost == 0 {
				note = "MISSED"
				costs = append(costs, 1000)
			} else {
				solved++
				costs = append(costs, cost)
			}
			got := math.NaN()
			if r.Best.Outcome.Values != nil {
				got = r.Best.Outcome.Values[0]
			}
			if os.Getenv("TABLE") == "all" || note != "" {
				fmt.Printf("%-18s %4s: %4d asked %3d derived, success at %3d  %.8g (%.8g) feasible %v %s %s\n", mode, s.Name, m.asked, m.derived, cost, got, s.Best, r.Best.Rank.Feasible(), note, r.Reason)
			}
		}
		slices.Sort(costs)
		slices.Sort(totals)
		fmt.Printf("== %s: %d of %d solved, quarters %d %d %d, in all %d\n", mode, solved, len(costs), costs[len(costs)/4], costs[len(costs)/2], costs[3*len(costs)/4], totals[len(totals)/2])
	}
}
