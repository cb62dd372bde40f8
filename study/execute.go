package study

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/core/plan"
)

// defaultEvaluations is the budget of an optimization that names none, defaultPoints the size of a sample, for each
// varied input.
const (
	defaultEvaluations = 200
	defaultPoints      = 10
)

// Ask compiles a question on a bench: the study with what overrides it, and the model that it runs on. The error says
// what the question asks that cannot be done.
func Ask(b *bench.Bench, q Question) (bench.Study, *Model, error) {
	s := bench.Study{Name: q.Study, Kind: q.Kind, Seed: q.Seed}
	if q.Kind != KindTry && q.Kind != KindVerify {
		found, ok := b.Study(q.Study)
		if !ok {
			return s, nil, fmt.Errorf("the bench has no study %s; it has %s", q.Study, studyNames(b))
		}
		if found.Later != "" {
			return s, nil, fmt.Errorf("study %s: %s", q.Study, found.Later)
		}
		s = found
		s.Seed = q.Seed
	}
	hold := map[string]bench.Value{}
	for _, values := range []map[string]bench.Value{s.Hold, q.Hold} {
		maps.Copy(hold, values)
	}
	for _, values := range []map[string]bench.Value{hold, s.Start, q.Start, q.Design} {
		if err := known(b, values); err != nil {
			return s, nil, err
		}
	}
	if len(q.Free) > 0 {
		var err error
		if b, err = free(b, &s, hold, q.Free); err != nil {
			return s, nil, err
		}
	}
	if q.Evaluations > 0 {
		s.Budget.Evaluations = q.Evaluations
		if s.Kind == "sample" {
			s.Points = q.Evaluations
		}
	}
	m, err := NewModel(b, s, hold)
	if err != nil {
		return s, nil, err
	}
	setDefaults(&s, m)
	return s, m, m.check(s)
}

func setDefaults(s *bench.Study, m *Model) {
	switch {
	case s.Kind == "sample" && s.Points == 0:
		s.Points = defaultPoints * max(1, len(m.Inputs))
	case s.Kind == "optimize" && s.Budget.Evaluations == 0:
		s.Budget.Evaluations = defaultEvaluations
	}
}

// check refuses what would only fail later.
func (m *Model) check(s bench.Study) error {
	if (s.Kind == "sample" || s.Kind == "optimize") && len(m.Inputs) == 0 {
		return fmt.Errorf("study %s varies nothing: give an input a range, values or a catalog, or hold fewer", s.Name)
	}
	if s.Kind == "sample" && s.Plan == "sobol" && len(m.Inputs) > plan.MaxSobolInputs {
		return fmt.Errorf("a Sobol' sequence is available for at most %d inputs, and %d are varied: use a Latin hypercube", plan.MaxSobolInputs, len(m.Inputs))
	}
	return nil
}

// known refuses values of what is no input, and those that an input cannot have.
func known(b *bench.Bench, values map[string]bench.Value) error {
	for _, name := range slices.Sorted(maps.Keys(values)) {
		in, isInput := b.Input(name)
		if !isInput {
			return unknownInput(b, name)
		}
		if _, err := in.NumberOf(values[name]); err != nil {
			return err
		}
	}
	return nil
}

func unknownInput(b *bench.Bench, name string) error {
	return fmt.Errorf("%s is no input of this bench%s", name, formula.Suggest(name, b.InputNames()))
}

func studyNames(b *bench.Bench) string {
	if len(b.Studies) == 0 {
		return "none: add one under `studies:`"
	}
	names := ""
	for i, s := range b.Studies {
		if i > 0 {
			names += ", "
		}
		names += s.Name
	}
	return names
}

// evaluations is how many evaluations a question takes at most.
func evaluations(s bench.Study, q Question) int {
	switch s.Kind {
	case KindTry:
		return 1
	case KindVerify:
		return 1 + max(1, q.Repeats)
	case "sample":
		if s.Budget.Evaluations > 0 {
			return min(s.Points, s.Budget.Evaluations)
		}
		return s.Points
	}
	return s.Budget.Evaluations
}

// execute asks the evaluator what the question needs, and returns why it ended, in words.
func execute(ctx context.Context, s bench.Study, q Question, m *Model, e core.Evaluator, watch optimize.Observer) (reason string, err error) {
	switch s.Kind {
	case KindTry:
		_, err = e.Evaluate(ctx, []core.Design{m.Design(q.Design)})
		return "one design was evaluated", err
	case KindVerify:
		return verify(ctx, q, m, e)
	case "sample":
		return sample(ctx, s, m, e)
	case "optimize":
		return search(ctx, s, q, m, e, watch)
	}
	return "", fmt.Errorf("a study of kind %s cannot be run", s.Kind)
}

// verify evaluates the nominal design, for comparison, and then the candidate afresh as often as asked. The
// dispatcher of a verification evaluates again what is asked again, and takes from earlier runs the nominal only.
func verify(ctx context.Context, q Question, m *Model, e core.Evaluator) (string, error) {
	designs := []core.Design{m.Design(nil)}
	for range max(1, q.Repeats) {
		designs = append(designs, m.Design(q.Design))
	}
	_, err := e.Evaluate(ctx, designs)
	return fmt.Sprintf("the candidate was evaluated afresh %s", times(max(1, q.Repeats))), err
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

func sample(ctx context.Context, s bench.Study, m *Model, e core.Evaluator) (string, error) {
	n, d, r := evaluations(s, Question{}), len(m.Space), plan.NewRand(s.Seed)
	var points [][]float64
	var err error
	switch s.Plan {
	case "sobol":
		points, err = plan.Sobol(r, n, d)
	case "random":
		points = plan.Random(r, n, d)
	default:
		points = plan.LatinHypercube(r, n, d)
	}
	if err != nil {
		return "", err
	}
	designs := make([]core.Design, n)
	for i, point := range points {
		designs[i] = m.Space.Design(point)
	}
	outcomes, err := e.Evaluate(ctx, designs)
	if err != nil {
		return "", err
	}
	distinct := 0
	for _, outcome := range outcomes {
		if !outcome.Repeated {
			distinct++
		}
	}
	if distinct < n {
		return fmt.Sprintf("all %d points of the plan are answered; %d of them are different designs", n, distinct), nil
	}
	return fmt.Sprintf("all %d points of the plan are answered", n), nil
}

func search(ctx context.Context, s bench.Study, q Question, m *Model, e core.Evaluator, watch optimize.Observer) (string, error) {
	start := s.Start
	if q.Start != nil {
		start = q.Start
	}
	options := optimize.Options{Seed: s.Seed, Budget: s.Budget.Evaluations, Start: m.Space.Point(m.Design(start)),
		Tolerance: s.Tolerance, Plateau: s.Plateau}
	if options.Budget <= 0 {
		options.Budget = math.MaxInt
	}
	result, err := optimize.Methods[s.Methods[0]](ctx, m.Problem(), e, options, watch)
	return result.Reason, err
}
