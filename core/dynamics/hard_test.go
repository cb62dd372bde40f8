package dynamics

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// marched solves by a classical method of order 4 on the formulas as they are, in so many even steps.
func marched(m *Model, inputs []float64, steps int) []float64 {
	n := len(m.States)
	frame := make([]float64, m.frame.Results())
	m.frame.NewMachine().One(inputs, frame)
	machine, out := m.motion.NewMachine(), make([]float64, m.motion.Results())
	row := append(make([]float64, 1+n), inputs...)
	rate := func(t float64, y []float64) []float64 {
		row[0] = t
		copy(row[1:], y)
		machine.One(row, out)
		return append([]float64{}, out[len(m.Signals):]...)
	}
	along := func(y, k []float64, h float64) []float64 {
		moved := make([]float64, n)
		for i := range moved {
			moved[i] = y[i] + h*k[i]
		}
		return moved
	}
	y, h := append([]float64{}, frame[2:]...), (frame[1]-frame[0])/float64(steps)
	for s := range steps {
		t := frame[0] + h*float64(s)
		k1 := rate(t, y)
		k2 := rate(t+h/2, along(y, k1, h/2))
		k3 := rate(t+h/2, along(y, k2, h/2))
		k4 := rate(t+h, along(y, k3, h))
		for i := range y {
			y[i] += h / 6 * (k1[i] + 2*k2[i] + 2*k3[i] + k4[i])
		}
	}
	return y
}

func TestFunctionsThatProtectThemselves(t *testing.T) {
	t.Parallel()
	for name, states := range map[string][][3]string{
		"a tank that runs empty":     {{"x", "1", "-a*sqrt(max(x, 0))"}},
		"the same with a choice":     {{"x", "1", "x > 0 ? -a*sqrt(x) : 0"}},
		"a contact":                  {{"x", "0.5", "v"}, {"v", "0", "-9.81 + 2e4*max(-x, 0)^1.5 - 0.5*v"}},
		"a drag with a broken power": {{"x", "1", "v"}, {"v", "0", "-9*x - b*v*abs(v)^0.75"}},
		"a filling from nothing":     {{"x", "0", "1 - sqrt(max(x, 0))"}},
		"a logarithm kept away":      {{"x", "0.2", "x > 0.1 ? log(x - 0.1) : -1"}},
		"a valve on two conditions":  {{"x", "1", "x > 0.2 and sqrt(max(x - 0.2, 0)) < 2 ? -sqrt(x - 0.2 + 0.01) : -0.1*x"}},
	} {
		t.Run(name, func(t *testing.T) {
			m := system(t, "4", 3, states)
			inputs := []float64{0.9, 0.6}
			solution, err := m.Solve(t.Context(), inputs)
			require.NoError(t, err)
			for i, want := range marched(m, inputs, 400_000) {
				assert.InDelta(t, want, solution.Curves[i].Final(), 1e-5, "state %d", i)
			}
			assert.Less(t, solution.Steps, 3000)
		})
	}
}

func TestShortPulsesAreSeen(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		states [][3]string
		want   float64 // at 100
	}{
		"a bell":             {[][3]string{{"x", "0", "exp(-10*(time - 50)^2)"}}, math.Sqrt(math.Pi / 10)},
		"a narrow bell":      {[][3]string{{"x", "0", "exp(-100*(time - 37.3)^2)"}}, math.Sqrt(math.Pi / 100)},
		"a bell on a swing":  {[][3]string{{"x", "0", "v"}, {"v", "0", "exp(-10*(time - 50)^2) - x"}}, math.Sqrt(math.Pi/10) * math.Exp(-1./40) * math.Sin(50)},
		"a hat":              {[][3]string{{"x", "0", "max(0, 1 - 5*abs(time - 61.7))"}}, 0.2},
		"a hat and its fall": {[][3]string{{"x", "0", "max(0, 1 - (10*(time - 20.01))^2) - max(0, 1 - (10*(time - 80.01))^2)"}}, 0},
	} {
		t.Run(name, func(t *testing.T) {
			for _, count := range []int{2, 11, 101} {
				solution, err := system(t, "100", count, c.states).Solve(t.Context(), []float64{0, 0})
				require.NoError(t, err)
				assert.InDelta(t, c.want, solution.Curves[0].Final(), 1e-7, "%d samples", count)
			}
		})
	}
}

func TestNoSwitchIsOverlooked(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		to     string
		states [][3]string
		want   float64
	}{
		"a fast square wave":  {"10", [][3]string{{"x", "0", "sin(2*pi*100*time) > 0"}}, 5},
		"one that gets fast":  {"3", [][3]string{{"x", "0", "sin(2*pi*8^time) > 0.5 ? 1 : 0"}}, 1.032},
		"a graze":             {"10", [][3]string{{"x", "0", "v"}, {"v", "1", "-x"}, {"n", "0", "x > 0.9999 ? 1 : 0"}}, 0},
		"a saw of remainders": {"10", [][3]string{{"x", "0", "7*time - floor(7*time)"}}, 5},
	} {
		t.Run(name, func(t *testing.T) {
			m := system(t, c.to, 2, c.states)
			solution, err := m.Solve(t.Context(), []float64{0, 0})
			require.NoError(t, err)
			for i, want := range marched(m, []float64{0, 0}, 1_000_000) {
				assert.InDelta(t, want, solution.Curves[i].Final(), 5e-5, "state %d", i)
			}
		})
	}
	solution, err := system(t, "10", 2, [][3]string{{"x", "0", "sin(2*pi*100*time) > 0"}}).Solve(t.Context(), []float64{0, 0})
	require.NoError(t, err)
	assert.InDelta(t, 5, solution.Curves[0].Final(), 1e-8)
}

