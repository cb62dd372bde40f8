package deck

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
)

const frame = benchtest.Frame

func put(t *testing.T, places ...bench.Place) Deck {
	deck, problems := Put("frame.inp", []byte(frame), places)
	require.Empty(t, problems)
	return deck
}

func TestPlacesAreFilledAndNothingElse(t *testing.T) {
	t.Parallel()
	deck := put(t,
		bench.Place{Input: "web", After: "ELSET=WEB", Line: 1, Field: 1},
		bench.Place{Input: "rim", Lines: [2]int{5, 5}, Field: 1, Format: "%.2f"},
		bench.Place{Input: "x", Lines: [2]int{7, 9}, Columns: [2]int{7, 16}})
	filled, err := deck.Fill(func(name string) bench.Value {
		return bench.Number(map[string]float64{"web": 6.25, "rim": 10, "x": 1.0 / 3}[name])
	})
	require.NoError(t, err)
	want := strings.NewReplacer("8.0,", "6.25,", "12.0", "10.00", "     0.500", "0.33333333").Replace(frame)
	assert.Equal(t, want, string(filled))
	asRead := map[string]float64{}
	deck.AsWritten(func(string) bench.Value { return bench.Number(1.0 / 3) }, asRead)
	assert.Equal(t, map[string]float64{"web": 1.0 / 3, "rim": 0.33, "x": 0.33333333}, asRead)
	names, lines := deck.Names()
	assert.Equal(t, []string{"web", "rim", "x", "x", "x"}, names)
	assert.Equal(t, []int{3, 5, 7, 8, 9}, lines)
}

func TestValuesThatDoNotFitAreAnError(t *testing.T) {
	t.Parallel()
	deck := put(t, bench.Place{Input: "x", Lines: [2]int{7, 7}, Columns: [2]int{13, 16}})
	for value, want := range map[float64]string{0.5: " 0.5", 9999: "9999", 1e9: ""} {
		filled, err := deck.Fill(func(string) bench.Value { return bench.Number(value) })
		if want == "" {
			assert.ErrorContains(t, err, "line 7: x = 1e+09 does not fit into 4 columns")
			continue
		}
		require.NoError(t, err)
		assert.Contains(t, string(filled), want+"     2\r\n")
	}
	blank, _ := Parse("d", []byte("@[x:%6.2f]|"))
	_, err := blank.Fill(func(string) bench.Value { return bench.Number(12345.678) })
	assert.ErrorContains(t, err, "does not fit into 6 columns", "a format with a width is a promise of columns")
}

func TestWholeNumbersOfAnySizeAreWritten(t *testing.T) {
	t.Parallel()
	assert.Equal(t, "100000000000000000000", WriteNumber(1e20, "%d"))
	assert.Equal(t, "   -4", WriteNumber(-3.6, "%5d"))
	assert.Equal(t, "+0003", WriteNumber(3, "%+05d"))
}

func TestPlacesThatMoved(t *testing.T) {
	t.Parallel()
	for says, place := range map[string]bench.Place{
		`at the place stands "ELSET=WEB", which is no number`:           {Lines: [2]int{2, 2}, Field: 2},
		"the place is on line 40, and the file ends with line 10":       {Lines: [2]int{40, 40}, Field: 1},
		`no line contains "ELSET=FLANGE": was the file changed since?`:  {After: "ELSET=FLANGE", Field: 1},
		"2 lines contain \"SHELL\", the first are 2 and 4":              {After: "SHELL", Field: 1},
		"it has 2 fields, and field 9 is asked for; the line is \"8.0,": {Lines: [2]int{3, 3}, Field: 9},
		"it has 6 characters, fewer than column 20":                     {Lines: [2]int{3, 3}, Columns: [2]int{20, 30}},
	} {
		place.Input = "a"
		_, problems := Put("frame.inp", []byte(frame), []bench.Place{place})
		require.Len(t, problems, 1, says)
		assert.Contains(t, problems[0].Message, says)
	}
	_, problems := Put("frame.inp", []byte(frame), []bench.Place{{Input: "a", Lines: [2]int{3, 3}, Field: 1}, {Input: "b", Lines: [2]int{3, 3}, Columns: [2]int{1, 3}}})
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "overlaps that of a")
}

func TestNumbersAreListedWithTheirPlaces(t *testing.T) {
	t.Parallel()
	var places []FoundNumber
	for _, n := range Numbers([]byte(frame)) {
		n.Row = ""
		places = append(places, n)
	}
	assert.Equal(t, []FoundNumber{{Line: 1, Field: 3, Text: "3.5", Value: 3.5, Row: ""}, {Line: 3, Field: 1, Text: "8.0", Value: 8, Row: ""}, {Line: 3, Field: 2, Text: "5", Value: 5, Row: ""}, {Line: 5, Field: 1, Text: "12.0", Value: 12, Row: ""}, {Line: 5, Field: 2, Text: "5", Value: 5, Row: ""},
		{Line: 7, Field: 1, Text: "1", Value: 1, Row: ""}, {Line: 7, Field: 2, Text: "0.500", Value: 0.5, Row: ""}, {Line: 7, Field: 3, Text: "2", Value: 2, Row: ""}, {Line: 8, Field: 1, Text: "2", Value: 2, Row: ""}, {Line: 8, Field: 2, Text: "0.500", Value: 0.5, Row: ""}, {Line: 8, Field: 3, Text: "2", Value: 2, Row: ""},
		{Line: 9, Field: 1, Text: "3", Value: 3, Row: ""}, {Line: 9, Field: 2, Text: "0.500", Value: 0.5, Row: ""}, {Line: 9, Field: 3, Text: "2", Value: 2, Row: ""}}, places)
}

func FuzzPut(f *testing.F) {
	f.Add([]byte(frame), 3, 1, 2, 5)
	f.Fuzz(func(t *testing.T, text []byte, line, field, from, to int) {
		deck, problems := Put("d", text, []bench.Place{{Input: "a", Lines: [2]int{max(1, line), max(1, line)}, Field: max(1, field)},
			{Input: "b", Lines: [2]int{1, 1}, Columns: [2]int{max(1, from), max(max(1, from), to)}}})
		if len(problems) > 0 {
			return
		}
		if filled, err := deck.Fill(func(string) bench.Value { return bench.Number(1) }); err == nil {
			_, _ = deck.Changes("d", text, func(string) bench.Value { return bench.Number(1) })
			require.NotEmpty(t, filled)
		}
	})
}
