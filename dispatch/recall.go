package dispatch

import (
	"ropebench/core"
	"ropebench/core/curve"
)

// Recall gives what earlier runs know of designs: outcomes without a number, in the order of the designs, which are not written down and do
// not count, with the vectors and curves that the solver gave. The state is Cancelled for a design that none of them knows.
func (d *Dispatcher) Recall(designs []core.Design) ([]core.Outcome, [][]curve.Curve, error) {
	outcomes, curves := make([]core.Outcome, len(designs)), make([][]curve.Curve, len(designs))
	q := d.prepare(designs)
	for i := range designs {
		outcomes[i].State = core.Cancelled
		if d.Known == nil || q.missed[i] {
			continue
		}
		known, found, err := d.Known.Find(d.key(q, i))
		if err != nil {
			return nil, nil, err
		}
		if !found || len(known.Values) < d.outputs || len(known.Curves) < d.curves {
			continue
		}
		d.copyAnswer(q, i, known)
		d.finish(q, []int{i})
		if outcomes[i].State = q.records[i].State; outcomes[i].State == core.OK {
			outcomes[i].Values, curves[i] = q.values.Row(i), q.curves[i][:d.curves]
		}
	}
	return outcomes, curves, nil
}
