package plain

import (
	"math"
	"strconv"
	"strings"
)

// Percent shows a share to three digits, and one that is nearly the whole to as many as tell it from that: 86 %, 99.9999 %.
func Percent(share float64) string {
	percent := 100 * share
	decimals := 2 - int(math.Floor(math.Log10(math.Abs(percent))))
	if left := math.Abs(100 - percent); percent != 100 && left < 1 {
		decimals = -int(math.Floor(math.Log10(left)))
	}
	switch {
	case percent == 0:
		return "0 %"
	case decimals > 12:
		return strconv.FormatFloat(percent, 'g', 3, 64) + " %"
	case decimals <= 0:
		return Show(percent) + " %"
	}
	text := strconv.FormatFloat(percent, 'f', decimals, 64)
	return strings.TrimRight(strings.TrimRight(text, "0"), ".") + " %"
}
