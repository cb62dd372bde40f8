package formula

import (
	"fmt"
	"math"

	"github.com/expr-lang/expr/ast"
)

// A Definition gives an expression a name.
type Definition struct {
	Name       string
	Expression Expression
}

// A Program computes several formulas over the same variables. Common parts are computed once, whole powers up to
// maxWholePower by multiplications, and what depends on constants only is computed while compiling.
type Program struct {
	constants []float64 // registers 0 .. len(constants)-1
	variables int       // the registers after them
	code      []instruction
	results   []int // register of each definition
}

// An instruction computes register dst from registers a, b and c.
type instruction struct {
	op           operation
	a, b, c, dst int32
}

const maxWholePower = 16

// Compile turns definitions into a program over variables. A definition may use the variables and the definitions
// before it. Errors are of type *Error and name the definition.
func Compile(variables []string, definitions []Definition) (*Program, error) {
	c := compiler{
		registers: map[string]int32{}, constants: map[float64]int32{}, known: map[instruction]int32{},
		program: &Program{variables: len(variables)},
	}
	for _, definition := range definitions {
		c.collectConstants(definition.Expression.root)
	}
	c.constant(0) // the constants must be complete before the variables get their registers
	c.constant(1)
	for i, name := range variables {
		c.registers[name] = int32(len(c.program.constants) + i)
	}
	c.next = int32(len(c.program.constants) + len(variables))
	for _, definition := range definitions {
		register, err := c.compile(definition.Expression.root)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", definition.Name, err)
		}
		c.registers[definition.Name] = register
		c.program.results = append(c.program.results, int(register))
	}
	return c.program, nil
}

type compiler struct {
	program   *Program
	registers map[string]int32
	constants map[float64]int32
	known     map[instruction]int32 // dst 0: the register that already has this result
	next      int32
}

func (c *compiler) collectConstants(node ast.Node) {
	ast.Walk(&node, visitor(func(n *ast.Node) {
		if value, ok := constantOf(*n); ok {
			c.constant(value)
		}
	}))
}

type visitor func(*ast.Node)

func (v visitor) Visit(node *ast.Node) { v(node) }

func (c *compiler) constant(value float64) int32 {
	register, known := c.constants[value]
	if !known {
		register = int32(len(c.program.constants))
		c.constants[value] = register
		c.program.constants = append(c.program.constants, value)
	}
	return register
}

func (c *compiler) emit(op operation, operands ...int32) int32 {
	in := instruction{op: op}
	for i, into := range []*int32{&in.a, &in.b, &in.c} {
		if i < len(operands) {
			*into = operands[i]
		}
	}
	if register, known := c.known[in]; known {
		return register
	}
	c.known[in] = c.next
	in.dst = c.next
	c.program.code = append(c.program.code, in)
	c.next++
	return in.dst
}

func (c *compiler) compile(node ast.Node) (int32, error) {
	if value, ok := constantOf(node); ok {
		return c.constant(value), nil
	}
	switch n := node.(type) {
	case *ast.IdentifierNode, *ast.MemberNode:
		name, _ := nameOf(node)
		register, known := c.registers[name]
		if !known {
			return 0, &Error{At: at(node), Message: fmt.Sprintf("%s is not known here", name)}
		}
		return register, nil
	case *ast.UnaryNode:
		return c.unary(n)
	case *ast.BinaryNode:
		if exponent, whole := wholePower(n); whole {
			base, err := c.compile(n.Left)
			return c.power(base, exponent), err
		}
		return c.operate(binaryOperators[n.Operator], n.Left, n.Right)
	case *ast.ConditionalNode:
		return c.operate(opChoose, n.Cond, n.Exp1, n.Exp2)
	case *ast.CallNode:
		name, _ := nameOf(n.Callee)
		return c.call(functions[name], n.Arguments)
	}
	return 0, &Error{At: at(node), Message: "this part of the formula cannot be computed"}
}

func (c *compiler) operate(op operation, nodes ...ast.Node) (int32, error) {
	operands := make([]int32, len(nodes))
	for i, node := range nodes {
		register, err := c.compile(node)
		if err != nil {
			return 0, err
		}
		operands[i] = register
	}
	return c.emit(op, operands...), nil
}

func (c *compiler) unary(n *ast.UnaryNode) (int32, error) {
	switch n.Operator {
	case "-":
		return c.operate(opNegate, n.Node)
	case "not":
		return c.operate(opNot, n.Node)
	}
	return c.compile(n.Node)
}

func (c *compiler) call(f function, arguments []ast.Node) (int32, error) {
	if f.most != many {
		return c.operate(f.op, arguments...)
	}
	folded, err := c.compile(arguments[0])
	for _, argument := range arguments[1:] {
		var next int32
		if err != nil {
			break
		}
		if next, err = c.compile(argument); err == nil {
			folded = c.emit(f.op, folded, next)
		}
	}
	return folded, err
}

func wholePower(n *ast.BinaryNode) (int, bool) {
	if n.Operator != "^" {
		return 0, false
	}
	exponent, ok := constantOf(n.Right)
	return int(exponent), ok && exponent == math.Trunc(exponent) && exponent >= 1 && exponent <= maxWholePower
}

// power multiplies by repeated squaring.
func (c *compiler) power(base int32, exponent int) int32 {
	if exponent == 1 {
		return base
	}
	half := c.power(base, exponent/2)
	square := c.emit(opMultiply, half, half)
	if exponent%2 == 1 {
		return c.emit(opMultiply, square, base)
	}
	return square
}
