package steps

import (
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"slices"
	"syscall"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/workbook"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/solver"
)

// Bounds on result files, named in messages.
const (
	maxJSON  = 64 << 20
	maxLine  = 1 << 20
	maxTable = 256 << 20
)

// A reader takes the outputs from the files of a working folder.
type reader struct {
	outputs  []bench.Output
	patterns []*matcher          // nil where the output is not matched
	wanted   map[string][]target // of JSON, by file
	inputs   []string            // that a gradient may name
}

func newReader(outputs []bench.Output, inputs []string) (reader, error) {
	outputs = slices.Clone(outputs)
	for i := range outputs {
		if out := &outputs[i]; out.Answer {
			out.File, out.Pointed = answerOutputs, true
			if out.Shape() == formula.Number {
				out.Gradient = &bench.Gradient{File: answerGradient, Pointer: out.Pointer}
			}
		}
	}
	wanted, err := targetsOf(outputs)
	if err != nil {
		return reader{}, err
	}
	r := reader{outputs: outputs, wanted: wanted, inputs: inputs, patterns: make([]*matcher, len(outputs))}
	for i, out := range outputs {
		if out.Match == "" {
			continue
		}
		if r.patterns[i], err = newMatcher(out.Match); err != nil {
			return r, fmt.Errorf("output %s: %w", out.Name, err)
		}
	}
	return r, nil
}

// read takes the outputs from a folder and from the answers of a program, by name. It returns a *solver.Failure for the first output that is missing or not finite.
func (r reader) read(folder string, answers map[string][]byte, setBooks setBooks) (solver.Outputs, error) {
	outputs := solver.Outputs{}
	files := resultFiles{folder: folder, answers: answers, outputs: r.outputs, wanted: r.wanted, documents: map[string]document{}, tables: map[string]*block{}, books: map[string]*workbook.Book{}, setBooks: setBooks}
	defer files.close()
	for i, out := range r.outputs {
		value, err := files.value(out, r.patterns[i])
		if gone := (folderGone{}); errors.As(err, &gone) {
			return solver.Outputs{}, gone.error
		}
		if err != nil {
			return solver.Outputs{}, files.failure(out, err)
		}
		if value.Samples != nil {
			outputs.Curves = append(outputs.Curves, *value.Samples)
			continue
		}
		if math.IsNaN(value.Number) || math.IsInf(value.Number, 0) {
			return solver.Outputs{}, files.failure(out, looked{error: fmt.Errorf("in %s it is %g, not a finite number", out.File, value.Number), file: out.File, wanted: out.Match + out.Pointer})
		}
		outputs.Scalars = append(outputs.Scalars, value.Number)
		if out.Gradient == nil {
			continue
		}
		gradient, err := files.gradient(*out.Gradient, r.inputs)
		if out.Answer && errors.As(err, new(looked)) {
			continue // it has none this time
		}
		if err != nil {
			return solver.Outputs{}, solver.Failed("output %s: its gradient: %s", out.Name, err)
		}
		if outputs.Derivatives == nil {
			outputs.Derivatives = map[string]map[string]float64{}
		}
		outputs.Derivatives[out.Name] = gradient
	}
	return outputs, nil
}

// missing is the error about a file that is not there.
type missing struct{ error }

// failure says which output could not be read, and shows what stands where it looked.
func (f *resultFiles) failure(out bench.Output, err error) *solver.Failure {
	failure := solver.Failed("output %s: %s", out.Name, err)
	if errors.Is(err, plain.ErrDecimalComma) {
		failure.Reason += ", or give the output decimal: \",\""
	}
	var in looked
	var none missing
	switch {
	case errors.As(err, &in):
		failure.Tail = f.nearest(in.file, in.wanted)
	case errors.As(err, &none):
		failure.Tail = f.written()
	}
	return failure
}

// value reads one output and reduces it, if it is to be taken at once.
func (f *resultFiles) value(out bench.Output, pattern *matcher) (formula.Value, error) {
	var c curve.Curve
	var err error
	switch {
	case out.Cell != "":
		c, err = f.cells(out)
		if err == nil && out.Shape() == formula.Number && out.Take == "" {
			return formula.Scalar(c.Y[0]), nil
		}
	case out.Table != nil:
		c, err = f.table(out)
	case out.Curve != nil && out.Pointed:
		c, err = f.curveAt(out)
	case out.Curve != nil:
		c, err = f.curve(out)
	case out.Take != "":
		c, err = f.listAt(out)
	default:
		number, err := f.scalar(out, pattern)
		return formula.Scalar(number), err
	}
	if err == nil {
		err = c.Check()
	}
	if err != nil || out.Take == "" {
		return formula.Sequence(c), err
	}
	number, err := formula.Take(out.Take, c)
	return formula.Scalar(number), err
}

// resultFiles are the files that the steps left, each parsed once.
type resultFiles struct {
	folder    string
	root      *os.Root // nil until a file is read
	answers   map[string][]byte
	outputs   []bench.Output
	wanted    map[string][]target // of JSON, by file
	documents map[string]document
	tables    map[string]*block // by file, heading and which of them
	books     map[string]*workbook.Book
	setBooks
}

// setBooks are the workbooks whose cells a step sets.
type setBooks struct {
	has func(file string) bool
	// byOffice gives the numbers of cells that LibreOffice calculates; asked is false where it does not.
	byOffice func(file string, a workbook.Address) (numbers []float64, asked bool, err error)
}

// inside is the working folder, which no path leaves.
func (f *resultFiles) inside() (*os.Root, error) {
	if f.root != nil {
		return f.root, nil
	}
	root, err := os.OpenRoot(f.folder)
	if err != nil {
		return nil, folderGone{err}
	}
	f.root = root
	return root, nil
}

// folderGone is the error of a working folder that cannot be opened: no output is to blame.
type folderGone struct{ error }

func (f *resultFiles) close() {
	if f.root != nil {
		f.root.Close() // it was only read
	}
	for _, book := range f.books {
		book.Close() // as above
	}
}

func (f *resultFiles) open(file string, most int64) (*os.File, error) {
	root, err := f.inside()
	if err != nil {
		return nil, err
	}
	opened, err := root.OpenFile(file, os.O_RDONLY|syscall.O_NONBLOCK, 0) // a pipe that nobody fills must not block
	if errors.Is(err, fs.ErrNotExist) {
		return nil, missing{fmt.Errorf("the steps wrote no file %s", file)}
	}
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", file, cause(err))
	}
	info, err := opened.Stat()
	switch {
	case err != nil:
	case !info.Mode().IsRegular():
		err = fmt.Errorf("%s is not a plain file", file)
	case info.Size() > most:
		err = fmt.Errorf("%s has %d MB; at most %d MB are read", file, info.Size()>>20, most>>20)
	default:
		return opened, nil
	}
	opened.Close()
	return nil, err
}

func (f *resultFiles) scalar(out bench.Output, pattern *matcher) (float64, error) {
	if pattern != nil {
		return f.match(out, pattern)
	}
	found, err := f.at(out)
	if err != nil {
		return 0, err
	}
	return jsonNumber(found, out)
}

func (f *resultFiles) curve(out bench.Output) (curve.Curve, error) {
	opened, err := f.open(out.File, maxTable)
	if err != nil {
		return curve.Curve{}, err
	}
	defer opened.Close()
	c, err := plain.CurveOf(plain.UTF8(opened), out.File, out.Curve.X, out.Curve.Y, out.Commas)
	if err != nil {
		err = looked{error: err, file: out.File, wanted: out.Curve.X + " " + out.Curve.Y}
	}
	return c, err
}
