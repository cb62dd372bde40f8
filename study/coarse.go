package study

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/dispatch"
	"ropebench/result"
)

// A coarseSolver is the coarse variant of the solver of a run; nil where there is none.
type coarseSolver struct{ *dispatch.Dispatcher }

// CoarseNumber is the number under which the evaluations by the coarse variant are kept: they are none of the run, and others find them where
// they ask the same.
func CoarseNumber(run int) int { return -run }

// coarseOf prepares the coarse variant of a solver for a search that may use it.
func (r *Runs) coarseOf(l *liveRun, b *bench.Bench, a *Asked, content bench.Content) (*coarseSolver, error) {
	variant := b.CoarseVariant()
	if variant == nil || a.Study.Kind != optimizeKind.name || a.kind.inner != nil {
		return nil, nil
	}
	blackBox, err := SolverOf(variant, content, r.engine.Path)
	if err != nil {
		return nil, fmt.Errorf("the coarse variant of the solver: %w", err)
	}
	key, err := blackBox.Key()
	if err != nil {
		return nil, fmt.Errorf("the coarse variant of the solver: %w", err)
	}
	if err := l.pin(key, func(run *Run) *string { return &run.CoarseKey }); err != nil {
		return nil, err
	}
	run, _ := l.snapshot()
	config := r.config(run, variant, a, blackBox, key, CoarseNumber(run.ID))
	config.Notice = func(records []dispatch.Record) { l.change(func() { l.standing.counts.Coarse += len(records) }) }
	if config.Known, err = r.known(run, variant, key); err != nil {
		return nil, err
	}
	d, err := dispatch.New(config)
	if err != nil {
		return nil, err
	}
	return &coarseSolver{d}, nil
}

func (c *coarseSolver) evaluator() core.Evaluator {
	if c == nil {
		return nil
	}
	return c.Dispatcher
}

func (c *coarseSolver) close() error {
	if c == nil {
		return nil
	}
	return c.Close()
}

// coarsely is the coarse variant for a search over the inputs of its problem; nil where there is none.
func (h hunt) coarsely() core.Evaluator {
	if h.coarse == nil {
		return nil
	}
	return h.problem.Over(h.coarse)
}

// usedCoarse says what a search made of the coarse variant of its solver; nil where there is none.
func (h hunt) usedCoarse(found optimize.Result) *result.Coarse {
	use := found.Coarse
	switch {
	case h.coarse == nil:
		return nil
	case use == nil:
		return &result.Coarse{Says: "the coarse variant of the solver was not asked: only a search by surrogates uses both"}
	}
	part := &result.Coarse{Evaluations: use.Asked, Share: use.Share, Dropped: use.Dropped, Correlations: map[string]float64{}}
	for column, r := range use.Correlations {
		part.Correlations[h.Model.Columns[column].Name] = r
	}
	part.Says = inWords(part)
	return part
}

func inWords(c *result.Coarse) string {
	says := fmt.Sprintf("%s by the coarse variant of the solver, each in about %s of one by the solver", plain.Count(c.Evaluations, "evaluation"), optimize.TimeInWords(c.Share))
	var correlations []string
	for name, r := range c.Correlations {
		correlations = append(correlations, fmt.Sprintf("%s %.3f", name, r))
	}
	slices.Sort(correlations)
	if len(correlations) > 0 {
		says += "; correlation of its values with those of the solver: " + strings.Join(correlations, ", ")
	}
	if c.Dropped != "" {
		says += "; it was dropped, since " + c.Dropped
	}
	return says
}
