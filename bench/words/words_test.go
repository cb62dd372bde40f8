package words

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
)

func TestStatementIsWhatEngineersWriteDown(t *testing.T) {
	t.Parallel()
	b, err := read.Read("hoist.bench.yaml", []byte(benchtest.Hoist))
	require.NoError(t, err)
	assert.Equal(t, `Find
  drum               0.1 to 0.5 m, the upper end guessed
  turns              2 to 20, in steps of 2
  rate               1e-05 to 0.001, on a logarithmic scale
that make mass > 3 ? mass : 3 least, such that
  R1     mass is at most 12 kg, with 0.5 kg kept in reserve (Light enough)
  R2     ratio is between 0.5 and 4
with share at 48, load at 10 N held.
`, Statement(b, "best"))
}

func TestChangesAreSaidInWords(t *testing.T) {
	t.Parallel()
	older, err := read.Read("hoist.bench.yaml", []byte(benchtest.Hoist))
	require.NoError(t, err)
	text := strings.NewReplacer("range: [0.1, 0.5]", "range: [0.1, 0.6]", "at_most: 12", "at_most: 11", "  R2: {of: ratio, between: [0.5, 4]}\n", "",
		"meet: [R1, R2]", "meet: [R1]", "nominal: 010", "nominal: 12", "area: pi*drum^2", "area: 3*drum^2").Replace(benchtest.Hoist)
	newer, err := read.Read("hoist.bench.yaml", []byte(text))
	require.NoError(t, err)
	file := func(deck string) bench.Content {
		return bench.Content{File: "hoist.bench.yaml", Files: map[string]bench.File{"hoist.bench.yaml": {Text: []byte(text)}, "hoist.tpl": {Text: []byte(deck)}}}
	}
	assert.Equal(t, []string{
		"drum: 0.1 to 0.5 m, the upper end guessed -> 0.1 to 0.6 m, the upper end guessed",
		"load: nominal 10 -> 12",
		"area: pi*drum^2 -> 3*drum^2",
		"R1: mass is at most 12 kg, with 0.5 kg kept in reserve (Light enough) -> mass is at most 11 kg, with 0.5 kg kept in reserve (Light enough)",
		"requirement R2 is gone",
		"study best: mass > 3 ? mass : 3 least, requirements R1, R2, 100 evaluations, at most 10 min at work -> mass > 3 ? mass : 3 least, requirements R1, 100 evaluations, at most 10 min at work",
		"file hoist.tpl is different",
	}, Changes(older, newer, file("one"), file("two")))
	assert.Empty(t, Changes(older, older, file("one"), file("one")))
}

func TestWhatIsNoWritingIsNoWriting(t *testing.T) {
	t.Parallel()
	const text = "bench: 1\ninputs: {a: {nominal: 1}}\nsolver:\n  steps: [{run: [solve]}]\noutputs: {b: {label: Mass, unit: kg, file: out, match: 'V (\\S+)'}}\n"
	older, err := read.Read("a.bench.yaml", []byte(text))
	require.NoError(t, err)
	content := func(executable bool) bench.Content {
		return bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(text)}, "solve": {Executable: executable}}}
	}
	for change, says := range map[string]string{
		"solver:->solver:\n  noisy: true": "solver: noisy false -> true",
		"solver:->solver:\n  retry: 2":    "solver: retry 0 -> 2",
		"solver:->solver:\n  at_once: 3":  "solver: at_once without bound -> 3",
		"label: Mass->label: Weight":      `b: label "Mass" -> "Weight"`,
		"unit: kg->unit: t":               `b: unit "kg" -> "t"`,
		"'V (->'W (":                      "b: it is read differently",
	} {
		was, is, _ := strings.Cut(change, "->")
		newer, err := read.Read("a.bench.yaml", []byte(strings.Replace(text, was, is, 1)))
		require.NoError(t, err)
		assert.Equal(t, []string{says}, Changes(older, newer, content(false), content(false)))
	}
	assert.Equal(t, []string{"file solve can be started now"}, Changes(older, older, content(false), content(true)))
}
