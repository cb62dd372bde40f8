package formula_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/formula"
)

// Names get others wherever they stand; functions, constants and columns of catalogs do not.
func TestNamesAreRenamed(t *testing.T) {
	t.Parallel()
	rename := func(name string) string {
		return map[string]string{"gap": "gap.heavy", "a": "longer", "max": "no"}[name]
	}
	for text, wanted := range map[string]string{
		"gap":                               "gap.heavy",
		"max(gap, -gap) + a^2*pi":           "max(gap.heavy, -gap.heavy) + longer^2*pi",
		"a > 1 and not a == 2 ? gap : 1e-3": "longer > 1 and not longer == 2 ? gap.heavy : 1e-3",
		"rope.a + gap.light - a":            "rope.a + gap.light - longer",
		"1 < a and a < 2":                   "1 < longer and longer < 2",
		"peak(gap)/(a  +  1)":               "peak(gap.heavy)/(longer  +  1)",
	} {
		e, err := formula.Parse(text)
		require.NoError(t, err, text)
		renamed, err := e.Renamed(rename)
		require.NoError(t, err, text)
		assert.Equal(t, wanted, renamed.Text)
		assert.Equal(t, e.Reads(), renamed.Reads())
	}
}
