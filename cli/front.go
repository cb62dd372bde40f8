package cli

import (
	"context"
	"fmt"
	"math"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/result"
)

func (a *App) frontCommand() *cobra.Command {
	var minimize, maximize, meet []string
	c := a.onRun("front RUN", "Show the designs of a run of which none is better in all of several values", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		f, err := s.Front(ctx, run.ID, minimize, maximize, meet)
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(f)
		case f.Tradeoff == nil:
			return fmt.Errorf("none of the %s of run %d meets what is asked: name fewer requirements with --meet, or none of them with --meet \"\"", plain.Count(run.Evaluations, "evaluation"), run.ID)
		}
		v := a.view(b)
		v.front(found{Run: run, Parts: result.Parts{Front: f.Front, Tradeoff: f.Tradeoff}})
		if says := grown(f.Growth); says != "" {
			v.line("%s", v.slate(says))
		}
		return nil
	})
	c.Long = "Takes the front again from the evaluations that the run has, with other objectives or other requirements: no solver is called."
	c.Example = "  ropebench front 9\n  ropebench front 9 --minimize cost --maximize gap --meet R1,R3"
	c.Flags().StringSliceVar(&minimize, "minimize", nil, "values to be made least; without any, the objectives of the study")
	c.Flags().StringSliceVar(&maximize, "maximize", nil, "values to be made most")
	c.Flags().StringSliceVar(&meet, "meet", nil, "requirements that the designs must meet; without it, all that are neither wishes nor soft")
	return c
}

// grown says after how many evaluations most of a front was found.
func grown(growth []result.Growth) string {
	var says []string
	for _, share := range []float64{0.9, 0.99} {
		for _, g := range growth {
			if g.Share >= share {
				says = append(says, fmt.Sprintf("%.0f %% of it after evaluation %d", 100*share, g.Evaluation))
				break
			}
		}
	}
	return strings.Join(says, ", ")
}

const (
	plotWidth  = 64
	plotHeight = 14
)

// frontPlot draws a front of two objectives with characters: the first one to the right, the second upwards.
func (v view) frontPlot(front []*result.Design, t result.Tradeoff) {
	if len(t.Objectives) != 2 {
		return
	}
	x, y := t.Objectives[0], t.Objectives[1]
	least, most := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, d := range front {
		for k, name := range t.Objectives {
			least[k], most[k] = min(least[k], d.Values[name]), max(most[k], d.Values[name])
		}
	}
	if !(least[0] < most[0] && least[1] < most[1]) {
		return
	}
	rows := make([][]rune, plotHeight)
	for i := range rows {
		rows[i] = []rune(strings.Repeat(" ", plotWidth))
	}
	mark, colour := markFeasible, v.teal
	if t.Violation > 0 {
		mark, colour = markInfeasible, v.ochre
	}
	for _, knee := range []bool{false, true} { // which is drawn over its neighbours
		for _, d := range front {
			if (d.Evaluation == t.Compromise) != knee {
				continue
			}
			column := int(math.Round((d.Values[x] - least[0]) / (most[0] - least[0]) * (plotWidth - 1)))
			row := plotHeight - 1 - int(math.Round((d.Values[y]-least[1])/(most[1]-least[1])*(plotHeight-1)))
			rows[row][column] = []rune(mark)[0]
			if knee {
				rows[row][column] = []rune(markPicked)[0]
			}
		}
	}
	top, bottom := plain.Show(most[1]), plain.Show(least[1])
	margin := max(len([]rune(top)), len([]rune(bottom)))
	v.line("%s", v.slate(fmt.Sprintf("%*s  %s", margin, "", named(y, v.unit(y)))))
	for i, row := range rows {
		label := ""
		switch i {
		case 0:
			label = top
		case plotHeight - 1:
			label = bottom
		}
		line := strings.ReplaceAll(strings.TrimRight(string(row), " "), markPicked, "\x00")
		line = strings.ReplaceAll(colour(line), "\x00", markPicked)
		v.line("%s%s", v.slate(fmt.Sprintf("%*s │", margin, label)), line)
	}
	left, right := plain.Show(least[0]), plain.Show(most[0])
	name := named(x, v.unit(x))
	gap := plotWidth - len([]rune(left)) - len([]rune(right)) - len([]rune(name))
	v.line("%s", v.slate(fmt.Sprintf("%*s └%s", margin, "", strings.Repeat("─", plotWidth))))
	v.line("%s", v.slate(fmt.Sprintf("%*s  %s%s%s%s%s", margin, "", left, strings.Repeat(" ", max(1, gap/2)), name, strings.Repeat(" ", max(1, gap-gap/2)), right)))
}

// named is the name of a value with its unit.
func named(name, unit string) string {
	if unit == "" {
		return name
	}
	return name + ", " + unit
}
