package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/read"
)

const plateFile = `bench: 1
title: Plate # of the shed

inputs:
  # what the welder can change
  load: {unit: kN, nominal: 3}

# how it is solved
solver:
  steps:
    - fill: plate.inp   # as the mesher wrote it
    - run: [ccx, plate]
`

const plateDeck = "*SHELL SECTION\n8.0, 5\n*TABLE\n1, 7.5, 2\n2, 7.5, 2\n3, 7.5, 9\n3.0\n"

func take(t *testing.T, text, input string, nominal float64, numbers ...NumberPlace) string {
	edited, err := Edit{Deck: "plate.inp", Input: input, Numbers: numbers, Nominal: nominal}.Take("plate.bench.yaml", []byte(text), []byte(plateDeck))
	require.NoError(t, err)
	b, err := read.Read("plate.bench.yaml", edited)
	require.NoError(t, err, string(edited))
	_, problems := deck.Put("plate.inp", []byte(plateDeck), b.Solver.Steps[0].Fill.Put)
	require.Empty(t, problems)
	return string(edited)
}

func giveBack(t *testing.T, text, input string, numbers ...NumberPlace) string {
	edited, err := Edit{Deck: "plate.inp", Input: input, Numbers: numbers}.GiveBack("plate.bench.yaml", []byte(text), []byte(plateDeck))
	require.NoError(t, err)
	_, err = read.Read("plate.bench.yaml", edited)
	require.NoError(t, err, string(edited))
	return string(edited)
}

func TestNumbersAreTakenAndGivenBack(t *testing.T) {
	t.Parallel()
	web := take(t, plateFile, "web", 8, NumberPlace{Line: 2, Field: 1})
	assert.Equal(t, strings.NewReplacer("nominal: 3}\n", "nominal: 3}\n  web: {nominal: 8, range: 20%}\n",
		"wrote it\n", "wrote it\n      put:\n        web: {lines: 2, field: 1}\n").Replace(plateFile), web, "nothing else is touched")
	gap := take(t, web, "gap", 7.5, NumberPlace{Line: 5, Field: 2}, NumberPlace{Line: 4, Field: 2}, NumberPlace{Line: 6, Field: 2})
	assert.Contains(t, gap, "        web: {lines: 2, field: 1}\n        gap: {lines: [4, 6], field: 2}\n")
	both := take(t, gap, "web", 8, NumberPlace{Line: 4, Field: 3})
	assert.Contains(t, both, "        web: [{lines: 2, field: 1}, {lines: 4, field: 3}]\n        gap:")
	load := take(t, both, "load", 3, NumberPlace{Line: 7, Field: 1})
	assert.Equal(t, 1, strings.Count(load, "load: {unit"), "an input that is there stays as it is")
	assert.Contains(t, load, "        load: {lines: 7, field: 1}\n")

	less := giveBack(t, load, "gap", NumberPlace{Line: 5, Field: 2})
	assert.Contains(t, less, "gap: [{lines: 4, field: 2}, {lines: 6, field: 2}]")
	assert.Equal(t, plateFile, giveBack(t, web, "web", NumberPlace{Line: 2, Field: 1}), "back to where it was")
	kept := giveBack(t, load, "load", NumberPlace{Line: 7, Field: 1})
	assert.Contains(t, kept, "  load: {unit: kN, nominal: 3}\n", "what a person wrote stays")
	assert.NotContains(t, kept, "load: {lines")
	narrowed := strings.Replace(web, "range: 20%", "range: [6, 12]", 1)
	assert.Contains(t, giveBack(t, narrowed, "web", NumberPlace{Line: 2, Field: 1}), "web: {nominal: 8, range: [6, 12]}", "its range was written by hand")
	second := strings.Replace(web, "    - run:", "    - fill: rim.inp\n      put:\n        web: {lines: 1, field: 1}\n    - run:", 1)
	assert.Contains(t, giveBack(t, second, "web", NumberPlace{Line: 2, Field: 1}), "web: {nominal: 8, range: 20%}", "another deck needs it")
	used := strings.Replace(web, "solver:", "derived: {twice: 2*web}\nsolver:", 1)
	assert.Contains(t, giveBack(t, used, "web", NumberPlace{Line: 2, Field: 1}), "web: {nominal: 8, range: 20%}", "a formula needs it")
}

