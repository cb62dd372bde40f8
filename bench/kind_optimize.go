package bench

import (
	"slices"
	"strings"
)

var optimizeKind = Kind{Name: "optimize", Meaning: "the best design that meets the requirements", New: func() Settings {
	return &Optimize{Search: newSearch()}
}}

// Optimize are the settings of a search for the best design.
type Optimize struct {
	Minimize   *Objective
	Maximize   *Objective
	Objectives []Objective
	Approach   Targets
	Draws      int // 0: as many as the statistics need, where there are any
	Search
}

// Search are the settings of everything that searches.
type Search struct {
	Meet    Meet
	Methods []string
	Rounds  int
	Start   Start
	Repeats int
	Effort  string
	Stop    Stop
	Using   Using
}

// newSearch has what is in force where a file says nothing.
func newSearch() Search {
	return Search{Methods: []string{"auto"}, Rounds: 1, Repeats: 1, Effort: "normal"}
}

var efforts = []string{"quick", "normal", "thorough"}

const maxRounds = 1000

// Stop ends a search before its budget. Zero values do not.
type Stop struct {
	Tolerance float64 // an improvement counts if it is larger than this share of the objective
	Plateau   int     // evaluations without an improvement that counts
}

// frontMethods are those for several objectives.
var frontMethods = []string{"auto", "nsga2", "surrogate", "epsilon-constraint", "weighted-sum"}

var methods = []string{"auto", "nelder-mead", "pattern", "sqp", "trust-region", "levenberg-marquardt", "cma-es", "differential-evolution", "multi-start", "surrogate", "nsga2", "epsilon-constraint", "weighted-sum"}

// Keys lists the keys of a stop.
func (s *Stop) Keys() []Key {
	return []Key{
		{Name: "tolerance", Meaning: "an improvement counts if it is larger than this share of the objective", Into: &s.Tolerance},
		{Name: "plateau", Meaning: "evaluations without an improvement that counts; left out, a search ends once it has begun anew in vain for half of its budget", Into: &s.Plateau, Least: 1, Most: MaxEvaluations},
	}
}

// searchKeys are those that every search has.
func (s *Search) searchKeys() []Key {
	return []Key{
		{Name: "meet", Meaning: "`all` requirements, wishes excepted, or a list of ids", Into: &s.Meet, Default: "all"},
		{Name: "method", Meaning: "of search, or a list of methods run in turn", Into: &s.Methods, Choices: methods},
		{Name: "rounds", Meaning: "how often a list of methods is run, each from where the one before ended", Into: &s.Rounds, Least: 1, Most: maxRounds},
		{Name: "start", Meaning: "`nominal`, `{best-of: study}` or `{name: value}`", Into: &s.Start, Default: "nominal"},
		{Name: "effort", Meaning: "how precise a search is, and how long it looks for a better place than the one it found", Into: &s.Effort, Choices: efforts},
		{Name: "repeats", Meaning: "searches with seeds that follow each other, to see how far apart they end", Into: &s.Repeats, Least: 1, Most: MaxRepeats},
		{Name: "stop", Meaning: "ends it before its budget", Into: &s.Stop},
		{Name: "using", Meaning: "`solver`, or `{surrogate_of: study}`", Into: &s.Using},
	}
}

// Keys implements Settings.
func (o *Optimize) Keys() []Key {
	return append([]Key{
		{Name: "minimize", Meaning: "a formula; with none of these four, any design that meets the requirements is good", Into: &o.Minimize},
		{Name: "maximize", Meaning: "a formula", Into: &o.Maximize},
		{Name: "objectives", Meaning: "several: `[{minimize: cost}, {maximize: gap}]`", Into: &o.Objectives},
		{Name: "approach", Meaning: "targets: `[{of: gap, to: 2, weight: 1}]`", Into: &o.Approach},
		{Name: "draws", Meaning: "of what scatters, over which statistics and probabilities are taken; given, requirements `with_probability` are kept under scatter", Into: &o.Draws, Least: 2, Most: MaxRepeats, Default: "32; more for quantiles and probabilities"},
	}, o.searchKeys()...)
}

// Goals are the objectives, in the order of the file.
func (o *Optimize) Goals() []Objective {
	goals := o.Objectives
	for _, one := range []*Objective{o.Minimize, o.Maximize} {
		if one != nil {
			goals = append(goals, *one)
		}
	}
	return goals
}

// Aims are the targets of the search; none where it has objectives.
func (o *Optimize) Aims() []Target { return o.Approach.all() }

// Searching gives the settings of a search.
func (s *Search) Searching() *Search { return s }

// MustMeet says which requirements must be met.
func (s *Search) MustMeet() Meet { return s.Meet }

// StartsFrom is where the search begins.
func (s *Search) StartsFrom() Start { return s.Start }

// Words implements Settings.
func (o *Optimize) Words() string { return o.goal() + o.Meet.words() }

func (o *Optimize) goal() string {
	var goals []string
	for _, goal := range o.Goals() {
		if goal.Maximize {
			goals = append(goals, goal.Formula.Text+" most")
		} else {
			goals = append(goals, goal.Formula.Text+" least")
		}
	}
	if o.Approach != nil {
		return "as near as can be to " + o.Approach.words()
	}
	if goals == nil {
		return "any design that meets the requirements"
	}
	return strings.Join(goals, " and ")
}

func (m Meet) words() string {
	switch {
	case !m.Named:
		return ", all requirements"
	case len(m.IDs) == 0:
		return ""
	}
	return ", requirements " + strings.Join(m.IDs, ", ")
}

// Mistake says which keys do not go together; empty where all do.
func (o *Optimize) Mistake() string {
	given := 0
	for _, is := range []bool{o.Minimize != nil, o.Maximize != nil, o.Objectives != nil, o.Approach != nil} {
		if is {
			given++
		}
	}
	if given > 1 {
		return "give one of minimize, maximize, objectives and approach"
	}
	if len(o.Goals()) > 1 && slices.ContainsFunc(o.Methods, func(name string) bool { return !slices.Contains(frontMethods, name) }) {
		return "several objectives are searched by " + strings.Join(frontMethods, ", ") + ": take one of these, leave method out, or keep one objective"
	}
	if o.Using.SurrogateOf != "" && (len(o.Goals()) > 1 || len(o.Methods) > 1 || o.Methods[0] != "auto") {
		return "a search on a stand-in is for one objective or none, and has its own method: leave method out, or using"
	}
	return o.Search.mistake()
}

func (s *Search) mistake() string {
	if s.Rounds > 1 && len(s.Methods) == 1 {
		return "rounds belongs to a list of methods: write method: [cma-es, sqp], or remove it"
	}
	return ""
}

// Later implements Settings.
func (o *Optimize) Later() string { return "" }

// later is for the kinds whose searches need the solver itself.
func (s *Search) later() string {
	if s.Using.SurrogateOf != "" {
		return "this version of Rope Bench searches on a stand-in for studies of kind optimize only: leave using out"
	}
	return ""
}
