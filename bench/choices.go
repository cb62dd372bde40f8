package bench

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// Choices are what an input can be where it has no range: numbers in ascending order, or words. The words of a catalog
// are the names of its rows; they are ordered by its first column of numbers, so that neighbours are alike.
type Choices struct {
	Numbers []float64 `json:"numbers,omitempty"`
	Words   []string  `json:"words,omitempty"`
	Catalog string    `json:"catalog,omitempty"` // the file
	Columns []Column  `json:"columns,omitempty"` // of the catalog, without that of the names
	Index   map[string]int
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

func (c Choices) List() string {
	shown := c.Words
	for _, number := range c.Numbers {
		shown = append(shown, plain.Exact(number))
	}
	if len(shown) > shownChoices {
		return fmt.Sprintf("%s and %d more", strings.Join(shown[:shownChoices], ", "), len(shown)-shownChoices)
	}
	return strings.Join(shown, ", ")
}

func (c *Choices) Number() {
	c.Index = make(map[string]int, len(c.Words))
	for i, word := range c.Words {
		c.Index[word] = i
	}
}

// column finds a column by its name.
func (c Choices) column(name string) (Column, bool) {
	return Find(c.Columns, name, func(c Column) string { return c.Name })
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
	return slices.Concat(names, numbers, b.caseVariables())
}

// FillColumns fills in the numbers of a row of inputs that follow from its choices, and those that cases give.
func (b *Bench) FillColumns(row []float64) {
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
	b.fillCases(row[at:])
}

// ValueIn gives the value of an input, or of a column of its catalog, in a row of inputs; that of an input in a case where the name is one.
func (b *Bench) ValueIn(row []float64, name string) (Value, bool) {
	base, column, dotted := strings.Cut(name, ".")
	if in, isCase := b.Case(column); dotted && isCase {
		if value, given := in.Values[base]; given {
			return value, true
		}
	}
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

// WordMistake says what is wrong with a name of a formula that stands for a word, or for a column that a catalog does not
// have; "" where nothing is.
func (b *Bench) WordMistake(name string) string {
	base, column, dotted := strings.Cut(name, ".")
	in, isInput := b.Input(base)
	switch {
	case !isInput || in.Choices == nil || !dotted && !in.Wordy():
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

// Wordy is true for an input that will be a word, also before its catalog is read.
func (in Input) Wordy() bool {
	return in.Choices != nil && (in.Choices.Words != nil || in.Choices.Catalog != "")
}

func firstWord(c Column) string {
	for _, word := range c.Words {
		if _, isNumber := plain.YAMLNumber(word); !isNumber {
			return word
		}
	}
	return ""
}

// Sort orders the rows by the first column of numbers in which they differ.
func (c *Choices) Sort() {
	order := make([]int, len(c.Words))
	for i := range order {
		order[i] = i
	}
	for _, column := range c.Columns {
		if column.Numbers != nil && slices.Min(column.Numbers) < slices.Max(column.Numbers) {
			slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(column.Numbers[a], column.Numbers[b]) })
			break
		}
	}
	c.Words = inOrder(c.Words, order)
	for k := range c.Columns {
		c.Columns[k].Numbers, c.Columns[k].Words = inOrder(c.Columns[k].Numbers, order), inOrder(c.Columns[k].Words, order)
	}
}

func inOrder[T any](all []T, order []int) []T {
	if all == nil {
		return nil
	}
	sorted := make([]T, len(order))
	for i, k := range order {
		sorted[i] = all[k]
	}
	return sorted
}
