package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/study"
)

// inputsOfKinds are two inputs x and y of each kind, or of two kinds, and what they are as numbers in formulas.
var inputsOfKinds = map[string][2]string{
	"continuous": {"{nominal: 1, range: [0.5, 4]}", "x"},
	"log":        {"{nominal: 1, range: [0.5, 4], scale: log}", "x"},
	"steps":      {"{nominal: 1, range: [0.5, 4], step: 0.5}", "x"},
	"list":       {"{nominal: 1, values: [0.5, 1, 1.7, 2.2, 4]}", "x"},
	"words":      {"{nominal: low, values: [low, mid, high]}", "1.5"}, // no formula takes words
	"catalog":    {"{nominal: A, catalog: parts.csv}", "x.size"},
}

const partsOfKinds = "part,size,price\nA,1,3\nB,1.6,2\nC,2.4,5\nD,3.3,4\n"

// everyStudy has a study of each kind.
const everyStudy = `requirements:
  R1: {of: load, at_most: 9}
  R2: {of: X + Y, at_most: 7}
studies:
  look:  {kind: sample, points: 8}
  full:  {kind: sample, plan: one-at-a-time}
  sens:  {kind: sensitivity, of: [load], points: 20}
  ee:    {kind: sensitivity, of: [load], by: elementary-effects, points: 3}
  sobol: {kind: sensitivity, of: [load], by: sobol-indices, points: 8}
  best:  {kind: optimize, minimize: cost, budget: {evaluations: 40}}
  none:  {kind: optimize, budget: {evaluations: 40}}
  front: {kind: optimize, objectives: [{minimize: cost}, {maximize: load}], budget: {evaluations: 40}}
  near:  {kind: optimize, approach: [{of: load, to: 5}, {of: cost, to: 6}], meet: [], budget: {evaluations: 40}}
  hit:   {kind: seek, reach: {load: 5}, meet: [], budget: {evaluations: 40}}
  fit:   {kind: calibrate, match: [{of: load, to: 5}, {of: cost, to: 6}, {of: load*cost, to: 31}], budget: {evaluations: 40}}
  few:   {kind: optimize, minimize: cost, method: surrogate, budget: {evaluations: 14}}
  cells: {kind: sweep, over: {z: [1, 2]}, each: best}
  drift: {kind: uncertainty, points: 10}
  rest:  {kind: optimize, minimize: cost, start: nominal, repeats: 2, budget: {evaluations: 20}}
`

func benchOfKinds(x, y string) string {
	as := func(kind, name string) string { return strings.ReplaceAll(inputsOfKinds[kind][1], "x", name) }
	text := "bench: 1\ninputs:\n  x: " + inputsOfKinds[x][0] + "\n  y: " + inputsOfKinds[y][0] +
		"\n  z: {nominal: 1, range: [0, 3], scatter: {normal: {mean: 1, sd: 0.1}}}\nsolver: {formulas: {load: \"X*Y + 0.3*z\", cost: \"(X - 2)^2 + 3/Y + z\"}}\n" + everyStudy
	return strings.NewReplacer("X", as(x, "x"), "Y", as(y, "y")).Replace(text)
}

// Every kind of study takes every kind of input: it ends by itself, with an answer.
func TestEveryKindOfStudyTakesEveryKindOfInput(t *testing.T) {
	t.Parallel()
	kinds := []string{"continuous", "log", "steps", "list", "words", "catalog"}
	for i, x := range kinds {
		for _, y := range kinds[i:] {
			t.Run(x+" and "+y, func(t *testing.T) {
				t.Parallel()
				w := open(t, t.TempDir())
				text := benchOfKinds(x, y)
				content := bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{"drum.bench.yaml": {Text: []byte(text)}, "parts.csv": {Text: []byte(partsOfKinds)}}}
				saved, err := w.store.SaveRevision("drum", "/here", "", content)
				require.NoError(t, err, text)
				for _, name := range []string{"look", "full", "sens", "ee", "sobol", "best", "none", "front", "near", "hit", "fit", "few", "cells", "drift", "rest"} {
					run, err := w.Start("drum", saved.Revision, study.Question{Study: name, Seed: 1})
					if x == "words" && y == "words" && err != nil {
						continue // nothing moves the values
					}
					if !assert.NoError(t, err, name) {
						continue
					}
					end := w.wait(t, run.ID)
					assert.Equal(t, study.Finished, end.State, "%s: %s", name, end.Reason)
					assert.Zero(t, end.Failed, name)
					assert.LessOrEqual(t, end.Evaluations, max(end.Budget, 0), name)
					assert.Empty(t, end.Unshown, name)
				}
			})
		}
	}
}
