package read

import (
	"math"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/decimal"
	"ropebench/core/formula"
)

func (f *fileReader) input(name string, line int, n *Node) {
	f.declare(name, line)
	in := bench.Input{Name: name}
	var nominal, ranges, ends, step, scale, tolerance *Node
	before := len(f.problems)
	f.fields(n, name, keys{
		"label":   func(n *Node) { in.Label = f.singleText(n, name+": label") },
		"unit":    func(n *Node) { in.Unit = f.singleText(n, name+": unit") },
		"nominal": func(n *Node) { nominal = n },
		"range":   func(n *Node) { ranges = n },
		"ends":    func(n *Node) { ends = n },
		"step":    func(n *Node) { step = n },
		"scale": func(n *Node) {
			scale = n
			in.Log = n.Text == "log"
			if n.Text != "log" && n.Text != "linear" {
				f.wrong(n.line, "%s: scale is log or linear, not %s", name, n.Text)
			}
		},
		"values":    func(n *Node) { f.choices(&in, n) },
		"catalog":   func(n *Node) { f.catalog(&in, n) },
		"scatter":   func(n *Node) { in.Scatter = f.scatter(name, n) },
		"tolerance": func(n *Node) { tolerance = n },
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
		for key, given := range map[string]*Node{"range": ranges, "ends": ends, "step": step, "scale": scale} {
			if given != nil {
				f.wrong(given.line, "%s: %s does not go with a list of values or a catalog: keep one of them", name, key)
			}
		}
		if in.Wordy() && in.Scatter != nil {
			f.wrong(line, "%s: words do not scatter: remove scatter", name)
		}
	}
	if ranges != nil {
		f.rangeOf(&in, ranges)
	}
	if tolerance != nil {
		f.tolerance(&in, tolerance)
	}
	if ends != nil {
		f.ends(&in, ends)
	}
	if step != nil && len(f.problems) == before {
		f.step(&in, step)
	}
	f.bench.Inputs = append(f.bench.Inputs, in)
}

func (f *fileReader) rangeOf(in *bench.Input, n *Node) {
	if n.kind == scalar {
		percent, ok := plain.YAMLNumber(strings.TrimSpace(strings.TrimSuffix(n.Text, "%")))
		nominal := in.Nominal.Number
		if !strings.HasSuffix(n.Text, "%") || !ok || percent <= 0 || nominal == 0 {
			f.wrong(n.line, "%s: a range is [lower, upper], or a share of a nominal that is not 0, such as 20%%", in.Name)
			return
		}
		half := decimal.Share(math.Abs(nominal), percent)
		in.Range = &bench.Range{Lower: decimal.Difference(nominal, half), Upper: decimal.Sum(nominal, half), LowerGuess: true, UpperGuess: true}
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
	in.Range = &bench.Range{Lower: lower, Upper: upper}
}

// dependentEnd refuses an end of a range that names other inputs, and says how such a bound is written.
func (f *fileReader) dependentEnd(name string, n *Node) bool {
	if n.kind != list || len(n.Items) != 2 {
		return false
	}
	for i, item := range n.Items {
		if _, isNumber := plain.YAMLNumber(item.Text); item.kind != scalar || isNumber {
			continue
		}
		end, err := formula.Parse(item.Text)
		if err != nil || len(end.Names) == 0 {
			continue
		}
		limit := "at_least"
		if i == 1 {
			limit = "at_most"
		}
		f.wrong(n.line, "%s: the ends of a range are numbers; a bound that depends on other inputs is a requirement, which is looked at before the solver is started: give the widest range here and write under requirements: {of: \"%s - (%s)\", %s: 0}", name, name, item.Text, limit)
		return true
	}
	return false
}

func (f *fileReader) ends(in *bench.Input, n *Node) {
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

func (f *fileReader) step(in *bench.Input, n *Node) {
	step := f.number(n, in.Name+": step")
	switch {
	case in.Range == nil:
		f.wrong(n.line, "%s: a step belongs to a range, and there is none", in.Name)
	case math.IsNaN(step): // it is no number, which is said already
	default:
		if in.Step = step; in.StepMistake(step) != "" {
			f.wrong(n.line, "%s: %s", in.Name, in.StepMistake(step))
		}
	}
}

// tolerance reads 0.05, or 0.05 mm with the unit of the input.
func (f *fileReader) tolerance(in *bench.Input, n *Node) {
	text := strings.TrimSpace(strings.TrimSuffix(n.Text, in.Unit))
	within, is := plain.YAMLNumber(text)
	switch {
	case n.kind != scalar || !is:
		f.wrong(n.line, "%s: tolerance is a number in the unit of the input, by which it may differ either way, and not %s", in.Name, n.Text)
	case within <= 0:
		f.wrong(n.line, "%s: a tolerance is above 0, and not %g: leave it out where there is none", in.Name, within)
	case in.Choices != nil:
		f.wrong(n.line, "%s is one of a list, and has no tolerance: remove it, or give a range", in.Name)
	case in.Scatter != nil:
		f.wrong(n.line, "%s: keep one of scatter and tolerance, which is a scatter about its value", in.Name)
	case in.Range != nil && within > (in.Range.Upper-in.Range.Lower)/2:
		f.wrong(n.line, "%s: with a tolerance of %g either way no value is sure to stay in the range [%g, %g]: make it smaller, or the range wider", in.Name, within, in.Range.Lower, in.Range.Upper)
	default:
		nominal := in.Nominal.Number
		in.Tolerance = within
		in.Scatter = &bench.Scatter{Kind: "uniform", Numbers: map[string]float64{"lower": nominal - within, "upper": nominal + within}}
	}
}
