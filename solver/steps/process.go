package steps

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/solver"
)

const (
	maxPrinted = 128 << 20              // bytes that a step may print to stdout and stderr each
	tailSize   = 4 << 10                // bytes of the end that are kept for messages
	pipeGrace  = 500 * time.Millisecond // for the output to be read after the program has ended
	childGrace = 300 * time.Millisecond // for children to end after the program has ended
	killGrace  = 5 * time.Second        // for killed children to be gone; one that waits for a broken disk is left
)

// A process is one program started for one evaluation.
type process struct {
	args   []string
	run    *bench.Run
	folder string
	path   string // PATH
	id     string
	began  uint64 // once it is started, as a trace has it
	pid    int
}

// start runs the program to its end and makes sure that nothing of it is left. It returns a *solver.Failure where
// the program did not end well.
func (p *process) start(ctx context.Context) error {
	limited, cancel := context.WithTimeout(ctx, p.run.Limit)
	defer cancel()
	program, err := programOf(p.args[0], p.folder, p.path)
	if err != nil {
		return solver.Failed("%s", err)
	}
	command := exec.CommandContext(limited, program, p.args[1:]...)
	command.Dir = p.folder
	command.Env = environmentOf(p.path, p.run.Env, p.id)
	command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	command.Cancel = func() error { return killGroup(command.Process.Pid) }
	command.WaitDelay = pipeGrace
	var flooded atomic.Bool
	output := &tail{flood: func() { flooded.Store(true); cancel() }}
	messages := &tail{flood: output.flood}
	command.Stdout, command.Stderr = output, messages
	closeFiles, err := p.redirect(command, output)
	if err != nil {
		return err
	}
	defer closeFiles()
	started, waitErr := startAsOwn(command, p.id)
	if p.began = started.began; waitErr == nil {
		p.pid, waitErr = command.Process.Pid, command.Wait()
		ending(p.pid)
		defer disown(p.pid) // not before it is looked who was left behind: another step would claim them
	}
	left := p.endChildren(command)
	switch {
	case ctx.Err() != nil:
		return &solver.Failure{State: core.Cancelled, Reason: "cancelled while the solver was at work"}
	case flooded.Load():
		waitErr = fmt.Errorf("%s printed more than %d MB and was ended: print less, or write results to files", p.args[0], maxPrinted>>20)
	case limited.Err() != nil:
		return &solver.Failure{State: core.TimedOut, Tail: joined(messages, output),
			Reason: fmt.Sprintf("%s did not end within its limit of %s and was ended with all its children", p.args[0], p.run.Limit)}
	}
	said := joined(messages, output)
	if reason := p.verdict(command, waitErr, left, said); reason != "" {
		return &solver.Failure{State: core.Failed, Reason: reason, Tail: said}
	}
	return nil
}

// howEnded says with which exit code a program ended, or by which signal.
func howEnded(state *os.ProcessState) string {
	if status, _ := state.Sys().(syscall.WaitStatus); status.Signaled() {
		return fmt.Sprintf("was ended by the signal %q", status.Signal())
	}
	return fmt.Sprintf("ended with exit code %d", state.ExitCode())
}

// verdict says what went wrong, or "".
func (p *process) verdict(command *exec.Cmd, err error, left []string, said string) string {
	var exit *exec.ExitError
	state := command.ProcessState
	switch {
	case err == nil || errors.As(err, &exit) || errors.Is(err, exec.ErrWaitDelay):
	case state == nil:
		return fmt.Sprintf("%s could not be started: %s", p.args[0], cause(err))
	default:
		return err.Error()
	}
	switch {
	case state.ExitCode() < 0: // a signal says more than what was complained of long before
		return strings.TrimSuffix(fmt.Sprintf("%s %s, after: %s", p.args[0], howEnded(state), lastLine(said)), ", after: ")
	case !slices.Contains(p.run.Accept, state.ExitCode()):
		return strings.TrimSuffix(fmt.Sprintf("%s %s: %s", p.args[0], howEnded(state), complaint(said)), ": ")
	case len(left) > 0:
		return fmt.Sprintf("%s ended while processes that it had started were still at work (%s); they were ended, and its results may be incomplete: let the step wait for them", p.args[0], strings.Join(left, ", "))
	}
	return ""
}

