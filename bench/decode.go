package bench

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"ropebench/core/formula"
)

// A reader turns the tree into a Bench and collects every mistake on the way.
type reader struct {
	file     string
	text     []byte
	problems Problems
}

func (r *reader) wrong(line int, format string, args ...any) {
	r.problems = append(r.problems, Problem{r.file, line, fmt.Sprintf(format, args...)})
}

// keys says what to do with each key of a mapping.
type keys map[string]func(*node)

// fields goes through a mapping: what is the mapping called, in messages.
func (r *reader) fields(n *node, what string, known keys) {
	if n.kind != mapping {
		r.wrong(n.line, "%s needs keys and values such as {%s: ...}, not %s", what, slices.Min(slices.Collect(maps.Keys(known))), n.kind)
		return
	}
	seen := map[string]bool{}
	for _, e := range n.entries {
		read, ok := known[e.key]
		switch {
		case !ok:
			r.unknownKey(e, what, slices.Sorted(maps.Keys(known)))
		case seen[e.key]:
			r.wrong(e.line, "%s: %s stands twice: keep one", what, e.key)
		case e.value.kind == nothing:
			r.wrong(e.line, "%s: %s has no value: give it one or remove the line", what, e.key)
		default:
			read(e.value)
		}
		seen[e.key] = true
	}
}

func (r *reader) unknownKey(e entry, what string, known []string) {
	if fixed, better := quoteFormulas(lineOf(r.text, e.line)); better {
		r.wrong(e.line, "a formula with a comma inside {...}, or with ? :, is quoted: write %s", fixed)
		return
	}
	r.wrong(e.line, "%s has no key %q%s (known: %s)", what, e.key, formula.Suggest(e.key, known), strings.Join(known, ", "))
}

// named goes through a mapping whose keys are names that the user gives.
func (r *reader) named(n *node, what string, dash bool, read func(name string, line int, value *node)) {
	if n.kind != mapping {
		r.wrong(n.line, "%s needs names and their values, not %s", what, n.kind)
		return
	}
	seen := map[string]int{}
	for _, e := range n.entries {
		if first, twice := seen[e.key]; twice {
			r.wrong(e.line, "%s: %s stands twice, first on line %d: rename or remove one", what, e.key, first)
			continue
		}
		seen[e.key] = e.line
		if r.name(e, what, dash) {
			read(e.key, e.line, e.value)
		}
	}
}

var (
	goodName     = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]*$`)
	goodDashName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]*$`)
	badInName    = regexp.MustCompile(`[^A-Za-z0-9_]+`)
)

// name checks a name that the user gives; a wrong one is answered with a right one.
func (r *reader) name(e entry, what string, dash bool) bool {
	good := goodName
	if dash {
		good = goodDashName
	}
	if !good.MatchString(e.key) {
		better := strings.Trim(badInName.ReplaceAllString(e.key, "_"), "_")
		if better == "" || better[0] >= '0' && better[0] <= '9' || better[0] == '_' {
			better = "x" + better
		}
		r.wrong(e.line, "%s: %q cannot be a name (a letter, then letters, digits and _): write %s", what, e.key, better)
		return false
	}
	if !dash && formula.Reserved(e.key) {
		r.wrong(e.line, "%s: %s is a word of the formula language: write %s_value, say", what, e.key, e.key)
		return false
	}
	return true
}

func (r *reader) singleText(n *node, what string) string {
	if n.kind != scalar {
		r.wrong(n.line, "%s needs a single text, not %s", what, n.kind)
	}
	return n.text
}

var (
	decimal = regexp.MustCompile(`^[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?$`)
	octal   = regexp.MustCompile(`^0o[0-7]+$`)
	hex     = regexp.MustCompile(`^0x[0-9a-fA-F]+$`)
)

// parseNumber reads a number of YAML 1.2 core.
func parseNumber(text string) (float64, bool) {
	switch {
	case decimal.MatchString(text):
		value, err := strconv.ParseFloat(text, 64)
		return value, err == nil && !math.IsInf(value, 0)
	case octal.MatchString(text), hex.MatchString(text):
		value, err := strconv.ParseUint(text, 0, 64)
		return float64(value), err == nil
	}
	return 0, false
}

func (r *reader) number(n *node, what string) float64 {
	if n.kind == scalar && !n.quoted {
		if value, ok := parseNumber(n.text); ok {
			return value
		}
	}
	shown := n.text
	if n.kind != scalar {
		shown = n.kind.String()
	}
	r.wrong(n.line, "%s needs a finite number, not %s%s", what, shown, numberHint(n))
	return math.NaN()
}

func numberHint(n *node) string {
	switch {
	case n.quoted:
		return ": remove the quotes"
	case strings.Contains(n.text, ","):
		return ": write the decimal point as ."
	}
	return ""
}

func (r *reader) whole(n *node, what string, least int) int {
	before := len(r.problems)
	value := r.number(n, what)
	if len(r.problems) == before && (value != math.Trunc(value) || value < float64(least) || value > 1e9) {
		r.wrong(n.line, "%s needs a whole number from %d to 1e9, not %s", what, least, n.text)
		return least
	}
	return int(value)
}

func (r *reader) boolean(n *node, what string) bool {
	switch {
	case n.kind == scalar && !n.quoted && slices.Contains([]string{"true", "True", "TRUE"}, n.text):
		return true
	case n.kind == scalar && !n.quoted && slices.Contains([]string{"false", "False", "FALSE"}, n.text):
		return false
	}
	r.wrong(n.line, "%s needs true or false, not %s", what, n.text)
	return false
}

func (r *reader) duration(n *node, what string) time.Duration {
	value, err := time.ParseDuration(n.text)
	if n.kind != scalar || err != nil || value <= 0 {
		r.wrong(n.line, "%s needs a time such as 20s, 5m or 1h30m, not %s", what, n.text)
		return 0
	}
	return value
}

func (r *reader) texts(n *node, what string) []string {
	if n.kind != list {
		r.wrong(n.line, "%s needs a list such as [a, b], not %s", what, n.kind)
		return nil
	}
	var all []string
	for _, item := range n.items {
		all = append(all, r.singleText(item, what))
	}
	return all
}

func (r *reader) pair(n *node, what string) (a, b float64, ok bool) {
	if n.kind != list || len(n.items) != 2 {
		r.wrong(n.line, "%s needs two numbers: [lower, upper]", what)
		return 0, 0, false
	}
	before := len(r.problems)
	a, b = r.number(n.items[0], what), r.number(n.items[1], what)
	return a, b, len(r.problems) == before
}

// formula reads an expression; its names are looked up later, when all are known.
func (r *reader) formula(n *node, what string) formula.Expression {
	if n.kind != scalar {
		if fixed, better := quoteFormulas(lineOf(r.text, n.line)); better {
			r.wrong(n.line, "%s: a formula with a comma inside {...}, or with ? :, is quoted: write %s", what, fixed)
			return formula.Expression{}
		}
		r.wrong(n.line, "%s needs a formula, not %s", what, n.kind)
		return formula.Expression{}
	}
	expression, err := formula.Parse(n.text)
	if err != nil {
		if fixed, better := quoteFormulas(lineOf(r.text, n.line)); better && !n.quoted {
			r.wrong(n.line, "%s: a formula with a comma inside {...}, or with ? :, is quoted: write %s", what, fixed)
		} else {
			r.wrong(n.line, "%s: in the formula %q: %s", what, n.text, err)
		}
	}
	return expression
}
