package bench

import (
	"maps"
	"slices"
	"strings"

	"ropebench/core/formula"
)

// A Case is a condition in which a design is to hold: a name, and values of inputs that no study varies.
type Case struct {
	Name   string
	Values map[string]Value
}

// In is the name that a value has in a case: gap.heavy.
func (c Case) In(name string) string { return name + "." + c.Name }

// A CaseLimit is what a requirement limits in one case.
type CaseLimit struct {
	Case string // "": there are no cases, or it is the same in all
	Of   formula.Expression
}

// Limited lists what a requirement limits, in each case in which it holds.
func (q Requirement) Limited() []CaseLimit {
	if q.inCases != nil {
		return q.inCases
	}
	return []CaseLimit{{Of: q.Of}}
}

// InCases lists the cases in which the requirement holds; none where there is nothing to tell apart.
func (q Requirement) InCases() (names []string) {
	for _, limited := range q.Limited() {
		if limited.Case != "" {
			names = append(names, limited.Case)
		}
	}
	return names
}

// Case returns the case of that name.
func (b *Bench) Case(name string) (Case, bool) {
	return Find(b.Cases, name, func(c Case) string { return c.Name })
}

// OfCase takes the name that a value has in a case apart; name is as it was where it names no case.
func (b *Bench) OfCase(name string) (base, in string) {
	base, in, dotted := strings.Cut(name, ".")
	_, isCase := b.Case(in)
	if input, _ := b.Input(base); !dotted || !isCase || input.Choices != nil { // a row of a catalog has columns
		return name, ""
	}
	return base, in
}

// GivenByCases says in which cases an input has a value of its own.
func (b *Bench) GivenByCases(input string) (in []string) {
	for _, c := range b.Cases {
		if _, given := c.Values[input]; given {
			in = append(in, c.Name)
		}
	}
	return in
}

// PerCase has the names whose values differ from case to case: inputs that cases give, all that an external solver or equations return, and what is
// computed from those.
func (b *Bench) PerCase() map[string]bool {
	if b.differ != nil {
		return b.differ
	}
	differ := map[string]bool{}
	for _, c := range b.Cases {
		for name := range c.Values {
			differ[name] = true
		}
	}
	if len(b.Cases) > 0 && len(b.Solver.Formulas) == 0 {
		for _, r := range b.Returns() {
			differ[r.Name] = true
		}
	}
	for _, d := range slices.Concat(b.Solver.Formulas, b.Derived) {
		if namesAny(d.Formula, differ) {
			differ[d.Name] = true
		}
	}
	return differ
}

func namesAny(e formula.Expression, names map[string]bool) bool {
	return slices.ContainsFunc(e.AllNames(), func(name string) bool { return names[name] })
}

// caseVariables are the names of the inputs that cases give, in the order of cases and names.
func (b *Bench) caseVariables() (names []string) {
	for _, c := range b.Cases {
		for _, name := range slices.Sorted(maps.Keys(c.Values)) {
			names = append(names, c.In(name))
		}
	}
	return names
}

// fillCases fills in the values that cases give to inputs, in the order of caseVariables.
func (b *Bench) fillCases(row []float64) {
	at := 0
	for _, c := range b.Cases {
		for _, name := range slices.Sorted(maps.Keys(c.Values)) {
			row[at] = c.Values[name].Number
			at++
		}
	}
}

// CoverCases makes the bench one of which every evaluation covers all cases: what differs among them has a value in each, by its name with that of
// the case, requirements hold in every case or in those that they name, and an objective is the worst of all cases. OneCase is the bench as it was.
// Where there are no cases it changes nothing. The error is that of a formula that gets too long.
func (b *Bench) CoverCases() error {
	if len(b.Cases) == 0 {
		return nil
	}
	one := *b
	one.Cases = nil
	c := &caseCover{bench: b, differ: b.PerCase()}
	b.Solver.Formulas = c.derived(b.Solver.Formulas)
	if coarse := b.Solver.Coarse; coarse != nil {
		covered := *coarse
		covered.Formulas = c.derived(coarse.Formulas)
		b.Solver.Coarse = &covered
	}
	b.Outputs = c.outputs()
	b.Derived = c.derived(b.Derived)
	b.Requirements = c.requirements()
	b.Studies = c.studies()
	b.Shapes = c.shapes()
	b.OneCase, b.differ = &one, c.differ
	return c.err
}

