package optimize

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/plan"
)

const (
	firstSpread     = 0.3   // standard deviation of the first samples, in the unit cube
	spentSpread     = 1e-11 // along every axis, at which a distribution is spent
	flatGenerations = 20    // or when its best has been level for so many, and 30 n / population
	flatShare       = 1e-11 // of the objective
	growPopulation  = 2     // from one distribution to the next
	leastStepShare  = 0.3   // of a level is how far samples of a stepped input spread at least
	penaltyGrowth   = 2.0   // of an augmented Lagrangian in n+1 generations
)

// CMAES is the evolution strategy with covariance matrix adaptation, with weighted recombination and rank-mu updates (N. Hansen,
// The CMA Evolution Strategy: A Tutorial (2016)), restarted with a population of twice the size when a distribution is spent (A. Auger
// and N. Hansen, IEEE Congress on Evolutionary Computation (2005)). Samples that leave the cube are reflected. Constraints that
// only the solver decides are handled by an augmented Lagrangian whose multipliers follow the mean (A. Atamna, A. Auger and
// N. Hansen, Parallel Problem Solving from Nature XIV (2016)); what inputs alone decide is kept before a sample is asked.
func CMAES(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, populationPatience)
	l := s.landscape(p, o)
	r := plan.NewRand(o.Seed)
	return s.result(l.adapt(ctx, r, s.startPoint))
}

// adapt runs one distribution after the other until the account ends it.
func (l *landscape) adapt(ctx context.Context, r *rand.Rand, start []float64) error {
	n := len(l.space)
	size := 4 + int(3*math.Log(float64(n)))
	if start != nil {
		if _, err := l.ask(ctx, [][]float64{l.repaired(start)}); err != nil {
			return err
		}
	}
	for {
		mean := start
		if mean == nil {
			mean = plan.Draw(r, 1, n)[0]
		}
		d := newDistribution(l, r, mean, size)
		d.beginWarm()
		l.warm = nil
		for !d.spent() {
			if err := d.generation(ctx); err != nil {
				l.remember(d)
				return err
			}
		}
		l.remember(d)
		if err := l.restarts(); err != nil {
			return err
		}
		start = nil
		size *= growPopulation
		l.watch(fmt.Sprintf("a distribution is spent after %d evaluations: begun anew with %d samples", l.Used(), size))
	}
}

// A distribution is normal: what samples are drawn from.
type distribution struct {
	*landscape
	rand       *rand.Rand
	mean       []float64
	spread     float64
	covariance *mat.SymDense
	axes       *mat.Dense // eigenvectors
	lengths    []float64  // roots of the eigenvalues
	path, walk []float64  // evolution paths of the covariance and of the spread
	size       int
	weights    []float64
	effective  float64 // mass of the weights
	count      int     // generations
	bests      []float64
	lagrangian
}

func newDistribution(l *landscape, r *rand.Rand, mean []float64, size int) *distribution {
	n := len(mean)
	d := &distribution{landscape: l, rand: r, mean: slices.Clone(mean), spread: firstSpread, covariance: mat.NewSymDense(n, nil), axes: mat.NewDense(n, n, nil),
		lengths: slices.Repeat([]float64{1}, n), path: make([]float64, n), walk: make([]float64, n), size: size}
	for j := range n {
		d.covariance.SetSym(j, j, 1)
		d.axes.Set(j, j, 1)
	}
	sum, squares := 0.0, 0.0
	for i := range size / 2 {
		d.weights = append(d.weights, math.Log(float64(size)/2+0.5)-math.Log(float64(i+1)))
		sum += d.weights[i]
	}
	for i := range d.weights {
		d.weights[i] /= sum
		squares += d.weights[i] * d.weights[i]
	}
	d.effective = 1 / squares
	return d
}

// generation draws samples, asks for them as one batch, and moves the distribution towards the better ones.
func (d *distribution) generation(ctx context.Context) error {
	points := make([][]float64, d.size)
	for i := range points {
		points[i] = d.kept(d.sample)
	}
	trials, err := d.ask(ctx, points)
	if len(trials) < d.size {
		return err
	}
	d.learn(trials)
	d.order(trials)
	d.bests = append(d.bests, d.fitness(trials[0]))
	d.move(trials)
	d.count++
	return err
}

