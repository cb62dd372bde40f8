package steps

import (
	"os"
	"path/filepath"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/results"
)

// displaced is a result file in fixed columns, whose header records begin with numbers, too.
const displaced = ` 100CL  101 1.000000000           3                     0    1           1
 -4  DISP        4    1
 -5  D1          1    2    1    0
 -5  ALL         1    2    0    0    1ALL
 -1       257-8.45052E-04-4.68941E-04 1.20000E-05
 -1       258 3.45000E-04-2.50000E-04-7.10000E-05
 -3
 -4  STRESS      6    1
 -5  SXX         1    4    1    1
 -1       257 1.10000E+02-4.00000E+01 2.00000E+00
 -3
`

func writtenFile(t *testing.T, name, text string) string {
	t.Helper()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
	return folder
}

func columnsBelow(after string, from, to int) *bench.Table {
	columns := [2]int{from, to}
	return &bench.Table{After: after, Columns: columns, Field: bench.FieldOfColumns(columns)}
}

func TestNumbersOfFixedColumnsAreRead(t *testing.T) {
	t.Parallel()
	folder := writtenFile(t, "a.frd", displaced)
	for name, c := range map[string]struct {
		table *bench.Table
		which int
		want  []float64
	}{
		"the first of three":      {columnsBelow("DISP", 14, 25), 0, []float64{-8.45052e-4, 3.45e-4}},
		"the second, which touch": {columnsBelow("DISP", 26, 37), 0, []float64{-4.68941e-4, -2.5e-4}},
		"of another block":        {columnsBelow("STRESS", 14, 25), 0, []float64{110}},
	} {
		value, err := ReadOne(bench.Output{Name: "x", File: "a.frd", Table: c.table, Which: c.which}, folder)
		require.NoError(t, err, name)
		require.NotNil(t, value.Samples, name)
		assert.Equal(t, c.want, value.Samples.Y, name)
	}
	ways, err := results.Ways("a.frd", []byte(displaced), results.Spot{Line: 5, Number: 3})
	require.NoError(t, err)
	found := 0
	for _, way := range ways {
		way.Name = "x"
		if value, err := ReadOne(way, folder); err == nil && (value.Samples == nil && value.Number == -8.45052e-4 || value.Samples != nil && value.Samples.Y[0] == -8.45052e-4) {
			found++
			assert.NotNil(t, way.Table)
		}
	}
	assert.Positive(t, found, "a way is offered where numbers touch")
}

func TestARowThatIsNoneIsNotRead(t *testing.T) {
	t.Parallel()
	folder := writtenFile(t, "rows.txt", "LOADS\n 1 10.0 5\n 2 30.0 5\n sum -45\n\nEMPTY\n 1 10.0 5\n 2      5\n 3 30.0 5\n")
	value, err := ReadOne(bench.Output{Name: "x", File: "rows.txt", Table: &bench.Table{After: "LOADS", Field: "2"}}, folder)
	require.NoError(t, err)
	assert.Equal(t, []float64{10, 30}, value.Samples.Y, "a footer is no row")
	_, err = ReadOne(bench.Output{Name: "x", File: "rows.txt", Table: &bench.Table{After: "EMPTY", Field: "2"}}, folder)
	assert.ErrorContains(t, err, `row 2 below "EMPTY" in rows.txt has 2 fields, and the first has 3: a cell is empty or numbers touch; give columns`)
	_, err = ReadOne(bench.Output{Name: "x", File: "rows.txt", Table: columnsBelow("EMPTY", 3, 7), Take: "peak"}, folder)
	assert.ErrorContains(t, err, `row 2 below "EMPTY", characters 3 to 7`, "an empty cell is said")
	value, err = ReadOne(bench.Output{Name: "x", File: "rows.txt", Table: columnsBelow("EMPTY", 9, 9)}, folder)
	require.NoError(t, err)
	assert.Equal(t, []float64{5, 5, 5}, value.Samples.Y)
}

func TestDecimalCommasAreReadOrRefused(t *testing.T) {
	t.Parallel()
	folder := writtenFile(t, "de.csv", "Frequenz;Pegel\n10,5000;-0,0001\n20,2500;-3,5\nGrenze: 1,25 MPa\n")
	curve := bench.Output{Name: "x", File: "de.csv", Curve: &bench.Curve{X: "1", Y: "2"}}
	table := bench.Output{Name: "x", File: "de.csv", Table: &bench.Table{After: "Frequenz", Field: "1"}}
	match := bench.Output{Name: "x", File: "de.csv", Match: `Grenze: (\S+)`}
	for _, out := range []bench.Output{curve, table, match} {
		_, err := ReadOne(out, folder)
		assert.ErrorContains(t, err, `decimal: ","`, "%v", out)
	}
	table.Commas, match.Commas = true, true
	value, err := ReadOne(table, folder)
	require.NoError(t, err)
	assert.Equal(t, []float64{10.5, 20.25}, value.Samples.Y)
	value, err = ReadOne(match, folder)
	require.NoError(t, err)
	assert.Equal(t, 1.25, value.Number)
	folder = writtenFile(t, "de.csv", "Frequenz;Pegel\n10,5000;-0,0001\n20,2500;-3,5\n")
	curve.Commas = true
	value, err = ReadOne(curve, folder)
	require.NoError(t, err)
	assert.Equal(t, []float64{-1e-4, -3.5}, value.Samples.Y)
}

func TestUTF16IsRead(t *testing.T) {
	t.Parallel()
	text := []byte{0xff, 0xfe}
	for _, unit := range utf16.Encode([]rune("last µ: 0.5\nmass: 12.5 kg\n")) {
		text = append(text, byte(unit), byte(unit>>8))
	}
	folder := writtenFile(t, "w.txt", string(text))
	value, err := ReadOne(bench.Output{Name: "x", File: "w.txt", Match: `mass: (\S+)`}, folder)
	require.NoError(t, err)
	assert.Equal(t, 12.5, value.Number)
}
