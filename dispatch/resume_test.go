package dispatch

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// A run that was cut off anywhere, with gaps where evaluations were at work, asks the solver only for what is missing and
// ends with the same design as an undisturbed one, whatever the method.
func TestRunsCutOffAnywhereEndTheSame(t *testing.T) {
	t.Parallel()
	problem := optimize.Problem{Space: space.Space{{Lower: -1, Upper: 3}}, Goal: core.Goal{Objectives: []core.Objective{{Value: 1}}}}
	rapid.Check(t, func(rt *rapid.T) {
		method := rapid.SampledFrom(slices.DeleteFunc(slices.Sorted(maps.Keys(optimize.Methods)), func(name string) bool { return name == "levenberg-marquardt" })).Draw(rt, "method")
		seed := rapid.Uint64Range(1, 5).Draw(rt, "seed")
		run := func(journal *memory, kept []Record) (optimize.Result, int) {
			s := newSquares()
			d := dispatcher(t, Config{Solver: s, Journal: journal, Replay: replay(kept)})
			result, err := optimize.Methods[method](t.Context(), problem, d, optimize.Options{Seed: seed, Budget: 60}, nil)
			require.NoError(t, err)
			return result, int(s.calls.Load())
		}
		journal := &memory{}
		want, all := run(journal, nil)
		var kept []Record
		cut := rapid.IntRange(0, 60).Draw(rt, "cut")
		solved := 0
		for _, record := range journal.all() {
			atWork := record.Number > cut-4 && rapid.Bool().Draw(rt, "at work")
			if record.Number <= cut && !atWork {
				kept = append(kept, record)
				if record.State != core.NotTried {
					solved++
				}
			}
		}
		got, calls := run(&memory{}, kept)
		if got.Reason != want.Reason || got.Best.Design[0] != want.Best.Design[0] || got.Best.Outcome.Values[1] != want.Best.Outcome.Values[1] || got.Best.Outcome.Number != want.Best.Outcome.Number {
			rt.Fatalf("want %v, got %v", want, got)
		}
		if calls != all-solved {
			rt.Fatalf("%d calls of the solver, %d were missing", calls, all-solved)
		}
	})
}
