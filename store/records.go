package store

import (
	"encoding/binary"
	"fmt"
	"math"
	"sync"
	"time"

	"github.com/fxamacker/cbor/v2"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/dispatch"
	"ropebench/solver"
)

// The versions of the forms below. A reader knows its own and those before it.
const (
	recordsVersion = 1
	curvesVersion  = 1
)

// packedRecords are evaluations by columns. Keys of fields are numbers that are given once: a field can be added, and one
// that is gone leaves its number unused.
type packedRecords struct {
	States  []byte `cbor:"1,keyasint"` // one for each evaluation
	At      int64  `cbor:"2,keyasint"` // microseconds since 1970, of the commit
	Designs []byte `cbor:"3,keyasint"` // little-endian float64, row by row
	Values  []byte `cbor:"4,keyasint"` // the same, of those that have values
	// By the index of those that have something to say.
	Repeats map[int]int     `cbor:"5,keyasint,omitempty"`
	Reused  []int           `cbor:"6,keyasint,omitempty"`
	Shares  map[int]int     `cbor:"7,keyasint,omitempty"`
	Seconds map[int]float64 `cbor:"8,keyasint,omitempty"`
	Notes   map[int]note    `cbor:"9,keyasint,omitempty"`
}

// A note is what only external solvers and failures have.
type note struct {
	Reason      string                        `cbor:"1,keyasint,omitempty"`
	Tail        string                        `cbor:"2,keyasint,omitempty"`
	Steps       []stepTime                    `cbor:"3,keyasint,omitempty"`
	Derivatives map[string]map[string]float64 `cbor:"4,keyasint,omitempty"`
}

type stepTime struct {
	Name    string        `cbor:"1,keyasint"`
	Elapsed time.Duration `cbor:"2,keyasint"`
}

// packedCurves are the vectors and curves of one evaluation. Those that run over the same x share it.
type packedCurves struct {
	X      [][]byte      `cbor:"1,keyasint,omitempty"`
	Curves []packedCurve `cbor:"2,keyasint"`
}

type packedCurve struct {
	X int    `cbor:"1,keyasint"` // which, from 1; 0: a vector has none
	Y []byte `cbor:"2,keyasint"`
}

var decoder = sync.OnceValues(func() (cbor.DecMode, error) {
	return cbor.DecOptions{MaxArrayElements: 1 << 27, MaxMapPairs: 1 << 27}.DecMode()
})

func packRecords(records []dispatch.Record) ([]byte, error) {
	p := packedRecords{States: make([]byte, len(records)), At: records[0].At.UnixMicro(), Repeats: map[int]int{}, Shares: map[int]int{}, Seconds: map[int]float64{}, Notes: map[int]note{}}
	for i, r := range records {
		p.States[i] = byte(r.State)
		p.Designs = appendNumbers(p.Designs, r.Design)
		p.Values = appendNumbers(p.Values, r.Values)
		if r.Repeat > 0 {
			p.Repeats[i] = r.Repeat
		}
		if r.Reused {
			p.Reused = append(p.Reused, i)
		}
		if r.Shares > 0 {
			p.Shares[i] = r.Shares
		}
		if r.Seconds > 0 {
			p.Seconds[i] = r.Seconds
		}
		if r.Reason != "" || r.Tail != "" || r.Steps != nil || r.Derivatives != nil {
			p.Notes[i] = note{Reason: r.Reason, Tail: r.Tail, Steps: stepTimes(r.Steps), Derivatives: r.Derivatives}
		}
	}
	data, err := cbor.Marshal(p)
	if err != nil {
		return nil, fmt.Errorf("the evaluations cannot be encoded: %w", err)
	}
	return packed(data)
}

func stepTimes(steps []solver.StepTime) []stepTime {
	var times []stepTime
	for _, step := range steps {
		times = append(times, stepTime(step))
	}
	return times
}

// A chunk is evaluations as they are packed, of which each can be taken out by itself.
type chunk struct {
	packedRecords
	first   int
	keys    []byte
	width   int   // of designs
	columns int   // of values
	rows    []int // of values: which each evaluation has; -1: none
	reused  map[int]bool
}

func (c *chunkRow) open() (*chunk, error) {
	p, err := c.unpack()
	if err != nil {
		return nil, fmt.Errorf("evaluations from %d on of run %d are damaged: %w", c.First, c.Run, err)
	}
	opened := &chunk{packedRecords: p, first: c.First, keys: c.Keys, rows: make([]int, len(p.States)), reused: map[int]bool{}}
	usable := 0
	for i, state := range p.States {
		opened.rows[i] = -1
		if hasValues(core.State(state)) {
			opened.rows[i] = usable
			usable++
		}
	}
	opened.width, opened.columns = len(p.Designs)/8/max(1, len(p.States)), len(p.Values)/8/max(1, usable)
	for _, i := range p.Reused {
		opened.reused[i] = true
	}
	return opened, nil
}

