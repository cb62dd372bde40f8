package formula

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"github.com/agnivade/levenshtein"
)

// A function of the language: how many arguments it takes, and the operation that computes it. Functions of more
// than two arguments are folded from the left.
type function struct {
	least, most int
	op          operation
}

const many = math.MaxInt

var functions = map[string]function{
	"min": {least: 1, most: many, op: opMin}, "max": {least: 1, most: many, op: opMax},
	"abs": {least: 1, most: 1, op: opAbs}, "sqrt": {least: 1, most: 1, op: opSqrt}, "exp": {least: 1, most: 1, op: opExp}, "log": {least: 1, most: 1, op: opLog}, "log10": {least: 1, most: 1, op: opLog10},
	"sin": {least: 1, most: 1, op: opSin}, "cos": {least: 1, most: 1, op: opCos}, "tan": {least: 1, most: 1, op: opTan},
	"asin": {least: 1, most: 1, op: opAsin}, "acos": {least: 1, most: 1, op: opAcos}, "atan": {least: 1, most: 1, op: opAtan}, "atan2": {least: 2, most: 2, op: opAtan2},
	"floor": {least: 1, most: 1, op: opFloor}, "ceil": {least: 1, most: 1, op: opCeil},
}

// curveFunctions are read off vectors and curves; their names are reserved.
var curveFunctions = []string{"first", "final", "peak", "trough", "peak_abs", "total", "mean", "rms", "integral", "at", "slope",
	"window", "first_crossing", "last_crossing", "frequency", "duty", "present_value"}

var reservedWords = []string{"in", "or", "and", "not", "if", "else", "let", "pi", "matches", "contains", "startsWith", "endsWith",
	"true", "false", "nil"}

func (f function) arguments() string {
	switch {
	case f.most == many:
		return "one argument or more"
	case f.least != f.most:
		return fmt.Sprintf("%d or %d arguments", f.least, f.most)
	case f.least == 1:
		return "one argument"
	}
	return fmt.Sprintf("%d arguments", f.least)
}

// FunctionNames lists all functions, sorted.
func FunctionNames() []string {
	return slices.Sorted(slices.Values(slices.Concat(slices.Collect(maps.Keys(functions)), curveFunctions, slices.Collect(maps.Keys(statistics)))))
}

// Reserved is true for the words that cannot be names.
func Reserved(name string) bool {
	_, isFunction := functions[name]
	_, isStatistic := statistics[name]
	return isFunction || isStatistic || slices.Contains(reservedWords, name) || slices.Contains(curveFunctions, name)
}

// Suggest returns "; did you mean X?" with the known name that is nearest to name, or nothing where none is near.
func Suggest(name string, known []string) string {
	best, least := "", 1+max(1, len(name)/2)
	for _, candidate := range known {
		if d := levenshtein.ComputeDistance(name, candidate); d < least {
			best, least = candidate, d
		}
	}
	if best == "" {
		return ""
	}
	return fmt.Sprintf("; did you mean %s?", best)
}
