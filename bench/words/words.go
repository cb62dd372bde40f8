package words

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// LimitWords says what a requirement asks, in the unit of what it limits: "at most 2.5 g".
func Limit(b *bench.Bench, q bench.Requirement) string {
	unit := b.Unit(q.Of.Text)
	switch q.Kind {
	case "at_most":
		return "at most " + plain.ExactWith(q.Limits[0], unit)
	case "at_least":
		return "at least " + plain.ExactWith(q.Limits[0], unit)
	case "between":
		return fmt.Sprintf("between %s and %s", plain.Exact(q.Limits[0]), plain.ExactWith(q.Limits[1], unit))
	case "under", "over":
		return fmt.Sprintf("%s the curve of %s", q.Kind, q.File)
	}
	return fmt.Sprintf("equal to %s, within %s", plain.Exact(q.Limits[0]), plain.ExactWith(q.Within, unit))
}

// RangeWords says where an input may move.
func Range(in bench.Input) string {
	switch {
	case in.Choices != nil && in.Choices.Catalog != "":
		return fmt.Sprintf("one of the %d rows of %s", in.Choices.Count(), in.Choices.Catalog)
	case in.Choices != nil:
		return "one of " + strings.TrimSpace(in.Choices.List()+" "+in.Unit)
	case in.Range == nil && in.Scatter != nil:
		return "held at " + in.Nominal.WithUnit(in.Unit) + scattering(in)
	case in.Range == nil:
		return "held at " + in.Nominal.WithUnit(in.Unit)
	}
	words := fmt.Sprintf("%s to %s", plain.Exact(in.Range.Lower), plain.ExactWith(in.Range.Upper, in.Unit))
	if in.Step > 0 {
		words += ", in steps of " + plain.Exact(in.Step)
	}
	if in.Log {
		words += ", on a logarithmic scale"
	}
	switch {
	case in.Range.LowerGuess && in.Range.UpperGuess:
		words += ", both ends guessed"
	case in.Range.LowerGuess:
		words += ", the lower end guessed"
	case in.Range.UpperGuess:
		words += ", the upper end guessed"
	}
	return words + scattering(in)
}

// scattering says how an input scatters; "" where it does not.
func scattering(in bench.Input) string {
	switch {
	case in.Tolerance > 0:
		return ", made within " + plain.ExactWith(in.Tolerance, in.Unit) + " either way"
	case in.Scatter != nil:
		return ", scattering: " + Scatter(*in.Scatter)
	}
	return ""
}

// Study says in one line what a study does.
func Study(s bench.Study) string {
	words := s.Settings.Words()
	if s.Budget.Evaluations > 0 {
		words += fmt.Sprintf(", %d evaluations", s.Budget.Evaluations)
	}
	if s.Budget.Time > 0 {
		words += ", at most " + plain.Duration(s.Budget.Time) + " at work"
	}
	if !s.Budget.Until.IsZero() {
		layout := "2006-01-02 15:04"
		if bench.IsClock(s.Budget.Until) {
			layout = bench.ClockLayout
		}
		words += ", until " + s.Budget.Until.Format(layout)
	}
	return words
}

// Statement is the problem in words, as engineers write it down before they start: for the optimize study, or for
// the first one if study is "".
func Statement(b *bench.Bench, study string) string {
	var out strings.Builder
	s, found := statedStudy(b, study)
	out.WriteString("Find\n")
	for _, in := range b.VariedBy(s) {
		fmt.Fprintf(&out, "  %-18s %s\n", in.Name, Range(in))
	}
	if found {
		out.WriteString("that " + goalsOf(b, s))
	} else {
		out.WriteString("(no study says yet what the best design is)\n")
	}
	met := b.MetBy(s)
	switch {
	case found && len(met) == 0:
		out.WriteString(".\n")
	case found:
		out.WriteString(", such that\n")
	case len(met) > 0:
		out.WriteString("such that\n")
	}
	for _, q := range met {
		fmt.Fprintf(&out, "  %-6s %s\n", q.ID, requirementWords(b, q))
	}
	if len(b.Cases) > 0 {
		out.WriteString("in the cases\n")
	}
	for _, in := range b.Cases {
		fmt.Fprintf(&out, "  %-6s %s\n", in.Name, Case(b, in))
	}
	if held := heldBy(b, s); len(held) > 0 {
		fmt.Fprintf(&out, "with %s held.\n", strings.Join(held, ", "))
	}
	return out.String()
}

