// Package examples holds benches to learn from. This test runs each of them.
package examples

import (
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/bench/words"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver/steps"
	"ropebench/store"
	"ropebench/study"
)

// A desk runs studies of one example.
type desk struct {
	t        *testing.T
	runs     *study.Runs
	name     string
	revision int
}

func open(t *testing.T, file string) desk {
	require.NoError(t, steps.AdoptOrphans())
	b, content, err := read.Load(file)
	require.NoError(t, err)
	folder := t.TempDir()
	s, err := store.Open(folder)
	require.NoError(t, err)
	name, err := bench.Name(file)
	require.NoError(t, err)
	saved, err := s.SaveRevision(name, filepath.Dir(file), b.Title, content)
	require.NoError(t, err)
	runs, err := study.NewRuns(s, study.Engine{Slots: dispatch.NewSlots(2), Folder: filepath.Join(folder, "work"), Path: os.Getenv("PATH"), IDPrefix: t.Name() + "-"}, func(study.Run) {})
	require.NoError(t, err)
	t.Cleanup(func() {
		require.NoError(t, runs.Close())
		require.NoError(t, s.Close())
	})
	return desk{t: t, runs: runs, name: name, revision: saved.Revision}
}

// An ended run with what it has found.
type ended struct {
	study.Run
	result.Parts
}

func (d desk) run(q study.Question) ended {
	run, err := d.runs.Start(d.name, d.revision, q)
	require.NoError(d.t, err)
	var e ended
	require.Eventually(d.t, func() bool {
		e.Run, e.Parts, err = d.runs.Result(run.ID)
		require.NoError(d.t, err)
		return e.State.Ended()
	}, 4*time.Minute, 5*time.Millisecond)
	return e
}

func (d desk) try(design map[string]bench.Value) ended {
	return d.run(study.Question{Kind: study.KindTry, Study: study.KindTry, Design: design})
}

func needs(t *testing.T, program, debianPackage string) {
	_, err := exec.LookPath(program)
	require.NoError(t, err, "install it with `sudo apt-get install -y %s`", debianPackage)
}

func TestSheaveBracket(t *testing.T) {
	t.Parallel()
	needs(t, "ccx", "calculix-ccx")
	d := open(t, "sheave-bracket/bracket.bench.yaml")
	nominal := d.try(nil)
	require.NotNil(t, nominal.Best, nominal.LastWhy)
	assert.True(t, nominal.Best.Feasible)
	assert.InDelta(t, 0.394, nominal.Best.Values["sway"], 0.01)
	assert.InDelta(t, 105, nominal.Best.Values["mises_web"], 5)
	assert.InDelta(t, 1.553, nominal.Best.Values["mass"], 0.001)
	assert.Equal(t, 112.0, nominal.Best.Values["stiffener_top"])

	thin := d.try(map[string]bench.Value{"web": {Number: 5}, "rim": {Number: 6}})
	assert.Greater(t, thin.Best.Values["sway"], nominal.Best.Values["sway"], "a thinner plate bends more")
	assert.Less(t, thin.Best.Values["mass"], nominal.Best.Values["mass"])
	moved := d.try(map[string]bench.Value{"stiffener_at": {Number: 95.12345678}})
	assert.Equal(t, 95.1235, moved.Best.Inputs["stiffener_at"].Number, "the value as written is the value recorded")
	assert.NotEqual(t, nominal.Best.Values["sway"], moved.Best.Values["sway"])

	light := d.run(study.Question{Study: "light", Seed: 1, Evaluations: 80})
	require.NotNil(t, light.Best, light.LastWhy)
	assert.True(t, light.Best.Feasible)
	assert.Less(t, light.Best.Values["mass"], nominal.Best.Values["mass"])
}

func TestRopeTest(t *testing.T) {
	t.Parallel()
	d := open(t, "rope-test/rope.bench.yaml")
	nominal := d.try(nil)
	require.NotNil(t, nominal.Best, nominal.LastWhy)
	assert.False(t, nominal.Best.Feasible, "the nominal law is too soft")
	assert.InDelta(t, 30*0.05+600*0.05*0.05*0.05, nominal.Best.Values["at_five"], 1e-9)
	assert.InDelta(t, 15*0.12*0.12+150*0.12*0.12*0.12*0.12, nominal.Best.Values["work"], 1e-4, "the trapezoidal rule on sixty intervals")
	assert.Equal(t, []string{"load", "smooth"}, []string{nominal.Layout.Curves[0].Name, nominal.Layout.Curves[1].Name})
	truth := d.try(map[string]bench.Value{"k": {Number: 38}, "c": {Number: 900}})
	assert.True(t, truth.Best.Feasible)
	assert.InDelta(t, 0.12, *truth.Best.Requirements["R1"].Margin, 1e-3, "the band is narrowest at no stretch")
	least := d.run(study.Question{Study: "least", Seed: 1})
	require.NotNil(t, least.Best)
	assert.True(t, least.Best.Feasible)
	assert.Less(t, least.Best.Values["at_five"], truth.Best.Values["at_five"])
	assert.InDelta(t, 0, *least.Best.Requirements["R2"].Margin, 0.01, "the lower side of the band holds it")
}

