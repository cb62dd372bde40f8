package bench

import (
	"math"
	"slices"
	"strings"
	"time"

	"ropebench/core/formula"
)

// Read reads the text of a bench file; file is its name in messages. Decks are not looked at: Load does that. The
// error is of type Problems and has every mistake found.
func Read(file string, text []byte) (*Bench, error) {
	root, problems := parseTree(file, text)
	if len(problems) > 0 {
		return nil, problems
	}
	f := &fileReader{reader: reader{file: file, text: text}, bench: &Bench{}, lines: map[string]int{}, studyLines: map[string]int{}, requirementLines: map[string]int{}}
	f.file(root)
	if len(f.problems) == 0 {
		f.checkNames()
	}
	if len(f.problems) > 0 {
		return nil, f.problems.sorted()
	}
	f.bench.uses, f.bench.inputLines = f.uses, f.lines
	return f.bench, nil
}

// A fileReader reads the sections of a bench file.
type fileReader struct {
	reader
	bench *Bench
	lines map[string]int // of inputs, outputs and derived values, by name
	uses  []use          // formulas whose names are looked up when all names are known

	studyLines       map[string]int
	requirementLines map[string]int
}

// A use is a formula with its place.
type use struct {
	line       int
	what       string
	expression formula.Expression
	local      string // a name that is known in this formula only
	still      bool   // it stands before the beginning of time: inputs alone are known
}

