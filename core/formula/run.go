package formula

import "math"

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
)

// A Machine holds the registers of a program. It is not for use by several goroutines at once.
type Machine struct {
	program   *Program
	registers []float64 // register r, lane l: r*Lanes + l
}

// NewMachine returns a machine for p, with its constants in place.
func (p *Program) NewMachine() *Machine {
	m := &Machine{program: p, registers: make([]float64, (len(p.constants)+p.variables+len(p.code))*Lanes)}
	for r, value := range p.constants {
		lane := m.lane(int32(r), Lanes)
		for i := range lane {
			lane[i] = value
		}
	}
	return m
}

func (m *Machine) lane(register int32, n int) []float64 {
	start := int(register) * Lanes
	return m.registers[start : start+n : start+n]
}

// Eval computes all definitions for n rows (any number). in(row) gives the variables of a row, out(row) the slice that
// takes its results; both are called once for each row. Nothing is allocated.
func (m *Machine) Eval(n int, in, out func(row int) []float64) {
	p := m.program
	first := int32(len(p.constants))
	for start := 0; start < n; start += Lanes {
		lanes := min(Lanes, n-start)
		for l := range lanes {
			for v, value := range in(start + l)[:p.variables] {
				m.registers[(int(first)+v)*Lanes+l] = value
			}
		}
		for i := range p.code {
			m.step(&p.code[i], lanes)
		}
		for l := range lanes {
			row := out(start + l)
			for d, register := range p.results {
				row[d] = m.registers[register*Lanes+l]
			}
		}
	}
}

// step runs one instruction over the lanes.
func (m *Machine) step(in *instruction, n int) {
	a, b, dst := m.lane(in.a, n), m.lane(in.b, n), m.lane(in.dst, n)
	switch in.op {
	case opAdd:
		for i := range dst {
			dst[i] = a[i] + b[i]
		}
	case opSubtract:
		for i := range dst {
			dst[i] = a[i] - b[i]
		}
	case opMultiply:
		for i := range dst {
			dst[i] = a[i] * b[i]
		}
	case opDivide:
		for i := range dst {
			dst[i] = a[i] / b[i]
		}
	case opNegate:
		for i := range dst {
			dst[i] = -a[i]
		}
	case opChoose:
		c := m.lane(in.c, n)
		for i := range dst {
			dst[i] = c[i]
			if a[i] != 0 {
				dst[i] = b[i]
			}
		}
	default:
		if unary := unaryFunctions[in.op]; unary != nil {
			for i := range dst {
				dst[i] = unary(a[i])
			}
			return
		}
		binary := binaryFunctions[in.op]
		for i := range dst {
			dst[i] = binary(a[i], b[i])
		}
	}
}

var unaryFunctions = [opCeil + 1]func(float64) float64{
	opNot: func(a float64) float64 { return truth(a == 0) },
	opAbs: math.Abs, opSqrt: math.Sqrt, opExp: math.Exp, opLog: math.Log, opLog10: math.Log10,
	opSin: math.Sin, opCos: math.Cos, opTan: math.Tan, opAsin: math.Asin, opAcos: math.Acos, opAtan: math.Atan,
	opFloor: math.Floor, opCeil: math.Ceil,
}

var binaryFunctions = [opCeil + 1]func(a, b float64) float64{
	opPower: math.Pow, opAtan2: math.Atan2, opMin: math.Min, opMax: math.Max,
	opLess:         func(a, b float64) float64 { return truth(a < b) },
	opLessEqual:    func(a, b float64) float64 { return truth(a <= b) },
	opGreater:      func(a, b float64) float64 { return truth(a > b) },
	opGreaterEqual: func(a, b float64) float64 { return truth(a >= b) },
	opEqual:        func(a, b float64) float64 { return truth(a == b) },
	opNotEqual:     func(a, b float64) float64 { return truth(a != b) },
	opAnd:          func(a, b float64) float64 { return truth(a != 0 && b != 0) },
	opOr:           func(a, b float64) float64 { return truth(a != 0 || b != 0) },
}

// truth is how a comparison enters arithmetic: 1 for true, 0 for false.
func truth(holds bool) float64 {
	if holds {
		return 1
	}
	return 0
}
