package bench

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
)

// A Beginning is what a new bench file is started from: decks, the numbers of them that are to be inputs, and the program
// that is run.
type Beginning struct {
	Name  string
	Decks []BeginningDeck
	Run   []string // the program and its arguments; empty: to be filled in
}

// A BeginningDeck is a deck with the numbers that are taken from it, by the names of their inputs.
type BeginningDeck struct {
	File  string
	Text  []byte
	Takes []Taking
}

// A Taking gives a number of a deck the name of an input.
type Taking struct {
	Input string
	NumberPlace
}

// shownPlaces is how many numbers of a deck a new bench file lists.
const shownPlaces = 12

// Text writes the bench file: valid, with what is still to be said as comments. The error says which number is not there.
func (s Beginning) Text() (string, error) {
	var inputs, steps strings.Builder
	var names []string
	add := func(name string, nominal *float64, remark string) {
		if slices.Contains(names, name) {
			return
		}
		names = append(names, name)
		switch {
		case nominal == nil:
			fmt.Fprintf(&inputs, "  %s: {nominal: 1}   # write the value of today, then a range: [lower, upper]%s\n", name, remark)
		case *nominal == 0:
			fmt.Fprintf(&inputs, "  %s: {nominal: 0}   # then a range: [lower, upper]%s\n", name, remark)
		default:
			fmt.Fprintf(&inputs, "  %s: {nominal: %s, range: 20%%}   # both ends are a guess: write [lower, upper]%s\n", name, exact(*nominal), remark)
		}
	}
	for _, deck := range s.Decks {
		parsed, problems := ParseDeck(deck.File, deck.Text)
		if len(problems) > 0 {
			return "", problems
		}
		slots, _ := parsed.Names()
		for _, name := range slots {
			add(name, nil, "")
		}
		fmt.Fprintf(&steps, "    - fill: %s\n", deck.File)
		numbers := Numbers(deck.Text)
		takes, remark := deck.Takes, ""
		likely := outsideOfTables(numbers)
		if len(takes) == 0 && len(slots) == 0 && len(names) == 0 && len(numbers) > 0 {
			takes, remark = []Taking{{"first_number", NumberPlace{likely[0].Line, likely[0].Field}}}, "; rename it"
		}
		if len(takes) == 0 {
			continue
		}
		steps.WriteString("      put:\n")
		for _, name := range namesOf(takes) {
			var places []NumberPlace
			for _, taking := range takes {
				if taking.Input != name {
					continue
				}
				at := slices.IndexFunc(numbers, func(n FoundNumber) bool { return n.Line == taking.Line && n.Field == taking.Field })
				if at < 0 {
					return "", fmt.Errorf("%s has no number on line %d in field %d: `ropebench deck %s` lists those that it has", deck.File, taking.Line, taking.Field, deck.File)
				}
				add(name, &numbers[at].Value, remark)
				places = append(places, taking.NumberPlace)
			}
			fmt.Fprintf(&steps, "        %s\n", placesYAML(name, compressed(places)))
		}
		if len(deck.Takes) == 0 {
			steps.WriteString("        # other numbers that stand alone in their field, ready to be named:\n")
			for _, n := range likely[1:min(len(likely), 1+shownPlaces)] {
				fmt.Fprintf(&steps, "        #   {lines: %d, field: %d}   %s in %s\n", n.Line, n.Field, n.Text, Short(strings.TrimSpace(n.Row)))
			}
		}
	}
	if len(names) == 0 {
		add("load", nil, "; rename it, and write @[load] where it enters")
	}
	run, remark := s.Run, ""
	if len(run) == 0 {
		run, remark = []string{"your-solver"}, "   # the program and its arguments, as you type them"
		if len(s.Decks) > 0 {
			run = append(run, s.Decks[0].File)
		}
	}
	quoted := make([]string, len(run))
	for i, argument := range run {
		quoted[i] = fmt.Sprintf("%q", argument)
	}
	fmt.Fprintf(&steps, "    - run: [%s]%s\n      limit: 10m\n      stdout: run.log\n", strings.Join(quoted, ", "), remark)
	return fmt.Sprintf(beginning, strings.ReplaceAll(s.Name, "_", " "), inputs.String(), steps.String()), nil
}

// longTable is how many lines of the same make below each other are a table, such as the nodes of a mesh.
const longTable = 4

// outsideOfTables leaves out the numbers of long tables: a thickness or a load stands outside of them, and mostly with few
// others on its line, so that those come first. Where there is nothing else, all are kept.
func outsideOfTables(numbers []FoundNumber) []FoundNumber {
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
	outside := slices.DeleteFunc(slices.Clone(numbers), func(n FoundNumber) bool { return inTable(n.Line) })
	if len(outside) == 0 {
		return numbers
	}
	slices.SortStableFunc(outside, func(a, b FoundNumber) int { return fields[a.Line] - fields[b.Line] })
	return outside
}

func namesOf(takes []Taking) []string {
	var names []string
	for _, taking := range takes {
		if !slices.Contains(names, taking.Input) {
			names = append(names, taking.Input)
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
