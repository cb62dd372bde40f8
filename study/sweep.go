package study

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/result"
)

var sweepKind = kind{name: "sweep", prepare: prepareSweep, budget: budgetOfSweep, run: sweep, moves: inputsOfCells, inner: innerOfSweep}

func (a *Asked) grid() bench.Grid { return a.Outer.(*bench.Sweep).Over }

// innerOfSweep is the study that is made for each cell, with what the sweep says of all studies above it.
func innerOfSweep(b *bench.Bench, s bench.Study) (bench.Study, error) {
	settings := s.Settings.(*bench.Sweep)
	each, found := b.Study(settings.Each)
	if !found {
		return s, fmt.Errorf("study %s: the bench has no study %s", s.Name, settings.Each)
	}
	if later := each.Later(); later != "" {
		return s, fmt.Errorf("study %s: %s: %s", s.Name, each.Name, later)
	}
	each.Name, each.Seed = s.Name, s.Seed
	if s.Vary != nil {
		each.Vary = s.Vary
	}
	hold := maps.Clone(each.Hold)
	if hold == nil {
		hold = map[string]bench.Value{}
	}
	maps.Copy(hold, s.Hold)
	for _, name := range settings.Over.Inputs() {
		delete(hold, name)
		in, _ := b.Input(name)
		hold[name] = in.Nominal // it does not move within a cell
	}
	each.Hold = hold
	if s.Budget.Bounded() {
		each.Budget = s.Budget
	}
	return each, nil
}

func inputsOfCells(a *Asked) []string { return a.grid().Inputs() }

func prepareSweep(a *Asked) error {
	if a.Study.Kind != "optimize" {
		return fmt.Errorf("study %s: this version of Rope Bench sweeps over studies of kind optimize, and %s is of kind %s", a.Study.Name, a.Outer.(*bench.Sweep).Each, a.Study.Kind)
	}
	if cells := len(a.grid().Cells()); cells > bench.MaxCells {
		return fmt.Errorf("study %s has %d cells, and a sweep has at most %d", a.Study.Name, cells, bench.MaxCells)
	}
	return prepareSearch(a)
}

func budgetOfSweep(a *Asked) int { return budgetOfSearch(a) * len(a.grid().Cells()) }

// predecessors says for each cell from which one it starts: its neighbour before it in the order of the grid, -1 for the first. They are
// fixed, so that what a cell finds does not hang on which others are done.
func predecessors(g bench.Grid) []int {
	cells := len(g.Cells())
	before := make([]int, cells)
	fastest := cells
	if len(g.Axes) > 0 {
		fastest = len(g.Axes[len(g.Axes)-1].Values)
	}
	for i := range before {
		before[i] = i - 1
		if i%fastest == 0 {
			before[i] = i - fastest // the first of the row before
		}
		before[i] = max(-1, before[i])
	}
	return before
}

// sweep makes a study for every cell of a grid. Each starts from the best design of a neighbour.
func sweep(ctx context.Context, s *session) (string, error) {
	grid := s.grid()
	cells, before := grid.Cells(), predecessors(grid)
	answers, ends := make([]result.Cell, len(cells)), make([]core.Design, len(cells))
	for i, at := range cells {
		answers[i] = result.Cell{At: at, State: "unfinished", Says: "not yet begun"}
	}
	for i, at := range cells {
		s.note(fmt.Sprintf("cell %d of %d: %s", i+1, len(cells), shownCell(grid, at)))
		p := s.Model.Problem(s.Study, s.varies, s.Model.Design(at))
		h := hunt{session: s, problem: p, evaluator: p.Over(s.evaluator), start: s.startOf(p), seed: s.Study.Seed, quiet: true}
		if from := before[i]; from >= 0 && ends[from] != nil {
			h.start = ends[from]
		}
		found, err := h.run(ctx)
		if err != nil {
			return "", err
		}
		ends[i] = found.Best.Design
		answers[i] = h.cell(at, found)
		s.enter(func(p *result.Parts) { p.Cells = slices.Clone(answers) })
	}
	return fmt.Sprintf("%s are done: %s", plain.Count(len(cells), "cell"), cellsInWords(answers)), nil
}

// cell is the answer for one.
func (h hunt) cell(at map[string]bench.Value, found optimize.Result) result.Cell {
	c := result.Cell{At: at, Used: found.Used, Says: found.Reason, State: "failed"}
	best := found.Best
	if best.Outcome.State == core.OK && best.Outcome.Values != nil {
		c.Best = h.Model.Describe(best.Outcome.Number, h.problem.Whole(best.Design), best.Outcome.Values, objectiveOf(h.problem.Goal, best.Outcome.Values))
		c.State = "infeasible"
		if h.problem.Feasible(best.Outcome.Values) {
			c.State = "finished"
		}
	}
	return c
}

func shownCell(g bench.Grid, at map[string]bench.Value) string {
	text := ""
	for _, name := range g.Inputs() {
		if text != "" {
			text += ", "
		}
		text += name + " = " + at[name].String()
	}
	return text
}

func cellsInWords(cells []result.Cell) string {
	counts := map[string]int{}
	for _, c := range cells {
		counts[c.State]++
	}
	text := fmt.Sprintf("%d with a feasible design", counts["finished"])
	if counts["infeasible"] > 0 {
		text += fmt.Sprintf(", %d without one", counts["infeasible"])
	}
	if counts["failed"] > 0 {
		text += fmt.Sprintf(", %d in which every evaluation failed", counts["failed"])
	}
	return text
}
