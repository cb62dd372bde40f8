package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
)

const (
	mostOfTime       = 0.5        // of the time of an evaluation by the solver: what takes more is no help
	leastOfTime      = 1.0 / 1024 // that it is counted with
	coarseStart      = 10         // designs for each input, and one more, that the coarse variant is asked at first
	leastCoarseStart = 3          // of these, or it is too dear
	coarsePart       = 0.25       // of the budget that they may take
	fewerWithCoarse  = 2          // designs more than inputs, that the solver is asked at first then
	leastCorrelation = 0.7        // of the coarse values with those of the solver, from which on they help
	measuredCoarsely = 3          // designs at which its time is measured
	leastCorrelated  = 4          // pairs that a correlation is made of
	mostLooks        = 5          // coarse evaluations in a row before the solver is asked
)

// A CoarseUse says what a search made of the coarse variant of its solver.
type CoarseUse struct {
	Asked        int             // distinct designs
	Share        float64         // of the time of an evaluation by the solver, as a power of two; 0: that was not measured
	Correlations map[int]float64 // of its values with those of the solver, by column, where both are known
	Dropped      string          // why it was not asked to the end; "": it was
}

// coarse is what a search knows of the coarse variant of its solver.
type coarse struct {
	core.Evaluator
	designs   []core.Design
	outcomes  []core.Outcome            // of these
	known     map[string]int            // which of them is a design, by its key
	beliefs   map[int]*surrogate.Belief // of its values, by column
	rests     map[int]*surrogate.Belief // of what the values of the solver differ by from a multiple of these, by column
	corrected map[int]*corrected        // what is believed of the values of the solver by both, by column
	lag       map[int]float64           // by how much that has predicted worse than a belief without it, as a logarithm
	share     float64
	dropped   string
}

// inUse is true where there is a coarse variant that was not dropped.
func (c *coarse) inUse() bool { return c != nil && c.dropped == "" }

// spent is what coarse evaluations took, in evaluations by the solver.
func (c *coarse) spent() float64 {
	if c == nil {
		return 0
	}
	return float64(len(c.designs)) * c.share
}

// at is what the coarse variant says of a design; false where it was not asked or has no values.
func (c *coarse) at(design core.Design) ([]float64, bool) {
	i, known := c.known[key(design)]
	if !known || c.outcomes[i].State != core.OK {
		return nil, false
	}
	return c.outcomes[i].Values, true
}

// askCoarsely asks the coarse variant for points that it was not asked for.
func (b *believer) askCoarsely(ctx context.Context, points [][]float64) error {
	c := b.coarse
	var designs []core.Design
	for _, point := range points {
		design := b.design(point)
		if _, known := c.known[key(design)]; !known {
			c.known[key(design)] = len(c.designs) + len(designs)
			designs = append(designs, design)
		}
	}
	if len(designs) == 0 {
		return nil
	}
	outcomes, err := c.Evaluate(ctx, designs)
	if err != nil {
		return err
	}
	c.designs, c.outcomes = append(c.designs, designs...), append(c.outcomes, outcomes...)
	b.measure()
	return nil
}

// measure sets which share of the time of the solver its coarse variant takes: the nearest power of two, so that a busy machine does not change
// what is asked for.
func (b *believer) measure() {
	var fine, coarse []float64
	for _, t := range b.known {
		if t.outcome.Seconds > 0 {
			fine = append(fine, t.outcome.Seconds)
		}
	}
	for _, o := range b.coarse.outcomes {
		coarse = append(coarse, o.Seconds)
	}
	b.coarse.share = 1
	if len(fine) > 0 && len(coarse) > 0 {
		slices.Sort(fine)
		slices.Sort(coarse)
		ratio := coarse[len(coarse)/2] / fine[len(fine)/2]
		b.coarse.share = max(leastOfTime, math.Exp2(math.Round(math.Log2(ratio))))
	}
}

// beginCoarsely asks the coarse variant for designs that fill the space, once it is known what that costs: the first point is asked of both, and
// the coarse variant for a few more, since the first start of a program is slow.
func (b *believer) beginCoarsely(ctx context.Context, points [][]float64) error {
	if err := b.take(ctx, points[:1]); err != nil {
		return err
	}
	if err := b.askCoarsely(ctx, points[:min(measuredCoarsely, len(points))]); err != nil {
		return err
	}
	n := coarseStart * (len(b.space) + 1)
	paid := min(float64(n), coarsePart*float64(b.total)/b.coarse.share)
	if b.coarse.share > mostOfTime || paid < float64(leastCoarseStart*(len(b.space)+1)) {
		b.coarse.drop(fmt.Sprintf("an evaluation by it takes about %s of one by the solver, which is too much for a budget of %d", TimeInWords(b.coarse.share), b.total))
		return nil
	}
	filling, err := b.filling(ctx, int(paid))
	if err != nil {
		return err
	}
	b.watch(fmt.Sprintf("asks the coarse variant for %s that fill the space", countOf(len(filling), "design")))
	return b.askCoarsely(ctx, filling)
}

