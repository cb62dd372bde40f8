package edit

import (
	"fmt"
	"strconv"
	"strings"

	"ropebench/bench"
	"ropebench/bench/read"
)

// AddOutput writes an output into the text of a bench file, below the others. The error says what is in the way.
func AddOutput(file string, text []byte, out bench.Output) ([]byte, error) {
	b, err := read.Read(file, text)
	if err != nil {
		return nil, fmt.Errorf("the bench file has mistakes, which come first: %w", err)
	}
	if !bench.GoodName.MatchString(out.Name) {
		return nil, fmt.Errorf("%q cannot be a name: a letter, then letters, digits and _", out.Name)
	}
	if _, known := b.ShapeOf(out.Name); known {
		return nil, fmt.Errorf("%s is a name already: give the output another one", out.Name)
	}
	t := &editor{file: file, lines: strings.Split(string(text), "\n")}
	if err := t.addOutput(out.Name + ": " + OutputYAML(out)); err != nil {
		return nil, err
	}
	if _, err := read.Read(file, t.text()); err != nil {
		return nil, fmt.Errorf("the bench would not be valid then: %w", err)
	}
	return t.text(), nil
}

func (t *editor) addOutput(line string) error {
	if outputs, found := t.root().Entry("outputs"); found {
		if len(outputs.Value.Entries) == 0 || outputs.Value.Entries[0].Line == outputs.Line {
			return fmt.Errorf("the outputs must stand one on a line, so that another can be written below them: put each on a line of its own in %s", t.file)
		}
		entries := outputs.Value.Entries
		indent := t.indent(entries[0].Line)
		t.insert(t.end(entries[len(entries)-1].Line, indent), strings.Repeat(" ", indent)+line)
		return nil
	}
	solver, _ := t.root().Entry("solver")
	at := t.end(solver.Line, 0)
	t.insert(at, "  "+line)
	t.insert(at, "outputs:")
	t.insert(at, "")
	return nil
}

// OutputYAML is how an output is written in a bench file, without its name.
func OutputYAML(out bench.Output) string {
	var parts []string
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if out.Label != "" {
		add("label: %s", strconv.Quote(out.Label))
	}
	if out.Unit != "" {
		add("unit: %s", strconv.Quote(out.Unit))
	}
	add("file: %s", quotedPath(out.File))
	switch {
	case out.Pointed:
		add("pointer: %s", strconv.Quote(out.Pointer))
	case out.Match != "":
		add("match: '%s'", strings.ReplaceAll(out.Match, "'", "''"))
	case out.Table != nil:
		add("table: {after: %s, field: %s}", strconv.Quote(out.Table.After), out.Table.Field)
	}
	if out.Curve != nil {
		add("curve: {x: %s, y: %s}", strconv.Quote(out.Curve.X), strconv.Quote(out.Curve.Y))
	}
	if out.Which > 0 {
		add("which: %d", out.Which)
	}
	if out.Take != "" {
		add("take: %s", out.Take)
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

// quotedPath quotes a path that YAML could take for something else.
func quotedPath(path string) string {
	if strings.ContainsFunc(path, func(r rune) bool {
		return !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-/", r)
	}) || strings.Trim(path, "0123456789.") == "" || path[0] == '-' {
		return strconv.Quote(path)
	}
	return path
}
