// Package benchtest has benches and files for the tests of the other packages.
package benchtest

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// Folder writes files into a new folder and returns the path of lift.bench.yaml in it.
func Folder(t testing.TB, files map[string]string) string {
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	return filepath.Join(dir, "lift.bench.yaml")
}

// Frame is a deck as another program wrote it: with fields, fixed columns, DOS line ends and a Latin-1 letter.
const Frame = "** H\xf6he 3.5\r\n" +
	"*SHELL SECTION, ELSET=WEB\r\n" +
	"8.0, 5\r\n" +
	"*SHELL SECTION, ELSET=RIM\r\n" +
	"  12.0 , 5\r\n" +
	"TABLE\r\n" +
	"     1     0.500     2\r\n" +
	"     2     0.500     2\r\n" +
	"     3     0.500     2\r\n"

// Ropes is a catalog.
const Ropes = "name,mass,kind,price\nS16,0.9,steel,6.5\nS12,0.5,steel,4\nP14,0.2,\"fibre, braided\",7.25\n"

// Hoist is a valid bench that uses what the format has.
const Hoist = `bench: 1
title: Hoist
notes: |
  Several lines
  of notes.
inputs:
  drum: {label: Drum radius, unit: m, nominal: 0.2, range: [0.1, 0.5], ends: [hard, guess]}
  turns: {nominal: 6, range: [2, 20], step: 2}
  rate: {nominal: 1e-4, range: [1e-5, 1e-3], scale: log}
  share: {nominal: 50, range: 20%}
  load: {unit: N, nominal: 010}
solver:
  at_once: 2
  retry: 1
  steps:
    - fill: {from: hoist.tpl, to: case/hoist.deck}
    - run: [hoistsim, case/hoist.deck, "-n=@[turns]"]
      limit: 90s
      accept: [0, 3]
      env: {THREADS: "1"}
      stdout: run.log
outputs:
  mass: {unit: kg, file: result.json, pointer: /parts/0/mass}
  speed: {unit: m/s, file: run.log, match: 'SPEED\s+(\S+)', which: first}
  way: {unit: m, file: trace.csv, curve: {x: time, x_unit: s, y: way}}
derived:
  area: pi*drum^2
  weight: {unit: N, formula: "mass*9.81"}
  ratio: weight/load
requirements:
  R1: {says: Light enough, of: mass, at_most: 12, reserve: 0.5}
  R2: {of: ratio, between: [0.5, 4]}
  R-3: {of: turns, equals: 6, within: 1}
  R4: {of: speed, at_least: 2, wish: true}
  R5: {of: "max(mass, 3)", at_most: 20, price: 40}
studies:
  look: {kind: sample, plan: sobol, points: 16, vary: [drum, turns], seed: 7}
  best:
    kind: optimize
    minimize: "mass > 3 ? mass : 3"
    meet: [R1, R2]
    hold: {share: 48}
    budget: {evaluations: 100, time: 10m}
    method: differential-evolution
    stop: {tolerance: 1e-4, plateau: 40}
    start: {drum: 0.3}
  trade: {kind: optimize, objectives: [{minimize: mass}, {maximize: speed}]}
  which: {kind: sensitivity, of: [mass], points: 60}
`
