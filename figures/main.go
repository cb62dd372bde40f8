// Figures measures what Rope Bench promises of itself and prints a table: each figure beside what was asked. Ratios
// are measured in one run, one after the other, so that they hold on any machine.
package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
)

func main() {
	if len(os.Args) < 2 {
		fmt.Fprintln(os.Stderr, "usage: figures FOLDER-OF-THE-PROGRAMS [PART...]")
		os.Exit(2)
	}
	if err := measure(context.Background(), os.Args[1], os.Args[2:]); err != nil {
		fmt.Fprintln(os.Stderr, "figures:", err)
		os.Exit(1)
	}
}

// A figure is one promise: what was asked and what was measured.
type figure struct {
	name, asked, measured string
	reached               bool
}

// A part measures some figures, with the folder of the programs and one of its own.
type part struct {
	name    string
	measure func(ctx context.Context, programs, folder string) ([]figure, error)
}

var parts = []part{
	{"overhead", overhead},
	{"asked", asked},
	{"bracket", bracket},
	{"formulaModels", formulaModels},
	{"stopping", stopping},
	{"compiledFormulas", compiledFormulas},
	{"swing", swing},
	{"files", files},
	{"searches", searches},
	{"smooth", smooth},
	{"surrogates", surrogates},
	{"fronts", fronts},
	{"targets", targets},
	{"ownCost", ownCost},
	{"indicesOfPublished", indicesOfPublished},
	{"honesty", honesty},
	{"roundsOfSampling", roundsOfSampling},
	{"speedOfFits", speedOfFits},
	{"idle", idle},
	{"consolePage", consolePage},
	{"explorePage", explorePage},
	{"whatIf", whatIf},
	{"firstPaint", firstPaint},
}

// measure measures the parts that are named, or all.
func measure(ctx context.Context, programs string, only []string) error {
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
	for _, part := range parts {
		if len(only) > 0 && !slices.Contains(only, part.name) {
			continue
		}
		measured, err := part.measure(ctx, programs, filepath.Join(folder, fmt.Sprint(len(figures))))
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
