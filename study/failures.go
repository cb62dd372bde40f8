package study

import (
	"cmp"
	"regexp"
	"slices"

	"ropebench/dispatch"
	"ropebench/result"
)

// Bounds on what is kept of failures.
const (
	mostReasons  = 1000 // that are told apart
	shownReasons = 5
)

// failures groups the evaluations that failed by their reasons.
type failures map[string]*result.Failure

var numbers = regexp.MustCompile(`[-+]?[0-9][0-9.,]*`)

// add takes note of a record that failed. Reasons that differ in numbers only are one.
func (f failures) add(record dispatch.Record) {
	key := numbers.ReplaceAllString(record.Reason, "0")
	known := f[key]
	switch {
	case known == nil && len(f) >= mostReasons:
		return
	case known == nil:
		f[key] = &result.Failure{Reason: record.Reason, Count: 1, Evaluation: record.Number}
		return
	}
	if known.Count++; record.Number < known.Evaluation { // which ends first means nothing
		known.Reason, known.Evaluation = record.Reason, record.Number
	}
}

// list gives the most frequent reasons.
func (f failures) list() []result.Failure {
	var all []result.Failure
	for _, one := range f {
		all = append(all, *one)
	}
	slices.SortFunc(all, func(a, b result.Failure) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Evaluation, b.Evaluation))
	})
	return all[:min(shownReasons, len(all))]
}
