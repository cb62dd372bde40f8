package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/surrogate"
	"ropebench/dispatch"
	"ropebench/explore"
	"ropebench/model"
	"ropebench/result"
	"ropebench/store"
	"ropebench/study"
)

// explorers keeps what is known of the runs that were explored last, so that no surface is fitted twice.
type explorers struct {
	mutex sync.Mutex // guards what follows
	kept  []explored // the one used last is the last
}

// An explored run, as it was.
type explored struct {
	run, evaluations int
	leftOut          string
	reading          reading
	explorer         *explore.Explorer
}

// Bounds on exploring.
const (
	mostExplorers   = 8
	mostExplored    = 200_000 // evaluations of a run that are looked at
	mostPredictions = 20_000  // designs in one question
	mostSteps       = 201     // along each side of a surface
	usualSteps      = 41
)

// get finds the explorer of a run as it is now, or builds it.
func (e *explorers) get(run, evaluations int, leftOut string, build func() (reading, *explore.Explorer, error)) (reading, *explore.Explorer, error) {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	at := slices.IndexFunc(e.kept, func(k explored) bool {
		return k.run == run && k.evaluations == evaluations && k.leftOut == leftOut
	})
	if at >= 0 {
		k := e.kept[at]
		e.kept = append(slices.Delete(e.kept, at, at+1), k)
		return k.reading, k.explorer, nil
	}
	r, x, err := build()
	if err != nil {
		return r, nil, err
	}
	e.kept = slices.DeleteFunc(e.kept, func(k explored) bool { return k.run == run })
	if len(e.kept) >= mostExplorers {
		e.kept = slices.Delete(e.kept, 0, 1)
	}
	e.kept = append(e.kept, explored{run: run, evaluations: evaluations, leftOut: leftOut, reading: r, explorer: x})
	return r, x, nil
}

// explorer is that of the run that a path names.
func (s *Service) explorer(c fiber.Ctx) (reading, *explore.Explorer, error) {
	run, err := s.namedRun(c)
	if err != nil {
		return reading{}, nil, err
	}
	left, err := s.store.LeftOut(run.Bench, run.Question.Study)
	if err != nil {
		return reading{}, nil, err
	}
	version, err := json.Marshal(left)
	if err != nil {
		return reading{}, nil, err
	}
	written, err := s.store.CountEvaluations(run.ID)
	if err != nil {
		return reading{}, nil, err
	}
	if written > mostExplored {
		return reading{}, nil, problem(fiber.StatusBadRequest, "run %d has %d evaluations, and at most %d are explored at once: sample fewer", run.ID, written, mostExplored)
	}
	return s.explorers.get(run.ID, written, string(version), func() (reading, *explore.Explorer, error) { return s.newExplorer(run, left) })
}

func (s *Service) newExplorer(run study.Run, left []store.LeftOut) (reading, *explore.Explorer, error) {
	b, err := s.revision(run.Bench, run.Revision)
	if err != nil {
		return reading{}, nil, err
	}
	a, err := study.Ask(b, run.Question)
	if err != nil {
		return reading{}, nil, err
	}
	if len(a.Problem.Space) == 0 {
		return reading{}, nil, problem(fiber.StatusBadRequest, "run %d varies no input: a sample, a sensitivity study or a search can be explored", run.ID)
	}
	r := reading{run: run, model: a.Model, inputs: a.Model.ShownInputs(b), values: a.Model.ShownColumns(b)}
	subject := explore.Subject{Model: a.Model, Problem: a.Problem, Seed: run.Question.Seed, LeftOut: map[string]map[int]string{}}
	byDesign := map[string][]store.LeftOut{}
	for _, l := range left {
		byDesign[l.Design] = append(byDesign[l.Design], l)
	}
	var failed error
	err = s.store.Evaluations(run.ID, 1, func(record dispatch.Record) bool {
		e := explore.Evaluation{Number: record.Number, State: record.State, Reason: record.Reason, Design: a.Problem.Part(record.Design)}
		if record.State == core.OK {
			e.Values = slices.Clone(record.Values)
		}
		subject.Evaluations = append(subject.Evaluations, e)
		if len(left) == 0 {
			return true
		}
		var text string
		text, failed = designText(a.Model, record.Design)
		for _, l := range byDesign[text] {
			if subject.LeftOut[l.Value] == nil {
				subject.LeftOut[l.Value] = map[int]string{}
			}
			subject.LeftOut[l.Value][record.Number] = l.Reason
		}
		return failed == nil
	})
	return r, explore.New(subject), errors.Join(err, failed)
}

// designText is a form of a design that two equal ones share, in whatever run.
func designText(m *model.Model, design []float64) (string, error) {
	text, err := json.Marshal(m.Values(design))
	return string(text), err
}

// namesOf reads a list of names from the query.
func namesOf(c fiber.Ctx, key string) []string {
	if text := c.Query(key); text != "" {
		return strings.Split(strings.Clone(text), ",")
	}
	return nil
}

func (s *Service) getExploration(c fiber.Ctx) error {
	of := namesOf(c, "of")
	_, x, err := s.explorer(c)
	if err != nil {
		return err
	}
	found, err := x.Explore(s.life, of)
	if err != nil {
		return asked(err)
	}
	return c.JSON(found)
}

// getObstacles sends what is known without any fit, so that it is there at once.
func (s *Service) getObstacles(c fiber.Ctx) error {
	_, x, err := s.explorer(c)
	if err != nil {
		return err
	}
	return c.JSON(x.Obstacles())
}

