package formula

import (
	"fmt"

	"github.com/expr-lang/expr/ast"

	"ropebench/core/curve"
)

// A Dual is a value with its derivatives in some directions, one for each: numbers for a number, tangents for a vector or
// a curve. A nil Tangent of a sequence is 0 everywhere.
type Dual struct {
	Value
	Slopes   []float64
	Tangents []*curve.Tangent
}

// Constant is a number, a vector or a curve that does not move.
func Constant(v Value, directions int) Dual {
	return Dual{v, make([]float64, directions), make([]*curve.Tangent, directions)}
}

// Differentiate computes the expression and its exact derivatives, forwards, on numbers, vectors and curves. At kinks it
// gives what Gradient gives; a reading that hangs on one of several equal samples moves with the first of them.
func (e Expression) Differentiate(lookup func(name string) Dual, directions int) (Dual, error) {
	d := differentiation{lookup, directions}
	return d.of(e.root)
}

type differentiation struct {
	lookup     func(name string) Dual
	directions int
}

func (d differentiation) of(node ast.Node) (Dual, error) {
	if number, ok := constantOf(node); ok {
		return Constant(Scalar(number), d.directions), nil
	}
	switch n := node.(type) {
	case *ast.IdentifierNode, *ast.MemberNode:
		name, _ := nameOf(node)
		return d.lookup(name), nil
	case *ast.UnaryNode:
		switch n.Operator {
		case "-":
			return d.apply(opNegate, n.Node)
		case "not":
			return d.apply(opNot, n.Node)
		}
		return d.of(n.Node)
	case *ast.BinaryNode:
		return d.apply(binaryOperators[n.Operator], n.Left, n.Right)
	case *ast.ConditionalNode:
		return d.apply(opChoose, n.Cond, n.Exp1, n.Exp2)
	case *ast.CallNode:
		name, _ := nameOf(n.Callee)
		if r, reads := readers[name]; reads {
			return d.read(name, r, n.Arguments)
		}
		return d.apply(functions[name].op, n.Arguments...)
	}
	return Dual{}, &Error{At: at(node), Message: "this part of the formula cannot be computed"}
}

// apply computes an operation on its operands; more than it has are folded from the left.
func (d differentiation) apply(op operation, nodes ...ast.Node) (Dual, error) {
	var operands []Dual
	for _, node := range nodes {
		operand, err := d.of(node)
		if err != nil {
			return Dual{}, err
		}
		operands = append(operands, operand)
	}
	for arity := op.arity(); len(operands) > arity; {
		folded, err := d.combine(op, operands[:arity])
		if err != nil {
			return Dual{}, err
		}
		operands = append([]Dual{folded}, operands[arity:]...)
	}
	if len(operands) < op.arity() {
		return operands[0], nil // min or max of one
	}
	return d.combine(op, operands)
}

// partials has a program for each operation: its value and its derivatives with respect to its operands.
var partials = func() (programs [opSign + 1]*Program) {
	for op := range programs {
		arity := operation(op).arity()
		c := newCompiler(arity)
		operands, wrt := []int32{0, 1, 2}[:arity], []int{0, 1, 2}[:arity]
		programs[op] = c.program([]int32{c.emit(operation(op), operands...)}).Gradient(wrt)
	}
	return programs
}()

// combine computes one operation element by element, with the chain rule.
func (d differentiation) combine(op operation, operands []Dual) (Dual, error) {
	var along *curve.Curve
	for _, operand := range operands {
		var err error
		if along, err = joined(along, operand.Samples); err != nil {
			return Dual{}, err
		}
	}
	count := 1
	if along != nil {
		count = len(along.Y)
	}
	width := 1 + len(operands)
	in, out := make([]float64, 3), make([]float64, count*width)
	machine := partials[op].NewMachine()
	machine.Eval(count, func(i int) []float64 {
		for k, operand := range operands {
			in[k] = operand.element(i)
		}
		return append([]float64{}, in[:len(operands)]...)
	}, func(i int) []float64 { return out[i*width : (i+1)*width] })
	move := func(i, direction int) float64 {
		sum := 0.0
		for k, operand := range operands {
			if slope := operand.slope(i, direction); slope != 0 {
				sum += slope * out[i*width+1+k]
			}
		}
		return sum
	}
	if along == nil {
		result := Constant(Scalar(out[0]), d.directions)
		for direction := range result.Slopes {
			result.Slopes[direction] = move(0, direction)
		}
		return result, nil
	}
	samples := curve.Curve{X: along.X, Y: make([]float64, count)}
	for i := range samples.Y {
		samples.Y[i] = out[i*width]
	}
	result := Constant(Sequence(samples), d.directions)
	for direction := range result.Tangents {
		tangent := &curve.Tangent{X: xMoves(operands, direction), Y: make([]float64, count)}
		for i := range tangent.Y {
			tangent.Y[i] = move(i, direction)
		}
		result.Tangents[direction] = tangent
	}
	return result, nil
}

