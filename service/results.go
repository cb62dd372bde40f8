package service

import (
	"bytes"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/bench/plain"
	"ropebench/bench/results"
	"ropebench/bench/words"
	"ropebench/solver/steps"
	"ropebench/store"
	"ropebench/study"
)

// A leftover is what an evaluation has left of a bench.
type leftover struct {
	bench           *bench.Bench
	run, evaluation int
	files           []store.KeptFile
	folder          string
}

// lastLeft finds the files that the last evaluation of a bench has left: that of the newest single evaluation, which
// keeps them always, else that of the newest run which has kept some.
func (s *Service) lastLeft(c fiber.Ctx) (l leftover, err error) {
	name := strings.Clone(c.Params("bench"))
	if l.bench, _, _, err = s.refresh(name); err != nil {
		return l, err
	}
	runs, err := s.runs.All(name)
	if err != nil {
		return l, err
	}
	slices.SortStableFunc(runs, func(a, b study.Run) int { return rankOf(a) - rankOf(b) })
	for _, run := range runs {
		kept, err := s.store.Kept(run.ID)
		if err != nil {
			return l, err
		}
		if len(kept) == 0 {
			continue
		}
		l.run, l.evaluation = run.ID, kept[len(kept)-1].Number
		if l.files, err = s.store.KeptFiles(l.run, l.evaluation); err != nil {
			return l, err
		}
		l.folder, err = s.store.KeptFolder(l.run, l.evaluation)
		l.inOneCase()
		return l, err
	}
	return l, problem(fiber.StatusNotFound, "no evaluation of %s has left files that were kept: make one afresh, with `ropebench try FILE --fresh` or the button %s", name, study.KindTry)
}

// inOneCase leaves the files of the first case alone, where an evaluation has left some of each: outputs are read alike in all.
func (l *leftover) inOneCase() {
	if l.bench.OneCase == nil {
		return
	}
	first := l.bench.Cases[0].Name
	var files []store.KeptFile
	for _, file := range l.files {
		if below, is := strings.CutPrefix(file.Path, first+"/"); is {
			file.Path = below
			files = append(files, file)
		}
	}
	l.bench, l.files, l.folder = l.bench.OneCase, files, filepath.Join(l.folder, first)
}

// rankOf puts single evaluations before others: they were made to be looked at.
func rankOf(run study.Run) int {
	if run.Question.Kind == study.KindTry {
		return 0
	}
	return 1
}

func (s *Service) listResults(c fiber.Ctx) error {
	l, err := s.lastLeft(c)
	if err != nil {
		return err
	}
	answer := api.Results{Run: l.run, Evaluation: l.evaluation, Files: []api.ResultFile{}}
	for _, file := range l.files {
		one := api.ResultFile{KeptFile: api.KeptFile{Path: file.Path, Bytes: file.Bytes}}
		for _, out := range l.bench.Outputs {
			if out.File == file.Path {
				one.Outputs = append(one.Outputs, out.Name)
			}
		}
		answer.Files = append(answer.Files, one)
	}
	slices.SortStableFunc(answer.Files, func(a, b api.ResultFile) int { return l.made(a.Path) - l.made(b.Path) })
	return c.JSON(answer)
}

// made is 1 for a file that the bench itself has put there, which comes last.
func (l leftover) made(path string) int {
	if slices.ContainsFunc(l.bench.Solver.AllSteps(), func(s bench.Step) bool { return s.Fill != nil && bench.ContentPath(s.Fill.To) == path }) ||
		slices.ContainsFunc(l.bench.Solver.Files, func(file string) bool {
			named := bench.ContentPath(file)
			return path == named || strings.HasPrefix(path, named+"/")
		}) {
		return 1
	}
	return 0
}

