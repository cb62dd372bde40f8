package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/study"
)

// A target is a problem of a file of that name: its best known value, by the paper that the file names, and what a search is to do.
type target struct {
	name      string
	best      float64
	published int // evaluations of epsilon-constrained differential evolution, median (T. Takahama and S. Sakai, CEC 2006); 0: none
	share     int // of which a search may take one part
	relative  float64
	least     int // seeds of 25 at least
	budget    int // 0: that of the file
}

var knownProblems = []target{
	{name: "branin", best: 0.39788735772973816, least: 22},
	{name: "hartmann6", best: -3.32237, least: 22},
	{name: "rosenbrock10", least: 22},
	{name: "rastrigin5", least: 22},
	{name: "g01", best: -15, published: 59308, share: 10, least: 22},
	{name: "g04", best: -30665.53867178333, published: 26216, share: 10, least: 22},
	{name: "g06", best: -6961.81387558015, published: 7381, share: 10, least: 22},
	{name: "g08", best: -0.0958250414180359, published: 1139, share: 2, least: 22},
	{name: "g09", best: 680.630057374402, published: 23121, share: 10, least: 22},
	{name: "g24", best: -5.50801327159536, published: 2952, share: 10, least: 22},
	{name: "hs71", best: 17.0140173, least: 22},
	{name: "spring", best: 0.0126652, relative: 1e-4, least: 25},
	{name: "pressure_vessel", best: 6059.714335, relative: 1e-3, least: 22, budget: 2000},
	{name: "gear_train", best: 1e-8, relative: 0, least: 20},
}

// succeeds is true for an objective that is as good as asked: absolute, relative where the best is smaller than 1, unless the
// problem says otherwise.
func (k target) succeeds(objective float64, tolerance float64) bool {
	over := objective - k.best
	switch {
	case k.name == "gear_train":
		return over <= 0
	case k.relative > 0:
		return over <= k.relative*math.Abs(k.best)
	case tolerance > 0:
		return over <= tolerance*math.Max(1, math.Abs(k.best))
	case k.best != 0 && math.Abs(k.best) < 1:
		return over <= 1e-4*math.Abs(k.best)
	}
	return over <= 1e-4
}

// A watched evaluator notes what every success has cost.
type watched struct {
	core.Evaluator
	asked    *study.Asked
	derived  int
	count    int
	success  func(objective float64) bool
	at       int // what had been asked, derivatives included, at the first success; 0: none
	rounding int // significant digits of what is not decided by inputs alone; 0: all
	decided  []bool
	fails    func(core.Design) bool // the solver does; nil: nowhere
}

func (w *watched) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := w.Evaluator.Evaluate(ctx, designs)
	for i := range outcomes {
		if w.fails != nil && w.fails(designs[i]) {
			outcomes[i] = core.Outcome{State: core.Failed, Number: outcomes[i].Number, Repeated: outcomes[i].Repeated}
		}
	}
	w.note(outcomes)
	return outcomes, err
}

func (w *watched) note(outcomes []core.Outcome) {
	for i, o := range outcomes {
		if w.rounding > 0 && o.State == core.OK {
			values := slices.Clone(o.Values)
			for k := range values {
				if !w.decided[k] {
					values[k], _ = strconv.ParseFloat(strconv.FormatFloat(values[k], 'e', w.rounding-1, 64), 64)
				}
			}
			outcomes[i].Values = values
		}
		if o.Repeated {
			continue
		}
		w.count++
		objective := w.asked.Problem.Objectives[0]
		if w.at == 0 && o.State == core.OK && w.asked.Problem.Feasible(outcomes[i].Values) && w.success(objective.Least(o.Values)) {
			w.at = w.count + w.derived
		}
	}
}

// differentiated is one that differentiates, too.
type differentiated struct{ *watched }

func (w differentiated) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives, err := w.Evaluator.(core.Differentiator).Differentiate(ctx, designs)
	w.note(outcomes)
	w.derived += len(designs)
	return outcomes, derivatives, err
}

// seedsAsked is how many seeds are run: SEEDS of the environment, or 5.
func seedsAsked() int {
	if n, err := strconv.Atoi(os.Getenv("SEEDS")); err == nil && n > 0 {
		return n
	}
	return 5
}

