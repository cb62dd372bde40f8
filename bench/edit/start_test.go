package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/read"
)

func TestANewBenchFileIsValid(t *testing.T) {
	t.Parallel()
	deck := []byte(plateDeck)
	for name, c := range map[string]struct {
		begin  Beginning
		inputs []string
		says   string
	}{
		"numbers by name": {Beginning{Name: "plate", Decks: []Deck{{File: "plate.inp", Text: deck, Takes: []NamedNumber{{"web", NumberPlace{Line: 2, Field: 1}}, {"gap", NumberPlace{Line: 4, Field: 2}}, {"gap", NumberPlace{Line: 5, Field: 2}}}}}, Run: []string{"ccx", "plate"}},
			[]string{"web", "gap"}, "gap: {lines: [4, 5], field: 2}"},
		"nothing chosen": {Beginning{Name: "plate", Decks: []Deck{{File: "plate.inp", Text: deck, Takes: nil}}, Run: nil}, []string{"first_number"}, "#   {lines: 4, field: 1}   1 in 1, 7.5, 2"},
		"blanks":         {Beginning{Name: "plate", Decks: []Deck{{File: "a.deck", Text: []byte("k @[rate]\nm @[mass:%8.3f]\n"), Takes: nil}}, Run: nil}, []string{"rate", "mass"}, "- fill: a.deck"},
		"no deck":        {Beginning{Name: "plate"}, []string{"load"}, `run: ["your-solver"]`},
	} {
		t.Run(name, func(t *testing.T) {
			text, err := c.begin.Text()
			require.NoError(t, err)
			assert.Contains(t, text, c.says)
			b, err := read.Read("plate.bench.yaml", []byte(text))
			require.NoError(t, err, text)
			assert.Equal(t, c.inputs, b.InputNames())
		})
	}
	_, err := Beginning{Name: "plate", Decks: []Deck{{File: "plate.inp", Text: deck, Takes: []NamedNumber{{"web", NumberPlace{Line: 1, Field: 1}}}}}, Run: nil}.Text()
	assert.EqualError(t, err, "plate.inp has no number on line 1 in field 1: `ropebench deck plate.inp` lists those that it has")
	path, err := DeckPath("/home/plate", "/home/plate/decks/a.inp")
	require.NoError(t, err)
	assert.Equal(t, "decks/a.inp", path)
	_, err = DeckPath("/home/plate", "/home/a.inp")
	assert.ErrorContains(t, err, "copy it there")
}
