package cli

import (
	"context"
	"fmt"
	"strings"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/result"

	"github.com/spf13/cobra"
)

func (a *App) runCommand() *cobra.Command {
	var name string
	var seed uint64
	var evaluations int
	var hold, free, start []string
	var fresh, detach bool
	var slots int
	c := &cobra.Command{
		Use: "run FILE STUDY", Short: "Run a study of a bench and wait for its result", Args: cobra.ExactArgs(2),
		Example: "  ropebench run zipline.bench.yaml best\n  ropebench run zipline.bench.yaml best --seed 2 --hold springs=3\n  ropebench run zipline.bench.yaml best --free rider_mass=80:110 --evaluations 400",
		RunE: func(c *cobra.Command, args []string) error {
			held, err := assignments("hold", hold)
			if err != nil {
				return err
			}
			moving, err := freed(free)
			if err != nil {
				return err
			}
			from, begin, err := begins(start)
			if err != nil {
				return err
			}
			o := api.Order{Start: begin, Study: args[1], Evaluations: evaluations, Hold: held, Free: moving, Fresh: fresh, Slots: slots}
			if c.Flags().Changed("seed") {
				o.Seed = &seed
			}
			if evaluations < 0 || c.Flags().Changed("evaluations") && evaluations == 0 {
				return wrongUse("--evaluations must be above 0")
			}
			if slots < 0 || c.Flags().Changed("slots") && slots == 0 {
				return wrongUse("--slots must be above 0")
			}
			if detach {
				return a.detached(c.Context(), args[0], name, from, o)
			}
			return a.ordered(c.Context(), args[0], name, from, o, a.finishedRun)
		},
	}
	benchFlag(c, &name)
	c.Flags().Uint64Var(&seed, "seed", 1, "seed, instead of the study's")
	c.Flags().IntVar(&evaluations, "evaluations", 0, "budget of evaluations, instead of the study's")
	c.Flags().StringArrayVar(&free, "free", nil, "let an input move in this run that is held: name, or name=lower:upper; may be given more than once")
	c.Flags().StringArrayVar(&hold, "hold", nil, "hold an input for this run: name=value; may be given more than once")
	c.Flags().StringArrayVar(&start, "start", nil, "where a search starts, or what scatters: RUN for its best design, RUN:EVALUATION, a candidate, or name=value; may be given more than once")
	c.Flags().BoolVar(&detach, "detach", false, "do not wait: leave the run to the service, which must be one that stays")
	c.Flags().IntVar(&slots, "slots", 0, "at most so many solvers at a time in this run; by default all slots of the service")
	c.Flags().BoolVar(&fresh, "fresh", false, "ask the solver for what is already known, too")
	return c
}

// begins reads where a search starts: the name of a design, "" for none, and values above it.
func begins(start []string) (from string, begin map[string]bench.Value, err error) {
	var values []string
	for _, text := range start {
		if strings.Contains(text, "=") {
			values = append(values, text)
			continue
		}
		if _, err := readCandidate(text); err != nil && !namesACandidate(text) {
			return "", nil, err
		}
		from = text
	}
	begin, err = assignments("start", values)
	return from, begin, err
}

// registered connects to the service and has it read a bench file.
func (a *App) registered(ctx context.Context, file, name string) (*session, api.Bench, error) {
	name, path, err := benchName(file, name)
	if err != nil {
		return nil, api.Bench{}, err
	}
	s, err := a.connect(ctx)
	if err != nil {
		return nil, api.Bench{}, err
	}
	b, err := s.PutBench(ctx, name, path)
	if err != nil {
		s.close()
	}
	return s, b, err
}

