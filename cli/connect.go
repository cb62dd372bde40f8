package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"ropebench/api"
	"ropebench/client"
)

const (
	healthTime = 3 * time.Second  // for a running service to answer
	startTime  = 15 * time.Second // for a new one to get ready
	otherTime  = 15 * time.Second // for one that is just ending to end, or that another command has started to get ready
)

// errOwned says that another service has the data folder, which is just ending or beginning.
var errOwned = errors.New("the data folder belongs to another service")

// A session is a command's connection to a service: while it is open, a companion service stays.
type session struct {
	*client.Client
	events    *client.Events
	companion bool
}

func (s *session) close() {
	s.events.Close()
	s.Client.Close()
}

// connect finds the service of the data folder, or starts a companion.
func (a *App) connect(ctx context.Context) (*session, error) {
	data, err := filepath.Abs(a.data)
	if err != nil {
		return nil, err
	}
	patience, cancel := context.WithTimeout(ctx, otherTime)
	defer cancel()
	for {
		s, err := a.open(ctx, data)
		if err == nil {
			return s, nil
		}
		var final unreachable
		if errors.As(err, &final) {
			return nil, final.error
		}
		select {
		case <-patience.Done():
			return nil, fmt.Errorf("the service cannot be reached: %w", err)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// unreachable is an error that another try would meet too.
type unreachable struct{ error }

// open tries once to listen to a service. Other errors than unreachable come from one that is just ending.
func (a *App) open(ctx context.Context, data string) (*session, error) {
	c, err := a.reach(ctx, data)
	if errors.Is(err, errOwned) {
		return nil, err
	}
	if err != nil {
		return nil, unreachable{err}
	}
	health, err := c.Health(ctx)
	if err == nil {
		var events *client.Events
		if events, err = c.Listen(ctx); err == nil {
			return &session{Client: c, events: events, companion: health.Companion}, nil
		}
	}
	c.Close()
	return nil, err
}

// reach returns a client of a service that answers.
func (a *App) reach(ctx context.Context, data string) (*client.Client, error) {
	c, err := client.Find(data)
	if err == nil {
		healthCtx, cancel := context.WithTimeout(ctx, healthTime)
		defer cancel()
		_, healthErr := c.Health(healthCtx)
		var refused *api.Problem
		if healthErr == nil || errors.As(healthErr, &refused) {
			return c, nil
		}
		c.Close()
	} else if !errors.Is(err, client.ErrNoService) {
		return nil, err
	}
	return a.startCompanion(ctx, data)
}

// startCompanion starts a service in a process of its own, which ends when its last client has left.
func (a *App) startCompanion(ctx context.Context, data string) (*client.Client, error) {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w; give another with --data", err)
	}
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	log, err := os.CreateTemp(data, "service-*.log") // of its own: others may start one at the same time
	if err != nil {
		return nil, fmt.Errorf("the data folder cannot be written: %w; give another with --data", err)
	}
	defer log.Close()
	logName := filepath.Join(data, "service.log")
	defer func() { _ = os.Rename(log.Name(), logName) }() // whose is the last is of no matter
	command := exec.Command(program, "serve", "--companion", "--data", data)
	command.Stdout, command.Stderr = log, log
	command.SysProcAttr = &syscall.SysProcAttr{Setsid: true} // Ctrl-C ends the command, not the service
	if err := command.Start(); err != nil {
		return nil, fmt.Errorf("a service cannot be started: %w", err)
	}
	ended := make(chan error, 1)
	go func() { ended <- command.Wait() }()
	readyCtx, cancel := context.WithTimeout(ctx, startTime)
	defer cancel()
	ready := make(chan *client.Client, 1)
	go func() {
		c, err := client.WaitUntilReady(readyCtx, data)
		if err == nil {
			ready <- c
		}
		close(ready)
	}()
	select {
	case c := <-ready:
		if c != nil {
			return c, nil
		}
		return nil, fmt.Errorf("the service did not get ready within %s: see %s", startTime, logName)
	case <-ended:
		cancel()
		if c := <-ready; c != nil {
			return c, nil // another command has started one meanwhile
		}
		text, _ := os.ReadFile(log.Name()) // what cannot be read says nothing
		said := lastLine(string(text))
		if strings.Contains(said, api.Belongs) {
			return nil, fmt.Errorf("%w: %s", errOwned, said)
		}
		return nil, fmt.Errorf("the service ended at once: %s", said)
	}
}

func lastLine(text string) string {
	last := "it said nothing"
	for line := range splitLines(text) {
		if line != "" {
			last = line
		}
	}
	return last
}
