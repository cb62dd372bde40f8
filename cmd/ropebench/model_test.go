package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// cutter has words, a list, a catalog, an input that scatters, and a program that writes its derivatives down.
const cutter = `bench: 1
title: Rope cutter
inputs:
  blade: {nominal: steel, values: [steel, ceramic]}
  teeth: {nominal: 12, values: [8, 12, 20]}
  motor: {nominal: M2, catalog: motors.csv}
  load:  {unit: N, nominal: 40, scatter: {uniform: {lower: 30, upper: 50}}}
solver:
  steps:
    - fill: cutter.deck
    - run: [sh, ./cut.sh]
outputs:
  time: {unit: s, file: result.json, pointer: /time, gradient: {file: result.json, pointer: /slopes}}
derived:
  energy: {unit: J, formula: time*motor.power}
requirements:
  R1: {of: energy, at_most: 6000}
studies:
  quick: {kind: optimize, minimize: time, budget: {evaluations: 30}}
`

const cutScript = `. ./cutter.deck
case $blade in ceramic) base=1 ;; *) base=2 ;; esac
time=$(awk "BEGIN { print $base*$load/$teeth + 100/$power }")
slope=$(awk "BEGIN { print $base/$teeth }")
echo "{\"time\": $time, \"slopes\": {\"load\": $slope, \"teeth\": 0}}" > result.json
`

func writeCutter(d desk) string {
	d.write("motors.csv", "name,power,kind\nM1,500,dc\nM2,750,dc\nM3,1100,ac\n")
	d.write("cutter.deck", "blade=@[blade]\nteeth=@[teeth]\npower=@[motor.power]\nkind=@[motor.kind]\nload=@[load]\n")
	d.write("cut.sh", cutScript)
	return d.write("cutter.bench.yaml", strings.Replace(cutter, "solver:\n", "solver:\n  files: [cut.sh]\n", 1))
}

func TestWordsAndPartsGoAllTheWay(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := writeCutter(d)
	code, out, stderr := d.run("try", file, "--json", "--set", "blade=ceramic", "--set", "motor=M3", "--derivatives")
	require.Equal(t, 0, code, stderr)
	var p struct {
		Inputs      map[string]any
		Named       map[string]float64
		Derivatives struct {
			Inputs []string
			Values map[string][]float64
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &p))
	assert.Equal(t, map[string]any{"blade": "ceramic", "teeth": 12.0, "motor": "M3", "load": 40.0}, p.Inputs)
	assert.InDelta(t, 40.0/12+100.0/1100, p.Named["time"], 1e-4)
	assert.Equal(t, []string{"teeth", "load"}, p.Derivatives.Inputs)
	assert.InDelta(t, 1100.0/12, p.Derivatives.Values["energy"][1], 0.01, "the solver's slope, times the power")

	r := d.result("run", file, "quick", "--seed", "2")
	assert.Equal(t, map[string]any{"blade": "ceramic", "teeth": 20.0, "motor": "M3", "load": 40.0}, r.inputs(t), "all 18 designs are asked")
	assert.Equal(t, 18, r.Evaluations)
	held := d.result("run", file, "quick", "--hold", "blade=steel", "--hold", "motor=M1")
	assert.Equal(t, "steel", held.inputs(t)["blade"])
	code, out, _ = d.run("table", held.Run.String(), "--csv")
	require.Equal(t, 0, code)
	assert.Contains(t, out, "evaluation,state,feasible,reused,reason,missed,teeth,time [s],energy")
	freed := d.result("run", file, "quick", "--hold", "blade=ceramic", "--free", "load=30:50", "--evaluations", "40")
	assert.Less(t, freed.inputs(t)["load"], 40.0, "a smaller load is cut sooner")
	for says, args := range map[string][]string{
		"blade cannot be wood; it is one of steel, ceramic": {"try", file, "--set", "blade=wood"},
		"motor cannot be M4; did you mean M":                {"run", file, "quick", "--hold", "motor=M4"},
		`load is a number, and "heavy" is none`:             {"try", file, "--set", "load=heavy"},
		"load has no range to move in":                      {"run", file, "quick", "--free", "load"},
	} {
		code, _, stderr := d.run(args...)
		assert.Equal(t, 2, code)
		assert.Contains(t, stderr, says)
	}
}

func TestABenchIsTakenOutAsItWas(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := writeCutter(d)
	code, _, stderr := d.run("try", file)
	require.Equal(t, 0, code, stderr)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	d.write("cutter.bench.yaml", strings.Replace(string(text), "at_most: 6000", "at_most: 5500", 1))
	_, _, _ = d.run("try", file)
	target := filepath.Join(t.TempDir(), "first")
	code, out, stderr := d.run("export", "cutter", target, "--revision", "1")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out, "4 files of cutter")
	kept, err := os.ReadFile(filepath.Join(target, "cutter.bench.yaml"))
	require.NoError(t, err)
	assert.Equal(t, string(text), string(kept))
	code, _, _ = d.run("check", filepath.Join(target, "cutter.bench.yaml"))
	assert.Equal(t, 0, code, "what was taken out is a whole bench")
	code, out, _ = d.run("diff", "cutter", "1", "2")
	require.Equal(t, 0, code)
	assert.Contains(t, out, "R1: energy is at most 6000 J -> energy is at most 5500 J")
	code, _, stderr = d.run("export", "cutter", target)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "is not empty")
	code, _, stderr = d.run("export", "lathe", filepath.Join(t.TempDir(), "x"))
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "there is no bench lathe")
}

func TestValuesAreShownWhereDerivativesAreNot(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := d.write("root.bench.yaml", "bench: 1\ninputs: {a: {nominal: 3, range: [1, 5]}}\nsolver:\n  dynamics:\n    time: {from: 0, to: 2, count: 11}\n    states: {x: {start: 0, rate: a*sqrt(x) + 1}}\nderived: {end: final(x)}\n")
	code, out, stderr := d.run("try", file, "--derivatives")
	require.Zero(t, code, stderr)
	assert.Contains(t, out, "14.77")
	assert.Contains(t, out, "No derivatives: the equations are not differentiable at time = 0: the rate of x has no finite derivative there")
}

// TestAnyNumberOfALongResultIsFound though it is behind those lines that are sent at a time.
func TestAnyNumberOfALongResultIsFound(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := d.write("hook.bench.yaml", "bench: 1\ninputs: {load: {nominal: 3}}\nsolver:\n  steps:\n    - run: [sh, -c, 'seq 1 5000; echo TENSION 4.5 kN']\n      stdout: run.log\n")
	code, _, stderr := d.run("try", file)
	require.Equal(t, 0, code, stderr)
	code, out, stderr := d.run("results", "hook", "run.log", "--find", "TENSION")
	require.Equal(t, 0, code, stderr)
	assert.Regexp(t, `4\.5 +5001:1 +TENSION 4\.5 kN`, out)
	_, out, _ = d.run("results", "hook", "run.log", "--find", "SLACK")
	assert.Contains(t, out, `run.log has no numbers in lines that contain "SLACK"`)
	_, out, _ = d.run("results", "hook", "run.log")
	assert.Contains(t, out, "There are more")
}
