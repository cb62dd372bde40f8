package bench

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/core/plan"
)

var sampleKind = Kind{Name: "sample", Meaning: "points spread over the design space", New: func() Settings { return &Sample{Plan: "latin-hypercube"} }}

// Sample are the settings of a sample.
type Sample struct {
	Plan   string
	Points int // 0: ten for each varied input
	Levels int
	Table  string // a file
}

var plans = []string{"latin-hypercube", "sobol", "full-factorial", "random", "corners", "central-composite", "box-behnken", "one-at-a-time", "table"}

// Keys implements Settings.
func (s *Sample) Keys() []Key {
	return []Key{
		{Name: "plan", Meaning: "how the points are spread", Into: &s.Plan, Choices: plans},
		{Name: "points", Meaning: "how many", Into: &s.Points, Least: 1, Most: MaxEvaluations, Default: "10 for each varied input"},
		{Name: "levels", Meaning: "of each input, for plans that have levels", Into: &s.Levels, Least: 2, Most: 1000},
		{Name: "table", Meaning: "a file with the points, for the plan table", Into: &s.Table},
	}
}

// Words implements Settings.
func (s *Sample) Words() string {
	words := s.Plan + " plan"
	if s.Points > 0 {
		words += fmt.Sprintf(", %d points", s.Points)
	}
	return words
}

// Later implements Settings.
func (s *Sample) Later() string {
	switch _, known := plan.Plans[s.Plan]; {
	case !known:
		return fmt.Sprintf("this version of Rope Bench cannot make the plan %s yet: use %s", s.Plan, strings.Join(slices.DeleteFunc(slices.Clone(plans), func(name string) bool { return plan.Plans[name] == nil }), ", "))
	case s.Levels > 0:
		return "this version of Rope Bench has no plan with levels yet: remove levels"
	case s.Table != "":
		return "table belongs to the plan table: remove one of the two"
	}
	return ""
}
