package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/demo"
)

// programs is the folder of the built programs.
var programs string

func TestMain(m *testing.M) {
	folder, err := os.MkdirTemp("", "ropebench-test-")
	if err == nil {
		programs = folder
		err = build("ropebench", ".")
	}
	if err == nil {
		err = build("zipsim", "../../demo/zipsim")
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(folder)
	os.Exit(code)
}

func build(name, source string) error {
	command := exec.Command("go", "build", "-o", filepath.Join(programs, name), source)
	command.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := command.CombinedOutput()
	if err != nil {
		return fmt.Errorf("build %s: %w: %s", name, err, out)
	}
	return nil
}

// A desk is a home of one user: a data folder and a bench.
type desk struct {
	t    *testing.T
	data string
	file string
}

func newDesk(t *testing.T) desk {
	folder := t.TempDir()
	file, err := demo.Write(filepath.Join(folder, "zipline"))
	require.NoError(t, err)
	d := desk{t: t, data: filepath.Join(folder, "data"), file: file}
	t.Cleanup(d.waitUntilGone)
	return d
}

// waitUntilGone waits for a companion to end, so that its folder can be removed.
func (d desk) waitUntilGone() {
	require.Eventually(d.t, func() bool {
		_, err := os.Stat(filepath.Join(d.data, "service.json"))
		return err != nil
	}, time.Minute, 20*time.Millisecond, "the companion is still there")
}

func (d desk) command(args ...string) *exec.Cmd {
	command := exec.Command(filepath.Join(programs, "ropebench"), append(args, "--data", d.data)...)
	command.Env = append(os.Environ(), "TERM=dumb")
	return command
}

// run runs one command line to its end.
func (d desk) run(args ...string) (code int, stdout, stderr string) {
	command := d.command(args...)
	var out, err bytes.Buffer
	command.Stdout, command.Stderr = &out, &err
	failed := command.Run()
	if _, isExit := failed.(*exec.ExitError); failed != nil && !isExit {
		require.NoError(d.t, failed)
	}
	return command.ProcessState.ExitCode(), out.String(), err.String()
}

func (d desk) write(name, text string) string {
	file := filepath.Join(filepath.Dir(d.file), name)
	require.NoError(d.t, os.WriteFile(file, []byte(text), 0o644))
	return file
}

// result is what `run --json` prints.
type result struct {
	Run                                             json.Number
	Study, State, Reason                            string
	Revision, Evaluations, Reused, Failed, NotTried int
	Seed                                            uint64
	Best                                            *struct {
		Evaluation int
		Inputs     map[string]any
		Values     map[string]float64
		Feasible   bool
	}
}

// inputs are those of the best design.
func (r result) inputs(t *testing.T) map[string]any {
	require.NotNil(t, r.Best, r.Reason)
	return r.Best.Inputs
}

func (d desk) result(args ...string) result {
	code, out, stderr := d.run(append(args, "--json")...)
	require.Contains(d.t, []int{0, 3, 4}, code, stderr)
	var r result
	require.NoError(d.t, json.Unmarshal([]byte(out), &r), out)
	return r
}

func TestTheDemoMeetsEveryRequirement(t *testing.T) {
	t.Parallel()
	command := exec.Command(filepath.Join(programs, "ropebench"), "demo", "--once")
	command.Env = append(os.Environ(), "TERM=dumb", "TMPDIR="+t.TempDir())
	out, err := command.CombinedOutput()
	require.NoError(t, err, string(out))
	for _, words := range []string{"3 requirements missed", "that make cost (EUR) least, such that", "evaluated afresh once", "Before:", "After:", "● every requirement is met", "cheapest is evaluation ", "Every requirement is met in "} {
		assert.Contains(t, string(out), words)
	}
	_, path, said := strings.Cut(string(out), "The report is ")
	require.True(t, said, "it ends with its report")
	page, err := os.ReadFile(strings.TrimSpace(path))
	require.NoError(t, err)
	for _, words := range []string{"Zip-line arrest brake: cheapest", "Shown to meet all 4 requirements.", "Under scatter all are met with a probability of", "The search of run"} {
		assert.True(t, strings.Contains(string(page), words), words)
	}
	assert.Less(t, len(page), 3<<20)
}

func TestCheckStatesTheProblemOrEveryMistake(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	code, out, _ := d.run("check", d.file)
	assert.Zero(t, code)
	assert.Contains(t, out, "is valid: 9 inputs, 6 of them varied")
	assert.Contains(t, out, "R2     gap is at least 1.5 m")
	text, err := os.ReadFile(d.file)
	require.NoError(t, err)
	bad := d.write("bad.bench.yaml", strings.NewReplacer("range: [1, 6]", "range: [6, 1]", "of: rollback", "of: rolback").Replace(string(text)))
	code, _, stderr := d.run("check", bad)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "bad.bench.yaml:9: springs: the range [6, 1] is upside down: write [1, 6]")
	code, out, _ = d.run("check", bad, "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, `"valid": false`)
	_, err = os.Stat(d.data)
	assert.ErrorIs(t, err, os.ErrNotExist, "check needs no service")
}

func TestTryShowsOutputsAndVerdicts(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	code, out, _ := d.run("try", d.file)
	assert.Equal(t, 3, code, "the nominal design misses requirements")
	assert.Contains(t, out, "3 requirements missed")
	assert.Contains(t, out, "Distance left to the platform")
	code, out, stderr := d.run("try", d.file, "--set", "spring_rate=0.4", "--set", "springs=1", "--set", "pad_force=0")
	assert.Equal(t, 4, code)
	assert.Contains(t, out, "What the solver left:\n  zipsim: the springs go solid")
	assert.Contains(t, stderr, "zipsim ended with exit code 3: zipsim: the springs go solid")
	code, _, stderr = d.run("try", d.file, "--set", "spring_rat=1")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "did you mean spring_rate?")
	code, out, _ = d.run("try", d.file, "--set", "spring_rate=9")
	assert.Contains(t, out, "! spring_rate is outside of its range")
	assert.NotZero(t, code)
}

