package surrogate

import "math"

// quasiNewton bounds a search for the least value of a smooth function in a box.
type quasiNewton struct {
	lower, upper []float64
	evaluations  int     // of the function at most
	tolerance    float64 // it ends when a step gains less
}

// sufficient is the share of the expected decrease with which a step is taken (L. Armijo, Pacific J. Math. 16 (1966)).
const sufficient = 1e-4

// minimize goes from x downhill: BFGS steps in the inputs that are free, projected into the box (D. P. Bertsekas, SIAM J. Control
// Optim. 20 (1982)). The function gives its value and fills its gradient; +Inf where it has none. It returns the best point met.
func (q quasiNewton) minimize(x []float64, f func(x, gradient []float64) float64) (best []float64, value float64) {
	n := len(x)
	x = append([]float64(nil), x...)
	for i := range x {
		x[i] = min(max(x[i], q.lower[i]), q.upper[i])
	}
	g, next, nextG, direction := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	value = f(x, g)
	used := 1
	h := identity(n)
	fresh := true
	for used < q.evaluations && !math.IsInf(value, 1) {
		slope := q.direction(x, g, h, direction)
		if slope >= 0 && fresh {
			break
		}
		if slope >= 0 {
			h, fresh = identity(n), true
			continue
		}
		step := 1.0
		if fresh { // of unknown scale
			step = min(1, 1/math.Sqrt(dot(direction, direction)))
		}
		after, taken := math.Inf(1), false
		for used < q.evaluations && step > 1e-8 {
			for i := range x {
				next[i] = min(max(x[i]+step*direction[i], q.lower[i]), q.upper[i])
			}
			after = f(next, nextG)
			used++
			if after <= value+sufficient*step*slope {
				taken = true
				break
			}
			step *= shorter(value, after, slope*step)
		}
		if !taken {
			if fresh {
				break
			}
			h, fresh = identity(n), true
			continue
		}
		gained := value - after
		update(h, x, next, g, nextG, fresh)
		fresh = false
		copy(x, next)
		copy(g, nextG)
		value = after
		if gained < q.tolerance {
			break
		}
	}
	return x, value
}

// shorter is by which factor a step is cut that did not gain enough: to the least of a parabola, within bounds.
func shorter(value, after, slope float64) float64 {
	if math.IsInf(after, 1) || math.IsNaN(after) {
		return 0.25
	}
	return min(0.5, max(0.1, -slope/(2*(after-value-slope))))
}

// direction is where to go: -H g in the inputs that are free, 0 in those that are held at a bound. It returns the slope along it.
func (q quasiNewton) direction(x, g []float64, h [][]float64, direction []float64) float64 {
	held := func(i int) bool { return x[i] <= q.lower[i] && g[i] > 0 || x[i] >= q.upper[i] && g[i] < 0 }
	for i := range x {
		direction[i] = 0
		if held(i) {
			continue
		}
		for j := range x {
			if !held(j) {
				direction[i] -= h[i][j] * g[j]
			}
		}
	}
	return dot(direction, g)
}

func identity(n int) [][]float64 {
	h := make([][]float64, n)
	for i := range h {
		h[i] = make([]float64, n)
		h[i][i] = 1
	}
	return h
}

// update is that of the inverse by Broyden, Fletcher, Goldfarb and Shanno; one with a curvature that is not positive is left out.
func update(h [][]float64, x, next, g, nextG []float64, scale bool) {
	n := len(x)
	s, y := make([]float64, n), make([]float64, n)
	for i := range x {
		s[i], y[i] = next[i]-x[i], nextG[i]-g[i]
	}
	sy := dot(s, y)
	if sy <= 1e-10*math.Sqrt(dot(s, s)*dot(y, y)) {
		return
	}
	if scale {
		for i := range h {
			h[i][i] = sy / dot(y, y)
		}
	}
	hy := make([]float64, n)
	for i := range h {
		hy[i] = dot(h[i], y)
	}
	yhy := dot(y, hy)
	for i := range h {
		for j := range h {
			h[i][j] += (1+yhy/sy)*s[i]*s[j]/sy - (hy[i]*s[j]+s[i]*hy[j])/sy
		}
	}
}

func dot(a, b []float64) float64 {
	sum := 0.0
	for i, v := range a {
		sum += v * b[i]
	}
	return sum
}