// TimeInWords says how much of the time of an evaluation by the solver a share is: "1/16 of the time", "4 times the time".
func TimeInWords(share float64) string {
	switch {
	case share < 1:
		return fmt.Sprintf("1/%.0f of the time", 1/share)
	case share == 1:
		return "the time"
	}
	return fmt.Sprintf("%.0f times the time", share)
}

// drop goes on without the coarse variant.
func (c *coarse) drop(why string) { c.dropped, c.corrected = why, nil }

// A correlation is one of a number of pairs.
type correlation struct {
	of    float64
	pairs int
}

// mayHelp is true where the correlation may well be large enough: it is so if it is larger by one deviation (R. A. Fisher's transformation,
// Metron 1 (1921)).
func (r correlation) mayHelp() bool {
	return math.Atanh(math.Abs(r.of))+1/math.Sqrt(float64(r.pairs-3)) >= math.Atanh(leastCorrelation)
}

// correlations of the coarse values with those of the solver by column, where enough are known of both.
func (b *believer) correlations() map[int]correlation {
	all := map[int]correlation{}
	for _, column := range b.columns {
		if _, coarsely, finely := b.pairs(column); len(coarsely) >= leastCorrelated {
			all[column] = correlation{correlationOf(coarsely, finely), len(coarsely)}
		}
	}
	return all
}

// pairs are the designs of which both are known, with the values of a column.
func (b *believer) pairs(column int) (designs []core.Design, coarsely, finely []float64) {
	for _, t := range b.telling() {
		if values, known := b.coarse.at(t.design); known && t.rank.Usable() {
			designs = append(designs, t.design)
			coarsely, finely = append(coarsely, values[column]), append(finely, t.given()[column])
		}
	}
	return designs, coarsely, finely
}

func correlationOf(x, y []float64) float64 {
	slope := slopeOf(x, y)
	if slope == 0 || deviationOf(y) == 0 {
		return 0
	}
	return slope * deviationOf(x) / deviationOf(y)
}

// slopeOf is that of the line through points by least squares; 0 where all stand at one x.
func slopeOf(x, y []float64) float64 {
	meanX, meanY := 0.0, 0.0
	for i := range x {
		meanX, meanY = meanX+x[i]/float64(len(x)), meanY+y[i]/float64(len(x))
	}
	along, square := 0.0, 0.0
	for i := range x {
		along, square = along+(x[i]-meanX)*(y[i]-meanY), square+(x[i]-meanX)*(x[i]-meanX)
	}
	if square == 0 {
		return 0
	}
	return along / square
}

