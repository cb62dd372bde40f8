package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/bench"
	"ropebench/bench/words"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/explore"
	"ropebench/report/document"
	"ropebench/result"
	"ropebench/store"
	"ropebench/study"
)

// A reportFormat is a way to write down what is known of a candidate.
type reportFormat struct {
	media  string
	ending string
	write  func(document.Subject) ([]byte, error)
	// figures are needed
	figures bool
}

var reportFormats = map[string]reportFormat{
	"html": {media: "text/html; charset=utf-8", ending: ".html", figures: true, write: func(s document.Subject) ([]byte, error) { return document.HTML(document.Report(s)) }},
	"markdown": {media: "text/markdown; charset=utf-8", ending: ".md", figures: true, write: func(s document.Subject) ([]byte, error) {
		return document.Markdown(document.Report(s)), nil
	}},
	"junit": {media: "application/xml; charset=utf-8", ending: ".xml", write: document.JUnit},
	"csv":   {media: "text/csv; charset=utf-8", ending: ".csv", write: document.CSV},
	"xlsx":  {media: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ending: ".xlsx", write: document.Workbook},
	"json":  {media: "application/json", ending: ".json", write: document.JSON},
}

// getReport writes what is known of a candidate, or of any design of a run.
func (s *Service) getReport(c fiber.Ctx) error {
	formats := slices.Sorted(maps.Keys(reportFormats))
	as := strings.Clone(c.Query("as", "html"))
	format, known := reportFormats[as]
	if !known {
		return problem(fiber.StatusBadRequest, "a report is written as %s, not as %q%s", strings.Join(formats, ", "), as, formula.Suggest(as, formats))
	}
	subject, err := s.subject(c, format.figures)
	if err != nil {
		return err
	}
	text, err := format.write(subject)
	if err != nil {
		return err
	}
	c.Set("Content-Type", format.media)
	c.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	c.Set("X-Content-Type-Options", "nosniff")
	if c.Query("download") != "" {
		c.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s%s"`, subject.Name, strings.ReplaceAll(subject.Candidate.Name, ":", "-"), format.ending))
	}
	return c.Send(text)
}

// A collection is what is known about a candidate on the way into a report.
type collection struct {
	s       *Service
	subject document.Subject
	runs    []study.Run // of the bench, the newest first
	run     study.Run   // that the candidate is of
	reading reading
	// verified and curves of the evaluation that is judged, and of the nominal design beside it; the runs are 0 where there is none.
	judged, nominal study.Candidate
	objectives      []string
}

func (s *Service) subject(c fiber.Ctx, figures bool) (document.Subject, error) {
	name := strings.Clone(c.Params("bench"))
	b, saved, _, err := s.refresh(name)
	if err != nil {
		return document.Subject{}, err
	}
	k := &collection{s: s, subject: document.Subject{Bench: b, Name: saved.Name, File: saved.File, Revision: saved.Revision, Program: "Rope Bench " + s.config.Version, Made: time.Now()}}
	if err := k.candidate(c); err != nil {
		return k.subject, err
	}
	if k.runs, err = s.runs.All(name); err != nil {
		return k.subject, err
	}
	slices.SortFunc(k.runs, func(a, b study.Run) int { return b.ID - a.ID })
	for _, step := range []func() error{k.design, k.verification, k.studies, k.scatter} {
		if err := step(); err != nil {
			return k.subject, err
		}
	}
	if figures {
		if err := k.matters(s.life); err != nil {
			return k.subject, err
		}
		return k.subject, k.figures()
	}
	return k.subject, nil
}

// candidate finds the one that a request names, or the design of a run.
func (k *collection) candidate(c fiber.Ctx) error {
	name := strings.Clone(c.Query("candidate"))
	if name == "" {
		run, err := number(c, "run", 0, 1, 1<<31-1)
		if err != nil {
			return err
		}
		evaluation, err := number(c, "evaluation", 0, 1, 1<<31-1)
		if err != nil {
			return err
		}
		if run == 0 {
			return problem(fiber.StatusBadRequest, "a report is about a candidate: name one, or the run and the evaluation of a design")
		}
		k.subject.Candidate = document.Candidate{Run: run, Evaluation: evaluation}
		return nil
	}
	all, err := k.s.store.Candidates(k.subject.Name)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(all, func(one store.Candidate) bool { return one.Name == name })
	if at < 0 {
		return problem(fiber.StatusNotFound, "%s has no candidate %s: `ropebench pick` gives a design that name", k.subject.Name, name)
	}
	one := all[at]
	k.subject.Candidate = document.Candidate{Name: one.Name, Because: one.Because, Run: one.Run, Evaluation: one.Evaluation, Picked: one.Picked}
	return nil
}

