package read

import (
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/dynamics"
	"ropebench/core/formula"
)

// Accuracy where the bench file says nothing, and what it may say.
const (
	defaultRelative = 1e-8
	defaultAbsolute = 1e-10
	finestAccuracy  = 1e-13
	maxSamples      = 1_000_000
)

func (f *fileReader) dynamics(n *Node) {
	d := &bench.Dynamics{Relative: defaultRelative, Absolute: defaultAbsolute}
	f.bench.Solver.Dynamics = d
	moving := func(what string, n *Node) formula.Expression {
		expression := f.formula(n, what)
		f.uses = append(f.uses, use{line: n.line, what: what, expression: expression, local: dynamics.Time})
		return expression
	}
	still := func(what string, n *Node) formula.Expression {
		expression := f.formula(n, what)
		f.uses = append(f.uses, use{line: n.line, what: what, expression: expression, still: true})
		return expression
	}
	time := false
	f.fields(n, "dynamics", keys{
		"time": func(n *Node) {
			time = true
			f.fields(n, "time", keys{
				"from":  func(n *Node) { d.From = still("time: from", n) },
				"to":    func(n *Node) { d.To = still("time: to", n) },
				"count": func(n *Node) { d.Count = f.whole(n, "time: count", 2) },
				"unit":  func(n *Node) { d.TimeUnit = f.singleText(n, "time: unit") },
			})
			if n.kind == mapping && (d.From.Text == "" || d.To.Text == "" || d.Count == 0) {
				f.wrong(n.line, "time needs from, to and count: {from: 0, to: 10, count: 201}")
			}
			if d.Count > maxSamples {
				f.wrong(n.line, "time: at most %d samples are kept", maxSamples)
			}
		},
		"states": func(n *Node) {
			f.named(n, "states", false, func(name string, line int, n *Node) {
				f.declare(name, line)
				s := bench.State{Name: name}
				f.fields(n, name, keys{
					"label": func(n *Node) { s.Label = f.singleText(n, name+": label") },
					"unit":  func(n *Node) { s.Unit = f.singleText(n, name+": unit") },
					"start": func(n *Node) { s.Start = still(name+": start", n) },
					"rate":  func(n *Node) { s.Rate = moving(name+": rate", n) },
				})
				if n.kind == mapping && (s.Start.Text == "" || s.Rate.Text == "") {
					f.wrong(line, "%s needs its start and its rate of change: {start: 0, rate: v}", name)
				}
				d.States = append(d.States, s)
			})
		},
		"signals": func(n *Node) {
			f.named(n, "signals", false, func(name string, line int, n *Node) {
				f.declare(name, line)
				before := len(f.uses)
				d.Signals = append(d.Signals, f.namedFormula(name, line, n))
				for i := before; i < len(f.uses); i++ {
					f.uses[i].local = dynamics.Time
				}
			})
		},
		"accuracy": func(n *Node) {
			part := func(what string, into *float64) func(*Node) {
				return func(n *Node) {
					if *into = f.number(n, "accuracy: "+what); *into < finestAccuracy || *into > 1 {
						f.wrong(n.line, "accuracy: %s is between %g and 1, not %s", what, finestAccuracy, n.Text)
					}
				}
			}
			f.fields(n, "accuracy", keys{"relative": part("relative", &d.Relative), "absolute": part("absolute", &d.Absolute)})
		},
	})
	if curves := len(d.States) + len(d.Signals); d.Count*curves > plain.MaxValues {
		f.wrong(n.line, "time: %d samples of %d states and signals are more than the %d values that an evaluation may have: take fewer", d.Count, curves, plain.MaxValues)
	}
	if n.kind == mapping && (!time || len(d.States) == 0) && len(f.problems) == 0 {
		f.wrong(n.line, "dynamics needs time and states: time: {from: 0, to: 10, count: 201}, states: {x: {start: 0, rate: v}}")
	}
}

// checkDynamics refuses what differential equations cannot use: vectors, curves and what is read off them, and derived
// values, which are computed behind them.
func (f *fileReader) checkDynamics() {
	d := f.bench.Solver.Dynamics
	if d == nil {
		return
	}
	d.Signals = f.ordered(d.Signals)
	if line, taken := f.lines[dynamics.Time]; taken {
		f.wrong(line, "%s is what the equations run over: take another name", dynamics.Time)
	}
	check := func(name string, expression formula.Expression) {
		line := f.lines[name]
		if expression.Reads() {
			f.wrong(line, "%s: %q reads something off a curve, and within the equations every name is the number of that moment: read it off in derived", name, expression.Text)
		}
		for _, used := range expression.Names {
			if slices.ContainsFunc(f.bench.Derived, func(d bench.Derived) bool { return d.Name == used }) {
				f.wrong(line, "%s: equations use time, inputs, states and signals; %s is derived from their results: make it a signal", name, used)
			}
		}
	}
	for _, s := range d.States {
		check(s.Name, s.Start)
		check(s.Name, s.Rate)
	}
	for _, s := range d.Signals {
		if s.Along != nil {
			f.wrong(f.lines[s.Name], "%s: a signal runs over time: remove along", s.Name)
		}
		check(s.Name, s.Formula)
	}
	for _, u := range f.uses {
		for _, name := range u.expression.Names {
			if _, isInput := f.bench.Input(name); u.still && !isInput && f.lines[name] > 0 {
				f.wrong(u.line, "%s: %q names %s, which changes with time: only inputs are known here", u.what, u.expression.Text, name)
			}
		}
	}
}
