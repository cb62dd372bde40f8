package bench

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Show writes a value for people: four significant digits, thousands parted by commas, a power of ten where the
// number is very large or very small.
func Show(value float64) string {
	size := math.Abs(value)
	switch {
	case value == 0:
		return "0"
	case math.IsNaN(value) || math.IsInf(value, 0):
		return "none"
	case size >= 1e7 || size < 1e-4:
		return strconv.FormatFloat(value, 'g', 4, 64)
	case size >= 1000:
		return thousands(strconv.FormatFloat(value, 'f', 0, 64))
	}
	digits := max(0, 3-int(math.Floor(math.Log10(size))))
	text := strconv.FormatFloat(value, 'f', digits, 64)
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

func thousands(digits string) string {
	sign := ""
	if digits[0] == '-' {
		sign, digits = "-", digits[1:]
	}
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return sign + digits
}

// With writes a value with its unit.
func With(value float64, unit string) string { return strings.TrimSpace(Show(value) + " " + unit) }

// exact writes a number of the bench file as the file has it, without losing digits.
func exact(value float64) string { return strconv.FormatFloat(value, 'g', -1, 64) }

func exactWith(value float64, unit string) string {
	return strings.TrimSpace(exact(value) + " " + unit)
}

// LimitWords says what a requirement asks, in the unit of what it limits: "at most 2.5 g".
func (b *Bench) LimitWords(q Requirement) string {
	unit := b.Unit(q.Of.Text)
	switch q.Kind {
	case "at_most":
		return "at most " + exactWith(q.Limits[0], unit)
	case "at_least":
		return "at least " + exactWith(q.Limits[0], unit)
	case "between":
		return fmt.Sprintf("between %s and %s", exact(q.Limits[0]), exactWith(q.Limits[1], unit))
	case "under", "over":
		return fmt.Sprintf("%s the curve of %s", q.Kind, q.File)
	}
	return fmt.Sprintf("equal to %s, within %s", exact(q.Limits[0]), exactWith(q.Within, unit))
}

// RangeWords says where an input may move.
func (in Input) RangeWords() string {
	switch {
	case in.Choices != nil && in.Choices.Catalog != "":
		return fmt.Sprintf("one of the %d rows of %s", in.Choices.Count(), in.Choices.Catalog)
	case in.Choices != nil:
		return "one of " + strings.TrimSpace(in.Choices.words()+" "+in.Unit)
	case in.Range == nil && in.Scatter != nil:
		return "held at " + in.Nominal.withUnit(in.Unit) + ", scattering: " + in.Scatter.Words()
	case in.Range == nil:
		return "held at " + in.Nominal.withUnit(in.Unit)
	}
	words := fmt.Sprintf("%s to %s", exact(in.Range.Lower), exactWith(in.Range.Upper, in.Unit))
	if in.Step > 0 {
		words += ", in steps of " + exact(in.Step)
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
	if in.Scatter != nil {
		words += ", scattering: " + in.Scatter.Words()
	}
	return words
}

// Goal says what a study asks for: "cost least".
func (s Study) Goal() string {
	switch {
	case s.Kind != "optimize":
		return ""
	case s.Objective == nil:
		return "any design that meets the requirements"
	case s.Objective.Maximize:
		return s.Objective.Formula.Text + " most"
	}
	return s.Objective.Formula.Text + " least"
}

// Summary says in one line what a study does.
func (s Study) Summary() string {
	var words string
	switch s.Kind {
	case "sample":
		words = fmt.Sprintf("%s plan", s.Plan)
		if s.Points > 0 {
			words = fmt.Sprintf("%s, %d points", words, s.Points)
		}
	case "optimize":
		words = s.Goal()
		if s.Meet == nil {
			words += ", all requirements"
		} else if len(s.Meet) > 0 {
			words += ", requirements " + strings.Join(s.Meet, ", ")
		}
	default:
		words = s.Kind
	}
	if s.Budget.Evaluations > 0 {
		words += fmt.Sprintf(", %d evaluations", s.Budget.Evaluations)
	}
	return words
}

// Statement is the problem in words, as engineers write it down before they start: for the optimize study, or for
// the first one if study is "".
func (b *Bench) Statement(study string) string {
	var out strings.Builder
	s, found := b.statedStudy(study)
	out.WriteString("Find\n")
	for _, in := range b.variedBy(s) {
		fmt.Fprintf(&out, "  %-18s %s\n", in.Name, in.RangeWords())
	}
	switch {
	case !found:
		out.WriteString("(no study says yet what the best design is)\n")
	case s.Objective == nil:
		out.WriteString("that give any design")
	case s.Objective.Maximize:
		fmt.Fprintf(&out, "that make %s most", withUnit(s.Objective.Formula.Text, b.Unit(s.Objective.Formula.Text)))
	default:
		fmt.Fprintf(&out, "that make %s least", withUnit(s.Objective.Formula.Text, b.Unit(s.Objective.Formula.Text)))
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
		fmt.Fprintf(&out, "  %-6s %s\n", q.ID, b.requirementWords(q))
	}
	if held := b.heldBy(s); len(held) > 0 {
		fmt.Fprintf(&out, "with %s held.\n", strings.Join(held, ", "))
	}
	return out.String()
}

func withUnit(name, unit string) string {
	if unit == "" {
		return name
	}
	return name + " (" + unit + ")"
}

func (b *Bench) requirementWords(q Requirement) string {
	words := fmt.Sprintf("%s is %s", q.Of.Text, b.LimitWords(q))
	if q.Limit.Reserve > 0 {
		words += fmt.Sprintf(", with %s kept in reserve", exactWith(q.Limit.Reserve, b.Unit(q.Of.Text)))
	}
	if q.Says != "" {
		words += " (" + q.Says + ")"
	}
	switch {
	case q.Wish:
		words += " - a wish, reported only"
	case q.Price > 0:
		words += fmt.Sprintf(" - soft: each unit beyond costs %s", exact(q.Price))
	}
	return words
}

func (b *Bench) statedStudy(name string) (Study, bool) {
	for _, s := range b.Studies {
		if s.Name == name || name == "" && s.Kind == "optimize" {
			return s, true
		}
	}
	return Study{}, false
}

// variedBy lists the inputs that a study varies.
func (b *Bench) variedBy(s Study) []Input {
	var varied []Input
	for _, in := range b.Varied() {
		_, held := s.Hold[in.Name]
		if !held && (s.Vary == nil || slices.Contains(s.Vary, in.Name)) {
			varied = append(varied, in)
		}
	}
	return varied
}

func (b *Bench) heldBy(s Study) []string {
	varied := b.variedBy(s)
	var held []string
	for _, in := range b.Inputs {
		if _, ok := find(varied, in.Name, func(i Input) string { return i.Name }); ok {
			continue
		}
		value, ok := s.Hold[in.Name]
		if !ok {
			value = in.Nominal
		}
		held = append(held, fmt.Sprintf("%s at %s", in.Name, value.withUnit(in.Unit)))
	}
	return held
}

// MetBy lists the requirements that a study must meet: all but wishes, or those that it names.
func (b *Bench) MetBy(s Study) []Requirement {
	var met []Requirement
	for _, q := range b.Requirements {
		if s.Meet == nil && !q.Wish || slices.Contains(s.Meet, q.ID) {
			met = append(met, q)
		}
	}
	return met
}

// Words says where an output comes from.
func (o Output) Words() string {
	switch {
	case o.Take != "":
		whole := o
		whole.Take = ""
		return fmt.Sprintf("%s of %s", o.Take, whole.Words())
	case o.Curve != nil && o.Table != nil:
		return fmt.Sprintf("fields %s and %s below %q in %s", o.Curve.X, o.Curve.Y, o.Table.After, o.File)
	case o.Curve != nil && o.Pointer != "":
		return fmt.Sprintf("%s and %s at %s in %s", o.Curve.X, o.Curve.Y, o.Pointer, o.File)
	case o.Curve != nil:
		return fmt.Sprintf("columns %s and %s of %s", o.Curve.X, o.Curve.Y, o.File)
	case o.Table != nil:
		return fmt.Sprintf("field %d below %q in %s", o.Table.Field, o.Table.After, o.File)
	case o.Cell != "":
		return fmt.Sprintf("%s of %s", o.Cell, o.File)
	case o.Match != "":
		return fmt.Sprintf("in %s, where a line matches %s", o.File, o.Match)
	}
	return fmt.Sprintf("%s in %s", o.Pointer, o.File)
}

// SolverWords says what the solver does, in one line.
func (b *Bench) SolverWords() string {
	if n := len(b.Solver.Formulas); n > 0 {
		return fmt.Sprintf("%d formulas", n)
	}
	if d := b.Solver.Dynamics; d != nil {
		return fmt.Sprintf("%d differential equations over time from %s to %s", len(d.States), d.From.Text, d.To.Text)
	}
	var words []string
	for _, step := range b.Solver.Steps {
		switch {
		case step.Fill != nil:
			words = append(words, "fill "+step.Fill.From)
		case step.Workbook != nil:
			words = append(words, fmt.Sprintf("set %d cells of %s", len(step.Workbook.Set), step.Workbook.File))
		case step.Run != nil:
			words = append(words, "run "+strings.Join(step.Run.Args, " "))
		default:
			words = append(words, "post to "+step.Post.URL)
		}
	}
	return strings.Join(words, ", then ")
}
