package study

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/optimize"
	"ropebench/core/plan"
	"ropebench/core/space"
	"ropebench/core/surrogate"
	"ropebench/model"
)

const (
	pointsForInput  = 3    // evaluations over design and scatter together, for each input that moves there, before the first search on surrogates
	askedOnBeliefs  = 1500 // designs in a search on surrogates, at most
	drawsChecked    = 3    // in which the best design is computed each time, where surrogates know least
	agreesOverDraws = 0.01 // share of the spread of a value within which a prediction agrees
	agreedInARow    = 2    // times, and the search ends
)

// onSurrogates searches over scatter with few evaluations: surrogates of what is asked are fitted over inputs and scatter together, the best design by
// them is computed with some of its draws, and they are fitted again, until what was predicted and what is computed agree.
func (r *robustProblem) onSurrogates(ctx context.Context) (string, error) {
	total := r.Study.Budget.Evaluations
	alone := optimize.Result{}
	b := r.believe()
	if p, asked := r.problemAlone(); asked {
		r.note("looks for the design that is best without scatter")
		options := optimize.Options{Seed: r.Study.Seed, Budget: max(1, total/2), Start: r.startOf(p), Few: true}
		var err error
		if alone, err = optimize.Surrogate(ctx, p.Problem, p.Over(b.asking()), options, r.note); err != nil {
			return "", err
		}
	}
	b.used = 0
	left := total - alone.Used
	if alone.Used > 0 { // scatter is worth as much as the design
		left = min(left, max(alone.Used, b.least()+2*(1+drawsChecked)))
	}
	if len(b.problem.Objectives) > 1 {
		return "", errors.New("surrogates over scatter are for one objective: let solver calls pay for a front by method: auto, or weigh the objectives in one formula")
	}
	if left < b.least()+1 {
		return "", fmt.Errorf("the budget leaves %s for surrogates over %s, which need %d: give more, or hold inputs that do not matter", plain.Count(max(0, left), "evaluation"), plain.Count(len(b.space), "input"), b.least()+1)
	}
	return b.search(ctx, alone, left)
}

// A belief has surrogates over inputs and scatter together.
type belief struct {
	*robustProblem
	space    space.Space
	places   []int // of its inputs in a design of the model
	columns  []int // that surrogates are fitted to
	computes bool  // what follows from numbers of the solver is computed, and not fitted
	designs  []core.Design
	values   [][]float64
	surfaces map[int]surface
	used     int
	off      float64 // the largest difference at the last check, as a share of the spread of its value
}

// believe begins with nothing known.
func (r *robustProblem) believe() *belief {
	b := &belief{robustProblem: r}
	drawn := r.evaluator.Draws(r.startOf(r.problem))
	for _, name := range r.Model.Inputs {
		place := slices.Index(r.Model.Inputs, name)
		axis := slices.IndexFunc(r.problem.Space, func(in space.Input) bool { return in.Name == name })
		least, most := math.Inf(1), math.Inf(-1)
		for _, d := range drawn {
			least, most = min(least, d[place]-drawn[0][place]), max(most, d[place]-drawn[0][place])
		}
		switch in := r.Model.Input(place); {
		case axis >= 0 && least < most && in.Range != nil: // it is varied and scatters: an input of both
			b.add(place, space.Input{Name: name, Lower: in.Range.Lower + least, Upper: in.Range.Upper + most})
		case axis >= 0:
			b.add(place, r.problem.Space[axis])
		case least < most:
			b.add(place, space.Input{Name: name, Lower: drawn[0][place] + least, Upper: drawn[0][place] + most})
		}
	}
	b.computes = len(r.Model.Curves) == 0
	want := map[int]bool{}
	behind := r.session.Problem.Behind
	wants := func(column int) {
		if b.computes && behind != nil {
			if numbers, _, follows := behind.From(column); follows {
				for _, number := range numbers {
					want[number] = true
				}
				return
			}
		}
		want[column] = true
	}
	for _, s := range r.evaluator.Statistics {
		if s.Limits == nil {
			wants(s.Column)
		}
		for _, c := range s.Limits {
			wants(c.Value)
		}
	}
	for _, c := range r.problem.Constraints {
		if c.Value < r.evaluator.Width {
			wants(c.Value)
		}
	}
	for _, f := range r.evaluator.Formulas {
		for _, name := range f.Names {
			if column := r.Model.Column(name); column >= 0 {
				wants(column)
			}
		}
	}
	for column := range r.evaluator.Width {
		if want[column] && r.Model.Columns[column].Source != model.FromInputs { // what inputs alone decide is known
			b.columns = append(b.columns, column)
		}
	}
	return b
}

func (b *belief) add(place int, in space.Input) {
	b.places, b.space = append(b.places, place), append(b.space, in)
}

// least is how many evaluations the first surrogates are fitted to.
func (b *belief) least() int { return max(surrogate.Least(len(b.space)), pointsForInput*len(b.space)) }

