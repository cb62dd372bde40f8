package cli

import (
	"errors"
	"fmt"
	"iter"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/edit"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/bench/words"
)

func splitLines(text string) iter.Seq[string] { return strings.SplitSeq(text, "\n") }

func (a *App) checkCommand() *cobra.Command {
	var study string
	c := &cobra.Command{
		Use: "check FILE", Short: "Say whether a bench file is valid, and the problem in words", Args: cobra.ExactArgs(1),
		Long: "Reads a bench file and every file that it names, without starting the solver. All mistakes are shown at once,\n" +
			"each with its line, its cause and a remedy. A valid bench is followed by its problem in words and in symbols.",
		RunE: func(_ *cobra.Command, args []string) error {
			b, content, err := read.Load(args[0])
			var mistakes bench.Problems
			if a.json && (err == nil || errors.As(err, &mistakes)) {
				return a.checkedJSON(b, study, mistakes)
			}
			if err != nil {
				return err
			}
			a.say("%s is valid: %s, %d of them varied; %s; %s, %s.", args[0],
				plain.Count(len(b.Inputs), "input"), len(b.Varied()), words.Solver(b), plain.Count(len(b.Requirements), "requirement"), studies(len(b.Studies)))
			if err := a.showPlaces(b, content); err != nil {
				return err
			}
			for _, remark := range words.Remarks(b) {
				a.say("\n! %s", remark)
			}
			a.say("\n%s\n\nIn symbols\n%s", strings.TrimRight(words.Statement(b, study), "\n"), strings.TrimRight(words.Symbols(b, study), "\n"))
			return nil
		},
	}
	c.Flags().StringVar(&study, "study", "", "state the problem of this study; by default of the first optimization")
	return c
}

func studies(n int) string {
	if n == 1 {
		return "1 study"
	}
	return fmt.Sprintf("%d studies", n)
}

// linesShown is how many lines of one input are shown by check.
const linesShown = 2

// showPlaces shows the places of decks where inputs are put, with the lines before and after. Slots show themselves.
func (a *App) showPlaces(b *bench.Bench, content bench.Content) error {
	changes, err := deck.ChangesOf(b, content)
	if err != nil {
		return err
	}
	v := a.view(api.Bench{})
	count := map[string]int{}
	for _, c := range changes {
		if c.Stood == "" {
			continue
		}
		if len(count) == 0 {
			a.say("\nWhere inputs are put, with their nominal values:")
		}
		count[c.Input]++
		note := v.otherNumber(c)
		if count[c.Input] > linesShown && note == "" {
			continue
		}
		a.say("  %s in %s, line %d%s\n    %s\n    %s", c.Input, c.File, c.Line, note, v.slate("- "+c.Before), "+ "+c.After)
	}
	for _, name := range sortedNames(count) {
		if count[name] > linesShown {
			a.say("  %s is put into %d lines in all", name, count[name])
		}
	}
	return nil
}

// otherNumber asks whether a place is the right one, where another number stands there than will be written.
func (v view) otherNumber(c deck.Change) string {
	stood, err := plain.Number(c.Stood, "")
	is := c.Value.Number
	if err != nil || math.Abs(stood-is) <= sameNumber*math.Max(math.Abs(stood), math.Abs(is)) {
		return ""
	}
	return v.ochre(fmt.Sprintf("  ! %s stands there now, and the nominal is %s: is it the right place?", c.Stood, c.Value.Show("")))
}

// sameNumber is how near two numbers are that are the same, relatively: a deck has fewer digits.
const sameNumber = 1e-3

func (a *App) schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Print the JSON Schema of the bench file, for editors that complete and check it",
		RunE: func(*cobra.Command, []string) error {
			_, err := a.Out.Write(bench.Schema())
			return err
		},
	}
}

func (a *App) deckCommand() *cobra.Command {
	find := ""
	c := &cobra.Command{
		Use: "deck FILE", Short: "List the numbers in a file with their places, ready for put", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			text, err := plain.ReadFile(os.OpenFile, args[0], maxDeck)
			if err != nil {
				return err
			}
			numbers := slices.DeleteFunc(deck.Numbers(text), func(n deck.FoundNumber) bool { return !strings.Contains(n.Row, find) })
			if a.json {
				return a.machine(numbers)
			}
			if len(numbers) == 0 {
				if find != "" {
					a.say("%s has no numbers in lines that contain %q.", args[0], find)
				} else {
					a.say("%s has no numbers that stand alone in a field or in columns.", args[0])
				}
				return nil
			}
			v := a.view(api.Bench{})
			t := v.newTable([]int{1}, "number", "its place", "the line")
			for _, n := range numbers {
				t.AppendRow(table.Row{n.Text, edit.PlaceYAML(n), v.slate(plain.Short(strings.TrimSpace(n.Row)))})
			}
			t.Render()
			a.say("\nPut an input at a place in the step that fills the file:\n  - fill: %s\n    put: {NAME: %s}", filepath.Base(args[0]), edit.PlaceYAML(numbers[0]))
			return nil
		},
	}
	c.Example = "  ropebench deck bracket.inp\n  ropebench deck bracket.inp --find \"8.0,\""
	c.Flags().StringVar(&find, "find", "", "only numbers in lines that contain this text")
	return c
}

func (a *App) checkedJSON(b *bench.Bench, study string, mistakes bench.Problems) error {
	if len(mistakes) > 0 {
		if err := a.machine(map[string]any{"valid": false, "problems": mistakes}); err != nil {
			return err
		}
		return exitErrorOf{code: exitError, said: true}
	}
	return a.machine(map[string]any{"valid": true, "problems": []string{}, "remarks": words.Remarks(b), "statement": words.Statement(b, study), "symbols": words.Symbols(b, study)})
}
