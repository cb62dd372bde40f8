package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"

	"ropebench/bench"
	"ropebench/client"
)

// A progress is the live line of a run on a terminal; on a pipe it is quiet.
type progress struct {
	container *mpb.Progress
	bar       *mpb.Bar
	words     chan string // of the newest state; holds one
	view      view
	began     time.Time
	from      int // evaluations that were done when it began
}

func (a *App) progress(b client.Bench, run client.Run) *progress {
	p := &progress{view: a.view(b), began: time.Now(), from: run.Evaluations, words: make(chan string, 1)}
	if !isTerminal(a.Err) {
		return p
	}
	p.container = mpb.New(mpb.WithOutput(a.Err), mpb.WithWidth(24), mpb.WithRefreshRate(100*time.Millisecond))
	latest := ""
	p.bar = p.container.New(int64(max(1, run.Budget)), mpb.BarStyle().Lbound("").Rbound("").Filler("━").Tip("━").Padding("─"),
		mpb.BarRemoveOnComplete(),
		mpb.PrependDecorators(decor.Name(run.Question.Study+" ")),
		mpb.AppendDecorators(decor.Any(func(decor.Statistics) string {
			select {
			case latest = <-p.words:
			default:
			}
			return " " + latest
		})))
	p.show(run)
	return p
}

func (p *progress) show(run client.Run) {
	if p.container == nil {
		return
	}
	select { // replace what was not shown yet
	case <-p.words:
	default:
	}
	p.words <- p.line(run)
	p.bar.SetCurrent(int64(min(run.Evaluations, max(0, run.Budget-1)))) // the end is said by end
}

// line says done and total, best so far, worst violation, failures and the time left.
func (p *progress) line(run client.Run) string {
	parts := []string{fmt.Sprintf("%d of %d", run.Evaluations, run.Budget)}
	switch best := run.Best; {
	case best == nil:
	case best.Feasible && best.Objective != nil:
		objective := p.view.objective(run)
		parts = append(parts, fmt.Sprintf("%s best %s %s", markFeasible, objective, bench.With(*best.Objective, p.view.unit(objective))))
	case !best.Feasible:
		parts = append(parts, fmt.Sprintf("%s worst violation %s %%", markInfeasible, bench.Show(100*best.Violation)))
	}
	if run.Failed > 0 {
		parts = append(parts, fmt.Sprintf("%d failed", run.Failed))
	}
	if left := p.left(run); left > 0 {
		parts = append(parts, fmt.Sprintf("about %s left", left))
	}
	return strings.Join(parts, ", ")
}

// left estimates the time to the end of the budget from the pace since this command began.
func (p *progress) left(run client.Run) time.Duration {
	done := run.Evaluations - p.from
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
	if p.container == nil {
		return
	}
	p.bar.Abort(true)
	p.container.Wait()
}
