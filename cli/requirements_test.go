package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench/read"
)

const winder = `bench: 1
# a winder
inputs:
  width: {unit: m, nominal: 1, range: [0.5, 2]}
solver: {formulas: {mass: 2*width, turns: 9/width}}
studies: {light: {kind: optimize, minimize: mass}}
`

func TestRequirementsAreTakenFromAList(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	file, list := filepath.Join(folder, "winder.bench.yaml"), filepath.Join(folder, "targets.csv")
	require.NoError(t, os.WriteFile(file, []byte(winder), 0o644))
	require.NoError(t, os.WriteFile(list, []byte("id,says,of,at_most,at_least,owner\nR1,Light enough,mass,3,,A\nR2,,turns,,5,B\nR3,,torns,1,,C\n,,mass,1,,D\n"), 0o644))
	code, out, people := runLocally(t, "requirements", file, "--from", list)
	require.Equal(t, 0, code, people)
	assert.Contains(t, out+people, `R1: {says: "Light enough", of: "mass", at_most: 3}`)
	assert.Contains(t, out+people, "R3 is left out: the bench would not be valid then:")
	assert.Contains(t, out+people, "did you mean turns?")
	assert.Contains(t, out+people, "one without an id is left out")
	assert.Contains(t, out+people, "2 requirements would be new. Nothing is written yet: --write does.")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, winder, string(text))

	code, _, people = runLocally(t, "requirements", file, "--from", list, "--write")
	require.Equal(t, 0, code, people)
	b, _, err := read.Load(file)
	require.NoError(t, err)
	require.Len(t, b.Requirements, 2)
	text, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "# a winder\n", "all else stays")

	require.NoError(t, os.WriteFile(list, []byte("id,of,at_most,at_least\nR1,mass,2.5,\nR2,turns,5,\n"), 0o644))
	code, out, people = runLocally(t, "requirements", file, "--from", list, "--write")
	require.Equal(t, 0, code, people)
	assert.Contains(t, out+people, "R1 differs: at_most is 3, and the list has 2.5")
	assert.Contains(t, out+people, "R2 differs: at_least is 5, and the list has none")
	assert.Contains(t, out+people, "nothing that is new to")

	for says, args := range map[string][]string{
		"ends in .csv or .reqif": {"requirements", file, "--from", "targets.txt"},
		"cannot be read":         {"requirements", file, "--from", filepath.Join(folder, "none.csv")},
		"no ReqIF":               {"requirements", file, "--from", reqifOf(t, folder, "R1")},
		"--into is for verdicts": {"report", "light", "--out", "a.html", "--into", list},
		"--out names a file":     {"report", "light", "--out", "a.pdf"},
	} {
		code, _, people := runLocally(t, args...)
		assert.NotEqual(t, 0, code, args)
		assert.Contains(t, people, says)
	}
}

func reqifOf(t *testing.T, folder, text string) string {
	path := filepath.Join(folder, "bad.reqif")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

func TestWhatIsWrittenOfARequirementCanBeReadAgain(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		q    api.Requirement
		want [][2]string
	}{
		{api.Requirement{Says: "Light", Of: "mass", Kind: "at_most", Limits: []float64{2.5}, Reserve: 0.1, Decisive: true}, [][2]string{{"says", "Light"}, {"of", "mass"}, {"at_most", "2.5"}, {"reserve", "0.1"}}},
		{api.Requirement{Of: "mass", Kind: "between", Limits: []float64{1, 2}}, [][2]string{{"says", ""}, {"of", "mass"}, {"at_least", "1"}, {"at_most", "2"}, {"wish", "true"}}},
		{api.Requirement{Of: "mass", Kind: "equals", Limits: []float64{6}, Within: 0.05, Price: 40}, [][2]string{{"says", ""}, {"of", "mass"}, {"equals", "6"}, {"within", "0.05"}, {"price", "40"}}},
		{api.Requirement{Of: "way", Kind: "under", Decisive: true}, [][2]string{{"says", ""}, {"of", "way"}}},
	} {
		assert.Equal(t, c.want, statedOf(c.q))
	}
}
