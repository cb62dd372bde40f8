package service

import (
	"bytes"
	"cmp"
	"fmt"
	"math"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/report"
	"ropebench/report/document"
	"ropebench/result"
	"ropebench/study"
)

const (
	mostRanked = 2    // values whose inputs a report draws
	mostDrawn  = 3000 // evaluations in one figure of a report, evenly chosen
	mostCurves = 3
)

// figures draws those of a report, chapter by chapter.
func (k *collection) figures() error {
	for _, draw := range []func() error{k.margins, k.ranked, k.history, k.traded, k.beside, k.scattered} {
		if err := draw(); err != nil {
			return err
		}
	}
	return nil
}

// add writes a figure into a chapter.
func (k *collection) add(chapter, caption string, figure report.Figure) error {
	var svg bytes.Buffer
	if err := figure.Write(&svg, "svg"); err != nil {
		return err
	}
	caption = fmt.Sprintf("Figure %d. %s", len(k.subject.Figures)+1, caption)
	k.subject.Figures = append(k.subject.Figures, document.Figure{Chapter: chapter, Caption: caption, SVG: svg.Bytes()})
	return nil
}

func (k *collection) margins() error {
	var margins []report.Margin
	for _, row := range k.subject.Rows() {
		if math.IsNaN(row.Percent) {
			continue
		}
		q := row.Requirement
		m := report.Margin{Requirement: q.ID, Candidate: row.Percent, Nominal: math.NaN(), Reserve: 100 * q.Limit.Reserve / q.Limit.Size()}
		if row.Nominal != nil && row.Nominal.Margin != nil {
			m.Nominal = 100 * *row.Nominal.Margin / q.Limit.Size()
		}
		margins = append(margins, m)
	}
	if len(margins) == 0 {
		return nil
	}
	return k.add(document.ChapterMargins, "How far each requirement is from its limit, in percent of that: to the right of the line it is met.", report.Margins(margins))
}

func (k *collection) ranked() error {
	for i, m := range k.subject.Matters {
		axis := k.axis(m.Name)
		measure, bars := barsOf(m.Sensitivity, axis.Unit)
		if i >= mostRanked || len(bars) == 0 {
			continue
		}
		unexplained := math.NaN()
		if m.Q2 != nil && m.Unexplained != nil {
			unexplained = *m.Unexplained
		}
		if err := k.add(document.ChapterMatters, fmt.Sprintf("What moves %s, by run %d: %s.", m.Name, m.Run, measure.Name), report.Ranking(axis, measure, bars, unexplained)); err != nil {
			return err
		}
	}
	return nil
}

// axis is that of a value.
func (k *collection) axis(name string) report.Axis {
	return report.Axis{Name: name, Unit: k.subject.Bench.Unit(name)}
}

// marks are the usable evaluations of the run of the candidate by two numbers.
func (k *collection) marks(of func(dispatch.Record) (x, y float64)) ([]report.Mark, error) {
	var all []report.Mark
	err := k.s.store.Evaluations(k.run.ID, 1, func(record dispatch.Record) bool {
		if record.State == core.OK {
			x, y := of(record)
			all = append(all, report.Mark{Evaluation: record.Number, X: x, Y: y, Feasible: k.reading.model.Feasible(record.Values), Colour: math.NaN()})
		}
		return true
	})
	return all, err
}

// trail draws the designs of a search over scatter: no single evaluation has its objective.
func (k *collection) trail(goal bench.Objective, found result.Robust) error {
	var marks []report.Mark
	for _, judged := range found.Trail {
		marks = append(marks, report.Mark{Evaluation: judged.Evaluation, X: float64(judged.Evaluation), Y: judged.Objective, Feasible: judged.Kept, Colour: math.NaN()})
	}
	if len(marks) < 2 {
		return nil
	}
	words := fmt.Sprintf("The search of run %d: %s of each design over its draws, and of the best so far that keeps every requirement.", k.run.ID, goal.Formula.Text)
	return k.add(document.ChapterSearch, words, report.History(report.Axis{Name: goal.Formula.Text, Unit: k.subject.Bench.UnitOf(goal.Formula.Text)}, goal.Maximize, thinnedOut(marks)))
}

func (k *collection) history() error {
	asked, is := k.reading.model.Bench.Study(k.run.Question.Study)
	if !is || len(asked.Goals()) != 1 {
		return nil
	}
	goal := asked.Goals()[0]
	if found := k.subject.Search; found != nil && found.Parts.Robust != nil {
		return k.trail(goal, *found.Parts.Robust)
	}
	column := k.reading.model.Column(goal.Formula.Text)
	if column < 0 {
		return nil
	}
	marks, err := k.marks(func(record dispatch.Record) (x, y float64) { return float64(record.Number), record.Values[column] })
	if err != nil || len(marks) < 2 {
		return err
	}
	return k.add(document.ChapterSearch, fmt.Sprintf("The search of run %d: %s of each evaluation, and of the best feasible one so far.", k.run.ID, goal.Formula.Text), report.History(k.axis(goal.Formula.Text), goal.Maximize, thinnedOut(marks)))
}

