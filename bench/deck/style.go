package deck

import (
	"math"
	"strconv"
	"strings"
)

// A style is how a number stood in a deck: another one at its place is written like it.
type style struct {
	real     bool // with a point or an exponent: it stays one
	decimals int
	exponent string // the letter, or "+" for an exponent without one; "": none
}

func styleOf(stood string) style {
	stood = strings.TrimSpace(stood)
	var s style
	mantissa := stood
	if at := strings.IndexAny(stood, "eEdD"); at > 0 {
		s.exponent, mantissa = stood[at:at+1], stood[:at]
	} else if at := strings.LastIndexAny(stood, "+-"); at > 0 {
		s.exponent, mantissa = "+", stood[:at]
	}
	_, decimals, point := strings.Cut(mantissa, ".")
	s.real, s.decimals = point || s.exponent != "", len(decimals)
	return s
}

// leastDigits is how many significant digits a value keeps at least when it is made to fit into columns.
const leastDigits = 4

// write gives a value with as many digits as it has, and at least those that stood there, as far as they fit into the width (0: any).
func (s style) write(value float64, width int) (text string, fits bool) {
	fit := func(text string) bool { return width == 0 || len(text) <= width }
	if s.exponent == "" {
		exact := strconv.FormatFloat(value, 'f', -1, 64)
		_, has, _ := strings.Cut(exact, ".")
		for decimals := max(len(has), s.decimals); decimals >= 0; decimals-- {
			text := s.withPoint(strconv.FormatFloat(value, 'f', decimals, 64))
			if fit(text) && (decimals >= len(has) || significant(value, decimals) >= leastDigits) {
				return text, true
			}
		}
	}
	_, has, _ := strings.Cut(strings.SplitN(strconv.FormatFloat(value, 'e', -1, 64), "e", 2)[0], ".")
	least := 0
	if s.exponent != "" {
		least = s.decimals
	}
	for decimals := max(len(has), least); decimals >= min(len(has), leastDigits-1); decimals-- {
		if text := s.withExponent(strconv.FormatFloat(value, 'e', decimals, 64)); fit(text) {
			return text, true
		}
	}
	return strconv.FormatFloat(value, 'g', -1, 64), false
}

// significant is how many digits of a value count that is written with so many decimals.
func significant(value float64, decimals int) int {
	if value == 0 {
		return leastDigits
	}
	return decimals + 1 + int(math.Floor(math.Log10(math.Abs(value))))
}

func (s style) withPoint(text string) string {
	if s.real && !strings.Contains(text, ".") {
		return text + "."
	}
	return text
}

// withExponent writes an exponent as it stood: 2.1e+11, 2.1D+11 or 2.1+11.
func (s style) withExponent(text string) string {
	mantissa, exponent, _ := strings.Cut(text, "e")
	if !strings.Contains(mantissa, ".") {
		mantissa += "."
	}
	letter := s.exponent
	switch letter {
	case "":
		letter = "E"
	case "+":
		letter = ""
	}
	return mantissa + letter + exponent
}
