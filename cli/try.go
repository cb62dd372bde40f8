package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
)

func (a *App) tryCommand() *cobra.Command {
	var name string
	var set []string
	var keep string
	var fresh, derivatives bool
	c := &cobra.Command{
		Use: "try FILE", Short: "Make one evaluation: all outputs and verdicts", Args: cobra.ExactArgs(1),
		Long: "Evaluates the nominal design, or one that differs from it by --set. What is known already is not asked again;\n--fresh asks the solver all the same.",
		RunE: func(c *cobra.Command, args []string) error {
			design, err := assignments("set", set)
			if err != nil {
				return err
			}
			if keep != "" {
				if keep, err = filepath.Abs(keep); err != nil {
					return err
				}
			}
			err = a.ordered(c.Context(), args[0], name, api.Order{Study: "try", Design: design, Fresh: fresh, Keep: keep}, func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
				return a.tried(ctx, s, b, run, derivatives)
			})
			if _, statErr := os.Stat(keep); keep != "" && statErr == nil {
				a.say("The files of the working folder are in %s", keep)
			}
			return err
		},
	}
	benchFlag(c, &name)
	c.Flags().StringArrayVar(&set, "set", nil, "give an input another value than the nominal: name=value; may be given more than once")
	c.Flags().StringVar(&keep, "keep", "", "an empty folder for the files of the working folder, to be read afterwards")
	c.Flags().BoolVar(&derivatives, "derivatives", false, "show the exact derivatives of every value, where the model or the solver knows them")
	c.Flags().BoolVar(&fresh, "fresh", false, "ask the solver for what is already known, too")
	return c
}

// A tried evaluation has its derivatives beside it where they were asked for.
type tried struct {
	api.EvaluationDetail
	Derivatives *api.Derivatives `json:"derivatives,omitempty"`
	// NoDerivatives is why there are none, where they were asked for.
	NoDerivatives string `json:"no_derivatives,omitempty"`
}

// tried shows the one evaluation of a run, with its derivatives if they are wanted.
func (a *App) tried(ctx context.Context, s *session, b api.Bench, run api.Run, derivatives bool) error {
	if run.State == "broken" {
		return fmt.Errorf("run %d is broken: %s", run.ID, run.Reason)
	}
	p, err := s.Evaluation(ctx, run.ID, 1)
	if err != nil {
		return err
	}
	e := tried{EvaluationDetail: p}
	if derivatives && p.State == "ok" {
		d, err := s.Derivatives(ctx, run.ID, 1)
		var unknown *api.Problem
		switch {
		case errors.As(err, &unknown) && unknown.Status == http.StatusConflict: // the values are there all the same
			e.NoDerivatives = unknown.Detail
		case err != nil:
			return err
		default:
			e.Derivatives = &d
		}
	}
	if a.json {
		if err := a.machine(e); err != nil {
			return err
		}
	} else {
		a.view(b).evaluation(run, e)
	}
	if p.State != "ok" {
		return exitErrorOf{code: exitNothing, text: fmt.Sprintf("the evaluation %s: %s", endedAs(p.State), p.Reason)}
	}
	if !p.Feasible {
		return exitErrorOf{code: exitMissed, said: true}
	}
	return nil
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
	v.line("%s  revision %d: %s", v.bench.Title, run.Revision, v.evaluationState(p))
	if p.Reused {
		v.line("%s", v.slate("known from an earlier run; --fresh asks the solver again"))
	}
	for _, step := range p.Steps {
		v.line("%s", v.slate(fmt.Sprintf("%s: %s", step.Name, time.Duration(step.Seconds*1e9).Round(10*time.Microsecond))))
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
		if q.Decisive && p.Requirements[q.ID].Verdict == "missed" {
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
