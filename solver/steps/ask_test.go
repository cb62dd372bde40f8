package steps

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/solver"
)

// asking makes a solver that asks a program in Python: body is its function evaluate(inputs, folder).
func asking(t *testing.T, body, extra, outputs string) *Solver {
	program := `import json, os, sys, time
` + body + `
for line in sys.stdin:
    question = json.loads(line)
    assert question["jsonrpc"] == "2.0" and question["method"] == "evaluate"
    print(json.dumps({"jsonrpc": "2.0", "id": question["id"], **evaluate(**question["params"])}), flush=True)
`
	text := fmt.Sprintf(`bench: 1
inputs: {load: {nominal: 3}, width: {nominal: 0.25}}
solver:
  files: [model.py]
  steps:
    - ask: [python3, model.py]
%s
outputs:
%s
`, extra, outputs)
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(text)}, "model.py": {Text: []byte(program)}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	return s
}

const sagAnswered = "  sag: {answer: /sag}"

// an asker asks one session again and again.
type asker struct {
	t       *testing.T
	session solver.Session
	folder  string // of the session
	asked   int
}

func newAsker(t *testing.T, s *Solver) *asker {
	a := &asker{t: t, folder: filepath.Join(t.TempDir(), "session")}
	var err error
	a.session, err = s.Open(t.Context(), solver.Worker{Folder: a.folder})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, a.session.Close()) })
	return a
}

func (a *asker) ask(ctx context.Context) (solver.Outputs, error) {
	a.asked++
	return a.session.Solve(ctx, solver.Job{ID: fmt.Sprintf("test-%s-%d", a.t.Name(), a.asked), Folder: filepath.Join(a.t.TempDir(), "evaluation"), Lookup: values})
}

func (a *asker) fails(state core.State, reason string) *solver.Failure {
	a.t.Helper()
	_, err := a.ask(a.t.Context())
	var failure *solver.Failure
	require.ErrorAs(a.t, err, &failure)
	assert.Equal(a.t, state, failure.State)
	assert.Contains(a.t, failure.Reason, reason)
	return failure
}

// TestAProgramIsAskedAgainAndAgain: it is started once, in a folder with its files, and gives numbers, curves and derivatives.
func TestAProgramIsAskedAgainAndAgain(t *testing.T) {
	t.Parallel()
	s := asking(t, `calls = 0
def evaluate(inputs, folder):
    global calls
    calls += 1
    open(os.path.join(folder, "log.txt"), "w").write("ROOM %g\n" % (inputs["load"] / 2))
    result = {"outputs": {"sag": calls, "trace": {"time": [0, 1], "way": [inputs["width"], 7]}, "list": [1, 5, 2], "pid": os.getpid()}}
    if calls == 1:
        result["gradient"] = {"sag": {"load": 0.5, "width": -2}}
    return {"result": result}`, "", sagAnswered+`
  top: {answer: /list, take: peak}
  room: {file: log.txt, match: 'ROOM (\S+)'}
  trace: {answer: /trace, curve: {x: time, y: way}}
  pid: {answer: /pid}`)
	a := newAsker(t, s)
	first, err := a.ask(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []float64{1.5, 1, 5}, first.Scalars[1:], "by name: pid, room, sag, top")
	assert.Equal(t, []float64{0.25, 7}, first.Curves[0].Y)
	assert.Equal(t, map[string]map[string]float64{"sag": {"load": 0.5, "width": -2}}, first.Derivatives)
	second, err := a.ask(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []float64{first.Scalars[0], 1.5, 2, 5}, second.Scalars, "by the same process")
	assert.Empty(t, second.Derivatives)
	assert.Equal(t, []string{`{"load":3,"width":0.25}`}, s.written(values))
}

// TestAProgramThatCannotDoADesignStays: an error object fails the evaluation and nothing else.
func TestAProgramThatCannotDoADesignStays(t *testing.T) {
	t.Parallel()
	a := newAsker(t, asking(t, `calls = 0
def evaluate(inputs, folder):
    global calls
    calls += 1
    if calls == 1:
        print("looked at the drum", file=sys.stderr, flush=True)
        return {"error": {"code": 7, "message": "the rope does not fit", "data": {"layers": 9}}}
    return {"result": {"outputs": {"sag": calls}}}`, "", sagAnswered))
	failure := a.fails(core.Failed, "python3 model.py: the rope does not fit")
	assert.Contains(t, failure.Tail, `{"layers": 9}`)
	out, err := a.ask(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []float64{2}, out.Scalars)
}

