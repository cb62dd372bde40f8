// Package cli is the command line of Rope Bench: commands over the client of a service.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
)

// ServeOptions say how a service is to be started.
type ServeOptions struct {
	Data      string
	Listen    string
	Insecure  bool
	Slots     int
	Companion bool
	// Ready is called once it answers, with its address and a link that opens the console once.
	Ready func(url, link string)
}

// App is what the commands need from outside.
type App struct {
	Version string
	Out     io.Writer
	Err     io.Writer
	// Serve runs a service until ctx is done or, for a companion, its last client has left.
	Serve func(ctx context.Context, options ServeOptions) error

	data string
	json bool
}

// The exit codes.
const (
	exitGood     = 0
	exitError    = 1
	exitWrongUse = 2
	exitMissed   = 3
	exitNothing  = 4
)

// An exitError ends a command with a code of its own; said is true where people know already why.
type exitErrorOf struct {
	code int
	text string
	said bool
}

func (e exitErrorOf) Error() string { return e.text }

func wrongUse(format string, args ...any) error {
	return exitErrorOf{code: exitWrongUse, text: fmt.Sprintf(format, args...)}
}

// Run runs one command line and returns its exit code.
func (a *App) Run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return exitGood
	}
	var exit exitErrorOf
	if errors.As(err, &exit) {
		if !exit.said {
			fmt.Fprintln(a.Err, "ropebench:", exit.text)
		}
		return exit.code
	}
	a.explain(err)
	var refused *api.Problem
	if errors.As(err, &refused) && refused.Status == http.StatusBadRequest {
		return exitWrongUse // what was asked cannot be, whatever the state of things
	}
	return exitError
}

// explain shows an error once; mistakes in files stand on lines of their own.
func (a *App) explain(err error) {
	var mistakes bench.Problems
	var answer *api.Problem
	switch {
	case errors.As(err, &mistakes):
		fmt.Fprintln(a.Err, mistakes)
	case errors.As(err, &answer) && len(answer.Problems) > 0:
		for _, p := range answer.Problems {
			fmt.Fprintf(a.Err, "%s:%d: %s\n", p.File, p.Line, p.Message)
		}
	default:
		fmt.Fprintln(a.Err, "ropebench:", err)
	}
}

func (a *App) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "ropebench",
		Short: "Design studies on black-box simulations",
		Long: "Rope Bench asks questions of a simulation: what does the design space look like, what is the best design,\n" +
			"and does the chosen design meet every requirement? A bench file names the inputs, how the solver is run, what is\n" +
			"read from it, and what the product must achieve. Begin with `ropebench demo`, or `ropebench check FILE`.",
		SilenceUsage: true, SilenceErrors: true, SuggestionsMinimumDistance: 2,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return c.Help()
			}
			hint := ""
			if near := c.SuggestionsFor(args[0]); len(near) > 0 {
				hint = "; did you mean " + strings.Join(near, " or ") + "?"
			}
			return wrongUse("unknown command %q%s (see `ropebench --help`)", args[0], hint)
		},
		Args: cobra.ArbitraryArgs,
	}
	root.SetOut(a.Out)
	root.SetErr(a.Err)
	root.PersistentFlags().StringVar(&a.data, "data", defaultData(), "folder of the records, of one service at a time (ROPEBENCH_DATA)")
	root.PersistentFlags().BoolVar(&a.json, "json", false, "machine output on stdout; everything for people goes to stderr")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return wrongUse("%s; see `%s --help`", flagMistake(c, err), c.CommandPath())
	})
	root.AddCommand(a.newCommand(), a.checkCommand(), a.deckCommand(), a.schemaCommand(), a.tryCommand(), a.runCommand(), a.followCommand(), a.stopCommand(), a.pauseCommand(), a.resumeCommand(), a.extendCommand(), a.compareCommand(), a.pickCommand(), a.candidatesCommand(), a.withdrawCommand(), a.cellsCommand(), a.exploreCommand(), a.leaveOutCommand(), a.predictCommand(), a.plotCommand(),
		a.filesCommand(), a.resultsCommand(), a.benchesCommand(), a.revisionsCommand(), a.moveCommand(), a.renameCommand(), a.removeCommand(),
		a.runsCommand(), a.diffCommand(), a.exportCommand(), a.showCommand(), a.tableCommand(), a.verifyCommand(), a.reportCommand(), a.requirementsCommand(), a.adoptCommand(), a.frontCommand(), a.serveCommand(), a.linkCommand(), a.demoCommand(), a.versionCommand())
	for _, c := range root.Commands() {
		c.Args = checkedArgs(c.Args)
		if c.Example == "" {
			c.Example = examples[c.Name()]
		}
	}
	a.completed(root)
	return root
}

