package document

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/words"
	"ropebench/core/verdict"
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
	return fmt.Sprintf("%+.3g %%", 100*(to.Number-from.Number)/math.Abs(from.Number))
}

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
	switch {
	case r == nil:
		return "the candidate was evaluated afresh"
	case len(r.Evaluations) == 1:
		return "the candidate was evaluated afresh, once"
	}
	return fmt.Sprintf("the candidate was evaluated afresh %d times, %d of them gave values and %d met every requirement; the worst is shown", len(r.Evaluations), r.Usable, r.Met)
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

func (s Subject) scatter(d *Document) {
	if s.Scatter == nil && s.Rare == nil && s.Worst == nil {
		return
	}
	d.heading("Under scatter")
	for _, part := range []func(*Document){s.draws, s.rare, s.worst} {
		part(d)
	}
}

// rare says how rarely requirements are missed.
func (s Subject) rare(d *Document) {
	if s.Rare == nil {
		return
	}
	d.paragraph(fmt.Sprintf("Run %d of the study %s looks for the most probable miss of each requirement, and counts misses about it:", s.Rare.Run, s.Rare.Study))
	var all []string
	for _, q := range s.Bench.Requirements {
		if one, known := s.Rare.Parts.Rare[q.ID]; known {
			all = append(all, q.ID+": "+one.Says+".")
		}
	}
	d.items(all)
}

// worst says how far requirements go within the tolerances.
func (s Subject) worst(d *Document) {
	if s.Worst == nil {
		return
	}
	d.paragraph(fmt.Sprintf("Run %d of the study %s looks for the least margin of each requirement within the tolerances:", s.Worst.Run, s.Worst.Study))
	t := Table{Head: []string{"requirement", "at worst", "margin", "verdict", "where"}, Right: []bool{false, true, true, false, false}}
	for _, q := range s.Bench.Requirements {
		one, known := s.Worst.Parts.Worst[q.ID]
		if !known {
			continue
		}
		var where []string
		for _, name := range slices.Sorted(maps.Keys(one.At)) {
			where = append(where, name+" "+one.At[name].Show(s.Bench.Unit(name)))
		}
		unit := s.Bench.Unit(q.Of.Text)
		t.Rows = append(t.Rows, []string{q.ID, plain.With(one.Value, unit), plain.With(one.Margin, unit), one.Verdict.Words(), strings.Join(where, ", ")})
	}
	d.table(t)
}

// draws says what was seen in draws of what scatters.
func (s Subject) draws(d *Document) {
	if s.Scatter == nil {
		return
	}
	p := s.Scatter.Parts
	d.paragraph(fmt.Sprintf("Run %d of the study %s lets %s scatter about the candidate: %s.", s.Scatter.Run, s.Scatter.Study, plain.List(p.Scatter.Inputs), p.Scatter.Says))
	if p.Scatter.Causes != "" {
		d.paragraph("Draws that miss something, or fail: " + p.Scatter.Causes + ".")
	}
	t := Table{Head: []string{"requirement", "met with a probability of", "limits of 95 % confidence", "asked", "verdict"}, Right: []bool{false, true, true, true, false}}
	for _, q := range s.Bench.Requirements {
		one, known := p.Probabilities[q.ID]
		if !known {
			continue
		}
		row := []string{q.ID, plain.Percent(one.Met), fmt.Sprintf("%s to %s", plain.Percent(one.From), plain.Percent(one.To)), "", ""}
		if one.Asked > 0 {
			row[3], row[4] = plain.Percent(one.Asked), one.Verdict.Words()
		}
		t.Rows = append(t.Rows, row)
	}
	d.table(t)
	d.figures(s, ChapterScatter)
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
