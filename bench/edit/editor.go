package edit

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/read"
)

// An editor changes lines of a bench file. Numbers of lines count from 1, as those of the tree.
type editor struct {
	file  string
	lines []string
}

func (t *editor) text() []byte { return []byte(strings.Join(t.lines, "\n")) }

// root reads the text as it is now.
func (t *editor) root() *read.Node {
	root, problems := read.ParseTree(t.file, t.text())
	if len(problems) > 0 {
		return &read.Node{}
	}
	return root
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

// addInput writes a new input below the others.
func (t *editor) addInput(name string, nominal float64) error {
	inputs, found := t.root().Entry("inputs")
	if !found || len(inputs.Value.Entries) == 0 || inputs.Value.Entries[0].Line == inputs.Line {
		return fmt.Errorf("the inputs must stand one on a line, so that another can be written below them: put each on a line of its own in %s", t.file)
	}
	entries := inputs.Value.Entries
	indent := t.indent(entries[0].Line)
	t.insert(t.end(entries[len(entries)-1].Line, indent), strings.Repeat(" ", indent)+inputLine(name, nominal))
	return nil
}

// inputLine is how an input begins: its range is a guess.
func inputLine(name string, nominal float64) string {
	if nominal == 0 {
		return name + ": {nominal: 0, range: [-1, 1], ends: [guess, guess]}"
	}
	return fmt.Sprintf("%s: {nominal: %s, range: 20%%}", name, plain.Exact(nominal))
}

// isAsMade is true for an input that nobody has changed since addInput wrote it.
func (t *editor) isAsMade(in bench.Input) bool {
	inputs, _ := t.root().Entry("inputs")
	if inputs.Value == nil {
		return false
	}
	entry, found := inputs.Value.Entry(in.Name)
	return found && strings.TrimSpace(t.lines[entry.Line-1]) == inputLine(in.Name, in.Nominal.Number)
}

func (t *editor) removeInput(name string) error {
	inputs, _ := t.root().Entry("inputs")
	if inputs.Value == nil || len(inputs.Value.Entries) < 2 {
		return fmt.Errorf("%s is the only input", name)
	}
	in, found := inputs.Value.Entry(name)
	if !found || in.Line == inputs.Line {
		return fmt.Errorf("%s does not stand on a line of its own", name)
	}
	t.remove(in.Line, t.end(in.Line, t.indent(in.Line)))
	return nil
}

// setPlaces writes the places of an input in a deck; none removes it from there.
func (t *editor) setPlaces(deck, input string, places []bench.Place) error {
	fill, put, err := t.fillOf(deck)
	if err != nil {
		return err
	}
	indent := strings.Index(t.lines[fill.Line-1], "fill")
	pad := strings.Repeat(" ", indent)
	if put.Value == nil || len(put.Value.Entries) == 0 {
		if put.Value != nil {
			t.remove(put.Line, put.Line+1)
		}
		if len(places) > 0 {
			at := t.end(fill.Line, indent)
			t.insert(at, pad+"  "+placesYAML(input, places))
			t.insert(at, pad+"put:")
		}
		return nil
	}
	entries := put.Value.Entries
	if entries[0].Line == put.Line {
		return fmt.Errorf("the places below put on line %d must stand one on a line, so that another can be written below them", put.Line)
	}
	within := t.indent(entries[0].Line)
	one, known := put.Value.Entry(input)
	switch {
	case known && len(places) == 0 && len(entries) == 1:
		t.remove(put.Line, t.end(put.Line, indent))
	case known:
		t.remove(one.Line, t.end(one.Line, within))
		if len(places) > 0 {
			t.insert(one.Line, strings.Repeat(" ", within)+placesYAML(input, places))
		}
	case len(places) > 0:
		t.insert(t.end(entries[len(entries)-1].Line, within), strings.Repeat(" ", within)+placesYAML(input, places))
	}
	return nil
}

// fillOf finds the step that fills a deck, and its places.
func (t *editor) fillOf(deck string) (fill, put read.Entry, err error) {
	solver, _ := t.root().Entry("solver")
	if solver.Value == nil {
		return fill, put, fmt.Errorf("there is no solver in %s", t.file)
	}
	steps, _ := solver.Value.Entry("steps")
	if steps.Value == nil {
		return fill, put, fmt.Errorf("the solver of %s has no steps: a deck is filled by one", t.file)
	}
	for _, step := range steps.Value.Items {
		one, fills := step.Entry("fill")
		if !fills {
			continue
		}
		from := one.Value.Text
		if named, isMapping := one.Value.Entry("from"); isMapping {
			from = named.Value.Text
		}
		if from != deck {
			continue
		}
		if !strings.Contains(t.lines[one.Line-1], "fill") || strings.Contains(t.lines[one.Line-1], "{fill") {
			return fill, put, fmt.Errorf("the step that fills %s must stand on lines of its own: - fill: %s", deck, deck)
		}
		put, _ = step.Entry("put")
		return one, put, nil
	}
	return fill, put, fmt.Errorf("no step of %s fills %s: add the step - fill: %s", t.file, deck, deck)
}
