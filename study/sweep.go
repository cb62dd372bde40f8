package study

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/result"
)

var sweepKind = kind{name: "sweep", prepare: prepareSweep, budget: budgetOfSweep, run: sweep, moves: inputsOfCells, inner: innerOfSweep, concurrent: true}

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
	if search := each.Search(); search != nil && search.Using.SurrogateOf != "" {
		return s, fmt.Errorf("study %s: %s searches on a stand-in, and the cells of a sweep need the solver: leave using out of %s", s.Name, each.Name, each.Name)
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
	if a.Study.Kind != "optimize" && a.Study.Kind != "seek" {
		return fmt.Errorf("study %s: a sweep makes a study of kind optimize or seek in every cell, and %s is of kind %s", a.Study.Name, a.Outer.(*bench.Sweep).Each, a.Study.Kind)
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
	fastest := rowLength(g, cells)
	for i := range before {
		before[i] = i - 1
		if i%fastest == 0 {
			before[i] = i - fastest // the first of the row before
		}
		before[i] = max(-1, before[i])
	}
	return before
}

// rowLength is how many cells stand behind each other along the input that runs fastest.
func rowLength(g bench.Grid, cells int) int {
	if len(g.Axes) > 0 {
		return len(g.Axes[len(g.Axes)-1].Values)
	}
	return max(1, cells)
}

// A sweeping is a sweep on its way.
type sweeping struct {
	*session
	grid  bench.Grid
	cells []map[string]bench.Value
	from  []int

	mutex   sync.Mutex // guards what follows
	answers []result.Cell
	ends    []core.Design
	learned []*optimize.Learned
}

// sweep makes a study for every cell of a grid. Each starts from the best design of a neighbour, and where it
// looks from several starts, takes the study's own next: what suits one cell may be a dead end in another. Rows go on beside each other where an
// external solver is asked; formulas are as fast one after the other.
func sweep(ctx context.Context, s *session) (string, error) {
	grid := s.grid()
	w := &sweeping{session: s, grid: grid, cells: grid.Cells(), from: predecessors(grid)}
	w.answers, w.ends, w.learned = make([]result.Cell, len(w.cells)), make([]core.Design, len(w.cells)), make([]*optimize.Learned, len(w.cells))
	ended := make([]chan struct{}, len(w.cells))
	for i, at := range w.cells {
		w.answers[i] = result.Cell{At: at, State: "unfinished", Says: "not yet begun"}
		ended[i] = make(chan struct{})
	}
	rows, ctx := errgroup.WithContext(ctx)
	rows.SetLimit(max(1, rowsBeside(s)))
	length := rowLength(grid, len(w.cells))
	for first := 0; first < len(w.cells); first += length {
		rows.Go(func() error {
			_, err := safely(func() (string, error) { return "", w.row(ctx, first, min(first+length, len(w.cells)), ended) })
			return err
		})
	}
	if err := rows.Wait(); err != nil {
		return "", err
	}
	return fmt.Sprintf("%s are done: %s", plain.Count(len(w.cells), "cell"), cellsInWords(w.answers)), nil
}

// row searches cells one after the other, each as soon as the one from which it starts has ended.
func (w *sweeping) row(ctx context.Context, first, end int, ended []chan struct{}) error {
	for i := first; i < end; i++ {
		if from := w.from[i]; from >= 0 {
			select {
			case <-ended[from]:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		if err := w.search(ctx, i); err != nil {
			return err
		}
		close(ended[i])
	}
	return nil
}

const mostRows = 8 // that go on beside each other

func rowsBeside(s *session) int {
	if len(s.Model.Bench.Solver.Steps) == 0 {
		return 1
	}
	return mostRows
}

// search makes the study of one cell.
func (w *sweeping) search(ctx context.Context, i int) error {
	at := w.cells[i]
	w.note(fmt.Sprintf("cell %d of %d: %s", i+1, len(w.cells), shownCell(w.grid, at)))
	p := w.reaching(w.Model.Problem(w.Study, w.varies, w.Model.Design(at)))
	h := hunt{session: w.session, problem: p, evaluator: p.Over(w.evaluator), start: w.startOf(p), seed: w.Study.Seed, quiet: true}
	var end core.Design // of the neighbour first
	if from := w.from[i]; from >= 0 {
		w.mutex.Lock()
		end, h.learned = w.ends[from], w.learned[from]
		w.mutex.Unlock()
	}
	if end != nil {
		h.start, h.then = end, h.start
	}
	learned, answer := h.learned, result.Cell{At: at, State: "infeasible"}
	if excluded := w.excluded(p, h.start); excluded != "" {
		answer.Says = excluded + ", whatever the solver says" // it is not asked
	} else {
		found, err := h.run(ctx)
		if err != nil {
			return err
		}
		end, learned, answer = found.Best.Design, found.Learned, h.cell(at, found)
	}
	w.mutex.Lock()
	w.ends[i], w.learned[i], w.answers[i] = end, learned, answer
	answers := slices.Clone(w.answers)
	w.mutex.Unlock()
	w.enter(func(p *result.Parts) { p.Cells = answers })
	return nil
}

// cell is the answer for one.
func (h hunt) cell(at map[string]bench.Value, found optimize.Result) result.Cell {
	c := result.Cell{At: at, Used: found.Used, Says: found.Reason, State: "failed"}
	best := found.Best
	if best.Outcome.State == core.OK && best.Outcome.Values != nil {
		c.Best = h.Model.Describe(best.Outcome.Number, h.problem.Whole(best.Design), best.Outcome.Values, objectiveOf(h.problem.Goal, best.Outcome.Values), h.problem.Goal)
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
