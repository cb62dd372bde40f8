package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/words"
)

func TestAProbabilityIsBetweenNeverAndAlways(t *testing.T) {
	t.Parallel()
	text := "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver: {formulas: {f: 2*a}}\nrequirements:\n  R1: {of: f, at_most: 3, with_probability: 0.99}\n"
	b, err := Read("lift.bench.yaml", []byte(text))
	require.NoError(t, err)
	assert.Equal(t, 0.99, b.Requirements[0].Probability)
	assert.Contains(t, words.Statement(b, ""), "f is at most 3, with a probability of 99 % under scatter")
	for _, p := range []string{"1", "0", "-0.5", "99", "often"} {
		_, err := Read("lift.bench.yaml", []byte(strings.Replace(text, "0.99", p, 1)))
		assert.ErrorContains(t, err, "lift.bench.yaml:5: R1: with_probability", p)
	}
}
