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

// Change shows how far a number is from one that is not 0, to three digits: +18 %, -61.5 %, +1,290 %.
func Change(from, to float64) string {
	percent := rounded(100*(to-from)/math.Abs(from), 3)
	if percent > 0 {
		return "+" + Show(percent) + " %"
	}
	return Show(percent) + " %"
}

// About shows a share to one digit: 0.03 %, 2,000 %.
func About(share float64) string { return Show(rounded(100*share, 1)) + " %" }

// rounded keeps so many digits of a number.
func rounded(value float64, digits int) float64 {
	text := strconv.FormatFloat(value, 'g', digits, 64)
	short, _ := strconv.ParseFloat(text, 64) // what was written can be read
	return short
}
