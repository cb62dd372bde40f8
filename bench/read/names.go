package read

import (
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
)

// checkNames looks up every name that a formula or a study uses, and puts formulas into an order in which they can be computed.
// Where the file has other mistakes, only names are looked up: what stands there with a mistake counts as known.
func (f *fileReader) checkNames() {
	known, mistaken := f.knownNames(), len(f.problems) > 0
	for _, u := range f.uses {
		f.checkUse(u, known)
	}
	if !mistaken {
		f.checkSolverFormulas()
		f.checkCoarse()
		f.bench.Solver.Formulas = f.ordered(f.bench.Solver.Formulas)
		f.bench.Derived = f.ordered(f.bench.Derived)
		f.checkDynamics()
		f.checkShapes()
	}
	for _, s := range f.bench.Studies {
		f.checkStudy(s)
	}
	if mistaken {
		return
	}
	if len(f.bench.Solver.Steps) == 0 && len(f.bench.Outputs) > 0 {
		f.wrong(f.lines[f.bench.Outputs[0].Name], "outputs are read from the files of steps; formulas, states and signals are outputs under their own names: remove `outputs:`")
	}
}

func (f *fileReader) knownNames() []string {
	names := make([]string, 0, len(f.lines))
	for _, in := range f.bench.Inputs {
		names = append(names, in.Name)
	}
	names = append(names, f.bench.ValueNames()...)
	for _, name := range slices.Clone(names) {
		for _, c := range f.bench.Cases {
			names = append(names, c.In(name))
		}
	}
	return names
}

func (f *fileReader) checkUse(u use, known []string) {
	if u.expression.Statistics != nil && !u.scattered {
		f.wrong(u.line, "%s: %s is taken over scatter: only an objective of kind optimize and a requirement can ask for it", u.what, u.expression.Statistics[0].Name)
	}
	for _, name := range u.expression.AllNames() {
		message := f.bench.WordMistake(name)
		if message != "" {
			f.wrong(u.line, "%s: in the formula %q: %s", u.what, u.expression.Text, message)
		}
		_, inCatalog := f.bench.ShapeOf(name)
		if message != "" || inCatalog || slices.Contains(known, name) || name == u.local || f.lines[name] > 0 {
			continue
		}
		f.wrong(u.line, "%s: the formula %q names %s, which is no input, output or derived value%s", u.what, u.expression.Text, name, formula.Suggest(name, known))
	}
}

// checkSolverFormulas refuses derived values in the formulas of the solver: these are computed after it.
func (f *fileReader) checkSolverFormulas() {
	for _, formula := range f.bench.Solver.Formulas {
		for _, name := range formula.Formula.Names {
			if _, isDerived := bench.Find(f.bench.Derived, name, func(d bench.Derived) string { return d.Name }); isDerived {
				f.wrong(f.lines[formula.Name], "%s: formulas of the solver use inputs and each other; %s is derived from their results: move it to `formulas:`", formula.Name, name)
			}
		}
	}
}

// ordered sorts formulas such that each comes after those it uses; a circle is a mistake.
func (f *fileReader) ordered(all []bench.Derived) []bench.Derived {
	byName := map[string]bench.Derived{}
	for _, d := range all {
		byName[d.Name] = d
	}
	var sorted []bench.Derived
	state := map[string]int{} // 1: being visited, 2: done
	var visit func(d bench.Derived, path []string)
	visit = func(d bench.Derived, path []string) {
		path = append(path, d.Name)
		switch state[d.Name] {
		case 2:
			return
		case 1:
			f.wrong(f.lines[d.Name], "%s is computed from itself (%s): break the circle", d.Name, strings.Join(path, " <- "))
			return
		}
		state[d.Name] = 1
		for _, name := range d.Formula.Names {
			base, _ := f.bench.OfCase(name)
			if next, ok := byName[base]; ok {
				visit(next, path)
			}
		}
		state[d.Name] = 2
		sorted = append(sorted, d)
	}
	for _, d := range all {
		visit(d, nil)
	}
	return sorted
}