// element is the i-th value; a number stands for each.
func (d Dual) element(i int) float64 {
	if d.Samples == nil {
		return d.Number
	}
	return d.Samples.Y[i]
}

func (d Dual) slope(i, direction int) float64 {
	switch {
	case d.Samples == nil:
		return d.Slopes[direction]
	case d.Tangents[direction] == nil:
		return 0
	}
	return d.Tangents[direction].Y[i]
}

// xMoves is how the x of the first operand that is a curve moves.
func xMoves(operands []Dual, direction int) []float64 {
	for _, operand := range operands {
		if operand.Samples != nil && operand.Samples.X != nil && operand.Tangents[direction] != nil {
			return operand.Tangents[direction].X
		}
	}
	return nil
}

// read reads something off a sequence, with the derivatives of that.
func (d differentiation) read(name string, r reader, nodes []ast.Node) (Dual, error) {
	first, err := d.of(nodes[0])
	if err != nil {
		return Dual{}, err
	}
	if first.Samples == nil || len(first.Samples.Y) == 0 {
		return Dual{}, fmt.Errorf("%s needs a vector or a curve", name)
	}
	var arguments []Dual
	var numbers []float64
	for _, node := range nodes[1:] {
		argument, err := d.of(node)
		if err != nil {
			return Dual{}, err
		}
		arguments, numbers = append(arguments, argument), append(numbers, argument.Number)
	}
	value, err := r.read(*first.Samples, numbers)
	if err != nil {
		return Dual{}, fmt.Errorf("%s: %w", name, err)
	}
	result := Constant(value, d.directions)
	for direction := range d.directions {
		tangent := first.Tangents[direction]
		if tangent == nil {
			tangent = &curve.Tangent{Y: make([]float64, len(first.Samples.Y))}
		}
		moves := make([]float64, len(arguments))
		for k, argument := range arguments {
			moves[k] = argument.Slopes[direction]
		}
		if value.Samples == nil {
			result.Slopes[direction] = slopeOfReading(name, *first.Samples, *tangent, numbers, moves)
		} else {
			result.Tangents[direction] = tangentOfReading(name, *first.Samples, *tangent, numbers, moves)
		}
	}
	return result, nil
}

// slopesOfVectors are the derivatives of what is read off without further arguments.
var slopesOfVectors = map[string]func(curve.Curve, curve.Tangent) float64{
	"first": curve.Curve.FirstSlope, "final": curve.Curve.FinalSlope, "peak": curve.Curve.PeakSlope, "trough": curve.Curve.TroughSlope,
	"peak_abs": curve.Curve.PeakAbsSlope, "total": curve.Curve.TotalSlope, "mean": curve.Curve.MeanSlope, "rms": curve.Curve.RMSSlope,
	"integral": curve.Curve.IntegralSlope,
}

// slopesOfCurves are the derivatives of what is read off with one argument.
var slopesOfCurves = map[string]func(c curve.Curve, t curve.Tangent, argument, moves float64) float64{
	"at": curve.Curve.AtSlope, "frequency": curve.Curve.FrequencySlope, "duty": curve.Curve.DutySlope, "present_value": curve.Curve.PresentValueSlope,
}

func slopeOfReading(name string, c curve.Curve, t curve.Tangent, arguments, moves []float64) float64 {
	if slope, known := slopesOfVectors[name]; known {
		return slope(c, t)
	}
	if slope, known := slopesOfCurves[name]; known {
		return slope(c, t, arguments[0], moves[0])
	}
	if _, crosses := c.FirstCrossing(arguments[0]); !crosses {
		return moves[1] // the third argument says what it is then
	}
	return c.CrossingSlope(t, name == "last_crossing", arguments[0], moves[0])
}

func tangentOfReading(name string, c curve.Curve, t curve.Tangent, arguments, moves []float64) *curve.Tangent {
	moved := curve.Tangent{}
	if name == "window" {
		moved = c.WindowSlope(t, arguments[0], arguments[1], moves[0], moves[1])
	} else {
		moved = c.SlopeSlope(t)
	}
	return &moved
}
