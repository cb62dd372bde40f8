package words

import (
	"fmt"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// Remarks says what is no mistake in a bench and is worth a look.
func Remarks(b *bench.Bench) []string {
	remarks := []string{}
	for _, name := range b.Idle() {
		remarks = append(remarks, fmt.Sprintf("%s may move and enters nothing: no deck, argument or formula names it, so that evaluations are spent on it in vain; put it where it belongs, or remove its range", name))
	}
	for _, o := range b.Outputs {
		if o.Match != "" && plain.FixedWord(o.Match) == "" {
			remarks = append(remarks, fmt.Sprintf("%s: its pattern has no text that stands in every match, so that each line of %s is looked at: slow in a log of many MB", o.Name, o.File))
		}
	}
	for _, step := range b.Solver.AllSteps() {
		if w := step.Workbook; w != nil && w.Volatile != "" {
			remarks = append(remarks, fmt.Sprintf("%s: %s, whose value changes by itself: no evaluation is reused", w.File, w.Volatile))
		}
	}
	for _, s := range b.Studies {
		if s.Later() != "" {
			remarks = append(remarks, fmt.Sprintf("study %s: %s", s.Name, s.Later()))
		}
	}
	return remarks
}
