package formula

import "math"

// A Switched program has its switches taken out: where a formula compares, takes the least, the largest or an absolute
// value, or rounds, the outcome is a mode, which enters as a variable. With its modes held, the program is smooth.
type Switched struct {
	// Program computes over the variables, with the modes behind them, the definitions and, behind those, the guard of
	// each mode: the value on whose passing the mode hangs.
	Program *Program
	modes   []operation
}

// Switched takes the switches out of a program.
func (p *Program) Switched() *Switched {
	s := &Switched{}
	for _, in := range p.code {
		if switches(in.op) {
			s.modes = append(s.modes, in.op)
		}
	}
	c := newCompiler(p.variables + len(s.modes))
	moved := make([]int32, p.registers)
	for i, value := range p.constants {
		moved[i] = c.constant(value)
	}
	for i := range p.variables {
		moved[len(p.constants)+i] = int32(i)
	}
	var guards []int32
	for _, in := range p.code {
		var operands []int32
		for _, operand := range in.operands() {
			operands = append(operands, moved[operand])
		}
		if !switches(in.op) {
			moved[in.dst] = c.emit(in.op, operands...)
			continue
		}
		mode := int32(p.variables + len(guards))
		a := operands[0]
		guard := a
		if len(operands) == 2 {
			guard = c.emit(opSubtract, a, operands[1])
		}
		guards = append(guards, guard)
		switch in.op {
		case opMin, opMax:
			moved[in.dst] = c.emit(opChoose, mode, a, operands[1])
		case opAbs:
			moved[in.dst] = c.emit(opChoose, mode, a, c.emit(opNegate, a))
		default:
			moved[in.dst] = mode
		}
	}
	var results []int32
	for _, result := range p.results {
		results = append(results, moved[result])
	}
	s.Program = c.program(append(results, guards...))
	return s
}

// switches is true for the operations whose outcome jumps, or has a kink. Equality is met at single points only.
func switches(op operation) bool {
	switch op {
	case opLess, opLessEqual, opGreater, opGreaterEqual, opMin, opMax, opAbs, opFloor, opCeil:
		return true
	}
	return false
}

// Modes is how many there are.
func (s *Switched) Modes() int { return len(s.modes) }

// Rounds is true for a mode that is one of many: its guard is rounded.
func (s *Switched) Rounds(k int) bool { return s.modes[k] == opFloor || s.modes[k] == opCeil }

// Mode is what mode k is where its guard has this value.
func (s *Switched) Mode(k int, guard float64) float64 {
	switch s.modes[k] {
	case opLess:
		return truth(guard < 0)
	case opLessEqual, opMin:
		return truth(guard <= 0)
	case opGreater:
		return truth(guard > 0)
	case opFloor:
		return math.Floor(guard)
	case opCeil:
		return math.Ceil(guard)
	}
	return truth(guard >= 0)
}
