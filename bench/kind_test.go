package bench

import (
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/formula"
)

var update = flag.Bool("update", false, "write the table of keys into docs/bench-file.md")

// TestTheDocumentsListEveryKey holds the table in the documents to what the kinds declare.
func TestTheDocumentsListEveryKey(t *testing.T) {
	t.Parallel()
	const file, begin, end = "../docs/bench-file.md", "written by go test ./bench -update -->\n", "<!-- end -->"
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	before, rest, found := strings.Cut(string(text), begin)
	require.True(t, found)
	table, after, found := strings.Cut(rest, end)
	require.True(t, found)
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(before+begin+StudyTable()+end+after), 0o644))
		return
	}
	assert.Equal(t, StudyTable(), table, "run go test ./bench -update")
}

func TestEveryKeyHasAFormAndAMeaning(t *testing.T) {
	t.Parallel()
	seen := map[string]bool{}
	for _, kind := range Kinds {
		assert.False(t, seen[kind.Name], kind.Name)
		seen[kind.Name] = true
		assert.NotEmpty(t, kind.Meaning, kind.Name)
		settings := kind.New()
		assert.NotEmpty(t, settings.Words(), kind.Name)
		for _, k := range append((&Common{}).Keys(), settings.Keys()...) {
			assert.NotEmpty(t, k.Meaning, "%s: %s", kind.Name, k.Name)
			_, unread := k.Into.(*Unread)
			assert.True(t, unread || len(k.schema()) > 0, "%s: %s has a form that the schema does not know", kind.Name, k.Name)
		}
	}
	assert.Equal(t, []string{"sample", "sensitivity", "optimize", "seek", "calibrate", "sweep", "uncertainty"}, KindNames())
}

func TestTheSchemaKnowsTheKeysOfAKindOnly(t *testing.T) {
	t.Parallel()
	var whole schema
	require.NoError(t, json.Unmarshal(Schema(), &whole))
	for _, one := range whole["$defs"].(schema)["study"].(schema)["allOf"].([]any) {
		then := one.(schema)["then"].(schema)
		properties := then["properties"].(schema)
		name := properties["kind"].(schema)["const"]
		assert.Equal(t, false, then["additionalProperties"])
		assert.Contains(t, properties, "budget")
		assert.Equal(t, name == "sample", properties["plan"] != nil, name)
		assert.Equal(t, name == "optimize", properties["minimize"] != nil, name)
	}
}

func TestWhatCannotBeRunYetSaysSo(t *testing.T) {
	t.Parallel()
	for says, settings := range map[string]Settings{
		"for studies of kind optimize only": &Seek{Search: Search{Methods: []string{"auto"}, Repeats: 1, Using: Using{SurrogateOf: "look"}}},
	} {
		assert.Contains(t, settings.Later(), says)
	}
	for _, kind := range []string{"sample", "sensitivity", "optimize", "uncertainty"} {
		k, _ := KindOf(kind)
		assert.Empty(t, k.New().Later(), kind)
	}
}

// Keys that say nothing together are refused where they are read, with what to write instead.
func TestKeysOfSamplesAndSensitivitiesGoTogether(t *testing.T) {
	t.Parallel()
	sample := func(change func(*Sample)) *Sample {
		s := sampleKind.New().(*Sample)
		change(s)
		return s
	}
	optimize := func(change func(*Optimize)) *Optimize {
		k, _ := KindOf("optimize")
		o := k.New().(*Optimize)
		change(o)
		return o
	}
	sensitivity := func(change func(*Sensitivity)) *Sensitivity {
		s := sensitivityKind.New().(*Sensitivity)
		change(s)
		return s
	}
	for says, settings := range map[string]interface{ Mistake() string }{
		"needs the file with its points":             sample(func(s *Sample) { s.Plan = PlanOfTable }),
		"table belongs to the plan table":            sample(func(s *Sample) { s.Table = "a.csv" }),
		"has as many points as its inputs ask for":   sample(func(s *Sample) { s.Plan, s.Points = "corners", 5 }),
		"levels belongs to the plans full-factorial": sample(func(s *Sample) { s.Plan, s.Levels = "sobol", 3 }),
		"about belongs to the plan one-at-a-time":    sample(func(s *Sample) { s.About.BestOf = "best" }),
		"until belongs to by: surrogate":             sensitivity(func(s *Sensitivity) { s.By, s.Until.Q2 = ByCorrelation, 0.9 }),
		"rounds belongs to by: surrogate":            sensitivity(func(s *Sensitivity) { s.By, s.Rounds = BySobolIndices, 3 }),
		"about belongs to by: gradient":              sensitivity(func(s *Sensitivity) { s.About.BestOf = "best" }),
		"are searched by auto, nsga2, surrogate":     optimize(func(o *Optimize) { o.Objectives, o.Methods = make([]Objective, 2), []string{"sqp"} }),
		"is for one objective or none":               optimize(func(o *Optimize) { o.Objectives, o.Using.SurrogateOf = make([]Objective, 2), "look" }),
		"leave method out, or using":                 optimize(func(o *Optimize) { o.Methods, o.Using.SurrogateOf = []string{"cma-es"}, "look" }),
		"by: gradient needs no points":               sensitivity(func(s *Sensitivity) { s.By, s.Points = ByGradient, 9 }),
	} {
		assert.Contains(t, settings.Mistake(), says)
	}
	assert.Empty(t, sample(func(s *Sample) { s.Plan, s.Levels = "full-factorial", 4 }).Mistake())
	assert.Empty(t, sensitivity(func(s *Sensitivity) { s.Until.Q2, s.Rounds = 0.9, 3 }).Mistake())
}

func TestGoalsAreInTheOrderOfTheFile(t *testing.T) {
	t.Parallel()
	cost := &Objective{Formula: formula.Expression{Text: "cost"}}
	o := &Optimize{Minimize: cost}
	assert.Equal(t, "cost least, all requirements", o.Words())
	assert.Empty(t, o.Mistake())
	o.Objectives = []Objective{*cost}
	assert.Equal(t, "give one of minimize, maximize, objectives and approach", o.Mistake())
	assert.Equal(t, "any design that meets the requirements, requirements R1, R2", (&Optimize{Search: Search{Meet: Meet{Named: true, IDs: []string{"R1", "R2"}}}}).Words())
}

func TestATimeOfDayIsTheNextOne(t *testing.T) {
	t.Parallel()
	clock, err := time.ParseInLocation(ClockLayout, "07:00", time.UTC)
	require.NoError(t, err)
	assert.True(t, IsClock(clock))
	for at, want := range map[string]string{"2026-11-26 05:30": "2026-11-26 07:00", "2026-11-26 07:00": "2026-11-27 07:00", "2026-12-31 23:59": "2027-01-01 07:00"} {
		now, err := time.ParseInLocation("2006-01-02 15:04", at, time.UTC)
		require.NoError(t, err)
		assert.Equal(t, want, Next(clock, now).Format("2006-01-02 15:04"))
		assert.False(t, IsClock(now))
	}
}
