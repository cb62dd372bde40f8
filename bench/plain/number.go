package plain

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Show writes a value for people: four significant digits, thousands parted by commas, a power of ten where the
// number is very large or very small.
func Show(value float64) string {
	size := math.Abs(value)
	switch {
	case value == 0:
		return "0"
	case math.IsNaN(value) || math.IsInf(value, 0):
		return "none"
	case size >= 1e7 || size < 1e-4:
		return strconv.FormatFloat(value, 'g', 4, 64)
	case size >= 1000:
		return thousands(strconv.FormatFloat(value, 'f', 0, 64))
	}
	digits := max(0, 3-int(math.Floor(math.Log10(size))))
	text := strconv.FormatFloat(value, 'f', digits, 64)
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

func thousands(digits string) string {
	sign := ""
	if digits[0] == '-' {
		sign, digits = "-", digits[1:]
	}
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return sign + digits
}

// With writes a value with its unit.
func With(value float64, unit string) string { return strings.TrimSpace(Show(value) + " " + unit) }

// Count writes how many there are of what has a plain plural: 1 input, 3 inputs.
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return Whole(n) + " " + what + "s"
}

// Whole writes a whole number with all its digits, thousands parted by commas.
func Whole(n int) string {
	text := strconv.Itoa(n)
	for at := len(text) - 3; at > 0 && text[at-1] != '-'; at -= 3 {
		text = text[:at] + "," + text[at:]
	}
	return text
}

// Exact writes a number of the bench file as the file has it, without losing digits.
func Exact(value float64) string { return strconv.FormatFloat(value, 'g', -1, 64) }

func ExactWith(value float64, unit string) string {
	return strings.TrimSpace(Exact(value) + " " + unit)
}

// Duration writes a time for people: 90 s, 10 min, 1 h 30 min.
func Duration(d time.Duration) string {
	hours, minutes := int(d.Hours()), int(d.Minutes())%60
	switch {
	case d < 2*time.Minute:
		return With(d.Seconds(), "s")
	case hours == 0:
		return fmt.Sprintf("%d min", minutes)
	case minutes == 0:
		return fmt.Sprintf("%d h", hours)
	}
	return fmt.Sprintf("%d h %d min", hours, minutes)
}

// The numbers of YAML 1.2 core.
var (
	decimal = regexp.MustCompile(`^[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?$`)
	octal   = regexp.MustCompile(`^0o[0-7]+$`)
	hex     = regexp.MustCompile(`^0x[0-9a-fA-F]+$`)
)

// YAMLNumber reads a number of YAML 1.2 core.
func YAMLNumber(text string) (float64, bool) {
	switch {
	case decimal.MatchString(text):
		value, err := strconv.ParseFloat(text, 64)
		return value, err == nil && !math.IsInf(value, 0)
	case octal.MatchString(text), hex.MatchString(text):
		value, err := strconv.ParseUint(text, 0, 64)
		return float64(value), err == nil
	}
	return 0, false
}

// Seconds says how long something took: in seconds with three digits, and in larger units where it took long.
func Seconds(seconds float64) string {
	switch {
	case seconds < 0.001:
		return "< 0.001 s"
	case seconds < 999.5:
		return fmt.Sprintf("%.3g s", seconds)
	}
	return Duration(time.Duration(seconds * float64(time.Second)))
}

// Bytes says how large something is.
func Bytes(n int64) string {
	const step, roundedUp = 1000, 999.5 // with three digits that is 1000 already
	value, unit := float64(n), "B"
	for _, larger := range []string{"kB", "MB", "GB"} {
		if value < roundedUp {
			break
		}
		value, unit = value/step, larger
	}
	if unit == "B" {
		return fmt.Sprintf("%d B", n)
	}
	return fmt.Sprintf("%.3g %s", value, unit)
}

// Ordinal is 1st, 2nd, 3rd, 4th and so on.
func Ordinal(n int) string {
	ending := "th"
	if n%100 < 11 || n%100 > 13 {
		switch n % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return strconv.Itoa(n) + ending
}

// Up rounds a positive number to four digits, never down: a room that is told is enough.
func Up(value float64) float64 {
	if value <= 0 || math.IsInf(value, 0) || math.IsNaN(value) {
		return value
	}
	unit := math.Pow(10, math.Floor(math.Log10(value))-3)
	up, _ := strconv.ParseFloat(strconv.FormatFloat(math.Ceil(value/unit*(1-1e-15))*unit, 'g', 4, 64), 64)
	if up < value {
		up, _ = strconv.ParseFloat(strconv.FormatFloat((math.Ceil(value/unit)+1)*unit, 'g', 4, 64), 64)
	}
	return up
}
