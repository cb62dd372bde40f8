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
	var stdin string
	c := &cobra.Command{
		Use: "new FILE [-- PROGRAM ARGUMENT...]", Short: "Start a bench file from the decks of a model that works", Args: cobra.MinimumNArgs(1),
		Long: "Writes a bench file that fills the given decks and runs the given program, with what is still to be said as comments.\n" +
			"Blanks @[name] of the decks become inputs; --input names numbers of decks that have none.",
		Example: "  ropebench new bracket.bench.yaml --deck bracket.inp --input web=bracket.inp:12:1 -- ccx bracket",
		RunE: func(_ *cobra.Command, args []string) error {
			if err := noShell(args[1:]); err != nil {
				return err
			}
			text, err := begin(args[0], decks, inputs, stdin, args[1:])
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
	c.Flags().StringVar(&stdin, "stdin", "", "the file that the program reads from its standard input; a deck, mostly")
	c.Flags().StringArrayVar(&decks, "deck", nil, "a file that the solver reads; may be given more than once")
	c.Flags().StringArrayVar(&inputs, "input", nil, "a number of a deck and the name of its input: name=deck:line:field, or columns such as 11-20 for the field; may be given more than once")
	return c
}

// noShell refuses what only a shell understands: a step starts a program.
func noShell(run []string) error {
	for i, argument := range run {
		file := "FILE"
		if i+1 < len(run) {
			file = run[i+1]
		}
		switch argument {
		case "<":
			return wrongUse("a step starts a program and no shell: give --stdin %s in place of < %s", file, file)
		case ">", ">>", "2>", "&>":
			return wrongUse("a step starts a program and no shell: leave %s %s out; what it prints is kept in run.log, or in the file that stdout: names", argument, file)
		case "|", "&&", "||", ";", "&":
			return wrongUse("a step starts a program and no shell: give the first program only, and add a step for each other one behind %s to the bench file", argument)
		}
	}
	return nil
}

// begin makes the text of a new bench file.
func begin(path string, decks, inputs []string, stdin string, run []string) (string, error) {
	name, err := bench.Name(path)
	if err != nil {
		return "", wrongUse("%s", err)
	}
	folder, err := filepath.Abs(filepath.Dir(path))
	if err != nil {
		return "", err
	}
	beginning := edit.Beginning{Name: name, Run: run}
	if stdin != "" {
		if beginning.Stdin, err = edit.DeckPath(folder, stdin); err != nil {
			return "", err
		}
	}
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
	number.Input = name
	line, lineErr := strconv.Atoi(parts[last])
	number.Line = line
	from, to, columns := strings.Cut(parts[last+1], "-")
	var fieldErr, toErr error
	if columns {
		number.Columns[0], fieldErr = strconv.Atoi(from)
		number.Columns[1], toErr = strconv.Atoi(to)
	} else {
		number.Field, fieldErr = strconv.Atoi(from)
	}
	if lineErr != nil || fieldErr != nil || toErr != nil {
		return number, "", wrongUse("--input needs line and field as numbers, or columns, as in web=bracket.inp:12:1 or web=bracket.inp:12:11-20, not %q", text)
	}
	return number, strings.Join(parts[:last], ":"), nil
}
