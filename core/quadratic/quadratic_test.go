package quadratic

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func square(n int, of func(i, j int) float64) [][]float64 {
	m := make([][]float64, n)
	for i := range m {
		m[i] = make([]float64, n)
		for j := range m[i] {
			m[i][j] = of(i, j)
		}
	}
	return m
}

var open = math.Inf(1)

func TestKnownPrograms(t *testing.T) {
	t.Parallel()
	identity := square(2, func(i, j int) float64 { return map[bool]float64{true: 1}[i == j] })
	for name, c := range map[string]struct {
		p          Program
		point      []float64
		rows       []float64
		violations []float64
	}{
		"inside":   {Program{Hessian: identity, Gradient: []float64{-1, -2}, Lower: []float64{-5, -5}, Upper: []float64{5, 5}}, []float64{1, 2}, []float64{}, []float64{}},
		"at a row": {Program{Hessian: identity, Gradient: []float64{-1, -2}, Lower: []float64{-5, -5}, Upper: []float64{5, 5}, Rows: []Row{{Of: []float64{1, 1}, Lower: -open, Upper: 1, Price: 100}}}, []float64{0, 1}, []float64{-1}, []float64{0}},
		"equation": {Program{Hessian: identity, Gradient: []float64{0, 0}, Lower: []float64{-5, -5}, Upper: []float64{5, 5}, Rows: []Row{{Of: []float64{2, 0}, Lower: 3, Upper: 3, Price: 100}}}, []float64{1.5, 0}, []float64{0.75}, []float64{0}},
		"cheap":    {Program{Hessian: identity, Gradient: []float64{0, 0}, Lower: []float64{-5, -5}, Upper: []float64{5, 5}, Rows: []Row{{Of: []float64{1, 0}, Lower: 3, Upper: open, Price: 2}}}, []float64{2, 0}, []float64{2}, []float64{1}},
		"linear": {Program{Hessian: square(2, func(i, j int) float64 { return 0 }), Gradient: []float64{-3, -2}, Lower: []float64{0, 0}, Upper: []float64{10, 10}, Rows: []Row{
			{Of: []float64{1, 1}, Lower: -open, Upper: 4, Price: 1e3}, {Of: []float64{1, 3}, Lower: -open, Upper: 6, Price: 1e3}}}, []float64{4, 0}, []float64{-3, 0}, []float64{0, 0}},
		"contradiction": {Program{Hessian: identity, Gradient: []float64{0, 0}, Lower: []float64{-5, -5}, Upper: []float64{5, 5}, Rows: []Row{
			{Of: []float64{1, 0}, Lower: 2, Upper: open, Price: 10}, {Of: []float64{1, 0}, Lower: -open, Upper: 1, Price: 30}}}, []float64{1, 0}, []float64{10, -9}, []float64{1, 0}},
		"no room": {Program{Hessian: identity, Gradient: []float64{-1, -2}, Lower: []float64{3, -5}, Upper: []float64{3, 5}}, []float64{3, 2}, []float64{}, []float64{}},
	} {
		s := Solve(c.p)
		assert.InDeltaSlice(t, c.point, s.Point, 1e-9, name)
		assert.InDeltaSlice(t, c.rows, s.Rows, 1e-7, name)
		assert.InDeltaSlice(t, c.violations, s.Violations, 1e-9, name)
	}
}

func TestABoundIsMetExactly(t *testing.T) {
	t.Parallel()
	s := Solve(Program{Hessian: square(1, func(int, int) float64 { return 1 }), Gradient: []float64{-7}, Lower: []float64{0.1}, Upper: []float64{0.3}})
	assert.Equal(t, 0.3, s.Point[0])
	assert.InDelta(t, -6.7, s.Bounds[0], 1e-9)
}

// No point that is drawn is better than the one that is found, and its conditions of the first order hold.
func TestNoPointIsBetter(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		p := draw(r, 1+r.IntN(6), r.IntN(6))
		s := Solve(p)
		best := cost(p, s.Point)
		for range 200 {
			other := make([]float64, len(s.Point))
			for i := range other {
				other[i] = p.Lower[i] + r.Float64()*(p.Upper[i]-p.Lower[i])
				if r.IntN(2) == 0 {
					other[i] = math.Min(p.Upper[i], math.Max(p.Lower[i], s.Point[i]+1e-3*r.NormFloat64()))
				}
			}
			assert.LessOrEqual(t, best, cost(p, other)+1e-8*(1+math.Abs(best)))
		}
		for i := range s.Point {
			pull := p.Gradient[i] + dot(p.Hessian[i], s.Point) - s.Bounds[i]
			for j, row := range p.Rows {
				pull -= s.Rows[j] * row.Of[i]
			}
			assert.InDelta(t, 0, pull, 1e-5*(1+math.Abs(p.Gradient[i])))
		}
	}
}

func draw(r *rand.Rand, n, rows int) Program {
	root := square(n, func(int, int) float64 { return r.NormFloat64() })
	rank := 1 + r.IntN(n)
	p := Program{Hessian: square(n, func(i, j int) float64 { return dot(root[i][:rank], root[j][:rank]) })}
	for range n {
		p.Gradient, p.Lower, p.Upper = append(p.Gradient, 3*r.NormFloat64()), append(p.Lower, -r.Float64()), append(p.Upper, r.Float64())
	}
	for range rows {
		row := Row{Lower: -open, Upper: open, Price: math.Exp(3 * r.NormFloat64())}
		for range n {
			row.Of = append(row.Of, r.NormFloat64())
		}
		switch r.IntN(3) {
		case 0:
			row.Lower = 0.5 * r.NormFloat64()
		case 1:
			row.Upper = 0.5 * r.NormFloat64()
		default:
			row.Lower = 0.5 * r.NormFloat64()
			row.Upper = row.Lower
		}
		p.Rows = append(p.Rows, row)
	}
	return p
}

func cost(p Program, d []float64) float64 {
	sum := dot(p.Gradient, d)
	for i := range d {
		sum += 0.5 * d[i] * dot(p.Hessian[i], d)
	}
	for _, row := range p.Rows {
		value := dot(row.Of, d)
		sum += row.Price * math.Max(0, math.Max(row.Lower-value, value-row.Upper))
	}
	return sum
}

func BenchmarkSolve(b *testing.B) {
	p := draw(rand.New(rand.NewPCG(3, 4)), 30, 30)
	for b.Loop() {
		Solve(p)
	}
}
