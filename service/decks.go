package service

import (
	"bytes"
	"path/filepath"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/edit"
	"ropebench/bench/read"
)

// listNumbers lists the numbers of a deck that belongs to no bench, with their places.
func (s *Service) listNumbers(c fiber.Ctx) error {
	var body struct {
		Text string `json:"text"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	return c.JSON(deck.Numbers([]byte(body.Text)))
}

// shownLines is how many lines of a file are sent at a time.
const shownLines = 2000

// A page is a part of a file, from a line on.
type page struct {
	path string
	from int
}

// namedPage reads which part of a file is asked for.
func namedPage(c fiber.Ctx) (at page, err error) {
	if at.path, err = filePath(c); err != nil {
		return at, err
	}
	at.from, err = number(c, "from", 1, 1, 1<<30)
	return at, err
}

func (s *Service) getDeck(c fiber.Ctx) error {
	at, err := namedPage(c)
	if err != nil {
		return err
	}
	f, err := s.namedFile(c, at.path)
	if err != nil {
		return err
	}
	b, _, _, err := s.refresh(f.saved.Name)
	if err != nil {
		return err
	}
	var places []bench.Place
	blanks := true
	for _, step := range b.Solver.AllSteps() {
		if step.Fill != nil && bench.ContentPath(step.Fill.From) == at.path {
			places, blanks = append(places, step.Fill.Put...), step.Fill.Put == nil
		}
	}
	total := bytes.Count(bytes.TrimSuffix(f.text, []byte("\n")), []byte("\n")) + 1
	answer := api.Deck{Path: at.path, From: at.from, Total: total, Blanks: blanks && bytes.Contains(f.text, []byte("@[")), Lines: [][]api.Segment{}}
	for _, line := range deck.Segments(f.text, places, at.from, shownLines) {
		segments := make([]api.Segment, len(line))
		for i, segment := range line {
			segments[i] = api.Segment(segment)
		}
		answer.Lines = append(answer.Lines, segments)
	}
	return c.JSON(answer)
}

// changePlaces lets an input stand for numbers of a deck, or gives them back.
func (s *Service) changePlaces(c fiber.Ctx) error {
	var body struct {
		Deck     string             `json:"deck"`
		Input    string             `json:"input"`
		Numbers  []edit.NumberPlace `json:"numbers"`
		Nominal  float64            `json:"nominal"`
		GiveBack bool               `json:"give_back"`
		Equals   bool               `json:"equals"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	s.editing.Lock()
	defer s.editing.Unlock()
	deck, err := s.namedFile(c, body.Deck)
	if err != nil {
		return err
	}
	f, err := s.namedFile(c, deck.saved.File)
	if err != nil {
		return err
	}
	if body.Equals {
		body.Numbers = edit.WithEquals(body.Numbers, deck.text)
	}
	edit := edit.Edit{Deck: body.Deck, Input: body.Input, Numbers: body.Numbers, Nominal: body.Nominal}
	change := edit.Take
	if body.GiveBack {
		change = edit.GiveBack
	}
	text, err := change(f.path, f.text, deck.text)
	if err != nil {
		return problem(fiber.StatusUnprocessableEntity, "%s", err)
	}
	if _, _, err := read.LoadWith(filepath.Join(f.saved.Folder, f.saved.File), map[string][]byte{f.path: text}); err != nil {
		return problem(fiber.StatusUnprocessableEntity, "the bench would not be valid then: %s", err)
	}
	return s.write(c, f, f.digest(), text)
}
