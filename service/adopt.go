package service

import (
	"path/filepath"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/bench/read"
	"ropebench/bench/words"
	"ropebench/study"
)

// adopt makes the design of an evaluation the nominal one, in the bench file, or says what that would change.
func (s *Service) adopt(c fiber.Ctx) error {
	var order api.Adoption
	if err := readJSON(c, &order); err != nil {
		return err
	}
	s.editing.Lock()
	defer s.editing.Unlock()
	b, saved, mistakes, err := s.refresh(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	if len(mistakes) > 0 {
		return problem(fiber.StatusUnprocessableEntity, "the bench file has mistakes, which come first: %s", mistakes[0])
	}
	q := study.Question{Of: &study.Candidate{Run: order.Run, Evaluation: order.Evaluation}}
	if err := s.takeDesign(saved.Name, &q); err != nil {
		return err
	}
	f, err := s.namedFile(c, saved.File)
	if err != nil {
		return err
	}
	text, err := edit.SetNominals(f.path, f.text, q.Design)
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "%s", err)
	}
	changed, _, err := read.LoadWith(filepath.Join(saved.Folder, saved.File), map[string][]byte{f.path: text})
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "the bench would not be valid then: %s", err)
	}
	done := api.Adopted{Candidate: api.Candidate(*q.Of), Changes: append([]string{}, words.Changes(b, changed, bench.Content{}, bench.Content{})...), Revision: saved.Revision}
	if order.Write && len(done.Changes) > 0 {
		if done.Revision, done.Problems, err = s.put(f, f.digest(), text); err != nil {
			return err
		}
		done.Written = true
	}
	return c.JSON(done)
}
