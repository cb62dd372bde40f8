package bench

import (
	"errors"
	"fmt"

	"ropebench/core/uncertainty"
)

// A Scatter says how an input differs from one product, or one use, to the next: a distribution, which may be cut off at
// both ends.
type Scatter struct {
	Kind    string             `json:"kind"`             // one of scatterKeys
	Numbers map[string]float64 `json:"numbers"`          // its parameters, by name
	Within  *[2]float64        `json:"within,omitempty"` // nil: not cut off
	File    string             `json:"file,omitempty"`   // empirical: where the measured values stand
	Column  string             `json:"column,omitempty"`
	Values  []float64          `json:"-"` // the measured values, ascending
}

// ScatterKeys has the distributions and their parameters. The lognormal is given by the mean and standard deviation of the
// values themselves; the Weibull by shape and scale.
var ScatterKeys = map[string][]string{
	"normal": {"mean", "sd"}, "lognormal": {"mean", "sd"}, "uniform": {"lower", "upper"}, "triangular": {"lower", "mode", "upper"},
	"weibull": {"shape", "scale"}, "empirical": nil,
}

// Distribution is that of the numbers; the reader has looked at them. The error says that the cut leaves next to nothing of it.
func (s *Scatter) Distribution() (uncertainty.Distribution, error) {
	p := s.Numbers
	var d uncertainty.Distribution
	switch s.Kind {
	case "normal":
		d = uncertainty.Normal(p["mean"], p["sd"])
	case "lognormal":
		d = uncertainty.Lognormal(p["mean"], p["sd"])
	case "uniform":
		d = uncertainty.Uniform(p["lower"], p["upper"])
	case "triangular":
		d = uncertainty.Triangular(p["lower"], p["mode"], p["upper"])
	case "weibull":
		d = uncertainty.Weibull(p["shape"], p["scale"])
	default:
		d = uncertainty.Empirical(s.Values)
	}
	if s.Within == nil {
		return d, nil
	}
	return uncertainty.Within(d, s.Within[0], s.Within[1])
}

// Scattered lists the inputs that scatter, in the order of the file.
func (b *Bench) Scattered() []Input {
	var all []Input
	for _, in := range b.Inputs {
		if in.Scatter != nil {
			all = append(all, in)
		}
	}
	return all
}

// A Correlation is that of two inputs that scatter, of their values, between -1 and 1.
type Correlation struct {
	A, B string
	Of   float64
}

// Joint is the distribution of several inputs that scatter, by name, with the correlations among them. Its errors are those of
// Scatter.Distribution and uncertainty.Correlated.
func (b *Bench) Joint(names []string) (uncertainty.Joint, error) {
	distributions, correlations := make([]uncertainty.Distribution, len(names)), make([][]float64, len(names))
	at := map[string]int{}
	for k, name := range names {
		in, _ := b.Input(name)
		d, err := in.Scatter.Distribution()
		if err != nil {
			return uncertainty.Joint{}, fmt.Errorf("%s: %w: widen within", name, err)
		}
		distributions[k], correlations[k], at[name] = d, make([]float64, len(names)), k
		correlations[k][k] = 1
	}
	for _, c := range b.Correlations {
		i, first := at[c.A]
		k, second := at[c.B]
		if first && second {
			correlations[i][k], correlations[k][i] = c.Of, c.Of
		}
	}
	j, err := uncertainty.Correlated(distributions, correlations)
	if errors.Is(err, uncertainty.ErrOutOfReach) {
		return j, fmt.Errorf("%w: make it smaller", err)
	}
	return j, err
}
