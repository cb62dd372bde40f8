package edit

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"ropebench/bench/deck"
	"ropebench/bench/plain"
)

// A Beginning is what a new bench file is started from: decks, the numbers of them that are to be inputs, and the program
// that is run.
type Beginning struct {
	Name  string
	Decks []Deck
	Run   []string // the program and its arguments; empty: to be filled in
	Stdin string   // that it reads from its standard input; "": none
}

// A Deck is a deck with the numbers that are taken from it, by the names of their inputs.
type Deck struct {
	File  string
	Text  []byte
	Takes []NamedNumber
}

// A NamedNumber gives a number of a deck the name of an input.
type NamedNumber struct {
	Input string
	NumberPlace
}

// is true for the number that a person names by its field, or by its columns.
func (n NumberPlace) is(found deck.FoundNumber) bool {
	if n.Columns != [2]int{} {
		return n.Line == found.Line && n.Columns == found.Columns
	}
	return n.Line == found.Line && n.Field == found.Field
}

// placeOf is the place of a number that was found: its columns where its lines are aligned.
func placeOf(n deck.FoundNumber) NumberPlace {
	p := n.Place()
	return NumberPlace{Line: n.Line, Field: p.Field, Columns: p.Columns}
}

// PlaceYAML is how a place is written in a bench file.
func PlaceYAML(n deck.FoundNumber) string { return placeYAML(n.Place()) }

// shownPlaces is how many numbers of a deck a new bench file lists.
const shownPlaces = 12

// Text writes the bench file: valid, with what is still to be said as comments. The error says which number is not there.
func (b Beginning) Text() (string, error) {
	w := &beginningWriter{}
	for _, d := range b.Decks {
		if err := w.deck(d); err != nil {
			return "", err
		}
	}
	if len(w.names) == 0 {
		w.input("load", nil, "; rename it, and write @[load] where it enters")
	}
	w.run(b.Run, b.Stdin, b.Decks)
	return fmt.Sprintf(beginning, strings.ReplaceAll(b.Name, "_", " "), w.inputs.String(), w.steps.String()), nil
}

// A beginningWriter collects the inputs and steps of a new bench file.
type beginningWriter struct {
	names         []string // of the inputs that are written
	inputs, steps strings.Builder
}

// input writes an input, once; nominal is nil where it is not known, and the remark ends its comment.
func (w *beginningWriter) input(name string, nominal *float64, remark string) {
	if slices.Contains(w.names, name) {
		return
	}
	w.names = append(w.names, name)
	switch {
	case nominal == nil:
		fmt.Fprintf(&w.inputs, "  %s: {nominal: 1}   # write the value of today, then a range: [lower, upper]%s\n", name, remark)
	case *nominal == 0:
		fmt.Fprintf(&w.inputs, "  %s: {nominal: 0}   # then a range: [lower, upper]%s\n", name, remark)
	default:
		fmt.Fprintf(&w.inputs, "  %s: {nominal: %s, range: 20%%}   # both ends are a guess: write [lower, upper]%s\n", name, plain.Exact(*nominal), remark)
	}
}

// deck writes the step that fills a deck, and the inputs that enter there: where nothing is named, the first number.
func (w *beginningWriter) deck(d Deck) error {
	parsed, problems := deck.Parse(d.File, d.Text)
	if len(problems) > 0 {
		return problems
	}
	for _, blank := range parsed.Blanks() {
		for _, name := range blank.Names {
			w.input(name, nil, "")
		}
	}
	fmt.Fprintf(&w.steps, "    - fill: %s\n", d.File)
	numbers := deck.Numbers(d.Text)
	if len(d.Takes) > 0 {
		return w.put(d.File, numbers, d.Takes, "")
	}
	if len(w.names) > 0 || len(numbers) == 0 {
		return nil
	}
	likely := outsideOfTables(numbers)
	first := NamedNumber{Input: "first_number", NumberPlace: placeOf(likely[0])}
	if err := w.put(d.File, numbers, []NamedNumber{first}, "; rename it"); err != nil {
		return err
	}
	w.steps.WriteString("        # other numbers that stand alone in their field, ready to be named:\n")
	for _, n := range likely[1:min(len(likely), 1+shownPlaces)] {
		fmt.Fprintf(&w.steps, "        #   %s   %s in %s\n", placeYAML(n.Place()), n.Text, plain.Short(strings.TrimSpace(n.Row)))
	}
	return nil
}

