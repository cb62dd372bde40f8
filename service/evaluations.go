package service

import (
	"cmp"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/table"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/study"
)

// A reading is a run with the model that can read its records, and the order in which they are shown.
type reading struct {
	run            study.Run
	model          *model.Model
	inputs, values []int // of designs and of columns, in the order of the bench file
}

// read compiles the question of a run with its own revision, so that its records can be read.
func (s *Service) reading(run study.Run) (reading, error) {
	b, err := s.revision(run.Bench, run.Revision)
	if err != nil {
		return reading{}, err
	}
	a, err := study.Ask(b, run.Question)
	if err != nil {
		return reading{}, err
	}
	return reading{run: run, model: a.Model, inputs: a.Model.ShownInputs(b), values: a.Model.ShownColumns(b)}, nil
}

// columns describes the table of a run: the inputs that move, then the values.
func (r reading) columns() []table.Column {
	var columns []table.Column
	for _, k := range r.inputs {
		in := r.model.Input(k)
		column := table.Column{Name: in.Name, Unit: in.Unit, Input: true}
		if in.Words() {
			column.Words = in.Choices.Words
		}
		columns = append(columns, column)
	}
	for _, i := range r.values {
		columns = append(columns, table.Column{Name: r.model.Columns[i].Name, Unit: r.model.Columns[i].Unit})
	}
	return columns
}

// number gives a record's number in a column of its table.
func (r reading) number(record dispatch.Record, column int) float64 {
	if column < len(r.inputs) {
		return record.Design[r.inputs[column]]
	}
	if i := r.values[column-len(r.inputs)]; i < len(record.Values) {
		return record.Values[i]
	}
	return math.NaN()
}

// curveNames lists the vectors and curves of a run, for a message.
func (r reading) curveNames() string {
	var names []string
	for _, c := range r.model.Curves {
		names = append(names, c.Name)
	}
	return cmp.Or(strings.Join(names, ", "), "none")
}

func (r reading) feasible(record dispatch.Record) bool {
	return record.State == core.OK && r.model.Feasible(record.Values)
}

// shown is a record as one line of a table.
func (r reading) shown(record dispatch.Record) api.Evaluation {
	e := api.Evaluation{Number: record.Number, State: record.State.String(), Design: make([]bench.Value, len(r.inputs)), Feasible: r.feasible(record), Reused: record.Reused, Reason: record.Reason}
	for i, k := range r.inputs {
		e.Design[i] = r.model.Input(k).ValueOf(record.Design[k])
	}
	if record.Values == nil {
		return e
	}
	e.Missed = r.model.Missed(record.Values)
	e.Values = make([]*float64, len(r.values))
	for i, column := range r.values {
		if value := record.Values[column]; !math.IsNaN(value) {
			e.Values[i] = &value
		}
	}
	return e
}

// maxSorted bounds how many evaluations are sorted at once.
const maxSorted = 200_000

// An evaluationsQuery says which evaluations are wanted, and in which order.
type evaluationsQuery struct {
	after, limit int
	sort         string
	largestFirst bool
	only         string
}

func readEvaluationsQuery(c fiber.Ctx) (q evaluationsQuery, err error) {
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

func (q evaluationsQuery) wants(r reading, record dispatch.Record) bool {
	switch q.only {
	case "ok":
		return record.State == core.OK
	case "failed":
		return record.State == core.Failed || record.State == core.TimedOut
	case "feasible":
		return r.feasible(record)
	case "infeasible":
		return record.State == core.OK && !r.feasible(record)
	case "not-tried":
		return record.State == core.NotTried
	}
	return true
}

func (s *Service) listEvaluations(c fiber.Ctx) error {
	r, err := s.namedReading(c)
	if err != nil {
		return err
	}
	query, err := readEvaluationsQuery(c)
	if err != nil {
		return err
	}
	page, next, err := s.page(r, query)
	if err != nil {
		return err
	}
	if strings.Contains(c.Get("Accept"), "text/csv") {
		if next > 0 {
			c.Set("Link", nextLink(c, next))
		}
		return sendCSV(c, r, page)
	}
	answer := api.Evaluations{Inputs: []string{}, Columns: []string{}, Evaluations: make([]api.Evaluation, len(page)), Next: next}
	for _, column := range r.columns() {
		if column.Input {
			answer.Inputs = append(answer.Inputs, column.Name)
		} else {
			answer.Columns = append(answer.Columns, column.Name)
		}
	}
	for i, record := range page {
		answer.Evaluations[i] = r.shown(record)
	}
	return c.JSON(answer)
}

// namedReading is the run that a path names, ready to be read.
func (s *Service) namedReading(c fiber.Ctx) (reading, error) {
	run, err := s.namedRun(c)
	if err != nil {
		return reading{}, err
	}
	return s.reading(run)
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

// page gives one page and the cursor of the next, 0 on the last.
func (s *Service) page(r reading, q evaluationsQuery) (page []dispatch.Record, next int, err error) {
	if q.sort != "" {
		return s.sortedPage(r, q)
	}
	err = s.store.Evaluations(r.run.ID, q.after+1, func(record dispatch.Record) bool {
		if !q.wants(r, record) {
			return true
		}
		if len(page) == q.limit {
			next = page[q.limit-1].Number
			return false
		}
		page = append(page, record)
		return true
	})
	return page, next, err
}

func (s *Service) sortedPage(r reading, q evaluationsQuery) ([]dispatch.Record, int, error) {
	columns := r.columns()
	at := slices.IndexFunc(columns, func(c table.Column) bool { return c.Name == q.sort })
	if at < 0 {
		var known []string
		for _, column := range columns {
			known = append(known, column.Name)
		}
		return nil, 0, problem(fiber.StatusBadRequest, "%q is no input or value of this run%s (known: %s)", q.sort, formula.Suggest(q.sort, known), strings.Join(known, ", "))
	}
	var records []dispatch.Record
	keys := table.New(columns[at:at+1], 0)
	err := s.store.Evaluations(r.run.ID, 1, func(record dispatch.Record) bool {
		if q.wants(r, record) {
			records = append(records, record)
			keys.Append(record.Number, record.State, func(int) float64 { return r.number(record, at) })
		}
		return len(records) <= maxSorted
	})
	if err != nil {
		return nil, 0, err
	}
	if len(records) > maxSorted {
		return nil, 0, problem(fiber.StatusBadRequest, "more than %d evaluations cannot be sorted at once: filter them, or take them unsorted", maxSorted)
	}
	rows := keys.Sorted(keys.Columns[0], q.largestFirst)
	from := min(q.after, len(rows))
	to := min(from+q.limit, len(rows))
	page := make([]dispatch.Record, 0, to-from)
	for _, row := range rows[from:to] {
		page = append(page, records[row])
	}
	if to == len(rows) {
		return page, 0, nil
	}
	return page, to, nil
}
