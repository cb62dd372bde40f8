package document

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/words"
	"ropebench/result"
)

// Report tells what a candidate is, how it was found, and what is shown of it.
func Report(s Subject) Document {
	d := Document{Title: s.Bench.Title + ": " + s.Candidate.Name, Under: s.under()}
	for _, chapter := range []func(*Document){s.answer, s.problem, s.work, s.matters, s.search, s.tradeOff, s.candidate, s.requirements, s.scatter, s.open, s.repeat} {
		chapter(&d)
	}
	return d
}

func (s Subject) under() string {
	return fmt.Sprintf("Bench %s, revision %d. Written by %s on %s.", s.Name, s.Revision, s.Program, s.Made.Format("2 January 2006, 15:04"))
}

// answer stands on the first page: what is shown, and what is not.
func (s Subject) answer(d *Document) {
	a := s.Answer()
	d.Blocks = append(d.Blocks, Block{Verdict: a.Says})
	switch {
	case s.Verified == nil || s.Verified.Parts.Best == nil:
		d.attention("Nothing in this report was verified. The verdicts are those of the run that found the design; `ropebench verify " + s.Candidate.Name + "` evaluates it afresh on the solver.")
	case s.Verified.Revision != s.Revision:
		d.attention(fmt.Sprintf("The design was verified on revision %d, and the bench is at revision %d now: `ropebench verify %s` does it again.", s.Verified.Revision, s.Revision, s.Candidate.Name))
	}
	why := fmt.Sprintf("The candidate is evaluation %d of run %d.", s.Candidate.Evaluation, s.Candidate.Run)
	if s.Candidate.Because != "" {
		why += " It was picked for this reason: " + strings.TrimSuffix(s.Candidate.Because, ".") + "."
	}
	d.paragraph(why)
	if len(s.Candidate.Changes) > 0 {
		d.attention(fmt.Sprintf("It was found on revision %d; since then the bench has changed:", s.Candidate.Revision))
		d.items(s.Candidate.Changes)
	}
	if s.Candidate.Design == nil {
		return
	}
	d.figures(s, ChapterMargins)
}

func (s Subject) problem(d *Document) {
	d.heading("The problem")
	if s.Bench.Notes != "" {
		d.paragraph(strings.TrimSpace(s.Bench.Notes))
	}
	study := ""
	if s.Search != nil {
		study = s.Search.Study
	}
	d.Blocks = append(d.Blocks, Block{Text: strings.TrimRight(words.Statement(s.Bench, study), "\n")})
	d.paragraph("The model: " + strings.TrimSpace(words.Solver(s.Bench)))
}

// work lists what was done, with its cost.
func (s Subject) work(d *Document) {
	d.heading("The work")
	if len(s.Studies) == 0 {
		d.paragraph("No study of the bench was made.")
		return
	}
	t := Table{Head: []string{"study", "what it asks", "runs", "evaluations", "failed", "latest"}, Right: []bool{false, false, true, true, true, false}}
	all := 0
	for _, one := range s.Studies {
		all += one.Evaluations
		t.Rows = append(t.Rows, []string{one.Name, one.Words, plain.Whole(one.Runs), plain.Whole(one.Evaluations), plain.Whole(one.Failed), fmt.Sprintf("run %d: %s", one.Latest, one.Ended)})
	}
	d.table(t)
	d.paragraph(fmt.Sprintf("Together %s of the solver, without those that were known from earlier runs.", plain.Count(all, "evaluation")))
}

func (s Subject) matters(d *Document) {
	if len(s.Matters) == 0 {
		return
	}
	d.heading("What matters")
	var all []string
	for _, m := range s.Matters {
		all = append(all, fmt.Sprintf("%s: %s (run %d)", m.Name, m.Says, m.Run))
	}
	d.items(all)
	d.figures(s, ChapterMatters)
}

func (s Subject) search(d *Document) {
	if s.Search == nil || s.Search.Parts.Search == nil {
		return
	}
	d.heading("How the design was found")
	found := s.Search.Parts
	says := fmt.Sprintf("By run %d of the study %s, with seed %d, in %s: %s.", s.Search.Run, s.Search.Study, s.Search.Seed, plain.Count(s.Search.Evaluations, "evaluation"), strings.TrimSuffix(s.Search.Reason, "."))
	if found.Search.Chose != "" {
		says += " The method: " + strings.TrimSuffix(found.Search.Chose, ".") + "."
	}
	d.paragraph(says)
	if found.Best != nil && found.Best.Evaluation != s.Candidate.Evaluation && found.Tradeoff == nil {
		d.attention(fmt.Sprintf("The candidate is not the best design of this run, which is evaluation %d.", found.Best.Evaluation))
	}
	d.figures(s, ChapterSearch)
	if found.Robust != nil {
		d.overScatter(*found.Robust)
	}
	if found.Optimum != nil {
		d.items(found.Optimum.Says)
	}
	if found.Spread != nil {
		d.paragraph(found.Spread.Says)
	}
	d.items(found.Search.Remarks)
}

