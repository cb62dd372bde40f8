package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
)

func (a *App) tryCommand() *cobra.Command {
	var name, of, keep string
	var set []string
	var fresh, derivatives bool
	c := &cobra.Command{
		Use: "try [FILE]", Short: "Make one evaluation: all outputs and verdicts", Args: cobra.MaximumNArgs(1),
		Long: "Evaluates the nominal design, or that of an evaluation named by --of, with what --set changes of it. What is known already is\n" +
			"not asked again; --fresh asks the solver all the same.",
		Example: "  ropebench try zipline.bench.yaml --set springs=4\n  ropebench try --of 4:17 --set springs=4 --keep look-at-it",
		RunE: func(c *cobra.Command, args []string) error {
			if (len(args) == 0) == (of == "") {
				return wrongUse("give a bench file, or --of RUN:EVALUATION or the name of a candidate")
			}
			design, err := assignments("set", set)
			if err != nil {
				return err
			}
			o := api.Order{Study: "try", Design: design, Fresh: fresh}
			if o.Keep, err = folderToKeep(keep); err != nil {
				return err
			}
			show := func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
				return a.tried(ctx, s, b, run, derivatives)
			}
			if of == "" {
				err = a.ordered(c.Context(), args[0], name, "", o, show)
			} else {
				err = a.triedAgain(c.Context(), of, o, show)
			}
			a.sayKept(o.Keep)
			return err
		},
	}
	benchFlag(c, &name)
	c.Flags().StringVar(&of, "of", "", "take the design of an evaluation of a run, on the bench as it is now: RUN:EVALUATION, RUN for its best, or the name of a candidate")
	c.Flags().StringArrayVar(&set, "set", nil, "give an input another value: name=value; may be given more than once")
	keepFlag(c, &keep)
	c.Flags().BoolVar(&derivatives, "derivatives", false, "show the exact derivatives of every value, where the model or the solver knows them")
	c.Flags().BoolVar(&fresh, "fresh", false, "ask the solver for what is already known, too")
	return c
}

// keepFlag adds --keep to a command.
func keepFlag(c *cobra.Command, keep *string) {
	c.Flags().StringVar(keep, "keep", "", "an empty folder for the files that the solver leaves, to be read afterwards")
}

func folderToKeep(keep string) (string, error) {
	if keep == "" {
		return "", nil
	}
	return filepath.Abs(keep)
}

// sayKept says where files are that were to be kept.
func (a *App) sayKept(keep string) {
	if _, err := os.Stat(keep); keep != "" && err == nil {
		a.say("The files of the working folder are in %s", keep)
	}
}

// triedAgain evaluates the design of an evaluation of a run, on the bench as it is now.
func (a *App) triedAgain(ctx context.Context, of string, o api.Order, show func(context.Context, *session, api.Bench, api.Run) error) error {
	return a.withDesign(ctx, of, func(s *session, run api.Run, d design) error {
		o.Of = &d.Candidate
		b, err := s.Bench(ctx, run.Bench)
		if err != nil {
			return err
		}
		return a.startedAndShown(ctx, s, b, o, show)
	})
}

// readCandidate reads RUN:EVALUATION, or RUN for its best.
func readCandidate(text string) (c api.Candidate, err error) {
	run, evaluation, named := strings.Cut(text, ":")
	if c.Run, err = runNumber(run); err != nil || !named {
		return c, err
	}
	if c.Evaluation, err = strconv.Atoi(evaluation); err != nil || c.Evaluation < 1 {
		return c, wrongUse("an evaluation of a run is named as in 4:17, not by %q", text)
	}
	return c, nil
}

// A tried evaluation has its derivatives beside it where they were asked for.
type tried struct {
	api.EvaluationDetail
	Derivatives *api.Derivatives `json:"derivatives,omitempty"`
	// NoDerivatives is why there are none, where they were asked for.
	NoDerivatives string `json:"no_derivatives,omitempty"`
}

// tried shows the one evaluation of a run, with its derivatives if they are wanted, and fails where it is not good.
func (a *App) tried(ctx context.Context, s *session, b api.Bench, run api.Run, derivatives bool) error {
	if run.State == "broken" {
		return fmt.Errorf("run %d is broken: %s", run.ID, run.Reason)
	}
	e, err := a.showEvaluation(ctx, s, b, run, 1, derivatives)
	switch {
	case err != nil:
		return err
	case e.State == "not tried":
		return exitErrorOf{code: exitNothing, text: "the solver was not asked, since inputs alone miss " + strings.Join(e.Missed, ", ") + ": change the inputs, or the limit"}
	case e.State != "ok":
		return exitErrorOf{code: exitNothing, text: fmt.Sprintf("the evaluation %s: %s", endedAs(e.State), e.Reason)}
	case !e.Feasible:
		return exitErrorOf{code: exitMissed, said: true}
	}
	return nil
}

