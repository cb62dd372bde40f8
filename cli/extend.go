package cli

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
)

func (a *App) extendCommand() *cobra.Command {
	var points int
	c := &cobra.Command{
		Use: "extend RUN", Short: "Give a sample more points behind those that it has, and wait for them", Args: cobra.ExactArgs(1),
		Long:    "The points that are there stay as they are; those that are added go where the plan has room, so that all of them are spread evenly.",
		Example: "  ropebench extend 4 --points 60",
	}
	c.Flags().IntVar(&points, "points", 0, "how many more")
	var id int
	c.PreRunE = func(_ *cobra.Command, args []string) (err error) {
		if id, err = runNumber(args[0]); err == nil && points < 1 {
			err = wrongUse("--points says how many points are added, at least 1")
		}
		return err
	}
	return a.onService(c, func(ctx context.Context, s *session, _ []string) error {
		run, err := s.Extend(ctx, id, points)
		if err != nil {
			return err
		}
		b, err := s.BenchAt(ctx, run.Bench, run.Revision)
		if err != nil {
			return err
		}
		if run, err = a.follow(ctx, s, b, run); err != nil {
			return err
		}
		return a.finishedRun(ctx, s, b, run)
	})
}

func (a *App) leaveOutCommand() *cobra.Command {
	var of, because string
	var back bool
	c := &cobra.Command{
		Use: "leave-out RUN EVALUATION", Short: "Leave an evaluation out of the fit of a value, with a reason, or take it back in", Args: cobra.ExactArgs(2),
		Long:    "The evaluation itself stays. The reason stays with the study: the same design is left out of the fits of its other runs, too.",
		Example: "  ropebench leave-out 4 17 --of peak_g --because \"the trace was cut off\"\n  ropebench leave-out 4 17 --of peak_g --back",
	}
	c.Flags().StringVar(&of, "of", "", "the value")
	c.Flags().StringVar(&because, "because", "", "why it is not to be believed")
	c.Flags().BoolVar(&back, "back", false, "take it back in")
	var id, evaluation int
	c.PreRunE = func(_ *cobra.Command, args []string) (err error) {
		if id, err = runNumber(args[0]); err != nil {
			return err
		}
		evaluation, err = evaluationNumber(args[1])
		switch {
		case err != nil:
			return err
		case of == "":
			return wrongUse("--of names the value")
		case back == (because != ""):
			return wrongUse("give a reason by --because, or --back")
		}
		return nil
	}
	return a.onService(c, func(ctx context.Context, s *session, _ []string) error {
		if err := s.LeaveOut(ctx, id, api.LeavingOut{Value: of, Evaluation: evaluation, Reason: because}); err != nil {
			return err
		}
		if back {
			a.say("%s of evaluation %d takes part in fits again.", of, evaluation)
		} else {
			a.say("%s of evaluation %d is left out of fits: %s", of, evaluation, because)
		}
		return nil
	})
}

func (a *App) predictCommand() *cobra.Command {
	var set, of []string
	c := &cobra.Command{
		Use: "predict RUN", Short: "Say what the surrogates of a run predict for a design, without a solver call", Args: cobra.ExactArgs(1),
		Long:    "A prediction is not an evaluation: `ropebench try --of` and `ropebench verify` ask the solver.",
		Example: "  ropebench predict 4 --set springs=4\n  ropebench predict 4 --set springs=4 --of peak_g,cost",
	}
	c.Flags().StringArrayVar(&set, "set", nil, "an input that is not nominal: name=value; may be given more than once")
	c.Flags().StringSliceVar(&of, "of", nil, "only these values: name,name")
	var id int
	var design map[string]bench.Value
	c.PreRunE = func(_ *cobra.Command, args []string) (err error) {
		if id, err = runNumber(args[0]); err == nil {
			design, err = assignments("set", set)
		}
		return err
	}
	return a.onService(c, func(ctx context.Context, s *session, _ []string) error {
		run, err := s.Run(ctx, id)
		if err != nil {
			return err
		}
		b, err := s.BenchAt(ctx, run.Bench, run.Revision)
		if err != nil {
			return err
		}
		if of, err = a.predictable(ctx, s, id, of); err != nil {
			return err
		}
		predicted, err := s.Predict(ctx, id, api.PredictionOrder{Designs: []map[string]bench.Value{design}, Of: of})
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(predicted)
		}
		a.view(b).predictions(of, predicted)
		return nil
	})
}