// examples are those of commands that have none beside their flags.
var examples = map[string]string{
	"check":   "  ropebench check zipline.bench.yaml\n  ropebench check zipline.bench.yaml --study best",
	"schema":  "  ropebench schema > bench.schema.json",
	"follow":  "  ropebench follow 4",
	"stop":    "  ropebench stop 4",
	"pause":   "  ropebench pause 4",
	"resume":  "  ropebench resume 4",
	"benches": "  ropebench benches",
	"runs":    "  ropebench runs --bench zipline --limit 10",
	"diff":    "  ropebench diff zipline 3 5",
	"export":  "  ropebench export zipline today.zip\n  ropebench export zipline as-it-was --revision 3\n  ropebench export light decks",
	"table":   "  ropebench table 4 --only feasible --sort cost\n  ropebench table 4 --csv > table.csv",
	"serve":   "  ropebench serve --slots 8\n  ropebench serve --listen 127.0.0.1:8400",
	"link":    "  ropebench link",
	"demo":    "  ropebench demo\n  ropebench demo --once",
	"version": "  ropebench version",
}

// notOfItsKind is what is said of a value that a flag cannot take.
var notOfItsKind = regexp.MustCompile(`^invalid argument "(.*)" for "(?:-\w, )?--([\w-]+)" flag: `)

// kindsOfFlags are what flags take, in words.
var kindsOfFlags = map[string]string{"int": "a whole number", "uint64": "a whole number that is not negative", "float64": "a number", "bool": "true or false", "duration": "a time such as 20s"}

// flagMistake says in words what is wrong with a flag.
func flagMistake(c *cobra.Command, err error) string {
	wrong := notOfItsKind.FindStringSubmatch(err.Error())
	if wrong == nil {
		return err.Error()
	}
	flag := c.Flags().Lookup(wrong[2])
	if flag == nil || kindsOfFlags[flag.Value.Type()] == "" {
		return err.Error()
	}
	return fmt.Sprintf("--%s needs %s, not %q", wrong[2], kindsOfFlags[flag.Value.Type()], wrong[1])
}

// checkedArgs makes a wrong number of arguments wrong use.
func checkedArgs(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if check == nil {
			check = cobra.NoArgs
		}
		if err := check(c, args); err != nil {
			return wrongUse("%s was given %s; it is used as `ropebench %s`", c.Name(), plain.Count(len(args), "argument"), c.Use)
		}
		return nil
	}
}

func defaultData() string {
	if data := os.Getenv("ROPEBENCH_DATA"); data != "" {
		return data
	}
	if data := os.Getenv("XDG_DATA_HOME"); data != "" {
		return filepath.Join(data, "ropebench")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "ropebench-data"
	}
	return filepath.Join(home, ".local", "share", "ropebench")
}

// people is where texts for people go.
func (a *App) people() io.Writer {
	if a.json {
		return a.Err
	}
	return a.Out
}

func (a *App) say(format string, args ...any) { fmt.Fprintf(a.people(), format+"\n", args...) }

// machine prints one JSON value.
func (a *App) machine(value any) error {
	encoder := json.NewEncoder(a.Out)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(value)
}

// isTerminal is true where w is a terminal that shows colours and live lines.
func isTerminal(w io.Writer) bool {
	file, ok := w.(*os.File)
	return ok && term.IsTerminal(int(file.Fd())) && os.Getenv("TERM") != "dumb"
}

// widthOf is the width of a terminal; 0 for what is none.
func widthOf(w io.Writer) int {
	file, ok := w.(*os.File)
	if !ok {
		return 0
	}
	width, _, err := term.GetSize(int(file.Fd()))
	if err != nil {
		return 0
	}
	return width
}

func (a *App) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version",
		RunE: func(*cobra.Command, []string) error {
			if a.json {
				return a.machine(map[string]string{"version": a.Version})
			}
			a.say("ropebench %s", a.Version)
			return nil
		},
	}
}
