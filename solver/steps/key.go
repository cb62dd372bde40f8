package steps

import (
	"maps"
	"os"
	"slices"
	"strconv"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/solver"
)

var _ solver.Opener = (*Solver)(nil)
var _ solver.Writer = (*Solver)(nil)
var _ solver.Noise = (*Solver)(nil)

// Key implements solver.Solver: what the steps do, what is read from their files, the files of the bench, and the programs
// that are started (path, size, time: a rebuilt solver is another one). How long a step may take and what an output is
// called besides its name change no answer.
func (s *Solver) Key() (solver.Key, error) {
	key := solver.NewKeyMaker("steps 1")
	for _, step := range s.bench.Solver.Steps {
		enterStep(key, step)
		enterFailIf(key, step.FailIf)
	}
	for _, out := range returned(s.bench) {
		enterOutput(key, out)
	}
	s.enterFiles(key)
	for _, program := range s.Programs() {
		info, err := os.Stat(program)
		if err != nil {
			return solver.Key{}, err
		}
		key.Text("program", program)
		key.Number(info.Size(), info.ModTime().UnixNano())
	}
	return key.Key(), nil
}

func enterStep(key solver.KeyMaker, step bench.Step) {
	switch {
	case step.Fill != nil:
		key.Text("fill", step.Fill.From, step.Fill.To)
		for _, place := range step.Fill.Put {
			key.Text(place.Input, place.After, place.Format)
			key.Number(int64(place.Line), int64(place.Lines[0]), int64(place.Lines[1]), int64(place.Field), int64(place.Columns[0]), int64(place.Columns[1]))
		}
	case step.Run != nil:
		key.Text("run", step.Run.Stdin, step.Run.Stdout)
		key.Text(step.Run.Args...)
		enterWhole(key, step.Run.Accept)
		for _, name := range slices.Sorted(maps.Keys(step.Run.Env)) {
			key.Text("env", name, step.Run.Env[name])
		}
	case step.Ask != nil:
		key.Text("ask")
		key.Text(step.Ask.Args...)
		for _, name := range slices.Sorted(maps.Keys(step.Ask.Env)) {
			key.Text("env", name, step.Ask.Env[name])
		}
	case step.Post != nil:
		key.Text("post", step.Post.URL, step.Post.Save)
		enterWhole(key, step.Post.Accept)
	case step.Workbook != nil:
		key.Text("workbook", step.Workbook.File, step.Workbook.By)
		if step.Workbook.By == workbook.ByOffice {
			key.Bytes(officeScript) // how LibreOffice is asked decides what it answers
		}
		for _, set := range step.Workbook.Set {
			key.Text(set.Cell.Sheet, set.Input)
			key.Number(int64(set.Cell.Col), int64(set.Cell.Row), int64(set.Cell.LastCol), int64(set.Cell.LastRow))
		}
	}
}

func enterFailIf(key solver.KeyMaker, f *bench.FailIf) {
	if f != nil {
		key.Text("fail if", f.File, f.Match)
	}
}

func enterWhole(key solver.KeyMaker, numbers []int) {
	key.Number(int64(len(numbers)))
	for _, number := range numbers {
		key.Number(int64(number))
	}
}

func enterOutput(key solver.KeyMaker, out bench.Output) {
	key.Text("output", out.Name, out.File, out.Pointer, out.Match, out.Cell, out.Take)
	key.Number(int64(out.Which))
	if out.Table != nil {
		t := out.Table
		key.Text("table", t.After, t.Field, t.Until, strconv.FormatBool(t.Header))
		key.Number(int64(t.Rows))
	}
	if out.Curve != nil {
		key.Text("curve", out.Curve.X, out.Curve.Y)
	}
	if out.Pointed && out.Pointer == "" {
		key.Text("root")
	}
	if out.Answer {
		key.Text("answer")
	}
	if out.Gradient != nil {
		key.Text("gradient", out.Gradient.File, out.Gradient.Pointer)
	}
}

// enterFiles enters the files that the steps can read: not the bench file, and not those that only the bench reads, such as
// limit curves, catalogs and measurements.
func (s *Solver) enterFiles(key solver.KeyMaker) {
	for _, path := range slices.Sorted(maps.Keys(s.content.Files)) {
		if file := s.content.Files[path]; s.reads(path) {
			key.Text("file", path, strconv.FormatBool(file.Executable))
			key.Bytes(file.Text)
		}
	}
}
