package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
)

// resultsOptions say what of the results is shown, or made an output.
type resultsOptions struct {
	find, at, output, label, unit string
	way                           int
}

func (a *App) resultsCommand() *cobra.Command {
	var o resultsOptions
	c := &cobra.Command{
		Use: "results BENCH [FILE]", Short: "Show what the last evaluation has left, and make outputs of its numbers", Args: cobra.RangeArgs(1, 2),
		Long: "Lists the files that the last evaluation of the bench has left; of a file, its numbers with their places. --at names one by its line\n" +
			"and by which number of the line it is, and shows the ways in which an output can read it again, with what each reads now;\n" +
			"--output makes it one.",
		Example: "  ropebench results zipline\n  ropebench results zipline run.log --find DISTANCE\n  ropebench results zipline run.log --at 12:1\n  ropebench results zipline run.log --at 12:1 --output gap --unit m",
	}
	c = a.onService(c, func(ctx context.Context, s *session, args []string) error {
		switch {
		case len(args) == 1 && (o.at != "" || o.find != ""):
			return wrongUse("--at and --find are about a file: `ropebench results BENCH FILE`")
		case o.output != "" && o.at == "":
			return wrongUse("--output needs --at LINE:NUMBER: which number is it?")
		case len(args) == 1:
			return a.listResults(ctx, s, args[0])
		case o.at == "":
			return a.listNumbers(ctx, s, args[0], args[1], o.find)
		}
		spot, err := readSpot(args[1], o.at)
		if err != nil {
			return err
		}
		if o.output == "" {
			return a.showWays(ctx, s, args[0], spot)
		}
		if o.way < 1 {
			return wrongUse("--way counts from 1")
		}
		return a.makeOutput(ctx, s, args[0], api.NewOutput{Spot: spot, Name: o.output, Label: o.label, Unit: o.unit, Way: o.way - 1})
	})
	c.Flags().StringVar(&o.find, "find", "", "only numbers in lines that contain this text")
	c.Flags().StringVar(&o.at, "at", "", "a number: LINE:NUMBER, both from 1")
	c.Flags().StringVar(&o.output, "output", "", "make it an output of this name")
	c.Flags().StringVar(&o.label, "label", "", "what the output is called besides its name")
	c.Flags().StringVar(&o.unit, "unit", "", "the unit of the output")
	c.Flags().IntVar(&o.way, "way", 1, "which of the ways that --at shows, from 1")
	return c
}

func readSpot(file, text string) (spot api.Spot, err error) {
	line, number, two := strings.Cut(text, ":")
	spot.File = file
	var lineErr, numberErr error
	spot.Line, lineErr = strconv.Atoi(line)
	spot.Number, numberErr = strconv.Atoi(number)
	if !two || lineErr != nil || numberErr != nil {
		return spot, wrongUse("--at needs LINE:NUMBER, as in 12:1, not %q", text)
	}
	return spot, nil
}

func (a *App) listResults(ctx context.Context, s *session, bench string) error {
	left, err := s.Results(ctx, bench)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(left)
	}
	a.say("Evaluation %d of run %d has left:\n", left.Evaluation, left.Run)
	t := a.view(api.Bench{}).newTable([]int{2}, "file", "size", "outputs that are read from it")
	for _, file := range left.Files {
		t.AppendRow(table.Row{file.Path, plain.Bytes(file.Bytes), strings.Join(file.Outputs, ", ")})
	}
	t.Render()
	if len(left.Files) > 0 {
		a.say("\nSee the numbers of one with `ropebench results %s %s`.", bench, left.Files[0].Path)
	}
	return nil
}

// mostListed is how many numbers of a file are listed.
const mostListed = 200

func (a *App) listNumbers(ctx context.Context, s *session, bench, path, find string) error {
	if a.json {
		text, err := s.ResultFile(ctx, bench, path, 1, find)
		if err != nil {
			return err
		}
		return a.machine(text)
	}
	v := a.view(api.Bench{})
	t := v.newTable([]int{1}, "number", "--at", "the line")
	count := 0
	for from, total := 1, 1; from <= total && count <= mostListed; {
		text, err := s.ResultFile(ctx, bench, path, from, find)
		if err != nil {
			return err
		}
		for i, segments := range text.Lines {
			row := rowOf(segments)
			if !strings.Contains(row, find) {
				continue
			}
			for _, segment := range segments {
				if segment.Value == nil {
					continue
				}
				if count++; count <= mostListed {
					t.AppendRow(table.Row{segment.Text, fmt.Sprintf("%d:%d", text.From+i, segment.Field), v.slate(plain.Short(strings.TrimSpace(row)))})
				}
			}
		}
		from, total = text.From+max(1, len(text.Lines)), text.Total
	}
	switch {
	case count == 0 && find != "":
		a.say("%s has no numbers in lines that contain %q.", path, find)
		return nil
	case count == 0:
		a.say("%s has no numbers.", path)
		return nil
	}
	t.Render()
	if count > mostListed {
		a.say("\nThere are more: narrow the search with --find TEXT.")
	}
	a.say("\nSee how an output can read one with --at LINE:NUMBER, and make it one with --output NAME.")
	return nil
}

// rowOf is a line as it stands.
func rowOf(segments []api.Segment) string {
	row := ""
	for _, segment := range segments {
		row += segment.Text
	}
	return row
}

func (a *App) showWays(ctx context.Context, s *session, bench string, spot api.Spot) error {
	ways, err := s.Ways(ctx, bench, spot)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(ways)
	}
	t := a.view(api.Bench{}).newTable([]int{1}, "--way", "reads now", "in the bench file")
	for i, way := range ways {
		reads := plain.Count(way.Samples, "value")
		if way.Value != nil {
			reads = plain.Exact(*way.Value)
		}
		t.AppendRow(table.Row{i + 1, reads, way.Output})
	}
	t.Render()
	return nil
}

func (a *App) makeOutput(ctx context.Context, s *session, bench string, out api.NewOutput) error {
	edited, err := s.AddOutput(ctx, bench, out)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(edited)
	}
	for line := range splitLines(edited.Text) {
		if strings.HasPrefix(strings.TrimSpace(line), out.Name+":") {
			a.say("The bench file has a new output, at revision %d:\n  %s", edited.Revision, strings.TrimSpace(line))
		}
	}
	return nil
}
