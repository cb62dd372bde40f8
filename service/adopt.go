package service

import (
	"bytes"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/bench/plain"
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
	changed, content, err := read.LoadWith(filepath.Join(saved.Folder, saved.File), map[string][]byte{f.path: text})
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "the bench would not be valid then: %s", err)
	}
	done := api.Adopted{Candidate: api.Candidate(*q.Of), Changes: append([]string{}, words.Changes(b, changed, bench.Content{}, bench.Content{})...), Revision: saved.Revision}
	decks, err := s.runs.StandingDecks(c.Context(), changed, content, q.Design)
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "%s", err)
	}
	for _, path := range slices.Sorted(maps.Keys(decks)) {
		if bytes.HasPrefix(decks[path], []byte("PK")) {
			done.Changes = append(done.Changes, path+": its cells get the numbers of the design, recalculated")
			continue
		}
		done.Changes = append(done.Changes, changedLines(path, content.Files[path].Text, decks[path])...)
	}
	if order.Write && len(done.Changes) > 0 {
		// decks first: at their places the numbers of the bench count, so that a write that breaks off here changes no answer
		for path, text := range decks {
			if bytes.Equal(content.Files[path].Text, text) {
				continue
			}
			if err := replaceFile(saved.Folder, path, text); err != nil {
				return problem(fiber.StatusConflict, "%s cannot be written in %s: %s", path, saved.Folder, err)
			}
		}
		if done.Revision, done.Problems, err = s.put(f, f.digest(), text); err != nil {
			return err
		}
		done.Written = true
	}
	return c.JSON(done)
}

const mostLinesTold = 20 // of one deck

// changedLines tells the lines of a deck that are different. It has as many as before.
func changedLines(path string, before, after []byte) []string {
	old, now := bytes.Split(before, []byte("\n")), bytes.Split(after, []byte("\n"))
	var told []string
	more := 0
	for i := range min(len(old), len(now)) {
		switch {
		case bytes.Equal(old[i], now[i]):
		case len(told) == mostLinesTold:
			more++
		default:
			told = append(told, fmt.Sprintf("%s, line %d: %s -> %s", path, i+1, shownLine(old[i]), shownLine(now[i])))
		}
	}
	if more > 0 {
		told = append(told, fmt.Sprintf("%s: %s more", path, plain.Count(more, "line")))
	}
	return told
}

func shownLine(line []byte) string {
	return plain.Short(plain.Printable(strings.TrimSpace(strings.ToValidUTF8(string(line), "?"))))
}