// text reads a file that was left; what is no text cannot be pointed at.
func (l leftover) text(path string) ([]byte, error) {
	if !slices.ContainsFunc(l.files, func(f store.KeptFile) bool { return f.Path == path }) {
		return nil, problem(fiber.StatusNotFound, "evaluation %d of run %d has left no file %s", l.evaluation, l.run, path)
	}
	root, err := os.OpenRoot(l.folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	text, err := plain.ReadFile(root.OpenFile, path, maxShown)
	if err != nil {
		return nil, problem(fiber.StatusConflict, "%s cannot be shown: %s", path, err)
	}
	if text, err = io.ReadAll(plain.UTF8(bytes.NewReader(text))); err != nil {
		return nil, problem(fiber.StatusConflict, "%s cannot be shown: %s", path, err)
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return nil, problem(fiber.StatusConflict, "%s is no text: cells of a workbook are named in the bench file, by cell: Sheet1!B9", path)
	}
	return text, nil
}

func (s *Service) getResultFile(c fiber.Ctx) error {
	at, err := namedPage(c)
	if err != nil {
		return err
	}
	l, err := s.lastLeft(c)
	if err != nil {
		return err
	}
	text, err := l.text(at.path)
	if err != nil {
		return err
	}
	lines := plain.Lines(bytes.TrimSuffix(text, []byte("\n")))
	if find := []byte(c.Query("find")); len(find) > 0 {
		for at.from <= len(lines) && !bytes.Contains(lines[at.from-1].Text, find) {
			at.from++
		}
	}
	answer := api.Deck{Path: at.path, From: at.from, Total: len(lines), Lines: [][]api.Segment{}}
	for _, line := range lines[min(at.from-1, len(lines)):min(at.from-1+shownLines, len(lines))] {
		answer.Lines = append(answer.Lines, segmentsOf(line.Text))
	}
	return c.JSON(answer)
}

// segmentsOf parts a line into text and numbers; the field of a number is its place among them.
func segmentsOf(line []byte) []api.Segment {
	segments, last := []api.Segment{}, 0
	for k, span := range results.Numbers(line) {
		if span[0] > last {
			segments = append(segments, api.Segment{Text: string(line[last:span[0]])})
		}
		text := string(line[span[0]:span[1]])
		if value, err := plain.Number(text, ""); err == nil {
			segments = append(segments, api.Segment{Text: text, Field: k + 1, Value: &value})
		} else {
			segments = append(segments, api.Segment{Text: text})
		}
		last = span[1]
	}
	if last < len(line) || len(segments) == 0 {
		segments = append(segments, api.Segment{Text: strings.ToValidUTF8(string(line[last:]), "?")})
	}
	return segments
}

// A way is an output that reads the number at a spot.
type way struct {
	output bench.Output
	shown  api.Way
}

// ways finds the outputs that read the number at a spot again, and reads them.
func (l leftover) ways(spot api.Spot) ([]way, error) {
	text, err := l.text(spot.File)
	if err != nil {
		return nil, err
	}
	candidates, err := results.Ways(spot.File, text, results.Spot{Line: spot.Line, Number: spot.Number})
	if err != nil {
		return nil, problem(fiber.StatusBadRequest, "%s", err)
	}
	wanted, err := results.NumberAt(text, results.Spot{Line: spot.Line, Number: spot.Number})
	if err != nil {
		return nil, problem(fiber.StatusBadRequest, "%s", err)
	}
	var found []way
	for _, out := range candidates {
		out.Name = "x"
		value, err := steps.ReadOne(out, l.folder)
		if err != nil {
			continue // it is no way to the number
		}
		w := way{output: out, shown: api.Way{Output: edit.OutputYAML(out), Says: words.Output(out)}}
		switch {
		case value.Samples != nil && slices.Contains(value.Samples.Y, wanted):
			w.shown.Samples = len(value.Samples.Y)
		case value.Samples == nil && value.Number == signed(wanted, out.Take):
			w.shown.Value = &value.Number
		default:
			continue // it reads another number
		}
		found = append(found, w)
	}
	if len(found) == 0 {
		return nil, problem(fiber.StatusConflict, "no way was found that would read number %d of line %d of %s again: nothing stands about the number that could be looked for; let the solver print a word before it", spot.Number, spot.Line, spot.File)
	}
	return found, nil
}

// signed is what a way reads that finds a number: the largest absolute value is offered where it is that of a negative number, since
// the peak says the same else.
func signed(wanted float64, take string) float64 {
	switch {
	case take != "peak_abs":
		return wanted
	case wanted < 0:
		return -wanted
	}
	return math.NaN()
}

func (s *Service) findWays(c fiber.Ctx) error {
	var spot api.Spot
	if err := readJSON(c, &spot); err != nil {
		return err
	}
	l, err := s.lastLeft(c)
	if err != nil {
		return err
	}
	found, err := l.ways(spot)
	if err != nil {
		return err
	}
	answer := make([]api.Way, len(found))
	for i, w := range found {
		answer[i] = w.shown
	}
	return c.JSON(answer)
}

// addOutput writes an output for a number into the bench file.
func (s *Service) addOutput(c fiber.Ctx) error {
	var wanted api.NewOutput
	if err := readJSON(c, &wanted); err != nil {
		return err
	}
	s.editing.Lock()
	defer s.editing.Unlock()
	l, err := s.lastLeft(c)
	if err != nil {
		return err
	}
	found, err := l.ways(wanted.Spot)
	if err != nil {
		return err
	}
	if wanted.Way < 0 || wanted.Way >= len(found) {
		return problem(fiber.StatusBadRequest, "there are %s to read that number, counted from 0, and way %d is asked for", plain.Count(len(found), "way"), wanted.Way)
	}
	out := found[wanted.Way].output
	out.Name, out.Label, out.Unit = wanted.Name, wanted.Label, wanted.Unit
	saved, err := s.store.Bench(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	f, err := s.namedFile(c, saved.File)
	if err != nil {
		return err
	}
	text, err := edit.AddOutput(f.path, f.text, out)
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "%s", err)
	}
	return s.write(c, f, f.digest(), text)
}
