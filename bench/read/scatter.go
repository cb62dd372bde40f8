package read

import (
	"bytes"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// scatter reads {normal: {mean: 80, sd: 14}, within: [45, 120]} or {empirical: {from: riders.csv, column: mass}}.
func (f *fileReader) scatter(name string, n *Node) *bench.Scatter {
	s := &bench.Scatter{Numbers: map[string]float64{}}
	what := name + ": scatter"
	before := len(f.problems)
	known := keys{"within": func(n *Node) {
		a, b, ok := f.pair(n, what+": within")
		if ok && a >= b {
			f.wrong(n.line, "%s: within [%g, %g] has no width: write the lower end first", what, a, b)
		}
		s.Within = &[2]float64{a, b}
	}}
	for kind, parameters := range bench.ScatterKeys {
		known[kind] = func(n *Node) {
			if s.Kind != "" {
				f.wrong(n.line, "%s: give one distribution, not both %s and %s", what, s.Kind, kind)
			}
			s.Kind = kind
			f.distribution(s, what+": "+kind, parameters, n)
		}
	}
	if f.fields(n, what, known); len(f.problems) > before {
		return s
	}
	if s.Kind == "" {
		f.wrong(n.line, "%s needs a distribution, one of %s: {normal: {mean: 80, sd: 14}}", what, strings.Join(slices.Sorted(maps.Keys(bench.ScatterKeys)), ", "))
		return s
	}
	if message := scatterMistake(s); message != "" {
		f.wrong(n.line, "%s: %s", what, message)
	}
	return s
}

func (f *fileReader) distribution(s *bench.Scatter, what string, parameters []string, n *Node) {
	read := keys{}
	for _, parameter := range parameters {
		read[parameter] = func(n *Node) { s.Numbers[parameter] = f.number(n, what+": "+parameter) }
	}
	if s.Kind == "empirical" {
		read["from"] = func(n *Node) { s.File = f.path(n, what+": from") }
		read["column"] = func(n *Node) { s.Column = f.singleText(n, what+": column") }
	}
	f.fields(n, what, read)
	for _, parameter := range parameters {
		if _, given := s.Numbers[parameter]; !given && n.kind == mapping {
			f.wrong(n.line, "%s needs %s", what, strings.Join(parameters, " and "))
			return
		}
	}
	if s.Kind == "empirical" && (s.File == "" || s.Column == "") && n.kind == mapping {
		f.wrong(n.line, "%s needs a file and its column: {from: riders.csv, column: mass}", what)
	}
}

// mistake says what is wrong with the parameters, "" where nothing is.
func scatterMistake(s *bench.Scatter) string {
	p := s.Numbers
	lower, upper := math.Inf(-1), math.Inf(1)
	switch s.Kind {
	case "normal", "lognormal":
		if p["sd"] <= 0 {
			return "sd must be above 0"
		}
		if s.Kind == "lognormal" {
			lower = 0
			if p["mean"] <= 0 {
				return "the mean of a lognormal must be above 0"
			}
		}
	case "uniform", "triangular":
		lower, upper = p["lower"], p["upper"]
		if lower >= upper {
			return fmt.Sprintf("lower %g is not below upper %g", lower, upper)
		}
		if mode := p["mode"]; s.Kind == "triangular" && (mode < lower || mode > upper) {
			return fmt.Sprintf("mode %g is outside of %g to %g", mode, lower, upper)
		}
	case "weibull":
		lower = 0
		if p["shape"] <= 0 || p["scale"] <= 0 {
			return "shape and scale must be above 0"
		}
	case "empirical":
		if len(s.Values) > 0 {
			lower, upper = s.Values[0], s.Values[len(s.Values)-1]
		}
	}
	if w := s.Within; w != nil && (w[1] <= lower || w[0] >= upper) {
		return fmt.Sprintf("within [%g, %g] leaves nothing of the distribution, which runs from %g to %g", w[0], w[1], lower, upper)
	}
	return ""
}

// leastMeasured is how many measured values make a distribution at least.
const leastMeasured = 5

// readScatter reads the measured values of empirical distributions.
func (f *fileReader) readScatter(content bench.Content) bench.Problems {
	b := f.bench
	var problems bench.Problems
	for _, in := range b.Inputs {
		s := in.Scatter
		if s == nil || s.File == "" {
			continue
		}
		file, kept := content.Files[bench.ContentPath(s.File)]
		if !kept {
			continue // it is missing, which is said already
		}
		column, err := plain.Curve(bytes.NewReader(file.Text), s.File, s.Column, s.Column)
		if err == nil && len(column.Y) < leastMeasured {
			err = fmt.Errorf("%s has %d values; a distribution needs at least %d", s.File, len(column.Y), leastMeasured)
		}
		if err != nil {
			problems = append(problems, bench.Problem{File: s.File, Line: 1, Message: fmt.Sprintf("%s: %s", in.Name, err)})
			continue
		}
		s.Values = column.Y
		slices.Sort(s.Values)
		if message := scatterMistake(s); message != "" {
			problems = append(problems, bench.Problem{File: content.File, Line: f.lines[in.Name], Message: fmt.Sprintf("%s: %s", in.Name, message)})
		}
	}
	return problems
}
