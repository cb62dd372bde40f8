package steps

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/solver"
)

func TestFixedWords(t *testing.T) {
	t.Parallel()
	for pattern, want := range map[string]string{
		`CLEAR DISTANCE\s+(\S+)`: "CLEAR DISTANCE", `^gap = ([-0-9.]+) m$`: "gap = ", `(\d+)`: "", `(?i)gap\s+(\S+)`: "", `(a|b)c+de`: "de", `(?:mass){2,}=(\S+)`: "mass",
		`(?:mass)?x(\S+)`: "x", `[ab](\S+)`: "",
	} {
		assert.Equal(t, want, plain.FixedWord(pattern), pattern)
	}
}

// matches reads one number by a pattern from a file of that text.
func matches(t *testing.T, text, pattern string, which int) (float64, error) {
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "run.log"), []byte(text), 0o600))
	r, err := newReader([]bench.Output{{Name: "x", File: "run.log", Match: pattern, Which: which}}, nil)
	require.NoError(t, err)
	out, err := r.read(folder, nil, setBooks{})
	if err != nil {
		return 0, err
	}
	return out.Scalars[0], nil
}

func TestMatchesAreFoundThroughTheirWordAsWithoutIt(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(1, 2))
	var log strings.Builder
	for i := range 200_000 { // several windows
		if r.IntN(1000) == 0 {
			fmt.Fprintf(&log, "step %d: gap = %d.5 gap = %d.25\r\n", i, i, i)
		} else {
			fmt.Fprintf(&log, "step %d: nothing of note in this line\n", i)
		}
	}
	text := log.String()
	all := regexp.MustCompile(`gap = (\S+)`).FindAllStringSubmatch(text, -1)
	require.Greater(t, len(all), 100)
	for _, pattern := range []string{`gap = (\S+)`, `[g][a][p] . (\S+)`} {
		for which, want := range map[int]string{0: all[len(all)-1][1], 1: all[0][1], 2: all[1][1], 77: all[76][1]} {
			got, err := matches(t, text, pattern, which)
			require.NoError(t, err)
			assert.Equal(t, want, fmt.Sprint(got), "%s, match %d", pattern, which)
		}
	}
	got, err := matches(t, "a\ngap = 7", `gap = (\S+)`, 0)
	require.NoError(t, err)
	assert.Equal(t, 7.0, got, "the last line has no end")
	_, err = matches(t, strings.Repeat("x", maxWindow+10)+" gap = 7", `gap = (\S+)`, 0)
	assert.ErrorContains(t, err, "by lines of at most 1048576 bytes")
}

func TestAFailureShowsTheLinesNearestToWhereItLooked(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	log := "begin\niteration 1\nclear distance to the rim 3.5\niteration 2\nend\nbye\n"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "run.log"), []byte(log), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "r.json"), []byte("{\n \"results\": {\n  \"weight\": 1\n }\n}\n"), 0o600))
	for _, c := range []struct {
		out  bench.Output
		tail string
	}{
		{bench.Output{File: "run.log", Match: `CLEAR DISTANCE\s+(\S+)`}, "run.log, lines 2 to 4:\n  iteration 1\n  clear distance to the rim 3.5\n  iteration 2"},
		{bench.Output{File: "run.log", Match: `mass\s+(\S+)`}, "run.log, lines 4 to 6:\n  iteration 2\n  end\n  bye"},
		{bench.Output{File: "run.log", Match: `begin (\S+)`}, "run.log, lines 1 to 3:\n  begin\n  iteration 1\n  clear"},
		{bench.Output{File: "run.log", Table: &bench.Table{After: "distance", Field: "9"}}, "run.log, lines 2 to 4:"},
		{bench.Output{File: "r.json", Pointer: "/results/mass"}, "r.json, lines 1 to 3:\n  {\n   \"results\": {\n    \"weight\": 1"},
		{bench.Output{File: "run.log", Curve: &bench.Curve{X: "iteration", Y: "way"}}, "run.log, lines 1 to 3:"},
		{bench.Output{File: "r.txt", Match: `(\S+)`}, "there are: r.json, run.log"},
	} {
		c.out.Name = "x"
		r, err := newReader([]bench.Output{c.out}, nil)
		require.NoError(t, err)
		_, err = r.read(folder, nil, setBooks{})
		assert.Contains(t, requireFailure(t, err).Tail, c.tail, "%v", c.out)
	}
}

// requireFailure is the error of an evaluation that did not succeed.
func requireFailure(t *testing.T, err error) *solver.Failure {
	t.Helper()
	var failure *solver.Failure
	require.ErrorAs(t, err, &failure)
	return failure
}
