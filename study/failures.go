package study

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/explore"
	"ropebench/model"
	"ropebench/result"
)

// Bounds on what is kept of failures.
const (
	mostReasons  = 1000 // that are told apart
	mostAttempts = 5000 // evaluations, the first ones, by which it is told where the others fail
	shownReasons = 5
)

// failures groups the evaluations that failed by their reasons, and knows where evaluations were tried.
type failures struct {
	reasons map[string]*result.Failure
	tried   []attempt
}

// An attempt is a design that was tried, and the reason that it failed for; "" where it did not.
type attempt struct {
	number int
	design core.Design // of the problem
	reason string
}

var numbers = regexp.MustCompile(`(?i)[-+]?[0-9][0-9.,]*(?:[ed][-+]?[0-9]+)?|[-+]?\b(?:nan|inf|infinity)\b`)

// try takes note of a record that the solver was asked for.
func (f *failures) try(record dispatch.Record, p model.Problem) {
	key := ""
	if record.State != core.OK {
		key = numbers.ReplaceAllString(record.Reason, "0")
		f.add(key, record)
	}
	if record.Number <= mostAttempts {
		f.tried = append(f.tried, attempt{number: record.Number, design: p.Part(record.Design), reason: key})
	}
}

// add takes note of a failure. Reasons that differ in numbers only are one: that is their key.
func (f *failures) add(key string, record dispatch.Record) {
	known := f.reasons[key]
	switch {
	case known == nil && len(f.reasons) >= mostReasons:
		return
	case known == nil:
		f.reasons[key] = &result.Failure{Reason: record.Reason, Count: 1, Evaluation: record.Number}
		return
	}
	if known.Count++; record.Number < known.Evaluation { // which ends first means nothing
		known.Reason, known.Evaluation = record.Reason, record.Number
	}
}

// manyFailed is the share of evaluations whose failure puts an answer in doubt: what is best may lie where they failed.
const manyFailed = 0.05

// part gives the most frequent reasons, and what they mean for the answer; nil where nothing failed.
func (f *failures) part(counts result.Counts, draws bool) *result.Failures {
	if counts.Failed == 0 {
		return nil
	}
	tried := counts.Evaluations - counts.NotTried
	p := &result.Failures{Reasons: f.list(), Doubt: float64(counts.Failed) > manyFailed*float64(tried)}
	p.Says = fmt.Sprintf("%s of %s failed", plain.Show(float64(counts.Failed)), plain.Count(tried, "evaluation"))
	switch {
	case counts.Usable == 0:
		p.Says += ": none has values"
	case draws:
	case p.Doubt:
		p.Says += ": what is best may lie where they did"
	}
	return p
}

func (f *failures) list() []result.Failure {
	all := []result.Failure{}
	for _, one := range f.reasons {
		all = append(all, *one)
	}
	slices.SortFunc(all, func(a, b result.Failure) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Evaluation, b.Evaluation))
	})
	return all[:min(shownReasons, len(all))]
}

// locate says where the failures of each reason that is shown lie.
func (f *failures) locate(a *Asked) {
	if a.kind.draws {
		return
	}
	slices.SortFunc(f.tried, func(a, b attempt) int { return cmp.Compare(a.number, b.number) })
	designs := make([]core.Design, len(f.tried))
	for i, one := range f.tried {
		designs[i] = one.design
	}
	for _, shown := range f.list() {
		key := numbers.ReplaceAllString(shown.Reason, "0")
		failed := make([]bool, len(f.tried))
		for i, one := range f.tried {
			failed[i] = one.reason == key
		}
		f.reasons[key].Where = explore.Where(a.Model, a.Problem.Space, designs, failed)
	}
}
