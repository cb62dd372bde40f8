package study

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"sync"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
)

// A WhatIf answers designs that are tried by hand: on the real solver, and without a run, so that nothing of it is written down. What runs know
// already is taken from them.
type WhatIf struct {
	Model   *model.Model
	bench   *bench.Bench
	folder  string
	asks    *dispatch.Dispatcher
	journal *memory
}

// WhatIf opens the solver of a revision of a bench for designs that are tried by hand. number tells it from others that are open.
func (r *Runs) WhatIf(benchName string, revision, number int) (*WhatIf, error) {
	content, err := r.records.Content(benchName, revision)
	if err != nil {
		return nil, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return nil, err
	}
	a, err := Ask(b, Question{Kind: KindTry})
	if err != nil {
		return nil, err
	}
	blackBox, err := solverOf(a, b, content, r.engine.Path)
	if err != nil {
		return nil, err
	}
	key, err := blackBox.Key()
	if err != nil {
		return nil, err
	}
	w := &WhatIf{Model: a.Model, bench: b, folder: filepath.Join(r.engine.Folder, fmt.Sprintf("what-if-%d", number)), journal: &memory{records: map[int]dispatch.Record{}}}
	config := dispatch.Config{Model: a.Model, Solver: blackBox, SolverKey: key, Slots: r.engine.Slots, Folders: w.folder, IDPrefix: fmt.Sprintf("%swhatif%d-", r.engine.IDPrefix, number),
		Licences: r.licencesFor(benchName, b.Solver.AtOnce), Journal: w.journal, Concurrent: true}
	if config.Known, err = r.known(Run{}, b, key); err != nil {
		return nil, err
	}
	w.asks, err = dispatch.New(config)
	return w, err
}

// Asked is how many designs were answered: they are kept in memory.
func (w *WhatIf) Asked() int { return w.journal.count() }

// Close ends the solver. Nobody may ask any more.
func (w *WhatIf) Close() error {
	return errors.Join(w.asks.Close(), dispatch.RemoveFolder(w.folder))
}

// Try answers one design, in which inputs that are not given are nominal. The error of a design with an unknown name says what is wrong with it.
func (w *WhatIf) Try(ctx context.Context, values map[string]bench.Value) (dispatch.Record, error) {
	if err := known(w.bench, values); err != nil {
		return dispatch.Record{}, err
	}
	outcomes, err := w.asks.Evaluate(ctx, []core.Design{w.Model.Design(values)})
	if err != nil {
		return dispatch.Record{}, err
	}
	return w.journal.Read(outcomes[0].Number)
}

// turnShare is the share of its range by which each input is turned to see what that does.
const turnShare = 0.01

// Turns says what each varied input does to the margins of requirements: it is turned a little, and the design is asked again. first is the requirement
// that is to be helped; "" is that of the least margin as a share of its limit. The inputs that help it most come first.
func (w *WhatIf) Turns(ctx context.Context, values map[string]bench.Value, first string) (result.Turns, error) {
	if err := known(w.bench, values); err != nil {
		return result.Turns{}, err
	}
	base := w.Model.Design(values)
	designs, turned := []core.Design{base}, []result.Turn{}
	for k, name := range w.Model.Inputs {
		in, _ := w.bench.Input(name)
		if in.Range == nil {
			continue
		}
		step := cmp.Or(in.Step, turnShare*(in.Range.Upper-in.Range.Lower))
		if base[k]+step > in.Range.Upper {
			step = -step
		}
		design := slices.Clone(base)
		design[k] += step
		designs, turned = append(designs, design), append(turned, result.Turn{Input: name, By: step, Margins: map[string]float64{}})
	}
	outcomes, err := w.asks.Evaluate(ctx, designs)
	if err != nil {
		return result.Turns{}, err
	}
	if outcomes[0].State != core.OK {
		return result.Turns{}, fmt.Errorf("the design has no values: turn back to one that the solver can do")
	}
	here := w.Model.Judge(outcomes[0].Values)
	t := result.Turns{Requirement: first}
	if first == "" {
		t.Requirement = w.worst(here)
	}
	if _, is := w.bench.Requirement(t.Requirement); !is {
		return t, fmt.Errorf("there is no requirement %s", t.Requirement)
	}
	for i := range turned {
		if outcomes[i+1].State != core.OK {
			turned[i].Fails = true
			continue
		}
		for id, j := range w.Model.Judge(outcomes[i+1].Values) {
			if j.Margin != nil && here[id].Margin != nil {
				turned[i].Margins[id] = *j.Margin - *here[id].Margin
			}
		}
	}
	slices.SortStableFunc(turned, func(a, b result.Turn) int {
		return cmp.Compare(math.Abs(b.Margins[t.Requirement]), math.Abs(a.Margins[t.Requirement]))
	})
	t.Turns = turned
	for i := range t.Turns {
		t.Turns[i].Says = w.inWords(t.Turns[i], t.Requirement)
	}
	return t, nil
}