func TestTheWorkingFolderCanBeKept(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	keep := filepath.Join(t.TempDir(), "kept")
	code, out, _ := d.run("try", d.file, "--keep", keep)
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "The files of the working folder are in "+keep)
	for _, name := range []string{"brake.deck", "result.json", "trace.csv", "run.log"} {
		assert.FileExists(t, filepath.Join(keep, name))
	}
	deck, err := os.ReadFile(filepath.Join(keep, "brake.deck"))
	require.NoError(t, err)
	assert.Contains(t, string(deck), "spring rate    = 1.20000     ! kN/m")
	code, _, stderr := d.run("try", d.file, "--keep", keep)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "is not empty")
}

func TestStudiesFromTheTerminal(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	look := d.result("run", d.file, "look", "--evaluations", "12", "--seed", "5")
	assert.Equal(t, []any{"finished", 12, uint64(5)}, []any{look.State, look.Evaluations, look.Seed})
	best := d.result("run", d.file, "best", "--evaluations", "60", "--hold", "springs=2")
	assert.Equal(t, 2.0, best.Best.Inputs["springs"])
	code, out, _ := d.run("table", look.Run.String(), "--csv")
	assert.Zero(t, code)
	assert.Equal(t, 13, strings.Count(out, "\n"))
	_, out, _ = d.run("table", best.Run.String(), "--sort", "-cost", "--only", "ok", "--limit", "3")
	assert.Contains(t, out, "There are more: raise --limit")
	_, out, _ = d.run("runs")
	assert.Contains(t, out, "best, springs held")
	code, out, _ = d.run("verify", best.Run.String(), "--repeats", "2")
	assert.Contains(t, out, "the candidate was evaluated afresh 2 times")
	assert.Contains(t, []int{0, 3}, code)
	code, out, _ = d.run("show", best.Run.String())
	assert.Zero(t, code)
	assert.Contains(t, out, "R1 Riders feel no more than 2.5 g")
	assert.NotContains(t, out, "The bench has changed since")
	text, err := os.ReadFile(d.file)
	require.NoError(t, err)
	d.write("zipline.bench.yaml", strings.Replace(string(text), "at_most: 2.5", "at_most: 2.4", 1))
	_, out, _ = d.run("show", best.Run.String())
	assert.Contains(t, out, "The bench has changed since, and is at revision 2:\n  R1: peak_g is at most 2.5 g")
	_, out, _ = d.run("diff", "zipline", "1", "2")
	assert.True(t, strings.HasPrefix(out, "R1: peak_g is at most 2.5 g"), out)
	code, _, stderr := d.run("diff", "zipline", "1", "9")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "there is no revision 9 of bench zipline")
}

