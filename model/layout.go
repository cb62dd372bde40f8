// Package model is a bench compiled: the layout of columns, the programs that compute them, and the problem of one study.
package model

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
)

// A Layout says what the numbers of records mean: it serves every problem that is asked of one model with the same formulas.
// Columns stand in a fixed order, whatever the order of the bench file: outputs of the solver by name, then what inputs alone
// decide, then the rest. It is kept with a run, so that its records can be read without the bench.
type Layout struct {
	Inputs  []string               // of a design, by name
	Held    map[string]bench.Value // all other inputs
	Columns []Column
	Curves  []Curve // vectors and curves, of the solver first
}

// A Column is a number of every evaluation.
type Column struct {
	Name   string
	Unit   string
	Source Source
}

// A Curve is a vector or a curve of every evaluation.
type Curve struct {
	Name   string
	Source Source
}

// A Source says where a value comes from.
type Source string

// The sources.
const (
	FromSolver Source = "output"
	FromInputs Source = "inputs"  // inputs alone decide it
	Derived    Source = "derived" // computed behind the solver
	Matched    Source = "match"   // a point of a measurement; it is not shown
)

// Column finds a column by its name; -1 where there is none.
func (l *Layout) Column(name string) int {
	return slices.IndexFunc(l.Columns, func(c Column) bool { return c.Name == name })
}

// Curve finds a vector or curve by its name; -1 where there is none.
func (l *Layout) Curve(name string) int {
	return slices.IndexFunc(l.Curves, func(c Curve) bool { return c.Name == name })
}

// from is how many columns, vectors and curves have a source.
func (l *Layout) from(source Source) (columns, curves int) {
	for _, c := range l.Columns {
		if c.Source == source {
			columns++
		}
	}
	for _, c := range l.Curves {
		if c.Source == source {
			curves++
		}
	}
	return columns, curves
}

// A computed value is a formula whose value the layout has.
type computed struct {
	formula.Definition
	number  bool     // it gives a column; else a vector or a curve
	reduced reduceBy // makes a column of a vector or a curve; nil: it is a number by itself
	limited bool     // against a limit curve
}

// Asked are the formulas that a study asks for beside what the bench names.
type Asked []formula.Expression

// TakenOf lists the formulas that the statistics of an expression are taken of.
func TakenOf(e formula.Expression) Asked {
	var of Asked
	for _, s := range e.Statistics {
		of = append(of, s.Of)
	}
	return of
}

// lay names the columns of a bench, and lists the formulas that give them: those of inputs alone, and the others, each in
// an order in which they can be computed.
func lay(b *bench.Bench, asked, matched Asked) (l Layout, before, after []computed) {
	returned := slices.SortedFunc(slices.Values(b.Returns()), func(a, b bench.Returned) int { return strings.Compare(a.Name, b.Name) })
	taken := map[string]bool{}
	for _, r := range returned {
		taken[r.Name] = true
		if r.Shape == formula.Number {
			l.Columns = append(l.Columns, Column{Name: r.Name, Unit: r.Unit, Source: FromSolver})
		} else {
			l.Curves = append(l.Curves, Curve{r.Name, FromSolver})
		}
	}
	only := b.InputsOnly()
	add := func(c computed) {
		if taken[c.Name] {
			return
		}
		taken[c.Name] = true
		if slices.ContainsFunc(c.Expression.Names, func(name string) bool { return !only[name] }) {
			after = append(after, c)
		} else {
			before = append(before, c)
		}
	}
	for _, d := range b.Derived {
		add(computed{Definition: formula.Definition{Name: d.Name, Expression: d.Formula}, number: b.Shapes[d.Name] == formula.Number})
	}
	for _, q := range b.Requirements {
		for _, one := range q.Limited() {
			if one.Of.Statistics != nil {
				matched = append(slices.Clone(matched), TakenOf(one.Of)...)
				continue
			}
			add(computed{Definition: formula.Definition{Name: limitedBy(b, q, one.Of), Expression: one.Of}, number: true, reduced: b.Worst(q), limited: q.File != ""})
		}
	}
	for _, expression := range asked {
		add(computed{Definition: formula.Definition{Name: expression.Text, Expression: expression}, number: true})
	}
	shown := len(after)
	for _, expression := range matched {
		add(computed{Definition: formula.Definition{Name: expression.Text, Expression: expression}, number: true})
	}
	for _, c := range before {
		l.append(b, c, FromInputs)
	}
	for i, c := range after {
		if i < shown {
			l.append(b, c, Derived)
		} else {
			l.append(b, c, Matched)
		}
	}
	return l, before, after
}

func (l *Layout) append(b *bench.Bench, c computed, source Source) {
	if c.number {
		l.Columns = append(l.Columns, Column{Name: c.Name, Unit: b.UnitOf(c.Expression.Text), Source: source})
	} else {
		l.Curves = append(l.Curves, Curve{c.Name, source})
	}
}

// limitedBy is the name of the column that a requirement limits by a formula: that formula, or for a vector or a curve the element on
// which its verdict hangs.
func limitedBy(b *bench.Bench, q bench.Requirement, of formula.Expression) string {
	if b.Worst(q) == nil {
		return of.Text
	}
	return fmt.Sprintf("%s, worst for %s", of.Text, q.ID)
}

// ShownColumns lists columns in the order of the bench file: what it names, then what requirements and studies ask for.
func (l *Layout) ShownColumns(b *bench.Bench) []int {
	var order []int
	add := func(name string) {
		if i := l.Column(name); i >= 0 && !slices.Contains(order, i) {
			order = append(order, i)
		}
	}
	for _, name := range b.ValueNames() {
		add(name)
	}
	for _, c := range l.Columns {
		if c.Source != Matched {
			add(c.Name)
		}
	}
	return order
}

// ShownInputs lists the inputs of a design in the order of the bench file.
func (l *Layout) ShownInputs(b *bench.Bench) []int {
	var order []int
	for _, name := range b.InputNames() {
		if i := slices.Index(l.Inputs, name); i >= 0 {
			order = append(order, i)
		}
	}
	return order
}
