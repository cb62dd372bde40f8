package document

import (
	"fmt"
	"strings"
)

// Markdown writes a document without its figures, whose captions say what they show.
func Markdown(d Document) []byte {
	var out strings.Builder
	fmt.Fprintf(&out, "# %s\n\n%s\n", d.Title, d.Under)
	for _, b := range d.Blocks {
		out.WriteString("\n")
		switch {
		case b.Heading != "":
			fmt.Fprintf(&out, "## %s\n", b.Heading)
		case b.Verdict != "":
			fmt.Fprintf(&out, "**%s**\n", b.Verdict)
		case b.Attention != "":
			fmt.Fprintf(&out, "> **!** %s\n", strings.ReplaceAll(b.Attention, "\n", "\n> "))
		case b.Paragraph != "":
			fmt.Fprintf(&out, "%s\n", b.Paragraph)
		case b.Items != nil:
			for _, item := range b.Items {
				fmt.Fprintf(&out, "- %s\n", strings.ReplaceAll(item, "\n", " "))
			}
		case b.Text != "":
			fmt.Fprintf(&out, "```\n%s\n```\n", b.Text)
		case b.Table != nil:
			b.Table.markdown(&out)
		case b.Figure != nil:
			fmt.Fprintf(&out, "*Figure, in the report as HTML: %s*\n", b.Figure.Caption)
		}
	}
	return []byte(out.String())
}

func (t Table) markdown(out *strings.Builder) {
	row := func(cells []string) {
		for _, cell := range cells {
			fmt.Fprintf(out, "| %s ", strings.NewReplacer("|", `\|`, "\n", " ").Replace(cell))
		}
		out.WriteString("|\n")
	}
	row(t.Head)
	rules := make([]string, len(t.Head))
	for k := range rules {
		rules[k] = "---"
		if k < len(t.Right) && t.Right[k] {
			rules[k] = "--:"
		}
	}
	row(rules)
	for _, cells := range t.Rows {
		row(cells)
	}
}
