package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/words"
	"ropebench/core/formula"
)

const swingFile = `bench: 1
inputs:
  length: {nominal: 2, range: [1, 3]}
  end: {nominal: 5}
solver:
  dynamics:
    time: {from: 0, to: end, count: 51, unit: s}
    states:
      angle: {label: Angle, unit: rad, start: 0.1*length, rate: turn}
      turn: {start: 0, rate: -9.81/length*sin(angle) + push}
    signals:
      push: {unit: 1/s^2, formula: "time < wait ? 0.1 : 0"}
      wait: length/2
    accuracy: {relative: 1e-9}
derived:
  most: {unit: rad, formula: peak_abs(angle)}
`

func TestDynamicsAreRead(t *testing.T) {
	t.Parallel()
	b, err := Read("swing.bench.yaml", []byte(swingFile))
	require.NoError(t, err)
	system := b.System()
	assert.Equal(t, "wait", system.Signals[0].Name, "push comes behind what it uses")
	assert.Equal(t, []float64{1e-9, defaultAbsolute}, []float64{system.Relative, system.Absolute})
	given := b.Returns()
	require.Len(t, given, 4)
	assert.Equal(t, bench.Returned{Name: "angle", Label: "Angle", Unit: "rad", Shape: formula.Curve, X: "time", XUnit: "s"}, given[0])
	assert.Equal(t, "rad", b.Unit("angle"))
	assert.Contains(t, words.Solver(b), "2 differential equations over time from 0 to end")
	other, err := Read("swing.bench.yaml", []byte(strings.Replace(swingFile, "0.1*length", "0.2*length", 1)))
	require.NoError(t, err)
	changes := words.Changes(b, other, bench.Content{}, bench.Content{})
	require.Len(t, changes, 1)
	assert.Contains(t, changes[0], "angle from 0.2*length")
}

func TestMistakesInDynamicsAreExplained(t *testing.T) {
	t.Parallel()
	for from, says := range map[string]string{
		"to: end|to: angle":                                      `swing.bench.yaml:7: time: to: "angle" names angle, which changes with time`,
		"start: 0.1*length|start: turn":                          "turn, which changes with time: only inputs are known here",
		", count: 51|":                                           "time needs from, to and count",
		"rate: turn}|rate: most}":                                "most is derived from their results: make it a signal",
		"rate: turn}|rate: peak(turn)}":                          "read it off in derived",
		"rate: turn}|rate: turning}":                             "turning, which is no input, output or derived value; did you mean turn?",
		"rate: turn}|speed: turn}":                               `angle has no key "speed"`,
		"wait: length/2|wait: push":                              "computed from itself",
		"{relative: 1e-9}|{relative: 0}":                         "accuracy: relative is between 1e-13 and 1",
		"  end: {nominal: 5}|  time: {nominal: 5}":               "time is what the equations run over",
		"most: {unit: rad, formula: peak_abs(angle)}|most: time": "which is no input",
		"  dynamics:|  formulas: {a: 1}\n  dynamics:":            "exactly one of steps, formulas and dynamics, not 2",
		"count: 51|count: 2000000":                               "at most 1000000 samples are kept",
		", rate: turn}|}":                                        "angle needs its start and its rate of change",
	} {
		old, replacement, _ := strings.Cut(from, "|")
		require.Contains(t, swingFile, old)
		_, err := Read("swing.bench.yaml", []byte(strings.Replace(swingFile, old, replacement, 1)))
		assert.ErrorContains(t, err, says, from)
	}
}
