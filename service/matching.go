package service

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/xuri/excelize/v2"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/dispatch"
)

// A condition is a formula of inputs and values that an evaluation meets or not.
type condition struct {
	reading reading
	machine *formula.Machine
	names   []string
	at      []int // columns of the table: where each stands
	in, out []float64
}

// where compiles a condition such as peak_g < 2.5 and cost < 2000.
func (r reading) where(text string) (condition, error) {
	c := condition{reading: r}
	expression, err := formula.Parse(text)
	if err != nil {
		return c, problem(fiber.StatusBadRequest, "the condition %q cannot be read: %s", text, err)
	}
	for at, column := range r.columns() {
		if bench.GoodName.MatchString(column.Name) && column.Words == nil {
			c.names, c.at = append(c.names, column.Name), append(c.at, at)
		}
	}
	for _, name := range expression.Names {
		if !slices.Contains(c.names, name) {
			return c, problem(fiber.StatusBadRequest, "the condition %q names %s, which is no number of this run%s (known: %s)", text, name, formula.Suggest(name, c.names), strings.Join(c.names, ", "))
		}
	}
	program, err := formula.Compile(c.names, []formula.Definition{{Name: "condition", Expression: expression}})
	if err != nil {
		return c, problem(fiber.StatusBadRequest, "the condition %q cannot be computed: %s", text, err)
	}
	c.machine, c.in, c.out = program.NewMachine(), make([]float64, len(c.names)), []float64{0}
	return c, nil
}

// meets is true for an evaluation that has values and meets the condition.
func (c condition) meets(record dispatch.Record) bool {
	if record.State != core.OK {
		return false
	}
	for k, at := range c.at {
		c.in[k] = c.reading.number(record, at)
	}
	c.machine.One(c.in, c.out)
	return c.out[0] != 0 && !math.IsNaN(c.out[0])
}

// listMatching lists the evaluations that meet a condition.
func (s *Service) listMatching(c fiber.Ctx) error {
	where := strings.Clone(c.Query("where"))
	r, err := s.namedReading(c)
	if err != nil {
		return err
	}
	wanted, err := r.where(where)
	if err != nil {
		return err
	}
	answer := api.Matching{Evaluations: []int{}}
	err = s.store.Evaluations(r.run.ID, 1, func(record dispatch.Record) bool {
		if wanted.meets(record) {
			answer.Evaluations = append(answer.Evaluations, record.Number)
		}
		return true
	})
	if err != nil {
		return err
	}
	return c.JSON(answer)
}

// mostInWorkbook bounds the rows of a table in a workbook.
const mostInWorkbook = 100_000

const workbookType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

// sendTable sends the whole table of a run as a file: CSV or a workbook, with all digits.
func (s *Service) sendTable(c fiber.Ctx) error {
	r, err := s.namedReading(c)
	if err != nil {
		return err
	}
	var records []dispatch.Record
	err = s.store.Evaluations(r.run.ID, 1, func(record dispatch.Record) bool {
		records = append(records, record)
		return len(records) <= mostInWorkbook
	})
	if err != nil {
		return err
	}
	if len(records) > mostInWorkbook {
		return problem(fiber.StatusBadRequest, "run %d has more than %d evaluations: take them by `ropebench table %d --csv`", r.run.ID, mostInWorkbook, r.run.ID)
	}
	name := fmt.Sprintf("%s-run-%d", r.run.Bench, r.run.ID)
	if c.Query("format", "csv") == "csv" {
		c.Attachment(name + ".csv")
		return sendCSV(c, r, records)
	}
	text, err := workbookOf(r, records)
	if err != nil {
		return err
	}
	c.Attachment(name + ".xlsx")
	c.Set("Content-Type", workbookType)
	return c.Send(text)
}

// workbookOf writes evaluations into the first sheet of a workbook, as numbers.
func workbookOf(r reading, records []dispatch.Record) ([]byte, error) {
	file := excelize.NewFile()
	defer file.Close()
	const sheet = "Evaluations"
	if err := file.SetSheetName("Sheet1", sheet); err != nil {
		return nil, err
	}
	w, err := file.NewStreamWriter(sheet)
	if err != nil {
		return nil, err
	}
	columns := r.columns()
	rows := [][]any{{}}
	for _, name := range headerOf(columns) {
		rows[0] = append(rows[0], name)
	}
	for _, record := range records {
		rows = append(rows, r.cells(columns, record))
	}
	for i, row := range rows {
		if err := w.SetRow(fmt.Sprintf("A%d", i+1), row); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	text, err := file.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return text.Bytes(), nil
}
