package deck

import (
	"math"
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
	want := strings.NewReplacer("8.0,", "6.25,", "12.0", "10.00", "     0.500", " 0.3333333").Replace(frame)
	assert.Equal(t, want, string(filled))
	asRead := map[string]float64{}
	deck.AsWritten(func(string) bench.Value { return bench.Number(1.0 / 3) }, asRead)
	assert.Equal(t, map[string]float64{"web": 1.0 / 3, "rim": 0.33, "x": 0.3333333}, asRead)
	var names []string
	var at []int
	for _, blank := range deck.Blanks() {
		names, at = append(names, blank.Text), append(at, blank.Line)
	}
	assert.Equal(t, []string{"web", "rim", "x", "x", "x"}, names)
	assert.Equal(t, []int{3, 5, 7, 8, 9}, at)
}

// TestANumberIsWrittenAsTheOneThatStoodThere: with its point, its decimals and its kind of exponent, in its columns, on its side, and
// apart from its neighbour.
func TestANumberIsWrittenAsTheOneThatStoodThere(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		line    string
		columns [2]int // none: field 2
		value   float64
		want    string
	}{
		{"GW 200. 7", [2]int{}, 210, "GW 210. 7"},
		{"GW 8.0 7", [2]int{}, 9, "GW 9.0 7"},
		{"GW 8 7", [2]int{}, 9, "GW 9 7"},
		{"GW 8.0 7", [2]int{}, 9.125, "GW 9.125 7"},
		{"GW 2.1E+11 7", [2]int{}, 2e11, "GW 2.0E+11 7"},
		{"GW 2.1+11 7", [2]int{}, 1.95e11, "GW 1.95+11 7"},
		{"X     0.51500     2", [2]int{2, 13}, 0.5, "X     0.50000     2"},
		{"X     0.51500     2", [2]int{2, 13}, -0.515, "X    -0.51500     2"},
		{"X     0.51500     2", [2]int{2, 13}, 1.0 / 3, "X 0.333333333     2"},
		{"X      200.     2", [2]int{2, 11}, 12.5, "X      12.5     2"},
		{"0.00-0.51500", [2]int{5, 12}, -0.25, "0.00-0.25000"},
		{"0.00-0.51500", [2]int{5, 12}, 0.25, "0.00 0.25000"},
		{"1.5    7", [2]int{1, 7}, 22.25, "22.25  7"},
		{"1.5    7", [2]int{1, 7}, 1.0 / 3, "0.3333 7"},
		{"     7      8", [2]int{1, 6}, 1234, "  1234      8"},
	} {
		place := bench.Place{Input: "x", Lines: [2]int{1, 1}, Columns: c.columns}
		if c.columns == [2]int{} {
			place.Field = 2
		}
		deck, problems := Put("d", []byte(c.line), []bench.Place{place})
		require.Empty(t, problems, c.line)
		filled, err := deck.Fill(func(string) bench.Value { return bench.Number(c.value) })
		require.NoError(t, err, c.line)
		assert.Equal(t, c.want, string(filled))
	}
	same, problems := Put("d", []byte("X   0.51500"), []bench.Place{{Input: "x", Lines: [2]int{1, 1}, Columns: [2]int{2, 11}}})
	require.Empty(t, problems)
	_, err := same.Fill(func(string) bench.Value { return bench.Number(1234567890123) })
	require.NoError(t, err, "1.235E+12 has four digits")
	_, err = same.Fill(func(string) bench.Value { return bench.Number(-1.23456e-120) })
	assert.ErrorContains(t, err, "line 1: x = -1.23456e-120 does not fit into 9 columns")
	blank, _ := Parse("d", []byte("@[x:%6.2f]|"))
	_, err = blank.Fill(func(string) bench.Value { return bench.Number(12345.678) })
	assert.ErrorContains(t, err, "does not fit into 6 columns", "a format with a width is a promise of columns")
}

