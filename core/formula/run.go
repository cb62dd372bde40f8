package formula

import (
	"math"

	"ropebench/core"
)

// Lanes is how many designs a Machine works on at once: each operation runs over all of them before the next.
const Lanes = 64

type operation uint8

const (
	opAdd operation = iota
	opSubtract
	opMultiply
	opDivide
	opPower
	opLess
	opLessEqual
	opGreater
	opGreaterEqual
	opEqual
	opNotEqual
	opAnd
	opOr
	opNot
	opNegate
	opChoose
	opMin
	opMax
	opAbs
	opSqrt
	opExp
	opLog
	opLog10
	opSin
	opCos
	opTan
	opAsin
	opAcos
	opAtan
	opAtan2
	opFloor
	opCeil
	opScale            // a*b, and 0 where a is 0 whatever b is: for derivatives of parts that do not count
	opMultiplyAdd      // a*b + c
	opMultiplySubtract // c - a*b
	opSign
)

// arity is how many operands an operation has.
func (op operation) arity() int {
	switch {
	case op == opChoose || op == opMultiplyAdd || op == opMultiplySubtract:
		return 3
	case unaryFunctions[op] != nil || op == opNegate:
		return 1
	}
	return 2
}

// A Machine holds the registers of a program. It is not for use by several goroutines at once.
type Machine struct {
	program   *Program
	registers []float64                 // register r, lane l: r*Lanes + l
	single    *[narrowRegisters]float64 // the registers of one row; nil where the program has more
	steps     []step
}

// NewMachine returns a machine for p, with its constants in place.
func (p *Program) NewMachine() *Machine {
	m := &Machine{program: p, registers: make([]float64, p.registers*Lanes)}
	if p.small != nil {
		m.single = new([narrowRegisters]float64)
		copy(m.single[:], p.constants)
	}
	for r, value := range p.constants {
		lanes := m.lanes(int32(r))
		for i := range lanes {
			lanes[i] = value
		}
	}
	for _, in := range p.code {
		m.steps = append(m.steps, m.stepOf(in))
	}
	return m
}

// lanes are the values of a register.
func (m *Machine) lanes(register int32) *[Lanes]float64 {
	return (*[Lanes]float64)(m.registers[int(register)*Lanes:])
}

// fewRows is how many rows are computed one by one: lanes are all computed at once.
const fewRows = 8

// Eval computes all definitions for the rows of in, which have the variables of the program, into the rows of out, which
// have its results. Nothing is allocated.
func (m *Machine) Eval(in, out core.Matrix) {
	if in.Rows < fewRows && m.single != nil {
		for i := range in.Rows {
			m.evalOne(in.Row(i), out.Row(i))
		}
		return
	}
	for start := 0; start < in.Rows; start += Lanes {
		rows := min(Lanes, in.Rows-start)
		for l := 0; l < rows; l += block {
			m.load(in, start+l, l)
		}
		for i := range m.steps {
			m.steps[i].run(rows)
		}
		for l := 0; l < rows; l += block {
			m.store(out, start+l, l)
		}
	}
}

// load puts the variables of a block of rows into the lanes from l on: eight values of one variable at a time. The last row
// stands for those that are missing to a block.
func (m *Machine) load(in core.Matrix, from, l int) {
	n := m.program.variables
	row := func(k int) []float64 { return in.Row(min(from+k, in.Rows-1))[:n] }
	r0, r1, r2, r3, r4, r5, r6, r7 := row(0), row(1), row(2), row(3), row(4), row(5), row(6), row(7)
	at := len(m.program.constants)*Lanes + l
	for v := range r0 {
		d := (*[block]float64)(m.registers[at:])
		d[0], d[1], d[2], d[3], d[4], d[5], d[6], d[7] = r0[v], r1[v], r2[v], r3[v], r4[v], r5[v], r6[v], r7[v]
		at += Lanes
	}
}

// store takes the results of a block of rows out of the lanes from l on. The last row stands for those that are missing to
// a block: it is written last.
func (m *Machine) store(out core.Matrix, from, l int) {
	n := len(m.program.results)
	row := func(k int) []float64 { return out.Row(min(from+k, out.Rows-1))[:n] }
	r0, r1, r2, r3, r4, r5, r6, r7 := row(0), row(1), row(2), row(3), row(4), row(5), row(6), row(7)
	for k, register := range m.program.results {
		s := (*[block]float64)(m.registers[register*Lanes+l:])
		r7[k], r6[k], r5[k], r4[k], r3[k], r2[k], r1[k], r0[k] = s[7], s[6], s[5], s[4], s[3], s[2], s[1], s[0]
	}
}

// A narrow instruction has the registers of a small program in a byte each: with an array of 256 registers none needs a
// check of its bounds, which is half of the time of a single row.
type narrow struct{ op, a, b, c, dst uint8 }

const narrowRegisters = 256