func TestWinchIsMadeOfParts(t *testing.T) {
	t.Parallel()
	d := open(t, "winch/winch.bench.yaml")
	try := d.try(map[string]bench.Value{"motor": {Word: "C4-4"}, "gearbox": {Word: "XL3-100"}, "rope": {Word: "H11"}, "drum": {Number: 200}, "layers": {Number: 3}})
	require.Equal(t, study.Finished, try.State, try.Reason)
	assert.InDelta(t, 2328.104, try.Best.Values["cost"], 1e-6, "by hand from the rows of the catalogs")
	assert.True(t, try.Best.Feasible)
	best := d.run(study.Question{Study: "cheap", Seed: 1})
	require.NotNil(t, best.Best)
	assert.True(t, best.Best.Feasible)
	assert.Less(t, best.Best.Values["cost"], 2400.0, "the cheapest of all 19 million designs costs 2328")
	_, err := d.runs.Start(d.name, d.revision, study.Question{Study: "cheap", Hold: map[string]bench.Value{"rope": {Word: "H111"}}})
	assert.ErrorContains(t, err, "rope cannot be H111; did you mean H1")
}

func TestTheMillLiftHoldsInEveryCase(t *testing.T) {
	t.Parallel()
	d := open(t, "mill-lift/mill-lift.bench.yaml")
	try := d.try(nil)
	require.Equal(t, study.Finished, try.State, try.Reason)
	assert.InDelta(t, (1450*10.61-900*9.01)*0.25, try.Best.Values["torque.wet"], 1e-6, "by hand")
	assert.Equal(t, "wet", try.Best.Requirements["R1"].Case)
	cheap := d.run(study.Question{Study: "cheap", Seed: 1})
	assert.True(t, cheap.Best.Feasible)
	// with 230 degrees about the sheave the wet rope holds exp(0.12*4.014) times the lighter side
	assert.InDelta(t, 1450*10.61/9.01/math.Exp(0.12*230*math.Pi/180), cheap.Best.Inputs["counterweight"].Number, 0.01)
	sure := d.run(study.Question{Study: "sure", Seed: 1})
	require.NotNil(t, sure.Robust)
	// the same with a cage that is heavier in 5 of 100 products
	assert.InDelta(t, (1450+1.645*20)*10.61/9.01/math.Exp(0.12*230*math.Pi/180), sure.Best.Inputs["counterweight"].Number, 5)
	assert.Empty(t, sure.Robust.Missed)
	calm := d.run(study.Question{Study: "calm", Seed: 1})
	assert.InDelta(t, (650+1450)/2*10.61/9.01, calm.Best.Inputs["counterweight"].Number, 1, "between an empty and a full cage")
	weigh := d.run(study.Question{Study: "weigh", Seed: 1})
	assert.InDelta(t, 0.95, weigh.Probabilities["R1"].Met, 0.03)
	assert.Equal(t, study.Finished, d.run(study.Question{Study: "look", Seed: 1}).State)
}

func TestHoistSwingComesToRest(t *testing.T) {
	t.Parallel()
	d := open(t, "hoist-swing/hoist-swing.bench.yaml")
	try := d.try(nil)
	require.Equal(t, study.Finished, try.State, try.Reason)
	assert.InDelta(t, 6, try.Best.Values["travel"], 1e-6, "c0 times the duration, by 6")
	assert.InDelta(t, 1.5, try.Best.Values["top_speed"], 1e-9)
	assert.False(t, try.Best.Feasible, "it swings")
	least := math.Inf(1)
	for seed := range uint64(3) { // some seeds end where two swings more are needed, at 9.2 s
		best := d.run(study.Question{Study: "quick", Seed: 1 + seed})
		assert.True(t, best.Best.Feasible)
		least = math.Min(least, best.Best.Values["duration"])
	}
	assert.InDelta(t, 6.07, least, 0.03)
	broken := d.try(map[string]bench.Value{"duration": {Number: -7}})
	assert.Contains(t, broken.LastWhy, "time runs from 0 to -1")
}

func TestSledIsCalculatedByItsWorkbook(t *testing.T) {
	t.Parallel()
	d := open(t, "rescue-sled-cost/sled.bench.yaml")
	steel := d.try(nil)
	require.Equal(t, study.Finished, steel.State, steel.Reason)
	assert.InDelta(t, 2.1*0.62*1.15*4*1.38+38.0/38*1.4+2*0.85*2.1+9.1165, steel.Best.Values["mass"], 0.01, "deck, straps and runners by hand, the frame as it was")
	light := d.try(map[string]bench.Value{"frame": {Word: "aluminium"}})
	assert.Less(t, light.Best.Values["mass"], steel.Best.Values["mass"], "the workbook looks the word up")
	best := d.run(study.Question{Study: "cheap", Seed: 1})
	assert.True(t, best.Best.Feasible)
}

