package plain

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestShow(t *testing.T) {
	t.Parallel()
	for value, want := range map[float64]string{
		0: "0", 1.5: "1.5", 2.28456: "2.285", 12345.6: "12,346", 1234567: "1,234,567", -4321: "-4,321", 0.00123456: "0.001235",
		1e-7: "1e-07", 123456789: "1.235e+08", 100: "100", 999.96: "1000", math.NaN(): "none",
	} {
		assert.Equal(t, want, Show(value), "%g", value)
	}
	assert.Equal(t, "5 kg", With(5, "kg"))
}

func TestDurations(t *testing.T) {
	t.Parallel()
	for d, want := range map[time.Duration]string{1500 * time.Millisecond: "1.5 s", 90 * time.Second: "90 s", 10 * time.Minute: "10 min", 8 * time.Hour: "8 h", 90 * time.Minute: "1 h 30 min"} {
		assert.Equal(t, want, Duration(d))
	}
}
