package study

import (
	"context"
	"fmt"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/result"
)

var sampleKind = kind{name: "sample", prepare: prepareSample, budget: func(a *Asked) int { return a.Study.Settings.(*bench.Sample).Points + sum(a.Question.More) }, run: sample, continues: true}

// pointsOfAnInput is how many points a sample has for each varied input where it names no number.
const pointsOfAnInput = 10

// mostCoordinates bounds a plan: a Latin hypercube of so many takes a quarter of a gigabyte.
const mostCoordinates = 1 << 26

func prepareSample(a *Asked) error {
	settings := *a.Study.Settings.(*bench.Sample)
	a.Study.Settings = &settings
	if settings.Plan == bench.PlanOfTable {
		return a.prepareTable(&settings)
	}
	if err := a.mustVary(); err != nil {
		return err
	}
	if arrange := plan.Arrangements[settings.Plan]; arrange != nil {
		return a.prepareArrangement(&settings, arrange)
	}
	a.pointsInForce(&settings.Points, pointsOfAnInput*len(a.varies))
	if most := mostCoordinates / len(a.varies); settings.Points+sum(a.Question.More) > most {
		return fmt.Errorf("a sample of %d varied inputs has at most %d points, and %d are asked: ask in several runs with other seeds", len(a.varies), most, settings.Points+sum(a.Question.More))
	}
	if settings.Plan == "sobol" && len(a.varies) > plan.MaxSobolInputs {
		return fmt.Errorf("a Sobol' sequence is available for at most %d inputs, and %d are varied: use a Latin hypercube", plan.MaxSobolInputs, len(a.varies))
	}
	if n := settings.Points + sum(a.Question.More); settings.Plan == "maximin-latin-hypercube" && n > plan.MostMaximin {
		return fmt.Errorf("a maximin Latin hypercube has at most %d points, and %d are asked: take latin-hypercube or sobol", plan.MostMaximin, n)
	}
	return nil
}

func sum(numbers []int) int {
	total := 0
	for _, n := range numbers {
		total += n
	}
	return total
}

// pointsInForce fills in how many points there are: what the question says, or the study, within its budget.
func (a *Asked) pointsInForce(points *int, otherwise int) {
	switch budget := a.Study.Budget.Evaluations; {
	case a.Question.Evaluations > 0:
		*points = a.Question.Evaluations
	case *points == 0:
		*points = otherwise
		fallthrough
	case budget > 0:
		if budget > 0 {
			*points = min(*points, budget)
		}
	}
}

// prepareArrangement counts the points of a plan whose inputs decide how many there are.
func (a *Asked) prepareArrangement(settings *bench.Sample, arrange plan.Arrangement) error {
	if settings.Levels == 0 {
		settings.Levels = plan.TakesLevels[settings.Plan]
	}
	count, _, err := arrange(a.axes(settings), settings.Levels)
	if err != nil {
		return err
	}
	if most := a.Study.Budget.Evaluations; most > 0 && count > most {
		return fmt.Errorf("the plan %s has %d points here, and the budget is %d evaluations: hold some inputs, take fewer levels, or another plan", settings.Plan, count, most)
	}
	if len(a.Question.More) > 0 {
		return fmt.Errorf("the plan %s has all its points: it cannot have more", settings.Plan)
	}
	settings.Points = count
	return nil
}

// axes are the inputs as an arrangement sees them.
func (a *Asked) axes(settings *bench.Sample) []plan.Axis {
	about := a.Problem.Part(a.about(settings.About))
	axes := make([]plan.Axis, len(a.Problem.Space))
	for j, in := range a.Problem.Space {
		axes[j] = plan.Axis{Name: in.Name, Words: in.Unordered, About: in.Unit(about[j])}
		axes[j].Levels = a.Problem.Space.Levels()[j]
	}
	return axes
}

// about is the design that a key names.
func (a *Asked) about(start bench.Start) core.Design {
	if a.Question.Start != nil {
		return a.Model.Design(a.Question.Start)
	}
	return a.Model.Design(start.Values)
}

// mustVary refuses a study without an input that moves.
func (a *Asked) mustVary() error {
	if len(a.varies) == 0 {
		return fmt.Errorf("study %s varies nothing: give an input a range, values or a catalog, or hold fewer", a.Study.Name)
	}
	return nil
}

// askedTogether is how many points are asked at a time.
const askedTogether = 1 << 13

func sample(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Sample)
	next, err := s.points(ctx, settings)
	if err != nil {
		return "", err
	}
	evaluator := s.Problem.Over(s.evaluator)
	made := result.Sample{Plan: settings.Plan}
	total := settings.Points + sum(s.Question.More)
	for asked := 0; asked < total; asked += askedTogether {
		designs := make([]core.Design, min(askedTogether, total-asked))
		for i := range designs {
			if designs[i], err = next(); err != nil {
				return "", err
			}
		}
		outcomes, err := evaluator.Evaluate(ctx, designs)
		if err != nil {
			return "", err
		}
		s.count(&made, outcomes)
		s.enter(func(p *result.Parts) { p.Sample = &made })
	}
	reason := fmt.Sprintf("all %d points of the plan are answered", made.Points)
	if made.Designs < made.Points {
		reason += fmt.Sprintf("; %d of them are different designs", made.Designs)
	}
	if imported(s.Asked) != nil {
		reason += "; their values stand in the table, and no solver was asked"
	}
	return reason, nil
}

