package read

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
	"ropebench/core/uncertainty"
)

// correlations reads {rider_mass: {arrival_speed: 0.3}}.
func (f *fileReader) correlations(n *Node) {
	f.correlationsLine = n.line
	f.named(n, "correlations", false, func(a string, _ int, n *Node) {
		f.named(n, "correlations: "+a, false, func(b string, line int, n *Node) { f.correlation(a, b, line, n) })
	})
}

func (f *fileReader) correlation(a, b string, line int, n *Node) {
	what := fmt.Sprintf("correlations: %s with %s", a, b)
	of := f.number(n, what)
	switch {
	case a == b:
		f.wrong(line, "%s: an input goes with itself: name two", what)
	case of <= -1 || of >= 1:
		f.wrong(line, "%s: a correlation is between -1 and 1, and not %g; inputs that follow from each other are one input, and a derived value", what, of)
	case slices.ContainsFunc(f.bench.Correlations, func(c bench.Correlation) bool { return c.A == b && c.B == a }):
		f.wrong(line, "%s is given twice: keep one", what)
	}
	f.bench.Correlations = append(f.bench.Correlations, bench.Correlation{A: a, B: b, Of: of})
}

// checkCorrelations looks at them once all that scatters is read.
func (f *fileReader) checkCorrelations(content bench.Content) bench.Problems {
	b := f.bench
	if len(b.Correlations) == 0 {
		return nil
	}
	var problems bench.Problems
	wrong := func(format string, values ...any) {
		problems = append(problems, bench.Problem{File: content.File, Line: f.correlationsLine, Message: "correlations: " + fmt.Sprintf(format, values...)})
	}
	var names []string
	for _, in := range b.Scattered() {
		names = append(names, in.Name)
	}
	for _, c := range b.Correlations {
		for _, name := range []string{c.A, c.B} {
			in, known := b.Input(name)
			switch {
			case !known:
				wrong("%s is no input%s", name, formula.Suggest(name, names))
			case in.Scatter == nil:
				wrong("%s does not scatter: give it a distribution, or a tolerance", name)
			}
		}
	}
	if len(problems) > 0 {
		return problems
	}
	_, err := b.Joint(names)
	var contradiction uncertainty.Contradiction
	switch {
	case errors.As(err, &contradiction):
		var in []string
		for _, k := range contradiction.Numbers {
			in = append(in, names[k])
		}
		wrong("those of %s contradict each other: no numbers go together so; make the one that is known least smaller", strings.Join(in, ", "))
	case err != nil:
		wrong("%s", err)
	}
	return problems
}
