package service

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/bench"
	"ropebench/core/formula"
	"ropebench/store"
)

func (s *Service) listBenches(c fiber.Ctx) error {
	benches, err := s.store.Benches()
	if err != nil {
		return err
	}
	return c.JSON(benches)
}

// putBench reads a bench file and keeps it as a new revision if it has changed.
func (s *Service) putBench(c fiber.Ctx) error {
	var body struct {
		Path string `json:"path"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	name, path := strings.Clone(c.Params("bench")), filepath.Clean(body.Path)
	if !filepath.IsAbs(path) {
		return problem(fiber.StatusBadRequest, "the path of a bench file must be absolute, and %q is not", body.Path)
	}
	known, err := s.store.Bench(name)
	if err == nil && (filepath.Clean(known.Folder) != filepath.Dir(path) || known.File != filepath.Base(path)) {
		return problem(fiber.StatusConflict, "the name %s belongs to the bench in %s: give this one another name with --name", name, known.Folder)
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if _, err := bench.Name(name + bench.Suffix); err != nil {
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	b, saved, err := s.read(name, path)
	if err != nil {
		return err
	}
	return c.JSON(describe(b, saved, ""))
}

// read reads a bench file from its folder and keeps what is new.
func (s *Service) read(name, path string) (*bench.Bench, store.Bench, error) {
	b, content, err := bench.Load(path)
	var mistakes bench.Problems
	if err != nil && !errors.As(err, &mistakes) {
		return nil, store.Bench{}, problem(fiber.StatusNotFound, "%s", err)
	}
	if err != nil {
		return nil, store.Bench{}, err
	}
	before, _ := s.store.Bench(name) // the zero revision if there is none
	saved, err := s.store.SaveRevision(name, filepath.Dir(path), b.Title, content)
	if err == nil && saved.Revision != before.Revision {
		s.hub.publish("bench", fiber.Map{"name": name, "revision": saved.Revision})
	}
	return b, saved, err
}

// refresh is the newest revision of a bench, after a look into its folder. Mistakes there are returned beside it.
func (s *Service) refresh(name string) (b *bench.Bench, saved store.Bench, mistakes bench.Problems, err error) {
	saved, err = s.store.Bench(name)
	if err != nil {
		return nil, saved, nil, err
	}
	b, now, err := s.read(name, filepath.Join(saved.Folder, saved.File))
	if err == nil {
		return b, now, nil, nil
	}
	var missing problemError
	switch {
	case errors.As(err, &mistakes):
	case errors.As(err, &missing) || errors.Is(err, fs.ErrNotExist):
		mistakes = bench.Problems{{File: saved.File, Line: 1, Message: err.Error()}}
	default:
		return nil, saved, nil, err
	}
	b, err = s.revision(name, saved.Revision)
	return b, saved, mistakes, err
}

func (s *Service) revision(name string, number int) (*bench.Bench, error) {
	content, err := s.store.Content(name, number)
	if err != nil {
		return nil, err
	}
	return bench.Parse(content)
}

func (s *Service) getBench(c fiber.Ctx) error {
	name := strings.Clone(c.Params("bench"))
	if asked := c.Query("revision"); asked != "" {
		number, err := strconv.Atoi(asked)
		if err != nil {
			return problem(fiber.StatusBadRequest, "revision must be a number, not %q", asked)
		}
		b, err := s.revision(name, number)
		if err != nil {
			return err
		}
		saved, err := s.store.Bench(name)
		saved.Revision = number
		if err != nil {
			return err
		}
		return c.JSON(describe(b, saved, c.Query("study")))
	}
	b, saved, mistakes, err := s.refresh(name)
	if err != nil {
		return err
	}
	answer := describe(b, saved, c.Query("study"))
	answer.Problems = mistakes
	return c.JSON(answer)
}

func (s *Service) getChanges(c fiber.Ctx) error {
	from, fromErr := strconv.Atoi(c.Query("from"))
	to, toErr := strconv.Atoi(c.Query("to"))
	if fromErr != nil || toErr != nil {
		return problem(fiber.StatusBadRequest, "from and to must be numbers of revisions")
	}
	changes, err := s.changes(strings.Clone(c.Params("bench")), from, to)
	if err != nil {
		return err
	}
	return c.JSON(changes)
}

// changes says in words what is different between two revisions.
func (s *Service) changes(name string, from, to int) ([]string, error) {
	older, err := s.parsed(name, from)
	if err != nil {
		return nil, err
	}
	newer, err := s.parsed(name, to)
	if err != nil {
		return nil, err
	}
	return newer.since(older), nil
}

// A parsedRevision is a revision with its content and what that says.
type parsedRevision struct {
	bench   *bench.Bench
	content bench.Content
}

func (s *Service) parsed(name string, number int) (parsedRevision, error) {
	content, err := s.store.Content(name, number)
	if err != nil {
		return parsedRevision{}, err
	}
	b, err := bench.Parse(content)
	if err != nil {
		return parsedRevision{}, fmt.Errorf("revision %d: %w", number, err)
	}
	return parsedRevision{b, content}, nil
}

// since says in words what changed from an older revision to this one.
func (r parsedRevision) since(older parsedRevision) []string {
	return append([]string{}, bench.Changes(older.bench, r.bench, older.content, r.content)...)
}

// A benchAnswer is a bench as it is shown.
type benchAnswer struct {
	store.Bench
	Notes        string              `json:"notes,omitempty"`
	Inputs       []inputAnswer       `json:"inputs"`
	Outputs      []outputAnswer      `json:"outputs"`
	Requirements []requirementAnswer `json:"requirements"`
	Studies      []studyAnswer       `json:"studies"`
	Statement    string              `json:"statement"`
	Symbols      string              `json:"symbols"`
	Solver       string              `json:"solver"`
	Problems     bench.Problems      `json:"problems,omitempty"`
}

type inputAnswer struct {
	bench.Input
	Varied bool   `json:"varied"`
	Says   string `json:"says"`
}

type outputAnswer struct {
	Name  string `json:"name"`
	Label string `json:"label,omitempty"`
	Unit  string `json:"unit,omitempty"`
	Kind  string `json:"kind"`
	Says  string `json:"says"`
	X     string `json:"x,omitempty"`
	XUnit string `json:"x_unit,omitempty"`
}

type requirementAnswer struct {
	ID       string    `json:"id"`
	Says     string    `json:"says"`
	Of       string    `json:"of"`
	Unit     string    `json:"unit,omitempty"`
	Kind     string    `json:"kind"`
	Limits   []float64 `json:"limits"` // none for a limit curve
	Within   float64   `json:"within,omitempty"`
	Reserve  float64   `json:"reserve,omitempty"`
	Limit    string    `json:"limit"`
	Decisive bool      `json:"decisive"`
}

type studyAnswer struct {
	Name      string   `json:"name"`
	Kind      string   `json:"kind"`
	Says      string   `json:"says"`
	Later     string   `json:"later,omitempty"`
	Objective string   `json:"objective,omitempty"`
	Maximize  bool     `json:"maximize,omitempty"`
	Watch     []string `json:"watch,omitempty"`
}

// describe shows a bench; its statement is about study, or the first optimization.
func describe(b *bench.Bench, saved store.Bench, study string) benchAnswer {
	a := benchAnswer{Bench: saved, Notes: b.Notes, Statement: b.Statement(study), Symbols: b.Symbols(study), Solver: b.SolverWords(),
		Inputs: []inputAnswer{}, Outputs: []outputAnswer{}, Requirements: []requirementAnswer{}, Studies: []studyAnswer{}}
	for _, in := range b.Inputs {
		a.Inputs = append(a.Inputs, inputAnswer{in, in.Varied(), in.RangeWords()})
	}
	for _, g := range b.Given() {
		answer := outputAnswer{Name: g.Name, Label: g.Label, Unit: g.Unit, Kind: "value", Says: g.Says}
		if g.Shape != formula.Number {
			answer.Kind, answer.X, answer.XUnit = "curve", g.X, g.XUnit
		}
		a.Outputs = append(a.Outputs, answer)
	}
	for _, d := range b.Derived {
		answer := outputAnswer{Name: d.Name, Label: d.Label, Unit: d.Unit, Kind: "derived", Says: "= " + d.Formula.Text}
		if b.Shapes[d.Name] != formula.Number {
			answer.Kind, answer.X, answer.XUnit = "curve", "x", ""
		}
		a.Outputs = append(a.Outputs, answer)
	}
	for _, q := range b.Requirements {
		a.Requirements = append(a.Requirements, requirementAnswer{ID: q.ID, Says: q.Says, Of: q.Of.Text, Unit: b.Unit(q.Of.Text), Kind: q.Kind,
			Limits: append([]float64{}, q.Limits...), Within: q.Within, Reserve: q.Limit.Reserve, Limit: b.LimitWords(q), Decisive: q.Decisive()})
	}
	for _, t := range b.Studies {
		answer := studyAnswer{Name: t.Name, Kind: t.Kind, Says: t.Summary(), Later: t.Later, Watch: t.Watch}
		if t.Objective != nil {
			answer.Objective, answer.Maximize = t.Objective.Formula.Text, t.Objective.Maximize
		}
		a.Studies = append(a.Studies, answer)
	}
	return a
}
