package formula

import "math"

// Derivatives returns the program that computes the results of p and behind them, for each result, its derivatives with
// respect to the variables wrt, by index: exact, by accumulating backwards through the instructions (A. Griewank and
// A. Walther, Evaluating Derivatives, 2nd edition (2008), chapter 3).
//
// Where a formula has a kink, one of its one-sided derivatives, or 0 between them, is given: abs has 0 at 0; min and max
// that of the argument that stands first among equals; floor, ceil, comparisons and `and or not` have 0 everywhere; a
// choice has that of the branch that is taken. x^y with a variable y has no derivative with respect to y at x <= 0, and
// 0 is given.
func (p *Program) Derivatives(wrt []int) *Program {
	g := backward{compiler: newCompiler(p.variables), choosy: map[int32]bool{}}
	g.zero, g.one = g.constant(0), g.constant(1)
	results := g.copyOf(p)
	active := g.dependOn(wrt)
	all := append([]int32{}, results...)
	for _, result := range results {
		adjoints := g.backward(result, active)
		for _, v := range wrt {
			adjoint, given := adjoints[int32(v)]
			if !given {
				adjoint = g.zero
			}
			all = append(all, adjoint)
		}
	}
	return g.program(all)
}

// A backward pass adds to the code of a program what computes its derivatives.
type backward struct {
	*compiler
	zero, one int32
	forward   int // instructions that compute values
	// choosy has the derivatives that are 0 where another branch is taken: what they are multiplied by may be no number there, and counts for nothing.
	choosy map[int32]bool
}

// copyOf takes over the instructions of a program, and returns the registers of its results.
func (g *backward) copyOf(p *Program) []int32 {
	moved := make([]int32, p.registers)
	for i, value := range p.constants {
		moved[i] = g.constant(value)
	}
	for i := range p.variables {
		moved[len(p.constants)+i] = int32(i)
	}
	for _, in := range p.code {
		var operands []int32
		for _, operand := range in.operands() {
			operands = append(operands, moved[operand])
		}
		switch in.op {
		case opMultiplyAdd:
			moved[in.dst] = g.emit(opAdd, operands[2], g.emit(opMultiply, operands[0], operands[1]))
		case opMultiplySubtract:
			moved[in.dst] = g.emit(opSubtract, operands[2], g.emit(opMultiply, operands[0], operands[1]))
		default:
			moved[in.dst] = g.emit(in.op, operands...)
		}
	}
	g.forward = len(g.code)
	var results []int32
	for _, result := range p.results {
		results = append(results, moved[result])
	}
	return results
}

// dependOn marks the registers that depend on some of the variables.
func (g *backward) dependOn(wrt []int) []bool {
	active := make([]bool, g.variables+g.forward)
	for _, v := range wrt {
		active[v] = true
	}
	for at, in := range g.code[:g.forward] {
		for _, operand := range in.operands() {
			active[g.variables+at] = active[g.variables+at] || operand >= 0 && active[operand]
		}
	}
	return active
}

// backward gives, for each register on which the result depends, the register of its derivative.
func (g *backward) backward(result int32, active []bool) map[int32]int32 {
	adjoints := map[int32]int32{result: g.one}
	for at := g.forward - 1; at >= 0; at-- {
		register := int32(g.variables + at)
		adjoint, counts := adjoints[register]
		if !counts || !active[register] {
			continue
		}
		in := g.code[at]
		for k, operand := range in.operands() {
			if operand < 0 || !active[operand] {
				continue
			}
			if share := g.share(in, k, register, adjoint); share != g.zero {
				choosy := g.choosy[adjoint] || in.op == opChoose || in.op == opMin || in.op == opMax
				if already, given := adjoints[operand]; given {
					choosy = choosy || g.choosy[already]
					share = g.plus(already, share)
				}
				if choosy && share != g.one {
					g.choosy[share] = true
				}
				adjoints[operand] = share
			}
		}
	}
	return adjoints
}

