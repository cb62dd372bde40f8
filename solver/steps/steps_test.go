package steps

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/solver"
)

func TestMain(m *testing.M) {
	if err := AdoptOrphans(); err != nil {
		panic(err)
	}
	goleak.VerifyTestMain(m)
}

// prepared makes a solver whose one program is a shell script of the bench.
func prepared(t *testing.T, script, extra, outputs string) *Solver {
	text := fmt.Sprintf(`bench: 1
inputs: {load: {nominal: 3}, width: {nominal: 0.25}}
solver:
  files: [solve.sh]
  steps:
    - fill: {from: in.tpl, to: case/in.txt}
    - run: [./solve.sh, "-w=@[width]"]
%s
outputs:
%s
`, extra, outputs)
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{
		"a.bench.yaml": {Text: []byte(text)}, "solve.sh": {Text: []byte("#!/bin/sh\n" + script), Executable: true}, "in.tpl": {Text: []byte("load @[load:%8.2f]\n")}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	return s
}

const sagFromJSON = "  sag: {file: out.json, pointer: /sag}"

var values = func(name string) bench.Value { return bench.Number(map[string]float64{"load": 3, "width": 0.25}[name]) }

func solve(t *testing.T, s *Solver) (solver.Outputs, error) {
	return once(t.Context(), s, solver.Job{ID: "test-" + strings.ReplaceAll(t.Name(), "/", "-"), Folder: t.TempDir(), Lookup: values})
}

func TestFillsRunsAndReads(t *testing.T) {
	s := prepared(t, `read name load < case/in.txt
echo "THE SAG IS $load MM, WIDTH $1"
echo "THE SAG IS 1.5D+01 MM, LATER"
echo '{"sag": [{"value": 7.5}], "free": "'$FREE'", "token": "'$ROPEBENCH_TOKEN'"}' > out.json
printf '# made by solve\ntime;force\n0;1\n0.5;2.5\n1;-3\n' > trace.csv
printf ' 1  10\n 2  20\n' > plain.txt
exit 3`, "      accept: [0, 3]\n      stdout: run.log\n      env: {FREE: \"yes\"}",
		`  sag: {file: out.json, pointer: /sag/0/value}
  begin: {file: run.log, match: 'SAG IS\s+(\S+)', which: first}
  end: {file: run.log, match: 'SAG IS\s+(\S+)'}
  force: {file: trace.csv, curve: {x: time, y: force}}
  plain: {file: plain.txt, curve: {x: "1", y: "2"}}`)
	t.Setenv("ROPEBENCH_TOKEN", "secret")
	out, err := solve(t, s)
	require.NoError(t, err)
	assert.Equal(t, []float64{3, 15, 7.5}, out.Scalars, "by name: begin, end, sag")
	assert.Equal(t, []float64{1, 2.5, -3}, out.Curves[0].Y)
	assert.Equal(t, []float64{10, 20}, out.Curves[1].Y)
	assert.Equal(t, []string{"fill case/in.txt", "run ./solve.sh"}, []string{out.Steps[0].Name, out.Steps[1].Name})
	assert.Equal(t, []string{"    3.00", "0.25"}, s.written(values))
}

func TestTheEnvironmentTakesBlanks(t *testing.T) {
	t.Parallel()
	s := prepared(t, `echo "{\"sag\": $LOAD}" > out.json`, "      env: {LOAD: \"@[load]\", PLAIN: \"yes\"}", sagFromJSON)
	out, err := solve(t, s)
	require.NoError(t, err)
	assert.Equal(t, []float64{3}, out.Scalars)
	assert.Equal(t, []string{"    3.00", "0.25", "3"}, s.written(values), "it is a part of the question")
}

func TestASignalSaysMoreThanAnEarlierComplaint(t *testing.T) {
	t.Parallel()
	s := prepared(t, "echo 'File xa not found'; echo 'iteration 3'; kill -FPE $$", "", sagFromJSON)
	_, err := solve(t, s)
	assert.ErrorContains(t, err, "after: iteration 3")
	assert.NotContains(t, err.Error(), "not found")
}

func TestTheServicesVariablesAreNotPassedOn(t *testing.T) {
	t.Setenv("ROPEBENCH_DATA", "/secret")
	t.Setenv("SOME_TOKEN", "secret")
	s := prepared(t, `env | grep -c secret > count.txt; echo "{\"sag\": $(cat count.txt)}" > out.json`, "", sagFromJSON)
	out, err := solve(t, s)
	require.NoError(t, err)
	assert.Equal(t, []float64{0}, out.Scalars)
}

func TestSolversThatMisbehave(t *testing.T) {
	t.Parallel()
	ok := "echo '{\"sag\": 1}' > out.json\n"
	for name, c := range map[string]struct {
		script, extra, outputs string
		state                  core.State
		reason                 string
	}{
		"exit code":             {"echo no licence >&2; exit 7", "", sagFromJSON, core.Failed, "./solve.sh ended with exit code 7: no licence"},
		"signal":                {"kill -SEGV $$", "", sagFromJSON, core.Failed, "segmentation fault"},
		"hangs":                 {"sleep 60", "      limit: 200ms", sagFromJSON, core.TimedOut, "did not end within its limit of 200ms"},
		"hangs with a child":    {"sleep 60 & wait", "      limit: 200ms", sagFromJSON, core.TimedOut, "did not end"},
		"child in its session":  {"setsid sleep 60 & wait", "      limit: 200ms", sagFromJSON, core.TimedOut, "did not end"},
		"leaves a child":        {ok + "sleep 60 >/dev/null 2>&1 &", "", sagFromJSON, core.Failed, "still at work (sleep)"},
		"leaves a stranger":     {ok + "setsid env -i sleep 60 >/dev/null 2>&1 &\nsleep 0.05", "", sagFromJSON, core.Failed, "still at work (sleep)"},
		"hides its mark":        {ok + "setsid sleep 60 >/dev/null 2>&1 &\nsleep 0.05", "      env: {ROPEBENCH_EVALUATION: x}", sagFromJSON, core.Failed, "still at work (sleep)"},
		"leaves a hidden child": {ok + "setsid sleep 60 >/dev/null 2>&1 &\nsleep 0.05", "", sagFromJSON, core.Failed, "still at work (sleep)"},
		"writes nothing":        {"exit 0", "", sagFromJSON, core.Failed, "output sag: the steps wrote no file out.json"},
		"writes no JSON":        {"echo '{\"sag\": NaN}' > out.json", "", sagFromJSON, core.Failed, "out.json is not JSON"},
		"text for a number":     {"echo '{\"sag\": \"big\"}' > out.json", "", sagFromJSON, core.Failed, `stands "big" where a number was due`},
		"nothing there":         {"echo '{\"other\": 1}' > out.json", "", sagFromJSON, core.Failed, "out.json has nothing at /sag"},
		"number too large":      {"echo '{\"sag\": 1e999}' > out.json", "", sagFromJSON, core.Failed, "sag"},
		"NaN in a log":          {"echo 'SAG NaN' > log", "", "  sag: {file: log, match: 'SAG (\\S+)'}", core.Failed, "in log it is NaN, not a finite number"},
		"infinity in a log":     {"echo 'SAG inf' > log", "", "  sag: {file: log, match: 'SAG (\\S+)'}", core.Failed, "it is +Inf"},
		"text in a log":         {"echo 'SAG ****' > log", "", "  sag: {file: log, match: 'SAG (\\S+)'}", core.Failed, `stands "****" where a number was due`},
		"no match":              {"echo hello > log", "", "  sag: {file: log, match: 'SAG (\\S+)'}", core.Failed, "no line of log matches"},
		"too few matches":       {"echo SAG 1 > log", "", "  sag: {file: log, match: 'SAG (\\S+)', which: 3}", core.Failed, "only 1 times; match 3 was asked for"},
		"column missing":        {"printf 'a,b\\n1,2\\n' > t", "", "  sag: {file: t, curve: {x: a, y: c}}", core.Failed, `t has no column "c"; it has a, b`},
		"row too short":         {"printf 'a,b\\n1,2\\n1\\n' > t", "", "  sag: {file: t, curve: {x: a, y: b}}", core.Failed, "line 3 of t: the row has 1 cells (1)"},
		"NaN in a curve":        {"printf 'a,b\\n1,nan\\n' > t", "", "  sag: {file: t, curve: {x: a, y: b}}", core.Failed, "value 1 is NaN"},
		"empty curve":           {"printf 'a,b\\n' > t", "", "  sag: {file: t, curve: {x: a, y: b}}", core.Failed, "it has no values"},
		"result is a link":      {"ln -s /etc/hostname out.json", "", sagFromJSON, core.Failed, "out.json cannot be read"},
		"result is a pipe":      {"mkfifo out.json", "", sagFromJSON, core.Failed, "is not a plain file"},
		"result is a folder":    {"mkdir out.json", "", sagFromJSON, core.Failed, "is not a plain file"},
		"prints without end":    {"yes 0123456789012345678901234567890123456789 | head -c 200000000", "", sagFromJSON, core.Failed, "printed more than 128 MB"},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			_, err := once(t.Context(), prepared(t, c.script, c.extra, c.outputs), solver.Job{ID: "test-" + strings.ReplaceAll(t.Name(), "/", "-"), Folder: folder, Lookup: values})
			failure := requireFailure(t, err)
			assert.Equal(t, c.state, failure.State)
			assert.Contains(t, failure.Reason, c.reason)
			assert.Empty(t, matching(func(left trace) bool {
				return left.id == "test-"+strings.ReplaceAll(t.Name(), "/", "-") || within(left.folder, folder)
			}), "nothing is left behind")
		})
	}
}

