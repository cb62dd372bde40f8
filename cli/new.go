package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/bench/plain"
)

// maxDeck bounds a deck whose numbers are listed.
const maxDeck = 1 << 30

func (a *App) newCommand() *cobra.Command {
	var decks, inputs []string
	c := &cobra.Command{
		Use: "new FILE [-- PROGRAM ARGUMENT...]", Short: "Start a bench file from the decks of a model that works", Args: cobra.MinimumNArgs(1),
		Long: "Writes a bench file that fills the given decks and runs the given program, with what is still to be said as comments.\n" +
			"Blanks @[name] of the decks become inputs; --input names numbers of decks that have none.",
		Example: "  ropebench new bracket.bench.yaml --deck bracket.inp --input web=bracket.inp:12:1 -- ccx bracket",
		RunE: func(_ *cobra.Command, args []string) error {
			text, err := begin(args[0], decks, inputs, args[1:])
			if err != nil {
				return err
			}
			file, err := os.OpenFile(args[0], os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
			if errors.Is(err, fs.ErrExist) {
				return fmt.Errorf("%s is there already: give another name, or change that file", args[0])
			}
			if err != nil {
				return err
			}
			_, err = file.WriteString(text)
			if err := errors.Join(err, file.Close()); err != nil {
				return err
			}
			a.say("%s is written. Next:\n  ropebench deck DECK   which numbers it has, and where\n  ropebench check %s   what is still wrong\n  ropebench try %s   one evaluation of the design of today", args[0], args[0], args[0])
			return nil
		},
	}
	c.Flags().StringArrayVar(&decks, "deck", nil, "a file that the solver reads; may be given more than once")
	c.Flags().StringArrayVar(&inputs, "input", nil, "a number of a deck and the name of its input: name=deck:line:field; may be given more than once")
	return c
}

// begin makes the text of a new bench file.
func begin(path string, decks, inputs, run []string) (string, error) {
	name, err := bench.Name(path)
	if err != nil {
		return "", wrongUse("%s", err)
	}
	folder, err := filepath.Abs(filepath.Dir(path))
	if err != nil {
		return "", err
	}
	beginning := edit.Beginning{Name: name, Run: run}
	for _, deck := range decks {
		text, err := plain.ReadFile(os.OpenFile, deck, maxDeck)
		if err != nil {
			return "", err
		}
		file, err := edit.DeckPath(folder, deck)
		if err != nil {
			return "", err
		}
		one := edit.Deck{File: file, Text: text}
		for _, input := range inputs {
			number, of, err := readInput(input)
			if err != nil {
				return "", err
			}
			if of == deck {
				one.Takes = append(one.Takes, number)
			}
		}
		beginning.Decks = append(beginning.Decks, one)
	}
	for _, input := range inputs {
		if _, of, err := readInput(input); err != nil {
			return "", err
		} else if !slices.Contains(decks, of) {
			return "", wrongUse("--input %s names the deck %s, which is not given: add --deck %s", input, of, of)
		}
	}
	return beginning.Text()
}

// readInput reads name=deck:line:field.
func readInput(text string) (number edit.NamedNumber, deck string, err error) {
	name, place, named := strings.Cut(text, "=")
	parts := strings.Split(place, ":")
	if !named || len(parts) < 3 {
		return number, "", wrongUse("--input needs name=deck:line:field, as in web=bracket.inp:12:1, not %q", text)
	}
	last := len(parts) - 2
	line, lineErr := strconv.Atoi(parts[last])
	field, fieldErr := strconv.Atoi(parts[last+1])
	if lineErr != nil || fieldErr != nil {
		return number, "", wrongUse("--input needs line and field as numbers, as in web=bracket.inp:12:1, not %q", text)
	}
	return edit.NamedNumber{Input: name, NumberPlace: edit.NumberPlace{Line: line, Field: field}}, strings.Join(parts[:last], ":"), nil
}
