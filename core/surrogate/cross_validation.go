package surrogate

import (
	"cmp"
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"
	"gonum.org/v1/gonum/blas/blas64"

	"ropebench/core"
	"ropebench/core/plan"
)

// Cross-validation.
const (
	folds     = 10
	resamples = 200 // of points, for the limits of Q²
	// asGood is how much a method may leave, in shares of the least, to be taken before one that is not as simple.
	asGood = 1.03
	// doubtful is the Q² below which the choice of inputs and method is cross-validated too: there it may be luck.
	doubtful = 0.6
)

// A trial is a method with what it did.
type trial struct {
	name    string
	surface Predictor
	parts   []Predictor // of the first repetition
	left    [][]float64 // for each repetition and point: the value minus what is predicted without it
	// expected has the deviations that the first repetition expects; nil where the method knows none.
	expected []float64
	q2       float64
}

// compete fits all methods, and cross-validates them on the same folds.
func compete(ctx context.Context, o Options, x core.Matrix, inputs []int, d int, y []float64) ([]*trial, error) {
	n := len(y)
	parted := make([][]int, repetitions(n)) // the fold of each point
	r := plan.NewRand(o.Seed + 1)
	for k := range parted {
		parted[k] = foldsOf(r, n)
	}
	trials := make([]*trial, len(methods))
	group, groupCtx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for at, m := range methods {
		if m.most > 0 && n > m.most {
			continue
		}
		group.Go(func() error {
			l, err := m.learn(groupCtx, plan.NewRand(o.Seed), x, inputs, d, y)
			if err == nil {
				trials[at], err = crossValidate(groupCtx, m.name, l, parted, x, y)
			}
			if errors.Is(err, errNoFit) {
				return nil
			}
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	trials = slices.DeleteFunc(trials, func(t *trial) bool { return t == nil })
	if len(trials) == 0 {
		return nil, errNoFit
	}
	return ranked(trials), nil
}

// ranked puts the best first: the simplest of those that leave about as little as any.
func ranked(trials []*trial) []*trial {
	best := slices.MaxFunc(trials, func(a, b *trial) int { return cmp.Compare(a.q2, b.q2) })
	at := slices.IndexFunc(trials, func(t *trial) bool { return 1-t.q2 <= asGood*(1-best.q2) })
	first := trials[at]
	rest := slices.Delete(trials, at, at+1)
	slices.SortStableFunc(rest, func(a, b *trial) int { return cmp.Compare(b.q2, a.q2) })
	return append([]*trial{first}, rest...)
}

// repetitions is how often the folds are drawn: the fewer points, the more a Q² depends on them.
func repetitions(n int) int {
	if n > 100 {
		return 2
	}
	return 4
}

// foldsOf gives each point one of the folds, all of about the same size.
func foldsOf(r *rand.Rand, n int) []int {
	of := make([]int, n)
	for i, at := range r.Perm(n) {
		of[at] = i % folds
	}
	return of
}

// meanOnly leaves off what a process needs for its deviations: a matrix of all its points.
func meanOnly(p Predictor) Predictor {
	g, is := p.(*Gaussian)
	if !is {
		return p
	}
	light := *g
	light.factor, light.whitened, light.normal = blas64.Triangular{}, core.Matrix{}, blas64.Triangular{}
	return &light
}

// without lists the points that are not in a fold.
func without(of []int, fold int) []int {
	var rows []int
	for i, in := range of {
		if in != fold {
			rows = append(rows, i)
		}
	}
	return rows
}

// doubt cross-validates the choice of inputs and method, too: each is made anew without a fold, and the fold is predicted by the method
// that does best on the others (S. Varma, R. Simon, BMC Bioinformatics 7 (2006)).
func (t *trial) doubt(ctx context.Context, o Options, e Encoding, x core.Matrix, y []float64) error {
	of := foldsOf(plan.NewRand(o.Seed+2), len(y))
	left := make([][]float64, len(methods))
	for at := range left {
		left[at] = make([]float64, len(y))
	}
	group, groupCtx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for fold := range folds {
		group.Go(func() error {
			xs, ys := rowsOf(x, y, without(of, fold))
			active, err := e.screen(groupCtx, o, xs, ys)
			if err != nil {
				return err
			}
			part, inputs, columns := e.reduce(xs, active)
			_, mean, _ := standardized(ys)
			for at, m := range methods {
				l, err := m.learn(groupCtx, plan.NewRand(o.Seed), part, inputs, len(active), ys)
				if groupCtx.Err() != nil {
					return groupCtx.Err()
				}
				for i := range y {
					switch {
					case of[i] != fold:
					case err != nil:
						left[at][i] = y[i] - mean
					default:
						left[at][i] = y[i] - l.Mean(pick(x.Row(i), columns))
					}
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	chosen := make([]float64, len(y))
	for fold := range folds {
		best, least := 0, math.Inf(1)
		for at := range methods {
			sum := 0.0
			for i := range y {
				if of[i] != fold {
					sum += left[at][i] * left[at][i]
				}
			}
			if sum < least {
				best, least = at, sum
			}
		}
		for i := range y {
			if of[i] == fold {
				chosen[i] = left[best][i]
			}
		}
	}
	t.left = [][]float64{chosen}
	t.q2 = 1 - dot(chosen, chosen)/(variance(y)*float64(len(y)))
	return nil
}

func crossValidate(ctx context.Context, name string, l learned, parted [][]int, x core.Matrix, y []float64) (*trial, error) {
	t := &trial{name: name, surface: l.Predictor}
	total := variance(y) * float64(len(y))
	if _, knows := l.Predictor.(*Gaussian); knows {
		t.expected = make([]float64, len(y))
	}
	for k, of := range parted {
		left := make([]float64, len(y))
		for fold := range folds {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			xs, ys := rowsOf(x, y, without(of, fold))
			p, err := l.again(xs, ys)
			if err != nil {
				return nil, err
			}
			if k == 0 {
				t.parts = append(t.parts, meanOnly(p))
			}
			for i := range y {
				if of[i] != fold {
					continue
				}
				left[i] = y[i] - p.Mean(x.Row(i))
				if g, knows := p.(*Gaussian); knows && k == 0 {
					_, deviation := g.Predict(x.Row(i))
					t.expected[i] = math.Sqrt(deviation*deviation + g.Noise)
				}
			}
		}
		t.left = append(t.left, left)
		t.q2 += (1 - dot(left, left)/total) / float64(len(parted))
	}
	if math.IsNaN(t.q2) || math.IsInf(t.q2, 0) {
		return nil, errNoFit
	}
	return t, nil
}

// limits of Q² are those of resampled points (B. Efron, R. J. Tibshirani, An Introduction to the Bootstrap, 1993) over all repetitions.
func (t *trial) limits(r *rand.Rand, y []float64) (from, to float64) {
	_, mean, _ := standardized(y)
	all := make([]float64, resamples)
	for b := range all {
		left := t.left[b%len(t.left)]
		sum, total := 0.0, 0.0
		for range y {
			i := r.IntN(len(y))
			sum += left[i] * left[i]
			total += (y[i] - mean) * (y[i] - mean)
		}
		all[b] = 1
		if total > 0 {
			all[b] = 1 - sum/total
		}
	}
	slices.Sort(all)
	return all[resamples/40], all[resamples-1-resamples/40]
}

// validated are the predictions of cross-validation, and what they leave in deviations: those that the surfaces expect, those of most of
// what is left, or those of what is left of all others, whichever are the largest: where points crowd, surfaces expect too little.
func (t *trial) validated(y []float64) (predicted, residuals []float64) {
	predicted, residuals = make([]float64, len(y)), make([]float64, len(y))
	rest, size, sum := make([]float64, len(y)), make([]float64, len(y)), 0.0
	for i := range y {
		for _, left := range t.left {
			rest[i] += left[i] / float64(len(t.left))
		}
		predicted[i], size[i] = y[i]-rest[i], math.Abs(rest[i])
		sum += rest[i] * rest[i]
	}
	slices.Sort(size)
	deviation := size[len(size)/2] * 1.4826 // that of normal numbers (F. R. Hampel, J. Am. Stat. Assoc. 69 (1974))
	least := negligible * math.Sqrt(variance(y))
	for i, r := range rest {
		unit := max(least, deviation, math.Sqrt(max(0, sum-r*r)/float64(len(y)-1)))
		if t.expected != nil {
			unit = max(unit, t.expected[i])
		}
		if unit > 0 {
			residuals[i] = r / unit
		}
	}
	return predicted, residuals
}

// negligible is the share of the spread of values that counts as a deviation at least: of a surface that is nearly exact nothing is told to stand out.
const negligible = 4e-3

// held is how much of what cross-validation leaves two deviations are to hold, and twice the normal deviate of that.
const held, heldBy = 0.95, 1.96

// calibrated is by how much the deviations that surfaces expect are to be multiplied, and the deviation for all designs, so that as much as is promised of
// what cross-validation leaves is held (J. P. C. Kleijnen, W. C. M. van Beers, Journal of the Operational Research Society 55 (2004), for the residuals).
func (t *trial) calibrated() (widened, off float64) {
	var sizes, ratios []float64
	for _, left := range t.left {
		for i, l := range left {
			sizes = append(sizes, math.Abs(l))
			if t.expected != nil && t.expected[i] > 0 {
				ratios = append(ratios, math.Abs(l)/t.expected[i])
			}
		}
	}
	widened = 1
	if len(ratios) > 0 {
		widened = quantileOf(ratios, held) / heldBy
	}
	return widened, quantileOf(sizes, held) / heldBy
}

// quantileOf is a quantile of values, which it sorts.
func quantileOf(values []float64, share float64) float64 {
	slices.Sort(values)
	return values[min(len(values)-1, int(math.Ceil(share*float64(len(values)))))]
}