func TestADesignIsAdopted(t *testing.T) {
	d := newDesk(t)
	file := d.write("box.bench.yaml", "bench: 1\ninputs: {a: {nominal: 2, range: [1, 4]}, b: {nominal: 3}} # metres\nsolver: {formulas: {area: a*b}}\nstudies: {small: {kind: optimize, minimize: area}}\n")
	require.NotNil(t, d.result("run", file, "small", "--hold", "b=1.25").Best)
	code, said, _ := d.run("adopt", "1")
	assert.Equal(t, 0, code)
	assert.Contains(t, said, "a: nominal 2 -> 1\nb: nominal 3 -> 1.25\nNothing is written yet")
	code, said, _ = d.run("adopt", "1", "--write")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `The model gives what evaluation \d+ of run 1 promised`, said)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "inputs: {a: {nominal: 1, range: [1, 4]}, b: {nominal: 1.25}} # metres\n")
	_, said, _ = d.run("adopt", "1")
	assert.Contains(t, said, "is the nominal design already")
}

func TestExitCodes(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	broken := d.write("broken.bench.yaml", "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver: {steps: [{run: [sh, -c, \"echo no licence >&2; exit 9\"]}]}\noutputs: {b: {file: c, pointer: /d}}\nstudies: {best: {kind: optimize, minimize: b, budget: {evaluations: 6}}}\n")
	hard := d.write("hard.bench.yaml", "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver: {formulas: {b: a*2}}\nrequirements: {R1: {of: b, at_least: 9}}\nstudies: {best: {kind: optimize, minimize: b, budget: {evaluations: 20}}}\n")
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{0, "", []string{"version"}},
		{2, "unknown command", []string{"frobnicate"}},
		{2, "unknown flag", []string{"runs", "--frob"}},
		{2, "ropebench run FILE STUDY", []string{"run", d.file}},
		{2, "name=value", []string{"try", d.file, "--set", "springs"}},
		{2, "a run is named by its number", []string{"show", "best"}},
		{2, "it has look, which, best, gentle", []string{"run", d.file, "bets"}},
		{1, "there is no run 77", []string{"show", "77"}},
		{1, "there is no file", []string{"run", "/nowhere/a.bench.yaml", "best"}},
		{1, "its name must end in .bench.yaml", []string{"run", "/nowhere/a.yaml", "best"}},
		{3, "does not meet every requirement", []string{"run", hard, "best"}},
		{4, "no licence", []string{"run", broken, "best"}},
	} {
		code, _, stderr := d.run(c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, stderr)
		assert.Contains(t, stderr, c.says, "%v", c.args)
	}
	code, out, _ := d.run("completion", "bash")
	assert.Zero(t, code)
	assert.Contains(t, out, "ropebench")
}

func TestSameNameFromAnotherFolderIsRefused(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.run("try", d.file)
	other, err := demo.Write(filepath.Join(t.TempDir(), "copy"))
	require.NoError(t, err)
	code, _, stderr := d.run("try", other)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "--name")
	code, _, _ = d.run("try", other, "--name", "second")
	assert.Equal(t, 3, code)
}

// serve starts a service of its own, in a process that can be killed.
func (d desk) serve() *exec.Cmd {
	command := d.command("serve")
	require.NoError(d.t, command.Start())
	require.Eventually(d.t, func() bool {
		_, err := os.Stat(filepath.Join(d.data, "service.json"))
		return err == nil
	}, time.Minute, 5*time.Millisecond)
	return command
}