// sample draws a point in the cube.
func (d *distribution) sample() []float64 {
	n := len(d.mean)
	normal, point := make([]float64, n), make([]float64, n)
	for j := range normal {
		normal[j] = d.lengths[j] * d.rand.NormFloat64()
	}
	for j := range point {
		offset := 0.0
		for k := range normal {
			offset += d.axes.At(j, k) * normal[k]
		}
		point[j] = reflected(d.mean[j] + d.spread*offset)
		if levels := d.space[j].Levels(); levels > 0 {
			point[j] = reflected(point[j] + leastStepShare/float64(levels)*d.rand.NormFloat64())
		}
	}
	return point
}

// reflected folds a coordinate back into the cube.
func reflected(x float64) float64 {
	x = math.Abs(math.Mod(x, 2))
	if x > 1 {
		return 2 - x
	}
	return x
}

// keptDraws is how often a point is drawn again that misses what inputs alone decide, before it is repaired.
const keptDraws = 20

// kept draws until what inputs alone decide is kept; a point that was drawn in vain is repaired.
func (l *landscape) kept(draw func() []float64) []float64 {
	point := draw()
	if l.ahead == nil {
		return point
	}
	best, least := point, l.missedBy(point)
	for try := 1; least > 0 && try < keptDraws; try++ {
		other := draw()
		if missed := l.missedBy(other); missed < least {
			best, least = other, missed
		}
	}
	return l.repaired(best)
}

// move changes mean, covariance and spread by the trials, the best first.
func (d *distribution) move(trials []trial) {
	n := len(d.mean)
	dimension := float64(n)
	step := make([]float64, n)
	for i, weight := range d.weights {
		for j := range step {
			step[j] += weight * (trials[i].point[j] - d.mean[j]) / d.spread
		}
	}
	mu := d.effective
	rateSpread := (mu + 2) / (dimension + mu + 5)
	damping := 1 + 2*math.Max(0, math.Sqrt((mu-1)/(dimension+1))-1) + rateSpread
	ratePath := (4 + mu/dimension) / (dimension + 4 + 2*mu/dimension)
	rateOne := 2 / ((dimension+1.3)*(dimension+1.3) + mu)
	rateMu := math.Min(1-rateOne, 2*(mu-2+1/mu)/((dimension+2)*(dimension+2)+mu))
	expected := math.Sqrt(dimension) * (1 - 1/(4*dimension) + 1/(21*dimension*dimension))

	whitened := d.whiten(step)
	length := 0.0
	for j := range d.walk {
		d.walk[j] = (1-rateSpread)*d.walk[j] + math.Sqrt(rateSpread*(2-rateSpread)*mu)*whitened[j]
		length += d.walk[j] * d.walk[j]
	}
	length = math.Sqrt(length)
	still := 0.0
	if length/math.Sqrt(1-math.Pow(1-rateSpread, 2*float64(d.count+1))) < (1.4+2/(dimension+1))*expected {
		still = 1
	}
	for j := range d.path {
		d.path[j] = (1-ratePath)*d.path[j] + still*math.Sqrt(ratePath*(2-ratePath)*mu)*step[j]
	}
	keep := 1 - rateOne - rateMu + (1-still)*rateOne*ratePath*(2-ratePath)
	for a := range n {
		for b := range a + 1 {
			value := keep*d.covariance.At(a, b) + rateOne*d.path[a]*d.path[b]
			for i, weight := range d.weights {
				value += rateMu * weight * (trials[i].point[a] - d.mean[a]) * (trials[i].point[b] - d.mean[b]) / (d.spread * d.spread)
			}
			d.covariance.SetSym(a, b, value)
		}
	}
	for j := range d.mean {
		d.mean[j] += d.spread * step[j]
	}
	d.spread = math.Min(2, d.spread*math.Exp(rateSpread/damping*(length/expected-1)))
	if d.count%max(1, n/5) == 0 {
		d.decompose()
	}
}

// whiten turns a step into one of the standard normal distribution.
func (d *distribution) whiten(step []float64) []float64 {
	n := len(step)
	along, white := make([]float64, n), make([]float64, n)
	for k := range along {
		for j := range step {
			along[k] += d.axes.At(j, k) * step[j]
		}
		along[k] /= d.lengths[k]
	}
	for j := range white {
		for k := range along {
			white[j] += d.axes.At(j, k) * along[k]
		}
	}
	return white
}

func (d *distribution) decompose() {
	var eigen mat.EigenSym
	if !eigen.Factorize(d.covariance, true) {
		return
	}
	eigen.VectorsTo(d.axes)
	for k, value := range eigen.Values(nil) {
		d.lengths[k] = math.Sqrt(math.Max(value, 1e-20))
	}
}

