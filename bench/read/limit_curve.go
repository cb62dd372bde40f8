package read

import (
	"bytes"
	"fmt"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// readLimitCurves reads the files of requirements with under and over: their first two columns.
func readLimitCurves(b *bench.Bench, content bench.Content) bench.Problems {
	var problems bench.Problems
	for i, q := range b.Requirements {
		if q.File == "" {
			continue
		}
		file, kept := content.Files[bench.ContentPath(q.File)]
		if !kept {
			continue // it is missing, which is said already
		}
		limit, err := plain.Curve(bytes.NewReader(file.Text), q.File, "1", "2")
		if err != nil {
			problems = append(problems, bench.Problem{File: q.File, Line: 1, Message: fmt.Sprintf("%s: %s", q.ID, err)})
			continue
		}
		b.Requirements[i].LimitCurve = &limit
	}
	return problems
}
