package dynamics

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/formula"
)

func expression(t testing.TB, text string) formula.Expression {
	e, err := formula.Parse(text)
	require.NoError(t, err, text)
	return e
}

// system makes a model over the inputs a and b, from 0 to the given end. Triples are the name of a state, its start and
// its rate; signals are pairs.
func system(t testing.TB, to string, count int, states [][3]string, signals ...[2]string) *Model {
	s := System{Inputs: []string{"a", "b"}, From: expression(t, "0"), To: expression(t, to), Count: count, Relative: 1e-8, Absolute: 1e-10}
	for _, state := range states {
		s.States = append(s.States, State{Name: state[0], Start: expression(t, state[1]), Rate: expression(t, state[2])})
	}
	for _, signal := range signals {
		s.Signals = append(s.Signals, formula.Definition{Name: signal[0], Expression: expression(t, signal[1])})
	}
	m, err := Compile(s)
	require.NoError(t, err)
	return m
}

func TestSolutionsThatAreKnown(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		states  [][3]string
		signals [][2]string
		want    func(t, a, b float64) float64
	}{
		"decay":         {[][3]string{{"x", "b", "-a*x"}}, nil, func(t, a, b float64) float64 { return b * math.Exp(-a*t) }},
		"swing":         {[][3]string{{"x", "b", "v"}, {"v", "0", "-a^2*x"}}, nil, func(t, a, b float64) float64 { return b * math.Cos(a*t) }},
		"pushed":        {[][3]string{{"x", "0", "push"}}, [][2]string{{"push", "a + b*time"}}, func(t, a, b float64) float64 { return a*t + b*t*t/2 }},
		"steps in time": {[][3]string{{"x", "0", "time < 1.2345 ? 1 : -a"}}, nil, func(t, a, _ float64) float64 { return math.Min(t, 1.2345) - a*math.Max(0, t-1.2345) }},
		"a narrow pulse": {[][3]string{{"x", "0", "time > 1.3 and time <= 1.3001 ? 1000 : 0"}}, nil, func(t, _, _ float64) float64 {
			return 1000 * math.Max(0, math.Min(t, 1.3001)-1.3)
		}},
		"stairs": {[][3]string{{"x", "0", "floor(2*time)"}}, nil, func(t, _, _ float64) float64 {
			n := math.Floor(2 * t)
			return n*(n-1)/4 + n*(t-n/2)
		}},
		"kinks": {[][3]string{{"x", "0", "abs(sin(3*time)) + max(0, time - 1) + min(time, 2)"}}, nil, func(t, _, _ float64) float64 {
			n := math.Floor(3 * t / math.Pi)
			return (2*n+1-math.Cos(3*t-n*math.Pi))/3 + math.Pow(math.Max(0, t-1), 2)/2 + math.Pow(math.Min(t, 2), 2)/2 + 2*math.Max(0, t-2)
		}},
	} {
		t.Run(name, func(t *testing.T) {
			const a, b = 0.7, 1.5
			solution, err := system(t, "2.5", 41, c.states, c.signals...).Solve(t.Context(), []float64{a, b})
			require.NoError(t, err)
			require.Len(t, solution.Curves, len(c.states)+len(c.signals))
			x := solution.Curves[0]
			assert.Equal(t, 2.5, x.X[40])
			for i := range x.X {
				assert.InDelta(t, c.want(x.X[i], a, b), x.Y[i], 3e-8, "time %g", x.X[i])
			}
		})
	}
}

func TestASignalIsNotSmeared(t *testing.T) {
	t.Parallel()
	m := system(t, "2", 5, [][3]string{{"x", "0", "push"}}, [2]string{"push", "time >= 1 ? 3 : 0"})
	solution, err := m.Solve(t.Context(), []float64{0, 0})
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 0, 3, 3, 3}, solution.Curves[1].Y)
	assert.Less(t, solution.Steps, 60, "the switch is found, not crept up to")
}

func TestSwitchesThatHangOnStates(t *testing.T) {
	t.Parallel()
	m := system(t, "3", 31, [][3]string{{"x", "0", "x > a ? 2 : 1"}})
	solution, err := m.Differentiate(t.Context(), []float64{0.8, 1}, []int{0})
	require.NoError(t, err)
	assert.InDelta(t, 0.8+2*(3-0.8), solution.Curves[0].Final(), 1e-12)
	assert.InDelta(t, -1, solution.Derivatives[0][0].Y[30], 1e-9, "a later switch costs as much as it is later")
	assert.InDelta(t, 0, solution.Derivatives[0][0].Y[5], 1e-12, "nothing before it")
}

