package steps

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// idVariable is the variable that every process of an evaluation carries, so that one that left its process group is
// found all the same.
const idVariable = "ROPEBENCH_EVALUATION"

func killGroup(pid int) error { return syscall.Kill(-pid, syscall.SIGKILL) }

// own are the programs that are at work for an evaluation; every other child of this process is an orphan that one of
// them left behind.
var own = struct {
	sync.Mutex // guards pids
	pids       map[int]bool
}{pids: map[int]bool{}}

// startAsOwn starts a program such that it is never taken for an orphan.
func startAsOwn(command *exec.Cmd) error {
	own.Lock()
	defer own.Unlock()
	err := command.Start()
	if err == nil {
		own.pids[command.Process.Pid] = true
	}
	return err
}

func disown(pid int) {
	own.Lock()
	defer own.Unlock()
	delete(own.pids, pid)
}

// orphans lists what programs left behind that are still alive, and collects what has ended. What a program leaves is
// adopted by this process when its parent ends, so that it is among the children; known is false where the system does
// not list them.
func orphans() (alive []int, known bool) {
	lists, err := filepath.Glob("/proc/self/task/*/children")
	if err != nil || len(lists) == 0 {
		return nil, false
	}
	own.Lock()
	defer own.Unlock()
	for _, list := range lists {
		text, err := os.ReadFile(list)
		if err != nil {
			continue // a thread that has just ended
		}
		for _, field := range strings.Fields(string(text)) {
			pid, err := strconv.Atoi(field)
			if err != nil || own.pids[pid] {
				continue
			}
			var status syscall.WaitStatus
			if ended, _ := syscall.Wait4(pid, &status, syscall.WNOHANG, nil); ended != pid {
				alive = append(alive, pid)
			}
		}
	}
	return alive, true
}

// leftBehind lists the living processes of this evaluation. All processes of the machine are looked through only if
// there is an orphan at all.
func (p *process) leftBehind() []int {
	if adopting.Load() {
		if alive, known := orphans(); known && len(alive) == 0 {
			return nil
		}
	}
	return processesOf(p.id)
}

// endChildren ends what the program left behind, and names it. Children that are just ending get a moment.
func (p *process) endChildren(command *exec.Cmd) []string {
	if command.Process == nil {
		return nil
	}
	group := command.Process.Pid
	deadline := time.Now().Add(childGrace)
	alive := p.leftBehind()
	for len(alive) > 0 && time.Now().Before(deadline) && command.ProcessState.Success() {
		time.Sleep(10 * time.Millisecond)
		alive = p.leftBehind()
	}
	var names []string
	for _, pid := range alive {
		if name := nameOf(pid); name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for giveUp := time.Now().Add(killGrace); len(alive) > 0 && time.Now().Before(giveUp); {
		killAll(alive)
		time.Sleep(2 * time.Millisecond)
		alive = p.leftBehind() // one of them may have started another meanwhile
	}
	_ = killGroup(group) // no such process is what is hoped for
	return names
}

func killAll(pids []int) {
	for _, pid := range pids {
		_ = syscall.Kill(pid, syscall.SIGKILL) // it may have ended by itself
	}
}

// adopting is true once this process is the parent of every orphan of its programs.
var adopting atomic.Bool

// AdoptOrphans makes this process the parent of processes whose own parent ended, so that they are found and collected.
func AdoptOrphans() error {
	err := unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
	adopting.Store(err == nil)
	return err
}

// Sweep ends every process of evaluations whose id begins with prefix: what a service that was killed has left running.
func Sweep(prefix string) (ended int) {
	for _, pid := range matching(func(id string) bool { return strings.HasPrefix(id, prefix) }) {
		if syscall.Kill(pid, syscall.SIGKILL) == nil {
			ended++
		}
	}
	return ended
}

// processesOf lists the living processes of an evaluation.
func processesOf(id string) []int { return matching(func(other string) bool { return other == id }) }

// matching lists the living processes of evaluations whose id is wanted. A process that cannot be looked at is not ours.
func matching(wanted func(id string) bool) []int {
	var pids []int
	environments, err := filepath.Glob("/proc/[0-9]*/environ")
	if err != nil {
		return nil
	}
	self := os.Getpid()
	for _, file := range environments {
		pid, err := strconv.Atoi(filepath.Base(filepath.Dir(file)))
		if err != nil || pid == self {
			continue
		}
		environment, err := os.ReadFile(file)
		if err != nil || len(environment) == 0 {
			continue // a zombie has none
		}
		for _, variable := range bytes.Split(environment, []byte{0}) {
			if id, ok := strings.CutPrefix(string(variable), idVariable+"="); ok && wanted(id) {
				pids = append(pids, pid)
			}
		}
	}
	return pids
}

func nameOf(pid int) string {
	name, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/comm")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(name))
}
