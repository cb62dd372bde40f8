package service

import (
	"bytes"
	"encoding/binary"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/core/table"
	"ropebench/dispatch"
)

// columnsType is the media type of columns: the length of a JSON header as a little-endian 32-bit number, the header, blanks
// up to a multiple of eight bytes, and the columns one after the other as little-endian 64-bit floats, NaN where there is no
// number.
const columnsType = "application/vnd.ropebench.columns"

// statesOfColumns are the states in the order of core.State.
var statesOfColumns = []string{"ok", "failed", "timed out", "cancelled", "not tried"}

// mostReasons is how many reasons are sent: more are not read.
const mostReasons = 1000

// sendColumns sends the evaluations of a run behind a number by columns.
func (s *Service) sendColumns(c fiber.Ctx) error {
	r, err := s.namedReading(c)
	if err != nil {
		return err
	}
	after, err := number(c, "after", 0, 0, math.MaxInt32)
	if err != nil {
		return err
	}
	t := table.New(r.columns(), max(0, r.run.Evaluations-after))
	var feasible, reused []float64
	reasons := map[string]string{}
	err = s.store.Evaluations(r.run.ID, after+1, func(record dispatch.Record) bool {
		t.Append(record.Number, record.State, func(column int) float64 { return r.number(record, column) })
		feasible, reused = append(feasible, flag(r.feasible(record))), append(reused, flag(record.Reused))
		if record.Reason != "" && len(reasons) < mostReasons {
			reasons[strconv.Itoa(record.Number)] = record.Reason
		}
		return true
	})
	if err != nil {
		return err
	}
	text, err := encodeColumns(t, reasons, feasible, reused)
	if err != nil {
		return err
	}
	c.Set("Content-Type", columnsType)
	return c.Send(text)
}

func flag(is bool) float64 {
	if is {
		return 1
	}
	return 0
}

func encodeColumns(t *table.Table, reasons map[string]string, feasible, reused []float64) ([]byte, error) {
	header := api.ColumnsHeader{Rows: t.Rows(), States: statesOfColumns, Reasons: reasons, Columns: []api.ColumnOfNumbers{{Name: "evaluation", Kind: "number"}, {Name: "state", Kind: "state"}, {Name: "feasible", Kind: "feasible"}, {Name: "reused", Kind: "reused"}}}
	for _, column := range t.Columns {
		kind := "value"
		if column.Input {
			kind = "input"
		}
		header.Columns = append(header.Columns, api.ColumnOfNumbers{Name: column.Name, Kind: kind, Unit: column.Unit, Words: column.Words})
	}
	described, err := json.Marshal(header)
	if err != nil {
		return nil, err
	}
	for (4+len(described))%8 != 0 {
		described = append(described, ' ')
	}
	text := make([]byte, 0, 4+len(described)+8*t.Rows()*len(header.Columns))
	text = append(binary.LittleEndian.AppendUint32(text, uint32(len(described))), described...)
	for _, n := range t.Numbers {
		text = appendFloat(text, float64(n))
	}
	for _, state := range t.States {
		text = appendFloat(text, float64(state))
	}
	for _, numbers := range [][]float64{feasible, reused} {
		for _, n := range numbers {
			text = appendFloat(text, n)
		}
	}
	for _, column := range t.Columns {
		for _, n := range column.Numbers {
			text = appendFloat(text, n)
		}
	}
	return text, nil
}

func appendFloat(text []byte, value float64) []byte {
	return binary.LittleEndian.AppendUint64(text, math.Float64bits(value))
}

// headerOf names the columns of a table of evaluations that is sent as a file.
func headerOf(columns []table.Column) []string {
	header := []string{"evaluation", "state", "feasible", "reused", "reason", "missed"}
	for _, column := range columns {
		name := column.Name
		if column.Unit != "" {
			name += " [" + column.Unit + "]"
		}
		header = append(header, name)
	}
	return header
}

// cells are those of an evaluation below the header: texts, booleans and numbers; nil where there is no value.
func (r reading) cells(columns []table.Column, record dispatch.Record) []any {
	missed := ""
	if record.Values != nil {
		missed = strings.Join(r.model.Missed(record.Values), " ")
	}
	row := []any{record.Number, record.State.String(), r.feasible(record), record.Reused, record.Reason, missed}
	for k, column := range columns {
		switch value := r.number(record, k); {
		case math.IsNaN(value):
			row = append(row, nil)
		case column.Words != nil:
			row = append(row, column.Words[int(value)])
		default:
			row = append(row, value)
		}
	}
	return row
}

// sendCSV writes evaluations as a table with all digits.
func sendCSV(c fiber.Ctx, r reading, page []dispatch.Record) error {
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	columns := r.columns()
	rows := [][]string{headerOf(columns)}
	for _, record := range page {
		var row []string
		for _, cell := range r.cells(columns, record) {
			row = append(row, textOf(cell))
		}
		rows = append(rows, row)
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	return c.Send(text.Bytes())
}

// textOf is a cell as CSV has it.
func textOf(cell any) string {
	switch cell := cell.(type) {
	case nil:
		return ""
	case string:
		return harmless(cell)
	case float64:
		return plain.Exact(cell)
	}
	return fmt.Sprint(cell)
}

// harmless keeps a spreadsheet from taking a text for a formula.
func harmless(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}