func TestKilledServiceLosesNothing(t *testing.T) {
	t.Parallel()
	undisturbed := newDesk(t)
	want := undisturbed.result("run", undisturbed.file, "best", "--evaluations", "150")

	d := newDesk(t)
	text, err := os.ReadFile(d.file)
	require.NoError(t, err)
	calls := filepath.Join(t.TempDir(), "calls")
	d.write("zipline.bench.yaml", strings.Replace(string(text), "run: [zipsim, brake.deck]", "run: [sh, -c, 'echo call >> "+calls+"; exec zipsim brake.deck']", 1))
	service := d.serve()
	running := d.command("run", d.file, "best", "--evaluations", "150")
	require.NoError(t, running.Start())
	require.Eventually(t, func() bool { return lines(calls) >= 40 }, time.Minute, 2*time.Millisecond)
	require.NoError(t, service.Process.Signal(syscall.SIGKILL))
	_ = service.Wait() // it was killed
	assert.Error(t, running.Wait(), "the command says that the service is gone")
	require.NoError(t, os.Remove(filepath.Join(d.data, "service.json")))

	_, out, _ := d.run("runs")
	assert.Contains(t, out, "paused")
	_, out, _ = d.run("table", "1", "--csv")
	kept := strings.Count(out, "\n") - 1
	before := lines(calls)
	assert.GreaterOrEqual(t, kept, 30, "all but those that were on their way")
	got := d.result("resume", "1")
	assert.Equal(t, want.Best, got.Best, "the same best design as an undisturbed run")
	assert.Equal(t, want.Evaluations, got.Evaluations)
	assert.Equal(t, 150-kept, lines(calls)-before, "no finished evaluation is made again")
}

func lines(file string) int {
	text, err := os.ReadFile(file)
	if err != nil {
		return 0
	}
	return bytes.Count(text, []byte("\n"))
}

func TestSlotsDoNotChangeTheResult(t *testing.T) {
	t.Parallel()
	var results []result
	for _, slots := range []string{"1", "4"} {
		d := newDesk(t)
		command := d.command("serve", "--slots", slots)
		require.NoError(t, command.Start())
		require.Eventually(t, func() bool {
			_, err := os.Stat(filepath.Join(d.data, "service.json"))
			return err == nil
		}, time.Minute, 5*time.Millisecond)
		results = append(results, d.result("run", d.file, "best", "--evaluations", "60"))
		require.NoError(t, command.Process.Signal(os.Interrupt))
		require.NoError(t, command.Wait(), "Ctrl-C ends the service well")
	}
	assert.Equal(t, results[0], results[1])
}

func TestInterruptedCommandPausesItsRun(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	calls := filepath.Join(t.TempDir(), "calls")
	slow := d.write("slow.bench.yaml", "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver: {steps: [{run: [sh, -c, \"echo call >> "+calls+"; sleep 0.107; echo V @[a] > out\"]}]}\noutputs: {b: {file: out, match: 'V (\\S+)'}}\nstudies: {best: {kind: optimize, minimize: b, budget: {evaluations: 500}}}\n")
	running := d.command("run", slow, "best")
	var out bytes.Buffer
	running.Stdout = &out
	require.NoError(t, running.Start())
	require.Eventually(t, func() bool { return lines(calls) >= 3 }, time.Minute, 2*time.Millisecond)
	require.NoError(t, running.Process.Signal(os.Interrupt))
	require.Error(t, running.Wait())
	assert.Contains(t, out.String(), "Go on with `ropebench resume 1`")
	d.waitUntilGone()
	_, listed, _ := d.run("runs")
	assert.Contains(t, listed, "paused")
	assert.Empty(t, left(t, "sleep 0.107"), "no solver is left behind")
}

// left lists processes whose command line contains words.
func left(t *testing.T, words string) (pids []int) {
	files, err := filepath.Glob("/proc/[0-9]*/cmdline")
	require.NoError(t, err)
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err == nil && strings.Contains(strings.ReplaceAll(string(text), "\x00", " "), words) {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(file)))
			pids = append(pids, pid)
		}
	}
	return pids
}