// points gives the designs of a plan one after the other.
func (s *session) points(ctx context.Context, settings *bench.Sample) (next func() (core.Design, error), err error) {
	if settings.Plan == bench.PlanOfTable {
		return s.rowsOfTable(settings.Rows), nil
	}
	if arrange := plan.Arrangements[settings.Plan]; arrange != nil {
		return s.arranged(settings, arrange)
	}
	point, err := plan.Plans[settings.Plan](ctx, plan.NewRand(s.Study.Seed), append([]int{settings.Points}, s.Question.More...), s.Problem.Space.Levels())
	return func() (core.Design, error) {
		u, err := point()
		if err != nil {
			return nil, err
		}
		return s.Problem.Space.Design(u), nil
	}, err
}

// arranged gives the designs of an arrangement. Inputs that do not move keep the value of the design about which it is made, to the last bit.
func (s *session) arranged(settings *bench.Sample, arrange plan.Arrangement) (next func() (core.Design, error), err error) {
	axes := s.axes(settings)
	about := s.Problem.Part(s.about(settings.About))
	_, point, err := arrange(axes, settings.Levels)
	i := -1
	return func() (core.Design, error) {
		i++
		u := point(i)
		design := s.Problem.Space.Design(u)
		for j := range design {
			if settings.Plan == "one-at-a-time" && u[j] == axes[j].About {
				design[j] = about[j]
			}
		}
		return design, nil
	}, err
}

func (s *session) count(made *result.Sample, outcomes []core.Outcome) {
	for _, outcome := range outcomes {
		made.Points++
		if outcome.Repeated {
			continue
		}
		made.Designs++
		if outcome.State == core.OK {
			made.Usable++
			if s.Model.Feasible(outcome.Values) {
				made.Feasible++
			}
		}
	}
}

// prepareTable holds the table of a sample to what the study varies.
func (a *Asked) prepareTable(settings *bench.Sample) error {
	t := settings.Rows
	if t == nil {
		return fmt.Errorf("study %s: the table %s was not read: put it into the folder of the bench", a.Study.Name, settings.Table)
	}
	settings.Points = len(t.Designs)
	if len(a.Question.More) > 0 {
		return fmt.Errorf("the points of study %s stand in %s: add rows there, and run it again", a.Study.Name, settings.Table)
	}
	if n := a.Question.Evaluations; n > 0 {
		settings.Points = min(settings.Points, n)
	}
	for k, name := range t.Inputs {
		if slices.Contains(a.varies, name) {
			continue
		}
		in, _ := a.Model.Bench.Input(name)
		held, _ := in.NumberOf(a.Model.Values(a.Model.Design(nil))[name])
		for i, design := range t.Designs {
			if design[k] != held {
				return fmt.Errorf("row %d of %s has %s at %s, and the study holds it at %s: give it a range, or leave the column out", i+1, settings.Table, name, in.ValueOf(design[k]), in.ValueOf(held))
			}
		}
	}
	if err := a.mustVary(); err != nil {
		return err
	}
	return a.wholeOutputs(t, settings.Table)
}

// wholeOutputs refuses a table that has some of the outputs of the solver: with all of them its rows are evaluations, with none they are designs
// to be evaluated.
func (a *Asked) wholeOutputs(t *bench.PlanTable, file string) error {
	if len(t.Outputs) == 0 {
		return nil
	}
	for _, r := range a.Model.Bench.Returns() {
		if i := a.Model.Curve(r.Name); i >= 0 {
			return fmt.Errorf("%s has values of outputs, and the solver returns a curve, %s, which a table cannot hold: leave the columns of outputs out, and the designs are evaluated", file, r.Name)
		}
		if !slices.Contains(t.Outputs, r.Name) {
			return fmt.Errorf("%s has values of %s and none of %s: add the column, or leave all outputs out, and the designs are evaluated", file, t.Outputs[0], r.Name)
		}
	}
	return nil
}

// imported is the table of a sample whose rows have outputs; nil where there is none.
func imported(a *Asked) *bench.PlanTable {
	settings, is := a.Study.Settings.(*bench.Sample)
	if !is || settings.Rows == nil || len(settings.Rows.Outputs) == 0 {
		return nil
	}
	return settings.Rows
}

// rowsOfTable gives the designs of a table; what it does not name is nominal or held.
func (s *session) rowsOfTable(t *bench.PlanTable) func() (core.Design, error) {
	base := s.Problem.Part(s.Model.Design(nil))
	i := -1
	return func() (core.Design, error) {
		i++
		design := slices.Clone(base)
		for j, in := range s.Problem.Space {
			if k := slices.Index(t.Inputs, in.Name); k >= 0 {
				design[j] = t.Designs[i][k]
			}
		}
		return design, nil
	}
}
