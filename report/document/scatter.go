package document

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ropebench/bench/plain"
)

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
	d.paragraph(fmt.Sprintf("Run %d of the study %s looks for the most probable failure points of each requirement, and counts violations about them:", s.Rare.Run, s.Rare.Study))
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
		d.paragraph(p.Scatter.Causes + ".")
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
