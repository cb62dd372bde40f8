package bench

import (
	"regexp"
	"slices"
	"strings"

	"ropebench/bench/workbook"
)

// InputsOnly gives the names that depend on inputs alone: the inputs themselves and the derived values made of them.
func (b *Bench) InputsOnly() map[string]bool {
	only := map[string]bool{}
	for _, in := range b.Inputs {
		only[in.Name] = true
	}
	numbers, words := b.catalogNames()
	for _, name := range slices.Concat(numbers, words, b.caseVariables()) {
		only[name] = true
	}
	for _, d := range b.Derived {
		if d.Formula.NamesOnly(only) {
			only[d.Name] = true
		}
	}
	return only
}

var GoodName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]*$`)

var GoodDashName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]*$`)

// Idle lists the inputs that may move and enter nothing: no deck, argument, formula or equation names them. Moving them changes no
// outcome.
func (b *Bench) Idle() []string {
	named := b.named()
	if named == nil {
		return nil
	}
	var idle []string
	for _, in := range b.Inputs {
		if in.Varied() && !named[in.Name] {
			idle = append(idle, in.Name)
		}
	}
	return idle
}

// named has the inputs that something names; nil where all are sent to a service, or to a program that is asked.
func (b *Bench) named() map[string]bool {
	named := map[string]bool{}
	add := func(names ...string) {
		for _, name := range names {
			base, _, _ := strings.Cut(name, ".") // rope.mass names rope
			named[base] = true
		}
	}
	for name := range b.Solver.Written {
		add(name)
	}
	for _, step := range b.Solver.AllSteps() {
		switch {
		case step.Post != nil, step.Ask != nil:
			return nil
		case step.Workbook != nil:
			for _, set := range step.Workbook.Set {
				add(set.Input)
			}
		}
	}
	for _, f := range b.Solver.Formulas {
		add(f.Formula.Names...)
	}
	if coarse := b.CoarseVariant(); coarse != nil {
		for _, f := range coarse.Solver.Formulas {
			add(f.Formula.Names...)
		}
	}
	if d := b.Solver.Dynamics; d != nil {
		add(slices.Concat(d.From.Names, d.To.Names)...)
		for _, state := range d.States {
			add(slices.Concat(state.Start.Names, state.Rate.Names)...)
		}
		for _, signal := range d.Signals {
			add(signal.Formula.Names...)
		}
	}
	for _, d := range b.Derived {
		add(d.Formula.Names...)
	}
	for _, q := range b.Requirements {
		add(q.Of.AllNames()...)
	}
	for _, s := range b.Studies {
		for _, goal := range s.Goals() {
			add(goal.Formula.AllNames()...)
		}
	}
	return named
}

// CellsOf lists the cells of a workbook that outputs read, each once.
func (b *Bench) CellsOf(file string) (addresses []workbook.Address) {
	for _, out := range b.Outputs {
		if out.Cell == "" || out.File != file {
			continue
		}
		if a, err := workbook.ParseAddress(out.Cell); err == nil && !slices.Contains(addresses, a) {
			addresses = append(addresses, a)
		}
	}
	return addresses
}

// ByOffice is true for a workbook that LibreOffice calculates.
func (b *Bench) ByOffice(file string) bool {
	return workbook.OfficeOnly(file) || b.hasWorkbook(file, func(w *Workbook) bool { return w.By == workbook.ByOffice })
}

// Volatile is true where values change by themselves, with the clock or at random, so that none is known from before.
func (b *Bench) Volatile() bool {
	return slices.ContainsFunc(b.Solver.AllSteps(), func(s Step) bool { return s.Workbook != nil && s.Workbook.Volatile != "" })
}

// SetsCellsOf is true for a workbook whose cells a step sets.
func (b *Bench) SetsCellsOf(file string) bool {
	return b.hasWorkbook(file, func(*Workbook) bool { return true })
}

func (b *Bench) hasWorkbook(file string, wanted func(*Workbook) bool) bool {
	return slices.ContainsFunc(b.Solver.AllSteps(), func(s Step) bool {
		return s.Workbook != nil && ContentPath(s.Workbook.File) == ContentPath(file) && wanted(s.Workbook)
	})
}
