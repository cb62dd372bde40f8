package formula

import (
	"fmt"
	"math"

	"github.com/expr-lang/expr/ast"

	"ropebench/core/curve"
)

// A Shape says what a formula gives.
type Shape uint8

// The shapes. A vector has values, a curve has values over x.
const (
	Number Shape = iota
	Vector
	Curve
)

func (s Shape) String() string { return [...]string{"a single number", "a vector", "a curve"}[s] }

// A Value is a number, or a vector or curve where Samples is not nil.
type Value struct {
	Number  float64
	Samples *curve.Curve
}

// Scalar makes a value of a number.
func Scalar(number float64) Value { return Value{Number: number} }

// Sequence makes a value of a vector or curve.
func Sequence(c curve.Curve) Value { return Value{Samples: &c} }

// maxSamples bounds a vector or curve that a formula gives.
const maxSamples = 5_000_000

// A reader reads something off a vector or a curve; its further arguments are numbers.
type reader struct {
	least, most int
	overX       bool // it needs a curve
	result      Shape
	read        func(c curve.Curve, arguments []float64) (Value, error)
}

var readers = map[string]reader{
	"first":    ofVector(curve.Curve.First),
	"final":    ofVector(curve.Curve.Final),
	"peak":     ofVector(curve.Curve.Peak),
	"trough":   ofVector(curve.Curve.Trough),
	"peak_abs": ofVector(curve.Curve.PeakAbs),
	"total":    ofVector(curve.Curve.Total),
	"mean":     ofVector(curve.Curve.Mean),
	"rms":      ofVector(curve.Curve.RMS),
	"integral": {least: 1, most: 1, overX: true, result: Number, read: func(c curve.Curve, _ []float64) (Value, error) { return Scalar(c.Integral()), nil }},
	"at": {least: 2, most: 3, overX: true, result: Number, read: func(c curve.Curve, a []float64) (Value, error) {
		if len(a) == 2 && len(c.X) > 0 && !c.Reaches(a[0]) {
			return Scalar(a[1]), nil
		}
		y, err := c.At(a[0])
		return Scalar(y), err
	}},
	"slope": {least: 1, most: 1, overX: true, result: Curve, read: func(c curve.Curve, _ []float64) (Value, error) {
		s, err := c.Slope()
		return Sequence(s), err
	}},
	"window": {least: 3, most: 3, overX: true, result: Curve, read: func(c curve.Curve, a []float64) (Value, error) {
		w, err := c.Window(a[0], a[1])
		return Sequence(w), err
	}},
	"first_crossing": ofCrossing(curve.Curve.FirstCrossing),
	"last_crossing":  ofCrossing(curve.Curve.LastCrossing),
	"frequency":      ofCurve(curve.Curve.Frequency),
	"duty":           ofCurve(curve.Curve.Duty),
	"present_value": {least: 2, most: 2, overX: true, result: Number, read: func(c curve.Curve, a []float64) (Value, error) {
		return Scalar(c.PresentValue(a[0])), nil
	}},
}

func ofVector(read func(curve.Curve) float64) reader {
	return reader{least: 1, most: 1, overX: false, result: Number, read: func(c curve.Curve, _ []float64) (Value, error) { return Scalar(read(c)), nil }}
}

func ofCurve(read func(curve.Curve, float64) (float64, error)) reader {
	return reader{least: 2, most: 2, overX: true, result: Number, read: func(c curve.Curve, a []float64) (Value, error) {
		y, err := read(c, a[0])
		return Scalar(y), err
	}}
}

// ofCrossing reads a crossing; a third argument says what it is where there is none.
func ofCrossing(read func(curve.Curve, float64) (float64, bool)) reader {
	return reader{least: 2, most: 3, overX: true, result: Number, read: func(c curve.Curve, a []float64) (Value, error) {
		x, found := read(c, a[0])
		switch {
		case found:
			return Scalar(x), nil
		case len(a) == 2:
			return Scalar(a[1]), nil
		}
		return Value{}, fmt.Errorf("the curve never passes %g; a third argument would say what then", a[0])
	}}
}

