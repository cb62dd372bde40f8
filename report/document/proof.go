package document

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core/verdict"
	"ropebench/result"
)

func (s Subject) requirements(d *Document) {
	d.heading("Requirement by requirement")
	if s.Verified != nil && s.Verified.Parts.Best != nil {
		says := fmt.Sprintf("Verified by run %d on revision %d, %s: %s.", s.Verified.Run, s.Verified.Revision, s.Verified.Ended.Format("2 January 2006, 15:04"), strings.TrimSuffix(s.repeats(), "."))
		d.paragraph(says)
	}
	t := Table{Head: []string{"", "requirement", "limit", "value", "margin", "of the limit", "verdict", "nominal"}, Right: []bool{false, false, false, true, true, true, false, true}}
	var notes []string
	for _, r := range s.Rows() {
		q := r.Requirement
		name := q.Of.Text
		if q.Says != "" {
			name = q.Says
		}
		if r.Judgment.Case != "" {
			name += ", in " + r.Judgment.Case
		}
		limit := r.Limit
		if q.Limit.Reserve > 0 {
			limit += ", reserve " + plain.With(q.Limit.Reserve, r.Unit)
		}
		row := []string{q.ID, name, limit, shown(r.Judgment.Value, r.Unit), shown(r.Judgment.Margin, r.Unit), percent(r.Percent), verdictWords(r), ""}
		if r.Nominal != nil {
			row[7] = shown(r.Nominal.Value, r.Unit)
		}
		t.Rows = append(t.Rows, row)
		if r.Seen != nil {
			notes = append(notes, fmt.Sprintf("%s was %s in run %d, and is %s in the verification.", q.ID, plain.With(*r.Seen, r.Unit), s.Candidate.Run, shown(r.Judgment.Value, r.Unit)))
		}
		if r.Verdict == verdict.Missed && q.Decisive() {
			notes = append(notes, fmt.Sprintf("%s is missed by %s.", q.ID, plain.With(-*r.Judgment.Margin, r.Unit)))
		}
	}
	d.table(t)
	d.items(notes)
	if s.Verified == nil || s.Verified.Parts.Neighbourhood == nil {
		return
	}
	n := s.Verified.Parts.Neighbourhood
	d.paragraph(fmt.Sprintf("How steep it stands, by %s, one step to each side of every input:", plain.Count(len(n.Neighbours), "neighbour")))
	var losses []string
	for _, l := range n.Losses {
		losses = append(losses, l.Says+".")
	}
	if losses == nil {
		losses = []string{n.Says + "."}
	}
	d.items(losses)
}

func (s Subject) repeats() string {
	r := s.Verified.Parts.Repeats
	recorded := ""
	if s.Verified.Parts.Recorded != nil {
		recorded = "; " + s.Verified.Parts.Recorded.Says
	}
	switch {
	case r == nil:
		return "the candidate was evaluated afresh" + recorded
	case len(r.Evaluations) == 1:
		return "the candidate was evaluated afresh, once" + recorded
	}
	return fmt.Sprintf("the candidate was evaluated afresh %d times, %d of them gave values and %d met every requirement; the worst is shown", len(r.Evaluations), r.Usable, r.Met) + recorded
}

func verdictWords(r Row) string {
	says := r.Verdict.Words()
	switch {
	case r.Requirement.Wish:
		return says + " (a wish)"
	case r.Requirement.Price > 0:
		return says + " (soft)"
	}
	return says
}

func shown(value *float64, unit string) string {
	if value == nil {
		return "none"
	}
	return plain.With(*value, unit)
}

func percent(v float64) string {
	if math.IsNaN(v) {
		return ""
	}
	return plain.Percent(v / 100)
}

// open says what the report does not show.
func (s Subject) open(d *Document) {
	d.heading("What is not shown")
	var all []string
	if !s.IsVerified() {
		all = append(all, "That the solver still gives what the run has seen: the candidate was not verified on the bench as it is now.")
	}
	for _, r := range s.Rows() {
		if r.Verdict == verdict.NotShown {
			all = append(all, fmt.Sprintf("%s: it has no value to be judged by.", r.Requirement.ID))
		}
	}
	if scattered := s.Bench.Scattered(); s.Scatter == nil && s.Rare == nil && len(scattered) > 0 {
		var names []string
		for _, in := range scattered {
			names = append(names, in.Name)
		}
		all = append(all, fmt.Sprintf("What happens when %s scatters: no study of kind uncertainty was made about the candidate.", plain.List(names)))
	}
	if s.Scatter != nil {
		for _, q := range s.Bench.Requirements {
			if one := s.Scatter.Parts.Probabilities[q.ID]; one.Asked > 0 && one.Verdict == verdict.NotShown {
				all = append(all, fmt.Sprintf("%s: whether it is met with a probability of %s; more draws would tell.", q.ID, plain.Percent(one.Asked)))
			}
		}
	}
	if s.Search != nil && s.Search.Parts.Search != nil && s.seeds() < 2 {
		all = append(all, "That another search would end at the same design: the study was run with one seed.")
	}
	for _, in := range s.Bench.Varied() {
		if in.Range != nil && (in.Range.LowerGuess || in.Range.UpperGuess) && s.Search != nil && slices.ContainsFunc(s.Search.Parts.AtEnds, func(e result.End) bool { return e.Input == in.Name && e.Guess }) {
			all = append(all, fmt.Sprintf("Whether a better design lies beyond the range of %s, whose end was a guess.", in.Name))
		}
	}
	if len(all) == 0 {
		all = []string{"How true the model is: the report shows what the solver says, and no measurement."}
	}
	d.items(all)
}

// seeds is how many runs the study of the candidate has.
func (s Subject) seeds() int {
	for _, one := range s.Studies {
		if one.Name == s.Search.Study {
			return one.Runs
		}
	}
	return 0
}

// repeat says what the values came from.
func (s Subject) repeat(d *Document) {
	d.heading("How to repeat it")
	if s.Verified == nil || s.Verified.Parts.Provenance == nil {
		d.paragraph(fmt.Sprintf("Verify the candidate first: `ropebench verify %s --json > %s.json` evaluates it afresh, and names files, programs and machine.", s.Candidate.Name, s.Candidate.Name))
		return
	}
	d.paragraph(fmt.Sprintf("`ropebench verify %s --json > %s.json` writes a verification down; whoever has that file, the bench and its programs makes it again with `ropebench verify --repeat %s.json %s`, and is told whether values and verdicts hold.", s.Candidate.Name, s.Candidate.Name, s.Candidate.Name, s.File))
	p := s.Verified.Parts.Provenance
	t := Table{Head: []string{"what", "which"}, Right: []bool{false, false}}
	for _, program := range p.Programs {
		version := program.Version
		if version == "" {
			version = "its version was not asked"
		}
		t.Rows = append(t.Rows, []string{program.Path, version})
	}
	for _, path := range slices.Sorted(maps.Keys(p.Files)) {
		t.Rows = append(t.Rows, []string{path, "SHA-256 " + p.Files[path]})
	}
	if s.Search != nil {
		t.Rows = append(t.Rows, []string{"seed of the search", fmt.Sprint(s.Search.Seed)})
	}
	t.Rows = append(t.Rows, []string{"program", p.Program}, []string{"machine", p.Machine}, []string{"time", p.At.Format("2006-01-02 15:04:05 MST")})
	d.table(t)
}
