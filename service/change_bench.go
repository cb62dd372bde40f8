package service

import (
	"path/filepath"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/read"
)

// changeBench gives a bench another place or another name.
func (s *Service) changeBench(c fiber.Ctx) error {
	var change api.Change
	if err := readJSON(c, &change); err != nil {
		return err
	}
	name := strings.Clone(c.Params("bench"))
	if _, err := s.store.Bench(name); err != nil {
		return err
	}
	if change.Path == "" && change.Name == "" {
		return problem(fiber.StatusBadRequest, "a change of a bench has a path, a name, or both")
	}
	path := filepath.Clean(change.Path)
	if change.Path != "" { // looked at before the name is changed: either both are, or none
		if err := readable(path); err != nil {
			return err
		}
	}
	if change.Name != "" {
		if err := s.renameBench(name, change.Name); err != nil {
			return err
		}
		name = change.Name
	}
	if change.Path != "" {
		if err := s.store.MoveBench(name, filepath.Dir(path), filepath.Base(path)); err != nil {
			return err
		}
	}
	b, saved, _, err := s.refresh(name)
	if err != nil {
		return err
	}
	s.hub.publish("bench", fiber.Map{"name": name, "revision": saved.Revision})
	return c.JSON(describe(b, saved, ""))
}

// readable says why there is no bench at a path.
func readable(path string) error {
	if !filepath.IsAbs(path) {
		return problem(fiber.StatusBadRequest, "the path of a bench file must be absolute, and %q is not", path)
	}
	if _, _, err := read.Load(path); err != nil {
		return problem(fiber.StatusBadRequest, "there is no bench that can be read at %s: %s", path, err)
	}
	return nil
}

func (s *Service) renameBench(from, to string) error {
	if err := bench.CheckName(to); err != nil {
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	if known, err := s.store.Bench(to); err == nil {
		return problem(fiber.StatusConflict, "the name %s belongs to the bench in %s", to, known.Folder)
	}
	if err := s.runs.Resting(from); err != nil {
		return err
	}
	return s.store.RenameBench(from, to)
}

// removeBench forgets a bench. Its folder is the user's.
func (s *Service) removeBench(c fiber.Ctx) error {
	name := strings.Clone(c.Params("bench"))
	if _, err := s.store.Bench(name); err != nil {
		return err
	}
	if err := s.runs.Resting(name); err != nil {
		return err
	}
	if err := s.store.RemoveBench(name); err != nil {
		return err
	}
	s.hub.publish("bench", fiber.Map{"name": name, "revision": 0})
	return c.SendStatus(fiber.StatusNoContent)
}
