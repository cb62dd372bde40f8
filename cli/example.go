package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ropebench/api"
	"ropebench/bench/plain"
)

// example goes through the demo in the terminal: look at the design of today, sample, optimize, verify, sum up.
func (a *App) example(ctx context.Context, s *session, file string) error {
	b, err := s.PutBench(ctx, "zipline", file)
	if err != nil {
		return err
	}
	a.say("%s\n", b.Title)
	a.say("%s", b.Statement)
	a.chapter("1  The design of today")
	nominal, err := a.step(ctx, s, b, api.Order{Study: "try"})
	if err != nil {
		return err
	}
	if err := a.tried(ctx, s, b, nominal, false); err != nil && !isMissed(err) {
		return err
	}
	a.chapter("2  A look around: 40 points")
	look, err := a.step(ctx, s, b, api.Order{Study: "look"})
	if err != nil {
		return err
	}
	a.say("%s\n", counts(look))
	if err := a.whatMatters(ctx, s, b, look); err != nil {
		return err
	}
	a.chapter("3  The cheapest brake that meets every requirement")
	best, err := a.step(ctx, s, b, api.Order{Study: "best"})
	if err != nil {
		return err
	}
	if err := a.finishedRun(ctx, s, b, best); err != nil {
		return err
	}
	a.say("")
	a.chapter("4  Picked, and verified with the real solver")
	picked, err := s.Pick(ctx, b.Name, api.Pick{Candidate: api.Candidate{Run: best.ID}, Name: "cheapest", Because: "the cheapest brake that meets every requirement"})
	if err != nil {
		return err
	}
	a.say("%s is evaluation %d of run %d: %s.\n", picked.Name, picked.Evaluation, picked.Run, picked.Because)
	if err := a.verify(ctx, s, best, api.Order{Study: "verify", Of: &picked.Candidate, Repeats: 1}); err != nil {
		return err
	}
	a.say("")
	a.chapter("5  Under riders of every weight")
	riders, err := a.step(ctx, s, b, api.Order{Study: "riders", Of: &picked.Candidate})
	if err != nil {
		return err
	}
	scattered, err := a.found(ctx, s, riders)
	if err != nil {
		return err
	}
	if scattered.Scatter != nil {
		a.say("%s.\n", upperFirst(scattered.Scatter.Says))
	}
	a.chapter("6  In short")
	if err := a.summary(ctx, s, b); err != nil {
		return err
	}
	a.say("")
	return a.exampleReport(ctx, s, picked)
}

// exampleReport writes the report of the demo where it stays.
func (a *App) exampleReport(ctx context.Context, s *session, picked api.NamedCandidate) error {
	folder, err := os.MkdirTemp("", "ropebench-report-")
	if err != nil {
		return fmt.Errorf("the report has no place to stay: %w", err)
	}
	return a.report(ctx, s, design{Candidate: picked.Candidate, Bench: picked.Bench, Name: picked.Name}, "html", filepath.Join(folder, picked.Bench+"-"+picked.Name+".html"), "")
}

// upperFirst begins a sentence.
func upperFirst(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

// toldOf are the values of which the demo says what moves them.
var toldOf = []string{"peak_g", "rollback", "cost"}

// whatMatters says in a line for each of some values what moves it.
func (a *App) whatMatters(ctx context.Context, s *session, b api.Bench, look api.Run) error {
	found, err := s.Exploration(ctx, look.ID, toldOf)
	if err != nil {
		return err
	}
	v := a.view(b)
	for _, value := range found.Values {
		v.line("%-9s %s (%s)", value.Name, value.Sensitivity.Says, "Q² "+v.q2(value.Sensitivity))
	}
	v.line("")
	return nil
}

func (a *App) chapter(title string) {
	v := a.view(api.Bench{})
	v.line("%s\n", v.paint("── "+title+" ──", "1"))
}

func (a *App) step(ctx context.Context, s *session, b api.Bench, o api.Order) (api.Run, error) {
	run, err := s.Start(ctx, b.Name, o)
	if err != nil {
		return run, err
	}
	return a.follow(ctx, s, b, run)
}

func isMissed(err error) bool {
	var exit exitErrorOf
	return errors.As(err, &exit) && exit.code == exitMissed
}

// summary says before, after and margins of the newest verification.
func (a *App) summary(ctx context.Context, s *session, b api.Bench) error {
	runs, err := s.Runs(ctx, b.Name, 100)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(runs, func(r api.Run) bool { return r.Question.Kind == "verify" })
	if at < 0 {
		return fmt.Errorf("nothing was verified: there is nothing to sum up")
	}
	verified, err := a.found(ctx, s, runs[at])
	if err != nil {
		return err
	}
	if verified.Best == nil || verified.Nominal == nil {
		return fmt.Errorf("the verification (run %d) has no values to compare", verified.ID)
	}
	v := a.view(b)
	before, after := verified.Nominal.Values["cost"], verified.Best.Values["cost"]
	missed, decisive := 0, 0
	for _, q := range b.Requirements {
		if !q.Decisive {
			continue
		}
		decisive++
		if verified.Nominal.Requirements[q.ID].Verdict == wasMissed {
			missed++
		}
	}
	v.line("Before: %s, %d of %d requirements missed.", plain.With(before, v.unit("cost")), missed, decisive)
	v.line("After:  %s, %s.", plain.With(after, v.unit("cost")), v.feasibility(verified.Best))
	for _, q := range b.Requirements {
		j := verified.Best.Requirements[q.ID]
		v.line("  %-4s %s, margin %s", q.ID, shown(j.Value, q.Unit)+" ("+q.Limit+")", shown(j.Margin, q.Unit))
	}
	return nil
}
