package cli

import (
	"fmt"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
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

func (a *App) diffCommand() *cobra.Command {
	return &cobra.Command{
		Use: "diff BENCH FROM TO", Short: "Say in words what changed between two revisions of a bench", Args: cobra.ExactArgs(3),
		RunE: func(c *cobra.Command, args []string) error {
			from, fromErr := strconv.Atoi(args[1])
			to, toErr := strconv.Atoi(args[2])
			if fromErr != nil || toErr != nil || from < 1 || to < 1 {
				return wrongUse("revisions are numbers from 1, as in `ropebench diff zipline 3 5`")
			}
			s, err := a.connect(c.Context())
			if err != nil {
				return err
			}
			defer s.close()
			changes, err := s.Changes(c.Context(), args[0], from, to)
			if err != nil {
				return err
			}
			if a.json {
				return a.machine(changes)
			}
			if len(changes) == 0 {
				a.say("Revisions %d and %d of %s are the same.", from, to, args[0])
			}
			for _, change := range changes {
				a.say("%s", change)
			}
			return nil
		},
	}
}

func (a *App) listRuns(runs []api.Run) {
	if len(runs) == 0 {
		a.say("There are no runs yet. Start one with `ropebench run FILE STUDY`.")
		return
	}
	v := a.view(api.Bench{})
	t := v.newTable([]int{1, 5, 6, 7, 8}, "run", "bench", "study", "state", "evaluations", "failed", "objective", "revision", "begun")
	for _, r := range runs {
		objective := ""
		if r.Headline != nil && r.Headline.Objective != nil {
			objective = plain.Show(*r.Headline.Objective) + " " + map[bool]string{true: markFeasible, false: markInfeasible}[r.Headline.Feasible]
		}
		t.AppendRow(table.Row{r.ID, r.Bench, studyWords(r), r.State, plain.Whole(r.Evaluations), plain.Whole(r.Failed), objective, r.Revision, v.slate(r.Created.Local().Format("2 Jan 15:04"))})
	}
	t.Render()
}

// studyWords names the study of a run with what makes the run different.
func studyWords(r api.Run) string {
	words := r.Question.Study
	if r.Question.Seed != 1 {
		words += fmt.Sprintf(", seed %d", r.Question.Seed)
	}
	for _, name := range sortedNames(r.Question.Hold) {
		words += fmt.Sprintf(", %s held", name)
	}
	for _, name := range sortedNames(r.Question.Free) {
		words += fmt.Sprintf(", %s free", name)
	}
	if r.Question.Of != nil {
		words += fmt.Sprintf(" of run %d, evaluation %d", r.Question.Of.Run, r.Question.Of.Evaluation)
	}
	return words
}
