package document

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"ropebench/bench/plain"
	"ropebench/result"
)

// verdictHead names the columns of a table of verdicts.
var verdictHead = []string{"requirement", "says", "of", "limit", "reserve", "unit", "value", "margin", "margin_percent", "verdict", "decides", "nominal", "verified", "case"}

// cells are a row with numbers as numbers; nil where there is none.
func (s Subject) cells(r Row) []any {
	number := func(v *float64) any {
		if v == nil {
			return nil
		}
		return *v
	}
	var percent, nominal any
	if !math.IsNaN(r.Percent) {
		percent = r.Percent
	}
	if r.Nominal != nil {
		nominal = number(r.Nominal.Value)
	}
	q := r.Requirement
	return []any{q.ID, q.Says, q.Of.Text, r.Limit, q.Limit.Reserve, r.Unit, number(r.Judgment.Value), number(r.Judgment.Margin), percent, string(r.Verdict), q.Decisive(), nominal, s.IsVerified(), r.Judgment.Case}
}

// CSV writes a line for each requirement, with numbers in all their digits.
func CSV(s Subject) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	rows := [][]string{verdictHead}
	for _, r := range s.Rows() {
		var row []string
		for _, cell := range s.cells(r) {
			switch v := cell.(type) {
			case nil:
				row = append(row, "")
			case float64:
				row = append(row, plain.Exact(v))
			default:
				row = append(row, fmt.Sprint(v))
			}
		}
		rows = append(rows, row)
	}
	err := w.WriteAll(rows)
	return out.Bytes(), err
}

// JSON writes the answer and the verdicts.
func JSON(s Subject) ([]byte, error) {
	summed := s.Answer()
	a := result.Verdicts{Bench: s.Name, Revision: s.Revision, Candidate: s.Candidate.Name, Run: s.Candidate.Run, Evaluation: s.Candidate.Evaluation, Verified: s.IsVerified(), Holds: summed.Holds, Says: summed.Says,
		Written: s.Made.UTC(), Requirements: []result.VerdictOn{}, Design: s.Judged()}
	for _, r := range s.Rows() {
		one := result.VerdictOn{ID: r.Requirement.ID, Judgment: r.Judgment, Decides: r.Requirement.Decisive()}
		if !math.IsNaN(r.Percent) {
			one.Percent = &r.Percent
		}
		a.Requirements = append(a.Requirements, one)
	}
	return json.MarshalIndent(a, "", "  ")
}

// Workbook writes verdicts, inputs and values as sheets of an XLSX workbook.
func Workbook(s Subject) (text []byte, err error) {
	f := excelize.NewFile()
	defer func() { err = errors.Join(err, f.Close()) }()
	if err := f.SetSheetName("Sheet1", "Requirements"); err != nil {
		return nil, err
	}
	rows := [][]any{asCells(verdictHead)}
	for _, r := range s.Rows() {
		rows = append(rows, s.cells(r))
	}
	if err := fill(f, "Requirements", rows); err != nil {
		return nil, err
	}
	inputs, values := [][]any{asCells([]string{"input", "label", "unit", "nominal", "candidate"})}, [][]any{asCells([]string{"value", "label", "unit", "nominal", "candidate"})}
	if design := s.Judged(); design != nil {
		for _, in := range s.Bench.Inputs {
			value, known := design.Inputs[in.Name]
			if !known {
				value = in.Nominal
			}
			inputs = append(inputs, []any{in.Name, in.Label, in.Unit, in.Nominal.Cell(), value.Cell()})
		}
		for _, name := range s.Bench.ValueNames() {
			value, known := design.Values[name]
			if !known {
				continue
			}
			row := []any{name, s.Bench.Label(name), s.Bench.Unit(name), nil, value}
			if s.Nominal != nil {
				if was, known := s.Nominal.Values[name]; known {
					row[3] = was
				}
			}
			values = append(values, row)
		}
	}
	about := [][]any{{"bench", s.Name}, {"revision", s.Revision}, {"candidate", s.Candidate.Name}, {"run", s.Candidate.Run}, {"evaluation", s.Candidate.Evaluation}, {"because", s.Candidate.Because}, {"answer", s.Answer().Says}, {"written", s.Made.Format(time.RFC3339)}}
	for _, sheet := range []struct {
		name string
		rows [][]any
	}{{"Inputs", inputs}, {"Values", values}, {"About", about}} {
		if _, err := f.NewSheet(sheet.name); err != nil {
			return nil, err
		}
		if err := fill(f, sheet.name, sheet.rows); err != nil {
			return nil, err
		}
	}
	out, err := f.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

func asCells(names []string) []any {
	all := make([]any, len(names))
	for i, name := range names {
		all[i] = name
	}
	return all
}

// fill writes rows into a sheet. What begins like a formula stays the text that it is.
func fill(f *excelize.File, sheet string, rows [][]any) error {
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	for i, row := range rows {
		for k, cell := range row {
			at, err := excelize.CoordinatesToCellName(k+1, i+1)
			if err == nil && cell != nil {
				err = f.SetCellValue(sheet, at, cell)
			}
			if err != nil {
				return fmt.Errorf("sheet %s: %w", strings.ToLower(sheet), err)
			}
		}
	}
	if err := f.SetRowStyle(sheet, 1, 1, bold); err != nil {
		return err
	}
	return f.SetColWidth(sheet, "A", "M", 16)
}
