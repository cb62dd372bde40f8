package plain_test

import (
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/plain"
	"ropebench/core/curve"
)

func TestTablesArePartedByWhatTheirFirstRowHas(t *testing.T) {
	t.Parallel()
	for text, want := range map[string][][]string{
		"x,y\n1,2\n":             {{"x", "y"}, {"1", "2"}},
		"x;y, mm\n1; 2 \n":       {{"x", "y, mm"}, {"1", "2"}},
		"x\ty\n1\t2":             {{"x", "y"}, {"1", "2"}},
		"  x   y\n\n 1 \t 2\n":   {{"x", "y"}, {"1", "2"}},
		"\"time, s\",y\n\"1\",2": {{"time, s", "y"}, {"1", "2"}},
		"\ufeffx,y\r\n1,2\r\n":   {{"x", "y"}, {"1", "2"}},
		"# a, b\n\n1 2\n# c\n3":  {{"1", "2"}, {"3"}},
		"":                       nil,
	} {
		table := plain.NewTable(strings.NewReader(text))
		var rows [][]string
		row, _, err := table.Read()
		for ; err == nil; row, _, err = table.Read() {
			rows = append(rows, slices.Clone(row))
		}
		assert.ErrorIs(t, err, io.EOF, "%q", text)
		assert.Equal(t, want, rows, "%q", text)
	}
}

func TestTablesSayOnWhichLineARowStands(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]int{"# made up\n\nx,y\n1,2\n\n1,?": 6, "# made up\n\nx y\n1 2\n\n1 ?": 6, "# made up\nx,y\n1,\"2": 3} {
		_, err := plain.Curve(strings.NewReader(text), "t.csv", "x", "y")
		assert.ErrorContains(t, err, "line "+plain.Exact(float64(want))+" of t.csv", "%q", text)
	}
	_, err := plain.Curve(io.MultiReader(strings.NewReader("x,y\n1,2\n"), broken{}), "t.csv", "x", "y")
	assert.ErrorIs(t, err, errBroken)
	c, err := plain.Curve(strings.NewReader("0 1\n2 3D0\n"), "t", "1", "2")
	require.NoError(t, err)
	assert.Equal(t, curve.Curve{X: []float64{0, 2}, Y: []float64{1, 3}}, c)
}

var errBroken = errors.New("the disk is gone")

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errBroken }

func TestNoTextCommandsATerminal(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"a\tb\r\nc µ €":                                                  "a\tb\nc µ €",
		"\x1b[31mred\x1b[0m \x1b[2J\x1b[1;1Hhome":                        "red home",
		"\x1b]0;title\x07shown \x1b]8;;http://x\x1b\\link\x1b]8;;\x1b\\": "shown link",
		"\x1b]52;c;aGVsbG8=":                                             "",
		"\x1bcreset \x1b(B":                                              "reset ",
		"bell\x07 back\x08 \u009b31m \u202eturned":                       "bell· back· ·31m ·turned",
		"not utf8 \xff":                                                  "not utf8 ·",
	} {
		assert.Equal(t, want, plain.Printable(text), "%q", text)
	}
}

func TestColumnsAreFoundByWhatTheHeaderSays(t *testing.T) {
	t.Parallel()
	for text, columns := range map[string][2]string{
		"1D0 2d0\n3D+00 4\n":                             {"1", "2"},
		"\ufeff1.5E0,2\n3,4\n":                           {"1", "2"},
		"time [s]  decel [g]\n1 2\n3 4\n":                {"time", "decel"},
		"time [s],decel (g)\n1,2\n3,4\n":                 {"time", "decel (g)"},
		"run time decel\nfirst 1 2\nsecond 3 4\n":        {"time", "decel"},
		"run time decel\nfirst 1 2\nsecond 3 4\nx 5 6\n": {"2", "3"},
		"a,b,\n1,2,\n3,4,\n":                             {"a", "b"},
		"a;1;2\nb;3;4\n":                                 {"2", "3"},
		"time [s]  decel [g]\n1 2 5 7\n3 4 5 7\n":        {"1", "2"},
	} {
		c, err := plain.Curve(strings.NewReader(text), "t", columns[0], columns[1])
		require.NoError(t, err, "%q", text)
		assert.Equal(t, []float64{2, 4}, c.Y[:2], "%q", text)
	}
	for text, want := range map[string]string{
		"time [s]  decel [g]\n1 2 5 7\n": "line 2 of t: the row has 4 cells (1 | 2 | 5 | 7), and the header on line 1 names 2 (time [s] | decel [g])",
		"time decel note\n1 2\n":         "the row has 2 cells (1 | 2), and the header on line 1 names 3",
		"time decel\n1 2\n3 4 5\n":       "line 3 of t: the row has 3 cells",
		"time decel\n0,5 1,2\n":          "stands \"0,5\", a number with a decimal comma",
		"time;decel\n0,5;1,2\n":          "stands \"0,5\", a number with a decimal comma",
		"time\tdecel\n0,5\t1,2\n":        "stands \"0,5\", a number with a decimal comma",
		"time,width\n1,2\n":              "has no column \"decel\"; it has time, width",
		"1,2\n3,4\n":                     "has no header and 2 columns",
	} {
		_, err := plain.Curve(strings.NewReader(text), "t", "time", "decel")
		assert.ErrorContains(t, err, want, "%q", text)
	}
	_, err := plain.Curve(strings.NewReader("0,5 1,2\n0,7 1,3\n"), "t", "1", "1")
	assert.ErrorIs(t, err, plain.ErrDecimalComma, "and not cut to 0")
}