// asked turns the error of a question that was wrong into an answer.
func asked(err error) error {
	var unknown explore.ErrUnknown
	switch {
	case errors.As(err, &unknown):
		return problem(fiber.StatusBadRequest, "%s", err)
	case errors.Is(err, surrogate.ErrConstant):
		return problem(fiber.StatusConflict, "there is no surrogate: %s", err)
	}
	return err
}

// surface is the surrogate of a value, or an answer that says why there is none.
func surface(ctx context.Context, x *explore.Explorer, name string) (*surrogate.Surrogate, []int, error) {
	found, rows, err := x.Surface(ctx, name)
	var unknown explore.ErrUnknown
	if err != nil && ctx.Err() == nil && !errors.As(err, &unknown) {
		return nil, nil, problem(fiber.StatusConflict, "there is no surrogate of %s: %s", name, err)
	}
	return found, rows, asked(err)
}

func (s *Service) getFit(c fiber.Ctx) error {
	name := strings.Clone(c.Query("of"))
	r, x, err := s.explorer(c)
	if err != nil {
		return err
	}
	fit, rows, err := surface(s.life, x, name)
	if err != nil {
		return err
	}
	column := r.model.Column(name)
	answer := api.Fit{Value: name, Unit: r.model.Columns[column].Unit, Method: fit.Method, Q2: fit.Q2, Q2Limits: result.Limits{fit.From, fit.To}, Noise: fit.Noise,
		Inputs: []string{}, Competitors: []api.Competitor{}, Points: []api.FitPoint{}, LeftOut: []result.LeftOut{}}
	for _, k := range fit.Active {
		answer.Inputs = append(answer.Inputs, x.Problem.Space[k].Name)
	}
	for _, one := range fit.Competitors {
		answer.Competitors = append(answer.Competitors, api.Competitor(one))
	}
	for i, row := range rows {
		e := x.Evaluations[row]
		answer.Points = append(answer.Points, api.FitPoint{Evaluation: e.Number, Computed: e.Values[column], Predicted: fit.Validated[i], Deviations: fit.Residuals[i]})
	}
	for number, reason := range x.LeftOut[name] {
		answer.LeftOut = append(answer.LeftOut, result.LeftOut{Evaluation: number, Reason: reason})
	}
	slices.SortFunc(answer.LeftOut, func(a, b result.LeftOut) int { return cmp.Compare(a.Evaluation, b.Evaluation) })
	return c.JSON(answer)
}

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
		return nil, problem(fiber.StatusBadRequest, "%s is no curve of this run", name)
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

// mostReason bounds the reason for which a point is left out.
const mostReason = 1000

func (s *Service) leaveOut(c fiber.Ctx) error {
	var order api.LeavingOut
	if err := readJSON(c, &order); err != nil {
		return err
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	r, err := s.reading(run)
	if err != nil {
		return err
	}
	if r.model.Column(order.Value) < 0 {
		return problem(fiber.StatusBadRequest, "%s is no value of run %d", order.Value, run.ID)
	}
	record, err := s.store.Evaluation(run.ID, order.Evaluation)
	if err != nil {
		return err
	}
	design, err := designText(r.model, record.Design)
	if err != nil {
		return err
	}
	reason := strings.TrimSpace(order.Reason)
	switch {
	case len(reason) > mostReason:
		return problem(fiber.StatusBadRequest, "a reason has at most %d characters", mostReason)
	case reason == "":
		err = s.store.TakeBack(run.Bench, run.Question.Study, order.Value, design)
	default:
		err = s.store.LeaveOut(run.Bench, run.Question.Study, store.LeftOut{Value: order.Value, Design: design, Run: run.ID, Evaluation: order.Evaluation, Reason: reason})
	}
	if err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Service) listSelections(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	kept, err := s.store.Selections(run.ID)
	if err != nil {
		return err
	}
	answer := []api.Selection{}
	for _, one := range kept {
		answer = append(answer, api.Selection(one))
	}
	return c.JSON(answer)
}

// keepSelection keeps evaluations under a name.
func (s *Service) keepSelection(c fiber.Ctx) error {
	var order api.Selection
	if err := readJSON(c, &order); err != nil {
		return err
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	name := strings.TrimSpace(order.Name)
	if name == "" || len(name) > 100 {
		return problem(fiber.StatusBadRequest, "a selection needs a name of at most 100 characters")
	}
	written, err := s.store.CountEvaluations(run.ID)
	if err != nil {
		return err
	}
	if len(order.Evaluations) == 0 || len(order.Evaluations) > written || slices.Min(order.Evaluations) < 1 || slices.Max(order.Evaluations) > math.MaxInt32 {
		return problem(fiber.StatusBadRequest, "a selection has at least one evaluation of the run, and no more than it has")
	}
	if err := s.store.KeepSelection(run.ID, store.Selection{Name: name, Evaluations: order.Evaluations}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Service) dropSelection(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	if err := s.store.DropSelection(run.ID, strings.Clone(c.Query("name"))); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// extendRun gives a sample more points.
func (s *Service) extendRun(c fiber.Ctx) error {
	var order api.More
	if err := readJSON(c, &order); err != nil {
		return err
	}
	if order.More < 1 || order.More > bench.MaxEvaluations {
		return problem(fiber.StatusBadRequest, "more is how many points are added, at least 1")
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	run, err = s.runs.Extend(run.ID, order.More)
	var wrong study.WrongState
	switch {
	case errors.As(err, &wrong):
		return err
	case err != nil:
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	return c.JSON(shownRun(run))
}
