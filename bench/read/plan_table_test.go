package read

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
)

const tabled = winchFile + `studies:
  measured: {kind: sample, plan: table, table: measured.csv}
`

func TestPointsAreReadFromATable(t *testing.T) {
	t.Parallel()
	b, content, err := loadFiles(t, tabled, map[string]string{"ropes.csv": benchtest.Ropes, "measured.csv": "evaluation,state,plate [mm],rope,mass\n1,ok,6,S16,11.2\n2,failed,8,P14,\n"})
	require.NoError(t, err)
	assert.Contains(t, content.Files, "measured.csv", "the table belongs to the revision")
	study, _ := b.Study("measured")
	table := study.Settings.(*bench.Sample).Rows
	require.NotNil(t, table)
	assert.Equal(t, []string{"plate", "rope"}, table.Inputs)
	assert.Equal(t, [][]float64{{6, 2}, {8, 0}}, table.Designs, "a row of a catalog by its index")
	assert.Equal(t, []string{"mass"}, table.Outputs)
	assert.Equal(t, 11.2, table.Values[0][0])
	assert.True(t, math.IsNaN(table.Values[1][0]), "what is not known")
}

func TestMistakesInATableOfPointsAreSaid(t *testing.T) {
	t.Parallel()
	for text, says := range map[string]string{
		"plate,rope\n":            "this has 1 rows",
		"plate,rops\n6,S12\n":     "measured.csv:1: the column rops is no input and no output of the bench; did you mean rope?",
		"plate,plate\n6,6\n":      "two columns are headed plate",
		"mass\n3\n":               "no column is headed by an input",
		"plate,rope\n6\n":         "measured.csv:2: the row has 1 cells, and the header 2",
		"plate,rope\nsix,S12\n":   `column plate: "six" is no number`,
		"plate,rope\n,S12\n":      "the cell is empty: write the value of plate",
		"plate,rope\n6,S99\n":     "S99",
		"plate,mass\n6,1e999\n":   "is no number",
		"plate,rope\n6,\"S12\n\n": "cannot be read",
	} {
		_, _, err := loadFiles(t, tabled, map[string]string{"ropes.csv": benchtest.Ropes, "measured.csv": text})
		assert.ErrorContains(t, err, says, text)
	}
	_, _, err := loadFiles(t, tabled, map[string]string{"ropes.csv": benchtest.Ropes})
	assert.ErrorContains(t, err, "the file measured.csv is missing")
}