// goalsOf says what a study makes of its objectives.
func goalsOf(b *bench.Bench, s bench.Study) string {
	var goals []string
	for _, goal := range s.Goals() {
		how := "least"
		if goal.Maximize {
			how = "most"
		}
		goals = append(goals, fmt.Sprintf("make %s %s", withUnit(goal.Formula.Text, b.UnitOf(goal.Formula.Text)), how))
	}
	switch aims := aimsOf(s); {
	case aims != "":
		return "bring " + aims
	case goals == nil:
		return "give any design"
	}
	return strings.Join(goals, " and ")
}

func withUnit(name, unit string) string {
	if unit == "" {
		return name
	}
	return name + " (" + unit + ")"
}

// Case says what a case gives.
func Case(b *bench.Bench, c bench.Case) string {
	var given []string
	for _, in := range b.Inputs {
		if value, is := c.Values[in.Name]; is {
			given = append(given, fmt.Sprintf("%s at %s", in.Name, value.WithUnit(in.Unit)))
		}
	}
	return strings.Join(given, ", ")
}

// Given says what cases give an input; "" where none does.
func Given(b *bench.Bench, in bench.Input) string {
	var given []string
	for _, c := range b.Cases {
		if value, is := c.Values[in.Name]; is {
			given = append(given, value.WithUnit(in.Unit)+" in "+c.Name)
		}
	}
	return strings.Join(given, ", ")
}

// InCases says in which cases a requirement holds; "" where there is nothing to tell apart.
func InCases(b *bench.Bench, q bench.Requirement) string {
	names := q.InCases()
	switch len(names) {
	case 0:
		return ""
	case len(b.Cases):
		return " in every case"
	}
	return " in " + plain.List(names)
}

func requirementWords(b *bench.Bench, q bench.Requirement) string {
	words := fmt.Sprintf("%s is %s%s", q.Of.Text, Limit(b, q), InCases(b, q))
	if q.Limit.Reserve > 0 {
		words += fmt.Sprintf(", with %s kept in reserve", plain.ExactWith(q.Limit.Reserve, b.Unit(q.Of.Text)))
	}
	if q.Probability > 0 {
		words += fmt.Sprintf(", with a probability of %s %% under scatter", plain.Exact(100*q.Probability))
	}
	if q.Says != "" {
		words += " (" + q.Says + ")"
	}
	switch {
	case q.Wish:
		words += " - a wish, reported only"
	case q.Price > 0:
		words += fmt.Sprintf(" - soft: each unit beyond costs %s", plain.Exact(q.Price))
	}
	return words
}

func statedStudy(b *bench.Bench, name string) (bench.Study, bool) {
	for _, s := range b.Studies {
		if s.Name == name || name == "" && s.Searches() {
			return s, true
		}
	}
	return bench.Study{}, false
}

func heldBy(b *bench.Bench, s bench.Study) []string {
	varied := b.VariedBy(s)
	var held []string
	for _, in := range b.Inputs {
		if _, ok := bench.Find(varied, in.Name, func(i bench.Input) string { return i.Name }); ok || len(b.Cases) > 0 && len(b.GivenByCases(in.Name)) == len(b.Cases) {
			continue
		}
		value, ok := s.Hold[in.Name]
		if !ok {
			value = in.Nominal
		}
		held = append(held, fmt.Sprintf("%s at %s", in.Name, value.WithUnit(in.Unit)))
	}
	return held
}

// OutputWords says where an output comes from.
func Output(o bench.Output) string {
	switch {
	case o.Take != "":
		whole := o
		whole.Take = ""
		return fmt.Sprintf("%s of %s", o.Take, Output(whole))
	case o.Answer && o.Curve != nil:
		return fmt.Sprintf("%s and %s at %s in the answer", o.Curve.X, o.Curve.Y, cmp.Or(o.Pointer, "the root"))
	case o.Answer:
		return fmt.Sprintf("%s in the answer", cmp.Or(o.Pointer, "the whole"))
	case o.Curve != nil && o.Table != nil:
		return fmt.Sprintf("fields %s and %s below %q in %s", o.Curve.X, o.Curve.Y, o.Table.After, o.File)
	case o.Curve != nil && o.Pointed:
		return fmt.Sprintf("%s and %s at %s in %s", o.Curve.X, o.Curve.Y, cmp.Or(o.Pointer, "the root"), o.File)
	case o.Curve != nil:
		return fmt.Sprintf("columns %s and %s of %s", o.Curve.X, o.Curve.Y, o.File)
	case o.Table != nil && o.Table.Columns[0] > 0:
		return fmt.Sprintf("characters %d to %d below %q in %s", o.Table.Columns[0], o.Table.Columns[1], o.Table.After, o.File)
	case o.Table != nil:
		return fmt.Sprintf("field %s below %q in %s", o.Table.Field, o.Table.After, o.File)
	case o.Cell != "":
		return fmt.Sprintf("%s of %s", o.Cell, o.File)
	case o.Match != "":
		return fmt.Sprintf("in %s, where a line matches %s", o.File, o.Match)
	}
	return fmt.Sprintf("%s in %s", cmp.Or(o.Pointer, "the root"), o.File)
}