func (k *collection) traded() error {
	if k.subject.Search.Parts.Tradeoff == nil || len(k.objectives) < 2 {
		return nil
	}
	x, y := k.reading.model.Column(k.objectives[0]), k.reading.model.Column(k.objectives[1])
	if x < 0 || y < 0 {
		return nil
	}
	marks, err := k.marks(func(record dispatch.Record) (float64, float64) { return record.Values[x], record.Values[y] })
	if err != nil || len(marks) < 2 {
		return err
	}
	return k.add(document.ChapterTrade, fmt.Sprintf("All designs of run %d by their first two objectives: the front is their lower left edge where both are to be least.", k.run.ID), report.Scatter(report.Marks{X: k.axis(k.objectives[0]), Y: k.axis(k.objectives[1]), All: thinnedOut(marks)}, nil))
}

// thinnedOut leaves out evenly many, and keeps the last.
func thinnedOut(marks []report.Mark) []report.Mark {
	if len(marks) <= mostDrawn {
		return marks
	}
	kept := make([]report.Mark, mostDrawn)
	for i := range kept {
		kept[i] = marks[i*(len(marks)-1)/(mostDrawn-1)]
	}
	return kept
}

// beside draws curves of the candidate over those of the nominal design: those with limits first.
func (k *collection) beside() error {
	b := k.subject.Bench
	var names []string
	for _, q := range b.Requirements {
		names = append(names, b.CurvesOf(q)...)
	}
	for _, r := range b.Returns() {
		names = append(names, r.Name)
	}
	drawn := map[string]bool{}
	for _, name := range names {
		if drawn[name] || len(drawn) >= mostCurves {
			continue
		}
		candidate, r, err := k.curve(k.judged, name)
		if err != nil {
			return err
		}
		if len(candidate.X) < 2 {
			continue
		}
		candidate.Name = k.subject.Candidate.Name
		nominal, _, err := k.curve(k.nominal, name)
		if err != nil {
			return err
		}
		nominal.Name = "nominal design"
		drawn[name] = true
		var limits []report.Limit
		for _, bound := range r.model.BoundsOnCurve(name) {
			limits = append(limits, report.Limit{Words: bound.ID + " " + bench.Number(bound.At).Show(b.Unit(name)), At: bound.At})
		}
		x := report.Axis{Name: "row"}
		for _, one := range b.Returns() {
			if one.Name == name {
				x = report.Axis{Name: cmp.Or(one.X, "row"), Unit: one.XUnit}
			}
		}
		if err := k.add(document.ChapterCandidate, fmt.Sprintf("%s of the candidate, over that of the nominal design.", cmp.Or(b.Label(name), name)), report.Beside(x, k.axis(name), candidate, nominal, limits)); err != nil {
			return err
		}
	}
	return nil
}

const shownInReport = 400 // samples of a curve

// curve reads that of an evaluation; empty where it has none of the name.
func (k *collection) curve(of study.Candidate, name string) (report.Line, reading, error) {
	if of.Run == 0 {
		return report.Line{}, reading{}, nil
	}
	run, err := k.s.runs.Run(of.Run)
	if err != nil {
		return report.Line{}, reading{}, err
	}
	r, err := k.s.reading(run)
	if err != nil {
		return report.Line{}, r, err
	}
	record, err := k.s.store.Evaluation(of.Run, of.Evaluation)
	at := r.model.Curve(name)
	if err != nil || at < 0 || at >= len(record.Curves) {
		return report.Line{}, r, err
	}
	thin := record.Curves[at].Thin(shownInReport)
	return report.Line{X: along(thin), Y: thin.Y}, r, nil
}

func (k *collection) scattered() error {
	if k.subject.Scatter == nil {
		return nil
	}
	drawn := map[string]bool{}
	for _, target := range k.reading.model.Targets {
		name := k.reading.model.Columns[target.Column].Name
		value, known := k.subject.Scatter.Parts.Scatter.Values[name]
		if !known || drawn[name] || len(drawn) >= mostCurves {
			continue
		}
		drawn[name] = true
		var limits []report.Limit
		for _, bound := range k.reading.model.BoundsOn(name) {
			limits = append(limits, report.Limit{Words: bound.ID, At: bound.At, Across: true})
		}
		if err := k.add(document.ChapterScatter, fmt.Sprintf("%s in the draws of run %d, with its limits.", name, k.subject.Scatter.Run), report.Counted(k.axis(name), value.Least, value.Largest, value.Counts, limits)); err != nil {
			return err
		}
	}
	return nil
}