// settledSpread is the standard deviation along every axis at which a local search can go on.
const settledSpread = 1e-3

// settled is true where samples stand in one place, or are spent.
func (d *distribution) settled() bool {
	for j := range d.mean {
		if d.spread*math.Sqrt(d.covariance.At(j, j)) > settledSpread {
			return d.spent()
		}
	}
	return true
}

// spent is true where samples are all on one spot, or no better than those before.
func (d *distribution) spent() bool {
	window := flatGenerations + 30*len(d.mean)/d.size
	if len(d.bests) >= window {
		last := d.bests[len(d.bests)-window:]
		if low, high := slices.Min(last), slices.Max(last); high-low <= flatShare*math.Max(math.Abs(low), 1e-10) {
			return true
		}
	}
	for j := range d.mean {
		if d.spread*math.Sqrt(d.covariance.At(j, j)) > spentSpread {
			return false
		}
	}
	return true
}

// A lagrangian has multipliers and penalties of the constraints that only the solver decides.
type lagrangian struct {
	multipliers, penalties []float64
	violations             []float64 // of the mean, as far as the samples tell
}

// excess is how far a value is over the nearer end of its limit, reserve taken off: negative inside.
func (f function) excess(value float64) float64 {
	if f.equal {
		lower, _ := f.aim(0)
		return math.Abs(value-lower) - f.limit.Upper + lower
	}
	return f.limit.Reserve - f.limit.Margin(value)
}

// learn sets the multipliers by the weighted mean of what samples are over their limits.
func (d *distribution) learn(trials []trial) {
	var usable [][]float64
	var objectives []float64
	for _, t := range trials {
		if p := d.placed(t); p.values != nil {
			usable = append(usable, p.values)
			objectives = append(objectives, d.objective(p.values))
		}
	}
	if len(usable) == 0 {
		return
	}
	if d.multipliers == nil {
		d.multipliers, d.penalties, d.violations = make([]float64, len(d.constraints())), make([]float64, len(d.constraints())), make([]float64, len(d.constraints()))
	}
	slices.Sort(objectives)
	spread := objectives[len(objectives)*3/4] - objectives[len(objectives)/4]
	for i, f := range d.constraints() {
		if f.decided || f.price > 0 {
			continue
		}
		mean, size := 0.0, 0.0
		for _, values := range usable {
			excess := f.excess(values[d.objectives()+i])
			mean += excess / float64(len(usable))
			size += excess * excess / float64(len(usable))
		}
		if d.penalties[i] == 0 && size > 0 {
			d.penalties[i] = 1e-3 + 2*spread/size/float64(len(d.mean))
		}
		d.multipliers[i] = math.Max(0, d.multipliers[i]+d.penalties[i]*mean/(1+math.Sqrt(float64(len(d.mean)))))
		growth := math.Pow(penaltyGrowth, 1/(float64(len(d.mean))+1))
		if mean*mean*d.penalties[i] < 3*spread/float64(len(d.mean)) || math.Abs(mean-d.violations[i])*5 < math.Abs(d.violations[i]) {
			d.penalties[i] *= growth
		} else {
			d.penalties[i] /= math.Pow(growth, 0.25)
		}
		d.violations[i] = mean
	}
}

// fitness is the augmented Lagrangian of a trial; soft constraints cost their price.
func (d *distribution) fitness(t trial) float64 {
	p := d.placed(t)
	if p.values == nil {
		return math.Inf(1)
	}
	sum := d.objective(p.values)
	for i, f := range d.constraints() {
		value := p.values[d.objectives()+i]
		switch {
		case f.price > 0:
			sum += f.price * f.limit.Violation(value)
		case f.decided || d.penalties[i] == 0:
		default:
			excess := f.excess(value)
			if d.multipliers[i]+d.penalties[i]*excess >= 0 {
				sum += d.multipliers[i]*excess + d.penalties[i]*excess*excess/2
			} else {
				sum -= d.multipliers[i] * d.multipliers[i] / (2 * d.penalties[i])
			}
		}
	}
	return sum
}

// order sorts trials by their fitness, those without values last.
func (d *distribution) order(trials []trial) {
	fitness := make(map[*float64]float64, len(trials))
	for _, t := range trials {
		fitness[&t.point[0]] = d.fitness(t)
	}
	slices.SortStableFunc(trials, func(a, b trial) int {
		if order := cmp.Compare(fitness[&a.point[0]], fitness[&b.point[0]]); order != 0 {
			return order
		}
		return byRank(a, b)
	})
}