func TestWhatCannotBeEditedIsExplained(t *testing.T) {
	t.Parallel()
	web := take(t, plateFile, "web", 8, NumberPlace{Line: 2, Field: 1})
	for _, c := range []struct{ text, input, deck, says string }{
		{web, "rim", "plate.inp", "that number is web already"},
		{plateFile, "web plate", "plate.inp", "cannot be a name"},
		{plateFile, "web", "other.inp", "no step of plate.bench.yaml fills other.inp"},
		{strings.Replace(plateFile, "inputs:\n  # what the welder can change\n  load: {unit: kN, nominal: 3}\n", "inputs: {load: {nominal: 3}}\n", 1), "web", "plate.inp", "must stand one on a line"},
		{strings.Replace(plateFile, "- fill: plate.inp", "- {fill: plate.inp}", 1), "web", "plate.inp", "must stand on lines of its own"},
		{"bench: 2\n", "web", "plate.inp", "the bench file has mistakes, which come first"},
	} {
		_, err := Edit{Deck: c.deck, Input: c.input, Numbers: []NumberPlace{{Line: 2, Field: 1}}, Nominal: 8}.Take("plate.bench.yaml", []byte(c.text), []byte(plateDeck))
		assert.ErrorContains(t, err, c.says)
	}
	_, err := Edit{Deck: "plate.inp", Input: "web", Numbers: []NumberPlace{{Line: 1, Field: 1}}, Nominal: 8}.Take("plate.bench.yaml", []byte(plateFile), []byte(plateDeck))
	assert.ErrorContains(t, err, "on line 1 in field 1 of plate.inp stands no number")
	_, err = Edit{Deck: "plate.inp", Input: "web", Numbers: []NumberPlace{{Line: 1, Field: 1}}, Nominal: 8}.Take("plate.bench.yaml", []byte(plateFile), []byte("8.0 @[load]\n"))
	assert.ErrorContains(t, err, "plate.inp has blanks such as @[load]: write @[web] in place of the number")
	_, err = Edit{Deck: "plate.inp", Input: "web"}.Take("plate.bench.yaml", []byte(plateFile), nil)
	assert.ErrorContains(t, err, "no number is named")
}

// FuzzEdits takes and gives back numbers of a deck in whatever order: the bench file stays valid, and places stay numbers.
func FuzzEdits(f *testing.F) {
	f.Add(byte(2), byte(1), byte(4), byte(2), true)
	f.Add(byte(5), byte(2), byte(4), byte(2), false)
	f.Fuzz(func(t *testing.T, line, field, otherLine, otherField byte, giveBack bool) {
		text := []byte(plateFile)
		for i, number := range []NumberPlace{{Line: int(line), Field: int(field)}, {Line: int(otherLine), Field: int(otherField)}, {Line: 4, Field: 2}} {
			edit := Edit{Deck: "plate.inp", Input: []string{"web", "rim", "web"}[i], Numbers: []NumberPlace{number}, Nominal: 8}
			change := edit.Take
			if giveBack && i == 2 {
				change = edit.GiveBack
			}
			edited, err := change("plate.bench.yaml", text, []byte(plateDeck))
			if err != nil {
				continue
			}
			if _, err := read.Read("plate.bench.yaml", edited); err != nil {
				t.Fatalf("%s\n%s", err, edited)
			}
			text = edited
		}
	})
}

func TestAllThatAreEqualAreTaken(t *testing.T) {
	t.Parallel()
	deck := []byte("1 8.0 8.0\n2 8.0 7.5\n3 9.0 8.0\n\n4 8.0 8.0\n")
	assert.Equal(t, []NumberPlace{{Line: 1, Field: 2}, {Line: 2, Field: 2}, {Line: 5, Field: 2}}, WithEquals([]NumberPlace{{Line: 1, Field: 2}}, deck), "in that field, in the whole deck")
	columns := []byte("GW  8.000   1.0\nGW 12.000   1.0\nGW  8.000  -1.0\n")
	place := NumberPlace{Line: 1, Columns: [2]int{3, 9}}
	assert.Equal(t, []NumberPlace{place, {Line: 3, Columns: [2]int{3, 9}}}, WithEquals([]NumberPlace{place}, columns))
	assert.Equal(t, "{lines: 1, columns: [3, 9]}", placeYAML(place.place()))
	assert.Equal(t, []bench.Place{{Lines: [2]int{1, 2}, Columns: [2]int{3, 9}}}, compressed([]NumberPlace{{Line: 2, Columns: [2]int{3, 9}}, place}))
}

// TestAnOutputIsWrittenBelowTheOthers, or with the first of them its section; all else stays.
func TestAnOutputIsWrittenBelowTheOthers(t *testing.T) {
	t.Parallel()
	gap := bench.Output{Name: "gap", Label: "Clear distance", Unit: "m", File: "run.log", Match: `it's\s+(\S+)`, Which: 2}
	first, err := AddOutput("plate.bench.yaml", []byte(plateFile), gap)
	require.NoError(t, err)
	assert.Contains(t, string(first), "    - run: [ccx, plate]\n\noutputs:\n  gap: {label: \"Clear distance\", unit: \"m\", file: run.log, match: 'it''s\\s+(\\S+)', which: 2}\n")
	for _, out := range []bench.Output{
		{Name: "tip", File: "a b.dat", Table: &bench.Table{After: `set "PIN"`, Field: "3"}, Take: "peak"},
		{Name: "way", File: "t.csv", Curve: &bench.Curve{X: "time", Y: "2"}},
		{Name: "top", File: "r.json", Pointed: true, Pointer: "", Take: "peak"},
	} {
		more, err := AddOutput("plate.bench.yaml", first, out)
		require.NoError(t, err, string(more))
		b, err := read.Read("plate.bench.yaml", more)
		require.NoError(t, err)
		require.Len(t, b.Outputs, 2)
		assert.Equal(t, gap, b.Outputs[0], "what was written is what is read")
		assert.Equal(t, out, b.Outputs[1])
	}
	for says, name := range map[string]string{"cannot be a name": "clear distance", "is a name already": "load"} {
		_, err := AddOutput("plate.bench.yaml", first, bench.Output{Name: name, File: "a", Match: "(x)"})
		assert.ErrorContains(t, err, says)
	}
	_, err = AddOutput("plate.bench.yaml", []byte("bench: 2\n"), gap)
	assert.ErrorContains(t, err, "has mistakes, which come first")
}
