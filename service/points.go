package service

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/study"
)

// A pointAnswer is one evaluation in a table.
type pointAnswer struct {
	Evaluation int           `json:"evaluation"`
	State      string        `json:"state"`
	Design     []bench.Value `json:"design"`
	Values     []*float64    `json:"values,omitempty"` // null where the inputs alone do not decide it
	Feasible   bool          `json:"feasible,omitempty"`
	Reused     bool          `json:"reused,omitempty"`
	Reason     string        `json:"reason,omitempty"`
	numbers    []float64     // the design, words by their index
}

// maxSorted bounds how many points are sorted at once.
const maxSorted = 200_000

// A pointsQuery says which points are wanted, and in which order.
type pointsQuery struct {
	after, limit int
	sort         string
	largestFirst bool
	only         string
}

func readPointsQuery(c fiber.Ctx) (q pointsQuery, err error) {
	if q.after, err = number(c, "after", 0, 0, math.MaxInt32); err != nil {
		return q, err
	}
	if q.limit, err = number(c, "limit", 1000, 1, 10_000); err != nil {
		return q, err
	}
	q.sort, q.largestFirst = strings.CutPrefix(strings.Clone(c.Query("sort")), "-")
	q.only = strings.Clone(c.Query("only"))
	if q.only != "" && !slices.Contains([]string{"ok", "failed", "feasible", "infeasible", "not-tried"}, q.only) {
		return q, problem(fiber.StatusBadRequest, "only is one of ok, failed, feasible, infeasible and not-tried, not %q", q.only)
	}
	return q, nil
}

func (s *Service) listPoints(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	query, err := readPointsQuery(c)
	if err != nil {
		return err
	}
	m, err := s.model(run)
	if err != nil {
		return err
	}
	points, next, err := s.points(run, m, query)
	if err != nil {
		return err
	}
	if strings.Contains(c.Get("Accept"), "text/csv") {
		if next > 0 {
			c.Set("Link", nextLink(c, next))
		}
		return sendCSV(c, m.Layout, points)
	}
	answer := fiber.Map{"inputs": filled(m.Layout.Inputs), "columns": filled(m.Columns), "points": points}
	if next > 0 {
		answer["next"] = next
	}
	return c.JSON(answer)
}

// nextLink names the next page of a table (RFC 8288), since CSV has no place for a cursor.
func nextLink(c fiber.Ctx, next int) string {
	query := url.Values{}
	for name, value := range c.Queries() {
		query.Set(name, value)
	}
	query.Set("after", strconv.Itoa(next))
	return "<" + c.Path() + "?" + query.Encode() + `>; rel="next"`
}

func filled(names []string) []string {
	if names == nil {
		return []string{}
	}
	return names
}

// model compiles the question of a run, so that its records can be read.
func (s *Service) model(run study.Run) (*study.Model, error) {
	b, err := s.revision(run.Bench, run.Revision)
	if err != nil {
		return nil, err
	}
	_, m, err := study.Ask(b, run.Question)
	return m, err
}

// points gives one page and the cursor of the next, 0 on the last.
func (s *Service) points(run study.Run, m *study.Model, q pointsQuery) (page []pointAnswer, next int, err error) {
	page = []pointAnswer{}
	if q.sort != "" {
		return s.sortedPoints(run, m, q)
	}
	err = s.store.Evaluations(run.ID, q.after+1, func(record dispatch.Record) bool {
		point := answerPoint(record, m)
		if !q.wants(point) {
			return true
		}
		if len(page) == q.limit {
			next = page[q.limit-1].Evaluation
			return false
		}
		page = append(page, point)
		return true
	})
	return page, next, err
}

func (s *Service) sortedPoints(run study.Run, m *study.Model, q pointsQuery) ([]pointAnswer, int, error) {
	key, err := sortKey(m, q.sort)
	if err != nil {
		return nil, 0, err
	}
	var all []pointAnswer
	full := false
	err = s.store.Evaluations(run.ID, 1, func(record dispatch.Record) bool {
		if point := answerPoint(record, m); q.wants(point) {
			all = append(all, point)
		}
		full = len(all) > maxSorted
		return !full
	})
	if err != nil {
		return nil, 0, err
	}
	if full {
		return nil, 0, problem(fiber.StatusBadRequest, "more than %d points cannot be sorted at once: filter them, or take them unsorted", maxSorted)
	}
	slices.SortStableFunc(all, func(a, b pointAnswer) int {
		x, y := key(a), key(b)
		switch {
		case math.IsNaN(x) || math.IsNaN(y): // what has no value comes last, either way
			return cmp.Compare(boolToInt(math.IsNaN(x)), boolToInt(math.IsNaN(y)))
		case q.largestFirst:
			return cmp.Compare(y, x)
		}
		return cmp.Compare(x, y)
	})
	from := min(q.after, len(all))
	to := min(from+q.limit, len(all))
	next := 0
	if to < len(all) {
		next = to
	}
	return append([]pointAnswer{}, all[from:to]...), next, nil
}

func boolToInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// sortKey finds the column of a name.
func sortKey(m *study.Model, name string) (func(pointAnswer) float64, error) {
	if i := slices.Index(m.Layout.Inputs, name); i >= 0 {
		return func(p pointAnswer) float64 { return p.numbers[i] }, nil
	}
	if i := slices.Index(m.Columns, name); i >= 0 {
		return func(p pointAnswer) float64 {
			if len(p.Values) <= i || p.Values[i] == nil {
				return math.NaN()
			}
			return *p.Values[i]
		}, nil
	}
	known := append(slices.Clone(m.Layout.Inputs), m.Columns...)
	return nil, problem(fiber.StatusBadRequest, "%q is no input or value of this run%s (known: %s)", name, formula.Suggest(name, known), strings.Join(known, ", "))
}

