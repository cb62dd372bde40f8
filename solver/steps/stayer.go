package steps

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"syscall"
	"time"
)

const (
	stayGrace = 5 * time.Second // for a program that stays to end by itself, once its standard input has
	maxReply  = 64 << 20        // bytes of a line that it answers with
)

// A stayer is a program that serves many evaluations: it answers each line on its standard input with one line. What it starts
// for itself ends with it.
type stayer struct {
	command *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
	said    *tail // on its standard error
	ended   bool  // it does not answer any more
}

// startStayer starts a program whose arguments, folder and environment are set. id marks its processes.
func startStayer(command *exec.Cmd, id string) (*stayer, error) {
	s := &stayer{command: command, said: &tail{}}
	command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	command.Stderr = s.said
	command.WaitDelay = pipeGrace
	out, outErr := command.StdoutPipe()
	in, inErr := command.StdinPipe()
	if err := errors.Join(outErr, inErr); err != nil {
		return nil, err
	}
	s.in, s.out = in, bufio.NewReaderSize(out, 1<<16)
	return s, startToStay(command, id)
}

// errEndless is the error of a program whose line does not end.
var errEndless = fmt.Errorf("it answered with a line of more than %d MB", maxReply>>20)

// ask sends a line and waits for one. Where ctx ends before there is an answer, the program is ended.
func (s *stayer) ask(ctx context.Context, line []byte) (reply []byte, err error) {
	s.said.forget()
	kept := context.AfterFunc(ctx, func() { _ = killGroup(s.command.Process.Pid) }) // no such process is as good
	if _, err = s.in.Write(append(line, '\n')); err == nil {
		reply, err = s.readLine()
	}
	if !kept() {
		err = ctx.Err()
	}
	s.ended = err != nil
	return reply, err
}

func (s *stayer) readLine() (line []byte, err error) {
	for {
		part, err := s.out.ReadSlice('\n')
		line = append(line, part...)
		switch {
		case len(line) > maxReply:
			return nil, errEndless
		case !errors.Is(err, bufio.ErrBufferFull):
			return line, err
		}
	}
}

// end has the program end: by itself where it can, or by force with all that it has started.
func (s *stayer) end(grace time.Duration) {
	_ = s.in.Close() // where it has ended already there is nothing to close
	timer := time.AfterFunc(grace, func() { _ = killGroup(s.command.Process.Pid) })
	_ = s.command.Wait() // how it ended is asked of its state where that matters
	timer.Stop()
	_ = killGroup(s.command.Process.Pid) // no such process is what is hoped for
	disown(s.command.Process.Pid)
}
