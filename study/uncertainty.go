package study

import (
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/words"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
	"ropebench/core/uncertainty"
	"ropebench/core/verdict"
	"ropebench/model"
	"ropebench/result"
)

var uncertaintyKind = kind{name: "uncertainty", prepare: prepareUncertainty, budget: func(a *Asked) int { return a.Study.Settings.(*bench.Uncertainty).Points }, run: uncertain, moves: scattered, draws: true, all: true}

// pointsOfScatter are drawn where a study names no number.
const pointsOfScatter = 200

func prepareUncertainty(a *Asked) error {
	settings := *a.Study.Settings.(*bench.Uncertainty)
	a.Study.Settings = &settings
	if len(scattered(a)) == 0 {
		return fmt.Errorf("study %s: no input scatters that is not held: give one a distribution, as in scatter: {normal: {mean: 80, sd: 14}}", a.Study.Name)
	}
	for _, name := range scattered(a) {
		in, _ := a.Model.Bench.Input(name)
		if in.Choices != nil {
			return fmt.Errorf("%s is one of a list, and cannot scatter: a distribution is of a number", name)
		}
	}
	if _, err := a.bench.Joint(scattered(a)); err != nil {
		return fmt.Errorf("study %s: %w", a.Study.Name, err)
	}
	otherwise := pointsOfScatter
	switch {
	case settings.By == "design-point":
		otherwise = pointsOfRare
		fallthrough
	case settings.By == "worst-case":
		if len(a.Model.Targets) == 0 {
			return fmt.Errorf("study %s: there is no requirement that could be missed: take by: latin-hypercube, which tells what values come to", a.Study.Name)
		}
	}
	if settings.By == "worst-case" && len(toleranced(a)) == 0 {
		return fmt.Errorf("study %s: a worst case is one within tolerances, and no input that is not held has one: give it, as in tolerance: 0.05", a.Study.Name)
	}
	a.pointsInForce(&settings.Points, otherwise)
	if least := surrogate.Least(len(scattered(a))); settings.By == "surrogate" && settings.Points < least {
		return fmt.Errorf("study %s: surrogates of %s need at least %d points", a.Study.Name, plain.Count(len(scattered(a)), "input"), least)
	}
	if settings.Points < 2 {
		return fmt.Errorf("study %s: one evaluation tells nothing of scatter: ask for more points", a.Study.Name)
	}
	if most := mostCoordinates / len(scattered(a)); settings.Points > most {
		return fmt.Errorf("study %s: at most %d points are drawn of %d inputs that scatter", a.Study.Name, most, len(scattered(a)))
	}
	return nil
}

// scattered are the inputs that scatter: those that a study holds do not.
func scattered(a *Asked) []string {
	var names []string
	for _, in := range a.bench.Scattered() {
		if _, held := a.Study.Hold[in.Name]; !held {
			names = append(names, in.Name)
		}
	}
	return names
}

// Explored is the problem over which evaluations are explored: that of the study, and where its designs differ in what scatters, over that as far as it was drawn.
func (a *Asked) Explored(designs []core.Design) model.Problem {
	if !a.kind.draws {
		return a.Problem
	}
	return a.Model.Drawn(a.Study, slices.Concat(a.varies, scattered(a)), designs)
}

// uncertain does what a study of scatter asks for.
func uncertain(ctx context.Context, s *session) (string, error) {
	switch s.Study.Settings.(*bench.Uncertainty).By {
	case "design-point":
		return rare(ctx, s)
	case "worst-case":
		return worstCase(ctx, s)
	case "surrogate":
		return onSurrogate(ctx, s)
	}
	return scatter(ctx, s)
}

// scatter evaluates draws about a design, and says what they do to its values and verdicts.
func scatter(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Uncertainty)
	designs, err := s.draws(settings)
	if err != nil {
		return "", err
	}
	found := newScattering(s.Asked)
	for from := 0; from < len(designs); from += askedTogether {
		outcomes, err := s.evaluator.Evaluate(ctx, designs[from:min(from+askedTogether, len(designs))])
		if err != nil {
			return "", err
		}
		found.see(designs[from:min(from+askedTogether, len(designs))], outcomes)
		s.enter(found.parts)
	}
	return fmt.Sprintf("all %d draws are answered", len(designs)), nil
}

// draws are designs in which inputs scatter.
func (s *session) draws(settings *bench.Uncertainty) ([]core.Design, error) {
	about, err := s.scattering(settings)
	if err != nil {
		return nil, err
	}
	drawn := about.joint.Draw(plan.NewRand(s.Study.Seed), settings.Points, settings.By == "latin-hypercube")
	designs := make([]core.Design, settings.Points)
	for i := range designs {
		designs[i] = about.design(drawn.Row(i))
	}
	return designs, nil
}

