package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/client"
)

// completed gives the shell what can stand at each argument of the commands: bench files, their studies, runs and benches. A service
// that is not there is not started for it.
func (a *App) completed(root *cobra.Command) {
	files := func(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		switch {
		case len(args) == 0:
			return []string{strings.TrimPrefix(bench.Suffix, ".")}, cobra.ShellCompDirectiveFilterFileExt
		case len(args) == 1 && c.Name() == "run":
			return a.studiesOf(args[0]), cobra.ShellCompDirectiveNoFileComp
		}
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	runs := func(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return a.knownRuns(c.Context()), cobra.ShellCompDirectiveNoFileComp
	}
	benches := func(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		return a.knownBenches(c.Context()), cobra.ShellCompDirectiveNoFileComp
	}
	for _, c := range root.Commands() {
		switch first, _, _ := strings.Cut(strings.TrimPrefix(c.Use, c.Name()+" "), " "); strings.Trim(first, "[]") {
		case "FILE":
			if c.Name() != "deck" {
				c.ValidArgsFunction = files
			}
		case "RUN":
			c.ValidArgsFunction = runs
		case "BENCH":
			c.ValidArgsFunction = benches
		}
		for _, flag := range []string{"set", "hold", "free"} {
			if c.Flags().Lookup(flag) != nil {
				_ = c.RegisterFlagCompletionFunc(flag, a.inputs) // it is there
			}
		}
	}
}

func (a *App) studiesOf(file string) []string {
	b, _, err := read.Load(file)
	if err != nil {
		return nil // nothing to offer
	}
	return studyNames(b)
}

// inputs are those of the bench file among the arguments, ready for a value.
func (a *App) inputs(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	var names []string
	if len(args) > 0 {
		if b, _, err := read.Load(args[0]); err == nil {
			for _, name := range b.InputNames() {
				names = append(names, name+"=")
			}
		}
	}
	return names, cobra.ShellCompDirectiveNoSpace | cobra.ShellCompDirectiveNoFileComp
}

// offered asks a service that runs; without one there is nothing to offer.
func (a *App) offered(ctx context.Context, ask func(context.Context, *client.Client) []string) []string {
	c, err := client.Find(a.data)
	if err != nil {
		return nil
	}
	defer c.Close()
	limited, cancel := context.WithTimeout(ctx, healthTime)
	defer cancel()
	return ask(limited, c)
}

// offeredRuns is how many runs a shell is offered.
const offeredRuns = 50

func (a *App) knownRuns(ctx context.Context) []string {
	return a.offered(ctx, func(ctx context.Context, c *client.Client) (offers []string) {
		runs, _ := c.Runs(ctx, "", offeredRuns) // nothing to offer where they cannot be had
		for _, run := range runs {
			offers = append(offers, strconv.Itoa(run.ID)+"\t"+run.Bench+" "+studyWords(run))
		}
		return offers
	})
}

func (a *App) knownBenches(ctx context.Context) []string {
	return a.offered(ctx, func(ctx context.Context, c *client.Client) (offers []string) {
		benches, _ := c.Benches(ctx) // as above
		for _, b := range benches {
			offers = append(offers, b.Name+"\t"+described(b))
		}
		return offers
	})
}

func described(b api.BenchSummary) string {
	if b.Title != "" {
		return b.Title
	}
	return b.File
}
