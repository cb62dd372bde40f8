package steps

import (
	"ropebench/bench"
	"ropebench/core/formula"
)

// ReadOne reads one output from the files of a folder, as an evaluation does. Workbooks that LibreOffice calculates are not read.
func ReadOne(out bench.Output, folder string) (formula.Value, error) {
	r, err := newReader([]bench.Output{out}, nil)
	if err != nil {
		return formula.Value{}, err
	}
	outputs, err := r.read(folder, nil, setBooks{has: func(string) bool { return false }})
	if err != nil {
		return formula.Value{}, err
	}
	if len(outputs.Curves) > 0 {
		return formula.Sequence(outputs.Curves[0]), nil
	}
	return formula.Scalar(outputs.Scalars[0]), nil
}
