// Package surrogate fits stand-ins for a solver: response surfaces that predict an output from the inputs, and say how well.
package surrogate

import (
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// An Encoding makes of designs what response surfaces are fitted to: coordinates of about unit length, some for each input. A number
// has one; a row of a catalog has one for each column of numbers; a word that has none has one for each word.
type Encoding struct {
	space space.Space
	// Inputs says for each coordinate to which input it belongs.
	Inputs []int
}

// Encode returns the encoding of a space.
func Encode(s space.Space) Encoding {
	e := Encoding{space: s}
	for k, in := range s {
		for range width(in) {
			e.Inputs = append(e.Inputs, k)
		}
	}
	return e
}

func width(in space.Input) int {
	switch {
	case len(in.Traits) > 0:
		return len(in.Traits[0])
	case in.Unordered:
		return len(in.Values)
	}
	return 1
}

// Coordinates encodes designs: a row for each.
func (e Encoding) Coordinates(designs []core.Design) core.Matrix {
	x := core.NewMatrix(len(designs), len(e.Inputs))
	for i, design := range designs {
		e.fill(design, x.Row(i))
	}
	return x
}

func (e Encoding) fill(design core.Design, into []float64) {
	for k, in := range e.space {
		switch {
		case len(in.Traits) > 0:
			copy(into, in.Traits[in.Index(design[k])])
		case in.Unordered:
			at := in.Index(design[k])
			for i := range in.Values {
				into[i] = 0
				if i == at {
					into[i] = math.Sqrt2 / 2 // two words are 1 apart
				}
			}
		default:
			into[0] = in.Share(design[k])
		}
		into = into[width(in):]
	}
}