// share is what an instruction adds to the derivative of its k-th operand, given its own.
func (g *backward) share(in instruction, k int, result, adjoint int32) int32 {
	a, b := in.a, in.b
	first := k == 0
	switch in.op {
	case opAdd:
		return adjoint
	case opSubtract:
		if first {
			return adjoint
		}
		return g.minus(adjoint)
	case opMultiply:
		if a == b {
			if first {
				return g.weigh(adjoint, g.plus(a, a)) // once for both
			}
			return g.zero
		}
		return g.weigh(adjoint, choose(first, b, a))
	case opDivide:
		if first && g.choosy[adjoint] {
			return g.emit(opScale, adjoint, g.emit(opDivide, g.one, b))
		}
		if first {
			return g.emit(opDivide, adjoint, b)
		}
		return g.minus(g.scale(adjoint, g.emit(opDivide, result, b)))
	case opNegate:
		return g.minus(adjoint)
	case opPower:
		return g.power(a, b, first, result, adjoint)
	case opChoose:
		switch k {
		case 0:
			return g.zero
		case 1:
			return g.emit(opChoose, a, adjoint, g.zero)
		}
		return g.emit(opChoose, a, g.zero, adjoint)
	case opMin, opMax:
		takes := g.emit(choose(in.op == opMin, opLessEqual, opGreaterEqual), a, b)
		if first {
			return g.emit(opChoose, takes, adjoint, g.zero)
		}
		return g.emit(opChoose, takes, g.zero, adjoint)
	case opAtan2: // a above, b beside
		square := g.plus(g.times(a, a), g.times(b, b))
		if first {
			return g.scale(adjoint, g.emit(opDivide, b, square))
		}
		return g.minus(g.scale(adjoint, g.emit(opDivide, a, square)))
	}
	if slope := g.slope(in.op, a, result); slope != g.zero {
		return g.scale(adjoint, slope)
	}
	return g.zero
}

// slope is the derivative of a function of one argument.
func (g *backward) slope(op operation, a, result int32) int32 {
	inverse := func(register int32) int32 { return g.emit(opDivide, g.one, register) }
	circle := func() int32 { return g.emit(opSqrt, g.emit(opSubtract, g.one, g.times(a, a))) }
	switch op {
	case opAbs:
		return g.emit(opSign, a)
	case opSqrt:
		return inverse(g.plus(result, result))
	case opExp:
		return result
	case opLog:
		return inverse(a)
	case opLog10:
		return inverse(g.times(a, g.constant(math.Ln10)))
	case opSin:
		return g.emit(opCos, a)
	case opCos:
		return g.minus(g.emit(opSin, a))
	case opTan:
		return g.plus(g.one, g.times(result, result))
	case opAsin:
		return inverse(circle())
	case opAcos:
		return g.minus(inverse(circle()))
	case opAtan:
		return inverse(g.plus(g.one, g.times(a, a)))
	}
	return g.zero // steps: floor, ceil, comparisons, and, or, not
}

func (g *backward) power(a, b int32, first bool, result, adjoint int32) int32 {
	if first {
		if exponent, constant := g.valueOf(b); constant {
			return g.scale(adjoint, g.times(b, g.emit(opPower, a, g.constant(exponent-1))))
		}
		return g.scale(adjoint, g.scale(b, g.emit(opPower, a, g.emit(opSubtract, b, g.one))))
	}
	positive := g.emit(opGreater, a, g.zero)
	return g.scale(g.emit(opChoose, positive, adjoint, g.zero), g.times(g.emit(opLog, a), result))
}

func choose[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}

// plus, times, minus and scale leave out what does nothing.
func (g *backward) plus(a, b int32) int32 {
	switch {
	case a == g.zero:
		return b
	case b == g.zero:
		return a
	}
	return g.emit(opAdd, a, b)
}

func (g *backward) times(a, b int32) int32 {
	switch {
	case a == g.zero || b == g.zero:
		return g.zero
	case a == g.one:
		return b
	case b == g.one:
		return a
	}
	return g.emit(opMultiply, a, b)
}

func (g *backward) minus(a int32) int32 {
	if a == g.zero {
		return a
	}
	return g.emit(opNegate, a)
}

// weigh multiplies a derivative by a value of the formula.
func (g *backward) weigh(adjoint, value int32) int32 {
	if g.choosy[adjoint] {
		return g.scale(adjoint, value)
	}
	return g.times(adjoint, value)
}

// scale multiplies a derivative by a slope that may be infinite where the derivative is 0.
func (g *backward) scale(adjoint, slope int32) int32 {
	if _, constant := g.valueOf(adjoint); constant || slope == g.zero || slope == g.one {
		return g.times(adjoint, slope)
	}
	return g.emit(opScale, adjoint, slope)
}