func TestSwitchesAtOneTimeMoveByThemselves(t *testing.T) {
	t.Parallel()
	m := system(t, "3", 4, [][3]string{{"x", "0", "(time > a ? 1 : 0) + (time > b ? 2 : 0)"}, {"y", "0", "(time > a ? 5 : 1)*(time > a*a ? 1 : 2)"}})
	solution, err := m.Differentiate(t.Context(), []float64{1, 1}, []int{0, 1})
	require.NoError(t, err)
	assert.InDelta(t, 6, solution.Curves[0].Final(), 1e-9)
	assert.InDelta(t, -1, solution.Derivatives[0][0].Y[3], 1e-9)
	assert.InDelta(t, -2, solution.Derivatives[0][1].Y[3], 1e-9)

	nested := system(t, "3", 4, [][3]string{{"x", "0", "level > 2 ? 7 : 3"}}, [2]string{"level", "time > a ? 5 : b"})
	solution, err = nested.Differentiate(t.Context(), []float64{1, 1}, []int{0, 1})
	require.NoError(t, err)
	assert.InDelta(t, 3+14, solution.Curves[0].Final(), 1e-9)
	assert.InDelta(t, -4, solution.Derivatives[0][0].Y[3], 1e-9, "the second switch comes with the first")
	assert.InDelta(t, 0, solution.Derivatives[0][1].Y[3], 1e-9)
}

func TestStiffEquations(t *testing.T) {
	t.Parallel()
	robertson := [][3]string{{"x", "1", "-0.04*x + 1e4*y*z"}, {"y", "0", "0.04*x - 1e4*y*z - 3e7*y^2"}, {"z", "0", "3e7*y^2"}}
	solution, err := system(t, "40", 2, robertson).Solve(t.Context(), []float64{0, 0})
	require.NoError(t, err)
	for i, want := range []float64{0.7158270687, 9.185534765e-6, 0.2841637457} { // Hairer and Wanner, section IV.10
		assert.InEpsilon(t, want, solution.Curves[i].Final(), 1e-6)
	}
	assert.Less(t, solution.Steps, 2000)

	for name, c := range map[string]struct {
		to     string
		states [][3]string
		want   func(t float64) float64
		steps  int
	}{
		"a spring that follows":    {"1000", [][3]string{{"x", "0", "-1e6*(x - cos(time))"}}, math.Cos, 20_000},
		"stiff for a while":        {"30", [][3]string{{"x", "1", "time < 0.1 ? -1e5*(x - 1) : -0.2*x"}}, func(t float64) float64 { return math.Exp(-0.2 * (t - 0.1)) }, 1000},
		"stiff and switched":       {"10", [][3]string{{"x", "0", "-1e5*(x - (time > 4 ? 2 : 1))"}}, func(t float64) float64 { return 2 }, 2000},
		"stiff after a quiet time": {"40", [][3]string{{"x", "1", "time > 20 ? -1e5*(x - 3) : -x"}}, func(t float64) float64 { return 3 }, 2000},
	} {
		t.Run(name, func(t *testing.T) {
			solution, err := system(t, c.to, 21, c.states).Solve(t.Context(), []float64{0, 0})
			require.NoError(t, err)
			x := solution.Curves[0]
			for i := range x.X {
				if i > 0 && (i > 12 || name != "stiff and switched" && name != "stiff after a quiet time") {
					assert.InDelta(t, c.want(x.X[i]), x.Y[i], 2e-6, "time %g", x.X[i])
				}
			}
			assert.Less(t, solution.Steps, c.steps)
		})
	}
}

func TestStiffSensitivities(t *testing.T) {
	t.Parallel()
	m := system(t, "5", 11, [][3]string{{"x", "a", "-1e5*(1 + a)*(x - z^2)"}, {"z", "b", "-a*z + (time > b ? 1 : 0)"}})
	const h = 1e-5
	at := []float64{0.8, 1.3}
	solution, err := m.Differentiate(t.Context(), at, []int{0, 1})
	require.NoError(t, err)
	assert.Less(t, solution.Steps, 2000)
	for k := range at {
		up, down := append([]float64{}, at...), append([]float64{}, at...)
		up[k] += h
		down[k] -= h
		above, err := m.Solve(t.Context(), up)
		require.NoError(t, err)
		below, err := m.Solve(t.Context(), down)
		require.NoError(t, err)
		for c := range solution.Curves {
			for i := range solution.Curves[c].Y {
				assert.InDelta(t, (above.Curves[c].Y[i]-below.Curves[c].Y[i])/(2*h), solution.Derivatives[c][k].Y[i], 1e-3, "curve %d, sample %d, input %d", c, i, k)
			}
		}
	}
}

func TestASolutionThatIsNotWantedEnds(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := system(t, "1e6", 2, [][3]string{{"x", "0", "v"}, {"v", "1", "-x"}}).Solve(ctx, []float64{1, 1})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestWhatIsNotDifferentiableIsSaid(t *testing.T) {
	t.Parallel()
	m := system(t, "1", 3, [][3]string{{"x", "0", "a*sqrt(x) + 1"}})
	_, err := m.Solve(t.Context(), []float64{1, 1})
	require.NoError(t, err)
	_, err = m.Differentiate(t.Context(), []float64{1, 1}, []int{0})
	require.ErrorIs(t, err, ErrNotDifferentiable)
	assert.ErrorContains(t, err, "at time = 0: the rate of x has no finite derivative there")
}
