package service

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/study"
)

// shownSamples is how many samples of a curve are sent for drawing.
const shownSamples = 2000

// namedEvaluation is the evaluation that a path names, with what can read it.
func (s *Service) namedEvaluation(c fiber.Ctx) (record dispatch.Record, r reading, err error) {
	run, err := s.namedRun(c)
	if err != nil {
		return record, r, err
	}
	wanted, err := strconv.Atoi(c.Params("evaluation"))
	if err != nil || wanted < 1 {
		return record, r, problem(fiber.StatusBadRequest, "an evaluation is named by its number, not by %q", c.Params("evaluation"))
	}
	if record, err = s.store.Evaluation(run.ID, wanted); err != nil {
		return record, r, err
	}
	r, err = s.reading(run)
	return record, r, err
}

func (s *Service) getEvaluation(c fiber.Ctx) error {
	record, r, err := s.namedEvaluation(c)
	if err != nil {
		return err
	}
	m := r.model
	detail := api.EvaluationDetail{Evaluation: r.shown(record), Inputs: m.Values(record.Design), Requirements: m.Judge(nil),
		Seconds: record.Seconds, Tail: record.Tail, Steps: shownSteps(record.Steps), Curves: map[string]api.Curve{}}
	if record.State == core.OK {
		detail.Named, detail.Requirements = map[string]float64{}, m.Judge(record.Values)
		for _, i := range m.ShownColumns(m.Bench) {
			detail.Named[m.Columns[i].Name] = record.Values[i]
		}
	}
	for i, samples := range record.Curves {
		thin := samples.Thin(shownSamples)
		detail.Curves[m.Curves[i].Name] = api.Curve{X: along(thin), Y: thin.Y}
	}
	return c.JSON(detail)
}

// sendCurve sends a curve with all its samples and digits, as CSV.
func (s *Service) sendCurve(c fiber.Ctx) error {
	record, r, err := s.namedEvaluation(c)
	if err != nil {
		return err
	}
	var names []string
	for i, samples := range record.Curves {
		described := r.model.Curves[i]
		if names = append(names, described.Name); described.Name != c.Params("curve") {
			continue
		}
		var text strings.Builder
		x := "row"
		if samples.X != nil {
			x = "x"
		}
		fmt.Fprintf(&text, "%s,%s\n", x, described.Name)
		for k, at := range along(samples) {
			fmt.Fprintf(&text, "%s,%s\n", plain.Exact(at), plain.Exact(samples.Y[k]))
		}
		c.Set("Content-Type", "text/csv; charset=utf-8")
		return c.SendString(text.String())
	}
	return problem(fiber.StatusNotFound, "evaluation %d of run %d has no curve %s%s", record.Number, r.run.ID, c.Params("curve"), formula.Suggest(c.Params("curve"), names))
}

// along is what the values of a curve are drawn over: its x, or for a vector their numbers.
func along(c curve.Curve) []float64 {
	if c.X != nil {
		return c.X
	}
	numbers := make([]float64, len(c.Y))
	for i := range numbers {
		numbers[i] = float64(i + 1)
	}
	return numbers
}

func shownSteps(steps []solver.StepTime) []api.Step {
	var answers []api.Step
	for _, step := range steps {
		answers = append(answers, api.Step{Name: step.Name, Seconds: step.Elapsed.Seconds()})
	}
	return answers
}

// getDerivatives differentiates an evaluation.
func (s *Service) getDerivatives(c fiber.Ctx) error {
	record, r, err := s.namedEvaluation(c)
	if err != nil {
		return err
	}
	if record.State != core.OK {
		return problem(fiber.StatusConflict, "the evaluation is %s: it has no derivatives", record.State)
	}
	content, err := s.store.Content(r.run.Bench, r.run.Revision)
	if err != nil {
		return err
	}
	b, err := read.Parse(content)
	if err != nil {
		return err
	}
	blackBox, err := study.SolverOf(b, content, s.config.Path)
	if err != nil {
		return err
	}
	m := r.model
	derivation, err := m.Derivation(blackBox)
	if err != nil {
		return problem(fiber.StatusConflict, "%s", err)
	}
	inputs, values := core.NewMatrix(1, m.Variables()), core.NewMatrix(1, len(m.Columns))
	m.Fill(record.Design, inputs.Row(0))
	copy(values.Row(0), record.Values)
	all, errs := derivation.Of(c.Context(), inputs, values, []map[string]map[string]float64{record.Derivatives})
	if errs[0] != nil {
		return problem(fiber.StatusConflict, "%s", errs[0])
	}
	return c.JSON(r.derivatives(*all[0]))
}

// derivatives shows those of the columns that have some, by the inputs that are numbers.
func (r reading) derivatives(all core.Matrix) api.Derivatives {
	d := api.Derivatives{Inputs: []string{}, Values: map[string][]*float64{}}
	var by []int
	for _, k := range r.inputs {
		if in := r.model.Input(k); !in.Words() {
			d.Inputs, by = append(d.Inputs, in.Name), append(by, k)
		}
	}
	for _, i := range r.model.ShownColumns(r.model.Bench) {
		column := r.model.Columns[i]
		row, known := make([]*float64, len(by)), false
		for n, k := range by {
			if value := all.Row(i)[k]; !math.IsNaN(value) && !math.IsInf(value, 0) {
				row[n], known = &value, true
			}
		}
		if known {
			d.Values[column.Name] = row
		}
	}
	return d
}
