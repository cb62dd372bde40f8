package steps

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/solver"
)

// listing is a result as finite-element programs print it.
const listing = ` displacements (vx,vy,vz) for set PIN and time  0.5000000E+00

        11  1.000000E-01  2.0D-02 -3.000000E-01
        12  1.500000E-01  2.500000E-02 -3.500000E-01

 stresses (elem, integ.pnt.,sxx,syy) for set WEB and time  0.5000000E+00

 displacements (vx,vy,vz) for set PIN and time  0.1000000E+01

        11  2.000000E-01  4.000000E-02 -6.000000E-01
        12  3.000000E-01  5.000000E-02 -7.000000E-01

 stresses (elem, integ.pnt.,sxx,syy) for set WEB and time  0.1000000E+01

   elem  point  sxx  syy
         1   1  1.2E+02 -3.0E+01
         1   2  1.4E+02 -2.0E+01
         2   1  9.0E+01  0.0E+00
`

const answers = `{"list": [3, -1, 2], "curve": {"t": [0, 1, 2], "y": [5, 6, 4]}, "rows": [[0, 1], [2, 3]], "named": [{"t": 1, "y": 9}], "mixed": [1, "x"], "none": [], "word": "big"}`

// readOne reads the outputs of a bench from files that stand there already.
func readOne(t *testing.T, outputs string) (*bench.Bench, solver.Outputs, error) {
	b, err := read.Read("a.bench.yaml", []byte("bench: 1\ninputs: {a: {nominal: 1}}\nsolver: {steps: [{run: [true]}]}\noutputs:\n"+outputs))
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "frame.dat"), []byte(listing), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "a.json"), []byte(answers), 0o600))
	r, err := newReader(b.Outputs, b.InputNames())
	require.NoError(t, err)
	out, err := r.read(folder, nil, setBooks{})
	return b, out, err
}

func TestTablesInText(t *testing.T) {
	t.Parallel()
	b, out, err := readOne(t, `  tip: {file: frame.dat, table: {after: displacements, field: 4}, take: trough}
  early: {file: frame.dat, table: {after: displacements, field: 2}, which: first, take: peak}
  all: {file: frame.dat, table: {after: displacements, field: 3}, which: all}
  stress: {unit: MPa, file: frame.dat, table: {after: stresses, fields: {xx: 3, yy: 4}}}
  way: {file: frame.dat, table: {after: stresses}, curve: {x: "2", y: "3"}, which: 1}
`)
	require.NoError(t, err)
	assert.Equal(t, []float64{-0.7, 0.15}, out.Scalars)
	assert.Equal(t, []string{"tip", "early", "all", "stress.xx", "stress.yy", "way"}, []string{b.Outputs[0].Name, b.Outputs[1].Name, b.Outputs[2].Name, b.Outputs[3].Name, b.Outputs[4].Name, b.Outputs[5].Name})
	assert.Equal(t, []float64{0.02, 0.025, 0.04, 0.05}, out.Curves[0].Y)
	assert.Equal(t, []float64{120, 140, 90}, out.Curves[1].Y)
	assert.Equal(t, []float64{-30, -20, 0}, out.Curves[2].Y)
	assert.Nil(t, out.Curves[2].X)
	assert.Equal(t, "MPa", b.Outputs[3].Unit)
	assert.Equal(t, []float64{1, 2, 1}, out.Curves[3].X, "a heading without rows below it is passed over")
}

// mixed is a listing whose tables end with all kinds of lines.
const mixed = `POLAR of the sheave
  alpha     CL (-)    note
  (deg)
  -1.0      0.25      x
   0.0      0.50      x
  CONVERGED AFTER 2 POINTS
   7.0      9.99      x

FORCES
  1  2.5
  2  3.5
next page

  3  4.5
END OF FORCES
  4  9.9
BROKEN
  1  2.5  0
  2  ****  0
  3  4.5  0
LABELLED
  web   1.5
  rim   2.5
  2 rows
`

func TestTablesEndWhereTheirRowsEnd(t *testing.T) {
	t.Parallel()
	for outputs, want := range map[string][]float64{
		"{after: POLAR, field: 2}":                    {0.25, 0.5},
		"{after: POLAR, field: CL, header: true}":     {0.25, 0.5},
		"{after: POLAR, field: CL (-), header: true}": {0.25, 0.5},
		"{after: FORCES, field: 2}":                   {2.5, 3.5},
		"{after: FORCES, field: 2, rows: 3}":          {2.5, 3.5, 4.5},
		"{after: FORCES, field: 2, rows: 1}":          {2.5},
		"{after: FORCES, field: 2, until: END OF}":    {2.5, 3.5, 4.5},
		"{after: LABELLED, field: 2}":                 {1.5, 2.5},
	} {
		got, err := listed(t, mixed, outputs)
		require.NoError(t, err, outputs)
		assert.Equal(t, want, got, outputs)
	}
	_, err := listed(t, mixed, "{after: BROKEN, field: 2}")
	assert.ErrorContains(t, err, `row 2 below "BROKEN": in t.dat stands "****"`, "a number that did not fit its columns does not end the table")
	_, err = listed(t, mixed, "{after: POLAR, field: CM, header: true}")
	assert.ErrorContains(t, err, "with CM among them")
}