// design reads the candidate as its run has seen it.
func (k *collection) design() error {
	c := &k.subject.Candidate
	q := study.Question{Of: &study.Candidate{Run: c.Run, Evaluation: c.Evaluation}}
	if err := k.s.takeDesign(k.subject.Name, &q); err != nil {
		return err
	}
	c.Evaluation = q.Of.Evaluation
	if c.Name == "" {
		c.Name = fmt.Sprintf("%d:%d", c.Run, c.Evaluation)
	}
	k.judged = *q.Of
	run, parts, err := k.s.runs.Result(c.Run)
	if err != nil {
		return err
	}
	k.run, c.Revision = run, run.Revision
	if k.reading, err = k.s.reading(run); err != nil {
		return err
	}
	if err := k.judgedOn(run.Revision); err != nil {
		return err
	}
	record, err := k.s.store.Evaluation(run.ID, c.Evaluation)
	if err != nil {
		return err
	}
	if record.Values != nil {
		c.Design = k.reading.model.Describe(record.Number, record.Design, record.Values, nil, core.Goal{})
	}
	if run.Revision != k.subject.Revision {
		if c.Changes, err = k.s.changes(k.subject.Name, run.Revision, k.subject.Revision); err != nil {
			return err
		}
	}
	if unreliable := study.Unreliable(run, k.reading.model.Bench); unreliable != "" {
		c.Changes = append(c.Changes, unreliable)
	}
	k.subject.Search = &document.Found{Run: run.ID, Study: run.Question.Study, Seed: run.Question.Seed, Evaluations: run.Evaluations, Reason: run.Reason, Parts: parts}
	if k.subject.Nominal = parts.Nominal; parts.Nominal != nil {
		k.nominal = study.Candidate{Run: run.ID, Evaluation: parts.Nominal.Evaluation}
	}
	if asked, is := k.reading.model.Bench.Study(run.Question.Study); is {
		for _, goal := range asked.Goals() {
			k.objectives = append(k.objectives, goal.Formula.Text)
		}
	}
	return nil
}

// judgedOn notes the revision on which the design that is judged was evaluated.
func (k *collection) judgedOn(revision int) (err error) {
	if k.subject.Then = k.subject.Bench; revision != k.subject.Revision {
		k.subject.Then, err = k.s.revision(k.subject.Name, revision)
	}
	return err
}

// verification finds the latest one of the candidate.
func (k *collection) verification() error {
	for _, run := range k.runs {
		of := run.Question.Of
		if run.Question.Kind != study.KindVerify || of == nil || of.Run != k.judged.Run || of.Evaluation != k.judged.Evaluation || run.State != study.Finished {
			continue
		}
		_, parts, err := k.s.runs.Result(run.ID)
		if err != nil {
			return err
		}
		k.subject.Verified = &document.Verified{Run: run.ID, Revision: run.Revision, Ended: run.Ended, Parts: parts}
		if parts.Best != nil {
			k.judged = study.Candidate{Run: run.ID, Evaluation: parts.Best.Evaluation}
			if err := k.judgedOn(run.Revision); err != nil {
				return err
			}
		}
		if parts.Nominal != nil {
			k.subject.Nominal, k.nominal = parts.Nominal, study.Candidate{Run: run.ID, Evaluation: parts.Nominal.Evaluation}
		}
		return nil
	}
	return nil
}