// believeCoarsely makes beliefs of the coarse values, and of what the solver's differ by from a multiple of these: the autoregressive model of
// M. C. Kennedy and A. O'Hagan, Biometrika 87 (2000), level by level as by L. Le Gratiet and J. Garnier, International Journal for Uncertainty
// Quantification 4 (2014). A coarse variant of which no value goes with the solver's is dropped.
func (b *believer) believeCoarsely(ctx context.Context) error {
	c := b.coarse
	correlations := b.correlations()
	if why := c.misleads(correlations); why != "" {
		c.drop(why)
		b.watch("the coarse variant is dropped: " + c.dropped)
		return nil
	}
	c.corrected = map[int]*corrected{}
	made := make([]*corrected, len(b.columns))
	group, within := errgroup.WithContext(ctx)
	for k, column := range b.columns {
		if r, known := correlations[column]; !known || !r.mayHelp() {
			continue
		}
		r := plan.NewRand(b.rand.Uint64()) // each has its own, so that it does not matter which is done first
		group.Go(func() (err error) {
			made[k], err = b.correct(within, r, column)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for k, column := range b.columns {
		if made[k] != nil {
			c.corrected[column], c.beliefs[column], c.rests[column] = made[k], made[k].coarse, made[k].rest
		}
	}
	return nil
}

// correct makes what is believed of a column by both; nil where nothing can be fitted.
func (b *believer) correct(ctx context.Context, r *rand.Rand, column int) (*corrected, error) {
	var designs []core.Design
	var y []float64
	for i, o := range b.coarse.outcomes {
		if o.State == core.OK {
			designs, y = append(designs, b.coarse.designs[i]), append(y, o.Values[column])
		}
	}
	coarse, err := surrogate.Believe(ctx, r, b.encoding, designs, y, b.limitOf(column), b.noisy(y), b.coarse.beliefs[column])
	if err != nil {
		return nil, ctx.Err()
	}
	both, coarsely, finely := b.pairs(column)
	made := &corrected{coarse: coarse, slope: slopeOf(coarsely, finely), spread: deviationOf(finely)}
	rest := make([]float64, len(finely))
	for i := range rest {
		rest[i] = finely[i] - made.slope*coarsely[i]
	}
	made.rest, err = surrogate.Believe(ctx, r, b.encoding, both, rest, math.NaN(), b.noisy(finely), b.coarse.rests[column])
	if err != nil {
		return nil, ctx.Err()
	}
	return made, nil
}

// misleads says why no coarse value is of use; "" where one is, or too little is known.
func (c *coarse) misleads(correlations map[int]correlation) string {
	most := 0.0
	for _, r := range correlations {
		if r.mayHelp() {
			return ""
		}
		most = max(most, math.Abs(r.of))
	}
	if len(correlations) == 0 {
		return ""
	}
	return fmt.Sprintf("none of its values goes with those of the solver (the largest correlation is %.2f)", most)
}

// compareCoarsely notes how well a design was predicted with the coarse variant and without it.
func (b *believer) compareCoarsely(t trial) {
	for column, with := range b.coarse.corrected {
		value, least := t.outcome.Values[column], 1e-9*(with.spread+math.SmallestNonzeroFloat64)
		ratio := (math.Abs(with.Mean(t.design)-value) + least) / (math.Abs(b.beliefs[column].Mean(t.design)-value) + least)
		b.coarse.lag[column] = forgotten*b.coarse.lag[column] + math.Log(ratio)
	}
}

// tellsMore is true where an evaluation by the coarse variant is believed to take away more of what is not known of a point, for the time that it
// takes, than one by the solver (after D. Huang, T. T. Allen, W. I. Notz and R. A. Miller, Structural and Multidisciplinary Optimization 32
// (2006)).
func (b *believer) tellsMore(point []float64) bool {
	design := b.design(point)
	if _, known := b.coarse.known[key(design)]; known {
		return false
	}
	byCoarse, byBoth := 0.0, 0.0
	for _, column := range b.columns {
		c := b.coarse.corrected[column]
		if c == nil || c.spread == 0 || b.coarse.lag[column] > 0 {
			continue
		}
		low, _, high := c.coarse.Between(design)
		of := math.Pow(c.slope*(high-low)/2/c.spread, 2)
		low, _, high = c.rest.Between(design)
		byCoarse, byBoth = byCoarse+of, byBoth+of+math.Pow((high-low)/2/c.spread, 2)
	}
	return byCoarse/b.coarse.share > byBoth/(1+b.coarse.share)
}

// look chooses the next point as wish does, and asks the coarse variant for it, and for what is wished then, while that tells more.
func (b *believer) look(ctx context.Context) (point []float64, why string, err error) {
	turn, vain := b.turn, b.vain
	for looks := 0; ; looks++ {
		b.turn, b.vain, b.expected = turn, vain, wished{}
		if point, why, err = b.wish(ctx); err != nil || point == nil || !b.coarse.inUse() {
			return point, why, err
		}
		more := looks < mostLooks && b.tellsMore(point)
		if err := b.askCoarsely(ctx, [][]float64{point}); err != nil || !more {
			return point, why, err
		}
		b.watch(fmt.Sprintf("%s by the coarse variant, after %d evaluations and %d coarse ones", why, b.Used(), len(b.coarse.designs)))
		if err := b.believeCoarsely(ctx); err != nil {
			return nil, "", err
		}
	}
}

// paysNoMore ends a search whose budget does not pay for another evaluation by the solver, since coarse ones have taken of it.
func (b *believer) paysNoMore() error {
	spent := b.coarse.spent()
	if spent == 0 || float64(b.Used())+spent <= float64(b.total)-1 {
		return nil
	}
	return budget.Ended{Cause: budget.UsedUp, Reason: fmt.Sprintf("the budget of %d evaluations is used up: %d by the solver, and %d by its coarse variant, each of about %s of one by the solver", b.total, b.Used(), len(b.coarse.designs), TimeInWords(b.coarse.share))}
}

// use is what is told of the coarse variant in the end; nil where there is none.
func (b *believer) use() *CoarseUse {
	c := b.coarse
	if c == nil {
		return nil
	}
	use := &CoarseUse{Asked: len(c.designs), Share: c.share, Correlations: map[int]float64{}, Dropped: c.dropped}
	for column, r := range b.correlations() {
		use.Correlations[column] = r.of
	}
	return use
}

// A corrected view believes a value of the solver by those of its coarse variant, and by what it differs from a multiple of these.
type corrected struct {
	coarse, rest *surrogate.Belief
	slope        float64
	spread       float64 // of the values of the solver
}

func (c *corrected) Mean(design core.Design) float64 {
	return c.slope*c.coarse.Mean(design) + c.rest.Mean(design)
}

func (c *corrected) Between(design core.Design) (lower, median, upper float64) {
	median, deviation := c.Believed(design)
	return median - deviation, median, median + deviation
}

func (c *corrected) Believed(design core.Design) (mean, deviation float64) {
	low, median, high := c.coarse.Between(design)
	restLow, restMedian, restHigh := c.rest.Between(design)
	return c.slope*median + restMedian, math.Hypot(c.slope*(high-low)/2, (restHigh-restLow)/2)
}

func (c *corrected) Scaled(value float64) float64 { return value }

func (c *corrected) Spread() float64 { return c.spread }

func (c *corrected) Slopes(design core.Design, into []float64) float64 {
	rest := make([]float64, len(into))
	value := c.slope*c.coarse.Slopes(design, into) + c.rest.Slopes(design, rest)
	for j := range into {
		into[j] = c.slope*into[j] + rest[j]
	}
	return value
}