// listed reads a vector from a table.
func listed(t *testing.T, text, table string) ([]float64, error) {
	b, err := read.Read("a.bench.yaml", []byte("bench: 1\ninputs: {a: {nominal: 1}}\nsolver: {steps: [{run: [true]}]}\noutputs: {y: {file: t.dat, which: first, table: "+table+"}}\n"))
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "t.dat"), []byte(text), 0o600))
	r, err := newReader(b.Outputs, nil)
	require.NoError(t, err)
	out, err := r.read(folder, nil, setBooks{})
	if err != nil {
		return nil, err
	}
	return out.Curves[0].Y, nil
}

func TestCurvesOfTablesByTheNamesOfTheirColumns(t *testing.T) {
	t.Parallel()
	_, out, err := readOne(t, "  way: {file: frame.dat, table: {after: stresses, header: true}, curve: {x: point, y: sxx}}\n")
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 2, 1}, out.Curves[0].X)
	assert.Equal(t, []float64{120, 140, 90}, out.Curves[0].Y)
}

func TestTheRootOfADocument(t *testing.T) {
	t.Parallel()
	b, err := read.Read("a.bench.yaml", []byte(`bench: 1
inputs: {a: {nominal: 1}}
solver: {steps: [{run: [true]}]}
outputs: {top: {file: a.json, pointer: "", take: peak}, way: {file: a.json, pointer: "", curve: {x: t, y: y}}}
`))
	require.NoError(t, err)
	r, err := newReader(b.Outputs, nil)
	require.NoError(t, err)
	folder := t.TempDir()
	for text, wrong := range map[string]string{`[1, 7, 3]`: "output way", `{"t": [0, 1], "y": [2, 5]}`: "output top: at its root in a.json stands no list of numbers"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "a.json"), []byte(text), 0o600))
		_, err = r.read(folder, nil, setBooks{})
		assert.ErrorContains(t, err, wrong, "the other one is read")
	}
}

func TestListsAndCurvesAtPointers(t *testing.T) {
	t.Parallel()
	_, out, err := readOne(t, `  low: {file: a.json, pointer: /list, take: trough}
  way: {file: a.json, pointer: /curve, curve: {x: t, y: y}}
  area: {file: a.json, pointer: /curve, curve: {x: t, y: y}, take: integral}
  rows: {file: a.json, pointer: /rows, curve: {x: "1", y: "2"}}
  named: {file: a.json, pointer: /named, curve: {x: t, y: y}}
`)
	require.NoError(t, err)
	assert.Equal(t, []float64{-1, 10.5}, out.Scalars)
	assert.Equal(t, []float64{5, 6, 4}, out.Curves[0].Y)
	assert.Equal(t, []float64{1, 3}, out.Curves[1].Y)
	assert.Equal(t, []float64{9}, out.Curves[2].Y)
}

func TestWhatIsNotThereIsNamed(t *testing.T) {
	t.Parallel()
	for outputs, says := range map[string]string{
		"  a1: {file: frame.dat, table: {after: temperatures, field: 1}}":                 `no line of frame.dat contains "temperatures" with rows of numbers below it`,
		"  a1: {file: frame.dat, table: {after: displacements, field: 1}, which: 9}":      "has 2 tables below \"displacements\"; table 9 was asked for",
		"  a1: {file: frame.dat, table: {after: displacements, field: 9}}":                "has 4 fields, and field 9 is asked for",
		"  a1: {file: frame.dat, table: {after: displacements, field: 1, rows: 9}}":       "has fewer than the 9 rows asked for",
		"  a1: {file: frame.dat, table: {after: displacements, field: 1, until: end}}":    `no line of frame.dat contains "end", with which the table below "displacements" ends`,
		"  a1: {file: frame.dat, table: {after: displacements, field: vw, header: true}}": "no line from \"displacements\" on names 4 columns with vw among them",
		"  a1: {file: none.dat, table: {after: a, field: 1}}":                             "the steps wrote no file none.dat",
		"  a1: {file: a.json, pointer: /list}":                                            "take reduces a list",
		"  a1: {file: a.json, pointer: /mixed, take: peak}":                               `item 2: at /mixed in a.json stands "x" where a number was due`,
		"  a1: {file: a.json, pointer: /none, take: peak}":                                "it has no values",
		"  a1: {file: a.json, pointer: /word, take: peak}":                                "stands no list of numbers",
		"  a1: {file: a.json, pointer: /word, curve: {x: t, y: y}}":                       "stands no curve",
		"  a1: {file: a.json, pointer: /curve, curve: {x: t, y: z}}":                      "z: at /curve",
		"  a1: {file: a.json, pointer: /rows, curve: {x: \"1\", y: \"7\"}}":               "row 1 at /rows in a.json has no numbers for 1 and 7",
	} {
		_, _, err := readOne(t, outputs+"\n")
		assert.ErrorContains(t, err, says, outputs)
	}
}
