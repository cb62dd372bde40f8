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
	if err := t.addEntry("outputs", out.Name+": "+OutputYAML(out), "solver"); err != nil {
		return nil, err
	}
	if _, err := read.Read(file, t.text()); err != nil {
		return nil, fmt.Errorf("the bench would not be valid then: %w", err)
	}
	return t.text(), nil
}

// addEntry writes a line below the last entry of a part of the file, or makes the part behind the first that is there of some others.
func (t *editor) addEntry(part, line string, behind ...string) error {
	if found, there := t.root().Entry(part); there {
		if len(found.Value.Entries) == 0 || found.Value.Entries[0].Line == found.Line {
			return fmt.Errorf("the %s must stand one on a line, so that another can be written below them: put each on a line of its own in %s", part, t.file)
		}
		entries := found.Value.Entries
		indent := t.indent(entries[0].Line)
		t.insert(t.end(entries[len(entries)-1].Line, indent), strings.Repeat(" ", indent)+line)
		return nil
	}
	for _, other := range behind {
		before, there := t.root().Entry(other)
		if !there {
			continue
		}
		at := t.end(before.Line, 0)
		t.insert(at, "  "+line)
		t.insert(at, part+":")
		t.insert(at, "")
		return nil
	}
	return fmt.Errorf("%s has no part behind which %s could stand", t.file, part)
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
	case out.Table != nil && out.Table.Columns[0] > 0:
		add("table: {after: %s, columns: [%d, %d]}", strconv.Quote(out.Table.After), out.Table.Columns[0], out.Table.Columns[1])
	case out.Table != nil:
		add("table: {after: %s, field: %s}", strconv.Quote(out.Table.After), out.Table.Field)
	}
	if out.Curve != nil {
		add("curve: {x: %s, y: %s}", strconv.Quote(out.Curve.X), strconv.Quote(out.Curve.Y))
	}
	if out.Commas {
		add(`decimal: ","`)
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
