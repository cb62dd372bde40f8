package service_test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/service"
)

// boomFile has inputs of every kind: a number, one relative range, words, and rows of a catalog.
const boomFile = `bench: 1
# a boom of a crane
inputs:
  reach: {unit: m, nominal: 12.50, range: 20%}   # to the hook
  plies:
    nominal: 4
    range: [1, 9]
    step: 1
  wood: {nominal: "ash", values: [ash, larch, 'red oak']}
  bolt: {nominal: M12, catalog: bolts.csv}
solver: {formulas: {mass: reach*plies*bolt.area/100}}
requirements: {R1: {of: mass, at_least: 1}}
studies:
  light: {kind: optimize, minimize: mass, budget: {evaluations: 30}}
`

const bolts = "name,area\nM10,58\nM12,84.3\n\"M16, long\",157\n"

func boom(t *testing.T) *bed {
	b := start(t, func(*service.Config) {})
	folder := b.file[:strings.LastIndex(b.file, "/")]
	require.NoError(t, os.WriteFile(folder+"/bolts.csv", []byte(bolts), 0o644))
	require.NoError(t, os.WriteFile(b.file, []byte(boomFile), 0o644))
	return b
}

func TestInputsOfEveryKindAreAdopted(t *testing.T) {
	t.Parallel()
	b := boom(t)
	c := b.client(t)
	design := map[string]bench.Value{"reach": bench.Number(10.1), "plies": bench.Number(7), "wood": {Word: "red oak"}, "bolt": {Word: "M16, long"}}
	run := b.run(t, c, api.Order{Study: "try", Design: design})
	done, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID, Evaluation: 1}, Write: true})
	require.NoError(t, err)
	assert.True(t, done.Written)
	assert.Contains(t, done.Changes, "reach: nominal 12.5 -> 10.1")
	assert.Contains(t, strings.Join(done.Changes, "\n"), "reach: 10 to 15 m", "a range that is a share of the nominal moves with it, and that is said")
	text, err := os.ReadFile(b.file)
	require.NoError(t, err)
	changed := strings.NewReplacer("nominal: 12.50", "nominal: 10.1", "nominal: 4\n", "nominal: 7\n", `"ash"`, "'red oak'", "nominal: M12", "nominal: 'M16, long'").Replace(boomFile)
	assert.Equal(t, changed, string(text), "all else stays as it was written")
	now := b.run(t, c, api.Order{Study: "try", Fresh: true})
	then, err := c.Evaluation(t.Context(), run.ID, 1)
	require.NoError(t, err)
	again, err := c.Evaluation(t.Context(), now.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, then.Named, again.Named, "the model gives what was promised, to the last bit")
}

func TestAdoptionsThatCannotBe(t *testing.T) {
	t.Parallel()
	b := boom(t)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "try"})
	adopt := func(bench string, of api.Candidate) error {
		_, err := c.Adopt(t.Context(), bench, api.Adoption{Candidate: of, Write: true})
		return err
	}
	assert.ErrorContains(t, adopt("pulley", api.Candidate{Run: 99}), "no run 99")
	assert.ErrorContains(t, adopt("nobody", api.Candidate{Run: run.ID}), "nobody")
	status, text := b.ask(t, "POST", "/v1/benches/pulley/adoptions", `{"run": 1, "evaluation": 1, "rite": true}`)
	assert.Equal(t, 400, status)
	assert.Contains(t, text, "rite")
	// an input that was taken out since, and a value that the bench does not have any more
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(boomFile, "wood: {nominal: \"ash\", values: [ash, larch, 'red oak']}", "wood: {nominal: larch, values: [larch, fir]}", 1)), 0o644))
	assert.ErrorContains(t, adopt("pulley", api.Candidate{Run: run.ID, Evaluation: 1}), "the bench would not be valid then")
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(boomFile, "  wood: {nominal: \"ash\", values: [ash, larch, 'red oak']}\n", "", 1)), 0o644))
	assert.ErrorContains(t, adopt("pulley", api.Candidate{Run: run.ID, Evaluation: 1}), "wood is no input of the bench any more: it was ash")
}

