// Package steps is the solver made of external programs: decks are filled, programs run one after the other in a
// working folder, and outputs are read from the files they leave.
package steps

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/workbook"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Solver runs the steps of a bench. Every worker may use it: nothing of one evaluation is left for the next.
type Solver struct {
	bench   *bench.Bench
	content bench.Content
	steps   []step
	path    string // PATH of the programs
	reader  reader
}

// A step is a step of the bench with its decks parsed.
type step struct {
	name string
	fill *bench.Fill
	run  *bench.Run
	ask  *bench.Ask
	post *bench.Post
	book *bench.Workbook
	deck deck.Deck
	args []deck.Deck
	env  map[string]deck.Deck
	gave *gaveUp // nil: no line says that the step gave up
}

// New prepares the steps of a bench whose files are in content. Programs are looked up on path.
func New(b *bench.Bench, content bench.Content, path string) (*Solver, error) {
	reader, err := newReader(returned(b), b.InputNames())
	if err != nil {
		return nil, err
	}
	s := &Solver{bench: b, content: content, path: path, reader: reader}
	for _, described := range b.Solver.Steps {
		prepared, err := prepare(described, content)
		if err != nil {
			return nil, err
		}
		s.steps = append(s.steps, prepared)
	}
	return s, nil
}

func prepare(described bench.Step, content bench.Content) (step, error) {
	prepared, err := prepareKind(described, content)
	if err == nil {
		prepared.gave, err = newGaveUp(described.FailIf)
	}
	return prepared, err
}

func prepareKind(described bench.Step, content bench.Content) (step, error) {
	if fill := described.Fill; fill != nil {
		deck, problems := deck.Of(fill, content.Files[bench.ContentPath(fill.From)].Text)
		if len(problems) > 0 {
			return step{}, problems
		}
		return step{name: "fill " + fill.To, fill: fill, deck: deck}, nil
	}
	if post := described.Post; post != nil {
		return step{name: "post to " + post.URL, post: post}, nil
	}
	if ask := described.Ask; ask != nil {
		return step{name: "ask " + ask.Args[0], ask: ask}, nil
	}
	if book := described.Workbook; book != nil {
		return step{name: "set cells of " + book.File, book: book}, nil
	}
	prepared := step{name: "run " + described.Run.Args[0], run: described.Run}
	for _, argument := range described.Run.Args {
		deck, problems := deck.Parse(argument, []byte(argument))
		if len(problems) > 0 {
			return step{}, problems
		}
		prepared.args = append(prepared.args, deck)
	}
	for name, text := range described.Run.Env {
		value, problems := deck.Parse(name, []byte(text))
		if len(problems) > 0 {
			return step{}, problems
		}
		if prepared.env == nil {
			prepared.env = map[string]deck.Deck{}
		}
		prepared.env[name] = value
	}
	return prepared, nil
}

// filled are the arguments, and the environment by its names, in which blanks may stand.
func (s step) filled() []deck.Deck {
	all := s.args
	for _, name := range slices.Sorted(maps.Keys(s.env)) {
		all = append(all[:len(all):len(all)], s.env[name])
	}
	return all
}

// returned lists the outputs as they are returned: numbers by name, then vectors and curves.
func returned(b *bench.Bench) []bench.Output {
	return slices.SortedFunc(slices.Values(b.Outputs), func(x, y bench.Output) int {
		if xNumber, yNumber := x.Shape() == formula.Number, y.Shape() == formula.Number; xNumber != yNumber {
			if xNumber {
				return -1
			}
			return 1
		}
		return strings.Compare(x.Name, y.Name)
	})
}

// Question implements solver.Solver: every text that is put into a deck, an argument or a request.
func (s *Solver) Question(question []byte, _ []float64, lookup solver.Lookup) []byte {
	for _, text := range s.written(lookup) {
		question = append(append(question, text...), 0)
	}
	return question
}

