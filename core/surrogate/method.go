package surrogate

import (
	"context"
	"math/rand/v2"

	"ropebench/core"
)

// A Predictor gives the value that a surface has at encoded coordinates.
type Predictor interface {
	Mean(x []float64) float64
}

// A learned surface, and how it is learned again from other points of the same kind.
type learned struct {
	Predictor
	again func(x core.Matrix, y []float64) (Predictor, error)
}

// A method fits surfaces of one kind.
type method struct {
	name  string
	most  int // points it is tried for; 0: any number
	learn func(ctx context.Context, r *rand.Rand, x core.Matrix, inputs []int, d int, y []float64) (learned, error)
}

// methods are those that compete, the simplest first.
var methods = []method{
	{name: "polynomial", learn: func(_ context.Context, _ *rand.Rand, x core.Matrix, _ []int, _ int, y []float64) (learned, error) {
		p, err := fitPolynomial(x, y)
		return learned{p, func(x core.Matrix, y []float64) (Predictor, error) { return fitPolynomial(x, y) }}, err
	}},
	gaussianCompetitor(gaussianMethod{kernel: SquaredExponential, noisy: true}, 0),
	gaussianCompetitor(gaussianMethod{kernel: Matern52, noisy: true}, 0),
	gaussianCompetitor(gaussianMethod{kernel: SquaredExponential}, mostExact),
	{name: "radial basis functions", most: mostExact, learn: func(_ context.Context, _ *rand.Rand, x core.Matrix, _ []int, _ int, y []float64) (learned, error) {
		r, err := fitRadial(x, y)
		if err != nil {
			return learned{}, err
		}
		return learned{r, func(x core.Matrix, y []float64) (Predictor, error) { return r.form.fit(x, y) }}, nil
	}},
}

// mostExact is for how many points surfaces compete that go through all of them, and mostRefitted for how many the hyperparameters of a
// process are fitted again when a part is left out: with more, they hardly move.
const (
	mostExact    = 300
	mostRefitted = 200
)

func gaussianCompetitor(m gaussianMethod, most int) method {
	name := "Gaussian process, " + m.kernel.String()
	if !m.noisy {
		name += ", without noise"
	}
	return method{name: name, most: most, learn: func(ctx context.Context, r *rand.Rand, x core.Matrix, inputs []int, d int, y []float64) (learned, error) {
		g, err := m.fit(ctx, r, x, inputs, d, y)
		if err != nil {
			return learned{}, err
		}
		return learned{g, func(part core.Matrix, y []float64) (Predictor, error) {
			steps := 0
			if x.Rows <= mostRefitted {
				steps = refitted
			}
			return m.again(g, steps, part, y)
		}}, nil
	}}
}