// A scattering collects the outcomes of draws.
type scattering struct {
	asked  *Asked
	names  []string // of the inputs that scatter
	values map[string][]float64
	met    map[string]int
	all    int // that meet every requirement
	points int
	failed int
	drawn  [][]float64 // what scatters
	missed []bool      // of each draw: it misses something
	broke  []bool      // or fails
}

func newScattering(a *Asked) *scattering {
	return &scattering{asked: a, names: scattered(a), values: map[string][]float64{}, met: map[string]int{}}
}

func (f *scattering) see(designs []core.Design, outcomes []core.Outcome) {
	m := f.asked.Model
	f.points += len(outcomes)
	for i, o := range outcomes {
		row := make([]float64, len(f.names))
		for k, name := range f.names {
			row[k] = designs[i][slices.Index(m.Inputs, name)]
		}
		f.drawn, f.missed, f.broke = append(f.drawn, row), append(f.missed, o.State == core.OK && !m.Feasible(o.Values)), append(f.broke, o.State != core.OK)
		if o.State != core.OK {
			f.failed++
			continue
		}
		for i, column := range m.Columns {
			f.values[column.Name] = append(f.values[column.Name], o.Values[i])
		}
		for id, j := range m.Judge(o.Values) {
			if verdict.Verdict(j.Verdict).IsMet() {
				f.met[id]++
			}
		}
		if m.Feasible(o.Values) {
			f.all++
		}
	}
}

const binsOfScatter = 24 // of a histogram

// parts enters what is known until now.
func (f *scattering) parts(p *result.Parts) {
	part := &result.Scatter{Points: f.points, Failed: f.failed, Inputs: f.names, Values: map[string]result.Scattered{}, Together: probability(f.all, f.points)}
	p.Probabilities = map[string]result.Probability{}
	for _, q := range f.asked.Model.Bench.Requirements {
		if q.Of.Statistics != nil {
			f.tell(part, q)
			continue
		}
		reached := reaches(probability(f.met[q.ID], f.points), q.Probability)
		p.Probabilities[q.ID] = reached
		if reached.Verdict == verdict.Missed && q.Decisive() {
			part.Missed = append(part.Missed, q.ID)
		}
	}
	for name, values := range f.values {
		if f.asked.Model.Columns[f.asked.Model.Column(name)].Source != model.Matched && len(values) >= 2 && slices.Min(values) < slices.Max(values) {
			part.Values[name] = describe(values)
		}
	}
	part.Says, part.Causes = f.inWords(part.Together), f.causes()
	p.Scatter = part
}

// Draws are drawn again from themselves so often, for the limits of a statistic (B. Efron and R. J. Tibshirani, An Introduction to the Bootstrap (1993), chapter 13): of very many draws,
// whose limits are close, less often.
const (
	resamples     = 400
	fewestSamples = 100
	mostResampled = 1 << 22 // draws in all
)

// tell judges a requirement on statistics by all draws; where one failed they are not known, and it does not hold. Where its limits of confidence hold the limit, it
// is not shown.
func (f *scattering) tell(part *result.Scatter, q bench.Requirement) {
	for _, one := range q.Limited() {
		value := f.evaluated(one.Of, nil)
		if math.IsNaN(value) {
			continue // a part of it has no value yet
		}
		told := result.Told{Of: one.Of.Text, Unit: f.asked.unitOfStatistic(one.Of), Requirement: q.ID, Limit: words.Limit(f.asked.bench, q), Value: value}
		from, to := math.Inf(-1), math.Inf(1)
		if f.points == f.asked.kind.budget(f.asked) { // while it goes on nothing is judged
			from, to = f.between(one.Of)
		}
		if !math.IsInf(to-from, 0) {
			told.From, told.To = &from, &to
		}
		holds := f.failed == 0 && q.Limit.Margin(value) >= 0
		if f.failed > 0 || (q.Limit.Margin(from) >= 0) == holds && (q.Limit.Margin(to) >= 0) == holds {
			told.Holds = &holds
		}
		part.Told = append(part.Told, told)
		if told.Holds != nil && !holds && q.Decisive() && !slices.Contains(part.Missed, q.ID) {
			part.Missed = append(part.Missed, q.ID)
		}
	}
}

// evaluated is an expression of statistics over draws, by their numbers; nil: all. NaN where a part of it has no value.
func (f *scattering) evaluated(e formula.Expression, draws []int) float64 {
	value, err := e.Evaluate(func(name string) formula.Value { return formula.Scalar(f.statistic(e, name, draws)) })
	if err != nil {
		return math.NaN()
	}
	return value.Number
}

