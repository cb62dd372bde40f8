package cli

import (
	"errors"
	"iter"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/bench"
)

func splitLines(text string) iter.Seq[string] { return strings.SplitSeq(text, "\n") }

func (a *App) checkCommand() *cobra.Command {
	var study string
	c := &cobra.Command{
		Use: "check FILE", Short: "Say whether a bench file is valid, and the problem in words", Args: cobra.ExactArgs(1),
		Long: "Reads a bench file and every file that it names, without starting the solver. All mistakes are shown at once,\n" +
			"each with its line, its cause and a remedy. A valid bench is followed by its problem in words.",
		RunE: func(_ *cobra.Command, args []string) error {
			b, _, err := bench.Load(args[0])
			var mistakes bench.Problems
			if a.json && (err == nil || errors.As(err, &mistakes)) {
				return a.checkedJSON(b, study, mistakes)
			}
			if err != nil {
				return err
			}
			a.say("%s is valid: %d inputs, %d of them varied; %s; %d requirements, %d studies.\n", args[0],
				len(b.Inputs), len(b.Varied()), b.SolverWords(), len(b.Requirements), len(b.Studies))
			a.say("%s", strings.TrimRight(b.Statement(study), "\n"))
			for _, s := range b.Studies {
				if s.Later != "" {
					a.say("\nstudy %s: %s", s.Name, s.Later)
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&study, "study", "", "state the problem of this study; by default of the first optimization")
	return c
}

func (a *App) checkedJSON(b *bench.Bench, study string, mistakes bench.Problems) error {
	if len(mistakes) > 0 {
		if err := a.machine(map[string]any{"valid": false, "problems": mistakes}); err != nil {
			return err
		}
		return exitErrorOf{code: exitError, said: true}
	}
	return a.machine(map[string]any{"valid": true, "problems": []string{}, "statement": b.Statement(study)})
}
