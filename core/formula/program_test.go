package formula

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
)

// anyFormula draws a formula of the variables a, b and c.
func anyFormula(r *rapid.T, depth int) string {
	if depth == 0 {
		return rapid.SampledFrom([]string{"a", "b", "c", "2", "0.5", "3", "pi"}).Draw(r, "leaf")
	}
	part := func() string { return anyFormula(r, depth-1) }
	switch rapid.IntRange(0, 12).Draw(r, "operation") {
	case 0, 1:
		return "(" + part() + " + " + part() + ")"
	case 2:
		return "(" + part() + " - " + part() + ")"
	case 3, 4:
		return part() + "*" + part()
	case 5:
		return part() + "/(1 + " + part() + "^2)"
	case 6:
		return "(" + part() + ")^" + rapid.SampledFrom([]string{"2", "3", "5", "0"}).Draw(r, "power")
	case 7:
		return rapid.SampledFrom([]string{"sin", "cos", "abs", "atan", "floor"}).Draw(r, "function") + "(" + part() + ")"
	case 8:
		return rapid.SampledFrom([]string{"min", "max"}).Draw(r, "least") + "(" + part() + ", " + part() + ")"
	case 9:
		return "(" + part() + " > " + part() + " ? " + part() + " : " + part() + ")"
	case 10:
		return "-" + part()
	case 11:
		return "sqrt(1 + (" + part() + ")^2)"
	}
	return part()
}

// TestProgramsComputeWhatTheirFormulasSay holds the compiled program, alone and in batches, against the tree of the formula.
func TestProgramsComputeWhatTheirFormulasSay(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(r *rapid.T) {
		texts := []string{anyFormula(r, 4), anyFormula(r, 3)}
		var definitions []Definition
		for i, text := range texts {
			expression, err := Parse(text)
			require.NoError(r, err, text)
			definitions = append(definitions, Definition{fmt.Sprint("f", i), expression})
		}
		program, err := Compile([]string{"a", "b", "c"}, definitions)
		require.NoError(r, err)
		n := rapid.IntRange(1, 150).Draw(r, "rows")
		rows, out := make([][]float64, n), core.NewMatrix(n, 2)
		for i := range rows {
			rows[i] = []float64{float64(i)*0.37 - 3, math.Sin(float64(i)), float64(i%5) - 2}
		}
		machine := program.NewMachine()
		machine.Eval(core.MatrixOf(rows), out)
		single := make([]float64, 2)
		for i, row := range rows {
			machine.One(row, single)
			for k, d := range definitions {
				value, err := d.Expression.Evaluate(func(name string) Value {
					return Scalar(map[string]float64{"a": row[0], "b": row[1], "c": row[2]}[name])
				})
				require.NoError(r, err)
				same(r, value.Number, out.Row(i)[k], texts[k])
				same(r, out.Row(i)[k], single[k], texts[k])
			}
		}
	})
}

// same allows for powers by multiplications, which are rounded otherwise, and for numbers that are none in both.
func same(t require.TestingT, want, got float64, text string) {
	if math.IsNaN(want) && math.IsNaN(got) || want == got {
		return
	}
	assert.InDelta(t, want, got, 1e-9*(1+math.Abs(want)), text)
}

func TestProgramsOfManyRegisters(t *testing.T) {
	t.Parallel()
	var sum strings.Builder
	sum.WriteString("0")
	for i := range 400 {
		fmt.Fprintf(&sum, " + sin(a*%d)*b", i+1)
	}
	expression, err := Parse(sum.String())
	require.NoError(t, err)
	program, err := Compile([]string{"a", "b"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	assert.Nil(t, program.small, "it has more constants than a byte can name")
	out := make([]float64, 1)
	program.NewMachine().One([]float64{0.3, 2}, out)
	want := 0.0
	for i := range 400 {
		want += 2 * math.Sin(0.3*float64(i+1))
	}
	assert.InDelta(t, want, out[0], 1e-9)
	derivatives := make([]float64, 3)
	program.Derivatives([]int{0, 1}).NewMachine().One([]float64{0.3, 2}, derivatives)
	assert.InDelta(t, want, derivatives[0], 1e-9)
	assert.InDelta(t, want/2, derivatives[2], 1e-9)
}

func TestRegistersAreUsedAgain(t *testing.T) {
	t.Parallel()
	expression, err := Parse("((((a + 1)*b + 2)*a + 3)*b + 4)*a*sin(a)*cos(b)*exp(a)")
	require.NoError(t, err)
	program, err := Compile([]string{"a", "b"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	assert.LessOrEqual(t, program.registers, len(program.constants)+2+4, "a chain needs few places at a time")
	constant, err := Parse("2*3 + sin(0)")
	require.NoError(t, err)
	program, err = Compile([]string{"a"}, []Definition{{"f", constant}})
	require.NoError(t, err)
	assert.Empty(t, program.code, "what depends on constants only is computed while compiling")
}

func TestSwitchedProgramsHoldTheirModes(t *testing.T) {
	t.Parallel()
	expression, err := Parse("(a > 1 ? a^2 : 0) + abs(b) + min(a, b) + floor(2*a)")
	require.NoError(t, err)
	program, err := Compile([]string{"a", "b"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	switched := program.Switched()
	require.Equal(t, 4, switched.Modes())
	row, out := make([]float64, 6), make([]float64, 5)
	machine := switched.Program.NewMachine()
	settle := func(a, b float64) {
		row[0], row[1] = a, b
		machine.One(row, out)
		for k, guard := range out[1:] {
			row[2+k] = switched.Mode(k, guard)
		}
		machine.One(row, out)
	}
	settle(1.5, -2)
	assert.Equal(t, 2.25+2-2+3, out[0])
	row[0] = 0.9 // behind the switch of a > 1, with its mode held
	machine.One(row, out)
	assert.InDelta(t, 0.81+2-2+3, out[0], 1e-12, "smooth beyond the switch")
	settle(0.9, -2)
	assert.InDelta(t, 0+2-2+1, out[0], 1e-12)
	plain := make([]float64, 1)
	program.NewMachine().One([]float64{0.9, -2}, plain)
	assert.Equal(t, plain[0], out[0], "settled, it is the formula itself")
}

func TestScalarFormulasAllocateNothing(t *testing.T) {
	expression, err := Parse("a > 1 ? sqrt(a^2 + b^2)/max(a, b) : exp(-a)*sin(b)")
	require.NoError(t, err)
	program, err := Compile([]string{"a", "b"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	value, derivatives := program.NewMachine(), program.Derivatives([]int{0, 1}).NewMachine()
	row, out := []float64{1.5, 2}, make([]float64, 3)
	in, into := core.NewMatrix(150, 2), core.NewMatrix(150, 3)
	for name, call := range map[string]func(){
		"one": func() { value.One(row, out) }, "a batch": func() { value.Eval(in, into) },
		"derivatives": func() { derivatives.One(row, out) }, "derivatives of a batch": func() { derivatives.Eval(in, into) },
	} {
		assert.Zero(t, testing.AllocsPerRun(100, call), name)
	}
}