func TestLockedAndFullDataFoldersAreSaidInOneSentence(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	service := d.serve()
	code, _, stderr := d.run("serve")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "belongs to a running service (process "+strconv.Itoa(service.Process.Pid))
	assert.Equal(t, 1, strings.Count(stderr, "\n"))
	require.NoError(t, service.Process.Signal(os.Interrupt))
	require.NoError(t, service.Wait())
	code, _, stderr = desk{t: t, data: "/proc/none", file: d.file}.run("runs")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "give another with --data")
}

func TestMachineOutputIsOnStdoutAlone(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, args := range [][]string{{"run", d.file, "look"}, {"try", d.file}, {"show", "1"}, {"table", "1"}, {"runs"}, {"verify", "1", "--evaluation", "2"}, {"version"}, {"check", d.file}, {"diff", "zipline", "1", "1"},
		{"deck", filepath.Join(filepath.Dir(d.file), "brake.deck")}} {
		_, out, _ := d.run(append(args, "--json")...)
		var value any
		assert.NoError(t, json.Unmarshal([]byte(out), &value), "%v: %s", args, out)
	}
}

func TestARunIsWatchedPausedAndStoppedFromOtherTerminals(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	text, err := os.ReadFile(d.file)
	require.NoError(t, err)
	slow := d.write("slow.bench.yaml", strings.Replace(string(text), "run: [zipsim, brake.deck]", "run: [zipsim, -slow=40ms, brake.deck]", 1))
	service := d.serve()
	running := d.command("run", slow, "best")
	var out bytes.Buffer
	running.Stdout = &out
	require.NoError(t, running.Start())
	listed := func() string { _, text, _ := d.run("runs"); return text }
	require.Eventually(t, func() bool { return strings.Contains(listed(), "running") }, time.Minute, 50*time.Millisecond)
	watching := d.command("follow", "1")
	require.NoError(t, watching.Start())
	_, paused, _ := d.run("pause", "1")
	assert.Contains(t, paused, "by hand; resume it to go on")
	assert.Contains(t, paused, "`ropebench run slow.bench.yaml best --start 1`")
	_ = running.Wait() // 0 or 3: the best so far may miss requirements
	_ = watching.Wait()
	assert.Contains(t, out.String(), "paused")
	code, _, stderr := d.run("stop", "1")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "run 1 is paused: only a run that is at work can be paused or stopped")
	d.write("slow.bench.yaml", strings.Replace(string(text), "run: [zipsim, brake.deck]", "run: [zipsim, -slow=41ms, brake.deck]", 1))
	resumed := d.command("resume", "1")
	var again bytes.Buffer
	resumed.Stdout = &again
	require.NoError(t, resumed.Start())
	require.Eventually(t, func() bool { return strings.Contains(listed(), "running") }, time.Minute, 50*time.Millisecond)
	_, stopped, _ := d.run("stop", "1")
	assert.Contains(t, stopped, "by hand, with the best found so far")
	_ = resumed.Wait()
	assert.Contains(t, again.String(), "goes on with revision 1 of the bench, which is at revision 2 now")
	require.NoError(t, service.Process.Signal(os.Interrupt))
	require.NoError(t, service.Wait())
}

func TestARebuiltSolverIsAnotherSolver(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	folder := t.TempDir()
	solver := filepath.Join(folder, "solver")
	write := func(factor string, built time.Time) {
		require.NoError(t, os.WriteFile(solver, []byte("#!/bin/sh\nsleep 0.02\nawk -v x=$1 'BEGIN{print \"V\", "+factor+"*x}' > out\n"), 0o755))
		require.NoError(t, os.Chtimes(solver, built, built))
	}
	write("2", time.Now().Add(-time.Hour))
	file := d.write("rebuilt.bench.yaml", "bench: 1\ninputs: {a: {nominal: 1, range: [1, 2]}}\nsolver: {steps: [{run: ["+solver+", \"@[a]\"]}]}\noutputs: {b: {file: out, match: 'V (\\S+)'}}\nstudies: {best: {kind: optimize, minimize: b, budget: {evaluations: 30}}}\n")
	first := d.result("run", file, "best")
	again := d.result("run", file, "best")
	assert.Equal(t, first.Evaluations, again.Reused)
	write("8", time.Now().Add(-time.Minute)) // as long as the old one
	rebuilt := d.result("run", file, "best")
	assert.Zero(t, rebuilt.Reused, "nothing of the old program is believed")
	assert.InDelta(t, 4*first.Best.Values["b"], rebuilt.Best.Values["b"], 0.01)
}

