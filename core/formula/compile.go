package formula

import (
	"fmt"
	"math"
	"slices"

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
	registers int       // how many there are in all
	code      []instruction
	small     []narrow // the same, where few registers are needed
	results   []int    // register of each definition
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
	c := newCompiler(len(variables))
	names := map[string]int32{}
	for i, name := range variables {
		names[name] = int32(i)
	}
	c.names = names
	var results []int32
	for _, definition := range definitions {
		register, err := c.compile(definition.Expression.root)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", definition.Name, err)
		}
		names[definition.Name] = register
		results = append(results, register)
	}
	return c.program(results), nil
}

// Reorder returns the program whose i-th result is the order[i]-th of p; order may be shorter than the results of p.
func (p *Program) Reorder(order []int) *Program {
	other := *p
	other.results = make([]int, len(order))
	for i, k := range order {
		other.results[i] = p.results[k]
	}
	return &other
}

// A compiler numbers what is computed: variables from 0, instructions behind them, and constants downwards from -1.
type compiler struct {
	variables int
	names     map[string]int32
	values    []float64 // of the constants
	constants map[float64]int32
	code      []instruction
	known     map[instruction]int32 // dst 0: where this is computed already
}

func newCompiler(variables int) *compiler {
	return &compiler{variables: variables, constants: map[float64]int32{}, known: map[instruction]int32{}}
}

// program gives the registers their final numbers: constants, variables, instructions. What no result needs is left out.
func (c *compiler) program(results []int32) *Program {
	needed := make([]bool, len(c.code))
	var need func(int32)
	need = func(register int32) {
		at := int(register) - c.variables
		if at < 0 || needed[at] {
			return
		}
		needed[at] = true
		for _, operand := range c.code[at].operands() {
			need(operand)
		}
	}
	for _, result := range results {
		need(result)
	}
	c.fuse(needed, results)
	p := &Program{constants: c.values, variables: c.variables}
	p.registers = len(c.values) + c.variables
	final, last := make([]int32, len(c.code)), c.lastUses(needed, results)
	place := func(register int32) int32 {
		switch {
		case register < 0:
			return -1 - register
		case int(register) < c.variables:
			return register + int32(len(c.values))
		}
		return final[int(register)-c.variables]
	}
	var free []int32 // registers whose values are not needed any more: few registers stay in the cache
	for at, in := range c.code {
		if !needed[at] {
			continue
		}
		moved := instruction{op: in.op, a: place(in.a)}
		if arity := in.op.arity(); arity > 1 {
			moved.b = place(in.b)
			if arity > 2 {
				moved.c = place(in.c)
			}
		}
		for k, operand := range in.operands() {
			if from := int(operand) - c.variables; from >= 0 && last[from] == at && !slices.Contains(in.operands()[:k], operand) {
				free = append(free, final[from])
			}
		}
		if len(free) > 0 {
			final[at], free = free[len(free)-1], free[:len(free)-1]
		} else {
			final[at] = int32(p.registers)
			p.registers++
		}
		moved.dst = final[at]
		p.code = append(p.code, moved)
	}
	for _, result := range results {
		p.results = append(p.results, int(place(result)))
	}
	if p.registers <= narrowRegisters {
		for _, in := range p.code {
			p.small = append(p.small, narrow{op: uint8(in.op), a: uint8(in.a), b: uint8(in.b), c: uint8(in.c), dst: uint8(in.dst)})
		}
	}
	return p
}

// lastUses gives for each instruction the last one that needs its value; a result is needed to the end.
func (c *compiler) lastUses(needed []bool, results []int32) []int {
	last := make([]int, len(c.code))
	use := func(register int32, at int) {
		if from := int(register) - c.variables; from >= 0 {
			last[from] = at
		}
	}
	for at, in := range c.code {
		if needed[at] {
			for _, operand := range in.operands() {
				use(operand, at)
			}
		}
	}
	for _, result := range results {
		use(result, len(c.code))
	}
	return last
}

