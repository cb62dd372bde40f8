package read

import (
	"maps"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
)

// cases reads {light: {rider_mass: 50}, heavy: {rider_mass: 115}}.
func (f *fileReader) cases(n *Node) {
	f.casesLine = n.line
	f.named(n, "cases", false, func(name string, line int, n *Node) {
		c := bench.Case{Name: name, Values: map[string]bench.Value{}}
		f.named(n, "cases: "+name, false, func(input string, line int, n *Node) {
			c.Values[input] = bench.Number(f.number(n, "cases: "+name+": "+input))
		})
		if n.kind == mapping && len(c.Values) == 0 {
			f.wrong(line, "cases: %s gives no value: name the inputs that are others in it, as in {rider_mass: 115}", name)
		}
		f.bench.Cases = append(f.bench.Cases, c)
	})
}

// checkCases looks at them once all inputs and values are read.
func (f *fileReader) checkCases() {
	b := f.bench
	for _, c := range b.Cases {
		for _, name := range slices.Sorted(maps.Keys(c.Values)) {
			in, known := b.Input(name)
			switch {
			case !known && f.lines[name] == 0:
				f.wrong(f.casesLine, "cases: %s: %s is no input%s", c.Name, name, formula.Suggest(name, b.InputNames()))
			case !known:
				f.wrong(f.casesLine, "cases: %s: %s is no input: a case gives values to inputs, and what follows from them follows", c.Name, name)
			case in.Varied():
				f.wrong(f.casesLine, "cases: %s: %s is varied, and a case gives values to inputs that no study moves: leave it out of the case, or take its range away", c.Name, name)
			case in.Scatter != nil:
				f.wrong(f.casesLine, "cases: %s: %s scatters, and cannot have the value of a case besides: leave it out of the case, or take its distribution away", c.Name, name)
			}
		}
	}
	for _, q := range b.Requirements {
		f.checkIn(q)
	}
}

// checkIn looks at the cases that a requirement names.
func (f *fileReader) checkIn(q bench.Requirement) {
	line := f.requirementLines[q.ID]
	var known []string
	for _, c := range f.bench.Cases {
		known = append(known, c.Name)
	}
	for _, name := range q.In {
		if !slices.Contains(known, name) {
			f.wrong(line, "%s: in names %s, which is no case%s", q.ID, name, formula.Suggest(name, known))
		}
	}
}

// checkOneCase looks at what needs a number, and would have one in each case.
func (f *fileReader) checkOneCase() {
	b := f.bench
	if len(b.Cases) == 0 {
		return
	}
	differ := b.PerCase()
	one := func(line int, what string, names ...string) {
		for _, name := range names {
			if differ[name] {
				f.wrong(line, "%s: %s differs from case to case: name one, as in %s", what, name, b.Cases[0].In(name))
			}
		}
	}
	for _, u := range f.uses {
		for _, name := range u.expression.AllNames() {
			if base, in := b.OfCase(name); in != "" && !differ[base] {
				f.wrong(u.line, "%s: %s is the same in every case: write %s", u.what, base, base)
			}
		}
	}
	for _, q := range b.Requirements {
		if q.In != nil && !slices.ContainsFunc(q.Of.AllNames(), func(name string) bool { return differ[name] }) {
			f.wrong(f.requirementLines[q.ID], "%s: %s is the same in all cases: leave in out", q.ID, q.Of.Text)
		}
	}
	for _, s := range b.Studies {
		line := f.studyLines[s.Name]
		for _, target := range s.Targets() {
			one(line, s.Name, target.Of.Names...)
		}
		switch settings := s.Settings.(type) {
		case *bench.Seek:
			one(line, s.Name, slices.Sorted(maps.Keys(settings.Reach))...)
		case *bench.Calibrate:
			for _, m := range settings.Match {
				one(line, s.Name, m.Of.Names...)
				one(line, s.Name, strings.TrimSpace(m.Curve))
			}
		}
		given := func(key string, names ...string) {
			for _, name := range names {
				if in := b.GivenByCases(name); len(in) > 0 {
					f.wrong(line, "%s: %s: %s has a value of its own in %s: change it there", s.Name, key, name, strings.Join(in, ", "))
				}
			}
		}
		given("hold", slices.Sorted(maps.Keys(s.Hold))...)
		switch settings := s.Settings.(type) {
		case *bench.Sweep:
			given("over", settings.Over.Inputs()...)
		case *bench.Calibrate:
			for _, m := range settings.Match {
				given("with", slices.Sorted(maps.Keys(m.With))...)
			}
		}
	}
}

// covered is the bench as it was read, its evaluations covering all cases.
func (f *fileReader) covered() (*bench.Bench, bench.Problems) {
	if err := f.bench.CoverCases(); err != nil {
		return nil, bench.Problems{{File: f.reader.file, Line: f.casesLine, Message: "cases: an objective or a value gets too long in all of them: " + err.Error()}}
	}
	return f.bench, nil
}