func (s Subject) tradeOff(d *Document) {
	if s.Search == nil || s.Search.Parts.Tradeoff == nil {
		return
	}
	d.heading("The trade-off")
	d.paragraph(s.Search.Parts.Tradeoff.Says)
	d.figures(s, ChapterTrade)
}

// candidate compares inputs and values with the nominal design.
func (s Subject) candidate(d *Document) {
	d.heading("The candidate beside the nominal design")
	design := s.Judged()
	if design == nil {
		d.attention("The candidate has no values: the solver failed.")
		return
	}
	if s.Nominal == nil {
		d.paragraph("The nominal design was not evaluated beside it.")
	}
	inputs := s.beside("input", "nominal", "candidate")
	for _, in := range s.Bench.Inputs {
		value, known := design.Inputs[in.Name]
		if !known {
			value = in.Nominal
		}
		if !in.Varied() && value == in.Nominal {
			continue
		}
		inputs.Rows = append(inputs.Rows, []string{title(in.Name, in.Label), in.Nominal.Show(in.Unit), value.Show(in.Unit), change(in.Nominal, value)})
	}
	d.table(inputs)
	values := s.beside("value", "nominal", "candidate")
	for _, name := range s.Bench.ValueNames() {
		value, known := design.Values[name]
		if !known {
			continue
		}
		unit, nominal, by := s.Bench.Unit(name), "", ""
		if s.Nominal != nil {
			if was, known := s.Nominal.Values[name]; known {
				nominal, by = plain.With(was, unit), change(bench.Number(was), bench.Number(value))
			}
		}
		values.Rows = append(values.Rows, []string{title(name, s.Bench.Label(name)), nominal, plain.With(value, unit), by})
	}
	d.table(values)
	s.predicted(d)
	if s.Search != nil {
		d.items(s.Search.Parts.Watched)
		for _, end := range s.Search.Parts.AtEnds {
			d.attention(end.Says)
		}
	}
	d.figures(s, ChapterCandidate)
}

// predicted compares what a stand-in has predicted of the candidate with what the solver has computed.
func (s Subject) predicted(d *Document) {
	if s.Search == nil {
		return
	}
	for _, check := range s.Search.Parts.Checks {
		if check.Evaluation != s.Candidate.Evaluation {
			continue
		}
		d.paragraph("The search believed in a stand-in, and the solver has computed the candidate:")
		t := Table{Head: []string{"value", "predicted", "computed", "difference"}, Right: []bool{false, true, true, true}}
		for _, name := range slices.Sorted(maps.Keys(check.Predicted)) {
			computed, known := check.Computed[name]
			if !known {
				continue
			}
			unit := s.Bench.Unit(name)
			t.Rows = append(t.Rows, []string{title(name, s.Bench.Label(name)), plain.With(check.Predicted[name], unit), plain.With(computed, unit), change(bench.Number(computed), bench.Number(check.Predicted[name]))})
		}
		d.table(t)
	}
}

func (s Subject) beside(heads ...string) Table {
	return Table{Head: append(heads, "change"), Right: []bool{false, true, true, true}}
}

// title is a name with its label.
func title(name, label string) string {
	if label == "" {
		return name
	}
	return fmt.Sprintf("%s (%s)", label, name)
}

// change is a relative one; "" where it cannot be told.
func change(from, to bench.Value) string {
	if from == to {
		return "same"
	}
	if from.Word != "" || to.Word != "" || from.Number == 0 {
		return ""
	}
	return plain.Change(from.Number, to.Number)
}

// overScatter tells what a search over scatter has found, beside the design that ignores it.
func (d *Document) overScatter(r result.Robust) {
	d.paragraph(fmt.Sprintf("Every design was judged over %s of %s, the same for all.", plain.Count(r.Draws, "draw"), plain.List(r.Inputs)))
	t := Table{Head: []string{"under scatter", "limit", "value", "verdict", "design that ignores scatter"}, Right: []bool{false, false, true, false, true}}
	for _, told := range r.Told {
		verdict := ""
		if told.Holds != nil {
			verdict = map[bool]string{true: "met", false: "missed"}[*told.Holds]
		}
		t.Rows = append(t.Rows, []string{strings.TrimSpace(told.Requirement + " " + told.Of), told.Limit, plain.With(told.Value, told.Unit), verdict, shown(told.Alone, told.Unit)})
	}
	d.table(t)
	if r.Checked != nil {
		d.paragraph(fmt.Sprintf("By surrogates: the last draws that were computed as well were off by at most %s of the spread of a value.", plain.Percent(*r.Checked)))
	}
}