// evalOne computes one row of a small program.
func (m *Machine) evalOne(in, out []float64) {
	p, r := m.program, m.single
	copy(r[len(p.constants):], in[:p.variables])
	for i := range p.small {
		c := p.small[i]
		a, b := r[c.a], r[c.b]
		var value float64
		switch operation(c.op) {
		case opAdd:
			value = a + b
		case opSubtract:
			value = a - b
		case opMultiply:
			value = a * b
		case opMultiplyAdd:
			value = float64(a*b) + r[c.c]
		case opMultiplySubtract:
			value = r[c.c] - float64(a*b)
		default:
			value = compute(operation(c.op), a, b, r[c.c])
		}
		r[c.dst] = value
	}
	for d, register := range p.results {
		out[d] = r[uint8(register)]
	}
}

// compute is one operation on single values.
func compute(op operation, a, b, c float64) float64 {
	switch op {
	case opAdd:
		return a + b
	case opSubtract:
		return a - b
	case opMultiply:
		return a * b
	case opMultiplyAdd:
		return float64(a*b) + c
	case opMultiplySubtract:
		return c - float64(a*b)
	case opDivide:
		return a / b
	case opNegate:
		return -a
	case opChoose:
		switch {
		case a == 0:
			return c
		case math.IsNaN(a):
			return a
		}
		return b
	case opScale:
		if a == 0 {
			return 0
		}
		return a * b
	}
	if unary := unaryFunctions[op]; unary != nil {
		return unary(a)
	}
	return binaryFunctions[op](a, b)
}

// A step is an instruction on the lanes of its registers, with the kernel that runs it over all of them, if there is one.
type step struct {
	kernel       func(dst, a, b, c *[Lanes]float64)
	byConstant   func(dst *[Lanes]float64, a float64, b, c *[Lanes]float64)
	constant     float64
	op           operation
	dst, a, b, c *[Lanes]float64
}

func (m *Machine) stepOf(in instruction) step {
	s := step{kernel: kernels[in.op], op: in.op, dst: m.lanes(in.dst), a: m.lanes(in.a), b: m.lanes(in.b), c: m.lanes(in.c)}
	if int(in.a) < len(m.program.constants) {
		s.byConstant, s.constant = byConstant[in.op], m.program.constants[in.a]
	}
	return s
}

// run computes the first n lanes, or all where that is quicker.
func (s *step) run(n int) {
	if s.byConstant != nil {
		s.byConstant(s.dst, s.constant, s.b, s.c)
		return
	}
	if s.kernel != nil {
		s.kernel(s.dst, s.a, s.b, s.c)
		return
	}
	if unary := unaryFunctions[s.op]; unary != nil {
		for i := range s.dst[:n] {
			s.dst[i] = unary(s.a[i])
		}
		return
	}
	for i := range s.dst[:n] {
		s.dst[i] = compute(s.op, s.a[i], s.b[i], s.c[i])
	}
}

var unaryFunctions = [opSign + 1]func(float64) float64{
	opNot: func(a float64) float64 { return compared(a, a, a == 0) },
	opAbs: math.Abs, opSqrt: math.Sqrt, opExp: math.Exp, opLog: math.Log, opLog10: math.Log10,
	opSin: math.Sin, opCos: math.Cos, opTan: math.Tan, opAsin: math.Asin, opAcos: math.Acos, opAtan: math.Atan,
	opFloor: math.Floor, opCeil: math.Ceil,
	opSign: func(a float64) float64 { return truth(a > 0) - truth(a < 0) },
}

var binaryFunctions = [opSign + 1]func(a, b float64) float64{
	opPower: math.Pow, opAtan2: math.Atan2, opMin: math.Min, opMax: math.Max,
	opLess:         func(a, b float64) float64 { return compared(a, b, a < b) },
	opLessEqual:    func(a, b float64) float64 { return compared(a, b, a <= b) },
	opGreater:      func(a, b float64) float64 { return compared(a, b, a > b) },
	opGreaterEqual: func(a, b float64) float64 { return compared(a, b, a >= b) },
	opEqual:        func(a, b float64) float64 { return compared(a, b, a == b) },
	opNotEqual:     func(a, b float64) float64 { return compared(a, b, a != b) },
	opAnd: func(a, b float64) float64 {
		if a == 0 || b == 0 {
			return 0 // whatever the other is: x > 0 and sqrt(x) < 2
		}
		return compared(a, b, true)
	},
	opOr: func(a, b float64) float64 {
		if isTrue(a) || isTrue(b) {
			return 1
		}
		return compared(a, b, false)
	},
}

// compared is how a comparison enters arithmetic; one with what is no number is none either.
func compared(a, b float64, holds bool) float64 {
	if math.IsNaN(a) || math.IsNaN(b) {
		return math.NaN()
	}
	return truth(holds)
}

func isTrue(a float64) bool { return a != 0 && !math.IsNaN(a) }

// truth is 1 for true, 0 for false.
func truth(holds bool) float64 {
	if holds {
		return 1
	}
	return 0
}

// One computes one row, side by side with no calls between: in has the variables of the program, out gets its results.
func (m *Machine) One(in, out []float64) {
	if m.single != nil {
		m.evalOne(in, out)
		return
	}
	m.Eval(core.Matrix{Rows: 1, Columns: len(in), Stride: len(in), Data: in}, core.Matrix{Rows: 1, Columns: len(out), Stride: len(out), Data: out})
}

// Variables is how many a program computes over, Results how many it gives.
func (p *Program) Variables() int { return p.variables }

// Results is how many values a program gives.
func (p *Program) Results() int { return len(p.results) }