// put writes where inputs stand in a deck.
func (w *beginningWriter) put(file string, numbers []deck.FoundNumber, takes []NamedNumber, remark string) error {
	w.steps.WriteString("      put:\n")
	for _, name := range namesOf(takes) {
		var places []NumberPlace
		for _, number := range takes {
			if number.Input != name {
				continue
			}
			at := slices.IndexFunc(numbers, number.is)
			if at < 0 {
				return fmt.Errorf("%s has no number %s: `ropebench deck %s` lists those that it has", file, number.at(), file)
			}
			w.input(name, &numbers[at].Value, remark)
			places = append(places, placeOf(numbers[at]))
		}
		fmt.Fprintf(&w.steps, "        %s\n", placesYAML(name, compressed(places)))
	}
	return nil
}

// run writes the step that runs the program; where there is none, one that is to be filled in.
func (w *beginningWriter) run(program []string, stdin string, decks []Deck) {
	remark := ""
	if len(program) == 0 {
		program, remark = []string{"your-solver"}, "   # the program and its arguments, as you type them"
		if len(decks) > 0 {
			program = append(program, decks[0].File)
		}
	}
	quoted := make([]string, len(program))
	for i, argument := range program {
		quoted[i] = fmt.Sprintf("%q", argument)
	}
	fmt.Fprintf(&w.steps, "    - run: [%s]%s\n      limit: 10m\n", strings.Join(quoted, ", "), remark)
	if stdin != "" {
		fmt.Fprintf(&w.steps, "      stdin: %s\n", stdin)
	}
	w.steps.WriteString("      stdout: run.log\n")
}

// longTable is how many lines of the same make below each other are a table, such as the nodes of a mesh.
const longTable = 4

// outsideOfTables leaves out the numbers of long tables: a thickness or a load stands outside of them, and mostly with few
// others on its line, so that those come first. Where there is nothing else, all are kept.
func outsideOfTables(numbers []deck.FoundNumber) []deck.FoundNumber {
	fields := map[int]int{}
	for _, n := range numbers {
		fields[n.Line]++
	}
	inTable := func(line int) bool {
		same := 1
		for l := line - 1; fields[l] == fields[line] && same < longTable; l-- {
			same++
		}
		for l := line + 1; fields[l] == fields[line] && same < longTable; l++ {
			same++
		}
		return same >= longTable
	}
	outside := slices.DeleteFunc(slices.Clone(numbers), func(n deck.FoundNumber) bool { return inTable(n.Line) })
	if len(outside) == 0 {
		return numbers
	}
	slices.SortStableFunc(outside, func(a, b deck.FoundNumber) int { return fields[a.Line] - fields[b.Line] })
	return outside
}

func namesOf(takes []NamedNumber) []string {
	var names []string
	for _, number := range takes {
		if !slices.Contains(names, number.Input) {
			names = append(names, number.Input)
		}
	}
	return names
}

const beginning = `bench: 1
title: %s
# docs/bench-file.md explains every key; ropebench check finds mistakes without starting the solver.

inputs:
%s
solver:
  steps:
%s
# What the solver leaves is read by name. Remove the # and write where each value stands:
# outputs:
#   mass: {unit: kg, file: run.log, match: 'TOTAL MASS\s+(\S+)'}
#   sag:  {unit: mm, file: result.dat, table: {after: displacements, field: 4}, take: peak_abs}

# What the product must achieve:
# requirements:
#   R1: {says: It does not sag too far, of: sag, at_most: 2}

# What you ask of it:
# studies:
#   look: {kind: sample, points: 20}
#   best: {kind: optimize, minimize: mass, budget: {evaluations: 200}}
`

// DeckPath is how a bench file in a folder names a deck; it must lie in that folder.
func DeckPath(folder, deck string) (string, error) {
	absolute, err := filepath.Abs(deck)
	if err != nil {
		return "", err
	}
	path, err := filepath.Rel(folder, absolute)
	if err != nil || !filepath.IsLocal(path) {
		return "", fmt.Errorf("%s is not in the folder of the bench file, %s: copy it there", deck, folder)
	}
	return filepath.ToSlash(path), nil
}