func cause(err error) error {
	var path *os.PathError
	if errors.As(err, &path) {
		return path.Err
	}
	return err
}

// programOf finds the file to start: ./ is in the working folder, a plain name on the PATH.
func programOf(name, folder, path string) (string, error) {
	if strings.HasPrefix(name, "./") {
		return filepath.Join(folder, name), nil
	}
	return lookUp(name, path)
}

func lookUp(name, path string) (string, error) {
	if filepath.IsAbs(name) {
		return name, nil
	}
	for _, folder := range filepath.SplitList(path) {
		file := filepath.Join(folder, name)
		if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0 {
			return file, nil
		}
	}
	return "", fmt.Errorf("the program %s is not found on the PATH: install it, or give its path in the run step", name)
}

// kept are the variables of the service that a step sees; the bench adds others by env.
var kept = []string{"HOME", "USER", "LANG", "LC_ALL", "TZ", "TMPDIR"}

func environment(path string) []string {
	env := []string{"PATH=" + path}
	for _, name := range kept {
		if value, ok := os.LookupEnv(name); ok {
			env = append(env, name+"="+value)
		}
	}
	return env
}

// environmentOf is what a program sees: more are the variables of its step.
func environmentOf(path string, more map[string]string, id string) []string {
	env := environment(path)
	for name, value := range more {
		env = append(env, name+"="+value)
	}
	return append(env, idVariable+"="+id) // the last one counts
}

// redirect opens the files of stdin and stdout.
func (p *process) redirect(command *exec.Cmd, output *tail) (closeFiles func(), err error) {
	var files []*os.File
	closeFiles = func() {
		for _, file := range files {
			file.Close()
		}
	}
	if p.run.Stdin != "" {
		file, err := openStdin(p.folder, p.run.Stdin)
		if err != nil {
			return nil, err
		}
		files = append(files, file)
		command.Stdin = file
	}
	if p.run.Stdout != "" {
		file, err := create(p.folder, p.run.Stdout, 0o644)
		if err != nil {
			closeFiles()
			return nil, err
		}
		files = append(files, file)
		output.copy = file
	}
	return closeFiles, nil
}

func openStdin(folder, path string) (*os.File, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	file, err := root.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, solver.Failed("the file %s for the standard input cannot be read: %s", path, cause(err))
	}
	if info, err := file.Stat(); err != nil || !info.Mode().IsRegular() {
		file.Close()
		return nil, solver.Failed("the file %s for the standard input is not a plain file", path)
	}
	return file, nil
}

// A tail keeps the end of what is written to it, and calls flood when it is too much.
type tail struct {
	mutex   sync.Mutex // guards what follows
	end     []byte
	written int64

	copy  io.Writer
	flood func() // nil: no bound
}

func (t *tail) Write(text []byte) (int, error) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	t.written += int64(len(text))
	if t.flood != nil && t.written > maxPrinted {
		t.flood()
		return len(text), nil
	}
	t.end = append(t.end, text...)
	if over := len(t.end) - tailSize; over > 0 {
		t.end = append(t.end[:0], t.end[over:]...)
	}
	if t.copy != nil {
		return t.copy.Write(text)
	}
	return len(text), nil
}

// text is the end of what was written.
func (t *tail) text() string {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return strings.ToValidUTF8(string(bytes.TrimSpace(t.end)), "?")
}

// forget begins anew.
func (t *tail) forget() {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	t.end = t.end[:0]
}

// joined is what a person wants to see: the ends of stdout and stderr, the latter last.
func joined(messages, output *tail) string {
	return strings.TrimSpace(output.text() + "\n" + messages.text())
}