// TestFormulasEnterADeck in blanks and at places.
func TestFormulasEnterADeck(t *testing.T) {
	t.Parallel()
	values := func(name string) bench.Value {
		return map[string]bench.Value{"reflector": bench.Number(3), "rope.mass": bench.Number(0.5), "pad": {Word: "soft"}, "endless": bench.Number(math.Inf(1))}[name]
	}
	deck, problems := Parse("d", []byte("@[-reflector/2:%10.5f]|@[reflector > 2 ? 1 : 0]|@[max(reflector, 4)*rope.mass]|@@[reflector]"))
	require.Empty(t, problems)
	filled, err := deck.Fill(values)
	require.NoError(t, err)
	assert.Equal(t, "  -1.50000|1|2|@[reflector]", string(filled))
	assert.Equal(t, []string{"reflector", "rope.mass"}, deck.Blanks()[2].Names)
	read := map[string]float64{}
	deck.AsWritten(values, read)
	assert.Empty(t, read, "what enters a formula is used with all its digits")

	at, problems := Put("d", []byte("GW 1.5 -1.5"), []bench.Place{{Input: "-reflector/2", Lines: [2]int{1, 1}, Field: 3}, {Input: "reflector/2", Lines: [2]int{1, 1}, Field: 2}})
	require.Empty(t, problems)
	filled, err = at.Fill(func(string) bench.Value { return bench.Number(4) })
	require.NoError(t, err)
	assert.Equal(t, "GW 2.0 -2.0", string(filled))

	for text, says := range map[string]string{"@[reflector/]": "neither a name nor a formula of inputs", "@[1/(reflector-3)]": "is not a finite number", "@[endless]": "endless is not a finite number", "@[2*pad]": "2*pad cannot be calculated, since pad is soft"} {
		deck, problems := Parse("d", []byte(text))
		if len(problems) > 0 {
			assert.Contains(t, problems[0].Message, says)
			continue
		}
		_, err := deck.Fill(values)
		assert.ErrorContains(t, err, says)
	}
}

// TestAlignedLinesHaveColumns: numbers that end or begin below each other, or that touch, stand in columns.
func TestAlignedLinesHaveColumns(t *testing.T) {
	t.Parallel()
	const text = `CE antenna of a crane
GW  1  11   0.000  -0.2575   0.0
GW  2  11  12.500  -0.2500  10.0
GW  3   9   0.125   0.1000   0.5
free 1 2 3
free 12 13 14
1.0   22.5
3.125 7.0
10.0  8.25
  0.00-0.51500
*ELASTIC, 2
210000., 0.3
`
	columns := map[int][]any{}
	for _, n := range Numbers([]byte(text)) {
		if n.Columns != [2]int{} {
			columns[n.Line] = append(columns[n.Line], n.Columns)
		} else {
			columns[n.Line] = append(columns[n.Line], n.Field)
		}
	}
	cards := []any{[2]int{3, 5}, [2]int{6, 9}, [2]int{10, 17}, [2]int{18, 26}, [2]int{27, 32}}
	assert.Equal(t, map[int][]any{2: cards, 3: cards, 4: cards, 5: {2, 3, 4}, 6: {2, 3, 4}, 7: {[2]int{1, 6}, [2]int{7, 10}}, 8: {[2]int{1, 6}, [2]int{7, 9}}, 9: {[2]int{1, 6}, [2]int{7, 10}},
		10: {[2]int{1, 6}, [2]int{7, 14}}, 11: {2}, 12: {1, 2}}, columns)
	segments := Segments([]byte(text), []bench.Place{{Input: "reach", Lines: [2]int{10, 10}, Columns: [2]int{7, 14}}}, 10, 1)
	assert.Equal(t, []string{"  ", "0.00", "-0.51500"}, []string{segments[0][0].Text, segments[0][1].Text, segments[0][2].Text})
	assert.Equal(t, []string{"reach"}, segments[0][2].Inputs)
	assert.Empty(t, segments[0][1].Inputs)
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
