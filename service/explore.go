package service

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/core"
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
	mostExplorers = 8
	mostExplored  = 200_000 // evaluations of a run that are looked at
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
	return s.explorerOf(run)
}

func (s *Service) explorerOf(run study.Run) (reading, *explore.Explorer, error) {
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
	r := reading{run: run, model: a.Model, inputs: a.Model.ShownInputs(b), values: a.Model.ShownColumns(b)}
	subject := explore.Subject{Model: a.Model, Seed: run.Question.Seed, LeftOut: map[string]map[int]string{}}
	var designs []core.Design
	byDesign := map[string][]store.LeftOut{}
	for _, l := range left {
		byDesign[l.Design] = append(byDesign[l.Design], l)
	}
	var failed error
	err = s.store.Evaluations(run.ID, 1, func(record dispatch.Record) bool {
		e := explore.Evaluation{Number: record.Number, State: record.State, Reason: record.Reason}
		designs = append(designs, slices.Clone(record.Design))
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
	subject.Problem = a.Explored(designs)
	if len(subject.Problem.Space) == 0 {
		return reading{}, nil, problem(fiber.StatusBadRequest, "run %d varies no input: a sample, a sensitivity study or a search can be explored", run.ID)
	}
	for i, design := range designs {
		subject.Evaluations[i].Design = subject.Problem.Part(design)
	}
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
		Inputs: []string{}, Competitors: []api.Competitor{}, Points: []api.FitPoint{}, LeftOut: x.LeftOutOf(name)}
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
	return c.JSON(answer)
}