// studies counts what was done.
func (k *collection) studies() error {
	single := document.Studied{Name: "single", Words: "single evaluations and verifications"}
	found := map[string]*document.Studied{}
	for _, run := range slices.Backward(k.runs) {
		one := &single
		if asked, is := k.subject.Bench.Study(run.Question.Study); is {
			if one = found[asked.Name]; one == nil {
				one = &document.Studied{Name: asked.Name, Words: words.Study(asked)}
				found[asked.Name] = one
			}
		} else if run.Question.Kind != study.KindTry && run.Question.Kind != study.KindVerify {
			continue // of a study that the bench has no more
		}
		one.Runs++
		one.Evaluations += run.Evaluations - run.Reused
		one.Failed += run.Failed
		one.Latest, one.Ended = run.ID, string(run.State)
	}
	for _, asked := range k.subject.Bench.Studies {
		if one := found[asked.Name]; one != nil {
			k.subject.Studies = append(k.subject.Studies, *one)
		}
	}
	if single.Runs > 0 {
		k.subject.Studies = append(k.subject.Studies, single)
	}
	return nil
}

// scatter finds the latest studies of it about the candidate.
func (k *collection) scatter() error {
	design := k.subject.Judged()
	if design == nil {
		return nil
	}
	for _, run := range k.runs {
		if run.State != study.Finished || run.Revision != k.subject.Revision || run.Question.Kind != "uncertainty" {
			continue
		}
		_, parts, err := k.s.runs.Result(run.ID)
		if err != nil {
			return err
		}
		if parts.Scatter == nil && parts.Rare == nil && parts.Worst == nil || !about(k.subject.Bench, run.Question.Start, design.Inputs) {
			continue
		}
		found := &document.Scattered{Run: run.ID, Study: run.Question.Study, Parts: parts}
		switch {
		case parts.Scatter != nil && k.subject.Scatter == nil:
			k.subject.Scatter = found
		case parts.Rare != nil && k.subject.Rare == nil:
			k.subject.Rare = found
		case parts.Worst != nil && k.subject.Worst == nil:
			k.subject.Worst = found
		}
	}
	return nil
}

// about is true where a study that began at some values was about a design: nil is the nominal one.
func about(b *bench.Bench, start, design map[string]bench.Value) bool {
	for _, in := range b.Varied() {
		value, moved := start[in.Name]
		if !moved {
			value = in.Nominal
		}
		if value != design[in.Name] {
			return false
		}
	}
	return true
}

const mostMattering = 3 // values of which a report says what moves them

// matters says what moves the values that count: by the latest study that asked, or else by the latest sample.
func (k *collection) matters(ctx context.Context) error {
	var wanted []string
	for _, name := range append(slices.Clone(k.objectives), k.required()...) {
		if !slices.Contains(wanted, name) {
			wanted = append(wanted, name)
		}
	}
	for _, run := range k.runs {
		if run.State != study.Finished || run.Question.Kind != "sensitivity" && run.Question.Kind != "sample" {
			continue
		}
		_, parts, err := k.s.runs.Result(run.ID)
		if err != nil {
			return err
		}
		switch {
		case parts.Sensitivity != nil:
			k.enterMatters(run.ID, wanted, func(name string) (result.Sensitivity, bool) { found, is := parts.Sensitivity[name]; return found, is })
		case parts.Sample != nil && len(k.subject.Matters) == 0:
			_, x, err := k.s.explorerOf(run)
			if err != nil {
				continue // the sample varies nothing that could be explored
			}
			k.enterMatters(run.ID, wanted, func(name string) (result.Sensitivity, bool) { return k.bySample(ctx, x, name) })
		}
		if len(k.subject.Matters) > 0 {
			return nil
		}
	}
	return nil
}

// bySample asks the surrogate of a sample.
func (k *collection) bySample(ctx context.Context, x *explore.Explorer, name string) (result.Sensitivity, bool) {
	if !slices.Contains(x.ValueNames(), name) {
		return result.Sensitivity{}, false
	}
	found, err := x.Sensitivity(ctx, name)
	return found, err == nil
}

func (k *collection) enterMatters(run int, wanted []string, find func(string) (result.Sensitivity, bool)) {
	for _, name := range wanted {
		if found, is := find(name); is && len(k.subject.Matters) < mostMattering {
			k.subject.Matters = append(k.subject.Matters, document.Mattering{Name: name, Run: run, Sensitivity: found})
		}
	}
}

// required are the values that requirements are on.
func (k *collection) required() []string {
	var names []string
	for _, row := range k.subject.Rows() {
		names = append(names, row.Requirement.Of.Text)
	}
	return names
}
