package bench

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// frame is a deck as another program wrote it: with fields, fixed columns, DOS line ends and a Latin-1 letter.
const frame = "** H\xf6he 3.5\r\n" +
	"*SHELL SECTION, ELSET=WEB\r\n" +
	"8.0, 5\r\n" +
	"*SHELL SECTION, ELSET=RIM\r\n" +
	"  12.0 , 5\r\n" +
	"TABLE\r\n" +
	"     1     0.500     2\r\n" +
	"     2     0.500     2\r\n" +
	"     3     0.500     2\r\n"

func put(t *testing.T, places ...Place) Deck {
	deck, problems := PutDeck("frame.inp", []byte(frame), places)
	require.Empty(t, problems)
	return deck
}

func TestPlacesAreFilledAndNothingElse(t *testing.T) {
	deck := put(t,
		Place{Input: "web", After: "ELSET=WEB", Line: 1, Field: 1},
		Place{Input: "rim", Lines: [2]int{5, 5}, Field: 1, Format: "%.2f"},
		Place{Input: "x", Lines: [2]int{7, 9}, Columns: [2]int{7, 16}})
	filled, err := deck.Fill(func(name string) Value { return Number(map[string]float64{"web": 6.25, "rim": 10, "x": 1.0 / 3}[name]) })
	require.NoError(t, err)
	want := strings.NewReplacer("8.0,", "6.25,", "12.0", "10.00", "     0.500", "0.33333333").Replace(frame)
	assert.Equal(t, want, string(filled))
	asRead := map[string]float64{}
	deck.AsWritten(func(string) Value { return Number(1.0 / 3) }, asRead)
	assert.Equal(t, map[string]float64{"web": 1.0 / 3, "rim": 0.33, "x": 0.33333333}, asRead)
	names, lines := deck.Names()
	assert.Equal(t, []string{"web", "rim", "x", "x", "x"}, names)
	assert.Equal(t, []int{3, 5, 7, 8, 9}, lines)
}

func TestValuesThatDoNotFitAreAnError(t *testing.T) {
	deck := put(t, Place{Input: "x", Lines: [2]int{7, 7}, Columns: [2]int{13, 16}})
	for value, want := range map[float64]string{0.5: " 0.5", 9999: "9999", 1e9: ""} {
		filled, err := deck.Fill(func(string) Value { return Number(value) })
		if want == "" {
			assert.ErrorContains(t, err, "line 7: x = 1e+09 does not fit into 4 columns")
			continue
		}
		require.NoError(t, err)
		assert.Contains(t, string(filled), want+"     2\r\n")
	}
	slot, _ := ParseDeck("d", []byte("@[x:%6.2f]|"))
	_, err := slot.Fill(func(string) Value { return Number(12345.678) })
	assert.ErrorContains(t, err, "does not fit into 6 columns", "a format with a width is a promise of columns")
}

func TestPlacesThatMoved(t *testing.T) {
	for says, place := range map[string]Place{
		`at the place stands "ELSET=WEB", which is no number`:           {Lines: [2]int{2, 2}, Field: 2},
		"the place is on line 40, and the file ends with line 10":       {Lines: [2]int{40, 40}, Field: 1},
		`no line contains "ELSET=FLANGE": was the file changed since?`:  {After: "ELSET=FLANGE", Field: 1},
		"2 lines contain \"SHELL\", the first are 2 and 4":              {After: "SHELL", Field: 1},
		"it has 2 fields, and field 9 is asked for; the line is \"8.0,": {Lines: [2]int{3, 3}, Field: 9},
		"it has 6 characters, fewer than column 20":                     {Lines: [2]int{3, 3}, Columns: [2]int{20, 30}},
	} {
		place.Input = "a"
		_, problems := PutDeck("frame.inp", []byte(frame), []Place{place})
		require.Len(t, problems, 1, says)
		assert.Contains(t, problems[0].Message, says)
	}
	_, problems := PutDeck("frame.inp", []byte(frame), []Place{{Input: "a", Lines: [2]int{3, 3}, Field: 1}, {Input: "b", Lines: [2]int{3, 3}, Columns: [2]int{1, 3}}})
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "overlaps that of a")
}

