package read

import (
	"fmt"
	"path/filepath"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
)

func (f *fileReader) solver(n *Node) {
	s := &f.bench.Solver
	kinds := 0
	s.Keep = bench.KeepFailed
	f.fields(n, "solver", keys{
		"steps":  func(n *Node) { kinds++; s.Steps = f.steps(n, "step") },
		"coarse": func(n *Node) { s.Coarse = f.coarse(n) },
		"formulas": func(n *Node) {
			kinds++
			f.named(n, "formulas", false, func(name string, line int, n *Node) {
				f.declare(name, line)
				s.Formulas = append(s.Formulas, f.namedFormula(name, line, n))
			})
		},
		"files": func(n *Node) {
			s.Files = f.texts(n, "files")
			for _, path := range s.Files {
				f.local(n.line, "files", path)
			}
		},
		"at_once":  func(n *Node) { s.AtOnce = f.whole(n, "at_once", 1) },
		"retry":    func(n *Node) { s.Retry = f.whole(n, "retry", 0) },
		"keep":     func(n *Node) { s.Keep = f.oneOf(n, "keep", bench.Keeps) },
		"noisy":    func(n *Node) { s.Noisy = f.boolean(n, "noisy") },
		"dynamics": func(n *Node) { kinds++; f.dynamics(n) },
	})
	if kinds != 1 && len(f.problems) == 0 {
		f.wrong(n.line, "a solver has exactly one of steps, formulas and dynamics, not %d of them", kinds)
	}
}

func (f *fileReader) steps(n *Node, what string) []bench.Step {
	if n.kind != list {
		f.wrong(n.line, "steps needs a list: each step on a line that begins with -")
		return nil
	}
	var steps []bench.Step
	for i, item := range n.Items {
		steps = append(steps, f.solverStep(fmt.Sprintf("%s %d", what, i+1), item, steps))
	}
	return steps
}

// coarse reads the cheaper way to the outputs.
func (f *fileReader) coarse(n *Node) *bench.Coarse {
	coarse := &bench.Coarse{}
	f.fields(n, "coarse", keys{
		"steps": func(n *Node) { coarse.Steps = f.steps(n, "coarse step") },
		"formulas": func(n *Node) {
			f.named(n, "coarse: formulas", false, func(name string, line int, n *Node) {
				if n.kind == mapping {
					f.wrong(line, "coarse: %s has its label and unit from outputs: write its formula alone", name)
					return
				}
				coarse.Formulas = append(coarse.Formulas, f.namedFormula(name, line, n))
			})
		},
	})
	if n.kind == mapping && (len(coarse.Steps) > 0) == (len(coarse.Formulas) > 0) && len(f.problems) == 0 {
		f.wrong(n.line, "coarse gives the outputs by a cheaper way: either by steps, or by a formula for each output")
	}
	f.coarseLine = n.line
	return coarse
}

// checkCoarse asks that the coarse variant gives what the solver gives.
func (f *fileReader) checkCoarse() {
	coarse := f.bench.Solver.Coarse
	switch {
	case coarse == nil:
		return
	case len(f.bench.Solver.Steps) == 0:
		f.wrong(f.coarseLine, "coarse is for a solver of steps: formulas and equations need no cheaper way")
		return
	case len(coarse.Formulas) == 0:
		return
	}
	for _, out := range f.bench.Outputs {
		if out.Shape() != formula.Number {
			f.wrong(f.coarseLine, "coarse: %s is %s, for which there is no coarse formula: give coarse steps, or take a number of it by take", out.Name, out.Shape())
		} else if _, given := bench.Find(coarse.Formulas, out.Name, nameOfDerived); !given {
			f.wrong(f.coarseLine, "coarse: there is no formula for %s: the coarse variant gives every output", out.Name)
		}
	}
	for _, d := range coarse.Formulas {
		if _, is := bench.Find(f.bench.Outputs, d.Name, func(o bench.Output) string { return o.Name }); !is {
			f.wrong(f.coarseLine, "coarse: %s is no output%s", d.Name, formula.Suggest(d.Name, f.knownNames()))
		}
		for _, name := range d.Formula.Names {
			if _, isDerived := bench.Find(f.bench.Derived, name, nameOfDerived); isDerived {
				f.wrong(f.coarseLine, "coarse: formulas use inputs and each other; %s of %s is derived from their results: write out its formula", name, d.Name)
			}
		}
	}
	coarse.Formulas = f.ordered(coarse.Formulas)
}

func nameOfDerived(d bench.Derived) string { return d.Name }

// local refuses a path that leaves the bench folder, or the working folder.
func (f *fileReader) local(line int, what, path string) {
	if !filepath.IsLocal(path) || strings.Contains(path, `\`) {
		f.wrong(line, "%s: the path %q leaves the folder of the bench: copy the file into it and write a path below it", what, path)
	}
}
