package formula

// kernels run the operations that formulas are mostly made of over all lanes. They are written out in blocks of eight
// over arrays whose length is known: that is three times as quick as a plain loop, since no bounds are checked.
var kernels = [opSign + 1]func(dst, a, b, c *[Lanes]float64){
	opAdd: func(dst, a, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y := blockOf(dst, i), blockOf(a, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = x[0]+y[0], x[1]+y[1], x[2]+y[2], x[3]+y[3]
			d[4], d[5], d[6], d[7] = x[4]+y[4], x[5]+y[5], x[6]+y[6], x[7]+y[7]
		}
	},
	opSubtract: func(dst, a, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y := blockOf(dst, i), blockOf(a, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = x[0]-y[0], x[1]-y[1], x[2]-y[2], x[3]-y[3]
			d[4], d[5], d[6], d[7] = x[4]-y[4], x[5]-y[5], x[6]-y[6], x[7]-y[7]
		}
	},
	opMultiply: func(dst, a, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y := blockOf(dst, i), blockOf(a, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = x[0]*y[0], x[1]*y[1], x[2]*y[2], x[3]*y[3]
			d[4], d[5], d[6], d[7] = x[4]*y[4], x[5]*y[5], x[6]*y[6], x[7]*y[7]
		}
	},
	opDivide: func(dst, a, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y := blockOf(dst, i), blockOf(a, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = x[0]/y[0], x[1]/y[1], x[2]/y[2], x[3]/y[3]
			d[4], d[5], d[6], d[7] = x[4]/y[4], x[5]/y[5], x[6]/y[6], x[7]/y[7]
		}
	},
	opMultiplyAdd: func(dst, a, b, c *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y, z := blockOf(dst, i), blockOf(a, i), blockOf(b, i), blockOf(c, i)
			d[0], d[1], d[2], d[3] = float64(x[0]*y[0])+z[0], float64(x[1]*y[1])+z[1], float64(x[2]*y[2])+z[2], float64(x[3]*y[3])+z[3]
			d[4], d[5], d[6], d[7] = float64(x[4]*y[4])+z[4], float64(x[5]*y[5])+z[5], float64(x[6]*y[6])+z[6], float64(x[7]*y[7])+z[7]
		}
	},
	opMultiplySubtract: func(dst, a, b, c *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, x, y, z := blockOf(dst, i), blockOf(a, i), blockOf(b, i), blockOf(c, i)
			d[0], d[1], d[2], d[3] = z[0]-float64(x[0]*y[0]), z[1]-float64(x[1]*y[1]), z[2]-float64(x[2]*y[2]), z[3]-float64(x[3]*y[3])
			d[4], d[5], d[6], d[7] = z[4]-float64(x[4]*y[4]), z[5]-float64(x[5]*y[5]), z[6]-float64(x[6]*y[6]), z[7]-float64(x[7]*y[7])
		}
	},
}

// byConstant are the sums and products whose first operand is a constant.
var byConstant = [opSign + 1]func(dst *[Lanes]float64, a float64, b, c *[Lanes]float64){
	opAdd: func(dst *[Lanes]float64, a float64, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, y := blockOf(dst, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = a+y[0], a+y[1], a+y[2], a+y[3]
			d[4], d[5], d[6], d[7] = a+y[4], a+y[5], a+y[6], a+y[7]
		}
	},
	opMultiply: func(dst *[Lanes]float64, a float64, b, _ *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, y := blockOf(dst, i), blockOf(b, i)
			d[0], d[1], d[2], d[3] = a*y[0], a*y[1], a*y[2], a*y[3]
			d[4], d[5], d[6], d[7] = a*y[4], a*y[5], a*y[6], a*y[7]
		}
	},
	opMultiplyAdd: func(dst *[Lanes]float64, a float64, b, c *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, y, z := blockOf(dst, i), blockOf(b, i), blockOf(c, i)
			d[0], d[1], d[2], d[3] = float64(a*y[0])+z[0], float64(a*y[1])+z[1], float64(a*y[2])+z[2], float64(a*y[3])+z[3]
			d[4], d[5], d[6], d[7] = float64(a*y[4])+z[4], float64(a*y[5])+z[5], float64(a*y[6])+z[6], float64(a*y[7])+z[7]
		}
	},
	opMultiplySubtract: func(dst *[Lanes]float64, a float64, b, c *[Lanes]float64) {
		for i := 0; i < Lanes; i += block {
			d, y, z := blockOf(dst, i), blockOf(b, i), blockOf(c, i)
			d[0], d[1], d[2], d[3] = z[0]-float64(a*y[0]), z[1]-float64(a*y[1]), z[2]-float64(a*y[2]), z[3]-float64(a*y[3])
			d[4], d[5], d[6], d[7] = z[4]-float64(a*y[4]), z[5]-float64(a*y[5]), z[6]-float64(a*y[6]), z[7]-float64(a*y[7])
		}
	},
}

const block = 8

func blockOf(lanes *[Lanes]float64, i int) *[block]float64 {
	return (*[block]float64)(lanes[i : i+block])
}
