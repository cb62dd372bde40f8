package cli

import (
	"context"
	"fmt"
	"math"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/result"
)

func (a *App) exploreCommand() *cobra.Command {
	var id int
	var of []string
	c := &cobra.Command{
		Use: "explore BENCH", Short: "Say what the evaluations of a run tell: feasible designs, which inputs matter, how well values are predicted", Args: cobra.ExactArgs(1),
		Long: "Looks at the newest sample or sensitivity study of a bench, or at any run. Each value is fitted by response surfaces that\n" +
			"compete by Q², the cross-validated R²; shares of the variance are taken on the best of them.",
		Example: "  ropebench explore zipline\n  ropebench explore zipline --of peak_g,cost\n  ropebench explore zipline --run 4",
	}
	c.Flags().IntVar(&id, "run", 0, "the run; by default the newest sample or sensitivity study of the bench")
	c.Flags().StringSliceVar(&of, "of", nil, "only these values, with all that is known of them: name,name")
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		name := benchArgument(args[0])
		run, err := a.explorable(ctx, s, name, id)
		if err != nil {
			return err
		}
		b, err := s.BenchAt(ctx, run.Bench, run.Revision)
		if err != nil {
			return err
		}
		found, err := s.Exploration(ctx, run.ID, of)
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(found)
		}
		v := a.view(b)
		v.line("%s  run %d, study %s: %s, %d usable\n", run.Bench, run.ID, studyWords(run), plain.Count(found.Evaluations, "evaluation"), found.Usable)
		v.exploration(run, found, len(of) > 0)
		return nil
	})
}

// benchArgument is the name of a bench, or of the bench of a file.
func benchArgument(text string) string {
	if !strings.HasSuffix(text, bench.Suffix) {
		return text
	}
	name, _, err := benchName(text, "")
	if err != nil {
		return text
	}
	return name
}

// explorable is the run that is looked at.
func (a *App) explorable(ctx context.Context, s *session, name string, id int) (api.Run, error) {
	if id != 0 {
		run, err := s.Run(ctx, id)
		if err == nil && run.Bench != name {
			return run, wrongUse("run %d is of the bench %s, not of %s", id, run.Bench, name)
		}
		return run, err
	}
	if _, err := s.Bench(ctx, name); err != nil {
		return api.Run{}, err
	}
	runs, err := s.Runs(ctx, name, 1000)
	if err != nil {
		return api.Run{}, err
	}
	for _, run := range runs {
		if (run.Question.Kind == "sample" || run.Question.Kind == "sensitivity") && run.Usable > 0 {
			return run, nil
		}
	}
	return api.Run{}, fmt.Errorf("%s has no sample and no sensitivity study with values yet: run one, as in `ropebench run %s.bench.yaml look`, or name a run by --run", name, name)
}

// exploration shows all of it; closely is true where values were asked for by name.
func (v view) exploration(run api.Run, found result.Exploration, closely bool) {
	for i, says := range found.Obstacles.Says {
		mark := "  "
		if i == 0 {
			mark = v.teal(markFeasible) + " "
			if found.Feasible == 0 {
				mark = v.ochre(markInfeasible) + " "
			}
		}
		v.line("%s%s", mark, says)
	}
	v.line("")
	if found.Usable == 0 {
		return
	}
	v.spreads(found)
	v.overview(found)
	if closely {
		for _, value := range found.Values {
			v.ranking(value.Name, value.Sensitivity)
		}
	}
	for _, value := range found.Values {
		v.doubts(run, value, closely)
	}
	for _, remark := range found.Remarks {
		v.line("%s", v.ochre("! "+remark))
	}
	if len(found.Idle) > 0 {
		var hold []string
		for _, name := range found.Idle {
			hold = append(hold, fmt.Sprintf("--hold %s=%s", name, v.nominal(name)))
		}
		v.line("Matter for nothing here: %s. Leave them as they are in the next study by %s.", strings.Join(found.Idle, ", "), strings.Join(hold, " "))
	}
}

func (v view) nominal(name string) string {
	for _, in := range v.bench.Inputs {
		if in.Name == name {
			return in.Nominal.String()
		}
	}
	return ""
}

// spreads shows how each value is spread, and how well it is predicted.
func (v view) spreads(found result.Exploration) {
	t := v.newTable([]int{2, 3, 4, 6}, "value", "least", "median", "most", "spread", "Q²", "")
	for _, value := range found.Values {
		t.AppendRow(table.Row{strings.TrimSpace(value.Name + " " + v.slate(value.Unit)), plain.Show(value.Least), plain.Show(value.Median), plain.Show(value.Most), sparkline(value.Bars), v.q2(value.Sensitivity), v.slate(value.Sensitivity.Says)})
	}
	t.Render()
	v.line("")
}

