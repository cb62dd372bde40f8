package cli

import (
	"encoding/csv"
	"fmt"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/bench"
	"ropebench/client"
)

func (a *App) runsCommand() *cobra.Command {
	var benchName string
	var limit int
	c := &cobra.Command{
		Use: "runs", Short: "List the runs, newest first",
		RunE: func(c *cobra.Command, _ []string) error {
			if limit < 1 || limit > 1000 {
				return wrongUse("--limit must be from 1 to 1000")
			}
			s, err := a.connect(c.Context())
			if err != nil {
				return err
			}
			defer s.close()
			runs, err := s.Runs(c.Context(), benchName, limit)
			if err != nil {
				return err
			}
			if a.json {
				return a.machine(runs)
			}
			a.listRuns(runs)
			return nil
		},
	}
	c.Flags().StringVar(&benchName, "bench", "", "only the runs of this bench")
	c.Flags().IntVar(&limit, "limit", 30, "at most so many")
	return c
}

func (a *App) listRuns(runs []client.Run) {
	if len(runs) == 0 {
		a.say("There are no runs yet. Start one with `ropebench run FILE STUDY`.")
		return
	}
	v := a.view(client.Bench{})
	t := v.newTable([]int{1, 5, 6, 7, 8}, "run", "bench", "study", "state", "evaluations", "failed", "objective", "revision", "begun")
	for _, r := range runs {
		objective := ""
		if r.Best != nil && r.Best.Objective != nil {
			objective = bench.Show(*r.Best.Objective) + " " + map[bool]string{true: markFeasible, false: markInfeasible}[r.Best.Feasible]
		}
		t.AppendRow(table.Row{r.ID, r.Bench, studyWords(r), r.State, r.Evaluations, r.Failed, objective, r.Revision, v.slate(r.Created.Local().Format("2 Jan 15:04"))})
	}
	t.Render()
}

// studyWords names the study of a run with what makes the run different.
func studyWords(r client.Run) string {
	words := r.Question.Study
	if r.Question.Seed != 1 {
		words += fmt.Sprintf(", seed %d", r.Question.Seed)
	}
	for _, name := range sortedNames(r.Question.Hold) {
		words += fmt.Sprintf(", %s held", name)
	}
	if r.Question.Of != nil {
		words += fmt.Sprintf(" of run %d, evaluation %d", r.Question.Of.Run, r.Question.Of.Evaluation)
	}
	return words
}

func (a *App) pointsCommand() *cobra.Command {
	var query client.PointsQuery
	var asCSV bool
	c := &cobra.Command{
		Use: "points RUN", Short: "Show the table of evaluations of a run", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runNumber(args[0])
			if err != nil {
				return err
			}
			if query.Limit < 0 {
				return wrongUse("--limit must not be negative")
			}
			if query.Limit == 0 && !c.Flags().Changed("limit") && !asCSV && !a.json {
				query.Limit = 40
			}
			s, err := a.connect(c.Context())
			if err != nil {
				return err
			}
			defer s.close()
			run, err := s.Run(c.Context(), id)
			if err != nil {
				return err
			}
			b, err := s.Bench(c.Context(), run.Bench)
			if err != nil {
				return err
			}
			points, more, err := collect(c, s, id, query)
			if err != nil {
				return err
			}
			return a.showPoints(b, run, points, more, asCSV)
		},
	}
	c.Flags().StringVar(&query.Sort, "sort", "", "sort by an input or a value, smallest first; with - before it, largest first")
	c.Flags().StringVar(&query.Only, "only", "", "only these: ok, failed, feasible, infeasible or not-tried")
	c.Flags().IntVar(&query.Limit, "limit", 0, "at most so many; 0: all (default 40 in a table)")
	c.Flags().BoolVar(&asCSV, "csv", false, "as CSV with all digits")
	return c
}

const pageSize = 5000

// collect gathers pages until there are enough points; more is true if there are others.
func collect(c *cobra.Command, s *session, id int, q client.PointsQuery) (all client.Points, more bool, err error) {
	for {
		page := q
		page.After, page.Limit = all.Next, pageSize
		if q.Limit > 0 {
			page.Limit = min(pageSize, q.Limit-len(all.Points))
		}
		got, err := s.Points(c.Context(), id, page)
		if err != nil {
			return all, false, err
		}
		got.Points = append(all.Points, got.Points...)
		all = got
		if all.Next == 0 || q.Limit > 0 && len(all.Points) >= q.Limit {
			return all, all.Next != 0, nil
		}
	}
}

func (a *App) showPoints(b client.Bench, run client.Run, p client.Points, more bool, asCSV bool) error {
	switch {
	case asCSV:
		return a.pointsCSV(p)
	case a.json:
		return a.machine(p)
	case len(p.Points) == 0:
		a.say("Run %d has no such evaluations.", run.ID)
		return nil
	}
	v := a.view(b)
	header := []any{"", "no."}
	right := []int{2}
	for _, name := range append(append([]string{}, p.Inputs...), p.Columns...) {
		right = append(right, len(header)+1)
		header = append(header, name)
	}
	t := v.newTable(right, header...)
	for _, point := range p.Points {
		row := table.Row{v.mark(point), point.Evaluation}
		for _, x := range point.Design {
			row = append(row, bench.Show(x))
		}
		for i := range p.Columns {
			if i < len(point.Values) {
				row = append(row, shown(point.Values[i], ""))
			} else {
				row = append(row, "-")
			}
		}
		t.AppendRow(row)
	}
	t.Render()
	v.line("")
	v.line("%s", v.slate(fmt.Sprintf("%s feasible, %s infeasible or not tried, %s failed", markFeasible, markInfeasible, markFailed)))
	if more {
		v.line("There are more: raise --limit, or take all with --csv.")
	}
	return nil
}

func (v view) mark(p client.Point) string {
	switch {
	case p.Feasible:
		return v.teal(markFeasible)
	case p.State == "ok" || p.State == "not tried":
		return v.ochre(markInfeasible)
	}
	return v.slate(markFailed)
}

func (a *App) pointsCSV(p client.Points) error {
	w := csv.NewWriter(a.Out)
	header := append([]string{"evaluation", "state", "feasible"}, p.Inputs...)
	rows := [][]string{append(header, p.Columns...)}
	for _, point := range p.Points {
		row := []string{strconv.Itoa(point.Evaluation), point.State, strconv.FormatBool(point.Feasible)}
		for _, x := range point.Design {
			row = append(row, strconv.FormatFloat(x, 'g', -1, 64))
		}
		for i := range p.Columns {
			if i < len(point.Values) && point.Values[i] != nil {
				row = append(row, strconv.FormatFloat(*point.Values[i], 'g', -1, 64))
			} else {
				row = append(row, "")
			}
		}
		rows = append(rows, row)
	}
	return w.WriteAll(rows)
}