// between are the limits of confidence of an expression: of a probability, a mean or a quantile alone those of such a one, of all others by drawing from the
// draws.
func (f *scattering) between(e formula.Expression) (from, to float64) {
	if len(e.Statistics) == 1 && e.Text == e.Statistics[0].Name {
		if alone, known := estimateOf(e.Statistics[0], f.values[e.Statistics[0].Of.Text]); known {
			return alone.From, alone.To
		}
	}
	r := plan.NewRand(f.asked.Study.Seed)
	n := f.points - f.failed
	var all []float64
	for range min(resamples, max(fewestSamples, mostResampled/n)) {
		draws := make([]int, n)
		for i := range draws {
			draws[i] = r.IntN(n)
		}
		if value := f.evaluated(e, draws); !math.IsNaN(value) {
			all = append(all, value)
		}
	}
	if len(all) == 0 {
		return math.Inf(-1), math.Inf(1)
	}
	slices.Sort(all)
	const tail = (1 - uncertainty.Confidence) / 2
	return all[int(tail*float64(len(all)-1))], all[int(math.Ceil((1-tail)*float64(len(all)-1)))]
}

// estimateOf is a statistic of independent values with its limits, where there is a formula for them. A limit that the values are too few to tell is as far as numbers go.
func estimateOf(s formula.Statistic, values []float64) (e uncertainty.Estimate, known bool) {
	if len(values) < 2 {
		return e, false
	}
	switch s.Kind {
	case formula.Probability:
		met := 0
		for _, v := range values {
			if v > 0.5 {
				met++
			}
		}
		return uncertainty.Probability(met, len(values)), true
	case formula.Expected:
		return uncertainty.Mean(values), true
	case formula.Quantile:
		e = uncertainty.Quantile(slices.Sorted(slices.Values(values)), s.Share)
		if math.IsNaN(e.From) {
			e.From = -math.MaxFloat64 // a margin to it can be told
		}
		if math.IsNaN(e.To) {
			e.To = math.MaxFloat64
		}
		return e, true
	}
	return e, false
}

// statistic is that of a name in an expression, by the draws that have values, or some of them; of a value without statistic it is the mean. NaN: there is none.
func (f *scattering) statistic(e formula.Expression, name string, draws []int) float64 {
	of, taken := name, uncertainty.Statistic(uncertainty.ExpectedOf)
	for _, s := range e.Statistics {
		if s.Name == name {
			of, taken = s.Of.Text, statisticOf(s)
			if s.Kind == formula.Deviation { // of independent draws; those of a search over scatter are even
				taken = func(draws, _ []float64) float64 { return uncertainty.Deviation(draws) }
			}
		}
	}
	values := f.values[of]
	if len(values) == 0 {
		return math.NaN()
	}
	if draws != nil {
		drawn := make([]float64, len(draws))
		for i, k := range draws {
			drawn[i] = values[k]
		}
		values = drawn
	}
	return taken(values, nil)
}

func probability(met, n int) result.Probability {
	e := uncertainty.Probability(met, n)
	return result.Probability{Met: e.Value, From: e.From, To: e.To}
}

// reaches says whether a probability that is asked for is shown.
func reaches(p result.Probability, asked float64) result.Probability {
	if asked == 0 {
		return p
	}
	p.Asked = asked
	switch {
	case p.From >= asked:
		p.Verdict = verdict.Met
	case p.To < asked:
		p.Verdict = verdict.Missed
	default:
		p.Verdict = verdict.NotShown
	}
	return p
}

// describe is the distribution of values, two or more.
func describe(values []float64) result.Scattered {
	ascending := slices.Sorted(slices.Values(values))
	least, largest := ascending[0], ascending[len(ascending)-1]
	d := result.Scattered{Mean: limited(uncertainty.Mean(values)), Deviation: uncertainty.Deviation(values), Least: least, Largest: largest, Counts: make([]int, binsOfScatter)}
	for _, p := range result.QuantilesShown {
		d.Quantiles = append(d.Quantiles, limited(uncertainty.Quantile(ascending, p)))
	}
	width := largest - least
	for _, v := range values {
		bin := 0
		if width > 0 {
			bin = min(int((v-least)/width*binsOfScatter), binsOfScatter-1)
		}
		d.Counts[bin]++
	}
	return d
}

func limited(e uncertainty.Estimate) result.Limited {
	l := result.Limited{Value: e.Value}
	if !math.IsNaN(e.From) {
		l.From = &e.From
	}
	if !math.IsNaN(e.To) {
		l.To = &e.To
	}
	return l
}

// inWords says how safe the design is.
func (f *scattering) inWords(together result.Probability) string {
	every := "every requirement"
	if slices.ContainsFunc(f.asked.bench.Requirements, func(q bench.Requirement) bool { return q.Of.Statistics != nil && q.Decisive() }) {
		every = "every requirement that one draw can show"
	}
	says := fmt.Sprintf(every+" is met in %s of %s, a probability of %.4g %% (between %.4g and %.4g %% with a confidence of 95 %%)", plain.Whole(f.all), plain.Count(f.points, "draw"), 100*together.Met, 100*together.From, 100*together.To)
	if f.failed > 0 {
		says += fmt.Sprintf("; %s failed, and %s nothing", plain.Count(f.failed, "draw"), map[bool]string{true: "meets", false: "meet"}[f.failed == 1])
	}
	return says
}
