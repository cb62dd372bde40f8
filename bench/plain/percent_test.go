package plain

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPercentTellsWhatIsNotTheWhole(t *testing.T) {
	t.Parallel()
	for share, text := range map[float64]string{0: "0 %", 0.86: "86 %", 0.8947368: "89.5 %", 1: "100 %", 0.99: "99 %", 0.9973: "99.7 %", 0.999: "99.9 %", 0.999999: "99.9999 %", 1 - 1.7e-5: "99.998 %", 0.00012345: "0.0123 %", 1e-15: "1e-13 %", 12.5: "1,250 %", -0.111: "-11.1 %"} {
		assert.Equal(t, text, Percent(share), share)
	}
}

func TestChangesAndRoughShares(t *testing.T) {
	t.Parallel()
	for want, pair := range map[string][2]float64{"+18 %": {10, 11.8}, "-61.5 %": {2.599, 1.0006}, "+1,300 %": {0.5, 6.997}, "+200 %": {-1, 1}, "0 %": {3, 3}} {
		assert.Equal(t, want, Change(pair[0], pair[1]))
	}
	for want, share := range map[string]float64{"0.03 %": 3.2e-4, "100 %": 1.04, "2,000 %": 20.4, "2 %": 0.018} {
		assert.Equal(t, want, About(share))
	}
}
