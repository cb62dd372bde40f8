package workbook

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// A stored formula is what the file of a workbook says of a cell with a formula: what the program that saved it last has
// calculated (ISO/IEC 29500-1, section 18.3.1.4).
type stored struct {
	formula string
	kind    string // n, str, b, e; "" where nothing is stored
	value   string
	array   bool // one formula for several cells, or that a newer program spills over several
}

// What the file says of one sheet.
type storedSheet struct {
	formulas map[cell]stored
	arrays   []Address // of formulas for several cells
}

// readStored finds the stored results of all sheets.
func readStored(text []byte) (map[string]storedSheet, error) {
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		return nil, err
	}
	var workbook struct {
		Sheets []struct {
			Name string `xml:"name,attr"`
			ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	var relations struct {
		All []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		} `xml:"Relationship"`
	}
	if err := errors.Join(readPart(archive, "xl/workbook.xml", &workbook), readPart(archive, "xl/_rels/workbook.xml.rels", &relations)); err != nil {
		return nil, err
	}
	sheets := map[string]storedSheet{}
	for _, sheet := range workbook.Sheets {
		for _, relation := range relations.All {
			if relation.ID != sheet.ID || !strings.Contains(relation.Target, "worksheets/") {
				continue
			}
			name := path.Join("xl", relation.Target)
			if rooted, isRooted := strings.CutPrefix(relation.Target, "/"); isRooted {
				name = rooted
			}
			if sheets[sheet.Name], err = readStoredSheet(archive, sheet.Name, name); err != nil {
				return nil, err
			}
		}
	}
	return sheets, nil
}

func openPart(archive *zip.Reader, name string) (io.ReadCloser, error) {
	part, err := archive.Open(name)
	if err != nil {
		return nil, fmt.Errorf("the workbook has no part %s: %w", name, err)
	}
	return struct {
		io.Reader
		io.Closer
	}{io.LimitReader(part, maxUnpacked), part}, nil
}

func readPart(archive *zip.Reader, name string, into any) error {
	part, err := openPart(archive, name)
	if err != nil {
		return err
	}
	defer part.Close()
	return xml.NewDecoder(part).Decode(into)
}

func readStoredSheet(archive *zip.Reader, sheet, name string) (storedSheet, error) {
	found := storedSheet{formulas: map[cell]stored{}}
	part, err := openPart(archive, name)
	if err != nil {
		return found, err
	}
	defer part.Close()
	decoder := xml.NewDecoder(part)
	shared := map[string]sharedFormula{}
	for {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			return found, nil
		}
		if err != nil {
			return found, fmt.Errorf("the sheet %s cannot be read: %w", sheet, err)
		}
		start, isStart := token.(xml.StartElement)
		if !isStart || start.Name.Local != "c" {
			continue
		}
		var c struct {
			At      string `xml:"r,attr"`
			Kind    string `xml:"t,attr"`
			Meta    string `xml:"cm,attr"` // a formula that spills
			Formula *struct {
				Kind  string `xml:"t,attr"`
				Ref   string `xml:"ref,attr"`
				Index string `xml:"si,attr"`
				Text  string `xml:",chardata"`
			} `xml:"f"`
			Value *string `xml:"v"`
		}
		if err := decoder.DecodeElement(&c, &start); err != nil {
			return found, fmt.Errorf("the sheet %s cannot be read: %w", sheet, err)
		}
		col, row, err := excelize.CellNameToCoordinates(c.At)
		if err != nil {
			return found, fmt.Errorf("the sheet %s cannot be read: %w", sheet, err)
		}
		if c.Formula == nil {
			continue
		}
		at := cell{sheet: sheet, col: col, row: row}
		text := strings.TrimSpace(c.Formula.Text)
		if c.Formula.Kind == "shared" {
			if text != "" {
				shared[c.Formula.Index] = sharedFormula{at: at, text: text}
			} else {
				text = shared[c.Formula.Index].movedTo(at)
			}
		}
		s := stored{formula: text, array: c.Meta != "" || c.Formula.Kind == "array" || c.Formula.Kind == "dataTable"}
		if c.Value != nil && *c.Value != "" {
			if s.kind, s.value = c.Kind, *c.Value; s.kind == "" {
				s.kind = "n"
			}
		} else if c.Kind == "str" && c.Value != nil {
			s.kind = "str" // an empty text
		}
		found.formulas[at] = s
		if s.array && c.Formula.Ref != "" {
			if area, err := ParseAddress("'" + strings.ReplaceAll(sheet, "'", "''") + "'!" + c.Formula.Ref); err == nil {
				found.arrays = append(found.arrays, area)
			}
		}
	}
}

func (a Address) contains(at cell) bool {
	return a.Sheet == at.sheet && at.col >= a.Col && at.col <= a.LastCol && at.row >= a.Row && at.row <= a.LastRow
}

// sameValue is how far a calculated number may be from the one that is stored, relatively: programs sum in different orders.
const sameValue = 1e-9

// differs compares what was calculated with what is stored.
func (s stored) differs(calculated string) bool {
	switch s.kind {
	case "n":
		want, err := strconv.ParseFloat(s.value, 64)
		got, gotErr := strconv.ParseFloat(calculated, 64)
		return err != nil || gotErr != nil || !(abs(got-want) <= sameValue*max(abs(got), abs(want), 1e-300))
	case "b":
		return !strings.EqualFold(calculated, map[string]string{"1": "TRUE", "0": "FALSE"}[s.value])
	}
	return calculated != s.value
}

func abs(x float64) float64 { return max(x, -x) }