// fuse makes one instruction of a product and the sum or difference that alone needs it.
func (c *compiler) fuse(needed []bool, results []int32) {
	uses := make([]int, len(c.code))
	use := func(register int32) {
		if at := int(register) - c.variables; at >= 0 {
			uses[at]++
		}
	}
	for at, in := range c.code {
		if needed[at] {
			for _, operand := range in.operands() {
				use(operand)
			}
		}
	}
	for _, result := range results {
		use(result)
	}
	for at, in := range c.code {
		if !needed[at] {
			continue
		}
		product, other, fused := in.b, in.a, opMultiplySubtract
		if in.op == opAdd {
			fused = opMultiplyAdd
			if !c.onlyProduct(product, uses) {
				product, other = in.a, in.b // a sum may be turned round
			}
		} else if in.op != opSubtract {
			continue
		}
		if !c.onlyProduct(product, uses) {
			continue
		}
		factors := c.code[int(product)-c.variables]
		c.code[at] = instruction{op: fused, a: factors.a, b: factors.b, c: other}
		needed[int(product)-c.variables] = false
	}
}

// onlyProduct is true for a register that holds a product and is used once.
func (c *compiler) onlyProduct(register int32, uses []int) bool {
	at := int(register) - c.variables
	return at >= 0 && uses[at] == 1 && c.code[at].op == opMultiply
}

func (in instruction) operands() []int32 { return []int32{in.a, in.b, in.c}[:in.op.arity()] }

func (c *compiler) constant(value float64) int32 {
	if register, known := c.constants[value]; known {
		return register
	}
	c.values = append(c.values, value)
	register := -int32(len(c.values))
	c.constants[value] = register
	return register
}

// valueOf is the value of a constant register.
func (c *compiler) valueOf(register int32) (float64, bool) {
	if register >= 0 {
		return 0, false
	}
	return c.values[-1-register], true
}

// emit returns the register of a result: that of a constant where all operands are, or one where it is computed already.
func (c *compiler) emit(op operation, operands ...int32) int32 {
	if value, constant := c.fold(op, operands); constant {
		return c.constant(value)
	}
	if value, constant := c.valueOf(operands[len(operands)-1]); constant && op == opSubtract {
		op, operands[1] = opAdd, c.constant(-value) // the same number, rounded the same way
	}
	if (op == opAdd || op == opMultiply) && operands[1] < 0 {
		operands[0], operands[1] = operands[1], operands[0] // a constant comes first
	}
	in := instruction{op: op}
	for i, into := range []*int32{&in.a, &in.b, &in.c} {
		if i < len(operands) {
			*into = operands[i]
		}
	}
	if register, known := c.known[in]; known {
		return register
	}
	register := int32(c.variables + len(c.code))
	c.known[in] = register
	c.code = append(c.code, in)
	return register
}

func (c *compiler) fold(op operation, operands []int32) (float64, bool) {
	var values [3]float64
	for i, operand := range operands {
		value, constant := c.valueOf(operand)
		if !constant {
			return 0, false
		}
		values[i] = value
	}
	return compute(op, values[0], values[1], values[2]), true
}

func (c *compiler) compile(node ast.Node) (int32, error) {
	if value, ok := constantOf(node); ok {
		return c.constant(value), nil
	}
	switch n := node.(type) {
	case *ast.IdentifierNode, *ast.MemberNode:
		name, _ := nameOf(node)
		register, known := c.names[name]
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

// DependOn says of each result whether it is computed from a variable, by index.
func (p *Program) DependOn(variable int) []bool {
	depends := make([]bool, p.registers)
	depends[len(p.constants)+variable] = true
	for _, in := range p.code {
		depends[in.dst] = slices.ContainsFunc(in.operands(), func(operand int32) bool { return depends[operand] })
	}
	results := make([]bool, len(p.results))
	for i, register := range p.results {
		results[i] = depends[register]
	}
	return results
}
