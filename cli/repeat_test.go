package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/api"
	"ropebench/result"
)

func TestWhatARepeatedVerificationHasOtherwise(t *testing.T) {
	t.Parallel()
	verified := func() api.Result {
		var r api.Result
		r.Best = &result.Design{Values: map[string]float64{"mass": 3, "sag": 0.25}, Requirements: map[string]result.Judgment{"R1": {Verdict: "met"}}}
		r.Provenance = &result.Provenance{Files: map[string]string{"a.inp": "1", "a.bench.yaml": "2"}, Programs: []result.Program{{Path: "/here/frame", Version: "frame 1"}}}
		return r
	}
	then := verified()
	assert.Empty(t, different(then, verified(), ""))
	now := verified()
	now.Best.Values["mass"] = 3 * (1 + 1e-13)
	now.Provenance.Files["a.bench.yaml"] = "other notes"
	assert.Empty(t, different(then, now, ""), "what changes no value is no difference")
	now.Best.Values["mass"] = 3.0000001
	now.Best.Requirements["R1"] = result.Judgment{Verdict: "met_without_reserve"}
	delete(now.Best.Values, "sag")
	now.Provenance.Programs[0] = result.Program{Path: "/there/frame", Version: "frame 2"}
	assert.Equal(t, []string{"mass is 3.0000001, and was 3", "sag is not a value of this bench", "R1 is met without its reserve, and was met",
		"a.bench.yaml is not the file that it was", `frame is "frame 2", and was "frame 1"`}, different(then, now, ""))
	now.Best = nil
	now.Provenance.Programs = nil
	assert.Equal(t, []string{"the design gave no values: no licence", "a.bench.yaml is not the file that it was", "the steps start other programs"}, different(then, now, "no licence"))
	now.Provenance = nil
	assert.Len(t, different(then, now, "no licence"), 1)
}