// TestAProgramThatBreaksIsStartedAgain: each evaluation after one that crashed, hung or answered nonsense meets another process.
func TestAProgramThatBreaksIsStartedAgain(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		does, limit string
		state       core.State
		reason      string
	}{
		"crashes":              {`raise ValueError("no rope left")`, "20s", core.Failed, "python3 model.py ended with exit code 1 before it answered: ValueError: no rope left"},
		"is killed":            {`os.kill(os.getpid(), 9)`, "20s", core.Failed, `was ended by the signal "killed"`},
		"hangs":                {`time.sleep(60)`, "4s", core.TimedOut, "did not answer within its limit of 4s and was ended with all its children"},
		"hangs with a child":   {`os.system("sleep 60")`, "4s", core.TimedOut, "did not answer"},
		"talks":                {`print("loading")`, "20s", core.Failed, `answered "loading", but this is no JSON`},
		"expected":             {`print("loading")`, "20s", core.Failed, `such as {"jsonrpc": "2.0", "id": 1, "result": {"outputs": {"mass": 1.5}}}; let it write all else to its standard error`},
		"answers another":      {`print('{"jsonrpc": "2.0", "id": 99, "result": {"outputs": {"sag": 1}}}')`, "20s", core.Failed, "id that of the question, 1"},
		"answers nothing":      {`return {}`, "20s", core.Failed, "neither an error nor a result with outputs"},
		"answers with no end":  {`sys.stdout.write("x" * (65 << 20)); sys.stdout.flush()`, "60s", core.Failed, "a line of more than 64 MB"},
		"gives no number":      {`return {"result": {"outputs": {"sag": "big"}}}`, "20s", core.Failed, `output sag: at /sag in the answer stands "big" where a number was due`},
		"leaves the sag out":   {`return {"result": {"outputs": {"sags": 1}}}`, "20s", core.Failed, `output sag: the answer has nothing at /sag`},
		"gives what is no NaN": {`return {"result": {"outputs": {"sag": float("nan")}}}`, "20s", core.Failed, `this is no JSON`},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			a := newAsker(t, asking(t, `def evaluate(inputs, folder):
    if not os.path.exists("began"):
        open("began", "w").close()
        `+c.does+`
    return {"result": {"outputs": {"sag": 4}}}`, "      limit: "+c.limit, sagAnswered))
			a.fails(c.state, c.reason)
			out, err := a.ask(t.Context())
			require.NoError(t, err)
			assert.Equal(t, []float64{4}, out.Scalars)
			require.NoError(t, a.session.Close())
			assert.Empty(t, matching(func(left trace) bool {
				return strings.HasPrefix(left.id, "test-"+t.Name()+"-") || within(left.folder, a.folder)
			}), "nothing is left behind")
		})
	}
}

func TestACancelledQuestionEndsItsProgram(t *testing.T) {
	t.Parallel()
	a := newAsker(t, asking(t, `def evaluate(inputs, folder):
    open("began", "w").close()
    time.sleep(60)`, "", sagAnswered))
	ctx, cancel := context.WithCancel(t.Context())
	go func() {
		for {
			if _, err := os.Stat(filepath.Join(a.folder, "began")); err == nil {
				cancel()
				return
			}
		}
	}()
	_, err := a.ask(ctx)
	failure := requireFailure(t, err)
	assert.Equal(t, core.Cancelled, failure.State)
}

func TestAskedProgramsThatCannotBeStarted(t *testing.T) {
	t.Parallel()
	s := asking(t, "", "", sagAnswered)
	s.path = t.TempDir()
	newAsker(t, s).fails(core.Failed, "the program python3 is not found on the PATH")
}

// TestACleanFolderIsForTheNext: where a program leaves nothing in its working folder, the next evaluation gets it; where it leaves or
// changes something, another.
func TestACleanFolderIsForTheNext(t *testing.T) {
	t.Parallel()
	for does, same := range map[string]bool{
		"pass":                                   true,
		`open(folder + "/log.txt", "w").close()`: false,
		`open(folder + "/model.py", "a").write(" ")`: false,
		`os.mkdir(folder + "/more")`:                 false,
		`os.remove(folder + "/model.py")`:            false,
	} {
		a := newAsker(t, asking(t, `def evaluate(inputs, folder):
    node, files = os.stat(folder).st_ino, sorted(os.listdir(folder))
    assert files == ["model.py"] and open(folder + "/model.py").read() == open("model.py").read()
    `+does+`
    return {"result": {"outputs": {"sag": node}}}`, "", sagAnswered))
		first, err := a.ask(t.Context())
		require.NoError(t, err, does)
		second, err := a.ask(t.Context())
		require.NoError(t, err, does)
		if same {
			assert.Equal(t, first.Scalars, second.Scalars)
		} else {
			assert.NotEqual(t, first.Scalars, second.Scalars, does)
		}
	}
}
