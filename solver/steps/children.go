package steps

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// markName is the variable that every process of an evaluation carries, so that one that left its process group is
// found all the same.
const markName = "ROPEBENCH_EVALUATION"

func killGroup(pid int) error { return syscall.Kill(-pid, syscall.SIGKILL) }

// endChildren ends what the program left behind, and names it. Children that are just ending get a moment.
func (p *process) endChildren(command *exec.Cmd) []string {
	if command.Process == nil {
		return nil
	}
	group := command.Process.Pid
	deadline := time.Now().Add(childGrace)
	alive := marked(p.mark)
	for len(alive) > 0 && time.Now().Before(deadline) && command.ProcessState.Success() {
		time.Sleep(10 * time.Millisecond)
		alive = marked(p.mark)
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
		alive = marked(p.mark) // one of them may have started another meanwhile
	}
	_ = killGroup(group) // no such process is what is hoped for
	return names
}

func killAll(pids []int) {
	for _, pid := range pids {
		_ = syscall.Kill(pid, syscall.SIGKILL) // it may have ended by itself
		reap(pid)
	}
}

// reap collects a process that became a child of the service when its parent ended.
func reap(pid int) {
	for range 20 {
		var status syscall.WaitStatus
		found, err := syscall.Wait4(pid, &status, syscall.WNOHANG, nil)
		if err != nil || found == pid {
			return
		}
		time.Sleep(time.Millisecond)
	}
}

// AdoptOrphans makes this process the parent of processes whose own parent ended, so that they can be collected.
func AdoptOrphans() error { return unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0) }

// Sweep ends every process whose mark begins with prefix: what a service that was killed has left running.
func Sweep(prefix string) (ended int) {
	for _, pid := range matching(func(mark string) bool { return strings.HasPrefix(mark, prefix) }) {
		if syscall.Kill(pid, syscall.SIGKILL) == nil {
			ended++
		}
	}
	return ended
}

func marked(mark string) []int { return matching(func(m string) bool { return m == mark }) }

// matching lists the living processes whose mark is wanted. A process that cannot be looked at is not ours.
func matching(wanted func(mark string) bool) []int {
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
			if mark, ok := strings.CutPrefix(string(variable), markName+"="); ok && wanted(mark) {
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
