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
			if a.json && errors.As(err, &mistakes) {
				return a.checkedJSON(b, study, mistakes)
			}
			if err != nil {
				return err
			}
			if _, found := b.Study(study); study != "" && !found {
				return wrongUse("--study: %s %s", args[0], words.NoStudy(b, study))
			}
			if a.json {
				return a.checkedJSON(b, study, nil)
			}
			changes, err := deck.ChangesOf(b, content)
			if err != nil {
				return err
			}
			a.say("%s is valid: %s, %d of them varied; %s; %s, %s.", args[0],
				plain.Count(len(b.Inputs), "input"), len(b.Varied()), words.Solver(b), plain.Count(len(b.Requirements), "requirement"), studies(len(b.Studies)))
			a.showPlaces(changes)
			for _, remark := range append(words.Remarks(b), missingPrograms(b, content)...) {
				a.say("\n! %s", remark)
			}
			a.say("\n%s\n\nIn symbols\n%s", strings.TrimRight(words.Statement(b, study), "\n"), strings.TrimRight(words.Symbols(b, study), "\n"))
			return nil
		},
	}
	c.Flags().StringVar(&study, "study", "", "state the problem of this study; by default of the first optimization")
	return c
}

// missingPrograms says which programs of the steps this machine does not have: neither on the PATH, where the folder of ropebench comes
// first, nor in the working folder.
func missingPrograms(b *bench.Bench, content bench.Content) []string {
	path := os.Getenv("PATH")
	if program, err := os.Executable(); err == nil {
		path = filepath.Dir(program) + string(filepath.ListSeparator) + path
	}
	remarks := missingOf("step", b, b.Solver.Steps, content, path)
	if coarse := b.Solver.Coarse; coarse != nil {
		remarks = append(remarks, missingOf("coarse step", b, coarse.Steps, content, path)...)
	}
	return remarks
}

func missingOf(what string, b *bench.Bench, steps []bench.Step, content bench.Content, path string) (remarks []string) {
	for i, step := range steps {
		var program string
		switch {
		case step.Run != nil:
			program = step.Run.Args[0]
		case step.Ask != nil:
			program = step.Ask.Args[0]
		default:
			continue
		}
		local, isLocal := strings.CutPrefix(program, "./")
		_, isFile := content.Files[bench.ContentPath(local)]
		switch {
		case isLocal && !isFile && !b.Written(local) && i == 0:
			remarks = append(remarks, fmt.Sprintf("%s %d: no file of the bench is %s: name it under files:, unless a step makes it", what, i+1, program))
		case !isLocal && !onPath(program, path):
			remarks = append(remarks, fmt.Sprintf("%s %d: the program %s is not found on the PATH of this machine: install it, or give its path", what, i+1, program))
		}
	}
	return remarks
}

func onPath(program, path string) bool {
	if filepath.IsAbs(program) {
		path, program = filepath.Dir(program), filepath.Base(program)
	}
	return slices.ContainsFunc(filepath.SplitList(path), func(folder string) bool {
		info, err := os.Stat(filepath.Join(folder, program))
		return err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0
	})
}

func studyNames(b *bench.Bench) []string {
	var names []string
	for _, s := range b.Studies {
		names = append(names, s.Name)
	}
	return names
}

func studies(n int) string {
	if n == 1 {
		return "1 study"
	}
	return fmt.Sprintf("%d studies", n)
}

// linesShown is how many lines of one input are shown by check.
const linesShown = 2

// showPlaces shows the places of decks where inputs are put, with the lines before and after; what stands on one line is shown once.
// Blanks show themselves.
func (a *App) showPlaces(changes []deck.Change) {
	v := a.view(api.Bench{})
	changes = slices.DeleteFunc(slices.Clone(changes), func(c deck.Change) bool { return c.Stood == "" })
	if len(changes) == 0 {
		return
	}
	a.say("\nWhere inputs are put, with their nominal values:")
	count := map[string]int{}
	for from := 0; from < len(changes); {
		first := changes[from]
		var names, notes []string
		shown := false
		for ; from < len(changes) && changes[from].File == first.File && changes[from].Line == first.Line; from++ {
			c := changes[from]
			note := v.otherNumber(c)
			count[c.Input]++
			shown = shown || count[c.Input] <= linesShown || note != ""
			names = append(names, c.Input)
			if note != "" {
				notes = append(notes, note)
			}
		}
		if shown {
			a.say("  %s in %s, line %d%s\n    %s\n    %s", strings.Join(slices.Compact(names), ", "), first.File, first.Line, strings.Join(notes, ""), v.slate("- "+first.Before), "+ "+first.After)
		}
	}
	for _, name := range sortedNames(count) {
		if count[name] > linesShown {
			a.say("  %s is put into %d places in all", name, count[name])
		}
	}
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
