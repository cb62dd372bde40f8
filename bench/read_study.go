package bench

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ropebench/core/formula"
)

// The kinds of study, and what this version runs of them.
var (
	studyKinds  = []string{"sample", "sensitivity", "optimize", "seek", "calibrate", "sweep", "uncertainty"}
	plans       = []string{"latin-hypercube", "sobol", "full-factorial", "random", "corners", "central-composite", "box-behnken", "one-at-a-time", "table"}
	plansNow    = []string{"latin-hypercube", "sobol", "random"}
	methods     = []string{"auto", "nelder-mead", "pattern", "sqp", "trust-region", "levenberg-marquardt", "cma-es", "differential-evolution", "multi-start", "surrogate", "nsga2"}
	methodsNow  = []string{"auto", "nelder-mead", "differential-evolution"}
	keysOfLater = map[string][]string{
		"sensitivity": {"of", "by", "points", "until", "rounds"},
		"seek":        {"reach", "method", "start", "repeats", "stop", "using", "meet"},
		"calibrate":   {"match", "method", "start", "repeats", "stop", "using", "meet"},
		"sweep":       {"over", "each"},
		"uncertainty": {"at", "points", "by"},
	}
)

func (f *fileReader) study(name string, line int, n *node) {
	f.studyLines[name] = line
	s := Study{Name: name, Seed: 1, line: line}
	if n.kind != mapping {
		f.wrong(n.line, "%s needs a kind and its keys: {kind: sample, points: 40}", name)
		return
	}
	for _, e := range n.entries {
		if e.key == "kind" && e.value != nil {
			s.Kind = e.value.text
		}
	}
	if !slices.Contains(studyKinds, s.Kind) {
		f.wrong(line, "%s: the kind of a study is one of %s, not %q", name, strings.Join(studyKinds, ", "), s.Kind)
		return
	}
	known := f.commonKeys(&s)
	switch s.Kind {
	case "sample":
		maps.Copy(known, f.sampleKeys(&s))
	case "optimize":
		maps.Copy(known, f.optimizeKeys(&s))
	default:
		for _, key := range keysOfLater[s.Kind] {
			known[key] = func(*node) {}
		}
		s.Later = fmt.Sprintf("this version of Rope Bench cannot run a study of kind %s yet", s.Kind)
	}
	f.fields(n, name, known)
	f.bench.Studies = append(f.bench.Studies, s)
}

func (f *fileReader) commonKeys(s *Study) keys {
	return keys{
		"kind":  func(*node) {},
		"vary":  func(n *node) { s.Vary = f.texts(n, s.Name+": vary") },
		"hold":  func(n *node) { s.Hold = f.values(n, s.Name+": hold") },
		"seed":  func(n *node) { s.Seed = uint64(f.whole(n, s.Name+": seed", 0)) },
		"watch": func(n *node) { s.Watch = f.texts(n, s.Name+": watch") },
		"budget": func(n *node) {
			f.fields(n, s.Name+": budget", keys{
				"evaluations": func(n *node) { s.Budget.Evaluations = f.whole(n, "evaluations", 1) },
				"time":        func(n *node) { s.Budget.Time = f.duration(n, "time") },
				"until":       func(n *node) { s.Budget.Until = f.until(n) },
			})
		},
	}
}

func (f *fileReader) values(n *node, what string) map[string]Value {
	values := map[string]Value{}
	if n.kind != mapping {
		f.wrong(n.line, "%s needs names and values: {springs: 3}", what)
		return nil
	}
	for _, e := range n.entries {
		number, isNumber := parseNumber(e.value.text)
		switch {
		case isNumber && !e.value.quoted:
			values[e.key] = Number(number)
		default:
			values[e.key] = Value{Word: f.singleText(e.value, what+": "+e.key)}
		}
	}
	return values
}

func (f *fileReader) sampleKeys(s *Study) keys {
	s.Plan = "latin-hypercube"
	return keys{
		"plan": func(n *node) {
			s.Plan = f.oneOf(n, s.Name+": plan", plans)
			if !slices.Contains(plansNow, s.Plan) {
				s.Later = fmt.Sprintf("this version of Rope Bench cannot make the plan %s yet: use %s", s.Plan, strings.Join(plansNow, ", "))
			}
		},
		"points": func(n *node) { s.Points = f.whole(n, s.Name+": points", 1) },
		"levels": func(*node) {},
		"table":  func(*node) {},
	}
}

func (f *fileReader) oneOf(n *node, what string, words []string) string {
	if !slices.Contains(words, n.text) {
		f.wrong(n.line, "%s: %q is not known%s (known: %s)", what, n.text, formula.Suggest(n.text, words), strings.Join(words, ", "))
	}
	return n.text
}

