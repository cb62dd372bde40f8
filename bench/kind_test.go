package bench

import (
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"

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
		"cannot make the plan corners yet: use latin-hypercube, sobol, random": &Sample{Plan: "corners"},
		"no plan with levels yet":                    &Sample{Plan: "sobol", Levels: 3},
		"table belongs to the plan table":            &Sample{Plan: "sobol", Table: "a.csv"},
		"does not have the method sqp yet":           &Optimize{Search: Search{Methods: []string{"sqp"}, Repeats: 1, Using: "solver"}},
		"runs one method in a study":                 &Optimize{Search: Search{Methods: []string{"auto", "auto"}, Repeats: 1, Using: "solver"}},
		"cannot repeat a search by itself yet":       &Optimize{Search: Search{Methods: []string{"auto"}, Repeats: 2, Using: "solver"}},
		"searches on the solver only":                &Optimize{Search: Search{Methods: []string{"auto"}, Repeats: 1, Using: "a surrogate"}},
		"one objective at a time":                    &Optimize{Objectives: make([]Objective, 2)},
		"cannot approach targets yet":                &Optimize{Approach: true},
		"cannot run a study of kind sensitivity yet": &Sensitivity{},
		"cannot run a study of kind uncertainty yet": &Uncertainty{},
		"cannot run a study of kind calibrate yet":   &Calibrate{},
	} {
		assert.Contains(t, settings.Later(), says)
	}
	for _, kind := range []string{"sample", "optimize"} {
		k, _ := KindOf(kind)
		assert.Empty(t, k.New().Later(), kind)
	}
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
