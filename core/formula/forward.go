package formula

import (
	"fmt"

	"github.com/expr-lang/expr/ast"

	"ropebench/core"
	"ropebench/core/curve"
)

// A Dual is a value with its derivatives in some directions, one for each: numbers for a number, derivatives for a vector or
// a curve. A nil Derivative of a sequence is 0 everywhere.
type Dual struct {
	Value
	Derivatives       []float64
	SampleDerivatives []*curve.Derivative
}

// Constant is a number, a vector or a curve that does not move.
func Constant(v Value, directions int) Dual {
	return Dual{Value: v, Derivatives: make([]float64, directions), SampleDerivatives: make([]*curve.Derivative, directions)}
}

// Differentiate computes the expression and its exact derivatives, forwards, on numbers, vectors and curves. At kinks it
// gives what Program.Derivatives gives; a reading that hangs on one of several equal samples moves with the first of them.
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
		programs[op] = c.program([]int32{c.emit(operation(op), operands...)}).Derivatives(wrt)
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
	in, out := core.NewMatrix(count, len(operands)), core.NewMatrix(count, width)
	for i := range count {
		for k, operand := range operands {
			in.Row(i)[k] = operand.element(i)
		}
	}
	partials[op].NewMachine().Eval(in, out)
	move := func(i, direction int) float64 {
		sum := 0.0
		for k, operand := range operands {
			// What has no share, such as the branch that is not taken, adds nothing, even where its derivative is not finite.
			if derivative, share := operand.derivative(i, direction), out.Row(i)[1+k]; derivative != 0 && share != 0 {
				sum += derivative * share
			}
		}
		return sum
	}
	if along == nil {
		result := Constant(Scalar(out.Row(0)[0]), d.directions)
		for direction := range result.Derivatives {
			result.Derivatives[direction] = move(0, direction)
		}
		return result, nil
	}
	samples := curve.Curve{X: along.X, Y: make([]float64, count)}
	for i := range samples.Y {
		samples.Y[i] = out.Row(i)[0]
	}
	result := Constant(Sequence(samples), d.directions)
	for direction := range result.SampleDerivatives {
		derivative := &curve.Derivative{X: xMoves(operands, direction), Y: make([]float64, count)}
		for i := range derivative.Y {
			derivative.Y[i] = move(i, direction)
		}
		result.SampleDerivatives[direction] = derivative
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

func (d Dual) derivative(i, direction int) float64 {
	switch {
	case d.Samples == nil:
		return d.Derivatives[direction]
	case d.SampleDerivatives[direction] == nil:
		return 0
	}
	return d.SampleDerivatives[direction].Y[i]
}

// xMoves is how the x of the first operand that is a curve moves.
func xMoves(operands []Dual, direction int) []float64 {
	for _, operand := range operands {
		if operand.Samples != nil && operand.Samples.X != nil && operand.SampleDerivatives[direction] != nil {
			return operand.SampleDerivatives[direction].X
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
		derivative := first.SampleDerivatives[direction]
		if derivative == nil {
			derivative = &curve.Derivative{Y: make([]float64, len(first.Samples.Y))}
		}
		moves := make([]float64, len(arguments))
		for k, argument := range arguments {
			moves[k] = argument.Derivatives[direction]
		}
		if value.Samples == nil {
			result.Derivatives[direction] = derivativeOfReading(name, *first.Samples, *derivative, numbers, moves)
		} else {
			result.SampleDerivatives[direction] = curveDerivativeOfReading(name, *first.Samples, *derivative, numbers, moves)
		}
	}
	return result, nil
}

// derivativesOfVectors are the derivatives of what is read off without further arguments.
var derivativesOfVectors = map[string]func(curve.Curve, curve.Derivative) float64{
	"first": curve.Curve.FirstDerivative, "final": curve.Curve.FinalDerivative, "peak": curve.Curve.PeakDerivative, "trough": curve.Curve.TroughDerivative,
	"peak_abs": curve.Curve.PeakAbsDerivative, "total": curve.Curve.TotalDerivative, "mean": curve.Curve.MeanDerivative, "rms": curve.Curve.RMSDerivative,
	"integral": curve.Curve.IntegralDerivative,
}

// derivativesOfCurves are the derivatives of what is read off with one argument.
var derivativesOfCurves = map[string]func(c curve.Curve, t curve.Derivative, argument, moves float64) float64{
	"at": curve.Curve.AtDerivative, "frequency": curve.Curve.FrequencyDerivative, "duty": curve.Curve.DutyDerivative, "present_value": curve.Curve.PresentValueDerivative,
}

func derivativeOfReading(name string, c curve.Curve, t curve.Derivative, arguments, moves []float64) float64 {
	if slope, known := derivativesOfVectors[name]; known {
		return slope(c, t)
	}
	if name == "at" && len(arguments) == 2 && !c.Reaches(arguments[0]) {
		return moves[1] // the third argument says what it is then
	}
	if slope, known := derivativesOfCurves[name]; known {
		return slope(c, t, arguments[0], moves[0])
	}
	if _, crosses := c.FirstCrossing(arguments[0]); !crosses {
		return moves[1] // the third argument says what it is then
	}
	return c.CrossingDerivative(t, name == "last_crossing", arguments[0], moves[0])
}

func curveDerivativeOfReading(name string, c curve.Curve, t curve.Derivative, arguments, moves []float64) *curve.Derivative {
	moved := curve.Derivative{}
	if name == "window" {
		moved = c.WindowDerivative(t, arguments[0], arguments[1], moves[0], moves[1])
	} else {
		moved = c.SlopeDerivative(t)
	}
	return &moved
}
