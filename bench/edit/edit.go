package edit

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/plain"
	"ropebench/bench/read"
)

// An Edit changes which numbers of a deck an input stands for, in the text of a bench file. All else stays as it is,
// comments too.
type Edit struct {
	Deck    string
	Input   string
	Numbers []NumberPlace // that are taken, or given back
	Nominal float64       // of an input that is new
}

// A NumberPlace is a number of a deck by its line and its field or its columns, all from 1.
type NumberPlace struct {
	Line    int    `json:"line"`
	Field   int    `json:"field,omitempty"`
	Columns [2]int `json:"columns,omitzero"`
}

func (n NumberPlace) place() bench.Place {
	p := bench.Place{Lines: [2]int{n.Line, n.Line}, Columns: n.Columns}
	if n.Columns == [2]int{} {
		p.Field = n.Field
	}
	return p
}

// at is what a message says of a place.
func (n NumberPlace) at() string {
	if n.Columns != [2]int{} {
		return fmt.Sprintf("on line %d in the columns %d to %d", n.Line, n.Columns[0], n.Columns[1])
	}
	return fmt.Sprintf("on line %d in field %d", n.Line, n.Field)
}

// Take lets an input stand for numbers of a deck: it gets their places, and if it is new, a nominal and a range that is
// a guess. filled is the text of the deck. The error says what in the file is in the way.
func (e Edit) Take(file string, text, filled []byte) ([]byte, error) {
	t, b, err := e.open(file, text)
	if err != nil {
		return nil, err
	}
	lines := plain.Lines(filled)
	for _, number := range e.Numbers {
		if !number.stands(lines) {
			return nil, fmt.Errorf("%s of %s stands no number that could be taken", number.at(), e.Deck)
		}
	}
	if owner := e.owner(b, filled); owner != "" && owner != e.Input {
		return nil, fmt.Errorf("that number is %s already: give it back first", owner)
	}
	if parsed, _ := deck.Parse(e.Deck, filled); len(parsed.Pieces) > 1 && !hasPlaces(b, e.Deck) {
		return nil, fmt.Errorf("%s has blanks such as @[%s]: write @[%s] in place of the number in it, or take the blanks out first", e.Deck, parsed.Pieces[0].Name, e.Input)
	}
	places := placesOf(b, e.Deck, e.Input)
	if err := t.setPlaces(e.Deck, e.Input, append(places, compressed(e.Numbers)...)); err != nil {
		return nil, err
	}
	if _, known := b.Input(e.Input); !known {
		if err := t.addInput(e.Input, e.Nominal); err != nil {
			return nil, err
		}
	}
	return t.text(), nil
}

// WithEquals adds to numbers of a deck all others of the deck that are equal to one of them and stand in its field, or in its columns.
func WithEquals(numbers []NumberPlace, filled []byte) []NumberPlace {
	all := slices.Clone(numbers)
	found := deck.Numbers(filled)
	for _, number := range numbers {
		at := slices.IndexFunc(found, number.is)
		if at < 0 {
			continue
		}
		for _, other := range found {
			place := placeOf(other)
			if other.Value == found[at].Value && place.Field == number.Field && place.Columns == number.Columns && !slices.Contains(all, place) {
				all = append(all, place)
			}
		}
	}
	return all
}

// GiveBack takes numbers of a deck from the input that stands for them. An input that nothing needs any more is removed if it is as
// Take has made it.
func (e Edit) GiveBack(file string, text, filled []byte) ([]byte, error) {
	t, b, err := e.open(file, text)
	if err != nil {
		return nil, err
	}
	lines := plain.Lines(filled)
	var left []bench.Place
	for _, place := range placesOf(b, e.Deck, e.Input) {
		left = append(left, without(place, e.Numbers, lines)...)
	}
	if err := t.setPlaces(e.Deck, e.Input, left); err != nil {
		return nil, err
	}
	if len(left) > 0 {
		return t.text(), nil
	}
	kept := t.text()
	in, _ := b.Input(e.Input)
	if enters(b, e) || !t.isAsMade(in) || t.removeInput(e.Input) != nil {
		return kept, nil
	}
	if _, err := read.Read(file, t.text()); err != nil {
		return kept, nil // something else needs it
	}
	return t.text(), nil
}

// enters is true where the input stands in another deck, or may stand in a blank of one, or of an argument.
func enters(b *bench.Bench, e Edit) bool {
	return slices.ContainsFunc(b.Solver.AllSteps(), func(s bench.Step) bool {
		switch {
		case s.Fill != nil && s.Fill.Put == nil:
			return true // its blanks are not read here
		case s.Fill != nil && s.Fill.From != e.Deck:
			return slices.ContainsFunc(s.Fill.Put, func(p bench.Place) bool { return strings.Contains(p.Input, e.Input) })
		case s.Fill != nil:
			return slices.ContainsFunc(s.Fill.Put, func(p bench.Place) bool { return p.Input != e.Input && strings.Contains(p.Input, e.Input) })
		case s.Run != nil:
			return slices.ContainsFunc(s.Run.Args, func(argument string) bool { return strings.Contains(argument, e.Input) })
		}
		return s.Post != nil || s.Ask != nil || s.Workbook != nil
	})
}