func (f *fileReader) file(root *node) {
	version := false
	f.fields(root, "a bench file", keys{
		"bench": func(n *node) {
			version = true
			if n.text != "1" {
				f.wrong(n.line, "this version of Rope Bench reads bench: 1, not bench: %s", n.text)
			}
		},
		"title":        func(n *node) { f.bench.Title = f.singleText(n, "title") },
		"notes":        func(n *node) { f.bench.Notes = f.singleText(n, "notes") },
		"inputs":       func(n *node) { f.named(n, "inputs", false, f.input) },
		"solver":       f.solver,
		"outputs":      func(n *node) { f.named(n, "outputs", false, f.output) },
		"derived":      func(n *node) { f.named(n, "derived", false, f.derived) },
		"requirements": func(n *node) { f.named(n, "requirements", true, f.requirement) },
		"studies":      func(n *node) { f.named(n, "studies", true, f.study) },
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
}

// declare enters a name into the namespace that inputs, outputs and derived values share.
func (f *fileReader) declare(name string, line int) {
	if first, taken := f.lines[name]; taken {
		f.wrong(line, "%s is already a name, on line %d: inputs, outputs and derived values share their names; rename one", name, first)
		return
	}
	f.lines[name] = line
}

func (f *fileReader) input(name string, line int, n *node) {
	f.declare(name, line)
	in := Input{Name: name}
	var nominal, ranges, ends, step, scale *node
	before := len(f.problems)
	f.fields(n, name, keys{
		"label":   func(n *node) { in.Label = f.singleText(n, name+": label") },
		"unit":    func(n *node) { in.Unit = f.singleText(n, name+": unit") },
		"nominal": func(n *node) { nominal = n },
		"range":   func(n *node) { ranges = n },
		"ends":    func(n *node) { ends = n },
		"step":    func(n *node) { step = n },
		"scale": func(n *node) {
			scale = n
			in.Log = n.text == "log"
			if n.text != "log" && n.text != "linear" {
				f.wrong(n.line, "%s: scale is log or linear, not %s", name, n.text)
			}
		},
		"values":  func(n *node) { f.choices(&in, n) },
		"catalog": func(n *node) { f.catalog(&in, n) },
		"scatter": func(n *node) { in.Scatter = f.scatter(name, n) },
	})
	if len(f.problems) > before {
		return
	}
	if nominal == nil {
		f.wrong(line, "%s has no nominal: give the value of the design that works today, as in {nominal: 1.2}", name)
		return
	}
	if f.nominalOf(&in, nominal); len(f.problems) > before {
		return
	}
	if in.Choices != nil {
		for key, given := range map[string]*node{"range": ranges, "ends": ends, "step": step, "scale": scale} {
			if given != nil {
				f.wrong(given.line, "%s: %s does not go with a list of values or a catalog: keep one of them", name, key)
			}
		}
		if in.wordy() && in.Scatter != nil {
			f.wrong(line, "%s: words do not scatter: remove scatter", name)
		}
	}
	if ranges != nil {
		f.rangeOf(&in, ranges)
	}
	if ends != nil {
		f.ends(&in, ends)
	}
	if step != nil && len(f.problems) == before {
		f.step(&in, step)
	}
	f.bench.Inputs = append(f.bench.Inputs, in)
}

func (f *fileReader) rangeOf(in *Input, n *node) {
	if n.kind == scalar {
		percent, ok := parseNumber(strings.TrimSpace(strings.TrimSuffix(n.text, "%")))
		nominal := in.Nominal.Number
		if !strings.HasSuffix(n.text, "%") || !ok || percent <= 0 || nominal == 0 {
			f.wrong(n.line, "%s: a range is [lower, upper], or a share of a nominal that is not 0, such as 20%%", in.Name)
			return
		}
		half := math.Abs(nominal) * percent / 100
		in.Range = &Range{nominal - half, nominal + half, true, true}
		return
	}
	if f.dependentEnd(in.Name, n) {
		return
	}
	lower, upper, ok := f.pair(n, in.Name+": range")
	nominal := in.Nominal.Number
	switch {
	case !ok:
		return
	case lower > upper:
		f.wrong(n.line, "%s: the range [%g, %g] is upside down: write [%g, %g]", in.Name, lower, upper, upper, lower)
	case lower == upper:
		f.wrong(n.line, "%s: the range [%g, %g] has no width: widen it, or remove it to hold the input at %g", in.Name, lower, upper, nominal)
	case nominal < lower || nominal > upper:
		f.wrong(n.line, "%s: the nominal %g is outside its range [%g, %g]: widen the range or correct the nominal", in.Name, nominal, lower, upper)
	case in.Log && lower <= 0:
		f.wrong(n.line, "%s: a logarithmic scale needs a range above 0, not [%g, %g]: raise the lower end or remove scale: log", in.Name, lower, upper)
	}
	in.Range = &Range{Lower: lower, Upper: upper}
}

// dependentEnd refuses an end of a range that names other inputs, and says how such a bound is written.
func (f *fileReader) dependentEnd(name string, n *node) bool {
	if n.kind != list || len(n.items) != 2 {
		return false
	}
	for i, item := range n.items {
		if _, isNumber := parseNumber(item.text); item.kind != scalar || isNumber {
			continue
		}
		end, err := formula.Parse(item.text)
		if err != nil || len(end.Names) == 0 {
			continue
		}
		limit := "at_least"
		if i == 1 {
			limit = "at_most"
		}
		f.wrong(n.line, "%s: the ends of a range are numbers; a bound that depends on other inputs is a requirement, which is looked at before the solver is started: give the widest range here and write under requirements: {of: \"%s - (%s)\", %s: 0}", name, name, item.text, limit)
		return true
	}
	return false
}

func (f *fileReader) ends(in *Input, n *node) {
	words := f.texts(n, in.Name+": ends")
	good := len(words) == 2
	for _, word := range words {
		good = good && (word == "hard" || word == "guess")
	}
	if !good {
		f.wrong(n.line, "%s: ends needs two words, each hard or guess, for the lower and the upper end: [hard, guess]", in.Name)
		return
	}
	if in.Range == nil {
		f.wrong(n.line, "%s: ends belong to a range, and there is none", in.Name)
		return
	}
	in.Range.LowerGuess, in.Range.UpperGuess = words[0] == "guess", words[1] == "guess"
}

// stepTolerance is how far from a whole number of steps a range or a nominal may be, in steps: numbers such as 0.1
// are not exact.
const stepTolerance = 1e-6

func (f *fileReader) step(in *Input, n *node) {
	step := f.number(n, in.Name+": step")
	if in.Range == nil {
		f.wrong(n.line, "%s: a step belongs to a range, and there is none", in.Name)
		return
	}
	whole := func(x float64) bool { return math.Abs(x-math.Round(x)) <= stepTolerance }
	lower, upper := in.Range.Lower, in.Range.Upper
	switch count, at := (upper-lower)/step, (in.Nominal.Number-lower)/step; {
	case math.IsNaN(step):
	case step <= 0:
		f.wrong(n.line, "%s: a step must be above 0, not %g", in.Name, step)
	case !whole(count):
		f.wrong(n.line, "%s: the step %g does not divide the range [%g, %g]: write [%g, %g], say", in.Name, step, lower, upper, lower, lower+step*math.Max(1, math.Floor(count)))
	case !whole(at):
		f.wrong(n.line, "%s: the nominal %g is not on a step of %g from %g: the nearest is %g", in.Name, in.Nominal.Number, step, lower, lower+step*math.Round(at))
	default:
		in.Step = step
	}
}

func (f *fileReader) derived(name string, line int, n *node) {
	f.declare(name, line)
	d := f.namedFormula(name, line, n)
	if d.Along != nil {
		f.wrong(line, "%s: along belongs to the formulas of the solver; a derived value runs along the curves that it names", name)
	}
	f.bench.Derived = append(f.bench.Derived, d)
}

// namedFormula reads a formula with a name: the formula alone, or with label and unit.
func (f *fileReader) namedFormula(name string, line int, n *node) Derived {
	d := Derived{Name: name}
	if n.kind != mapping {
		d.Formula = f.formula(n, name)
		f.uses = append(f.uses, use{line: n.line, what: name, expression: d.Formula})
		return d
	}
	given := false
	f.fields(n, name, keys{
		"label": func(n *node) { d.Label = f.singleText(n, name+": label") },
		"unit":  func(n *node) { d.Unit = f.singleText(n, name+": unit") },
		"formula": func(n *node) {
			given = true
			d.Formula = f.formula(n, name)
			f.uses = append(f.uses, use{line: n.line, what: name, expression: d.Formula})
		},
		"along": func(n *node) { d.Along = f.along(name, n) },
		"is": func(n *node) {
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

var limitKinds = []string{"at_most", "at_least", "between", "equals", "under", "over"}

func (f *fileReader) requirement(id string, line int, n *node) {
	f.requirementLines[id] = line
	q := Requirement{ID: id}
	reserve, kinds := 0.0, []string{}
	single := func(kind string) func(*node) {
		return func(n *node) {
			kinds = append(kinds, kind)
			q.Kind, q.Limits = kind, []float64{f.number(n, id+": "+kind)}
		}
	}
	positive := func(what string, into *float64) func(*node) {
		return func(n *node) {
			if *into = f.number(n, id+": "+what); *into < 0 {
				f.wrong(n.line, "%s: %s must not be negative", id, what)
			}
		}
	}
	curveLimit := func(kind string) func(*node) {
		return func(n *node) {
			kinds = append(kinds, kind)
			q.Kind, q.File = kind, f.path(n, id+": "+kind)
		}
	}
	within, before := -1.0, len(f.problems)
	f.fields(n, id, keys{
		"says": func(n *node) { q.Says = f.singleText(n, id+": says") },
		"of": func(n *node) {
			q.Of = f.formula(n, id)
			f.uses = append(f.uses, use{line: n.line, what: id, expression: q.Of})
		},
		"at_most": single("at_most"), "at_least": single("at_least"), "equals": single("equals"),
		"between": func(n *node) {
			kinds = append(kinds, "between")
			a, b, ok := f.pair(n, id+": between")
			if ok && a > b {
				f.wrong(n.line, "%s: between [%g, %g] is upside down: write [%g, %g]", id, a, b, b, a)
			}
			q.Kind, q.Limits = "between", []float64{a, b}
		},
		"reserve": positive("reserve", &reserve), "within": positive("within", &within), "price": positive("price", &q.Price),
		"wish":  func(n *node) { q.Wish = f.boolean(n, id+": wish") },
		"under": curveLimit("under"), "over": curveLimit("over"),
	})
	if len(f.problems) > before {
		return
	}
	switch {
	case q.Of.Text == "":
		f.wrong(line, "%s does not say what it limits: add of: with the name of a value or a formula", id)
	case len(kinds) == 0:
		f.wrong(line, "%s has no limit: add one of %s", id, strings.Join(limitKinds, ", "))
	case len(kinds) > 1:
		f.wrong(line, "%s has %d limits (%s): keep one, and write the other as a requirement of its own, or use between", id, len(kinds), strings.Join(kinds, ", "))
	case q.Kind == "equals" && within < 0:
		f.wrong(line, "%s: equals needs within: how far from %g is still good?", id, q.Limits[0])
	case q.Kind != "equals" && within >= 0:
		f.wrong(line, "%s: within belongs to equals; for %s write reserve", id, q.Kind)
	}
	q.Within = max(0, within)
	if len(f.problems) == before {
		q.Limit = limitOf(q.Kind, q.Limits, q.Within, reserve)
		f.bench.Requirements = append(f.bench.Requirements, q)
	}
}

// until reads a moment: a date with a time.
func (f *fileReader) until(n *node) time.Time {
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02"} {
		if moment, err := time.ParseInLocation(layout, n.text, time.Local); err == nil {
			return moment
		}
	}
	f.wrong(n.line, "until needs a date and time such as 2026-11-24 06:00, not %s", n.text)
	return time.Time{}
}

// checkNames looks up every name that a formula or a study uses, and puts formulas into an order in which they can be computed.
func (f *fileReader) checkNames() {
	known := f.knownNames()
	for _, u := range f.uses {
		f.checkUse(u, known)
	}
	f.checkSolverFormulas()
	f.bench.Solver.Formulas = f.ordered(f.bench.Solver.Formulas)
	f.bench.Derived = f.ordered(f.bench.Derived)
	f.checkDynamics()
	f.checkShapes()
	for i := range f.bench.Studies {
		f.checkStudy(&f.bench.Studies[i], known)
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
	return append(names, f.bench.ValueNames()...)
}

func (f *fileReader) checkUse(u use, known []string) {
	for _, name := range u.expression.Names {
		message := f.bench.wordMistake(name)
		if message != "" {
			f.wrong(u.line, "%s: in the formula %q: %s", u.what, u.expression.Text, message)
		}
		_, inCatalog := f.bench.ShapeOf(name)
		if message != "" || inCatalog || slices.Contains(known, name) || name == u.local {
			continue
		}
		f.wrong(u.line, "%s: the formula %q names %s, which is no input, output or derived value%s", u.what, u.expression.Text, name, formula.Suggest(name, known))
	}
}

// checkSolverFormulas refuses derived values in the formulas of the solver: these are computed after it.
func (f *fileReader) checkSolverFormulas() {
	for _, formula := range f.bench.Solver.Formulas {
		for _, name := range formula.Formula.Names {
			if _, isDerived := find(f.bench.Derived, name, func(d Derived) string { return d.Name }); isDerived {
				f.wrong(f.lines[formula.Name], "%s: formulas of the solver use inputs and each other; %s is derived from their results: move it to `formulas:`", formula.Name, name)
			}
		}
	}
}

// ordered sorts formulas such that each comes after those it uses; a circle is a mistake.
func (f *fileReader) ordered(all []Derived) []Derived {
	byName := map[string]Derived{}
	for _, d := range all {
		byName[d.Name] = d
	}
	var sorted []Derived
	state := map[string]int{} // 1: being visited, 2: done
	var visit func(d Derived, path []string)
	visit = func(d Derived, path []string) {
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
			if next, ok := byName[name]; ok {
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

// InputsOnly gives the names that depend on inputs alone: the inputs themselves and the derived values made of them.
func (b *Bench) InputsOnly() map[string]bool {
	only := map[string]bool{}
	for _, in := range b.Inputs {
		only[in.Name] = true
	}
	numbers, words := b.catalogNames()
	for _, name := range append(numbers, words...) {
		only[name] = true
	}
	for _, d := range b.Derived {
		if b.dependsOnlyOn(d.Formula, only) {
			only[d.Name] = true
		}
	}
	return only
}

func (b *Bench) dependsOnlyOn(expression formula.Expression, names map[string]bool) bool {
	for _, name := range expression.Names {
		if !names[name] {
			return false
		}
	}
	return true
}

// OnInputs is true for a requirement that inputs alone decide.
func (b *Bench) OnInputs(q Requirement) bool { return b.dependsOnlyOn(q.Of, b.InputsOnly()) }