func (q pointsQuery) wants(p pointAnswer) bool {
	switch q.only {
	case "ok":
		return p.State == core.OK.String()
	case "failed":
		return p.State == core.Failed.String() || p.State == core.TimedOut.String()
	case "feasible":
		return p.Feasible
	case "infeasible":
		return p.State == core.OK.String() && !p.Feasible
	case "not-tried":
		return p.State == core.NotTried.String()
	}
	return true
}

func answerPoint(record dispatch.Record, m *study.Model) pointAnswer {
	p := pointAnswer{Evaluation: record.Number, State: record.State.String(), Design: m.Shown(record.Design), Reused: record.Reused, Reason: record.Reason, numbers: record.Design}
	if record.State != core.OK && record.State != core.NotTried {
		return p
	}
	p.Values = make([]*float64, len(record.Values))
	for i, value := range record.Values {
		if !math.IsNaN(value) {
			p.Values[i] = &record.Values[i]
		}
	}
	p.Feasible = record.State == core.OK && m.Feasible(record.Values)
	return p
}

// sendCSV writes points as a table with all digits.
func sendCSV(c fiber.Ctx, layout study.Layout, points []pointAnswer) error {
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	header := append([]string{"evaluation", "state", "feasible"}, layout.Inputs...)
	rows := [][]string{append(header, layout.Columns...)}
	for _, p := range points {
		row := []string{strconv.Itoa(p.Evaluation), p.State, strconv.FormatBool(p.Feasible)}
		for _, x := range p.Design {
			row = append(row, x.String())
		}
		for i := range layout.Columns {
			if i < len(p.Values) && p.Values[i] != nil {
				row = append(row, strconv.FormatFloat(*p.Values[i], 'g', -1, 64))
			} else {
				row = append(row, "")
			}
		}
		rows = append(rows, row)
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	return c.Send(text.Bytes())
}

// evaluation finds one evaluation of a run.
func (s *Service) evaluation(run study.Run, wanted int) (found dispatch.Record, err error) {
	err = s.store.Evaluations(run.ID, wanted, func(record dispatch.Record) bool {
		found = record
		return false
	})
	if err == nil && found.Number != wanted {
		err = problem(fiber.StatusNotFound, "run %d has no evaluation %d", run.ID, wanted)
	}
	return found, err
}

// A pointDetail is one evaluation with all that is known of it.
type pointDetail struct {
	pointAnswer
	Inputs       map[string]bench.Value    `json:"inputs"`
	Named        map[string]float64        `json:"named,omitempty"`
	Requirements map[string]study.Judgment `json:"requirements"`
	Seconds      float64                   `json:"seconds"`
	Tail         string                    `json:"tail,omitempty"`
	Steps        []stepAnswer              `json:"steps,omitempty"`
	Curves       map[string]curveAnswer    `json:"curves"`
}

type stepAnswer struct {
	Name    string  `json:"name"`
	Seconds float64 `json:"seconds"`
}

type curveAnswer struct {
	X []float64 `json:"x"`
	Y []float64 `json:"y"`
}

// shownSamples is how many samples of a curve are sent for drawing.
const shownSamples = 2000

// namedPoint is the evaluation that a path names, with the model that can read it.
func (s *Service) namedPoint(c fiber.Ctx) (record dispatch.Record, m *study.Model, err error) {
	run, err := s.namedRun(c)
	if err != nil {
		return record, nil, err
	}
	wanted, err := strconv.Atoi(c.Params("evaluation"))
	if err != nil || wanted < 1 {
		return record, nil, problem(fiber.StatusBadRequest, "an evaluation is named by its number, not by %q", c.Params("evaluation"))
	}
	if record, err = s.evaluation(run, wanted); err != nil {
		return record, nil, err
	}
	m, err = s.model(run)
	return record, m, err
}

func (s *Service) getDerivatives(c fiber.Ctx) error {
	record, m, err := s.namedPoint(c)
	if err != nil {
		return err
	}
	slopes, err := m.Slopes(record)
	if err != nil {
		return problem(fiber.StatusConflict, "%s", err)
	}
	values := map[string][]*float64{}
	for name, derivatives := range slopes.Values {
		for i, derivative := range derivatives {
			if math.IsNaN(derivative) || math.IsInf(derivative, 0) {
				values[name] = append(values[name], nil)
			} else {
				values[name] = append(values[name], &derivatives[i])
			}
		}
	}
	return c.JSON(fiber.Map{"inputs": slopes.Inputs, "values": values})
}

func (s *Service) getPoint(c fiber.Ctx) error {
	record, m, err := s.namedPoint(c)
	if err != nil {
		return err
	}
	detail := pointDetail{pointAnswer: answerPoint(record, m), Inputs: m.Values(record.Design), Requirements: m.Judge(nil),
		Seconds: record.Seconds, Tail: record.Tail, Steps: stepAnswers(record.Steps), Curves: map[string]curveAnswer{}}
	if record.State == core.OK {
		detail.Named, detail.Requirements = map[string]float64{}, m.Judge(record.Values)
		for i, name := range m.Columns {
			detail.Named[name] = record.Values[i]
		}
	}
	for i, samples := range record.Curves {
		thin := samples.Thin(shownSamples)
		detail.Curves[m.Curves[i]] = curveAnswer{along(thin), thin.Y}
	}
	return c.JSON(detail)
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

func stepAnswers(steps []solver.StepTime) []stepAnswer {
	var answers []stepAnswer
	for _, step := range steps {
		answers = append(answers, stepAnswer{step.Name, step.Elapsed.Seconds()})
	}
	return answers
}
