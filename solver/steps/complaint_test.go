package steps

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
)

// TestTheComplaintIsTheLineThatSaysMost has what programs print when they give up.
func TestTheComplaintIsTheLineThatSaysMost(t *testing.T) {
	t.Parallel()
	for said, want := range map[string]string{
		"":                "",
		"no licence left": "no licence left",
		"reading deck\n *ERROR in cascade: element 7 has no section\n":                                                                      "*ERROR in cascade: element 7 has no section",
		"iteration 99\nNOT CONVERGED AFTER 100\njob aborted\nelapsed time 3.2 s":                                                            "NOT CONVERGED AFTER 100",
		"Traceback (most recent call last):\n  File \"m.py\", line 3, in <module>\n    x = 1/0\nZeroDivisionError: division by zero":        "ZeroDivisionError: division by zero",
		"At line 12 of file a.f\nFortran runtime error: End of file\n\nError termination. Backtrace:\n#0  0x7f3a in ???\n#1  0x7f3b in ???": "Fortran runtime error: End of file",
		"warming up\ndone": "done",
		"step 3\nFatal: the rope is slack\nstep 4 skipped": "Fatal: the rope is slack",
	} {
		assert.Equal(t, want, complaint(said), said)
	}
}

func TestAStepSaysThatItGaveUp(t *testing.T) {
	t.Parallel()
	const gave = "      stdout: run.log\n      fail_if: {file: run.log, match: 'NOT CONVERGED'}"
	ok := "echo '{\"sag\": 1}' > out.json\n"
	for name, c := range map[string]struct{ script, reason string }{
		"though its exit code is good": {ok + "echo ' ** NOT CONVERGED AFTER 100 '; echo bye", "run.log: ** NOT CONVERGED AFTER 100"},
		"and its exit code":            {"echo NOT CONVERGED in step 2; echo bad luck >&2; exit 3", "run.log: NOT CONVERGED in step 2"},
		"the last one":                 {ok + "echo NOT CONVERGED in step 1; echo NOT CONVERGED in step 2", "run.log: NOT CONVERGED in step 2"},
		"not":                          {ok + "echo CONVERGED", ""},
		"not, with another failure":    {"exit 3", "./solve.sh ended with exit code 3"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, err := solve(t, prepared(t, c.script, gave, sagFromJSON))
			if c.reason == "" {
				require.NoError(t, err)
				return
			}
			failure := requireFailure(t, err)
			assert.Equal(t, core.Failed, failure.State)
			assert.Equal(t, c.reason, failure.Reason)
		})
	}
	_, err := solve(t, prepared(t, "sleep 60", gave+"\n      limit: 200ms", sagFromJSON))
	assert.ErrorContains(t, err, "did not end within its limit")
}
