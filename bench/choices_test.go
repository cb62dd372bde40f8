package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// bolts is a catalog, as it was read.
func bolts() *Choices {
	c := &Choices{Catalog: "bolts.csv", Words: []string{"M16", "M10", "M12"}, Columns: []Column{
		{Name: "maker", Words: []string{"north", "7", "south"}}, {Name: "same", Numbers: []float64{1, 1, 1}}, {Name: "area", Numbers: []float64{157, 58, 84.3}},
	}}
	c.Sort()
	c.Number()
	return c
}

func crane() *Bench {
	return &Bench{Inputs: []Input{
		{Name: "reach", Nominal: Number(12)}, {Name: "bolt", Nominal: Value{Word: "M12"}, Choices: bolts()},
		{Name: "wood", Nominal: Value{Word: "ash"}, Choices: &Choices{Words: []string{"ash", "larch"}}}, {Name: "plate", Nominal: Number(8), Choices: &Choices{Numbers: []float64{5, 8, 12}}},
	}}
}

func TestRowsOfACatalogStandByTheirNumbers(t *testing.T) {
	t.Parallel()
	c := bolts()
	assert.Equal(t, []string{"M10", "M12", "M16"}, c.Words, "by the first column in which they differ")
	assert.Equal(t, []float64{58, 84.3, 157}, c.Columns[2].Numbers)
	assert.Equal(t, []string{"7", "south", "north"}, c.Columns[0].Words, "what belongs to a row goes with it")
	assert.Equal(t, map[string]int{"M10": 0, "M12": 1, "M16": 2}, c.Index)
	assert.True(t, c.Ordered())
	assert.True(t, Choices{Numbers: []float64{1, 2}}.Ordered())
	assert.False(t, Choices{Words: []string{"ash", "larch"}}.Ordered(), "words are not near to each other")
	assert.Equal(t, []int{3, 2}, []int{c.Count(), Choices{Numbers: []float64{1, 2}}.Count()})
	many := Choices{Numbers: []float64{1, 2, 3, 4, 5, 6, 7, 8, 9.5, 10}}
	assert.Equal(t, "1, 2, 3, 4, 5, 6, 7, 8 and 2 more", many.List())
	assert.Equal(t, "M10, M12, M16", c.List())
}

func TestColumnsOfACatalogAreNumbersOfADesign(t *testing.T) {
	t.Parallel()
	b := crane()
	assert.Equal(t, []string{"reach", "bolt", "wood", "plate", "bolt.same", "bolt.area"}, b.Variables())
	row := []float64{12, 2, 1, 8, 0, 0}
	b.FillColumns(row)
	assert.Equal(t, []float64{12, 2, 1, 8, 1, 157}, row)
	short := []float64{12, 2, 1, 8}
	b.FillColumns(short)
	assert.Equal(t, []float64{12, 2, 1, 8}, short, "a row without room for them stays")
	for name, want := range map[string]Value{"reach": Number(12), "bolt": {Word: "M16"}, "bolt.area": Number(157), "bolt.maker": {Word: "north"}, "wood": {Word: "larch"}, "plate": Number(8)} {
		value, known := b.ValueIn(row, name)
		require.True(t, known, name)
		assert.Equal(t, want, value, name)
	}
	for _, name := range []string{"depth", "bolt.depth", "wood.area", "reach.x", "bolt."} {
		_, known := b.ValueIn(row, name)
		assert.False(t, known, name)
	}
}

func TestWordsInFormulasAreExplained(t *testing.T) {
	t.Parallel()
	b := crane()
	for name, says := range map[string]string{
		"bolt":       "bolt is the name of a row of bolts.csv, and formulas compute with numbers: name a column, as in bolt.COLUMN",
		"wood":       "wood is a word, and formulas compute with numbers: make a catalog that has a column of numbers for each word",
		"wood.area":  "wood has no columns: only the rows of a catalog have",
		"bolt.aera":  "bolts.csv has no column aera; did you mean area? (it has maker, same, area)",
		"bolt.maker": `bolt.maker is no number everywhere: bolts.csv has "south" in that column`,
		"bolt.area":  "", "reach": "", "plate": "", "depth": "", "depth.area": "",
	} {
		assert.Equal(t, says, b.WordMistake(name), name)
	}
	b.Inputs[1].Choices.Columns = nil
	assert.Empty(t, b.WordMistake("bolt.anything"), "a catalog that is not read yet may have it")
}