func (b *belief) part(whole core.Design) core.Design {
	part := make(core.Design, len(b.places))
	for k, place := range b.places {
		part[k] = whole[place]
	}
	return part
}

// asking is an evaluator of designs of the model from which the belief learns. It differentiates where the solver does.
func (b *belief) asking() core.Evaluator {
	if differentiator, is := b.session.evaluator.(core.Differentiator); is {
		return askingSlopes{asking: b.ask, Differentiator: differentiator}
	}
	return asking(b.ask)
}

// askingSlopes asks for derivatives of designs that it has asked for before.
type askingSlopes struct {
	asking
	core.Differentiator
}

// Evaluate implements core.Evaluator.
func (a askingSlopes) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	return a.asking(ctx, designs)
}

// ask evaluates designs of the model, and takes in what comes of them; what fails is not known.
func (b *belief) ask(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := b.session.evaluator.Evaluate(ctx, designs)
	for i, o := range outcomes {
		if !o.Repeated {
			b.used++
		}
		part := b.part(designs[i])
		if o.State == core.OK && !slices.ContainsFunc(b.designs, func(d core.Design) bool { return slices.Equal(d, part) }) {
			b.designs, b.values = append(b.designs, part), append(b.values, slices.Clone(o.Values))
		}
	}
	return outcomes, err
}

// fit makes the surrogates.
func (b *belief) fit(ctx context.Context) error {
	b.surfaces = map[int]surface{}
	encoding := surrogate.Encode(b.space)
	for _, column := range b.columns {
		y := make([]float64, len(b.values))
		for i, values := range b.values {
			y[i] = values[column]
		}
		fitted, err := surrogate.Fit(ctx, encoding, b.designs, y, surrogate.Options{Seed: b.Study.Seed})
		switch {
		case errors.Is(err, surrogate.ErrConstant):
			b.surfaces[column] = surface{value: y[0]}
		case err != nil:
			return fmt.Errorf("%s: %w", b.Model.Columns[column].Name, err)
		default:
			b.surfaces[column] = surface{fitted: fitted}
		}
	}
	return nil
}

// predicted answers draws by the surrogates. What inputs alone decide is known; what is not asked about is 0.
func (b *belief) predicted(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	inputs, values, missed := core.NewMatrix(len(designs), b.Model.Variables()), core.NewMatrix(len(designs), b.evaluator.Width), make([]bool, len(designs))
	for i, d := range designs {
		b.Model.Fill(d, inputs.Row(i))
	}
	b.Model.Screen(inputs, values, missed)
	outcomes, errs := make([]core.Outcome, len(designs)), make([]error, len(designs))
	for i, d := range designs {
		row := values.Row(i)
		for column, value := range row {
			f, asked := b.surfaces[column]
			switch {
			case !math.IsNaN(value):
			case asked:
				row[column] = f.mean(b.part(d))
			default:
				row[column] = 0
			}
		}
	}
	if b.computes {
		b.Model.Finish(inputs, values, make([][]curve.Curve, len(designs)), errs)
	}
	for i := range designs {
		outcomes[i].Values = values.Row(i)
		switch {
		case missed[i]:
			outcomes[i].State = core.NotTried
		case errs[i] != nil || slices.ContainsFunc(outcomes[i].Values, math.IsNaN):
			outcomes[i] = core.Outcome{State: core.Failed}
		}
	}
	return outcomes, nil
}

