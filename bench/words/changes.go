package words

import (
	"bytes"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// Changes says in words what is different in the newer of two revisions, given the benches and their contents.
func Changes(older, newer *bench.Bench, olderContent, newerContent bench.Content) []string {
	var words []string
	say := func(format string, args ...any) { words = append(words, fmt.Sprintf(format, args...)) }
	if older.Title != newer.Title {
		say("title: %q -> %q", older.Title, newer.Title)
	}
	compare(older.Inputs, newer.Inputs, "input", func(in bench.Input) string { return in.Name }, say, func(a, b bench.Input) {
		if a.Nominal != b.Nominal {
			say("%s: nominal %s -> %s", a.Name, a.Nominal, b.Nominal)
		}
		if was, is := Range(a), Range(b); was != is && (a.Varied() || b.Varied() || a.Scatter != nil || b.Scatter != nil) {
			say("%s: %s -> %s", a.Name, was, is)
		} else if a.Unit != b.Unit {
			say("%s: unit %q -> %q", a.Name, a.Unit, b.Unit)
		}
	})
	formulas := func(d bench.Derived) string { return d.Name }
	changedFormula := func(a, b bench.Derived) {
		if a.Formula.Text != b.Formula.Text {
			say("%s: %s -> %s", a.Name, a.Formula.Text, b.Formula.Text)
		}
	}
	compare(older.Solver.Formulas, newer.Solver.Formulas, "formula", formulas, say, changedFormula)
	if was, is := Equations(older), Equations(newer); was != is {
		say("solver: %s -> %s", was, is)
	}
	compare(older.Derived, newer.Derived, "derived value", formulas, say, changedFormula)
	compare(older.Outputs, newer.Outputs, "output", func(o bench.Output) string { return o.Name }, say, func(a, b bench.Output) {
		if a.Label != b.Label {
			say("%s: label %q -> %q", a.Name, a.Label, b.Label)
		}
		if a.Unit != b.Unit {
			say("%s: unit %q -> %q", a.Name, a.Unit, b.Unit)
		}
		a.Label, a.Unit = b.Label, b.Unit
		if !reflect.DeepEqual(a, b) {
			say("%s: it is read differently", a.Name)
		}
	})
	if !reflect.DeepEqual(older.Solver.Steps, newer.Solver.Steps) {
		say("solver: the steps are different")
	}
	if !reflect.DeepEqual(older.Solver.Coarse, newer.Solver.Coarse) {
		say("solver: the coarse variant is different")
	}
	if was, is := older.Solver.Retry, newer.Solver.Retry; was != is {
		say("solver: retry %d -> %d", was, is)
	}
	if was, is := older.Solver.AtOnce, newer.Solver.AtOnce; was != is {
		say("solver: at_once %s -> %s", bound(was), bound(is))
	}
	if was, is := older.Solver.Noisy, newer.Solver.Noisy; was != is {
		say("solver: noisy %t -> %t", was, is)
	}
	compare(older.Requirements, newer.Requirements, "requirement", func(q bench.Requirement) string { return q.ID }, say, func(a, b bench.Requirement) {
		if was, is := requirementWords(older, a), requirementWords(newer, b); was != is {
			say("%s: %s -> %s", a.ID, was, is)
		}
	})
	if !slices.Equal(older.Correlations, newer.Correlations) {
		say("correlations: %s -> %s", correlations(older), correlations(newer))
	}
	compare(older.Studies, newer.Studies, "study", func(s bench.Study) string { return s.Name }, say, func(a, b bench.Study) {
		if !reflect.DeepEqual(a, b) {
			say("study %s: %s -> %s", a.Name, Study(a), Study(b))
		}
	})
	words = append(words, changedFiles(olderContent, newerContent)...)
	if len(words) == 0 && !bytes.Equal(olderContent.Files[olderContent.File].Text, newerContent.Files[newerContent.File].Text) {
		say("only notes, labels or the writing of the bench file are different")
	}
	return words
}

// correlations says which inputs go together.
func correlations(b *bench.Bench) string {
	if len(b.Correlations) == 0 {
		return "none"
	}
	var all []string
	for _, c := range b.Correlations {
		all = append(all, fmt.Sprintf("%s with %s %s", c.A, c.B, plain.Exact(c.Of)))
	}
	return strings.Join(all, ", ")
}

func bound(n int) string {
	if n == 0 {
		return "without bound"
	}
	return fmt.Sprint(n)
}

// compare goes through two lists of named things and says what came, what went, and what is different in those that stayed.
func compare[T any](older, newer []T, what string, nameOf func(T) string, say func(string, ...any), both func(a, b T)) {
	for _, a := range older {
		if b, stayed := bench.Find(newer, nameOf(a), nameOf); stayed {
			both(a, b)
		} else {
			say("%s %s is gone", what, nameOf(a))
		}
	}
	for _, b := range newer {
		if _, was := bench.Find(older, nameOf(b), nameOf); !was {
			say("%s %s is new", what, nameOf(b))
		}
	}
}

func changedFiles(older, newer bench.Content) []string {
	var words []string
	for _, path := range slices.Sorted(maps.Keys(older.Files)) {
		file, stayed := newer.Files[path]
		switch {
		case path == older.File:
		case !stayed:
			words = append(words, fmt.Sprintf("file %s is gone", path))
		case !bytes.Equal(file.Text, older.Files[path].Text):
			words = append(words, fmt.Sprintf("file %s is different", path))
		case file.Executable != older.Files[path].Executable:
			words = append(words, fmt.Sprintf("file %s can be started %s", path, map[bool]string{true: "now", false: "no more"}[file.Executable]))
		}
	}
	for _, path := range slices.Sorted(maps.Keys(newer.Files)) {
		if _, was := older.Files[path]; !was && path != newer.File {
			words = append(words, fmt.Sprintf("file %s is new", path))
		}
	}
	return words
}

// Equations writes the differential equations of the solver down: all that their solution depends on, but the inputs.
func Equations(b *bench.Bench) string {
	d := b.Solver.Dynamics
	if d == nil {
		return "no differential equations"
	}
	words := fmt.Sprintf("time %s to %s in %d, accuracy %g and %g", d.From.Text, d.To.Text, d.Count, d.Relative, d.Absolute)
	for _, s := range d.States {
		words += fmt.Sprintf("; %s from %s, rate %s", s.Name, s.Start.Text, s.Rate.Text)
	}
	for _, s := range d.Signals {
		words += fmt.Sprintf("; %s = %s", s.Name, s.Formula.Text)
	}
	return words
}
