package surrogate

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

// A Surrogate is the surface that predicts one output best among all that compete, with what is known of how well it does.
type Surrogate struct {
	Method string
	// Q2 is the cross-validated R², the mean over repetitions; From and To are its limits with a chance of 95 %.
	Q2, From, To float64
	Competitors  []Competitor // the best first
	Active       []int        // inputs that it has; the others do not help to predict
	Noise        float64      // deviation of what a repeated evaluation would give; 0: none is seen
	// Residuals has for each point what is left of it when it is predicted by the others, in robust deviations.
	Residuals []float64
	// Validated has for each point what the others predict: the mean over repetitions.
	Validated []float64

	encoding Encoding
	columns  []int // of the encoded coordinates: those of active inputs
	surface  Predictor
	guides   []*Gaussian // all processes that were fitted: where they are unsure, there is more to be learned
	parts    []Predictor // the same surface without a tenth of the points, each
	variance float64     // of the points
	// widened is by how much the deviations of a process are multiplied, and off the deviation where no process tells one: so that two of them hold what
	// cross-validation leaves in 95 %.
	widened, off float64
}

// A Competitor is a method with how well it predicts; NaN where it could not be fitted.
type Competitor struct {
	Method string
	Q2     float64
}

// Options of a fit.
type Options struct {
	Seed uint64
}

// Unpredictable is below which Q² nothing is predicted.
const Unpredictable = 0.3

// MostPoints bounds the points to which surfaces are fitted.
const MostPoints = 500

// Least is how many points a fit needs.
func Least(inputs int) int { return max(8, inputs+3) }

// ErrConstant is the answer to an output that does not move.
var ErrConstant = errors.New("the output has the same value everywhere: no input moves it within its range")

// Fit lets all methods compete to predict an output at designs: by repeated tenfold cross-validation over the same folds. It needs at least
// Least points, and takes the first MostPoints.
func Fit(ctx context.Context, e Encoding, designs []core.Design, y []float64, o Options) (*Surrogate, error) {
	n := min(len(y), MostPoints)
	if least := Least(len(e.space)); n < least {
		return nil, fmt.Errorf("a response surface over %d inputs needs at least %d usable evaluations, and there are %d", len(e.space), least, n)
	}
	designs, y = designs[:n], y[:n]
	if slices.Max(y) == slices.Min(y) {
		return nil, ErrConstant
	}
	x := e.Coordinates(designs)
	s := &Surrogate{encoding: e, variance: variance(y)}
	var err error
	if s.Active, err = e.screen(ctx, o, x, y); err != nil {
		return nil, err
	}
	part, inputs, columns := e.reduce(x, s.Active)
	s.columns = columns
	trials, err := compete(ctx, o, part, inputs, len(s.Active), y)
	if err != nil {
		return nil, err
	}
	best := trials[0]
	if best.q2 < doubtful && n <= mostRefitted {
		if err := best.doubt(ctx, o, e, x, y); err != nil {
			return nil, err
		}
	}
	s.Method, s.Q2, s.surface, s.parts = best.name, best.q2, best.surface, best.parts
	for _, t := range trials {
		if g, is := t.surface.(*Gaussian); is {
			s.guides = append(s.guides, g)
		}
		s.Competitors = append(s.Competitors, Competitor{t.name, t.q2})
	}
	s.From, s.To = best.limits(plan.NewRand(o.Seed), y)
	s.Validated, s.Residuals = best.validated(y)
	s.widened, s.off = best.calibrated()
	if g, is := best.surface.(*Gaussian); is {
		s.Noise = math.Sqrt(g.Noise)
	}
	return s, nil
}

func variance(y []float64) float64 {
	_, mean, _ := standardized(y)
	square := 0.0
	for _, v := range y {
		square += (v - mean) * (v - mean)
	}
	return square / float64(len(y))
}

// at takes the coordinates of a design that the surface has.
func (s *Surrogate) at(design core.Design) []float64 {
	all := make([]float64, len(s.encoding.Inputs))
	s.encoding.fill(design, all)
	return pick(all, s.columns)
}

// Mean predicts the output of a design.
func (s *Surrogate) Mean(design core.Design) float64 { return s.surface.Mean(s.at(design)) }

// Predict predicts what an evaluation of a design gives, with its standard deviation: that of the process with its noise, or one for all designs, widened so
// that two of them hold in 95 % of the points what is predicted without them.
func (s *Surrogate) Predict(design core.Design) (mean, deviation float64) {
	x := s.at(design)
	if g, is := s.surface.(*Gaussian); is {
		mean, deviation = g.Predict(x)
		return mean, s.widened * math.Sqrt(deviation*deviation+g.Noise)
	}
	return s.surface.Mean(x), s.off
}

// Parts is how many surfaces there are that were fitted without a part of the points each, and PartMean what one of them predicts.
func (s *Surrogate) Parts() int { return len(s.parts) }

// PartMean predicts the output of a design without a part of the points.
func (s *Surrogate) PartMean(part int, design core.Design) float64 {
	return s.parts[part].Mean(s.at(design))
}

// Outlying is the residual, in deviations, from which on a point does not fit to the others.
const Outlying = 5.0

// RepeatedNoise is the deviation of an output among designs that were asked more than once, and how many of them there are beyond the first; 0 and 0
// where there is none.
func RepeatedNoise(designs []core.Design, y []float64) (deviation float64, repeated int) {
	groups := map[string][]float64{}
	var order []string
	for i, design := range designs {
		key := fmt.Sprint([]float64(design))
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], y[i])
	}
	sum := 0.0
	for _, key := range order {
		if group := groups[key]; len(group) > 1 {
			sum += variance(group) * float64(len(group))
			repeated += len(group) - 1
		}
	}
	if repeated == 0 {
		return 0, 0
	}
	return math.Sqrt(sum / float64(repeated)), repeated
}