// A caseCover rewrites the parts of a bench.
type caseCover struct {
	bench  *Bench
	differ map[string]bool
	err    error
}

// in is a formula as it is in a case.
func (c *caseCover) in(e formula.Expression, in Case) formula.Expression {
	renamed, err := e.Renamed(func(name string) string {
		_, given := in.Values[name]
		if _, isInput := c.bench.Input(name); c.differ[name] && (!isInput || given) {
			return in.In(name)
		}
		return name
	})
	if err != nil && c.err == nil {
		c.err = err
	}
	return renamed
}

func labelIn(label string, in Case) string {
	if label == "" {
		return ""
	}
	return label + " in " + in.Name
}

func (c *caseCover) derived(all []Derived) []Derived {
	var covered []Derived
	for _, d := range all {
		if !c.differ[d.Name] {
			covered = append(covered, d)
			continue
		}
		for _, in := range c.bench.Cases {
			one := d
			one.Name, one.Label, one.Formula = in.In(d.Name), labelIn(d.Label, in), c.in(d.Formula, in)
			covered = append(covered, one)
		}
	}
	return covered
}

func (c *caseCover) outputs() []Output {
	var covered []Output
	for _, o := range c.bench.Outputs {
		for _, in := range c.bench.Cases {
			one := o
			one.Name, one.Label = in.In(o.Name), labelIn(o.Label, in)
			covered = append(covered, one)
		}
	}
	return covered
}

func (c *caseCover) requirements() []Requirement {
	covered := slices.Clone(c.bench.Requirements)
	for i, q := range covered {
		if !namesAny(q.Of, c.differ) {
			continue
		}
		for _, in := range c.bench.Cases {
			if q.In == nil || slices.Contains(q.In, in.Name) {
				covered[i].inCases = append(covered[i].inCases, CaseLimit{Case: in.Name, Of: c.in(q.Of, in)})
			}
		}
	}
	return covered
}

// studies have objectives that are the worst of all cases, and ask about and watch values in each.
func (c *caseCover) studies() []Study {
	covered := slices.Clone(c.bench.Studies)
	for i := range covered {
		covered[i].Watch = c.names(covered[i].Watch)
		for _, k := range covered[i].Settings.Keys() {
			switch into := k.Into.(type) {
			case *[]string:
				if k.Of == ValueNames {
					*into = c.names(*into)
				}
			case **Objective:
				if *into != nil {
					worst := c.worst(**into)
					*into = &worst
				}
			case *[]Objective:
				objectives := slices.Clone(*into)
				for k := range objectives {
					objectives[k] = c.worst(objectives[k])
				}
				*into = objectives
			}
		}
	}
	return covered
}

// names are those of values in every case.
func (c *caseCover) names(all []string) []string {
	var covered []string
	for _, name := range all {
		if !c.differ[name] {
			covered = append(covered, name)
			continue
		}
		for _, in := range c.bench.Cases {
			covered = append(covered, in.In(name))
		}
	}
	return covered
}

// worst is an objective that is as good as the worst of all cases.
func (c *caseCover) worst(o Objective) Objective {
	if !namesAny(o.Formula, c.differ) {
		return o
	}
	var each []string
	for _, in := range c.bench.Cases {
		each = append(each, c.in(o.Formula, in).Text)
	}
	if len(each) == 1 {
		o.Formula = c.in(o.Formula, c.bench.Cases[0])
		return o
	}
	of := "max"
	if o.Maximize {
		of = "min"
	}
	worst, err := formula.Parse(of + "(" + strings.Join(each, ", ") + ")")
	if err != nil && c.err == nil {
		c.err = err
	}
	return Objective{Formula: worst, Maximize: o.Maximize}
}

// shapes has those of values in cases beside the others: a requirement names them without a case.
func (c *caseCover) shapes() map[string]formula.Shape {
	covered := maps.Clone(c.bench.Shapes)
	for name := range c.differ {
		for _, in := range c.bench.Cases {
			covered[in.In(name)] = c.bench.Shapes[name]
		}
	}
	return covered
}
