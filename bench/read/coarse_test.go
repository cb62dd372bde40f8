package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/words"
)

const coarseBench = `bench: 1
inputs: {web: {nominal: 8, range: [4, 12]}}
solver:
  steps: [{run: [frame, "64", "@[web]"]}]
  coarse:
    steps: [{fill: rough.inp}, {run: [frame, "8", "@[web]"]}]
outputs:
  sag:  {file: out, pointer: /sag}
  mass: {file: out, pointer: /mass}
derived: {double: 2*web, dear: 3*mass}
`

func TestACoarseVariantOfASolver(t *testing.T) {
	t.Parallel()
	files := map[string]string{"lift.bench.yaml": coarseBench, "rough.inp": "thickness @[web]\n"}
	b, content, err := Load(benchtest.Folder(t, files))
	require.NoError(t, err)
	assert.Contains(t, content.Files, "rough.inp", "it is kept with the revision")
	variant := b.CoarseVariant()
	assert.Equal(t, b.Solver.Coarse.Steps, variant.Solver.Steps)
	assert.Len(t, b.Solver.AllSteps(), 3)
	assert.Nil(t, variant.CoarseVariant())
	assert.Equal(t, "run frame 64 @[web]; coarsely: fill rough.inp, then run frame 8 @[web]", words.Solver(b))

	by := func(formulas string) (string, error) {
		a, e := strings.Index(coarseBench, "    steps: [{fill"), strings.Index(coarseBench, "outputs:")
		b, err := Read("lift.bench.yaml", []byte(coarseBench[:a]+"    "+formulas+"\n"+coarseBench[e:]))
		if err != nil {
			return "", err
		}
		assert.Equal(t, "mass", b.CoarseVariant().Solver.Formulas[0].Name, "in the order in which they can be computed")
		assert.Len(t, b.CoarseVariant().Returns(), 2)
		return words.Solver(b), nil
	}
	says, err := by("formulas: {sag: 1/mass, mass: 3*web}")
	require.NoError(t, err)
	assert.Equal(t, "run frame 64 @[web]; coarsely: 2 formulas", says)
	for formulas, mistake := range map[string]string{
		"formulas: {mass: 3*web}":                       "lift.bench.yaml:6: coarse: there is no formula for sag: the coarse variant gives every output",
		"formulas: {sag: 1/web, mass: web, sags: web}":  "coarse: sags is no output; did you mean sag?",
		"formulas: {sag: 1/double, mass: web}":          "double of sag is derived from their results: write out its formula",
		"formulas: {sag: mass, mass: sag}":              "computed from itself",
		"formulas: {sag: {formula: web}, mass: web}":    "write its formula alone",
		"steps: [{run: [frame]}]\n    formulas: {a: 1}": "either by steps, or by a formula for each output",
		"steps: []":        "either by steps, or by a formula for each output",
		"step: [{run: x}]": "step",
	} {
		_, err := by(formulas)
		assert.ErrorContains(t, err, mistake, formulas)
	}
	_, err = Read("lift.bench.yaml", []byte("bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver:\n  formulas: {f: a}\n  coarse: {formulas: {f: a}}\n"))
	assert.ErrorContains(t, err, "lift.bench.yaml:5: coarse is for a solver of steps")
	_, err = Read("lift.bench.yaml", []byte(strings.Replace(coarseBench, "file: out, pointer: /sag", "answer: /sag", 1)))
	assert.ErrorContains(t, err, "no step asks one", "the coarse steps are to answer, too")
}