func TestLoadCellFilterTakesTheHumOut(t *testing.T) {
	t.Parallel()
	needs(t, "ngspice", "ngspice")
	d := open(t, "load-cell-filter/filter.bench.yaml")
	today := d.try(nil)
	require.NotNil(t, today.Best, today.LastWhy)
	assert.False(t, today.Best.Feasible, "the hum is still there")
	// A unity-gain stage of second order: the gain at 50 Hz by its transfer function.
	r, c1, c2 := 150e3, 150e-9, 100e-9
	better := d.try(map[string]bench.Value{"r1": {Number: 150}, "r2": {Number: 150}, "c1": {Number: 150}, "c2": {Number: 100}})
	require.NotNil(t, better.Best, better.LastWhy)
	w := 2 * math.Pi * 50
	gain := 1 / math.Hypot(1-w*w*r*r*c1*c2, w*2*r*c2)
	assert.InDelta(t, 20*math.Log10(gain), better.Best.Values["hum"], 0.02)
	assert.True(t, better.Best.Feasible)
	assert.InDelta(t, 3+0.35*(math.Pow(150, 0.6)+math.Pow(100, 0.6)), better.Best.Values["cost"], 1e-9)
	best := d.run(study.Question{Study: "cheap", Seed: 1})
	assert.True(t, best.Best.Feasible)
	assert.LessOrEqual(t, best.Best.Values["cost"], better.Best.Values["cost"]+1e-9)
}

func TestTheDrumIsAskedInPython(t *testing.T) {
	t.Parallel()
	d := open(t, "rope-drum/drum.bench.yaml")
	today := d.try(nil)
	require.NotNil(t, today.Best, today.LastWhy)
	assert.True(t, today.Best.Feasible)
	assert.InDelta(t, 7.85e-6*math.Pi*320*(6+0.02*320)*600, today.Best.Values["mass"], 1e-9)
	full := d.try(map[string]bench.Value{"drum_length": {Number: 300}, "drum_diameter": {Number: 150}, "rope_diameter": {Number: 20}, "lift": {Number: 90}})
	assert.Contains(t, full.LastWhy, "of rope are six layers, and 90 m are wanted: lengthen the drum")
	light := d.run(study.Question{Study: "light", Seed: 1})
	assert.True(t, light.Best.Feasible)
	assert.Less(t, light.Best.Values["mass"], 0.5*today.Best.Values["mass"])
}

func TestTheSlingIsAskedInShell(t *testing.T) {
	t.Parallel()
	d := open(t, "chain-sling/sling.bench.yaml")
	today := d.try(nil)
	require.NotNil(t, today.Best, today.LastWhy)
	assert.InDelta(t, 60*3/math.Sqrt(9-1.6*1.6)/3, today.Best.Values["pull"], 1e-6)
	assert.InDelta(t, 180/math.Pi*math.Asin(1.6/3), today.Best.Values["angle"], 1e-6)
	short := d.run(study.Question{Study: "short", Seed: 1})
	assert.True(t, short.Best.Feasible)
	assert.InDelta(t, 1.6/0.6, short.Best.Inputs["chain_length"].Number, 0.01, "the pull with its reserve: a length of 1.25 heights")
	assert.Contains(t, d.try(map[string]bench.Value{"chain_length": {Number: 1.2}}).LastWhy, "the chains are too short for a reach of 1.6 m")
}

func TestZiplineIsTheDemo(t *testing.T) {
	t.Parallel()
	b, content, err := read.Load("zipline/zipline.bench.yaml")
	require.NoError(t, err)
	assert.Len(t, content.Files, 2)
	packed, err := Zipline.ReadFile("zipline/zipline.bench.yaml")
	require.NoError(t, err)
	assert.Equal(t, string(content.Files["zipline.bench.yaml"].Text), string(packed), "the demo takes its bench from here; cmd/ropebench runs it")
	assert.Contains(t, words.Symbols(b, ""), "minimize    cost")
}

func TestHookPlateAtTwoMeshes(t *testing.T) {
	t.Parallel()
	needs(t, "ccx", "calculix-ccx")
	needs(t, "python3", "python3")
	d := open(t, "hook-plate/hook-plate.bench.yaml")
	nominal := d.try(nil)
	require.NotNil(t, nominal.Best, nominal.LastWhy)
	assert.True(t, nominal.Best.Feasible)
	assert.InDelta(t, 7.85e-6*20*4*(80*100+80*(100+80)/2-math.Pi*30*40/4), nominal.Best.Values["mass"], 1e-3, "the plate without its hole")

	light := d.run(study.Question{Study: "light", Seed: 1, Evaluations: 24})
	require.NotNil(t, light.Best, light.LastWhy)
	assert.True(t, light.Best.Feasible)
	assert.Less(t, light.Best.Values["mass"], 0.7*nominal.Best.Values["mass"])
	coarse := light.Search.Coarse
	require.NotNil(t, coarse)
	if coarse.Dropped != "" { // on a machine that is busy with other things, starting a program takes as long as the fine mesh
		assert.Contains(t, coarse.Dropped, "which is too much for a budget of 24")
		return
	}
	assert.Greater(t, coarse.Evaluations, light.Evaluations)
	assert.Less(t, coarse.Share, 1.0)
	assert.Greater(t, coarse.Correlations["mises"], 0.9)
}
