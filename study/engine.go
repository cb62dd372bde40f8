package study

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"hash"
	"maps"
	"os"
	"slices"

	"ropebench/bench"
	"ropebench/dispatch"
	"ropebench/solver/equations"
	"ropebench/solver/formulas"
	"ropebench/solver/steps"
)

// An Engine is what runs share to reach their solvers.
type Engine struct {
	Slots  *dispatch.Slots
	Folder string // below it evaluations get their working folders
	Path   string // PATH of the programs of steps
	Mark   string // begins the ids of all evaluations of this service
}

// attach chooses the solver of a bench and finds its key.
func (e Engine) attach(config *dispatch.Config, b *bench.Bench, content bench.Content) error {
	if len(b.Solver.Formulas) > 0 {
		batch, err := formulas.New(b)
		if err != nil {
			return err
		}
		config.Batch = batch
		config.SolverKey = formulaKey(b)
		return nil
	}
	if b.Solver.Dynamics != nil {
		batch, err := equations.New(b)
		if err != nil {
			return err
		}
		config.Batch = batch
		config.SolverKey = sha256.Sum256(fmt.Appendf(nil, "%v %s", b.Variables(), b.Equations()))
		return nil
	}
	external, err := steps.New(b, content, e.Path)
	if err != nil {
		return err
	}
	config.Solver = external
	config.SolverKey, err = stepsKey(b, content, external.Programs())
	return err
}

// formulaKey is the key of a formula model: its inputs and formulas.
func formulaKey(b *bench.Bench) [32]byte {
	h := sha256.New()
	for _, in := range b.Inputs {
		fmt.Fprintf(h, "input %s\n", in.Name)
	}
	fmt.Fprintf(h, "variables %v\n", b.Variables())
	for _, f := range b.Solver.Formulas {
		fmt.Fprintf(h, "%s = %s\n", f.Name, f.Formula.Text)
		if f.Along != nil {
			fmt.Fprintf(h, "along %s %v\n", f.Along.Name, f.Along.Values)
		}
	}
	return sum(h)
}

// stepsKey is the key of an external solver: its steps, the definitions of outputs, the files, and the programs that
// are started (path, size, time: a rebuilt solver is another one).
func stepsKey(b *bench.Bench, content bench.Content, programs []string) ([32]byte, error) {
	h := sha256.New()
	outputs := slices.Clone(b.Outputs)
	for i := range outputs {
		outputs[i].Label, outputs[i].Unit = "", "" // words change no number
		if c := outputs[i].Curve; c != nil {
			outputs[i].Curve = &bench.Curve{X: c.X, Y: c.Y}
		}
	}
	described, err := json.Marshal([]any{b.Solver.Steps, outputs})
	if err != nil {
		return [32]byte{}, err
	}
	h.Write(described)
	for _, path := range slices.Sorted(maps.Keys(content.Files)) {
		if path != content.File {
			fmt.Fprintf(h, "file %s %v %x\n", path, content.Files[path].Executable, sha256.Sum256(content.Files[path].Text))
		}
	}
	for _, program := range programs {
		info, err := os.Stat(program)
		if err != nil {
			return [32]byte{}, err
		}
		fmt.Fprintf(h, "program %s %d %d\n", program, info.Size(), info.ModTime().UnixNano())
	}
	return sum(h), nil
}

func sum(h hash.Hash) (key [32]byte) {
	copy(key[:], h.Sum(nil))
	return key
}