// predictable are the values that have a surrogate, where none are named.
func (a *App) predictable(ctx context.Context, s *session, id int, of []string) ([]string, error) {
	if len(of) > 0 {
		return of, nil
	}
	found, err := s.Exploration(ctx, id, nil)
	if err != nil {
		return nil, err
	}
	for _, value := range found.Values {
		if value.Sensitivity.Q2 != nil {
			of = append(of, value.Name)
		}
	}
	if len(of) == 0 {
		return nil, fmt.Errorf("run %d has no surrogates: it needs more usable evaluations", id)
	}
	return of, nil
}

func (v view) predictions(of []string, predicted api.Predictions) {
	t := v.newTable([]int{2, 3}, "value", "predicted", "give or take")
	for _, name := range of {
		p := predicted.Values[name][0]
		t.AppendRow(table.Row{name, plain.With(p.Mean, v.unit(name)), plain.Show(2 * p.Deviation)})
	}
	t.Render()
	v.line("")
	v.line("Predicted by surrogates, not computed. Ask the solver by `ropebench try`.")
}

// A figureOrder says what a figure shows.
type figureOrder struct {
	kind, x, y, colour, out string
	of, at                  []string
}

func (a *App) plotCommand() *cobra.Command {
	var o figureOrder
	c := &cobra.Command{
		Use: "plot RUN", Short: "Draw a figure of a run into a file", Args: cobra.ExactArgs(1),
		Long: "Kinds: histogram and ranking of one value; scatter of --x and --y; matrix of some values and inputs against each other; surface of one\n" +
			"value over --x and --y; validation, predicted against computed; parallel coordinates; overview, which input matters for what; curves of all designs; cells of\n" +
			"a sweep over --x, or over --x and --y, at --at of the others: the objective, or an input --of the best designs.",
		Example: "  ropebench plot 4 --kind histogram --of peak_g --out peak_g.svg\n  ropebench plot 4 --kind scatter --x cost --y peak_g --colour rider_mass --out trade.png\n  ropebench plot 4 --kind surface --of peak_g --x spring_rate --y springs --out surface.svg\n  ropebench plot 8 --kind cells --x rider_mass --y springs --out map.svg",
	}
	c.Flags().StringVar(&o.kind, "kind", "", "what is drawn")
	c.Flags().StringSliceVar(&o.of, "of", nil, "the value, or values: name,name")
	c.Flags().StringVar(&o.x, "x", "", "an input or a value, to the right")
	c.Flags().StringVar(&o.y, "y", "", "an input or a value, upwards")
	c.Flags().StringVar(&o.colour, "colour", "", "an input or a value that gives the marks their colour")
	c.Flags().StringSliceVar(&o.at, "at", nil, "where the cells of a sweep are cut: name=value,name=value")
	c.Flags().StringVar(&o.out, "out", "", "the file: its name ends in .svg, .png or .csv")
	var id int
	var format string
	c.PreRunE = func(_ *cobra.Command, args []string) (err error) {
		if id, err = runNumber(args[0]); err != nil {
			return err
		}
		format = strings.TrimPrefix(filepath.Ext(o.out), ".")
		if format != "svg" && format != "png" && format != "csv" {
			return wrongUse("--out names a file that ends in .svg, .png or .csv, and not %q", o.out)
		}
		if o.kind == "" {
			return wrongUse("--kind says what is drawn: see `ropebench plot --help`")
		}
		return nil
	}
	return a.onService(c, func(ctx context.Context, s *session, _ []string) error {
		var text strings.Builder
		query := url.Values{"kind": {o.kind}, "of": {strings.Join(o.of, ",")}, "x": {o.x}, "y": {o.y}, "colour": {o.colour}, "at": {strings.Join(o.at, ",")}, "format": {format}}
		if err := s.Figure(ctx, id, query, &text); err != nil {
			return err
		}
		if err := os.WriteFile(o.out, []byte(text.String()), 0o644); err != nil {
			return fmt.Errorf("%s cannot be written: %w", o.out, err)
		}
		a.say("%s", o.out)
		return nil
	})
}
