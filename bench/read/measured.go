package read

import (
	"bytes"
	"fmt"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// mostMeasured bounds the points of a measured curve: each is a value of every evaluation.
const mostMeasured = 5000

// readMeasured reads the points that calibrations match.
func (f *fileReader) readMeasured(content bench.Content) bench.Problems {
	var problems bench.Problems
	for _, s := range f.bench.Studies {
		calibrate, is := s.Settings.(*bench.Calibrate)
		if !is {
			continue
		}
		for _, m := range calibrate.Match {
			file, kept := content.Files[bench.ContentPath(m.To.File)]
			if m.To.File == "" || !kept {
				continue // it is missing, which is said already
			}
			points, err := plain.Curve(bytes.NewReader(file.Text), m.To.File, m.X, m.Y)
			if err == nil && len(points.Y) > mostMeasured {
				err = fmt.Errorf("%s has %d points; at most %d are matched: thin them", m.To.File, len(points.Y), mostMeasured)
			}
			if err != nil {
				problems = append(problems, bench.Problem{File: m.To.File, Line: 1, Message: fmt.Sprintf("%s: %s", s.Name, err)})
				continue
			}
			m.Points = points
		}
	}
	return problems
}
