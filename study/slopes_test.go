package study_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/study"
)

const models = `bench: 1
inputs:
  a: {nominal: 1.5, range: [1, 2]}
  b: {nominal: 0.5, range: [0, 1]}
  rope: {nominal: S, catalog: ropes.csv}
`

// slopesOf gives the values of a model at its nominal design, moved by da, and its derivatives.
func slopesOf(t *testing.T, file string, da float64) (map[string]float64, study.Slopes) {
	folder := t.TempDir()
	path := filepath.Join(folder, "a.bench.yaml")
	require.NoError(t, os.WriteFile(path, []byte(models+file), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ropes.csv"), []byte("name,mass\nS,0.5\nH,2\n"), 0o600))
	b, content, err := bench.Load(path)
	require.NoError(t, err)
	w := open(t, t.TempDir())
	saved, err := w.store.SaveRevision("drum", folder, "", content)
	require.NoError(t, err)
	run := w.run(t, saved.Revision, study.Question{Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"a": bench.Number(1.5 + da)}})
	require.NotNil(t, run.Best, run.LastWhy)
	_, m, err := study.Ask(b, run.Question)
	require.NoError(t, err)
	var slopes study.Slopes
	require.NoError(t, w.store.Evaluations(run.ID, 1, func(r dispatch.Record) bool {
		slopes, err = m.Slopes(r)
		return true
	}))
	require.NoError(t, err)
	return run.Best.Values, slopes
}

func TestSlopesFollowTheWayOfAValue(t *testing.T) {
	for name, file := range map[string]string{
		"formulas": `solver: {formulas: {f: a^2*b + rope.mass*a, g: sin(f)}}
derived: {only: a*b, both: g*only + a}
requirements: {R1: {of: both/a, at_most: 9}}
`,
		"curves": `solver:
  formulas:
    way: {along: {x: {from: 0, to: 2, count: 21}}, is: "a*x^2 - b*x*rope.mass"}
    flat: {along: {z: {from: 0, to: 1, count: 3}}, is: a^3}
derived: {rise: slope(way), steep: peak(rise), area: "integral(way)*a + final(flat)"}
requirements: {R1: {of: way, at_most: 9}, R2: {of: steep^2, at_most: 99}}
`,
		"equations": `solver:
  dynamics:
    time: {from: 0, to: 1 + a, count: 11}
    states: {x: {start: b, rate: a*v}, v: {start: rope.mass, rate: "-x + (x > 0.6 ? a : 0)"}}
derived: {end: final(x)*a, top: peak(v)}
requirements: {R1: {of: x, at_least: -9}}
`,
	} {
		t.Run(name, func(t *testing.T) {
			const h = 1e-5
			_, slopes := slopesOf(t, file, 0)
			above, _ := slopesOf(t, file, h)
			below, _ := slopesOf(t, file, -h)
			assert.Equal(t, []string{"a", "b"}, slopes.Inputs)
			require.Len(t, slopes.Values, len(above), "every value has derivatives")
			for value, derivatives := range slopes.Values {
				assert.InDelta(t, (above[value]-below[value])/(2*h), derivatives[0], 2e-4, value)
			}
		})
	}
}

func TestWhereSlopesAreNotKnown(t *testing.T) {
	m, err := study.NewModel(&bench.Bench{Inputs: []bench.Input{{Name: "a"}}}, bench.Study{Kind: study.KindTry}, nil)
	require.NoError(t, err)
	_, err = m.Slopes(dispatch.Record{State: core.Failed, Design: []float64{1}})
	assert.ErrorIs(t, err, study.ErrNoSlopes)
	_, err = m.Slopes(dispatch.Record{State: core.OK, Design: []float64{1}})
	assert.ErrorIs(t, err, study.ErrNoSlopes, "an external solver that says nothing of them")
}
