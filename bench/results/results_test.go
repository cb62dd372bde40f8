package results

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
)

const log = `ZIPSIM 2.1
CLEAR DISTANCE   12.5 m, slack 3mm
iteration 1: residual=0.5
iteration 2: residual=0.25

 displacements (vx,vy) for set PIN and time  0.5000000E+00

    11  1.0E-01  2.0E-02
    12  1.5E-01  2.5E-02

 displacements (vx,vy) for set PIN and time  0.1000000E+01

    11  2.0E-01  4.0E-02
    12  3.0E-01  5.0E-02
`

// TestANumberIsFoundAgain by the way that its file offers.
func TestANumberIsFoundAgain(t *testing.T) {
	t.Parallel()
	field := func(out bench.Output) bench.Output { out.File = "f"; return out }
	table := func(after, f, take string, which int) bench.Output {
		return field(bench.Output{Table: &bench.Table{After: after, Field: f}, Take: take, Which: which})
	}
	const after = "displacements (vx,vy) for set PIN and time"
	for _, c := range []struct {
		text         string
		line, number int
		offered      bench.Output
	}{
		{log, 2, 1, field(bench.Output{Match: `CLEAR\s+DISTANCE\s+(\S+)`})},
		{log, 2, 2, field(bench.Output{Match: `m,\s+slack\s+([-+]?[\d.]+(?:[eEdD][-+]?\d+)?)`})},
		{log, 3, 2, field(bench.Output{Match: `:\s+residual=(\S+)`, Which: 1})},
		{log, 4, 2, field(bench.Output{Match: `:\s+residual=(\S+)`})},
		{log, 9, 3, table(after, "3", "peak", 1)},
		{log, 14, 2, table(after, "2", "final", 0)},
		{log, 14, 2, table(after, "2", "", 0)},
		{`{"peak": 2.5, "all": [1, 7]}`, 1, 1, field(bench.Output{Pointed: true, Pointer: "/peak"})},
		{`{"peak": 2.5, "all": [1, 7]}`, 1, 3, field(bench.Output{Pointed: true, Pointer: "/all/1"})},
		{`{"peak": 2.5, "all": [1, 7]}`, 1, 3, field(bench.Output{Pointed: true, Pointer: "/all", Take: "final"})},
		{"[\n 3.5\n]", 2, 1, field(bench.Output{Pointed: true, Pointer: "/0"})},
		{"time;force\n0;1\n1;3\n", 3, 2, field(bench.Output{Curve: &bench.Curve{X: "time", Y: "force"}, Take: "peak"})},
		{"time;force\n0;1\n1;3\n", 3, 2, field(bench.Output{Curve: &bench.Curve{X: "time", Y: "force"}})},
		{"12.5 kg in all\n", 1, 1, field(bench.Output{Match: `(\S+)\s+kg\s+in\s+all`})},
	} {
		ways, err := Ways("f", []byte(c.text), Spot{Line: c.line, Number: c.number})
		require.NoError(t, err)
		assert.Contains(t, ways, c.offered, "line %d, number %d", c.line, c.number)
	}
	for _, at := range []Spot{{0, 1}, {99, 1}, {1, 0}, {5, 1}, {2, 3}} {
		_, err := Ways("f", []byte(log), at)
		assert.Error(t, err, at)
	}
	ways, err := Ways("f", []byte("1\n2\n"), Spot{Line: 2, Number: 1})
	require.NoError(t, err)
	assert.Empty(t, ways, "nothing stands about it")
}

func FuzzWays(f *testing.F) {
	f.Add([]byte(log), 9, 2)
	f.Add([]byte(`{"a": [1, {"b": 2}]}`), 1, 2)
	f.Fuzz(func(t *testing.T, text []byte, line, number int) {
		ways, err := Ways("f", text, Spot{Line: line, Number: number})
		if err != nil {
			return
		}
		_, err = NumberAt(text, Spot{Line: line, Number: number})
		require.NoError(t, err)
		for _, way := range ways {
			assert.Equal(t, "f", way.File)
		}
	})
}

// No part of what is no number as a whole is offered.
func TestPartsOfNumbersAreNoNumbers(t *testing.T) {
	t.Parallel()
	for line, want := range map[string][]string{
		"Total force: 1,234,567.8 N":  nil,
		"10,0000;-0,0001":             nil,
		"x 12,5 mm, y 3.5 mm":         {"3.5"},
		"1.2345-103 E":                {"1.2345-103"},
		"peak 3.33b-1 at 4":           {"4"},
		"0.88 - 0.3249i":              {"0.88"},
		"0.88-0.3249i":                {"0.88", "-0.3249"},
		"257-8.45052E-04-4.68941E-04": {"257", "-8.45052E-04", "-4.68941E-04"},
		"1.5,2.5,3":                   {"1.5", "2.5", "3"},
		"a, 1.5, 2.5":                 {"1.5", "2.5"},
		"2024-05-06 0.5mm":            {"2024", "0.5"},
	} {
		var got []string
		for _, span := range Numbers([]byte(line)) {
			got = append(got, line[span[0]:span[1]])
		}
		assert.Equal(t, want, got, line)
	}
}