// SolverWords says what the solver does, in one line.
func Solver(b *bench.Bench) string {
	if n := len(b.Solver.Formulas); n > 0 {
		return plain.Count(n, "formula")
	}
	if d := b.Solver.Dynamics; d != nil {
		return fmt.Sprintf("%s over time from %s to %s", plain.Count(len(d.States), "differential equation"), d.From.Text, d.To.Text)
	}
	words := stepWords(b.Solver.Steps)
	switch coarse := b.Solver.Coarse; {
	case coarse == nil:
	case len(coarse.Formulas) > 0:
		words += "; coarsely: " + plain.Count(len(coarse.Formulas), "formula")
	default:
		words += "; coarsely: " + stepWords(coarse.Steps)
	}
	return words
}

func stepWords(steps []bench.Step) string {
	var words []string
	for _, step := range steps {
		switch {
		case step.Fill != nil:
			words = append(words, "fill "+step.Fill.From)
		case step.Workbook != nil:
			words = append(words, fmt.Sprintf("set %s of %s", plain.Count(len(step.Workbook.Set), "cell"), step.Workbook.File))
		case step.Run != nil:
			words = append(words, "run "+strings.Join(step.Run.Args, " "))
		case step.Ask != nil:
			words = append(words, "ask "+strings.Join(step.Ask.Args, " "))
		case step.Post != nil:
			words = append(words, "post to "+step.Post.URL)
		}
	}
	return strings.Join(words, ", then ")
}

// ScatterWords says how the input scatters.
func Scatter(s bench.Scatter) string {
	var parts []string
	for _, parameter := range bench.ScatterKeys[s.Kind] {
		parts = append(parts, parameter+" "+plain.Exact(s.Numbers[parameter]))
	}
	if s.Kind == "empirical" {
		parts = []string{fmt.Sprintf("column %s of %s", s.Column, s.File)}
	}
	words := fmt.Sprintf("%s, %s", s.Kind, strings.Join(parts, ", "))
	if s.Within != nil {
		words += fmt.Sprintf(", within %g to %g", s.Within[0], s.Within[1])
	}
	return words
}

// ReturnedWords says where a value that the solver returns comes from.
func Returned(b *bench.Bench, name string) string {
	for _, f := range b.Solver.Formulas {
		switch {
		case f.Name == name && f.Along != nil:
			return "= " + f.Formula.Text + ", along " + f.Along.Name
		case f.Name == name:
			return "= " + f.Formula.Text
		}
	}
	if d := b.Solver.Dynamics; d != nil {
		for _, s := range d.States {
			if s.Name == name {
				return strings.TrimSpace("from " + s.Start.Text + ", with the rate " + s.Rate.Text)
			}
		}
		for _, s := range d.Signals {
			if s.Name == name {
				return "= " + s.Formula.Text
			}
		}
	}
	o, _ := bench.Find(b.Outputs, name, func(o bench.Output) string { return o.Name })
	return Output(o)
}

// NoStudy says that a bench has no study of a name, and which it may have been.
func NoStudy(b *bench.Bench, name string) string {
	var names []string
	for _, s := range b.Studies {
		names = append(names, s.Name)
	}
	return fmt.Sprintf("has no study %s%s", name, formula.Suggest(name, names))
}

// aimsOf says which values a study brings to which numbers, or to which measurements; "" where it does not.
func aimsOf(s bench.Study) string {
	var aims []string
	for _, t := range s.Targets() {
		aims = append(aims, t.Of.Text+" near to "+plain.Exact(t.To))
	}
	switch settings := s.Settings.(type) {
	case *bench.Seek:
		for _, name := range slices.Sorted(maps.Keys(settings.Reach)) {
			aims = append(aims, name+" to "+plain.Exact(settings.Reach[name]))
		}
	case *bench.Calibrate:
		for _, m := range settings.Match {
			if m.Curve != "" {
				aims = append(aims, m.Curve+" near to "+m.To.File)
			} else {
				aims = append(aims, m.Of.Text+" near to "+plain.Exact(m.To.Number))
			}
		}
	}
	return strings.Join(aims, " and ")
}