func (f *fileReader) optimizeKeys(s *Study) keys {
	s.Methods = []string{"auto"}
	goals := 0
	one := func(maximize bool) func(*node) {
		return func(n *node) {
			goals++
			s.Objective = f.objective(s.Name, n, maximize)
			if goals > 1 {
				f.wrong(n.line, "%s: give one of minimize, maximize, objectives and approach", s.Name)
			}
		}
	}
	return keys{
		"minimize": one(false), "maximize": one(true),
		"objectives": func(n *node) { goals++; f.objectives(s, n) },
		"approach": func(*node) {
			goals++
			s.Later = "this version of Rope Bench cannot approach targets yet: write requirements and an objective"
		},
		"meet": func(n *node) {
			if n.kind == scalar && n.text == "all" {
				return
			}
			s.Meet = append([]string{}, f.texts(n, s.Name+": meet")...)
		},
		"method": func(n *node) { f.methods(s, n) },
		"start":  func(n *node) { f.start(s, n) },
		"repeats": func(n *node) {
			if f.whole(n, s.Name+": repeats", 1) > 1 {
				s.Later = "this version of Rope Bench cannot repeat a search by itself yet: start it again with --seed 2, 3, ..."
			}
		},
		"stop": func(n *node) {
			f.fields(n, s.Name+": stop", keys{
				"tolerance": func(n *node) { s.Tolerance = f.number(n, "tolerance") },
				"plateau":   func(n *node) { s.Plateau = f.whole(n, "plateau", 1) },
			})
		},
		"using": func(n *node) {
			if n.text != "solver" {
				s.Later = "this version of Rope Bench searches on the solver only"
			}
		},
	}
}

func (f *fileReader) objective(name string, n *node, maximize bool) *Objective {
	expression := f.formula(n, name)
	f.uses = append(f.uses, use{line: n.line, what: name, expression: expression})
	return &Objective{Formula: expression, Maximize: maximize}
}

func (f *fileReader) objectives(s *Study, n *node) {
	if n.kind != list || len(n.items) == 0 {
		f.wrong(n.line, "%s: objectives needs a list: [{minimize: cost}, {maximize: gap}]", s.Name)
		return
	}
	for _, item := range n.items {
		f.fields(item, s.Name+": an objective", keys{
			"minimize": func(n *node) { s.Objective = f.objective(s.Name, n, false) },
			"maximize": func(n *node) { s.Objective = f.objective(s.Name, n, true) },
		})
	}
	if len(n.items) > 1 {
		s.Later = "this version of Rope Bench searches for one objective at a time: keep one, and write the others as requirements"
	}
}

func (f *fileReader) methods(s *Study, n *node) {
	items := n.items
	if n.kind == scalar {
		items = []*node{n}
	}
	s.Methods = nil
	for _, item := range items {
		method := f.oneOf(item, s.Name+": method", methods)
		s.Methods = append(s.Methods, method)
		if !slices.Contains(methodsNow, method) {
			s.Later = fmt.Sprintf("this version of Rope Bench does not have the method %s yet: use %s", method, strings.Join(methodsNow, ", "))
		}
	}
	if len(s.Methods) != 1 {
		s.Later = "this version of Rope Bench runs one method in a study"
	}
}

func (f *fileReader) start(s *Study, n *node) {
	if n.kind == scalar && n.text == "nominal" {
		return
	}
	if n.kind == mapping && len(n.entries) == 1 && n.entries[0].key == "best-of" {
		s.StartBest = n.entries[0].value.text
		return
	}
	s.Start = f.values(n, s.Name+": start")
}

// checkStudy looks up the names that a study uses.
func (f *fileReader) checkStudy(s *Study, known []string) {
	line := f.studyLines[s.Name]
	input := func(what, name string) {
		if _, ok := f.bench.Input(name); !ok {
			f.wrong(line, "%s: %s names %s, which is no input%s", s.Name, what, name, formula.Suggest(name, f.bench.InputNames()))
		}
	}
	value := func(what, name string, value Value) {
		input(what, name)
		in, _ := f.bench.Input(name)
		if in.Choices != nil && in.Choices.Catalog != "" {
			return // its rows are not known yet: readCatalogs looks
		}
		if _, err := in.NumberOf(value); in.Name != "" && err != nil {
			f.wrong(line, "%s: %s: %s", s.Name, what, err)
		}
	}
	for _, name := range s.Vary {
		input("vary", name)
		if in, ok := f.bench.Input(name); ok && !in.Varied() {
			f.wrong(line, "%s: vary names %s, which has no range, values or catalog: give it one", s.Name, name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(s.Hold)) {
		value("hold", name, s.Hold[name])
	}
	for _, name := range slices.Sorted(maps.Keys(s.Start)) {
		value("start", name, s.Start[name])
	}
	for _, id := range s.Meet {
		if _, ok := f.bench.Requirement(id); !ok {
			f.wrong(line, "%s: meet names %s, which is no requirement%s", s.Name, id, formula.Suggest(id, f.requirementIDs()))
		}
	}
	for _, name := range s.Watch {
		if _, isKnown := f.lines[name]; !isKnown {
			f.wrong(line, "%s: watch names %s, which is no value of the model%s", s.Name, name, formula.Suggest(name, known))
		}
	}
	if s.StartBest != "" {
		if _, ok := f.bench.Study(s.StartBest); !ok {
			f.wrong(line, "%s: start names the study %s, which does not exist", s.Name, s.StartBest)
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