func TestCancelledSolversAreEnded(t *testing.T) {
	t.Parallel()
	s := prepared(t, "sleep 60 & setsid sleep 60 & wait", "", sagFromJSON)
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err := once(ctx, s, solver.Job{ID: "test-cancel", Folder: t.TempDir(), Lookup: values})
	failure := requireFailure(t, err)
	assert.Equal(t, core.Cancelled, failure.State)
	assert.Empty(t, matching(func(left trace) bool { return left.id == "test-cancel" }))
}

// A child that gives up its environment, its session and its folder is ended at the latest with the last program that may have
// left it.
func TestNoChildGetsAway(t *testing.T) {
	t.Parallel()
	name := filepath.Join(t.TempDir(), "stranger")
	require.NoError(t, os.Symlink("/bin/sleep", name))
	s := prepared(t, "cd / && setsid env -i "+name+" 61 >/dev/null 2>&1 &\nsleep 0.05; echo '{\"sag\": 1}' > out.json", "", sagFromJSON)
	var group sync.WaitGroup
	for i := range 3 {
		group.Go(func() {
			_, _ = once(t.Context(), s, solver.Job{ID: fmt.Sprintf("stranger-%d", i), Folder: t.TempDir(), Lookup: values}) // whose child it is said to be is open
		})
	}
	group.Wait()
	strangers := func() (found int) {
		lines, err := filepath.Glob("/proc/[0-9]*/cmdline")
		require.NoError(t, err)
		for _, line := range lines {
			if text, err := os.ReadFile(line); err == nil && strings.Contains(string(text), name) {
				found++
			}
		}
		return found
	}
	quiet := prepared(t, "exit 1", "", sagFromJSON)
	require.Eventually(t, func() bool { // other tests have programs at work that may have left it: the next one that ends looks again
		_, _ = once(t.Context(), quiet, solver.Job{ID: "stranger-quiet", Folder: t.TempDir(), Lookup: values})
		return strangers() == 0
	}, time.Minute, 10*time.Millisecond)
}

