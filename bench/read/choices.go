package read

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// choices reads a list of values: all numbers, or all words. A number in quotes is a word.
func (f *fileReader) choices(in *bench.Input, n *Node) {
	if n.kind != list || len(n.Items) < 2 {
		f.wrong(n.line, "%s: values needs a list of two or more, such as [5, 6, 8] or [organic, ceramic]; leave it out to hold the input", in.Name)
		return
	}
	c := &bench.Choices{}
	for _, item := range n.Items {
		text := f.singleText(item, in.Name+": values")
		number, isNumber := plain.YAMLNumber(text)
		switch {
		case isNumber && !item.quoted && !slices.Contains(c.Numbers, number):
			c.Numbers = append(c.Numbers, number)
		case !(isNumber && !item.quoted) && !slices.Contains(c.Words, text):
			c.Words = append(c.Words, text)
			f.word(in.Name, text, item.line)
		default:
			f.wrong(item.line, "%s: %s stands twice in its values: keep one", in.Name, text)
		}
	}
	if c.Numbers != nil && c.Words != nil {
		f.wrong(n.line, "%s: its values mix numbers and words (%s and %q): quote the numbers to make all of them words", in.Name, plain.Exact(c.Numbers[0]), c.Words[0])
		return
	}
	slices.Sort(c.Numbers)
	c.Number()
	in.Choices = c
}

// catalog notes the file that lists what an input can be; readCatalogs reads it.
func (f *fileReader) catalog(in *bench.Input, n *Node) {
	if in.Choices != nil {
		f.wrong(n.line, "%s: give values or a catalog, not both", in.Name)
	}
	in.Choices = &bench.Choices{Catalog: f.path(n, in.Name+": catalog")}
}

// maxWord bounds a word, which may be written into a deck or an argument.
const maxWord = 200

func (f *fileReader) word(name, word string, line int) {
	if message := badWord(word); message != "" {
		f.wrong(line, "%s: %s", name, message)
	}
}

func badWord(word string) string {
	switch {
	case word == "":
		return "a word is empty"
	case len(word) > maxWord:
		return fmt.Sprintf("a word has %d characters; at most %d are read", len(word), maxWord)
	case strings.ContainsFunc(word, func(r rune) bool { return r < ' ' }):
		return fmt.Sprintf("the word %q has line ends or control characters in it", word)
	}
	return ""
}

// nominalOf reads the nominal of an input: a number, or a word where its values are words or it has a catalog.
func (f *fileReader) nominalOf(in *bench.Input, n *Node) {
	switch {
	case in.Choices == nil:
		in.Nominal = bench.Number(f.number(n, in.Name+": nominal"))
	case in.Choices.Catalog != "":
		in.Nominal = bench.Value{Word: f.singleText(n, in.Name+": nominal")}
	case in.Choices.Words != nil:
		in.Nominal = bench.Value{Word: f.singleText(n, in.Name+": nominal")}
		if _, err := in.NumberOf(in.Nominal); err != nil {
			f.wrong(n.line, "%s: the nominal is none of its values: %s", in.Name, err)
		}
	default:
		in.Nominal = bench.Number(f.number(n, in.Name+": nominal"))
		if !slices.Contains(in.Choices.Numbers, in.Nominal.Number) {
			f.wrong(n.line, "%s: the nominal %s is none of its values, %s: add it, or correct the nominal", in.Name, in.Nominal, in.Choices.List())
		}
	}
}