func TestNumbersAreListedWithTheirPlaces(t *testing.T) {
	var places []FoundNumber
	for _, n := range Numbers([]byte(frame)) {
		n.Row = ""
		places = append(places, n)
	}
	assert.Equal(t, []FoundNumber{{1, 3, "3.5", 3.5, ""}, {3, 1, "8.0", 8, ""}, {3, 2, "5", 5, ""}, {5, 1, "12.0", 12, ""}, {5, 2, "5", 5, ""},
		{7, 1, "1", 1, ""}, {7, 2, "0.500", 0.5, ""}, {7, 3, "2", 2, ""}, {8, 1, "2", 2, ""}, {8, 2, "0.500", 0.5, ""}, {8, 3, "2", 2, ""},
		{9, 1, "3", 3, ""}, {9, 2, "0.500", 0.5, ""}, {9, 3, "2", 2, ""}}, places)
}

const putBench = `bench: 1
inputs: {web: {nominal: 8, range: [4, 12]}, x: {nominal: 0.5}}
solver:
  steps:
    - fill: frame.inp
      put:
        web: {after: "ELSET=WEB", line: 1, field: 1}
        x: [{lines: 7, field: 2}, {lines: [8, 9], columns: [7, 16], format: "%10.3f"}]
    - run: [true]
outputs: {sag: {file: out, pointer: /sag}}
`

func TestPutInABenchFile(t *testing.T) {
	path := folder(t, map[string]string{"lift.bench.yaml": putBench, "frame.inp": frame})
	b, content, err := Load(path)
	require.NoError(t, err)
	assert.Len(t, b.Solver.Steps[0].Fill.Put, 3)
	changes, err := b.PlacesIn(content)
	require.NoError(t, err)
	require.Len(t, changes, 4)
	assert.Equal(t, Change{"web", "frame.inp", 3, "8.0, 5", "8, 5", "8.0", Number(8)}, changes[0])
	for from, says := range map[string]string{
		"field: 1}":              "needs its place in the line: field or columns",
		"after: \"ELSET=WEB\", ": "needs its line",
		"{lines: 7, field: 2}":   "line counts below",
		"\"%10.3f\"":             "is not one for a value",
		"lines: [8, 9]":          "upside down: write [8, 9]",
		"        web:":           "@[wep] is no input",
	} {
		to := map[string]string{"field: 1}": "}", "after: \"ELSET=WEB\", ": "", "{lines: 7, field: 2}": "{lines: 7, line: 1, field: 2}", "\"%10.3f\"": "\"%q\"",
			"lines: [8, 9]": "lines: [9, 8]", "        web:": "        wep:"}[from]
		path := folder(t, map[string]string{"lift.bench.yaml": strings.Replace(putBench, from, to, 1), "frame.inp": frame})
		_, _, err := Load(path)
		assert.ErrorContains(t, err, says)
	}
	path = folder(t, map[string]string{"lift.bench.yaml": putBench, "frame.inp": "** edited\r\n" + frame})
	_, _, err = Load(path)
	assert.ErrorContains(t, err, "was the file changed since?", "a deck that was edited is not filled at the wrong place")
}

func FuzzPut(f *testing.F) {
	f.Add([]byte(frame), 3, 1, 2, 5)
	f.Fuzz(func(t *testing.T, text []byte, line, field, from, to int) {
		deck, problems := PutDeck("d", text, []Place{{Input: "a", Lines: [2]int{max(1, line), max(1, line)}, Field: max(1, field)},
			{Input: "b", Lines: [2]int{1, 1}, Columns: [2]int{max(1, from), max(max(1, from), to)}}})
		if len(problems) > 0 {
			return
		}
		if filled, err := deck.Fill(func(string) Value { return Number(1) }); err == nil {
			_, _ = deck.Changes("d", text, func(string) Value { return Number(1) })
			require.NotEmpty(t, filled)
		}
	})
}
