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

const boxFile = `bench: 1
inputs: {a: {unit: m, nominal: 2, range: [1, 4]}, b: {unit: m, nominal: 3}}
solver: {formulas: {area: a*b, rim: 2*(a + b)}}
requirements: {R1: {of: area, at_least: 2}, R2: {of: rim, at_most: 11, reserve: 0.5}}
studies: {small: {kind: optimize, minimize: area}, long: {kind: optimize, maximize: rim}}
`

func TestDesignsArePickedComparedVerifiedAndAdopted(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := d.write("box.bench.yaml", boxFile)
	says := func(code int, args ...string) string {
		got, out, stderr := d.run(args...)
		require.Equal(t, code, got, "%v: %s", args, stderr)
		return out + stderr
	}
	small, long := d.result("run", file, "small"), d.result("run", file, "long")
	require.Equal(t, 1.0, small.Best.Inputs["a"])
	assert.Contains(t, says(0, "candidates"), "No design was picked yet")
	assert.Contains(t, says(2, "compare", "light"), "no candidate was picked yet")
	assert.Contains(t, says(0, "pick", small.Run.String(), "light", "--because", "the least area"), "light is evaluation")
	says(0, "pick", long.Run.String()+":1", "first")
	assert.Contains(t, says(1, "pick", long.Run.String(), "light"), "withdraw it first, or take another name")
	assert.Contains(t, says(2, "pick", long.Run.String(), "2nd"), "must be a letter")
	assert.Contains(t, says(0, "candidates", "box"), "the least area")

	text := says(0, "compare", "nominal", "light", long.Run.String())
	assert.Contains(t, text, "nominal  as the bench is now, on revision 1")
	assert.Regexp(t, `R1 area +at least 2 +6 +4 ● +3 +1 ●`, text)
	assert.Regexp(t, `a, m +2 +1 +2\.25`, text)
	assert.Contains(t, says(0, "compare", "light"), "-50 %", "the nominal design stands before one that is named alone")
	var answer struct {
		Designs []struct {
			Name     string
			Values   map[string]float64
			Feasible bool
		}
	}
	_, out, _ := d.run("compare", "nominal", "light", "--json")
	require.NoError(t, json.Unmarshal([]byte(out), &answer))
	require.Len(t, answer.Designs, 2)
	assert.Equal(t, []any{"nominal", 6.0, "light", 3.0}, []any{answer.Designs[0].Name, answer.Designs[0].Values["area"], answer.Designs[1].Name, answer.Designs[1].Values["area"]})

	says(3, "try", "--of", "light", "--set", "b=1.5") // an area of 1.5
	worse := d.result("run", file, "small", "--hold", "b=1.5")
	assert.Contains(t, says(0, "compare", "light", worse.Run.String()), "b, m", "what is held elsewhere is shown")
	thin := d.result("run", file, "small", "--hold", "b=0.3")
	assert.Regexp(t, `! \d+:\d+ misses R1, which light meets, by 0\.8\.`, says(0, "compare", "light", thin.Run.String()))

	assert.Contains(t, says(0, "verify", "light"), "● every requirement is met")
	assert.Contains(t, says(0, "adopt", "light"), "a: nominal 2 -> 1")
	assert.Contains(t, says(0, "withdraw", "box/first"), "first of box is withdrawn")
	assert.Contains(t, says(2, "withdraw", "first"), "there is no candidate first; known: light")
	other := d.write("crate.bench.yaml", boxFile)
	crate := d.result("run", other, "small")
	says(0, "pick", crate.Run.String(), "light")
	assert.Contains(t, says(2, "adopt", "light"), "name it as box/light or crate/light")
	assert.Contains(t, says(2, "compare", "box/light", "crate/light"), "only designs of one bench can be compared")
}

// A verification that was written down is made again by somebody else, in another data folder.
func TestAVerificationIsRepeatedElsewhere(t *testing.T) {
	t.Parallel()
	here, there := newDesk(t), newDesk(t)
	best := here.result("run", here.file, "best", "--evaluations", "60")
	code, written, stderr := here.run("verify", best.Run.String(), "--json")
	require.Contains(t, []int{0, 3}, code, stderr)
	file := there.write("cheap.json", written)

	again, out, stderr := there.run("verify", "--repeat", file, there.file)
	assert.Equal(t, code, again, stderr)
	assert.Regexp(t, `It holds: all \d+ values and verdicts are as they were\.`, out)
	_, out, _ = there.run("verify", "--repeat", file, there.file, "--json")
	var answer struct {
		Holds       bool
		Differences []string
	}
	require.NoError(t, json.Unmarshal([]byte(out), &answer))
	assert.True(t, answer.Holds)
	assert.Empty(t, answer.Differences)

	deck, err := os.ReadFile(filepath.Join(filepath.Dir(there.file), "brake.deck"))
	require.NoError(t, err)
	there.write("brake.deck", strings.Replace(string(deck), "@[pad_force:", "@[pad_force*1.01:", 1))
	again, out, _ = there.run("verify", "--repeat", file, there.file)
	assert.Equal(t, 1, again)
	assert.Regexp(t, `! peak_g is [0-9.]+, and was [0-9.]+\n`, out)
	assert.Contains(t, out, "! brake.deck is not the file that it was")
	assert.Contains(t, out, "It does not hold.")

	for text, says := range map[string]string{"{": "is no verification: ", "{}": "is no verification with values"} {
		again, _, stderr = there.run("verify", "--repeat", there.write("odd.json", text), there.file)
		assert.Equal(t, 2, again)
		assert.Contains(t, stderr, says)
	}
}