// Take reduces a vector or curve by a function of one argument, by its name.
func Take(name string, c curve.Curve) (float64, error) {
	r, known := readers[name]
	if !known || r.least != 1 || r.result != Number {
		return 0, fmt.Errorf("there is no %s to take of a vector or curve", name)
	}
	if r.overX && c.X == nil {
		return 0, fmt.Errorf("%s is taken of a curve, and this is a vector", name)
	}
	value, err := r.read(c, nil)
	return value.Number, err
}

// Takes lists the functions that Take knows; overX says which of them need a curve.
func Takes() (names []string, overX map[string]bool) {
	overX = map[string]bool{}
	for _, name := range curveFunctions {
		if r := readers[name]; r.least == 1 && r.result == Number {
			names = append(names, name)
			overX[name] = r.overX
		}
	}
	return names, overX
}

// Shape finds what the expression gives, from the shapes of its names. Errors are of type *Error.
func (e Expression) Shape(of func(name string) (Shape, bool)) (Shape, error) {
	return shape(e.root, of)
}

func shape(node ast.Node, of func(string) (Shape, bool)) (Shape, error) {
	if _, ok := constantOf(node); ok {
		return Number, nil
	}
	switch n := node.(type) {
	case *ast.IdentifierNode, *ast.MemberNode:
		name, _ := nameOf(node)
		s, known := of(name)
		if !known {
			return 0, &Error{At: at(node), Message: fmt.Sprintf("%s is not known here", name)}
		}
		return s, nil
	case *ast.UnaryNode:
		return shape(n.Node, of)
	case *ast.BinaryNode:
		return widest(of, n.Left, n.Right)
	case *ast.ConditionalNode:
		return widest(of, n.Cond, n.Exp1, n.Exp2)
	case *ast.CallNode:
		name, _ := nameOf(n.Callee)
		if r, reads := readers[name]; reads {
			return shapeOfReader(name, r, n, of)
		}
		return widest(of, n.Arguments...)
	}
	return 0, &Error{At: at(node), Message: "this part of the formula cannot be computed"}
}

// widest is the shape of an operation that runs element by element.
func widest(of func(string) (Shape, bool), nodes ...ast.Node) (Shape, error) {
	most := Number
	for _, node := range nodes {
		s, err := shape(node, of)
		if err != nil {
			return 0, err
		}
		most = max(most, s)
	}
	return most, nil
}

func shapeOfReader(name string, r reader, call *ast.CallNode, of func(string) (Shape, bool)) (Shape, error) {
	for i, argument := range call.Arguments {
		s, err := shape(argument, of)
		switch {
		case err != nil:
			return 0, err
		case i == 0 && s == Number:
			return 0, &Error{At: at(call.Callee), Message: fmt.Sprintf("%s is read off a vector or a curve, and %s is a single number", name, argument)}
		case i == 0 && r.overX && s != Curve:
			return 0, &Error{At: at(call.Callee), Message: fmt.Sprintf("%s is read off a curve, and %s is a vector: it has no x", name, argument)}
		case i > 0 && s != Number:
			return 0, &Error{At: at(call.Callee), Message: fmt.Sprintf("argument %d of %s is a number, not %s", i+1, name, s)}
		}
	}
	return r.result, nil
}

// Evaluate computes the expression once, on numbers, vectors and curves. The error says which part has no value.
func (e Expression) Evaluate(lookup func(name string) Value) (Value, error) {
	return evaluate(e.root, lookup)
}

func evaluate(node ast.Node, lookup func(string) Value) (Value, error) {
	if number, ok := constantOf(node); ok {
		return Scalar(number), nil
	}
	switch n := node.(type) {
	case *ast.IdentifierNode, *ast.MemberNode:
		name, _ := nameOf(node)
		return lookup(name), nil
	case *ast.UnaryNode:
		switch n.Operator {
		case "-":
			return apply(lookup, func(a []float64) float64 { return -a[0] }, n.Node)
		case "not":
			return apply(lookup, func(a []float64) float64 { return truth(a[0] == 0) }, n.Node)
		}
		return evaluate(n.Node, lookup)
	case *ast.BinaryNode:
		return apply(lookup, numbers(binaryOperators[n.Operator]), n.Left, n.Right)
	case *ast.ConditionalNode:
		return apply(lookup, func(a []float64) float64 {
			if a[0] != 0 {
				return a[1]
			}
			return a[2]
		}, n.Cond, n.Exp1, n.Exp2)
	case *ast.CallNode:
		name, _ := nameOf(n.Callee)
		if r, reads := readers[name]; reads {
			return read(name, r, n.Arguments, lookup)
		}
		return apply(lookup, numbers(functions[name].op), n.Arguments...)
	}
	return Value{}, &Error{At: at(node), Message: "this part of the formula cannot be computed"}
}