// worst is the requirement, neither a wish nor soft where there is one, of the least margin as a share of its limit.
func (w *WhatIf) worst(judged map[string]result.Judgment) string {
	worst, least := "", math.Inf(1)
	for _, decisive := range []bool{true, false} {
		for _, q := range w.bench.Requirements {
			j := judged[q.ID]
			if j.Margin == nil || q.Decisive() != decisive {
				continue
			}
			if share := *j.Margin / cmp.Or(q.Limit.Size(), 1); share < least {
				worst, least = q.ID, share
			}
		}
		if worst != "" {
			break
		}
	}
	return worst
}

// inWords says in which direction an input helps, and what it spoils.
func (w *WhatIf) inWords(t result.Turn, helped string) string {
	in, _ := w.bench.Input(t.Input)
	gain := t.Margins[helped]
	step := t.By
	switch {
	case t.Fails:
		return fmt.Sprintf("%s: the solver fails a little further on", t.Input)
	case gain == 0:
		return fmt.Sprintf("%s does nothing for %s", t.Input, helped)
	case gain < 0:
		gain, step = -gain, -step
	}
	unit := func(id string) string {
		q, _ := w.bench.Requirement(id)
		return w.bench.Unit(q.Of.Text)
	}
	says := fmt.Sprintf("%s by %s gives %s about %s", t.Input, signedWith(step, in.Unit), helped, plain.With(gain, unit(helped)))
	var spoils []string
	for _, q := range w.bench.Requirements {
		change := t.Margins[q.ID]
		if t.Margins[helped] < 0 {
			change = -change
		}
		if q.ID != helped && change < 0 {
			spoils = append(spoils, fmt.Sprintf("%s %s", q.ID, plain.With(-change, unit(q.ID))))
		}
	}
	if len(spoils) > 0 {
		says += ", and takes from " + plain.List(spoils)
	}
	return says
}

func signedWith(value float64, unit string) string {
	if value > 0 {
		return "+" + plain.With(value, unit)
	}
	return plain.With(value, unit)
}

// A memory keeps records for as long as it is there.
type memory struct {
	mutex   sync.Mutex // guards records
	records map[int]dispatch.Record
}

// Append implements dispatch.Journal. The dispatcher uses what it gives again.
func (m *memory) Append(records []dispatch.Record) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	for _, r := range records {
		r.Design, r.Values, r.Curves = slices.Clone(r.Design), slices.Clone(r.Values), append([]curve.Curve(nil), r.Curves...)
		m.records[r.Number] = r
	}
	return nil
}

// Read implements dispatch.Journal.
func (m *memory) Read(number int) (dispatch.Record, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	r, is := m.records[number]
	if !is {
		return r, fmt.Errorf("evaluation %d was not made", number)
	}
	return r, nil
}

func (m *memory) count() int {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return len(m.records)
}
