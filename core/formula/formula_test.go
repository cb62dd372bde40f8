package formula

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
)

func value(t require.TestingT, text string, variables map[string]float64) float64 {
	expression, err := Parse(text)
	require.NoError(t, err)
	names, row := []string{}, []float64{}
	for name, v := range variables {
		names, row = append(names, name), append(row, v)
	}
	program, err := Compile(names, []Definition{{"result", expression}})
	require.NoError(t, err)
	out := make([]float64, 1)
	program.NewMachine().One(row, out)
	return out[0]
}

func TestValues(t *testing.T) {
	t.Parallel()
	variables := map[string]float64{"a": 3, "b": -2, "x": 0.5, "rope.mass": 7}
	for text, want := range map[string]float64{
		"1/2": 0.5, "-a^2": -9, "2^3^2": 512, "a - b - 1": 4, "2 + 3*a^2": 29, "(a + b)*2": 2,
		"x^0.5": math.Sqrt(0.5), "b^3": -8, "a^-1": 1.0 / 3, "x^7": 1.0 / 128, "a^16": 43046721, "b^0": 1,
		"a > b": 1, "a < b": 0, "a >= 3 and b <= -2": 1, "not (a == 3)": 0, "a != 3 or x < 1": 1,
		"a > 5 ? 10 : 20": 20, "b < 0 ? a : b": 3, "not a": 0, "not a == 2": 1, "not a == 3 and b < 0": 0, "not b > 0 and a > 0": 1, "1 + not b > 0": 2, "not not a": 1, "not a or 1": 1,
		"min(a, b, x)": -2, "max(a, b, x)": 3, "max(a)": 3, "abs(b)": 2, "sqrt(a*12)": 6, "exp(log(a))": 3, "log10(1000)": 3,
		"sin(pi/2)": 1, "cos(pi)": -1, "atan2(1, 1)": math.Pi / 4, "floor(b*0.3)": -1, "ceil(x)": 1, "tan(x)": math.Tan(0.5),
		"asin(x)": math.Asin(0.5), "acos(x)": math.Acos(0.5), "atan(a)": math.Atan(3), "rope.mass*2": 14, "1e-4*a": 3e-4, "+a": 3,
	} {
		assert.InDelta(t, want, value(t, text, variables), 1e-12, text)
	}
	assert.True(t, math.IsInf(value(t, "1/(a - 3)", variables), 1), "a division by zero is seen, not hidden")
	for _, text := range []string{"sqrt(b) > 1", "sqrt(b) <= 1", "1 == sqrt(b)", "1 != sqrt(b)", "not sqrt(b)", "sqrt(b) ? 1 : 2", "a > 1 and sqrt(b) < 2", "a < 1 or sqrt(b) < 2"} {
		assert.True(t, math.IsNaN(value(t, text, variables)), "%s: a comparison with what is no number is none", text)
	}
	for text, want := range map[string]float64{"b > 0 ? sqrt(b) : 5": 5, "b > 0 and sqrt(b) < 2": 0, "b < 0 or sqrt(b) < 2": 1, "sqrt(b) < 2 or b < 0": 1} {
		assert.Equal(t, want, value(t, text, variables), "%s: a protected one is", text)
	}
}

func TestMistakesAreExplained(t *testing.T) {
	t.Parallel()
	for text, message := range map[string]string{
		"":                                 "empty",
		"2 *":                              "it ends too early: a value is missing at its end",
		"a**2":                             "a power is written ^",
		"a // half":                        "division is written /",
		"a && b":                           "write and",
		"1 < a < 3":                        "write 1 < a and a < 3",
		"a + 1 >= b > 2":                   "write a + 1 >= b and b > 2",
		"!a":                               "write not",
		"a % 2":                            "remainder",
		"sine(a)":                          "no function sine; did you mean sin?",
		"atan2(a)":                         "takes 2 arguments, not 1",
		"sqrt(a, b)":                       "takes one argument, not 2",
		"'text'":                           "not part of the formula language",
		"[1, 2]":                           "not part of the formula language",
		"let y = 2; y":                     "not part of the formula language",
		"a.b.c":                            "a dot joins two names",
		strings.Repeat("(", 300) + "a":     "brackets stand within each other",
		strings.Repeat("a + ", 6000) + "a": "at most 20000",
	} {
		_, err := Parse(text)
		require.Error(t, err, text)
		assert.ErrorContains(t, err, message, text)
	}
}

func TestUnknownNameIsAnError(t *testing.T) {
	t.Parallel()
	expression, err := Parse("a + missing")
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "missing"}, expression.Names)
	_, err = Compile([]string{"a"}, []Definition{{"f", expression}})
	assert.ErrorContains(t, err, "f: missing is not known here")
}

func TestDefinitionsUseEarlierOnes(t *testing.T) {
	t.Parallel()
	first, _ := Parse("x*2")
	second, _ := Parse("first + x*2")
	program, err := Compile([]string{"x"}, []Definition{{"first", first}, {"second", second}})
	require.NoError(t, err)
	assert.Len(t, program.code, 2, "x*2 is computed once")
	out := make([]float64, 2)
	program.NewMachine().One([]float64{5}, out)
	assert.Equal(t, []float64{10, 20}, out)
}

func TestBatchesGiveWhatSingleRowsGive(t *testing.T) {
	t.Parallel()
	expression, err := Parse("(x - 10)^2 + 5*sin(y)^4 - (x > y ? x/y : y^1.5) + max(x, y, 1)")
	require.NoError(t, err)
	program, err := Compile([]string{"x", "y"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfN(rapid.SliceOfN(rapid.Float64Range(0.1, 100), 2, 2), 1, 200).Draw(t, "rows")
		results := core.NewMatrix(len(rows), 1)
		program.NewMachine().Eval(core.MatrixOf(rows), results)
		out := results.Data
		for i, row := range rows {
			single := value(t, expression.Text, map[string]float64{"x": row[0], "y": row[1]})
			if single != out[i] {
				t.Fatalf("row %d: %g alone, %g in a batch", i, single, out[i])
			}
		}
	})
}

func TestReservedWords(t *testing.T) {
	t.Parallel()
	for _, word := range []string{"in", "pi", "max", "peak", "let", "window"} {
		assert.True(t, Reserved(word), word)
	}
	assert.False(t, Reserved("spring_rate"))
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"a + b*2", "max(a, -b) ? 1 : 2", "((((", "a..b", "2^^3", "1e999", "\xff"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		expression, err := Parse(text)
		if err != nil {
			return
		}
		program, err := Compile(expression.Names, []Definition{{"f", expression}})
		require.NoError(t, err, "what parses, compiles")
		row, out := make([]float64, len(expression.Names)), make([]float64, 1)
		program.NewMachine().One(row, out)
	})
}

func TestWhatCannotBeReadIsSaidInWords(t *testing.T) {
	t.Parallel()
	for text, says := range map[string]string{
		"x,2": "a comma stands where none can", "(x": "a bracket ( is not closed: add )", "x)": "a bracket ) too much", "max(x": "a bracket ( is not closed",
		"2x": "2x is no number; a product is written with *", "x ? 1": ": and the other value are missing", "x y": `an operator is missing between "x" and "y"`, "x 2": `between "x" and "2"`,
		"max(1,,2)": "a comma stands where none can", "x * / 2": `"/" stands where a value was due`,
	} {
		_, err := Parse(text)
		assert.ErrorContains(t, err, says, text)
		assert.NotContains(t, err.Error(), "token")
	}
}
