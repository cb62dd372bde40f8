package document

import (
	"bytes"
	_ "embed"
	"html/template"
	"strings"
)

//go:embed report.css
var looks string

//go:embed report.html
var page string

var pages = template.Must(template.New("report").Funcs(template.FuncMap{
	"looks": func() template.CSS { return template.CSS(looks) },
	// A figure is drawn by us, with texts escaped.
	"drawing": func(svg []byte) template.HTML { return template.HTML(inline(svg)) },
	"code":    code,
	"right":   func(t Table, column int) bool { return column < len(t.Right) && t.Right[column] },
}).Parse(page))

// HTML writes a document as one page that needs no other file.
func HTML(d Document) ([]byte, error) {
	var out bytes.Buffer
	err := pages.Execute(&out, d)
	return out.Bytes(), err
}

// inline leaves out what stands before the element of a drawing.
func inline(svg []byte) string {
	text := string(svg)
	if at := strings.Index(text, "<svg"); at > 0 {
		text = text[at:]
	}
	return text
}

// code shows what stands between backticks as a command.
func code(text string) template.HTML {
	var out strings.Builder
	for i, part := range strings.Split(text, "`") {
		if i%2 == 1 {
			out.WriteString("<code>" + template.HTMLEscapeString(part) + "</code>")
			continue
		}
		out.WriteString(template.HTMLEscapeString(part))
	}
	return template.HTML(out.String())
}
