package service

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/explore"
)

// Bounds on predicting.
const (
	mostPredictions = 20_000 // designs in one question
	mostSteps       = 201    // along each side of a surface
	usualSteps      = 41
)

// designOf makes a design of the problem of values by name.
func designOf(r reading, x *explore.Explorer, values map[string]bench.Value) (core.Design, error) {
	for _, name := range slices.Sorted(maps.Keys(values)) {
		in, is := r.model.Bench.Input(name)
		if !is {
			return nil, problem(fiber.StatusBadRequest, "%s is no input of this bench", name)
		}
		if _, err := in.NumberOf(values[name]); err != nil {
			return nil, problem(fiber.StatusBadRequest, "%s", err)
		}
		if !slices.Contains(r.model.Inputs, name) && r.model.Held[name] != values[name] {
			return nil, problem(fiber.StatusBadRequest, "run %d holds %s at %s: its surrogates know nothing of another value", r.run.ID, name, r.model.Held[name])
		}
	}
	return x.Problem.Part(r.model.Design(values)), nil
}

func (s *Service) predict(c fiber.Ctx) error {
	var order api.PredictionOrder
	if err := readJSON(c, &order); err != nil {
		return err
	}
	r, x, err := s.explorer(c)
	if err != nil {
		return err
	}
	if len(order.Designs) > mostPredictions {
		return problem(fiber.StatusBadRequest, "at most %d designs are predicted at once, not %d", mostPredictions, len(order.Designs))
	}
	designs := make([]core.Design, len(order.Designs))
	for i, values := range order.Designs {
		if designs[i], err = designOf(r, x, values); err != nil {
			return err
		}
	}
	answer := api.Predictions{Values: map[string][]api.Prediction{}, Curves: map[string][]api.PredictedCurve{}}
	for _, name := range order.Of {
		fit, _, err := surface(s.life, x, name)
		if err != nil {
			return err
		}
		answer.Values[name] = []api.Prediction{}
		for _, design := range designs {
			mean, deviation := fit.Predict(design)
			answer.Values[name] = append(answer.Values[name], api.Prediction{Mean: mean, Deviation: deviation})
		}
	}
	for _, name := range order.Curves {
		if answer.Curves[name], err = s.predictCurves(s.life, r, x, name, designs); err != nil {
			return err
		}
	}
	return c.JSON(answer)
}

func (s *Service) predictCurves(ctx context.Context, r reading, x *explore.Explorer, name string, designs []core.Design) ([]api.PredictedCurve, error) {
	at := r.model.Curve(name)
	if at < 0 {
		return nil, problem(fiber.StatusBadRequest, "%s is no curve of run %d (known: %s)", name, r.run.ID, r.curveNames())
	}
	fit, err := x.Curve(ctx, name, func(number int) (curve.Curve, error) {
		record, err := s.store.Evaluation(r.run.ID, number)
		if err != nil {
			return curve.Curve{}, err
		}
		if at >= len(record.Curves) {
			return curve.Curve{}, fmt.Errorf("evaluation %d has no curve %s", number, name)
		}
		return record.Curves[at], nil
	})
	if err != nil {
		return nil, problem(fiber.StatusConflict, "there is no surrogate of %s: %s", name, err)
	}
	predicted := []api.PredictedCurve{}
	for _, design := range designs {
		c := fit.Predict(design)
		predicted = append(predicted, api.PredictedCurve{Curve: api.Curve{X: c.X, Y: c.Y}, Q2: fit.Q2, Deviation: fit.Deviation()})
	}
	return predicted, nil
}

func (s *Service) drawSurface(c fiber.Ctx) error {
	var order api.SurfaceOrder
	if err := readJSON(c, &order); err != nil {
		return err
	}
	r, x, err := s.explorer(c)
	if err != nil {
		return err
	}
	answer, err := surfaceOver(s.life, r, x, order)
	if err != nil {
		return err
	}
	return c.JSON(answer)
}

// surfaceOver predicts a value over two inputs.
func surfaceOver(ctx context.Context, r reading, x *explore.Explorer, order api.SurfaceOrder) (api.Surface, error) {
	steps := cmp.Or(order.Steps, usualSteps)
	if steps < 2 || steps > mostSteps {
		return api.Surface{}, problem(fiber.StatusBadRequest, "a surface has between 2 and %d steps along each side, not %d", mostSteps, steps)
	}
	if order.X == order.Y {
		return api.Surface{}, problem(fiber.StatusBadRequest, "a surface stands over two different inputs, and %s is both", order.X)
	}
	base, err := designOf(r, x, order.At)
	if err != nil {
		return api.Surface{}, err
	}
	fit, _, err := surface(ctx, x, order.Of)
	if err != nil {
		return api.Surface{}, err
	}
	answer := api.Surface{Mean: [][]float64{}, Deviation: [][]float64{}, At: map[string]bench.Value{}, Q2: fit.Q2}
	sides := [2]int{-1, -1}
	for k, in := range x.Problem.Space {
		switch in.Name {
		case order.X:
			sides[0] = k
		case order.Y:
			sides[1] = k
		default:
			input, _ := r.model.Bench.Input(in.Name)
			answer.At[in.Name] = input.ValueOf(base[k])
		}
	}
	for side, name := range []string{order.X, order.Y} {
		if sides[side] < 0 {
			return answer, problem(fiber.StatusBadRequest, "%s is no input that run %d varies", name, r.run.ID)
		}
		into := []*[]float64{&answer.X, &answer.Y}[side]
		*into = alongAxis(x, sides[side], steps)
	}
	design := slices.Clone(base)
	for _, v := range answer.Y {
		var means, deviations []float64
		design[sides[1]] = v
		for _, u := range answer.X {
			design[sides[0]] = u
			mean, deviation := fit.Predict(design)
			means, deviations = append(means, mean), append(deviations, deviation)
		}
		answer.Mean, answer.Deviation = append(answer.Mean, means), append(answer.Deviation, deviations)
	}
	return answer, nil
}

// alongAxis are values along an input: all that it has, or so many over its range.
func alongAxis(x *explore.Explorer, k, steps int) []float64 {
	in := x.Problem.Space[k]
	if n := in.Levels(); n > 0 && n <= steps {
		steps = n
	}
	var values []float64
	for i := range steps {
		u := float64(i) / float64(max(1, steps-1))
		if in.Levels() == steps && !in.Log {
			u = (float64(i) + 0.5) / float64(steps)
		}
		if v := in.Value(u); len(values) == 0 || v != values[len(values)-1] {
			values = append(values, v)
		}
	}
	return values
}
