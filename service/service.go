// Package service is the HTTP interface of Rope Bench: benches, runs, live events, and the console's files.
package service

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"path/filepath"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/dispatch"
	"ropebench/solver/steps"
	"ropebench/store"
	"ropebench/study"
)

// Config says how a service is to run.
type Config struct {
	Data      string        // folder of records, made if it is not there
	Address   string        // to listen on; "": 127.0.0.1 and a free port
	Arrival   time.Duration // that a request may take to arrive; 0: 30 s
	Insecure  bool          // listen beyond this machine, though nothing is encrypted
	Slots     int           // solvers at a time; 0: the number of processors
	Path      string        // PATH of the steps
	Version   string
	Companion bool  // end when the last client has left
	Console   fs.FS // the console's files
	Log       *slog.Logger
}

// A Service owns a data folder, and answers on a listener until it is closed.
type Service struct {
	config    Config
	folder    *dataFolder
	store     *store.Store
	runs      *study.Runs
	hub       *hub
	app       *fiber.App
	listener  net.Listener
	links     links
	editing   sync.Mutex // guards the files of benches from when one is read until it is replaced
	quit      chan struct{}
	life      context.Context // of what takes time; it ends with the service
	die       context.CancelFunc
	explorers explorers
	whatIfs   whatIfs
	served    chan struct{}
	failed    error // why serving ended, once served is closed
	once      sync.Once
	closed    error
}

// Start opens the data folder and begins to serve. The error says in one sentence what is in the way.
func Start(config Config) (*Service, error) {
	if config.Address == "" {
		config.Address = "127.0.0.1:0"
	}
	if config.Log == nil {
		config.Log = slog.New(slog.DiscardHandler)
	}
	folder, err := openDataFolder(config.Data)
	if err != nil {
		return nil, err
	}
	s := &Service{config: config, folder: folder, quit: make(chan struct{}), served: make(chan struct{})}
	s.life, s.die = context.WithCancel(context.Background())
	if err := s.open(); err != nil {
		close(s.served)
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// mayListen refuses an address that others than this machine reach, unless that is wanted.
func (s *Service) mayListen() error {
	host, _, err := net.SplitHostPort(s.config.Address)
	if err != nil {
		return fmt.Errorf("%q is no address to listen on: it has a host and a port, such as 127.0.0.1:8400", s.config.Address)
	}
	if ip := net.ParseIP(host); host == "localhost" || ip != nil && ip.IsLoopback() || s.config.Insecure {
		return nil
	}
	return fmt.Errorf("at %s other machines could read all that is sent, the token included, since nothing is encrypted: listen on 127.0.0.1, and reach it through an encrypted tunnel; --insecure does it all the same", s.config.Address)
}

func (s *Service) open() (err error) {
	idPrefix, work := s.folder.idPrefix(), filepath.Join(s.folder.path, "work")
	if err := steps.AdoptOrphans(); err != nil {
		s.config.Log.Warn("processes that leave their parents cannot be collected", "error", err)
	}
	if ended := steps.Sweep(idPrefix, work); ended > 0 {
		s.config.Log.Warn("ended solvers that an earlier service had left running", "count", ended)
	}
	if err := dispatch.RemoveFolder(work); err != nil {
		return fmt.Errorf("working folders of an earlier service cannot be removed: %w", err)
	}
	if s.store, err = store.Open(s.folder.path); err != nil {
		return err
	}
	s.hub = newHub()
	engine := study.Engine{Slots: dispatch.NewSlots(s.slots()), Folder: work, Path: s.config.Path, IDPrefix: idPrefix, Version: s.config.Version}
	if s.runs, err = study.NewRuns(s.store, engine, s.tell); err != nil {
		return err
	}
	if err := s.mayListen(); err != nil {
		return err
	}
	if s.listener, err = net.Listen("tcp", s.config.Address); err != nil {
		return fmt.Errorf("cannot listen on %s: %w; give another address with --listen", s.config.Address, err)
	}
	s.app = s.routes()
	if err := s.folder.announce(s.URL(), s.config.Version); err != nil {
		return err
	}
	go s.serve()
	return nil
}

func (s *Service) slots() int {
	if s.config.Slots > 0 {
		return s.config.Slots
	}
	return processors()
}

func (s *Service) serve() {
	defer close(s.served)
	err := s.app.Listener(s.listener, fiber.ListenConfig{DisableStartupMessage: true})
	if err != nil && !errors.Is(err, net.ErrClosed) {
		s.failed = err
	}
}

// URL is where the service listens.
func (s *Service) URL() string { return "http://" + s.listener.Addr().String() }

// Link returns an address that opens the console once.
func (s *Service) Link() string { return s.URL() + "/open?key=" + s.links.make() }

// Wait serves until ctx is done, serving fails, or - for a companion - the last client has left. Then it closes.
func (s *Service) Wait(ctx context.Context) error {
	left := make(<-chan struct{})
	if s.config.Companion {
		left = s.hub.abandoned(s.quit)
	}
	select {
	case <-ctx.Done():
	case <-s.served:
	case <-left:
	}
	return s.Close()
}

// Close pauses what is at work and ends the service. It may be called again.
func (s *Service) Close() error {
	s.once.Do(func() { s.closed = s.close() })
	return s.closed
}

const closeGrace = 5 * time.Second // for answers that are being written

func (s *Service) close() error {
	var failed error
	if s.runs != nil {
		failed = errors.Join(failed, s.runs.Close())
	}
	s.die()
	failed = errors.Join(failed, s.whatIfs.close())
	close(s.quit) // event streams end
	if s.listener != nil {
		if err := s.listener.Close(); !errors.Is(err, net.ErrClosed) {
			failed = errors.Join(failed, err)
		}
	}
	if s.app != nil {
		ctx, cancel := context.WithTimeout(context.Background(), closeGrace)
		defer cancel()
		if err := s.app.ShutdownWithContext(ctx); err != nil && !errors.Is(err, net.ErrClosed) {
			failed = errors.Join(failed, err)
		}
	}
	<-s.served
	if s.store != nil {
		failed = errors.Join(failed, s.store.Close())
	}
	return errors.Join(failed, s.failed, s.folder.close())
}

// tell sends a changed run to everyone who listens.
func (s *Service) tell(run study.Run) { s.hub.publish("run", shownRun(run)) }