// detached starts a run and leaves it to the service.
func (a *App) detached(ctx context.Context, file, name, from string, o api.Order) error {
	s, b, err := a.registered(ctx, file, name)
	if err != nil {
		return err
	}
	defer s.close()
	if s.companion {
		return fmt.Errorf("no service stays that could lead the run: start one with `ropebench serve`, or leave --detach out")
	}
	if o.Of, err = a.beginning(ctx, s, from); err != nil {
		return err
	}
	run, err := s.Start(ctx, b.Name, o)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(run)
	}
	a.say("Run %d has begun. Follow it with `ropebench follow %d`, end it with `ropebench stop %d`.", run.ID, run.ID, run.ID)
	return nil
}

// beginning finds the design from which an order begins; nil where none is named.
func (a *App) beginning(ctx context.Context, s *session, from string) (*api.Candidate, error) {
	if from == "" {
		return nil, nil
	}
	d, err := a.designOf(ctx, s, from)
	return &d.Candidate, err
}

// ordered has the service read a bench file, starts a run on it, follows it to its end and shows it.
func (a *App) ordered(ctx context.Context, file, name, from string, o api.Order, show func(context.Context, *session, api.Bench, api.Run) error) error {
	s, b, err := a.registered(ctx, file, name)
	if err != nil {
		return err
	}
	defer s.close()
	if o.Of, err = a.beginning(ctx, s, from); err != nil {
		return err
	}
	return a.startedAndShown(ctx, s, b, o, show)
}

// startedAndShown starts a run, follows it to its end and shows it.
func (a *App) startedAndShown(ctx context.Context, s *session, b api.Bench, o api.Order, show func(context.Context, *session, api.Bench, api.Run) error) error {
	run, err := s.Start(ctx, b.Name, o)
	if err != nil {
		return err
	}
	if run, err = a.follow(ctx, s, b, run); err != nil {
		return err
	}
	return show(ctx, s, b, run)
}

// follow shows the progress of a run until it has ended.
func (a *App) follow(ctx context.Context, s *session, b api.Bench, run api.Run) (api.Run, error) {
	p := a.progress(b, run)
	for run.AtWork() {
		changed, err := s.events.Next()
		if ctx.Err() != nil {
			p.end()
			return run, a.interrupted(s, run)
		}
		if err != nil {
			p.end()
			return run, fmt.Errorf("the service ended while run %d was at work: %w; what is finished is kept, go on with `ropebench resume %d`", run.ID, err, run.ID)
		}
		if changed == nil { // something was missed
			fresh, err := s.Run(ctx, run.ID)
			if err != nil {
				p.end()
				return run, err
			}
			changed = &fresh
		}
		if changed.ID == run.ID {
			run = *changed
			p.show(run)
		}
	}
	p.end()
	return s.Run(ctx, run.ID)
}

// interrupted says what becomes of a run whose command was ended.
func (a *App) interrupted(s *session, run api.Run) error {
	if s.companion {
		a.say("Run %d is paused, unless another command is at work with this service. Go on with `ropebench resume %d`.", run.ID, run.ID)
	} else {
		a.say("Run %d goes on in the service. Look at it with `ropebench follow %d`, end it with `ropebench stop %d`.", run.ID, run.ID, run.ID)
	}
	return exitErrorOf{code: exitError, said: true}
}

// result prints the result of a run: as JSON, or for people by show.
func (a *App) result(ctx context.Context, s *session, run api.Run, show func(found)) (found, error) {
	answer, err := s.Result(ctx, run.ID)
	r := found{run, answer.Parts}
	switch {
	case err != nil:
		return r, err
	case a.json:
		return r, a.machine(answer)
	}
	show(r)
	return r, nil
}

// finishedRun shows the result of a study, and fails where it is not good.
func (a *App) finishedRun(ctx context.Context, s *session, b api.Bench, run api.Run) error {
	r, err := a.result(ctx, s, run, func(r found) {
		a.view(b).run(r)
		a.view(b).sensitivities(r.Parts)
		a.view(b).scatter(r)
		a.view(b).robust(r)
		a.view(b).rare(r)
		a.view(b).worst(r)
		if r.Sample != nil && run.Usable > 0 {
			a.say("See its evaluations with `ropebench table %d`, and what they tell with `ropebench explore %s`.", run.ID, run.Bench)
		}
	})
	if err != nil {
		return err
	}
	return a.judge(r)
}

