// Figures measures what Rope Bench promises of itself and prints a table: each figure beside what was asked. Ratios
// are measured in one run, one after the other, so that they hold on any machine.
package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: figures FOLDER-OF-THE-PROGRAMS")
		os.Exit(2)
	}
	if err := measure(context.Background(), os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "figures:", err)
		os.Exit(1)
	}
}

// A figure is one promise: what was asked and what was measured.
type figure struct {
	name, asked, measured string
	reached               bool
}

func measure(ctx context.Context, programs string) error {
	programs, err := filepath.Abs(programs)
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "ropebench-figures-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	began := time.Now()
	var figures []figure
	for _, part := range []func(context.Context, string, string) ([]figure, error){overhead, asked, bracket, formulaModels, stopping, compiledFormulas, swing, files, searches, idle, consolePage, firstPaint} {
		measured, err := part(ctx, programs, filepath.Join(folder, fmt.Sprint(len(figures))))
		if err != nil {
			return err
		}
		figures = append(figures, measured...)
	}
	show(figures)
	fmt.Printf("measured in %s\n", time.Since(began).Round(time.Second))
	return nil
}

func show(figures []figure) {
	t := table.NewWriter()
	t.SetOutputMirror(os.Stdout)
	style := table.StyleLight
	style.Options = table.OptionsNoBordersAndSeparators
	style.Options.SeparateHeader = true
	t.SetStyle(style)
	t.AppendHeader(table.Row{"figure", "asked", "measured", ""})
	for _, f := range figures {
		t.AppendRow(table.Row{f.name, f.asked, f.measured, map[bool]string{true: "reached", false: "MISSED"}[f.reached]})
	}
	t.Render()
}
