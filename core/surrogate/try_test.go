package surrogate

import (
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

func borehole(u []float64) float64 {
	lo := []float64{0.05, 100, 63070, 990, 63.1, 700, 1120, 9855}
	hi := []float64{0.15, 50000, 115600, 1110, 116, 820, 1680, 12045}
	v := make([]float64, 8)
	for i := range v {
		v[i] = lo[i] + u[i]*(hi[i]-lo[i])
	}
	l := math.Log(v[1] / v[0])
	return 2 * math.Pi * v[2] * (v[3] - v[5]) / (l * (1 + 2*v[6]*v[2]/(l*v[0]*v[0]*v[7]) + v[2]/v[4]))
}

func ishigami(u []float64) float64 {
	x := func(i int) float64 { return -math.Pi + 2*math.Pi*u[i] }
	return math.Sin(x(0)) + 7*math.Pow(math.Sin(x(1)), 2) + 0.1*math.Pow(x(2), 4)*math.Sin(x(0))
}

func unitSpace(d int) space.Space {
	s := make(space.Space, d)
	for i := range s {
		s[i] = space.Input{Name: fmt.Sprintf("x%d", i+1), Upper: 1}
	}
	return s
}

func TestRounds(t *testing.T) {
	e := Encode(unitSpace(3))
	fresh := plan.Draw(plan.NewRand(99), 4000, 3)
	r2 := func(s *Surrogate) float64 {
		ss, tt := 0.0, 0.0
		for _, p := range fresh {
			v := ishigami(p)
			ss += (v - s.Mean(p)) * (v - s.Mean(p))
			tt += (v - 3.5) * (v - 3.5)
		}
		return 1 - ss/tt
	}
	designsOf := func(points [][]float64) ([]core.Design, []float64) {
		var d []core.Design
		var y []float64
		for _, p := range points {
			d, y = append(d, p), append(y, ishigami(p))
		}
		return d, y
	}
	var a, b []int
	for seed := range uint64(12) {
		stages := []int{50}
		for range 25 {
			stages = append(stages, 10)
		}
		next, _ := plan.LatinHypercube(t.Context(), plan.NewRand(seed), stages, make([]int, 3))
		var points [][]float64
		for i := range 300 {
			p, _ := next()
			points = append(points, p)
			if (i+1)%10 == 0 && i > 40 {
				d, y := designsOf(points)
				s, err := Fit(t.Context(), e, d, y, Options{})
				if err == nil && r2(s) >= 0.95 {
					break
				}
			}
		}
		a = append(a, len(points))
		first, _ := plan.All(t.Context(), plan.MaximinLatinHypercube, plan.NewRand(seed), 50, make([]int, 3))
		d, y := designsOf(first)
		for len(d) < 300 {
			s, err := Fit(t.Context(), e, d, y, Options{})
			if err != nil {
				t.Fatal(err)
			}
			if r2(s) >= 0.95 {
				break
			}
			more, err := Next(t.Context(), plan.NewRand(seed+uint64(len(d))), []Wish{{Surface: s}}, 10)
			if err != nil {
				t.Fatal(err)
			}
			for _, p := range more {
				d, y = append(d, p), append(y, ishigami(p))
			}
		}
		b = append(b, len(d))
		fmt.Println(a[len(a)-1], b[len(b)-1])
	}
	slices.Sort(a)
	slices.Sort(b)
	fmt.Println(a, b)
}

func TestTry(t *testing.T) {
	noise := plan.NewRand(77)
	for _, c := range []struct {
		name string
		f    func([]float64) float64
		d, n int
	}{{"borehole", borehole, 8, 60}, {"ishigami", ishigami, 3, 150}, {"noise", func([]float64) float64 { return noise.NormFloat64() }, 5, 60}} {
		e := Encode(unitSpace(c.d))
		sum, close := 0.0, 0
		for seed := range uint64(20) {
			points, _ := plan.All(t.Context(), plan.LatinHypercube, plan.NewRand(seed), c.n, make([]int, c.d))
			y := make([]float64, c.n)
			designs := make([]core.Design, c.n)
			for i := range y {
				y[i] = c.f(points[i])
				designs[i] = points[i]
			}
			fresh := plan.Draw(plan.NewRand(99), 10000, c.d)
			began := time.Now()
			s, err := Fit(t.Context(), e, designs, y, Options{Seed: 1})
			took := time.Since(began)
			if err != nil {
				fmt.Println(err)
				continue
			}
			ss, tt := 0.0, 0.0
			_, mu, _ := standardized(y)
			for _, p := range fresh {
				v := c.f(p)
				ss += (v - s.Mean(p)) * (v - s.Mean(p))
				tt += (v - mu) * (v - mu)
			}
			out := 0
			for _, r := range s.Residuals {
				if math.Abs(r) > 4 {
					out++
				}
			}
			sum += s.Q2 - (1 - ss/tt)
			if math.Abs(s.Q2-(1-ss/tt)) < 0.08 {
				close++
			}
			fmt.Printf("%s %d seed %d %s Q2 %.5f [%.4f %.4f] R2 %.5f took %v active %v out %d %v\n", c.name, c.n, seed, s.Method, s.Q2, s.From, s.To, 1-ss/tt, took.Round(time.Millisecond), s.Active, out, s.Competitors[1:])
		}
		fmt.Println("mean", sum/20, "within .08", close)
	}
}
