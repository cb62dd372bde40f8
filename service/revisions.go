package service

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/study"
)

// listedRevisions is how many revisions a list shows.
const listedRevisions = 50

func (s *Service) listRevisions(c fiber.Ctx) error {
	name := strings.Clone(c.Params("bench"))
	if _, err := s.store.Bench(name); err != nil {
		return err
	}
	revisions, err := s.store.Revisions(name, listedRevisions)
	if err != nil {
		return err
	}
	answers := make([]api.Revision, len(revisions))
	var newer parsedRevision
	for i, r := range revisions { // newest first: each is read once, and compared with the one before it
		older, err := s.parsed(name, r.Number)
		if err != nil {
			return err
		}
		answers[i] = api.Revision{Number: r.Number, Title: r.Title, Created: r.Created, Changes: []string{}}
		if i > 0 {
			answers[i-1].Changes = newer.since(older)
		}
		newer = older
	}
	if last := len(revisions) - 1; last >= 0 && revisions[last].Number > 1 { // the list is cut off there
		older, err := s.parsed(name, revisions[last].Number-1)
		if err != nil {
			return err
		}
		answers[last].Changes = newer.since(older)
	}
	return c.JSON(answers)
}

// getArchive sends the files of a revision as a zip.
func (s *Service) getArchive(c fiber.Ctx) error {
	saved, err := s.store.Bench(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	wanted, err := number(c, "revision", saved.Revision, 1, 1<<30)
	if err != nil {
		return err
	}
	content, err := s.archived(c, saved.Name, wanted)
	if err != nil {
		return err
	}
	text, err := archive(content)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/zip")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", saved.Name+"-"+strconv.Itoa(wanted)+".zip"))
	return c.Send(text)
}

// archived are the files of a revision, or, where a design of a run is named, what the solver reads for that.
func (s *Service) archived(c fiber.Ctx, name string, revision int) (bench.Content, error) {
	run, err := number(c, "run", 0, 1, 1<<31-1)
	if err != nil || run == 0 {
		content, failed := s.store.Content(name, revision)
		return content, errors.Join(err, failed)
	}
	evaluation, err := number(c, "evaluation", 0, 1, 1<<31-1)
	if err != nil {
		return bench.Content{}, err
	}
	q := study.Question{Of: &study.Candidate{Run: run, Evaluation: evaluation}}
	if err := s.takeDesign(name, &q); err != nil {
		return bench.Content{}, err
	}
	content, err := s.runs.Decks(c.Context(), name, revision, q.Design)
	if err != nil {
		return content, problem(fiber.StatusConflict, "%s", err)
	}
	return content, nil
}

func archive(content bench.Content) ([]byte, error) {
	var text bytes.Buffer
	w := zip.NewWriter(&text)
	for _, path := range slices.Sorted(maps.Keys(content.Files)) {
		file := content.Files[path]
		header := &zip.FileHeader{Name: path, Method: zip.Deflate}
		header.SetMode(0o644)
		if file.Executable {
			header.SetMode(fs.FileMode(0o755))
		}
		member, err := w.CreateHeader(header)
		if err != nil {
			return nil, err
		}
		if _, err := member.Write(file.Text); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return text.Bytes(), nil
}
