package cli

import (
	"fmt"
	"io"
	"strings"
	"time"

	pretty "github.com/jedib0t/go-pretty/v6/progress"
	"github.com/jedib0t/go-pretty/v6/text"

	"ropebench/api"
	"ropebench/bench/plain"
)

// A progress is the live line of a run on a terminal; on a pipe it is quiet.
type progress struct {
	out     io.Writer
	writer  pretty.Writer // nil on a pipe
	tracker *pretty.Tracker
	drawn   chan struct{} // closed when nothing is drawn any more
	view    view
	began   time.Time
	from    api.Run // as it was when it began
}

func (a *App) progress(b api.Bench, run api.Run) *progress {
	p := &progress{out: a.Err, view: a.view(b), began: time.Now(), from: run, drawn: make(chan struct{})}
	if !isTerminal(a.Err) {
		return p
	}
	p.writer = pretty.NewWriter()
	p.writer.SetOutputWriter(a.Err)
	p.writer.SetUpdateFrequency(100 * time.Millisecond)
	p.writer.SetTerminalWidth(widthOf(a.Err))
	p.writer.SetTrackerLength(24)
	p.writer.SetTrackerPosition(pretty.PositionLeft)
	style := pretty.StyleDefault
	style.Chars = pretty.StyleChars{BoxLeft: "", BoxRight: "", Finished: "≈", Finished25: "∘", Finished50: "∘", Finished75: "∘", Unfinished: "·"}
	style.Visibility = pretty.StyleVisibility{Tracker: true}
	style.Options.Separator = " "
	p.writer.SetStyle(style)
	p.tracker = &pretty.Tracker{Total: int64(max(1, run.Budget))}
	p.writer.AppendTracker(p.tracker)
	go func() {
		defer close(p.drawn)
		p.writer.Render()
	}()
	p.show(run)
	return p
}

func (p *progress) show(run api.Run) {
	if p.writer == nil {
		return
	}
	p.tracker.UpdateMessage(run.Question.Study + " " + p.line(run))
	p.tracker.SetValue(int64(min(run.Evaluations, max(0, run.Budget-1)))) // a tracker that is done would stay
}

// line says done and total, best so far, worst violation, failures and the time left.
func (p *progress) line(run api.Run) string {
	parts := []string{done(run)}
	switch best := run.Headline; {
	case best == nil:
	case best.Feasible && best.Objective != nil:
		objective := p.view.objective(run)
		parts = append(parts, fmt.Sprintf("%s best %s %s", markFeasible, objective, plain.With(*best.Objective, p.view.unit(objective))))
	case !best.Feasible:
		parts = append(parts, markInfeasible+" misses "+best.Misses)
	}
	if best := run.Headline; best != nil && best.Paid > 0 {
		parts = append(parts, plain.With(best.Paid, p.view.unit(p.view.objective(run)))+" paid beside it")
	}
	if run.Failed > 0 {
		parts = append(parts, fmt.Sprintf("%d failed", run.Failed))
	}
	if run.NotTried > 0 {
		parts = append(parts, fmt.Sprintf("%d not tried", run.NotTried))
	}
	if run.Coarse > 0 {
		parts = append(parts, fmt.Sprintf("%s coarse ones", plain.Whole(run.Coarse)))
	}
	if run.Trying != "" {
		parts = append(parts, run.Trying)
	}
	if left := p.left(run); left > 0 {
		parts = append(parts, fmt.Sprintf("about %s left", left))
	}
	return strings.Join(parts, ", ")
}

// done says how many evaluations are made, of how many.
func done(run api.Run) string {
	if run.Budget == 0 {
		return plain.Count(run.Evaluations, "evaluation")
	}
	return fmt.Sprintf("%s of %s", plain.Whole(run.Evaluations), plain.Whole(run.Budget))
}

// asked is how many evaluations the solver was asked for: neither those that inputs alone decided nor those that were known.
func asked(run api.Run) int { return run.Evaluations - run.NotTried - run.Reused }

// left estimates the time to the end of the budget from the pace since this command began, as if the solver were asked for all that
// is left.
func (p *progress) left(run api.Run) time.Duration {
	done := asked(run) - asked(p.from)
	if done < 2 || run.Budget <= run.Evaluations {
		return 0
	}
	left := time.Duration(float64(time.Since(p.began)) / float64(done) * float64(run.Budget-run.Evaluations))
	if left < 10*time.Second {
		return left.Round(100 * time.Millisecond)
	}
	return left.Round(time.Second)
}

// end removes the live line.
func (p *progress) end() {
	if p.writer == nil {
		return
	}
	p.writer.Stop()
	<-p.drawn
	fmt.Fprint(p.out, text.CursorUp.Sprint(), text.EraseLine.Sprint())
}
