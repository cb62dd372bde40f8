package read

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// A reader turns the tree into a Bench and collects every mistake on the way.
type reader struct {
	file     string
	text     []byte
	problems bench.Problems
}

func (r *reader) wrong(line int, format string, args ...any) {
	r.problems = append(r.problems, bench.Problem{File: r.file, Line: line, Message: fmt.Sprintf(format, args...)})
}

// keys says what to do with each key of a mapping.
type keys map[string]func(*Node)

// fields goes through a mapping: what is the mapping called, in messages.
func (r *reader) fields(n *Node, what string, known keys) {
	if n.kind != mapping {
		r.wrong(n.line, "%s needs keys and values such as {%s: ...}, not %s", what, slices.Min(slices.Collect(maps.Keys(known))), n.kind)
		return
	}
	seen := map[string]bool{}
	for _, e := range n.Entries {
		read, ok := known[e.key]
		switch {
		case !ok:
			r.unknownKey(e, what, slices.Sorted(maps.Keys(known)))
		case seen[e.key]:
			r.wrong(e.Line, "%s: %s stands twice: keep one", what, e.key)
		case e.Value.kind == nothing:
			r.wrong(e.Line, "%s: %s has no value: give it one or remove the line", what, e.key)
		default:
			read(e.Value)
		}
		seen[e.key] = true
	}
}

func (r *reader) unknownKey(e Entry, what string, known []string) {
	if fixed, better := quoteFormulas(lineOf(r.text, e.Line)); better {
		r.wrong(e.Line, "a formula with a comma inside {...}, or with ? :, is quoted: write %s", fixed)
		return
	}
	r.wrong(e.Line, "%s has no key %q%s (known: %s)", what, e.key, formula.Suggest(e.key, known), strings.Join(known, ", "))
}

// named goes through a mapping whose keys are names that the user gives.
func (r *reader) named(n *Node, what string, dash bool, read func(name string, line int, value *Node)) {
	if n.kind != mapping {
		r.wrong(n.line, "%s needs names and their values, not %s", what, n.kind)
		return
	}
	seen := map[string]int{}
	for _, e := range n.Entries {
		if first, twice := seen[e.key]; twice {
			r.wrong(e.Line, "%s: %s stands twice, first on line %d: rename or remove one", what, e.key, first)
			continue
		}
		seen[e.key] = e.Line
		if r.name(e, what, dash) {
			read(e.key, e.Line, e.Value)
		}
	}
}

var badInName = regexp.MustCompile(`[^A-Za-z0-9_]+`)

// name checks a name that the user gives; a wrong one is answered with a right one.
func (r *reader) name(e Entry, what string, dash bool) bool {
	good := bench.GoodName
	if dash {
		good = bench.GoodDashName
	}
	if !good.MatchString(e.key) {
		better := strings.Trim(badInName.ReplaceAllString(e.key, "_"), "_")
		if better == "" || better[0] >= '0' && better[0] <= '9' || better[0] == '_' {
			better = "x" + better
		}
		r.wrong(e.Line, "%s: %q cannot be a name (a letter, then letters, digits and _): write %s", what, e.key, better)
		return false
	}
	if !dash && formula.Reserved(e.key) {
		r.wrong(e.Line, "%s: %s is a word of the formula language: write %s_value, say", what, e.key, e.key)
		return false
	}
	return true
}

func (r *reader) singleText(n *Node, what string) string {
	if n.kind != scalar {
		r.wrong(n.line, "%s needs a single text, not %s", what, n.kind)
	}
	return n.Text
}

var ()

func (r *reader) number(n *Node, what string) float64 {
	if n.kind == scalar && !n.quoted {
		if value, ok := plain.YAMLNumber(n.Text); ok {
			return value
		}
	}
	shown := n.Text
	if n.kind != scalar {
		shown = n.kind.String()
	}
	r.wrong(n.line, "%s needs a finite number, not %s%s", what, shown, numberHint(n))
	return math.NaN()
}

func numberHint(n *Node) string {
	switch {
	case n.quoted:
		return ": remove the quotes"
	case strings.Contains(n.Text, ","):
		return ": write the decimal point as ."
	}
	return ""
}

func (r *reader) whole(n *Node, what string, least int) int {
	before := len(r.problems)
	value := r.number(n, what)
	if len(r.problems) == before && (value != math.Trunc(value) || value < float64(least) || value > 1e9) {
		r.wrong(n.line, "%s needs a whole number from %d to 1e9, not %s", what, least, n.Text)
		return least
	}
	return int(value)
}

func (r *reader) boolean(n *Node, what string) bool {
	switch {
	case n.kind == scalar && !n.quoted && slices.Contains([]string{"true", "True", "TRUE"}, n.Text):
		return true
	case n.kind == scalar && !n.quoted && slices.Contains([]string{"false", "False", "FALSE"}, n.Text):
		return false
	}
	r.wrong(n.line, "%s needs true or false, not %s", what, n.Text)
	return false
}

func (r *reader) duration(n *Node, what string) time.Duration {
	value, err := time.ParseDuration(n.Text)
	if n.kind != scalar || err != nil || value <= 0 {
		r.wrong(n.line, "%s needs a time such as 20s, 5m or 1h30m, not %s", what, n.Text)
		return 0
	}
	return value
}

func (r *reader) texts(n *Node, what string) []string {
	if n.kind != list {
		r.wrong(n.line, "%s needs a list such as [a, b], not %s", what, n.kind)
		return nil
	}
	var all []string
	for _, item := range n.Items {
		all = append(all, r.singleText(item, what))
	}
	return all
}

func (r *reader) pair(n *Node, what string) (a, b float64, ok bool) {
	if n.kind != list || len(n.Items) != 2 {
		r.wrong(n.line, "%s needs two numbers: [lower, upper]", what)
		return 0, 0, false
	}
	before := len(r.problems)
	a, b = r.number(n.Items[0], what), r.number(n.Items[1], what)
	return a, b, len(r.problems) == before
}

// formula reads an expression; its names are looked up later, when all are known.
func (r *reader) formula(n *Node, what string) formula.Expression {
	if n.kind != scalar {
		if fixed, better := quoteFormulas(lineOf(r.text, n.line)); better {
			r.wrong(n.line, "%s: a formula with a comma inside {...}, or with ? :, is quoted: write %s", what, fixed)
			return formula.Expression{}
		}
		r.wrong(n.line, "%s needs a formula, not %s", what, n.kind)
		return formula.Expression{}
	}
	expression, err := formula.Parse(n.Text)
	if err != nil {
		if fixed, better := quoteFormulas(lineOf(r.text, n.line)); better && !n.quoted {
			r.wrong(n.line, "%s: a formula with a comma inside {...}, or with ? :, is quoted: write %s", what, fixed)
		} else {
			r.wrong(n.line, "%s: in the formula %q: %s", what, n.Text, err)
		}
	}
	return expression
}
