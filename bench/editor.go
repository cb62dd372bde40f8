package bench

import (
	"fmt"
	"slices"
	"strings"
)

// An editor changes lines of a bench file. Numbers of lines count from 1, as those of the tree.
type editor struct {
	file  string
	lines []string
}

func (t *editor) text() []byte { return []byte(strings.Join(t.lines, "\n")) }

// root reads the text as it is now.
func (t *editor) root() *node {
	root, problems := parseTree(t.file, t.text())
	if len(problems) > 0 {
		return &node{}
	}
	return root
}

func (n *node) entry(key string) (entry, bool) {
	return find(n.entries, key, func(e entry) string { return e.key })
}

// indent is how many blanks a line begins with; a dash counts as one, since keys behind it stand below each other.
func (t *editor) indent(line int) int {
	text := t.lines[line-1]
	return len(text) - len(strings.TrimLeft(text, " -"))
}

// end is the line behind a block that begins on a line: the first that is not farther in. Blank lines and comments at its
// end do not belong to it.
func (t *editor) end(line, indent int) int {
	last := line
	for i := line + 1; i <= len(t.lines); i++ {
		trimmed := strings.TrimSpace(t.lines[i-1])
		if trimmed == "" || strings.HasPrefix(trimmed, "#") {
			continue
		}
		if depth := len(t.lines[i-1]) - len(strings.TrimLeft(t.lines[i-1], " ")); depth <= indent {
			break
		}
		last = i
	}
	return last + 1
}

func (t *editor) insert(line int, text string) { t.lines = slices.Insert(t.lines, line-1, text) }

func (t *editor) remove(from, to int) { t.lines = slices.Delete(t.lines, from-1, to-1) }

// addInput writes a new input below the others: its range is a guess.
func (t *editor) addInput(name string, nominal float64) error {
	inputs, found := t.root().entry("inputs")
	if !found || len(inputs.value.entries) == 0 || inputs.value.entries[0].line == inputs.line {
		return fmt.Errorf("the inputs must stand one on a line, so that another can be written below them: put each on a line of its own in %s", t.file)
	}
	entries := inputs.value.entries
	indent := t.indent(entries[0].line)
	text := fmt.Sprintf("%s%s: {nominal: %s, range: 20%%}", strings.Repeat(" ", indent), name, exact(nominal))
	if nominal == 0 {
		text = fmt.Sprintf("%s%s: {nominal: 0, range: [-1, 1], ends: [guess, guess]}", strings.Repeat(" ", indent), name)
	}
	t.insert(t.end(entries[len(entries)-1].line, indent), text)
	return nil
}

func (t *editor) removeInput(name string) error {
	inputs, _ := t.root().entry("inputs")
	if inputs.value == nil || len(inputs.value.entries) < 2 {
		return fmt.Errorf("%s is the only input", name)
	}
	in, found := inputs.value.entry(name)
	if !found || in.line == inputs.line {
		return fmt.Errorf("%s does not stand on a line of its own", name)
	}
	t.remove(in.line, t.end(in.line, t.indent(in.line)))
	return nil
}

// setPlaces writes the places of an input in a deck; none removes it from there.
func (t *editor) setPlaces(deck, input string, places []Place) error {
	fill, put, err := t.fillOf(deck)
	if err != nil {
		return err
	}
	indent := strings.Index(t.lines[fill.line-1], "fill")
	pad := strings.Repeat(" ", indent)
	if put.value == nil || len(put.value.entries) == 0 {
		if put.value != nil {
			t.remove(put.line, put.line+1)
		}
		if len(places) > 0 {
			at := t.end(fill.line, indent)
			t.insert(at, pad+"  "+placesYAML(input, places))
			t.insert(at, pad+"put:")
		}
		return nil
	}
	entries := put.value.entries
	if entries[0].line == put.line {
		return fmt.Errorf("the places below put on line %d must stand one on a line, so that another can be written below them", put.line)
	}
	within := t.indent(entries[0].line)
	one, known := put.value.entry(input)
	switch {
	case known && len(places) == 0 && len(entries) == 1:
		t.remove(put.line, t.end(put.line, indent))
	case known:
		t.remove(one.line, t.end(one.line, within))
		if len(places) > 0 {
			t.insert(one.line, strings.Repeat(" ", within)+placesYAML(input, places))
		}
	case len(places) > 0:
		t.insert(t.end(entries[len(entries)-1].line, within), strings.Repeat(" ", within)+placesYAML(input, places))
	}
	return nil
}

// fillOf finds the step that fills a deck, and its places.
func (t *editor) fillOf(deck string) (fill, put entry, err error) {
	solver, _ := t.root().entry("solver")
	if solver.value == nil {
		return fill, put, fmt.Errorf("there is no solver in %s", t.file)
	}
	steps, _ := solver.value.entry("steps")
	if steps.value == nil {
		return fill, put, fmt.Errorf("the solver of %s has no steps: a deck is filled by one", t.file)
	}
	for _, step := range steps.value.items {
		one, fills := step.entry("fill")
		if !fills {
			continue
		}
		from := one.value.text
		if named, isMapping := one.value.entry("from"); isMapping {
			from = named.value.text
		}
		if from != deck {
			continue
		}
		if !strings.Contains(t.lines[one.line-1], "fill") || strings.Contains(t.lines[one.line-1], "{fill") {
			return fill, put, fmt.Errorf("the step that fills %s must stand on lines of its own: - fill: %s", deck, deck)
		}
		put, _ = step.entry("put")
		return one, put, nil
	}
	return fill, put, fmt.Errorf("no step of %s fills %s: add the step - fill: %s", t.file, deck, deck)
}
