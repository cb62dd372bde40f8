package bench

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ropebench/core/plan"
)

var sampleKind = Kind{Name: "sample", Meaning: "points spread over the design space", New: func() Settings { return &Sample{Plan: "latin-hypercube"} }}

// Sample are the settings of a sample.
type Sample struct {
	Plan   string
	Points int // 0: ten for each varied input
	Levels int // 0: what the plan has by itself
	About  Start
	Table  string // a file
	Rows   *PlanTable
}

// PlanOfTable is the plan whose points stand in a file.
const PlanOfTable = "table"

var plans = []string{"latin-hypercube", "maximin-latin-hypercube", "sobol", "full-factorial", "random", "corners", "central-composite", "box-behnken", "one-at-a-time", PlanOfTable}

// Keys implements Settings.
func (s *Sample) Keys() []Key {
	return []Key{
		{Name: "plan", Meaning: "how the points are spread", Into: &s.Plan, Choices: plans},
		{Name: "points", Meaning: "how many, for plans that have any number of points", Into: &s.Points, Least: 1, Most: MaxEvaluations, Default: "10 for each varied input"},
		{Name: "levels", Meaning: "of each input, for `full-factorial` and `one-at-a-time`; an input with fewer values has all of them", Into: &s.Levels, Least: 2, Most: 1000, Default: "3 for full-factorial, 2 for one-at-a-time"},
		{Name: "about", Meaning: "the design about which `one-at-a-time` moves: `nominal`, `{best-of: study}` or `{name: value}`", Into: &s.About, Default: "nominal"},
		{Name: "table", Meaning: "a file with a row for each point, for the plan `table`: columns are named by inputs, and by outputs where they are known already", Into: &s.Table, Of: FileNames},
	}
}

// StartsFrom is the design about which one input at a time moves.
func (s *Sample) StartsFrom() Start { return s.About }

// Named lists the files that the settings name.
func (s *Sample) Named() []string { return files(s.Table) }

// files are those of the paths that are not empty.
func files(paths ...string) []string {
	return slices.DeleteFunc(paths, func(path string) bool { return path == "" })
}

// Words implements Settings.
func (s *Sample) Words() string {
	if s.Plan == PlanOfTable {
		return "the points of " + s.Table
	}
	words := s.Plan + " plan"
	if s.Points > 0 {
		words += fmt.Sprintf(", %d points", s.Points)
	}
	if s.Levels > 0 {
		words += fmt.Sprintf(", %d levels", s.Levels)
	}
	return words
}

// Mistake says which keys do not go together; empty where all do.
func (s *Sample) Mistake() string {
	_, free := plan.Plans[s.Plan]
	levels := slices.Sorted(maps.Keys(plan.TakesLevels))
	switch {
	case s.Plan == PlanOfTable && s.Table == "":
		return "the plan table needs the file with its points: write table: points.csv"
	case s.Plan != PlanOfTable && s.Table != "":
		return "table belongs to the plan table: write plan: table, or remove it"
	case s.Points > 0 && !free:
		return fmt.Sprintf("the plan %s has as many points as its inputs ask for: remove points", s.Plan)
	case s.Levels > 0 && plan.TakesLevels[s.Plan] == 0:
		return "levels belongs to the plans " + strings.Join(levels, " and ") + ": remove it"
	case (s.About.BestOf != "" || s.About.Values != nil) && s.Plan != "one-at-a-time":
		return "about belongs to the plan one-at-a-time: remove it"
	}
	return ""
}

// Later implements Settings.
func (s *Sample) Later() string { return "" }

// A PlanTable has the rows of a table of designs: values of inputs, and of outputs where it has some.
type PlanTable struct {
	Inputs  []string
	Designs [][]float64 // the number of each input; a word by its index
	Outputs []string
	Values  [][]float64                  // of each output, NaN where a cell is empty
	Shown   []func(number float64) Value // of each input: the value that a number stands for
}

// cells are the designs as values of the inputs.
func (t *PlanTable) cells() []map[string]Value {
	cells := make([]map[string]Value, len(t.Designs))
	for i, design := range t.Designs {
		cells[i] = map[string]Value{}
		for k, name := range t.Inputs {
			cells[i][name] = t.Shown[k](design[k])
		}
	}
	return cells
}
