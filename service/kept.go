package service

import (
	"cmp"
	"errors"
	"slices"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
)

func (s *Service) listKept(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	kept, err := s.store.Kept(run.ID)
	if err != nil {
		return err
	}
	answer := []api.Kept{}
	for _, one := range kept {
		answer = append(answer, api.Kept{Evaluation: one.Number, Bytes: one.Bytes})
	}
	slices.SortFunc(answer, func(a, b api.Kept) int { return cmp.Compare(a.Evaluation, b.Evaluation) })
	return c.JSON(answer)
}

func (s *Service) listKeptFiles(c fiber.Ctx) error {
	record, r, err := s.namedEvaluation(c)
	if err != nil {
		return err
	}
	files, err := s.store.KeptFiles(r.run.ID, record.Number)
	if err != nil {
		return err
	}
	answer := []api.KeptFile{}
	for _, file := range files {
		answer = append(answer, api.KeptFile{Path: file.Path, Bytes: file.Bytes})
	}
	return c.JSON(answer)
}

// getKeptFile sends a file as it is. It comes from a solver: a browser must not take it for a page.
func (s *Service) getKeptFile(c fiber.Ctx) error {
	record, r, err := s.namedEvaluation(c)
	if err != nil {
		return err
	}
	path, err := filePath(c)
	if err != nil {
		return err
	}
	file, err := s.store.OpenKept(r.run.ID, record.Number, path)
	if err != nil {
		return err
	}
	info, err := file.Stat()
	if err == nil && info.IsDir() {
		err = problem(fiber.StatusBadRequest, "%s is a folder", path)
	}
	if err != nil {
		return errors.Join(err, file.Close())
	}
	c.Set("Content-Type", fiber.MIMEOctetStream)
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Content-Security-Policy", "sandbox")
	return c.SendStream(file, int(info.Size()))
}