func TestMissingProgramIsNamed(t *testing.T) {
	t.Parallel()
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte("bench: 1\ninputs: {a: {nominal: 1}}\nsolver: {steps: [{run: [no-such-solver]}]}\noutputs: {b: {file: c, pointer: /d}}\n")}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	_, err = solve(t, s)
	assert.ErrorContains(t, err, "the program no-such-solver is not found on the PATH: install it")
	assert.False(t, errors.Is(err, context.Canceled))
}

func FuzzReadTable(f *testing.F) {
	f.Add("a,b\n1,2\n")
	f.Add("# c\n1 2\n\n3 4")
	f.Fuzz(func(t *testing.T, text string) {
		folder := t.TempDir()
		require.NoError(t, os.WriteFile(folder+"/t", []byte(text), 0o600))
		for _, out := range []bench.Output{{Name: "c", File: "t", Curve: &bench.Curve{X: "a", Y: "b"}}, {Name: "c", File: "t", Curve: &bench.Curve{X: "1", Y: "2"}}, {Name: "p", File: "t", Pointer: "/a"}} {
			r, err := newReader([]bench.Output{out}, nil)
			require.NoError(t, err)
			var failure *solver.Failure
			if _, err := r.read(folder, nil, setBooks{}); err != nil && !errors.As(err, &failure) {
				t.Fatal(err)
			}
		}
	})
}

// What else this process has started is not taken for something that a step has left, and its end is for those who wait for it.
func TestOtherChildrenAreLeftAlone(t *testing.T) {
	t.Parallel()
	other := exec.Command("sleep", "0.2")
	other.Dir = t.TempDir()
	quiet := prepared(t, "sleep 0.05; exit 1", "", sagFromJSON)
	require.NoError(t, other.Start())
	for range 10 {
		_, _ = once(t.Context(), quiet, solver.Job{ID: "other-quiet", Folder: t.TempDir(), Lookup: values})
	}
	assert.NoError(t, other.Wait())
}

// What a killed service left running is found by its mark, and by where it works if it has given that up.
func TestWhatAKilledServiceLeftIsEnded(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	left := func(name, work string, environment ...string) *exec.Cmd {
		require.NoError(t, os.Symlink("/bin/sleep", filepath.Join(folder, name)))
		command := exec.Command(filepath.Join(folder, name), "62")
		command.Dir, command.Env = work, append(environment, "A=b")
		_, err := startAsOwn(command, "nobody")
		require.NoError(t, err)
		t.Cleanup(func() { disown(command.Process.Pid) })
		return command
	}
	elsewhere := t.TempDir()
	marked, works, stranger := left("marked", elsewhere, idVariable+"=sweep-3"), left("works", folder), left("stranger", elsewhere, idVariable+"=other-3")
	assert.Equal(t, 2, Sweep("sweep-", folder))
	assert.ErrorContains(t, marked.Wait(), "killed")
	assert.ErrorContains(t, works.Wait(), "killed")
	require.NoError(t, stranger.Process.Kill())
	assert.Error(t, stranger.Wait())
}

// once makes one evaluation in a session of its own.
func once(ctx context.Context, s *Solver, job solver.Job) (solver.Outputs, error) {
	session, err := s.Open(ctx, solver.Worker{Folder: job.Folder + "-session"})
	if err != nil {
		return solver.Outputs{}, err
	}
	out, err := session.Solve(ctx, job)
	return out, errors.Join(err, session.Close())
}