// A way to search.
type way struct {
	method    optimize.Method
	exact     bool // derivatives are known
	digits    int  // of the values; 0: all
	tolerance float64
	fails     func(core.Design) bool // nil: nowhere
}

// run searches once, and says what the first success has cost, 0 where there was none, and what the whole run has.
func (k target) run(ctx context.Context, seed uint64, how way) (at, whole int, err error) {
	b, _, err := problem(k.name)
	if err != nil {
		return 0, 0, err
	}
	asked, inner, err := evaluator(b, study.Question{Study: "best", Seed: seed, Evaluations: k.budget})
	if err != nil {
		return 0, 0, err
	}
	w := &watched{Evaluator: inner, asked: asked, rounding: how.digits, fails: how.fails, success: func(objective float64) bool { return k.succeeds(objective, how.tolerance) }}
	if asked.Problem.Ahead != nil {
		w.decided = asked.Problem.Ahead.Decided()
	} else {
		w.decided = make([]bool, len(asked.Model.Columns))
	}
	var e core.Evaluator = w
	if how.exact {
		e = differentiated{w}
	}
	options := optimize.Options{Seed: seed, Budget: asked.Study.Budget.Evaluations, Start: asked.Problem.Part(asked.Model.Design(nil))}
	_, err = how.method(ctx, asked.Problem.Problem, e, options, nil)
	return w.at, w.count + w.derived, err
}

// searches counts the seeds with which auto finds what is known to be best, and what that costs.
func searches(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, mode := range []struct {
		name      string
		exact     bool
		digits    int
		tolerance float64
		shares    int // of the published median, times the share of the problem
	}{
		{name: "exact derivatives", exact: true, shares: 1},
		{name: "without derivatives", shares: 2},
		{name: "four digits", digits: 4, tolerance: 1e-3},
	} {
		var good, all int
		for _, k := range knownProblems {
			measured, reached, err := k.measure(ctx, mode.exact, mode.digits, mode.tolerance, mode.shares)
			if err != nil {
				return nil, err
			}
			good, all = good+reached.successes, all+reached.seeds
			figures = append(figures, measured)
		}
		least := 0.95
		if mode.digits > 0 {
			least = 0.9
		}
		share := float64(good) / float64(all)
		figures = append(figures, figure{name: "auto, " + mode.name + ", all runs", asked: fmt.Sprintf("%.0f %% reach the best", 100*least), measured: fmt.Sprintf("%.1f %%", 100*share), reached: share >= least})
	}
	return figures, nil
}

type successes struct{ successes, seeds int }

func (k target) measure(ctx context.Context, exact bool, digits int, tolerance float64, shares int) (figure, successes, error) {
	var costs, wholes []int
	seeds := seedsAsked()
	for seed := range uint64(seeds) {
		at, whole, err := k.run(ctx, seed+1, way{method: optimize.Auto, exact: exact, digits: digits, tolerance: tolerance})
		if err != nil {
			return figure{}, successes{}, err
		}
		wholes = append(wholes, whole)
		if at > 0 {
			costs = append(costs, at)
		}
	}
	slices.Sort(costs)
	slices.Sort(wholes)
	s := successes{len(costs), seeds}
	f := figure{name: fmt.Sprintf("auto on %s", k.name), asked: fmt.Sprintf("%d of 25", k.least), measured: fmt.Sprintf("%d of %d", s.successes, s.seeds), reached: 25*s.successes >= k.least*s.seeds}
	if len(costs) > 0 {
		median := costs[len(costs)/2]
		f.measured += fmt.Sprintf(", median %d to success, %d in all", median, wholes[len(wholes)/2])
		if k.published > 0 && digits == 0 {
			most := k.published * shares / k.share
			f.asked += fmt.Sprintf(", median at most %d", most)
			f.reached = f.reached && median <= most
		}
	}
	switch {
	case digits > 0:
		f.name += fmt.Sprintf(", %d digits", digits)
	case !exact:
		f.name += ", without derivatives"
	}
	return f, s, nil
}