// q2 is shown with so many digits as its distance from 1 has.
func (v view) q2(s result.Sensitivity) string {
	switch {
	case s.Q2 == nil:
		return v.slate("-")
	case s.Unpredictable:
		return v.ochre(plain.Show(math.Round(*s.Q2*100) / 100))
	}
	return showQ2(*s.Q2)
}

func showQ2(q2 float64) string {
	if q2 == 1 {
		return "1"
	}
	digits := 2
	for left := 1 - q2; left < 0.05 && digits < 5; left *= 10 {
		digits++
	}
	return fmt.Sprintf("%.*f", digits, math.Floor(q2*math.Pow10(digits))/math.Pow10(digits)) // never rounded up to 1
}

var sparks = []rune("▁▂▃▄▅▆▇█")

// sparkline draws counts; what is not there at all is blank.
func sparkline(bars []int) string {
	most := 1
	for _, n := range bars {
		most = max(most, n)
	}
	line := make([]rune, len(bars))
	for i, n := range bars {
		line[i] = ' '
		if n > 0 {
			line[i] = sparks[min(len(sparks)-1, n*len(sparks)/(most+1))]
		}
	}
	return string(line)
}

// overview says which input matters for what: shares of the variance, with those by others included.
func (v view) overview(found result.Exploration) {
	var shown []result.Explored
	for _, value := range found.Values {
		if len(value.Sensitivity.Inputs) > 0 {
			shown = append(shown, value)
		}
	}
	if len(shown) == 0 {
		return
	}
	v.line("Which input matters for what: its share of the variance, with what it does together with others; ? is not known")
	header, right := []any{"input"}, []int{}
	for _, value := range shown {
		header = append(header, value.Name)
	}
	t := v.newTable(right, header...)
	for _, input := range found.Inputs {
		row := table.Row{input}
		for _, value := range shown {
			row = append(row, v.share(value.Sensitivity, input))
		}
		t.AppendRow(row)
	}
	left := table.Row{v.slate("not predicted")}
	for _, value := range shown {
		left = append(left, v.slate(unexplained(value.Sensitivity)))
	}
	t.AppendRow(left)
	t.Render()
	v.line("")
}

func unexplained(s result.Sensitivity) string {
	if s.Q2 == nil || s.Unexplained == nil {
		return ""
	}
	return bar(*s.Unexplained, shareWidth)
}

const shareWidth = 6

func (v view) share(s result.Sensitivity, input string) string {
	i := s.Inputs[input]
	switch {
	case i.Total == nil || s.Unpredictable:
		return v.slate("?")
	case *i.Total < 0.005:
		return v.slate("·")
	}
	return bar(*i.Total, shareWidth)
}

var eighths = []rune(" ▏▎▍▌▋▊▉█")

// bar draws a share, and says it in percent.
func bar(share float64, width int) string {
	share = min(1, max(0, share))
	parts := int(math.Round(share * float64(width) * 8))
	drawn := strings.Repeat("█", parts/8)
	if parts%8 > 0 {
		drawn += string(eighths[parts%8])
	}
	return fmt.Sprintf("%s%s %.0f %%", drawn, strings.Repeat(" ", width-len([]rune(drawn))), 100*share)
}

// shownOutliers is how many are shown of one value.
const shownOutliers = 3

// doubts says what to look at: values that do not fit, what was left out, and what to try.
func (v view) doubts(run api.Run, value result.Explored, closely bool) {
	for i, o := range value.Outliers {
		if i == shownOutliers && !closely {
			v.line("%s", v.ochre(fmt.Sprintf("! %s: %d more do not fit; see --of %s.", value.Name, len(value.Outliers)-i, value.Name)))
			break
		}
		v.line("%s", v.ochre(fmt.Sprintf("! %s of evaluation %d is %s, and the others predict %s (%.2g deviations): look at it by `ropebench show %d --evaluation %d`; if it is wrong, `ropebench leave-out %d %d --of %s --because \"…\"`.",
			value.Name, o.Evaluation, plain.Show(o.Value), plain.Show(o.Predicted), math.Abs(o.Deviations), run.ID, o.Evaluation, run.ID, o.Evaluation, quoted(value.Name))))
	}
	for _, left := range value.LeftOut {
		v.line("%s", v.slate(fmt.Sprintf("%s of evaluation %d is left out: %s", value.Name, left.Evaluation, left.Reason)))
	}
	if len(value.Advice) > 0 {
		v.line("%s is predicted with a Q² of %s only. To try: %s.", value.Name, v.q2(value.Sensitivity), strings.Join(value.Advice, "; "))
	}
}

// quoted puts a name that is a formula into quotes, as a shell wants it.
func quoted(name string) string {
	if bench.GoodName.MatchString(name) {
		return name
	}
	return "'" + name + "'"
}
