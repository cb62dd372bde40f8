package service

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/core"
	"ropebench/study"
)

// whatIfs keeps the solvers that are open for designs that are tried by hand: one for each bench that was tried last.
type whatIfs struct {
	mutex sync.Mutex // guards what follows
	kept  []*openWhatIf
	made  int
}

// An openWhatIf is in use by so many requests; one that nobody can find any more is closed by the last of them.
type openWhatIf struct {
	*study.WhatIf
	bench    string
	revision int
	users    int
	gone     bool
}

const (
	mostWhatIfs   = 4
	mostByHand    = 20_000 // designs that are kept in memory, after which the solver is opened anew
	whatIfPatient = 2 * time.Minute
)

// use finds the open solver of a revision, or opens it. done must be called after it.
func (w *whatIfs) use(runs *study.Runs, bench string, revision int) (open *openWhatIf, done func() error, err error) {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	at := slices.IndexFunc(w.kept, func(o *openWhatIf) bool { return o.bench == bench })
	if at >= 0 {
		open = w.kept[at]
		w.kept = slices.Delete(w.kept, at, at+1)
		if open.revision != revision || open.Asked() > mostByHand {
			err = w.leave(open)
			open = nil
		}
	}
	if open == nil {
		w.made++
		opened, failed := runs.WhatIf(bench, revision, w.made)
		if failed != nil {
			return nil, nil, errors.Join(err, failed)
		}
		open = &openWhatIf{WhatIf: opened, bench: bench, revision: revision}
	}
	for len(w.kept) >= mostWhatIfs {
		err = errors.Join(err, w.leave(w.kept[0]))
		w.kept = slices.Delete(w.kept, 0, 1)
	}
	w.kept = append(w.kept, open)
	open.users++
	return open, func() error { return w.done(open) }, err
}

func (w *whatIfs) done(o *openWhatIf) error {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	if o.users--; o.users == 0 && o.gone {
		return o.Close()
	}
	return nil
}

// leave forgets an open solver. The mutex is held.
func (w *whatIfs) leave(o *openWhatIf) error {
	o.gone = true
	if o.users == 0 {
		return o.Close()
	}
	return nil
}

func (w *whatIfs) close() error {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	var failed error
	for _, o := range w.kept {
		failed = errors.Join(failed, w.leave(o))
	}
	w.kept = nil
	return failed
}

// byHand opens the newest revision of the bench of a request for a design, and does something with it.
func (s *Service) byHand(c fiber.Ctx, do func(ctx context.Context, open *openWhatIf) error) (err error) {
	_, saved, mistakes, err := s.refresh(strings.Clone(c.Params("bench")))
	if err == nil && len(mistakes) > 0 {
		err = mistakes
	}
	if err != nil {
		return err
	}
	open, done, err := s.whatIfs.use(s.runs, saved.Name, saved.Revision)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, done()) }()
	ctx, cancel := context.WithTimeout(s.life, whatIfPatient)
	defer cancel()
	err = do(ctx, open)
	if errors.Is(err, context.DeadlineExceeded) {
		return problem(fiber.StatusConflict, "the solver took more than two minutes: make a run of the design, as in `ropebench try`, and wait for it")
	}
	return err
}

// tryByHand asks the solver for a design, without a run.
func (s *Service) tryByHand(c fiber.Ctx) error {
	var order api.TryingDesign
	if err := readJSON(c, &order); err != nil {
		return err
	}
	return s.byHand(c, func(ctx context.Context, open *openWhatIf) error {
		record, err := open.Try(ctx, order.Design)
		if err != nil {
			return refused(ctx, err)
		}
		m := open.Model
		answer := api.TriedByHand{Revision: open.revision, State: record.State.String(), Reason: record.Reason, Seconds: record.Seconds, Inputs: m.Values(record.Design), Values: map[string]float64{}, Requirements: m.Judge(nil), Curves: map[string]api.Curve{}}
		if record.State == core.OK {
			answer.Requirements, answer.Feasible = m.Judge(record.Values), m.Feasible(record.Values)
			for _, i := range m.ShownColumns(m.Bench) {
				answer.Values[m.Columns[i].Name] = record.Values[i]
			}
			for i, samples := range record.Curves {
				thin := samples.Thin(shownByHand)
				answer.Curves[m.Curves[i].Name] = api.Curve{X: along(thin), Y: thin.Y}
			}
		}
		return c.JSON(answer)
	})
}

const shownByHand = 400 // samples of a curve

// turn says what each input does for a requirement.
func (s *Service) turn(c fiber.Ctx) error {
	var order api.Help
	if err := readJSON(c, &order); err != nil {
		return err
	}
	return s.byHand(c, func(ctx context.Context, open *openWhatIf) error {
		turns, err := open.Turns(ctx, order.Design, order.Requirement)
		if err != nil {
			return refused(ctx, err)
		}
		return c.JSON(turns)
	})
}

// refused is the answer to a design that cannot be tried, unless time or the service has ended it.
func refused(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return problem(fiber.StatusBadRequest, "%s", err)
}