// search goes on until predictions agree with what is computed, or the evaluations are used up.
func (b *belief) search(ctx context.Context, alone optimize.Result, left int) (string, error) {
	start := b.startOf(b.problem)
	if alone.Best.Design != nil {
		start = alone.Best.Design
	}
	if err := b.begin(ctx, start); err != nil {
		return "", err
	}
	onBeliefs := b.evaluator
	onBeliefs.Whole = asking(b.predicted)
	agreed := 0
	var found optimize.Result
	var number int
	for round := 1; ; round++ {
		b.note(fmt.Sprintf("searches over scatter on surrogates of %s, round %d", plain.Count(len(b.designs), "evaluation"), round))
		if err := b.fit(ctx); err != nil {
			return "", err
		}
		var err error
		if found, err = optimize.Auto(ctx, b.problem.Problem, onBeliefs, optimize.Options{Seed: b.Study.Seed + uint64(round), Budget: askedOnBeliefs, Start: start, Effort: optimize.Quick}, nil); err != nil {
			return "", err
		}
		if first := b.startOf(b.problem); found.Best.Design != nil && !found.Best.Rank.Kept() && !slices.Equal(first, start) {
			other, err := optimize.Auto(ctx, b.problem.Problem, onBeliefs, optimize.Options{Seed: b.Study.Seed + uint64(round), Budget: askedOnBeliefs, Start: first, Effort: optimize.Quick}, nil)
			if err != nil {
				return "", err
			}
			if other.Best.Design != nil && other.Best.Rank.Better(found.Best.Rank) {
				found = other
			}
		}
		if found.Best.Design == nil {
			return "", errors.New("surrogates predict no design that could be compared: let solver calls pay for the search by method: auto")
		}
		start = found.Best.Design
		last := b.used+1+drawsChecked > left
		if last {
			outcomes, err := b.ask(ctx, []core.Design{b.problem.Whole(start)})
			if err != nil {
				return "", err
			}
			number = outcomes[0].Number
			found.Reason = fmt.Sprintf("its %d evaluations are used up, and predictions still differ by up to %s of the spread of a value", left, plain.Percent(b.off))
			break
		}
		agrees := false
		if number, agrees, err = b.check(ctx, start); err != nil {
			return "", err
		}
		if agreed++; !agrees {
			agreed = 0
		}
		if agreed == agreedInARow {
			found.Reason = fmt.Sprintf("converged: predictions at the best design agree with what the solver computes within %s of the spread of each value, %d times in a row", plain.Percent(agreesOverDraws), agreedInARow)
			break
		}
	}
	found.Used, found.Best.Outcome.Number = alone.Used+b.used, number
	part := b.begun("surrogates")
	part.Checked = &b.off
	if err := b.answer(ctx, onBeliefs, found, alone, part); err != nil {
		return "", err
	}
	record, err := b.record(number)
	if err != nil {
		return "", err
	}
	if record.State == core.OK { // the values of the design itself are those of the solver
		var objective *float64
		if len(b.problem.Objectives) == 1 {
			objective = &found.Best.Outcome.Values[b.problem.Objectives[0].Value]
		}
		b.choose(number, b.problem.Whole(found.Best.Design), record.Values, objective)
	}
	return found.Reason, nil
}

// begin fills inputs and scatter together, about as evenly as can be, and draws of the start.
func (b *belief) begin(ctx context.Context, start core.Design) error {
	points, err := plan.All(ctx, plan.MaximinLatinHypercube, plan.NewRand(b.Study.Seed), b.least(), b.space.Levels())
	if err != nil {
		return err
	}
	base := b.problem.Whole(start)
	var designs []core.Design
	for _, point := range points {
		whole := slices.Clone(base)
		for k, value := range b.space.Design(point) {
			whole[b.places[k]] = value
		}
		designs = append(designs, whole)
	}
	b.note(fmt.Sprintf("fills inputs and scatter together with %s", plain.Count(len(designs), "evaluation")))
	_, err = b.ask(ctx, designs)
	if err == nil && len(b.designs) < surrogate.Least(len(b.space)) {
		err = fmt.Errorf("%d of %d evaluations over inputs and scatter failed: surrogates cannot be fitted to the rest; mend the model, or narrow ranges and distributions", len(designs)-len(b.designs), len(designs))
	}
	return err
}

// check computes a design without scatter, and the draws of it of which the surrogates know least.
func (b *belief) check(ctx context.Context, design core.Design) (number int, agrees bool, err error) {
	draws := b.evaluator.Draws(design)
	unsure := make([]float64, len(draws))
	for i, d := range draws {
		for column, f := range b.surfaces {
			_, deviation := f.predict(b.part(d))
			unsure[i] += deviation / b.spread(column)
		}
	}
	order := make([]int, len(draws)-1)
	for i := range order {
		order[i] = i + 1
	}
	slices.SortStableFunc(order, func(i, k int) int { return cmp.Compare(unsure[k], unsure[i]) })
	chosen := []core.Design{draws[0]}
	for _, i := range order {
		if len(chosen) <= drawsChecked && !b.knows(draws[i]) {
			chosen = append(chosen, draws[i])
		}
	}
	beliefs, err := b.predicted(ctx, chosen)
	if err != nil {
		return 0, false, err
	}
	outcomes, err := b.ask(ctx, chosen)
	if err != nil {
		return 0, false, err
	}
	agrees, b.off = true, 0
	for i, o := range outcomes {
		if o.State != core.OK {
			agrees = false
			continue
		}
		for _, column := range b.columns {
			off := math.Abs(beliefs[i].Values[column]-o.Values[column]) / b.spread(column)
			b.off = max(b.off, off)
			agrees = agrees && off <= agreesOverDraws
		}
	}
	return outcomes[0].Number, agrees, nil
}

// knows is true for a draw that was computed.
func (b *belief) knows(draw core.Design) bool {
	part := b.part(draw)
	return slices.ContainsFunc(b.designs, func(d core.Design) bool { return slices.Equal(d, part) })
}

// spread is how far apart the known values of a column are.
func (b *belief) spread(column int) float64 {
	least, most := math.Inf(1), math.Inf(-1)
	for _, values := range b.values {
		least, most = min(least, values[column]), max(most, values[column])
	}
	return math.Max(most-least, math.SmallestNonzeroFloat64)
}