// numbers is an operation as a function of its arguments, folded from the left.
func numbers(op operation) func([]float64) float64 {
	if unary := unaryFunctions[op]; unary != nil {
		return func(a []float64) float64 { return unary(a[0]) }
	}
	binary := binaryFunctions[op]
	switch op {
	case opAdd:
		binary = func(a, b float64) float64 { return a + b }
	case opSubtract:
		binary = func(a, b float64) float64 { return a - b }
	case opMultiply:
		binary = func(a, b float64) float64 { return a * b }
	case opDivide:
		binary = func(a, b float64) float64 { return a / b }
	}
	return func(a []float64) float64 {
		folded := a[0]
		for _, next := range a[1:] {
			folded = binary(folded, next)
		}
		return folded
	}
}

// apply computes f element by element: numbers stand for each element, sequences must have one length, and curves one x.
func apply(lookup func(string) Value, f func([]float64) float64, nodes ...ast.Node) (Value, error) {
	values := make([]Value, len(nodes))
	var along *curve.Curve
	for i, node := range nodes {
		var err error
		if values[i], err = evaluate(node, lookup); err != nil {
			return Value{}, err
		}
		if along, err = joined(along, values[i].Samples); err != nil {
			return Value{}, err
		}
	}
	arguments := make([]float64, len(values))
	element := func(k int) float64 {
		for i, v := range values {
			arguments[i] = v.Number
			if v.Samples != nil {
				arguments[i] = v.Samples.Y[k]
			}
		}
		return f(arguments)
	}
	if along == nil {
		return Scalar(element(0)), nil
	}
	result := curve.Curve{X: along.X, Y: make([]float64, len(along.Y))}
	for k := range result.Y {
		result.Y[k] = element(k)
	}
	return Sequence(result), nil
}

// joined is what two sequences run along together.
func joined(a, b *curve.Curve) (*curve.Curve, error) {
	switch {
	case a == nil:
		return b, nil
	case b == nil:
		return a, nil
	case len(a.Y) != len(b.Y):
		return nil, fmt.Errorf("a vector of %d and one of %d values cannot be computed with each other", len(a.Y), len(b.Y))
	case a.X == nil:
		return b, nil
	case b.X == nil:
		return a, nil
	}
	length := math.Abs(a.X[len(a.X)-1] - a.X[0])
	for i, x := range a.X {
		if math.Abs(x-b.X[i]) > sameX*length+sameDigits*math.Abs(x) {
			return nil, fmt.Errorf("two curves over different x (%g and %g at sample %d) cannot be computed with each other: read a value off one with at", x, b.X[i], i+1)
		}
	}
	return a, nil
}

// How near the x of two curves must be to be one: they may come from different files, or be computed in different ways.
const (
	sameX      = 1e-9  // of the length of the first
	sameDigits = 1e-15 // of x
)

func read(name string, r reader, nodes []ast.Node, lookup func(string) Value) (Value, error) {
	first, err := evaluate(nodes[0], lookup)
	if err != nil {
		return Value{}, err
	}
	if first.Samples == nil || len(first.Samples.Y) == 0 || len(first.Samples.Y) > maxSamples {
		return Value{}, fmt.Errorf("%s needs a vector or curve with 1 to %d samples", name, maxSamples)
	}
	if err := first.Samples.Check(); err != nil {
		return Value{}, fmt.Errorf("%s: %w: keep its argument where it has a value, by max, min, ? : or window", name, err) // a crossing would be looked for past it
	}
	var arguments []float64
	for _, node := range nodes[1:] {
		argument, err := evaluate(node, lookup)
		if err != nil {
			return Value{}, err
		}
		arguments = append(arguments, argument.Number)
	}
	value, err := r.read(*first.Samples, arguments)
	if err != nil {
		err = fmt.Errorf("%s: %w", name, err)
	}
	return value, err
}