// showEvaluation shows an evaluation of a run, with its derivatives if they are wanted.
func (a *App) showEvaluation(ctx context.Context, s *session, b api.Bench, run api.Run, number int, derivatives bool) (e tried, err error) {
	if e.EvaluationDetail, err = s.Evaluation(ctx, run.ID, number); err != nil {
		return e, err
	}
	if derivatives && e.State == "ok" {
		d, err := s.Derivatives(ctx, run.ID, number)
		var unknown *api.Problem
		switch {
		case errors.As(err, &unknown) && unknown.Status == http.StatusConflict: // the values are there all the same
			e.NoDerivatives = unknown.Detail
		case err != nil:
			return e, err
		default:
			e.Derivatives = &d
		}
	}
	if a.json {
		return e, a.machine(e)
	}
	a.view(b).evaluation(run, e)
	return e, nil
}

func endedAs(state string) string {
	switch state {
	case "timed out":
		return "timed out"
	case "not tried":
		return "was not tried"
	}
	return "failed"
}

func (v view) evaluation(run api.Run, p tried) {
	v.line("%s  run %d, evaluation %d, revision %d: %s", v.bench.Title, run.ID, p.Number, run.Revision, v.evaluationState(p))
	if p.Reused {
		v.line("%s", v.slate("reused from an earlier run; --fresh asks the solver again"))
	}
	for _, step := range p.Steps {
		v.line("%s", v.slate(fmt.Sprintf("%s: %s", step.Name, plain.Seconds(step.Seconds))))
	}
	v.line("")
	v.outsideRanges(p)
	if p.State == "ok" {
		v.values(p.Named, nil)
		v.curves(p)
		v.requirements(p.Requirements, nil)
		if p.Derivatives != nil {
			v.derivatives(*p.Derivatives)
		}
		if p.NoDerivatives != "" {
			v.line("%s", v.ochre("No derivatives: "+p.NoDerivatives))
		}
		return
	}
	if p.Tail != "" {
		v.line("What the solver left:\n%s\n", indent(p.Tail))
	}
}

func (v view) evaluationState(p tried) string {
	switch {
	case p.State != "ok":
		return v.ochre(markFailed + " " + p.State)
	case len(v.bench.Requirements) == 0:
		return "evaluated; there is no requirement to meet yet"
	case p.Feasible:
		return v.teal(markFeasible+" every requirement is met") + v.wishesMissed(p.Requirements)
	}
	missed := 0
	for _, q := range v.bench.Requirements {
		if q.Decisive && p.Requirements[q.ID].Verdict == wasMissed {
			missed++
		}
	}
	return v.ochre(fmt.Sprintf("%s %s missed", markInfeasible, plain.Count(missed, "requirement")))
}

// outsideRanges warns of inputs that no study would try.
func (v view) outsideRanges(p tried) {
	for _, in := range v.bench.Inputs {
		if value := p.Inputs[in.Name].Number; in.Range != nil && (value < in.Range.Lower || value > in.Range.Upper) {
			v.line("%s", v.ochre(fmt.Sprintf("! %s is outside of its range, %s", in.Name, in.Says)))
		}
	}
}

// curves lists the curves of an evaluation by what is read off them first.
func (v view) curves(p tried) {
	if len(p.Curves) == 0 {
		return
	}
	t := v.newTable([]int{2, 3, 4}, "curve", "samples", "smallest", "largest", "")
	for _, o := range v.bench.Outputs {
		c, known := p.Curves[o.Name]
		if !known || len(c.Y) == 0 {
			continue
		}
		low, high := c.Y[0], c.Y[0]
		for _, y := range c.Y {
			low, high = min(low, y), max(high, y)
		}
		t.AppendRow(table.Row{o.Name, len(c.Y), plain.Show(low), plain.With(high, o.Unit), v.slate(o.Label)})
	}
	t.Render()
	v.line("")
}

func indent(text string) string {
	out := ""
	for line := range splitLines(text) {
		out += "  " + line + "\n"
	}
	return out[:len(out)-1]
}