// Two who adopt at once write one after the other: the file is one of both, whole, and says so.
func TestTwoAdoptionsAtOnce(t *testing.T) {
	t.Parallel()
	b := boom(t)
	c := b.client(t)
	first := b.run(t, c, api.Order{Study: "try", Design: map[string]bench.Value{"reach": bench.Number(11), "plies": bench.Number(3)}})
	second := b.run(t, c, api.Order{Study: "try", Design: map[string]bench.Value{"reach": bench.Number(13), "plies": bench.Number(9)}})
	var both sync.WaitGroup
	for _, run := range []int{first.ID, second.ID, first.ID, second.ID} {
		both.Go(func() {
			_, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run, Evaluation: 1}, Write: true})
			assert.NoError(t, err)
		})
	}
	both.Wait()
	now, err := c.Bench(t.Context(), "pulley")
	require.NoError(t, err)
	assert.Empty(t, now.Problems)
	pair := []float64{now.Inputs[0].Nominal.Number, now.Inputs[1].Nominal.Number}
	assert.Contains(t, [][]float64{{11, 3}, {13, 9}}, pair, "never a mixture")
}

// clamp has a deck as another program wrote it, with a number at a place.
const clamp = `bench: 1
title: Clamp
inputs:
  plate: {unit: mm, nominal: 8, range: [5, 12]}
solver:
  steps:
    - fill: frame.inp
      put: {plate: {after: "*SHELL", line: 1, field: 1}}
    - run: [sh, -c, "awk 'NR==3 {print \"MASS \" $1*2}' frame.inp > out"]
outputs:
  mass: {unit: kg, file: out, match: 'MASS (\S+)'}
requirements: {R1: {of: mass, at_most: 15}}
studies: {light: {kind: optimize, minimize: mass, budget: {evaluations: 8}}}
`

const frame = "** a frame\n*SHELL, ELSET=WEB\n8.0, 5\n*END\n"

// What is adopted stands in the deck too, and what is taken out is ready for the solver.
func TestDecksFollowACandidate(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	folder := b.file[:strings.LastIndex(b.file, "/")]
	require.NoError(t, os.WriteFile(folder+"/frame.inp", []byte(frame), 0o644))
	require.NoError(t, os.WriteFile(b.file, []byte(clamp), 0o644))
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "try", Design: map[string]bench.Value{"plate": bench.Number(6.5)}})
	require.NotNil(t, run.Best, run.LastFailure)
	packed, err := c.Archive(t.Context(), "pulley", 0, api.Candidate{Run: run.ID, Evaluation: 1})
	require.NoError(t, err)
	members, err := zip.NewReader(bytes.NewReader(packed), int64(len(packed)))
	require.NoError(t, err)
	require.Len(t, members.File, 1)
	file, err := members.File[0].Open()
	require.NoError(t, err)
	text, err := io.ReadAll(file)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(frame, "8.0", "6.5", 1), string(text))

	would, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID, Evaluation: 1}})
	require.NoError(t, err)
	assert.Equal(t, []string{"plate: nominal 8 -> 6.5", "frame.inp, line 3: 8.0, 5 -> 6.5, 5"}, would.Changes)
	text, err = os.ReadFile(folder + "/frame.inp")
	require.NoError(t, err)
	assert.Equal(t, frame, string(text), "nothing is written until that is asked for")
	done, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID, Evaluation: 1}, Write: true})
	require.NoError(t, err)
	assert.True(t, done.Written)
	assert.Equal(t, 2, done.Revision, "one new revision")
	text, err = os.ReadFile(folder + "/frame.inp")
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(frame, "8.0", "6.5", 1), string(text))
	now := b.run(t, c, api.Order{Study: "try", Fresh: true})
	assert.Equal(t, run.Best.Values, now.Best.Values)

	require.NoError(t, os.WriteFile(b.file, []byte(pulley), 0o644))
	formulas := b.run(t, c, api.Order{Study: "try"})
	_, err = c.Archive(t.Context(), "pulley", 0, api.Candidate{Run: formulas.ID, Evaluation: 1})
	assert.ErrorContains(t, err, "it has no decks that could be filled")
}