func (e Edit) open(file string, text []byte) (*editor, *bench.Bench, error) {
	b, err := read.Read(file, text)
	if err != nil {
		return nil, nil, fmt.Errorf("the bench file has mistakes, which come first: %w", err)
	}
	if !bench.GoodName.MatchString(e.Input) && slices.ContainsFunc(placesOf(b, e.Deck, e.Input), func(bench.Place) bool { return true }) {
		return nil, nil, fmt.Errorf("the formula %s stands there: change it in the bench file, where it is put", e.Input)
	}
	if !bench.GoodName.MatchString(e.Input) {
		return nil, nil, fmt.Errorf("%q cannot be a name: a letter, then letters, digits and _", e.Input)
	}
	if len(e.Numbers) == 0 {
		return nil, nil, fmt.Errorf("no number is named: line and field")
	}
	return &editor{file: file, lines: strings.Split(string(text), "\n")}, b, nil
}

// stands is true where there is a number at the place.
func (n NumberPlace) stands(lines []plain.Line) bool {
	if n.Line < 1 || n.Line > len(lines) || (n.Field < 1) == (n.Columns == [2]int{}) {
		return false
	}
	_, err := deck.FindPlace(n.place(), lines)
	return err == nil
}

// owner is the input that stands for one of the numbers already.
func (e Edit) owner(b *bench.Bench, filled []byte) string {
	lines := plain.Lines(filled)
	for _, step := range b.Solver.AllSteps() {
		if step.Fill == nil || step.Fill.From != e.Deck {
			continue
		}
		for _, place := range step.Fill.Put {
			for _, number := range e.Numbers {
				if covers(place, number, lines) {
					return place.Input
				}
			}
		}
	}
	return ""
}

// hasPlaces is true for a deck whose inputs are put at places.
func hasPlaces(b *bench.Bench, deck string) bool {
	return slices.ContainsFunc(b.Solver.AllSteps(), func(s bench.Step) bool { return s.Fill != nil && s.Fill.From == deck && s.Fill.Put != nil })
}

// placesOf lists the places of an input in a deck.
func placesOf(b *bench.Bench, deck, input string) []bench.Place {
	var places []bench.Place
	for _, step := range b.Solver.AllSteps() {
		if step.Fill != nil && step.Fill.From == deck {
			for _, place := range step.Fill.Put {
				if place.Input == input {
					places = append(places, place)
				}
			}
		}
	}
	return places
}

// covers is true where the place has the number.
func covers(p bench.Place, number NumberPlace, lines []plain.Line) bool {
	found, err := deck.FindPlace(p, lines)
	wanted, wantedErr := deck.FindPlace(number.place(), lines)
	if err != nil || wantedErr != nil {
		return false
	}
	return slices.ContainsFunc(found, func(n deck.NumberAt) bool { return n.From < wanted[0].To && wanted[0].From < n.To })
}

// without is what is left of a place when some numbers are taken from it.
func without(p bench.Place, numbers []NumberPlace, lines []plain.Line) []bench.Place {
	if !slices.ContainsFunc(numbers, func(n NumberPlace) bool { return covers(p, n, lines) }) {
		return []bench.Place{p}
	}
	if p.After != "" {
		return nil
	}
	var left []bench.Place
	for line := p.Lines[0]; line <= p.Lines[1]; line++ {
		one := p
		one.Lines = [2]int{line, line}
		if slices.ContainsFunc(numbers, func(n NumberPlace) bool { return covers(one, n, lines) }) {
			continue
		}
		if last := len(left) - 1; last >= 0 && left[last].Lines[1] == line-1 {
			left[last].Lines[1] = line
		} else {
			left = append(left, one)
		}
	}
	return left
}

// compressed makes places of numbers: those below each other in one field, or in the same columns, are one place.
func compressed(numbers []NumberPlace) []bench.Place {
	numbers = slices.Clone(numbers)
	slices.SortFunc(numbers, func(a, b NumberPlace) int {
		return cmp.Or(a.Field-b.Field, a.Columns[0]-b.Columns[0], a.Columns[1]-b.Columns[1], a.Line-b.Line)
	})
	var places []bench.Place
	for _, n := range numbers {
		one := n.place()
		if last := len(places) - 1; last >= 0 && places[last].Field == one.Field && places[last].Columns == one.Columns && places[last].Lines[1] == n.Line-1 {
			places[last].Lines[1] = n.Line
		} else {
			places = append(places, one)
		}
	}
	return places
}

// yaml writes a place as it stands in a bench file.
func placeYAML(p bench.Place) string {
	var parts []string
	if p.After != "" {
		parts = append(parts, fmt.Sprintf("after: %q", p.After))
		if p.Line > 0 {
			parts = append(parts, fmt.Sprintf("line: %d", p.Line))
		}
	} else {
		parts = append(parts, "lines: "+spanYAML(p.Lines))
	}
	if p.Field > 0 {
		parts = append(parts, fmt.Sprintf("field: %d", p.Field))
	} else {
		parts = append(parts, "columns: "+spanYAML(p.Columns))
	}
	if p.Format != "" {
		parts = append(parts, fmt.Sprintf("format: %q", p.Format))
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

func spanYAML(span [2]int) string {
	if span[0] == span[1] {
		return fmt.Sprint(span[0])
	}
	return fmt.Sprintf("[%d, %d]", span[0], span[1])
}

func placesYAML(input string, places []bench.Place) string {
	written := make([]string, len(places))
	for i, place := range places {
		written[i] = placeYAML(place)
	}
	if !deck.IsName(input) {
		input = strconv.Quote(input)
	}
	if len(written) == 1 {
		return input + ": " + written[0]
	}
	return input + ": [" + strings.Join(written, ", ") + "]"
}