func (s *Solver) written(value solver.Lookup) []string {
	var written []string
	for _, step := range s.steps {
		if step.post != nil || step.ask != nil {
			written = append(written, string(s.body(value)))
		}
		if step.book != nil {
			for _, set := range step.book.Set {
				written = append(written, value(set.Input).String())
			}
		}
		written = append(written, step.deck.Written(value)...)
		for _, argument := range step.filled() {
			written = append(written, argument.Written(value)...)
		}
	}
	return written
}

// AsWritten gives, for each name that is written anywhere, the value that the solver reads there.
func (s *Solver) AsWritten(value solver.Lookup) map[string]float64 {
	written := map[string]float64{}
	for _, step := range s.steps {
		step.deck.AsWritten(value, written)
		for _, argument := range step.filled() {
			argument.AsWritten(value, written)
		}
	}
	return written
}

// Programs lists the files that the steps start, as far as they are found outside of the working folder.
func (s *Solver) Programs() []string {
	var programs []string
	for _, step := range s.steps {
		if step.book != nil && step.book.By == workbook.ByOffice {
			if found, err := lookUp(workbook.OfficeProgram, s.path); err == nil {
				programs = append(programs, found)
			}
		}
		var args []string
		switch {
		case step.run != nil:
			args = step.run.Args
		case step.ask != nil:
			args = step.ask.Args
		}
		if len(args) == 0 || strings.HasPrefix(args[0], "./") {
			continue
		}
		if found, err := lookUp(args[0], s.path); err == nil {
			programs = append(programs, found)
		}
	}
	return programs
}

// Noisy implements solver.Noise.
func (s *Solver) Noisy() bool { return s.bench.Solver.Noisy }

// NeedsFolder implements solver.Opener.
func (s *Solver) NeedsFolder() bool { return true }

// Open implements solver.Opener.
func (s *Solver) Open(_ context.Context, worker solver.Worker) (solver.Session, error) {
	return &session{Solver: s, folder: worker.Folder}, nil
}

// A session makes the evaluations of one worker. Programs are started anew for each; one that is asked stays, and LibreOffice
// where it calculates a workbook.
type session struct {
	*Solver
	folder     string                // of what stays
	clean      *clean                // nil: there is none
	asked      *asked                // nil until it is needed
	answers    map[string][]byte     // of the program that is asked, in the evaluation at work
	office     *office               // nil until it is needed
	calculated map[string]calculated // workbooks that it has left in the working folder, by file
}

// Close implements solver.Session.
func (s *session) Close() error {
	if s.asked != nil {
		s.asked.end(stayGrace)
	}
	if s.office == nil {
		return nil
	}
	return s.office.close()
}

// Solve makes one evaluation in the working folder of the job.
func (s *session) Solve(ctx context.Context, job solver.Job) (solver.Outputs, error) {
	s.calculated, s.answers = map[string]calculated{}, nil
	if err := s.openFolder(job.Folder); err != nil {
		return solver.Outputs{}, err
	}
	var times []solver.StepTime
	for _, step := range s.steps {
		began := time.Now()
		err := spoiled(step.name, s.doWhole(ctx, step, job))
		times = append(times, solver.StepTime{Name: step.name, Elapsed: time.Since(began)})
		var failure *solver.Failure
		if errors.As(err, &failure) {
			failure.Steps = times
		}
		if err != nil {
			return solver.Outputs{}, err
		}
	}
	began := time.Now()
	outputs, err := s.reader.read(job.Folder, s.answers, setBooks{has: s.bench.SetsCellsOf, byOffice: func(file string, a workbook.Address) ([]float64, bool, error) { return s.byOffice(ctx, job, file, a) }})
	err = spoiled("read outputs", err)
	times = append(times, solver.StepTime{Name: "read outputs", Elapsed: time.Since(began)})
	var failure *solver.Failure
	if errors.As(err, &failure) {
		failure.Steps = times
	}
	outputs.Steps = times
	if failure != nil && ctx.Err() == nil {
		if unwritten := s.writeBooks(ctx, job); unwritten != nil {
			failure.Reason += fmt.Sprintf("; the workbook could not be written for a look at it: %s", unwritten)
		}
	}
	if err == nil && !job.Keep {
		s.leaveFolder(job.Folder)
	}
	return outputs, err
}