// record is the i-th evaluation of the chunk, without its curves.
func (c *chunk) record(i int) dispatch.Record {
	r := dispatch.Record{Number: c.first + i, State: core.State(c.States[i]), Design: numbersOf(c.Designs, i, c.width), At: time.UnixMicro(c.At),
		Repeat: c.Repeats[i], Reused: c.reused[i], Shares: c.Shares[i], Seconds: c.Seconds[i]}
	copy(r.Key[:], c.keys[i*len(r.Key):])
	if c.rows[i] >= 0 {
		r.Values = numbersOf(c.Values, c.rows[i], c.columns)
	}
	if n, noted := c.Notes[i]; noted {
		r.Reason, r.Tail, r.Derivatives = n.Reason, n.Tail, n.Derivatives
		for _, step := range n.Steps {
			r.Steps = append(r.Steps, solver.StepTime(step))
		}
	}
	return r
}

// each gives the records of a chunk from the one with a number on, until see returns an error.
func (c *chunkRow) each(from int, see func(dispatch.Record) error) error {
	opened, err := c.open()
	if err != nil {
		return err
	}
	for i := max(0, from-c.First); i < c.Count; i++ {
		if err := see(opened.record(i)); err != nil {
			return err
		}
	}
	return nil
}

func hasValues(state core.State) bool { return state == core.OK || state == core.NotTried }

func (c *chunkRow) unpack() (p packedRecords, err error) {
	if c.Version != recordsVersion {
		return p, fmt.Errorf("they have the form %d, and this version of Rope Bench reads %d: use a newer one", c.Version, recordsVersion)
	}
	err = decode(c.Data, &p)
	if err == nil && len(p.States) != c.Count {
		err = fmt.Errorf("there are %d of %d", len(p.States), c.Count)
	}
	return p, err
}

func decode(data []byte, into any) error {
	decode, err := decoder()
	if err != nil {
		return err
	}
	if data, err = unpacked(data); err != nil {
		return err
	}
	return decode.Unmarshal(data, into)
}

func packCurves(curves []curve.Curve) ([]byte, error) {
	var p packedCurves
	known := map[*float64]int{} // by the first x: curves of one evaluation mostly share their slice
	for _, c := range curves {
		one := packedCurve{Y: appendNumbers(nil, c.Y)}
		if len(c.X) > 0 {
			if known[&c.X[0]] == 0 {
				p.X = append(p.X, appendNumbers(nil, c.X))
				known[&c.X[0]] = len(p.X)
			}
			one.X = known[&c.X[0]]
		}
		p.Curves = append(p.Curves, one)
	}
	data, err := cbor.Marshal(p)
	if err != nil {
		return nil, fmt.Errorf("the curves cannot be encoded: %w", err)
	}
	return packed(data)
}

func unpackCurves(row curvesRow) ([]curve.Curve, error) {
	var p packedCurves
	err := decode(row.Data, &p)
	if row.Version != curvesVersion {
		err = fmt.Errorf("they have the form %d, and this version of Rope Bench reads %d: use a newer one", row.Version, curvesVersion)
	}
	if err != nil {
		return nil, fmt.Errorf("the curves of evaluation %d of run %d are damaged: %w", row.Number, row.Run, err)
	}
	xs := make([][]float64, 1+len(p.X))
	for i, x := range p.X {
		xs[1+i] = numbersOf(x, 0, len(x)/8)
	}
	curves := make([]curve.Curve, len(p.Curves))
	for i, c := range p.Curves {
		if c.X >= len(xs) {
			return nil, fmt.Errorf("the curves of evaluation %d of run %d are damaged: the x of one is missing", row.Number, row.Run)
		}
		curves[i] = curve.Curve{X: xs[c.X], Y: numbersOf(c.Y, 0, len(c.Y)/8)}
	}
	return curves, nil
}

func appendNumbers(data []byte, numbers []float64) []byte {
	for _, number := range numbers {
		data = binary.LittleEndian.AppendUint64(data, math.Float64bits(number))
	}
	return data
}

// numbersOf takes a row of numbers out of data.
func numbersOf(data []byte, row, width int) []float64 {
	numbers := make([]float64, width)
	for i := range numbers {
		numbers[i] = math.Float64frombits(binary.LittleEndian.Uint64(data[8*(row*width+i):]))
	}
	return numbers
}