func TestDerivativesAgreeWithDifferences(t *testing.T) {
	t.Parallel()
	m := system(t, "1 + a", 21, [][3]string{{"x", "b^2", "v"}, {"v", "a", "push - 0.3*v - b*x + (v < 0 ? -2*v : 0)"}},
		[2]string{"push", "time < a ? sin(b*time) : a*time"}, [2]string{"energy", "x^2*b + v^2/2"})
	const h = 1e-5
	at := []float64{0.9, 1.4}
	solution, err := m.Differentiate(t.Context(), at, []int{1, 0})
	require.NoError(t, err)
	plain, err := m.Solve(t.Context(), at)
	require.NoError(t, err)
	for k, input := range []int{1, 0} {
		up, down := append([]float64{}, at...), append([]float64{}, at...)
		up[input] += h
		down[input] -= h
		above, err := m.Solve(t.Context(), up)
		require.NoError(t, err)
		below, err := m.Solve(t.Context(), down)
		require.NoError(t, err)
		for c := range solution.Curves {
			for i := range 21 {
				if c == 2 && i == 10 {
					continue // the sample beside the switch of push
				}
				assert.InDelta(t, plain.Curves[c].Y[i], solution.Curves[c].Y[i], 1e-6)
				assert.InDelta(t, (above.Curves[c].Y[i]-below.Curves[c].Y[i])/(2*h), solution.Derivatives[c][k].Y[i], 2e-4, "curve %d, sample %d, input %d", c, i, input)
				assert.InDelta(t, (above.Curves[c].X[i]-below.Curves[c].X[i])/(2*h), solution.Derivatives[c][k].X[i], 1e-9)
			}
		}
	}
}

func TestSolutionsThatHaveNoEnd(t *testing.T) {
	t.Parallel()
	for says, c := range map[string]struct {
		to     string
		states [][3]string
	}{
		"runs away at time = 1:":            {"2", [][3]string{{"x", "1", "x^2"}}},
		"x cannot begin: at time = 0 it is": {"1", [][3]string{{"x", "sqrt(-1)", "0"}}},
		"its rate +Inf":                     {"1", [][3]string{{"x", "0", "1/x"}}},
		"the end must lie behind":           {"0 - a", [][3]string{{"x", "0", "1"}}},
		"they switch there and back":        {"1", [][3]string{{"x", "0", "x > 0 ? -1 : 1"}}},
		"runs away at time = 0.5":           {"1", [][3]string{{"x", "0", "1/(0.5 - time)^2"}}},
	} {
		_, err := system(t, c.to, 11, c.states).Solve(t.Context(), []float64{1, 1})
		assert.ErrorContains(t, err, says)
	}
	_, err := Compile(System{From: expression(t, "0"), To: expression(t, "1"), States: []State{{Name: "x", Start: expression(t, "0"), Rate: expression(t, "y")}}})
	assert.ErrorContains(t, err, "rate of x: y is not known")
}

func TestTheBeginningMayMove(t *testing.T) {
	t.Parallel()
	s := System{Inputs: []string{"a", "b"}, From: expression(t, "a"), To: expression(t, "a + 2"), Count: 5, Relative: 1e-9, Absolute: 1e-11,
		States: []State{{Name: "x", Start: expression(t, "b"), Rate: expression(t, "time - x")}}}
	m, err := Compile(s)
	require.NoError(t, err)
	// x = time - 1 + (b - a + 1) exp(a - time)
	want := func(time, a, b float64) float64 { return time - 1 + (b-a+1)*math.Exp(a-time) }
	const a, b = 0.5, 2.0
	solution, err := m.Differentiate(t.Context(), []float64{a, b}, []int{0, 1})
	require.NoError(t, err)
	for i, time := range solution.Curves[0].X {
		decay := math.Exp(a - time)
		assert.InDelta(t, want(time, a, b), solution.Curves[0].Y[i], 1e-8)
		// The sample moves with a: its time does, and the beginning does; at a fixed delay only time - 1 - a*exp(-delay) changes.
		assert.InDelta(t, 1-decay, solution.Derivatives[0][0].Y[i], 1e-7, "by a, time %g", time)
		assert.InDelta(t, 1, solution.Derivatives[0][0].X[i], 1e-12)
		assert.InDelta(t, decay, solution.Derivatives[0][1].Y[i], 1e-7, "by b")
		assert.Zero(t, solution.Derivatives[0][1].X[i])
	}
}

func TestAFinerAccuracyIsFiner(t *testing.T) {
	t.Parallel()
	worst := func(relative float64) float64 {
		m := system(t, "6", 61, [][3]string{{"x", "b", "v"}, {"v", "0", "-a*sin(x) - 0.1*v"}})
		m.Relative, m.Absolute = relative, relative*1e-2
		solution, err := m.Solve(t.Context(), []float64{4, 1.2})
		require.NoError(t, err)
		m.Relative, m.Absolute = 1e-12, 1e-13
		reference, err := m.Solve(t.Context(), []float64{4, 1.2})
		require.NoError(t, err)
		most := 0.0
		for i, y := range reference.Curves[0].Y {
			most = math.Max(most, math.Abs(solution.Curves[0].Y[i]-y))
		}
		return most
	}
	coarse, middle, fine := worst(1e-4), worst(1e-6), worst(1e-9)
	assert.Less(t, middle, coarse/10)
	assert.Less(t, fine, middle/10)
	assert.Less(t, fine, 1e-7)
}