// doWhole does a step, and looks for the line with which it says that it gave up: that is the reason of a failure, however the
// step ended.
func (s *session) doWhole(ctx context.Context, step step, job solver.Job) error {
	err := s.do(ctx, step, job)
	var failure *solver.Failure
	if failed := errors.As(err, &failure); step.gave == nil || err != nil && !(failed && failure.State == core.Failed) {
		return err
	}
	gaveUp, readErr := step.gave.failure(job.Folder)
	if gaveUp == nil {
		return errors.Join(err, readErr)
	}
	if failure != nil {
		gaveUp.Tail = failure.Tail
	}
	return gaveUp
}

func (s *session) do(ctx context.Context, step step, job solver.Job) error {
	if step.fill != nil {
		text, err := step.deck.Fill(job.Lookup)
		if err != nil {
			return solver.Failed("fill %s, %s", step.fill.To, err)
		}
		return writeFile(job.Folder, step.fill.To, text, 0o644)
	}
	if step.post != nil {
		return send(ctx, step.post, s.body(job.Lookup), job.Folder)
	}
	if step.ask != nil {
		return s.askProgram(ctx, step.ask, job)
	}
	if step.book != nil {
		return s.setCells(ctx, step.book, job)
	}
	args := make([]string, len(step.args))
	for i, argument := range step.args {
		text, err := argument.Fill(job.Lookup)
		if err != nil {
			return solver.Failed("argument %d of %s, %s", i, step.run.Args[0], err)
		}
		args[i] = string(text)
	}
	run := *step.run
	if step.env != nil {
		run.Env = map[string]string{}
	}
	for name, value := range step.env {
		text, err := value.Fill(job.Lookup)
		if err != nil {
			return solver.Failed("%s of the environment of %s, %s", name, step.run.Args[0], err)
		}
		run.Env[name] = string(text)
	}
	p := process{args: args, run: &run, folder: job.Folder, path: s.path, id: job.ID}
	return p.start(ctx)
}

// reads is true for a file of the bench that the steps can read: one below `files`, a deck, a workbook, or what a program
// reads from its standard input. Others, such as limit curves and measurements, are for the bench alone.
func (s *Solver) reads(path string) bool {
	for _, file := range s.bench.Solver.Files {
		if named := bench.ContentPath(file); path == named || strings.HasPrefix(path, named+"/") || named == "." {
			return path != s.content.File
		}
	}
	for _, step := range s.bench.Solver.Steps {
		switch {
		case step.Fill != nil && bench.ContentPath(step.Fill.From) == path,
			step.Workbook != nil && bench.ContentPath(step.Workbook.File) == path,
			step.Run != nil && step.Run.Stdin != "" && bench.ContentPath(step.Run.Stdin) == path:
			return true
		}
	}
	return false
}

// fills is true for a deck: only what is made of it stands in the working folder.
func (s *Solver) fills(path string) bool {
	return slices.ContainsFunc(s.steps, func(step step) bool { return step.fill != nil && bench.ContentPath(step.fill.From) == path })
}

// copyFiles puts the files that the steps read, other than decks, into the folder.
func (s *Solver) copyFiles(folder string) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	for path, file := range s.content.Files {
		if !s.reads(path) || s.fills(path) {
			continue
		}
		mode := os.FileMode(0o644)
		if file.Executable {
			mode = 0o755
		}
		if err := writeIn(root, path, file.Text, mode); err != nil {
			return err
		}
	}
	return nil
}
