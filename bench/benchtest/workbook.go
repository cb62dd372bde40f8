package benchtest

import (
	"archive/zip"
	"bytes"
	"fmt"
	"html"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Workbook makes a workbook with one sheet, Sheet1, as a spreadsheet program saves it. Its cells are numbers, words, formulas with
// what is stored of them, as in =A1*2|4, or array formulas with their area: {B1:B3=A1:A3*2}|4.
func Workbook(t testing.TB, cells map[string]string) []byte {
	rows := map[int][]string{}
	for at, content := range cells {
		number, err := strconv.Atoi(strings.TrimLeft(at, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"))
		require.NoError(t, err)
		rows[number] = append(rows[number], at+"\x00"+content)
	}
	var sheet strings.Builder
	sheet.WriteString(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>`)
	for number := 1; len(rows) > 0; number++ {
		if row, used := rows[number]; used {
			delete(rows, number)
			slices.Sort(row)
			fmt.Fprintf(&sheet, `<row r="%d">`, number)
			for _, c := range row {
				at, content, _ := strings.Cut(c, "\x00")
				sheet.WriteString(cellXML(at, content))
			}
			sheet.WriteString(`</row>`)
		}
	}
	sheet.WriteString(`</sheetData></worksheet>`)
	var made bytes.Buffer
	w := zip.NewWriter(&made)
	for _, part := range [][2]string{
		{"[Content_Types].xml", `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`},
		{"_rels/.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
		{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`},
		{"xl/workbook.xml", `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Sheet1" sheetId="1" r:id="rId1"/></sheets></workbook>`},
		{"xl/worksheets/sheet1.xml", sheet.String()},
	} {
		member, err := w.Create(part[0])
		require.NoError(t, err)
		_, err = member.Write([]byte(`<?xml version="1.0" encoding="UTF-8"?>` + part[1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return made.Bytes()
}

var arrayForm = regexp.MustCompile(`^\{([A-Z0-9:]+)=(.*)\}$`)

func cellXML(at, content string) string {
	formula, stored, _ := strings.Cut(content, "|")
	if area := arrayForm.FindStringSubmatch(formula); area != nil {
		return fmt.Sprintf(`<c r="%s"><f t="array" ref="%s">%s</f><v>%s</v></c>`, at, area[1], html.EscapeString(area[2]), stored)
	}
	if !strings.HasPrefix(content, "=") {
		if _, err := strconv.ParseFloat(content, 64); err == nil {
			return fmt.Sprintf(`<c r="%s"><v>%s</v></c>`, at, content)
		}
		return fmt.Sprintf(`<c r="%s" t="inlineStr"><is><t>%s</t></is></c>`, at, html.EscapeString(content))
	}
	kind := "str"
	switch _, err := strconv.ParseFloat(stored, 64); {
	case stored == "":
		return fmt.Sprintf(`<c r="%s"><f>%s</f></c>`, at, html.EscapeString(formula[1:]))
	case err == nil:
		kind = "n"
	case strings.HasPrefix(stored, "#"):
		kind = "e"
	}
	return fmt.Sprintf(`<c r="%s" t="%s"><f>%s</f><v>%s</v></c>`, at, kind, html.EscapeString(formula[1:]), html.EscapeString(stored))
}
