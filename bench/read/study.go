package read

import (
	"maps"
	"slices"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// study reads a study by the keys that its kind declares.
func (f *fileReader) study(name string, line int, n *Node) {
	f.studyLines[name] = line
	if n.kind != mapping {
		f.wrong(n.line, "%s needs a kind and its keys: {kind: sample, points: 40}", name)
		return
	}
	word := ""
	if e, given := n.Entry("kind"); given && e.Value != nil {
		word = e.Value.Text
	}
	kind, known := bench.KindOf(word)
	if !known {
		f.wrong(line, "%s: the kind of a study is one of %s, not %q", name, strings.Join(bench.KindNames(), ", "), word)
		return
	}
	s := bench.NewStudy(name, kind)
	declared := append(s.Common.Keys(), s.Settings.Keys()...)
	readers := f.keysOf(name, declared)
	readers["kind"] = func(*Node) {}
	f.fields(n, name, readers)
	if checked, is := s.Settings.(interface{ Mistake() string }); is && checked.Mistake() != "" {
		f.wrong(line, "%s: %s", name, checked.Mistake())
	}
	f.bench.Studies = append(f.bench.Studies, s)
}

// keysOf says how each of some declared keys is read. what they belong to stands before them in messages.
func (f *fileReader) keysOf(what string, declared []bench.Key) keys {
	readers := keys{}
	for _, k := range declared {
		readers[k.Name] = func(n *Node) { f.key(k, n, what+": "+k.Name) }
	}
	return readers
}

// key reads the value of a declared key into its place.
func (f *fileReader) key(k bench.Key, n *Node, what string) {
	if nested, is := k.Group(); is {
		f.fields(n, what, f.keysOf(what, nested))
		return
	}
	if next, is := k.Groups(); is {
		f.groups(n, what, next)
		return
	}
	switch into := k.Into.(type) {
	case *formula.Expression:
		*into = f.formula(n, what)
		f.uses = append(f.uses, use{line: n.line, what: what, expression: *into})
	case *bench.Reach:
		*into = f.reach(n, what)
	case *bench.Grid:
		*into = f.grid(n, what)
	case *bench.Measured:
		into.Given = true
		if number, isNumber := plain.YAMLNumber(n.Text); isNumber && !n.quoted {
			into.Number = number
			return
		}
		into.File = f.path(n, what)
	case *int:
		*into = int(f.bounded(k, n, what))
	case *uint64:
		*into = uint64(f.bounded(k, n, what))
	case *float64:
		*into = f.number(n, what)
		if !k.Free && *into < k.Least || k.Most > 0 && *into > k.Most {
			f.wrong(n.line, "%s lies between %s and %s, and %s does not", what, plain.Exact(k.Least), upTo(k.Most), n.Text)
		}
	case *string:
		if k.Of == bench.FileNames {
			*into = f.path(n, what)
			return
		}
		*into = f.choice(k, n, what)
	case *[]string:
		f.list(k, n, what, into)
	case *map[string]bench.Value:
		*into = f.values(n, what)
	case *time.Duration:
		*into = f.duration(n, what)
	case *time.Time:
		*into = f.until(n)
	case **bench.Objective:
		*into = f.objective(what, n, k.Name == "maximize")
	case *[]bench.Objective:
		*into = f.objectives(what, n)
	case *bench.Meet:
		if n.kind != scalar || n.Text != "all" {
			*into = bench.Meet{Named: true, IDs: f.texts(n, what)}
		}
	case *bench.Start:
		*into = f.start(n, what)
	case *bench.Using:
		*into = f.using(n, what)
	case *bench.Unread:
		*into = true
	}
}

// groups reads a list of which every member has keys of its own.
func (f *fileReader) groups(n *Node, what string, next func() []bench.Key) {
	if n.kind != list || len(n.Items) == 0 {
		f.wrong(n.line, "%s needs a list: [{...}, {...}]", what)
		return
	}
	for _, item := range n.Items {
		declared := next()
		f.fields(item, what, f.keysOf(what, declared))
		for _, k := range declared {
			if _, given := item.Entry(k.Name); k.Needed && !given && item.kind == mapping {
				f.wrong(item.line, "%s: every member of the list needs %s", what, k.Name)
			}
		}
	}
}

// reach reads names with the numbers that they are to reach.
func (f *fileReader) reach(n *Node, what string) bench.Reach {
	if n.kind != mapping {
		f.wrong(n.line, "%s needs names and numbers: {gap: 2.2}", what)
		return nil
	}
	reach := bench.Reach{}
	for _, e := range n.Entries {
		reach[e.key] = f.number(e.Value, what+": "+e.key)
	}
	return reach
}

// bounded reads a whole number within the bounds of its key.
func (f *fileReader) bounded(k bench.Key, n *Node, what string) int {
	value := f.whole(n, what, int(k.Least))
	if k.Most > 0 && float64(value) > k.Most {
		f.wrong(n.line, "%s is at most %s, not %s", what, plain.Exact(k.Most), n.Text)
	}
	return value
}

func upTo(most float64) string {
	if most == 0 {
		return "any number above"
	}
	return plain.Exact(most)
}

func (f *fileReader) choice(k bench.Key, n *Node, what string) string {
	if k.Choices != nil {
		return f.oneOf(n, what, k.Choices)
	}
	return f.singleText(n, what)
}

// list reads names, or one word or several of a choice.
func (f *fileReader) list(k bench.Key, n *Node, what string, into *[]string) {
	if k.Choices == nil {
		*into = f.texts(n, what)
		return
	}
	items := n.Items
	if n.kind == scalar {
		items = []*Node{n}
	}
	*into = nil
	for _, item := range items {
		*into = append(*into, f.oneOf(item, what, k.Choices))
	}
}

func (f *fileReader) values(n *Node, what string) map[string]bench.Value {
	values := map[string]bench.Value{}
	if n.kind != mapping {
		f.wrong(n.line, "%s needs names and values: {springs: 3}", what)
		return nil
	}
	for _, e := range n.Entries {
		number, isNumber := plain.YAMLNumber(e.Value.Text)
		switch {
		case isNumber && !e.Value.quoted:
			values[e.key] = bench.Number(number)
		default:
			values[e.key] = bench.Value{Word: f.singleText(e.Value, what+": "+e.key)}
		}
	}
	return values
}

func (f *fileReader) oneOf(n *Node, what string, words []string) string {
	if !slices.Contains(words, n.Text) {
		f.wrong(n.line, "%s: %q is not known%s (known: %s)", what, n.Text, formula.Suggest(n.Text, words), strings.Join(words, ", "))
	}
	return n.Text
}

func (f *fileReader) objective(what string, n *Node, maximize bool) *bench.Objective {
	expression := f.formula(n, what)
	f.uses = append(f.uses, use{line: n.line, what: what, expression: expression, scattered: true})
	return &bench.Objective{Formula: expression, Maximize: maximize}
}

func (f *fileReader) objectives(what string, n *Node) []bench.Objective {
	if n.kind != list || len(n.Items) == 0 {
		f.wrong(n.line, "%s needs a list: [{minimize: cost}, {maximize: gap}]", what)
		return nil
	}
	var all []bench.Objective
	for _, item := range n.Items {
		f.fields(item, what+": an objective", keys{
			"minimize": func(n *Node) { all = append(all, *f.objective(what, n, false)) },
			"maximize": func(n *Node) { all = append(all, *f.objective(what, n, true)) },
		})
	}
	return all
}

func (f *fileReader) start(n *Node, what string) bench.Start {
	switch {
	case n.kind == scalar && n.Text == "nominal":
		return bench.Start{}
	case n.kind == mapping && len(n.Entries) == 1 && n.Entries[0].key == "best-of":
		return bench.Start{BestOf: n.Entries[0].Value.Text}
	}
	return bench.Start{Values: f.values(n, what)}
}

func (f *fileReader) using(n *Node, what string) bench.Using {
	switch {
	case n.kind == scalar && n.Text == "solver":
	case n.kind == mapping && len(n.Entries) == 1 && n.Entries[0].key == "surrogate_of" && n.Entries[0].Value.kind == scalar:
		return bench.Using{SurrogateOf: n.Entries[0].Value.Text}
	default:
		f.wrong(n.line, "%s is solver, or the study to whose evaluations a stand-in is fitted: {surrogate_of: look}", what)
	}
	return bench.Using{}
}

// checkStudy looks up the names that a study uses.
func (f *fileReader) checkStudy(s bench.Study) {
	for _, k := range append(s.Common.Keys(), s.Settings.Keys()...) {
		switch into := k.Into.(type) {
		case *bench.Reach:
			for _, name := range slices.Sorted(maps.Keys(*into)) {
				f.checkNamed(s, k.Name, k.Of, name)
			}
		case *bench.Grid:
			f.checkGrid(s, k, *into)
		case *bench.Matches:
			for _, m := range *into {
				if m.Curve != "" {
					f.checkNamed(s, k.Name, bench.ValueNames, m.Curve)
				}
				f.checkValues(s, k.Name, m.With)
			}
		case *[]string:
			for _, name := range *into {
				f.checkNamed(s, k.Name, k.Of, name)
			}
		case *string:
			if k.Of != bench.Anything && k.Of != bench.FileNames && *into != "" {
				f.checkNamed(s, k.Name, k.Of, *into)
			}
		case *map[string]bench.Value:
			f.checkValues(s, k.Name, *into)
		case *bench.Meet:
			for _, id := range into.IDs {
				f.checkNamed(s, k.Name, bench.Requirements, id)
			}
		case *bench.Start:
			f.checkValues(s, k.Name, into.Values)
			if into.BestOf != "" {
				f.checkNamed(s, k.Name, bench.StudyNames, into.BestOf)
			}
		case *bench.Using:
			if into.SurrogateOf != "" {
				f.checkNamed(s, k.Name, bench.StudyNames, into.SurrogateOf)
			}
		}
	}
	for _, goal := range s.Goals() {
		f.checkObjective(s, goal)
	}
	for _, target := range s.Targets() {
		f.checkObjective(s, bench.Objective{Formula: target.Of})
	}
	f.checkMatches(s)
}

// checkNamed looks up one name.
func (f *fileReader) checkNamed(s bench.Study, key string, of bench.Named, name string) {
	var known []string
	what, declared := "", f.lines
	switch of {
	case bench.InputNames, bench.VariedNames:
		known, what = f.bench.InputNames(), "input"
	case bench.ValueNames:
		known, what = f.knownNames(), "value of the model"
	case bench.Requirements:
		known, what, declared = f.requirementIDs(), "requirement", f.requirementLines
	case bench.StudyNames:
		for _, other := range f.bench.Studies {
			known = append(known, other.Name)
		}
		what, declared = "study", f.studyLines
	default:
		return
	}
	if !slices.Contains(known, name) {
		if declared[name] > 0 {
			return // with a mistake that was said
		}
		f.wrong(f.studyLines[s.Name], "%s: %s names %s, which is no %s%s", s.Name, key, name, what, formula.Suggest(name, known))
		return
	}
	if in, _ := f.bench.Input(name); of == bench.VariedNames && !in.Varied() {
		f.wrong(f.studyLines[s.Name], "%s: %s names %s, which has no range, values or catalog: give it one", s.Name, key, name)
	}
}

func (f *fileReader) checkValues(s bench.Study, key string, values map[string]bench.Value) {
	for _, name := range slices.Sorted(maps.Keys(values)) {
		f.checkNamed(s, key, bench.InputNames, name)
		in, _ := f.bench.Input(name)
		if in.Choices != nil && in.Choices.Catalog != "" {
			continue // its rows are not known yet: readCatalogs looks
		}
		if _, err := in.NumberOf(values[name]); in.Name != "" && err != nil {
			f.wrong(f.studyLines[s.Name], "%s: %s: %s", s.Name, key, err)
		}
	}
}

func (f *fileReader) requirementIDs() []string {
	var ids []string
	for _, q := range f.bench.Requirements {
		ids = append(ids, q.ID)
	}
	return ids
}

// checkMatches looks at what is measured: curves and numbers.
func (f *fileReader) checkMatches(s bench.Study) {
	calibrate, is := s.Settings.(*bench.Calibrate)
	if !is || len(f.bench.Shapes) == 0 {
		return
	}
	for _, m := range calibrate.Match {
		if shape, known := f.bench.Shapes[m.Curve]; m.Curve != "" && known && shape != formula.Curve {
			f.wrong(f.studyLines[s.Name], "%s: match: %s is %s, and points are measured along a curve", s.Name, m.Curve, shape)
		}
		if m.Of.Text != "" {
			f.checkObjective(s, bench.Objective{Formula: m.Of})
		}
	}
}
