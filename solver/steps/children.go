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

// own are the programs that are at work for an evaluation, by their pid; every other child of this process is an orphan that
// one of them left behind.
var own = struct {
	sync.Mutex // guards programs
	programs   map[int]trace
}{programs: map[int]trace{}}

// A trace is by what a process is known to belong to an evaluation.
type trace struct {
	id     string // in its environment, which a program may empty
	folder string // in which it works, which a program may leave
	began  uint64 // when it was started, in ticks since the machine was
	group  int    // of processes
	stays  bool   // beyond an evaluation; it leaves nobody behind
	ending bool   // it has ended, and is looked after
}

// startAsOwn starts a program such that it is never taken for an orphan.
func startAsOwn(command *exec.Cmd, id string) (trace, error) {
	return startOwn(command, trace{id: id, folder: command.Dir})
}

// startToStay starts a program that serves many evaluations.
func startToStay(command *exec.Cmd, id string) error {
	_, err := startOwn(command, trace{id: id, folder: command.Dir, stays: true})
	return err
}

func startOwn(command *exec.Cmd, t trace) (trace, error) {
	own.Lock()
	defer own.Unlock()
	err := command.Start()
	if err == nil {
		t.began, t.group = startOf(command.Process.Pid)
		own.programs[command.Process.Pid] = t
	}
	return t, err
}

func disown(pid int) {
	own.Lock()
	defer own.Unlock()
	delete(own.programs, pid)
}

// orphans lists what programs left behind that is still alive, and collects what has ended. What a program leaves is
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
			if _, isOwn := own.programs[pid]; err != nil || isOwn {
				continue
			}
			if _, group := startOf(pid); group == syscall.Getpgrp() {
				continue // what else this process has started is in its own group: programs of steps are not
			}
			var status syscall.WaitStatus
			if ended, _ := syscall.Wait4(pid, &status, syscall.WNOHANG, nil); ended != pid {
				alive = append(alive, pid)
			}
		}
	}
	return alive, true
}

// leftBehind lists the living processes of this evaluation. All processes of the machine are looked through only if there is
// an orphan at all.
func (p *process) leftBehind() (mine []int) {
	if alive, known := orphans(); adopting.Load() && known {
		if again, _ := orphans(); len(alive)+len(again) == 0 { // a list that is read while a child ends may lack another
			return nil
		}
		for _, pid := range alive {
			switch orphan := traceOf(pid); {
			case p.left(orphan):
				mine = append(mine, pid)
			case ownerless(orphan):
				killAll([]int{pid}) // of a step that has ended without being told of it
			}
		}
	}
	return append(mine, matching(func(t trace) bool { return t.id == p.id || within(t.folder, p.folder) })...)
}

// left says whether an orphan belongs to this evaluation: by its mark, by the folder in which it works, or, where it has given
// up both, because no other program is at work that can have left it.
func (p *process) left(orphan trace) bool {
	if orphan.id == p.id || within(orphan.folder, p.folder) {
		return true
	}
	return orphan.began >= p.began && !ownedByAnother(orphan, p.pid, func(other trace) bool { return !other.ending })
}

// ownerless is true for an orphan that no program left which is at work or just ending.
func ownerless(orphan trace) bool {
	return !ownedByAnother(orphan, 0, func(trace) bool { return true })
}

// ownedByAnother is true where a program other than pid has left an orphan, or may have: then it must be a candidate.
func ownedByAnother(orphan trace, pid int, candidate func(trace) bool) bool {
	own.Lock()
	defer own.Unlock()
	for other, t := range own.programs {
		switch {
		case other == pid:
		case t.id == orphan.id, within(orphan.folder, t.folder), t.began <= orphan.began && !t.stays && candidate(t):
			return true // when that one ends, it is looked at again
		}
	}
	return false
}

// ending notes that a program has ended and is looked after: what may be of another that is still at work is left to that.
func ending(pid int) {
	own.Lock()
	defer own.Unlock()
	t := own.programs[pid]
	t.ending = true
	own.programs[pid] = t
}

func within(path, folder string) bool {
	path = strings.TrimSuffix(path, " (deleted)")
	return folder != "" && (path == folder || strings.HasPrefix(path, folder+"/"))
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

// Sweep ends every process of evaluations whose id begins with prefix, or that works below a folder: what a service that was
// killed has left running.
func Sweep(prefix, folder string) (ended int) {
	for _, pid := range matching(func(t trace) bool { return strings.HasPrefix(t.id, prefix) || within(t.folder, folder) }) {
		if syscall.Kill(pid, syscall.SIGKILL) == nil {
			ended++
		}
	}
	return ended
}

// matching lists the living processes whose traces are wanted.
func matching(wanted func(trace) bool) []int {
	var pids []int
	all, err := filepath.Glob("/proc/[0-9]*")
	if err != nil {
		return nil
	}
	for _, folder := range all {
		if pid, err := strconv.Atoi(filepath.Base(folder)); err == nil && pid != os.Getpid() && wanted(traceOf(pid)) {
			pids = append(pids, pid)
		}
	}
	return pids
}

// traceOf reads what is known of a process. One that cannot be looked at, or has ended, has no trace.
func traceOf(pid int) (t trace) {
	folder := "/proc/" + strconv.Itoa(pid)
	environment, _ := os.ReadFile(folder + "/environ")
	for _, variable := range bytes.Split(environment, []byte{0}) {
		if id, ok := strings.CutPrefix(string(variable), idVariable+"="); ok {
			t.id = id
		}
	}
	t.folder, _ = os.Readlink(folder + "/cwd")
	t.began, t.group = startOf(pid)
	return t
}

// startOf reads when a process was started, and its group.
func startOf(pid int) (began uint64, group int) {
	stat, _ := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/stat")
	if _, fields, named := bytes.Cut(stat, []byte(") ")); named { // the name before may have blanks in it
		if all := bytes.Fields(fields); len(all) > startField {
			began, _ = strconv.ParseUint(string(all[startField]), 10, 64)
			group, _ = strconv.Atoi(string(all[groupField]))
		}
	}
	return began, group
}

// Fields of /proc/PID/stat, counted behind the name.
const (
	groupField = 2
	startField = 19
)

func nameOf(pid int) string {
	name, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/comm")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(name))
}
