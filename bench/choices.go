package bench

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/core/formula"
)

// Choices are what an input can be where it has no range: numbers in ascending order, or words. The words of a catalog
// are the names of its rows; they are ordered by its first column of numbers, so that neighbours are alike.
type Choices struct {
	Numbers []float64 `json:"numbers,omitempty"`
	Words   []string  `json:"words,omitempty"`
	Catalog string    `json:"catalog,omitempty"` // the file
	Columns []Column  `json:"columns,omitempty"` // of the catalog, without that of the names
	index   map[string]int
}

// A Column of a catalog has a value for each choice: numbers, or words where one of its cells is no number.
type Column struct {
	Name    string    `json:"name"`
	Numbers []float64 `json:"numbers,omitempty"`
	Words   []string  `json:"words,omitempty"`
}

// Ordered is true where choices that stand beside each other are near to each other.
func (c Choices) Ordered() bool { return c.Numbers != nil || c.Catalog != "" }

// Count is how many there are.
func (c Choices) Count() int { return max(len(c.Numbers), len(c.Words)) }

// shownChoices is how many of many choices a message names.
const shownChoices = 8

func (c Choices) words() string {
	shown := c.Words
	for _, number := range c.Numbers {
		shown = append(shown, exact(number))
	}
	if len(shown) > shownChoices {
		return fmt.Sprintf("%s and %d more", strings.Join(shown[:shownChoices], ", "), len(shown)-shownChoices)
	}
	return strings.Join(shown, ", ")
}

func (c *Choices) number() {
	c.index = make(map[string]int, len(c.Words))
	for i, word := range c.Words {
		c.index[word] = i
	}
}

// column finds a column by its name.
func (c Choices) column(name string) (Column, bool) {
	return find(c.Columns, name, func(c Column) string { return c.Name })
}

// choices reads a list of values: all numbers, or all words. A number in quotes is a word.
func (f *fileReader) choices(in *Input, n *node) {
	if n.kind != list || len(n.items) < 2 {
		f.wrong(n.line, "%s: values needs a list of two or more, such as [5, 6, 8] or [organic, ceramic]; leave it out to hold the input", in.Name)
		return
	}
	c := &Choices{}
	for _, item := range n.items {
		text := f.singleText(item, in.Name+": values")
		number, isNumber := parseNumber(text)
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
		f.wrong(n.line, "%s: its values mix numbers and words (%s and %q): quote the numbers to make all of them words", in.Name, exact(c.Numbers[0]), c.Words[0])
		return
	}
	slices.Sort(c.Numbers)
	c.number()
	in.Choices = c
}

// catalog notes the file that lists what an input can be; readCatalogs reads it.
func (f *fileReader) catalog(in *Input, n *node) {
	if in.Choices != nil {
		f.wrong(n.line, "%s: give values or a catalog, not both", in.Name)
	}
	in.Choices = &Choices{Catalog: f.path(n, in.Name+": catalog")}
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
func (f *fileReader) nominalOf(in *Input, n *node) {
	switch {
	case in.Choices == nil:
		in.Nominal = Number(f.number(n, in.Name+": nominal"))
	case in.Choices.Catalog != "":
		in.Nominal = Value{Word: f.singleText(n, in.Name+": nominal")}
	case in.Choices.Words != nil:
		in.Nominal = Value{Word: f.singleText(n, in.Name+": nominal")}
		if _, err := in.NumberOf(in.Nominal); err != nil {
			f.wrong(n.line, "%s: the nominal is none of its values: %s", in.Name, err)
		}
	default:
		in.Nominal = Number(f.number(n, in.Name+": nominal"))
		if !slices.Contains(in.Choices.Numbers, in.Nominal.Number) {
			f.wrong(n.line, "%s: the nominal %s is none of its values, %s: add it, or correct the nominal", in.Name, in.Nominal, in.Choices.words())
		}
	}
}

// catalogNames lists the names that the catalogs of a bench add to its inputs, as in rope.mass; first those of numbers.
func (b *Bench) catalogNames() (numbers, words []string) {
	for _, in := range b.Inputs {
		if in.Choices == nil {
			continue
		}
		for _, column := range in.Choices.Columns {
			if column.Numbers != nil {
				numbers = append(numbers, in.Name+"."+column.Name)
			} else {
				words = append(words, in.Name+"."+column.Name)
			}
		}
	}
	return numbers, words
}

// Variables names what a row of inputs holds: the number of every input, and behind them the numbers that choices from
// catalogs carry.
func (b *Bench) Variables() []string {
	var names []string
	for _, in := range b.Inputs {
		names = append(names, in.Name)
	}
	numbers, _ := b.catalogNames()
	return append(names, numbers...)
}

// Carry fills in the numbers of a row of inputs that follow from its choices.
func (b *Bench) Carry(row []float64) {
	at := len(b.Inputs)
	if len(row) == at {
		return
	}
	for i, in := range b.Inputs {
		if in.Choices == nil {
			continue
		}
		for _, column := range in.Choices.Columns {
			if column.Numbers != nil {
				row[at] = column.Numbers[int(row[i])]
				at++
			}
		}
	}
}

// ValueIn gives the value of an input, or of a column of its catalog, in a row of inputs.
func (b *Bench) ValueIn(row []float64, name string) (Value, bool) {
	base, column, dotted := strings.Cut(name, ".")
	for i, in := range b.Inputs {
		switch {
		case in.Name == name:
			return in.ValueOf(row[i]), true
		case dotted && in.Name == base && in.Choices != nil:
			c, known := in.Choices.column(column)
			if !known {
				return Value{}, false
			}
			if c.Numbers != nil {
				return Number(c.Numbers[int(row[i])]), true
			}
			return Value{Word: c.Words[int(row[i])]}, true
		}
	}
	return Value{}, false
}

// wordMistake says what is wrong with a name of a formula that stands for a word, or for a column that a catalog does not
// have; "" where nothing is.
func (b *Bench) wordMistake(name string) string {
	base, column, dotted := strings.Cut(name, ".")
	in, isInput := b.Input(base)
	switch {
	case !isInput || in.Choices == nil || !dotted && !in.wordy():
		return ""
	case !dotted && in.Choices.Catalog != "":
		return fmt.Sprintf("%s is the name of a row of %s, and formulas compute with numbers: name a column, as in %s.COLUMN", name, in.Choices.Catalog, name)
	case !dotted:
		return fmt.Sprintf("%s is a word, and formulas compute with numbers: make a catalog that has a column of numbers for each word", name)
	case in.Choices.Catalog == "":
		return fmt.Sprintf("%s has no columns: only the rows of a catalog have", base)
	case in.Choices.Columns == nil:
		return "" // the catalog is not read yet
	}
	c, known := in.Choices.column(column)
	switch {
	case !known:
		var names []string
		for _, c := range in.Choices.Columns {
			names = append(names, c.Name)
		}
		return fmt.Sprintf("%s has no column %s%s (it has %s)", in.Choices.Catalog, column, formula.Suggest(column, names), strings.Join(names, ", "))
	case c.Words != nil:
		return fmt.Sprintf("%s is no number everywhere: %s has %q in that column", name, in.Choices.Catalog, firstWord(c))
	}
	return ""
}

// wordy is true for an input that will be a word, also before its catalog is read.
func (in Input) wordy() bool {
	return in.Choices != nil && (in.Choices.Words != nil || in.Choices.Catalog != "")
}

func firstWord(c Column) string {
	for _, word := range c.Words {
		if _, isNumber := parseNumber(word); !isNumber {
			return word
		}
	}
	return ""
}
