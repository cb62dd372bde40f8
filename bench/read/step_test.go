package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAStepSaysHowItsProgramIsAskedForItsVersion(t *testing.T) {
	t.Parallel()
	text := "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver:\n  steps:\n    - run: [frame]\n      version: [frame, -v]\noutputs: {o: {file: o, pointer: /o}}\n"
	b, err := Read("lift.bench.yaml", []byte(text))
	require.NoError(t, err)
	assert.Equal(t, []string{"frame", "-v"}, b.Solver.Steps[0].Version)
	for from, to := range map[string]string{"[frame, -v]": "[]", "version: [frame": "version: [\"frame x\"", "run: [frame]\n      version": "fill: a.inp\n      version"} {
		_, err := Read("lift.bench.yaml", []byte(strings.Replace(text, from, to, 1)))
		assert.ErrorContains(t, err, "lift.bench.yaml:", to)
	}
}