// unreached are the targets that the best design does not reach.
func unreached(all []result.Reached) (names []string) {
	for _, one := range all {
		if !one.Reached {
			names = append(names, one.Of)
		}
	}
	return names
}

// judge turns the end of a run into an exit code.
func (a *App) judge(run found) error {
	switch {
	case run.State == "broken":
		return fmt.Errorf("run %d is broken: %s", run.ID, run.Reason)
	case run.Usable == 0 && run.Evaluations > 0:
		why := run.LastFailure
		if why == "" {
			why = "requirements on inputs alone are missed everywhere"
		}
		return exitErrorOf{code: exitNothing, text: fmt.Sprintf("no evaluation of run %d gave values: %s", run.ID, why)}
	case run.Scatter != nil && len(run.Scatter.Missed) > 0:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d shows: %s less probably met than is asked; look for a design with more room, or ask for less", run.ID, strings.Join(run.Scatter.Missed, ", "))}
	case run.Robust != nil && len(run.Robust.Missed) > 0:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("the best design of run %d misses %s under scatter; give it wider ranges or a smaller scatter, or ask for less", run.ID, strings.Join(run.Robust.Missed, ", "))}
	case len(improbable(run.Parts)) > 0:
		missed := strings.Join(improbable(run.Parts), ", ")
		if len(run.Worst) > 0 {
			return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d shows: %s missed within the tolerances; make these smaller, or look for a design with more room", run.ID, missed)}
		}
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d shows: %s less probably met than is asked; look for a design with more room, or ask for less", run.ID, missed)}
	case len(unshown(run.Parts)) > 0:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d does not show the required probability of %s; ask for more points", run.ID, strings.Join(unshown(run.Parts), ", "))}
	case run.Search != nil && run.Search.Ended != "" && run.Robust == nil && !run.Search.Misses:
		return nil // the study asks for no more
	case run.Search != nil && run.Search.Ended == "" && run.Question.Kind == "seek":
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d was ended before it reached its targets: give it more time or evaluations", run.ID)}
	case run.Search != nil && run.Search.Misses && len(unreached(run.Reached)) > 0:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("run %d did not reach %s", run.ID, strings.Join(unreached(run.Reached), ", "))}
	case run.Best != nil && !run.Best.Feasible:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("the best design of run %d does not meet every requirement", run.ID)}
	case run.Search != nil && run.Search.Misses:
		return exitErrorOf{code: exitMissed, text: fmt.Sprintf("the best design of run %d does not meet what the study asks for", run.ID)}
	}
	return nil
}

func (a *App) followCommand() *cobra.Command {
	return a.onRun("follow RUN", "Follow a run until it ends", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		run, err := a.follow(ctx, s, b, run)
		if err != nil {
			return err
		}
		return a.finishedRun(ctx, s, b, run)
	})
}

func (a *App) resumeCommand() *cobra.Command {
	return a.onRun("resume RUN", "Let a paused or stopped run go on, and follow it", func(ctx context.Context, s *session, b api.Bench, paused api.Run) error {
		run, err := s.Resume(ctx, paused.ID)
		if err != nil {
			return err
		}
		if paused.Newest != paused.Revision {
			a.say("Run %d goes on with revision %d of the bench, which is at revision %d now: `ropebench run %s %s --start %d` would take the changes.", run.ID, run.Revision, paused.Newest, b.File, run.Question.Study, run.ID)
		}
		if run, err = a.follow(ctx, s, b, run); err != nil {
			return err
		}
		return a.finishedRun(ctx, s, b, run)
	})
}

