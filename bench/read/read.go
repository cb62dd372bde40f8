package read

import (
	"slices"
	"time"

	"ropebench/bench"
	"ropebench/core/formula"
)

// Read reads the text of a bench file; file is its name in messages. Decks are not looked at: Load does that. The
// error is of type Problems and has every mistake found.
func Read(file string, text []byte) (*bench.Bench, error) {
	f, err := readText(file, text)
	if err != nil {
		return nil, err
	}
	return f.bench, nil
}

// readText reads the text, and leaves the files that it names to readFiles.
func readText(file string, text []byte) (*fileReader, error) {
	root, problems := ParseTree(file, text)
	if len(problems) > 0 {
		return nil, problems
	}
	f := &fileReader{reader: reader{file: file, text: text}, bench: &bench.Bench{}, lines: map[string]int{}, studyLines: map[string]int{}, requirementLines: map[string]int{}}
	f.file(root)
	f.checkNames()
	f.checkCases()
	if len(f.problems) == 0 {
		f.checkOneCase()
	}
	if len(f.problems) > 0 {
		return f, f.problems.Sorted()
	}
	return f, nil
}

// A fileReader reads the sections of a bench file.
type fileReader struct {
	reader
	bench *bench.Bench
	lines map[string]int // of inputs, outputs and derived values, by name
	uses  []use          // formulas whose names are looked up when all names are known

	studyLines       map[string]int
	requirementLines map[string]int
	coarseLine       int
	correlationsLine int
	casesLine        int
}

// A use is a formula with its place.
type use struct {
	line       int
	what       string
	expression formula.Expression
	scattered  bool   // it may have statistics
	local      string // a name that is known in this formula only
	still      bool   // it stands before the beginning of time: inputs alone are known
}

func (f *fileReader) file(root *Node) {
	version := false
	f.fields(root, "a bench file", keys{
		"bench": func(n *Node) {
			version = true
			if n.Text != "1" {
				f.wrong(n.line, "this version of Rope Bench reads bench: 1, not bench: %s", n.Text)
			}
		},
		"title":        func(n *Node) { f.bench.Title = f.singleText(n, "title") },
		"notes":        func(n *Node) { f.bench.Notes = f.singleText(n, "notes") },
		"inputs":       func(n *Node) { f.named(n, "inputs", false, f.input) },
		"solver":       f.solver,
		"outputs":      func(n *Node) { f.named(n, "outputs", false, f.output) },
		"derived":      func(n *Node) { f.named(n, "derived", false, f.derived) },
		"requirements": func(n *Node) { f.named(n, "requirements", true, f.requirement) },
		"cases":        f.cases,
		"correlations": f.correlations,
		"studies":      func(n *Node) { f.named(n, "studies", true, f.study) },
	})
	if !version {
		f.wrong(root.line, "the version of the format is missing: begin the file with `bench: 1`")
	}
	if root.kind == mapping && len(f.bench.Inputs) == 0 && len(f.problems) == 0 {
		f.wrong(root.line, "there are no inputs: name at least one under `inputs:`")
	}
	if len(f.problems) == 0 && len(f.bench.Solver.Steps)+len(f.bench.Solver.Formulas) == 0 && f.bench.Solver.Dynamics == nil {
		f.wrong(root.line, "there is no solver: say under `solver:` how outputs come from inputs, by `steps:`, `formulas:` or `dynamics:`")
	}
	f.checkAnswers()
}

// checkAnswers refuses outputs that are read from an answer where no step asks for one.
func (f *fileReader) checkAnswers() {
	coarse := f.bench.Solver.Coarse
	if slices.ContainsFunc(f.bench.Solver.Steps, asks) && (coarse == nil || len(coarse.Formulas) > 0 || slices.ContainsFunc(coarse.Steps, asks)) {
		return
	}
	for _, out := range f.bench.Outputs {
		if out.Answer {
			f.wrong(f.lines[out.Name], "%s is read from the answer of a program, and no step asks one: add a step such as `- ask: [python3, model.py]`, or read it from a file", out.Name)
		}
	}
}

func asks(s bench.Step) bool { return s.Ask != nil }

// declare enters a name into the namespace that inputs, outputs and derived values share.
func (f *fileReader) declare(name string, line int) {
	if first, taken := f.lines[name]; taken {
		f.wrong(line, "%s is already a name, on line %d: inputs, outputs and derived values share their names; rename one", name, first)
		return
	}
	f.lines[name] = line
}

func (f *fileReader) derived(name string, line int, n *Node) {
	f.declare(name, line)
	d := f.namedFormula(name, line, n)
	if d.Along != nil {
		f.wrong(line, "%s: along belongs to the formulas of the solver; a derived value runs along the curves that it names", name)
	}
	f.bench.Derived = append(f.bench.Derived, d)
}

// namedFormula reads a formula with a name: the formula alone, or with label and unit.
func (f *fileReader) namedFormula(name string, line int, n *Node) bench.Derived {
	d := bench.Derived{Name: name}
	if n.kind != mapping {
		d.Formula = f.formula(n, name)
		f.uses = append(f.uses, use{line: n.line, what: name, expression: d.Formula})
		return d
	}
	given := false
	f.fields(n, name, keys{
		"label": func(n *Node) { d.Label = f.singleText(n, name+": label") },
		"unit":  func(n *Node) { d.Unit = f.singleText(n, name+": unit") },
		"formula": func(n *Node) {
			given = true
			d.Formula = f.formula(n, name)
			f.uses = append(f.uses, use{line: n.line, what: name, expression: d.Formula})
		},
		"along": func(n *Node) { d.Along = f.along(name, n) },
		"is": func(n *Node) {
			given = true
			d.Formula = f.formula(n, name)
		},
	})
	if d.Along != nil {
		f.uses = append(f.uses, use{line: line, what: name, expression: d.Formula, local: d.Along.Name})
	}
	if !given && len(f.problems) == 0 {
		f.wrong(line, "%s has no formula: write %s: {formula: \"...\"}", name, name)
	}
	return d
}

// until reads a moment: a date with a time, or a time of day, which is the next one when a run is started.
func (f *fileReader) until(n *Node) time.Time {
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02", bench.ClockLayout} {
		if moment, err := time.ParseInLocation(layout, n.Text, time.Local); err == nil {
			return moment
		}
	}
	f.wrong(n.line, "until needs a date and time such as 2026-11-24 06:00, or a time of day such as \"07:00\", not %s", n.Text)
	return time.Time{}
}