func TestCommandsThatBeginAtOnceShareOneService(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	var running []*exec.Cmd
	for range 5 {
		command := d.command("run", d.file, "look", "--evaluations", "6")
		require.NoError(t, command.Start())
		running = append(running, command)
	}
	for _, command := range running {
		assert.NoError(t, command.Wait())
	}
	_, out, _ := d.run("runs", "--json")
	var runs []struct{ State string }
	require.NoError(t, json.Unmarshal([]byte(out), &runs))
	require.Len(t, runs, 5)
	for _, run := range runs {
		assert.Equal(t, "finished", run.State)
	}
}

// A command that comes while a service is just ending waits for its folder.
func TestACommandWaitsForAServiceThatIsEnding(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	require.NoError(t, os.MkdirAll(d.data, 0o700))
	lock, err := api.Own(d.data)
	require.NoError(t, err)
	command := d.command("runs")
	var said bytes.Buffer
	command.Stderr = &said
	require.NoError(t, command.Start())
	require.Eventually(t, func() bool {
		log, err := os.ReadFile(filepath.Join(d.data, "service.log"))
		return err == nil && bytes.Contains(log, []byte("belongs to a running service"))
	}, time.Minute, time.Millisecond)
	require.NoError(t, lock.Close())
	assert.NoError(t, command.Wait(), said.String())
}

// kills is how often the service is killed within one run: 20 times in every test, and as often as ROPEBENCH_KILLS says in a soak.
func kills(t *testing.T) int {
	text, asked := os.LookupEnv("ROPEBENCH_KILLS")
	if !asked {
		return 20
	}
	n, err := strconv.Atoi(text)
	require.NoError(t, err, "ROPEBENCH_KILLS")
	return n
}

func TestAServiceThatIsKilledAgainAndAgainLosesNothing(t *testing.T) {
	t.Parallel()
	n := kills(t)
	evaluations := strconv.Itoa(10 * n)
	undisturbed := newDesk(t)
	want := undisturbed.result("run", undisturbed.file, "best", "--evaluations", evaluations)

	d := newDesk(t)
	text, err := os.ReadFile(d.file)
	require.NoError(t, err)
	calls := filepath.Join(t.TempDir(), "calls")
	d.write("zipline.bench.yaml", strings.Replace(string(text), "run: [zipsim, brake.deck]", "run: [sh, -c, 'echo call >> "+calls+"; exec zipsim brake.deck']", 1))
	r := rand.New(rand.NewPCG(uint64(n), 1))
	kept := 0
	for i := range n {
		service := d.serve()
		running := d.command("resume", "1")
		if i == 0 {
			running = d.command("run", d.file, "best", "--evaluations", evaluations)
		}
		require.NoError(t, running.Start())
		target := lines(calls) + 2 + r.IntN(7)
		require.Eventually(t, func() bool { return lines(calls) >= target }, time.Minute, time.Duration(1+r.IntN(4))*time.Millisecond)
		require.NoError(t, service.Process.Signal(syscall.SIGKILL))
		_ = service.Wait() // it was killed
		assert.Error(t, running.Wait(), "the command says that the service is gone")
		require.NoError(t, os.Remove(filepath.Join(d.data, "service.json")))
		if i%5 != 4 && i != n-1 {
			continue
		}
		_, out, stderr := d.run("table", "1", "--csv")
		now := strings.Count(out, "\n") - 1
		require.GreaterOrEqual(t, now, kept, "kill %d: %s", i+1, stderr)
		kept = now
		d.waitUntilGone()
	}
	before := lines(calls)
	got := d.result("resume", "1")
	assert.Equal(t, want.Best, got.Best, "the same best design as an undisturbed run")
	assert.Equal(t, want.Evaluations, got.Evaluations)
	assert.Equal(t, got.Evaluations-kept, lines(calls)-before, "no finished evaluation is made again")
}