func (a *App) stopCommand() *cobra.Command {
	return a.onRun("stop RUN", "End a run with the best found so far", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		return a.halted(ctx, s, b, run, s.Stop)
	})
}

func (a *App) pauseCommand() *cobra.Command {
	return a.onRun("pause RUN", "End a run for now", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		return a.halted(ctx, s, b, run, s.Pause)
	})
}

func (a *App) halted(ctx context.Context, s *session, b api.Bench, run api.Run, halt func(context.Context, int) (api.Run, error)) error {
	if _, err := halt(ctx, run.ID); err != nil {
		return err
	}
	run, err := s.Run(ctx, run.ID)
	if err != nil {
		return err
	}
	_, err = a.result(ctx, s, run, a.view(b).run)
	if run.State == "paused" && !a.json {
		a.say("`ropebench resume %d` goes on with it as it is. After a change of a value or a range, start from its best design: `ropebench run %s %s --start %d`.", run.ID, b.File, run.Question.Study, run.ID)
	}
	return err
}

func (a *App) showCommand() *cobra.Command {
	evaluation, curve := 0, ""
	c := a.onRun("show RUN", "Show a run: its state, its best design, what changed in the bench since; or one of its evaluations", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		if evaluation < 0 {
			return wrongUse("--evaluation must be above 0")
		}
		switch {
		case curve != "" && evaluation == 0:
			return wrongUse("--curve is that of an evaluation: name it with --evaluation")
		case curve != "" && a.json:
			return wrongUse("--curve gives CSV: leave --json out; the curves, thinned for drawing, are in show --evaluation --json")
		case curve != "":
			return s.Curve(ctx, run.ID, evaluation, curve, a.Out)
		}
		if evaluation > 0 {
			e, err := a.showEvaluation(ctx, s, b, run, evaluation, false)
			if err == nil && e.Reason != "" && !a.json {
				a.say("It %s: %s", endedAs(e.State), e.Reason)
			}
			return err
		}
		_, err := a.result(ctx, s, run, a.view(b).run)
		return err
	})
	c.Example = "  ropebench show 4\n  ropebench show 4 --evaluation 17\n  ropebench show 4 --evaluation 17 --curve decel > decel.csv"
	c.Flags().StringVar(&curve, "curve", "", "a curve of that evaluation, with all its samples as CSV")
	c.Flags().IntVar(&evaluation, "evaluation", 0, "show this evaluation of it: values, verdicts, times of the steps, and why it failed if it did")
	return c
}

// onRun makes a command about one run that exists.
func (a *App) onRun(use, short string, act func(ctx context.Context, s *session, b api.Bench, run api.Run) error) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runNumber(args[0])
			if err != nil {
				return err
			}
			ctx := c.Context()
			return a.withRun(ctx, id, func(s *session, run api.Run) error {
				b, err := s.BenchAt(ctx, run.Bench, run.Revision) // an answer belongs to its question
				if err != nil {
					return err
				}
				return act(ctx, s, b, run)
			})
		},
	}
}

// withDesign finds a design, see designOf, and does something with it and its run.
func (a *App) withDesign(ctx context.Context, text string, act func(s *session, run api.Run, d design) error) error {
	if _, err := readCandidate(text); err != nil && !namesACandidate(text) {
		return err // no service need be asked
	}
	s, err := a.connect(ctx)
	if err != nil {
		return err
	}
	defer s.close()
	d, err := a.designOf(ctx, s, text)
	if err != nil {
		return err
	}
	run, err := s.Run(ctx, d.Run)
	if err != nil {
		return err
	}
	return act(s, run, d)
}

// withRun asks the service for a run and does something with it.
func (a *App) withRun(ctx context.Context, id int, act func(s *session, run api.Run) error) error {
	s, err := a.connect(ctx)
	if err != nil {
		return err
	}
	defer s.close()
	run, err := s.Run(ctx, id)
	if err != nil {
		return err
	}
	return act(s, run)
}
