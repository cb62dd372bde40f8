package optimize

import (
	"fmt"
	"os"
	"testing"

	"ropebench/core/published"
)

func TestTmp(t *testing.T) {
	for _, s := range published.SmoothExamples {
		if s.Name != os.Getenv("ONLY") {
			continue
		}
		m := newSmoothModel(t, s)
		m.round = 4
		trace = true
		p := Problem{Space: s.Space(), Goal: s.Goal(), Ahead: smoothAhead{m}}
		r, err := TrustRegion(t.Context(), p, m, Options{Seed: 1, Budget: 1000, Start: s.Start}, nil)
		fmt.Println(r.Best.Outcome.Values, r.Reason, err, m.asked)
	}
}
