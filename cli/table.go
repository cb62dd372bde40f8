package cli

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/client"
)

// tableOptions say which evaluations are shown, and how.
type tableOptions struct {
	query   client.EvaluationsQuery
	columns []string
	csv     bool
}

func (a *App) tableCommand() *cobra.Command {
	var o tableOptions
	c := &cobra.Command{
		Use: "table RUN", Short: "Show the table of evaluations of a run", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runNumber(args[0])
			if err != nil {
				return err
			}
			if o.csv && a.json {
				return wrongUse("--csv and --json are two forms of one output: give one of them")
			}
			if o.query.Limit < 0 {
				return wrongUse("--limit must not be negative")
			}
			if o.query.Limit == 0 && !c.Flags().Changed("limit") && !o.csv && !a.json {
				o.query.Limit = 40
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
			b, err := s.BenchAt(c.Context(), run.Bench, run.Revision) // its requirements are those that were judged
			if err != nil {
				return err
			}
			if o.csv {
				return a.tableCSV(c.Context(), s, id, o.query)
			}
			evaluations, more, err := collect(c, s, id, o.query)
			if err != nil {
				return err
			}
			return a.showTable(b, run, evaluations, more, o)
		},
	}
	c.Flags().StringVar(&o.query.Sort, "sort", "", "sort by an input or a value, smallest first; with - before it, largest first")
	c.Flags().StringVar(&o.query.Only, "only", "", "only these: ok, failed, feasible, infeasible or not-tried")
	c.Flags().IntVar(&o.query.Limit, "limit", 0, "at most so many; 0: all (default 40 in a table)")
	c.Flags().StringSliceVar(&o.columns, "columns", nil, "only these inputs and values in the table: name,name")
	c.Flags().BoolVar(&o.csv, "csv", false, "as CSV with all digits")
	return c
}

const pageSize = 5000

// collect gathers pages until there are enough evaluations; more is true if there are others.
func collect(c *cobra.Command, s *session, id int, q client.EvaluationsQuery) (all api.Evaluations, more bool, err error) {
	for {
		page := q
		page.After, page.Limit = all.Next, pageSize
		if q.Limit > 0 {
			page.Limit = min(pageSize, q.Limit-len(all.Evaluations))
		}
		got, err := s.Evaluations(c.Context(), id, page)
		if err != nil {
			return all, false, err
		}
		got.Evaluations = append(all.Evaluations, got.Evaluations...)
		all = got
		if all.Next == 0 || q.Limit > 0 && len(all.Evaluations) >= q.Limit {
			return all, all.Next != 0, nil
		}
	}
}

func (a *App) showTable(b api.Bench, run api.Run, p api.Evaluations, more bool, o tableOptions) error {
	switch {
	case a.json:
		return a.machine(p)
	case len(p.Evaluations) == 0:
		a.say("Run %d has no such evaluations.", run.ID)
		return nil
	}
	v := a.view(b)
	names, err := chosen(p, o)
	if err != nil {
		return err
	}
	shown, left := v.fitting(p, names)
	header := []any{"no."}
	right := []int{}
	for _, name := range shown {
		right = append(right, len(header)+1)
		header = append(header, strings.TrimSpace(name+"\n"+v.unit(name)))
	}
	t := v.newTable(right, append(header, "why")...)
	for _, evaluation := range p.Evaluations {
		row := table.Row{fmt.Sprintf("%s %d", v.mark(evaluation), evaluation.Number)}
		for _, name := range shown {
			row = append(row, cell(p, evaluation, name))
		}
		t.AppendRow(append(row, v.slate(v.why(evaluation))))
	}
	t.Render()
	v.line("")
	v.line("%s", v.slate(fmt.Sprintf("%s feasible, %s infeasible or not tried, %s failed", markFeasible, markInfeasible, markFailed)))
	if len(left) > 0 {
		v.line("This window is too narrow for %s: choose columns with --columns, or take all with --csv.", strings.Join(left, ", "))
	}
	if more {
		v.line("There are more: raise --limit, or take all with --csv.")
	}
	return nil
}

// why says what is the matter with an evaluation: the reason of a failure, or which requirements it misses.
func (v view) why(e api.Evaluation) string {
	var missed []string
	for _, q := range v.bench.Requirements {
		switch {
		case !slices.Contains(e.Missed, q.ID):
		case q.Decisive:
			missed = append(missed, q.ID)
		default:
			missed = append(missed, q.ID+besides(q))
		}
	}
	switch {
	case e.State == "not tried":
		return "not tried: misses " + strings.Join(missed, ", ")
	case e.Reason != "":
		return strings.TrimPrefix(e.State+": ", "failed: ") + e.Reason
	case len(missed) > 0:
		return "misses " + strings.Join(missed, ", ")
	}
	return ""
}

// chosen lists the columns of the table: those asked for, or all, with the one that sorts them first.
func chosen(p api.Evaluations, o tableOptions) ([]string, error) {
	all := append(slices.Clone(p.Inputs), p.Columns...)
	for _, name := range o.columns {
		if !slices.Contains(all, name) {
			return nil, wrongUse("--columns: %s is no input or value of this run (known: %s)", name, strings.Join(all, ", "))
		}
	}
	if len(o.columns) > 0 {
		return o.columns, nil
	}
	if by := strings.TrimPrefix(o.query.Sort, "-"); by != "" {
		all = slices.Insert(slices.DeleteFunc(all, func(name string) bool { return name == by }), 0, by)
	}
	return all, nil
}

// fitting parts the columns into those that the window is wide enough for, and the others. A pipe takes all.
func (v view) fitting(p api.Evaluations, names []string) (shown, left []string) {
	width := widthOf(v.out)
	if width == 0 {
		return names, nil
	}
	const marks, gap = 30, columnGap // the number, and why
	used := marks
	for i, name := range names {
		widest := max(len(name), len(v.unit(name)))
		for _, evaluation := range p.Evaluations {
			widest = max(widest, len(cell(p, evaluation, name)))
		}
		if used += widest + gap; used > width && i > 0 {
			return names[:i], names[i:]
		}
	}
	return names, nil
}

// cell is one number of the table.
func cell(p api.Evaluations, evaluation api.Evaluation, name string) string {
	if i := slices.Index(p.Inputs, name); i >= 0 {
		return evaluation.Design[i].Show("")
	}
	i := slices.Index(p.Columns, name)
	if i >= len(evaluation.Values) {
		return "-"
	}
	return shown(evaluation.Values[i], "")
}

func (v view) mark(p api.Evaluation) string {
	switch {
	case p.Feasible:
		return v.teal(markFeasible)
	case p.State == "ok" || p.State == "not tried":
		return v.ochre(markInfeasible)
	}
	return v.slate(markFailed)
}

// tableCSV prints the evaluations page by page, as the service writes them, under one header line.
func (a *App) tableCSV(ctx context.Context, s *session, id int, q client.EvaluationsQuery) error {
	printed := 0
	for {
		page := q
		if page.Limit = pageSize; q.Limit > 0 {
			page.Limit = min(pageSize, q.Limit-printed)
		}
		var text bytes.Buffer
		next, err := s.EvaluationsCSV(ctx, id, page, &text)
		if err != nil {
			return err
		}
		if q.After > 0 {
			_, _ = text.ReadString('\n') // the header stands above already
		}
		printed += page.Limit
		if _, err := text.WriteTo(a.Out); err != nil || next == 0 || q.Limit > 0 && printed >= q.Limit {
			return err
		}
		q.After = next
	}
}
