package service

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/bench/words"
	"ropebench/store"
)

// maxEdited bounds a text that is edited through the service.
const maxEdited = 2 << 20

// maxShown bounds a file of which pages are shown.
const maxShown = 1 << 30

func (s *Service) listFiles(c fiber.Ctx) error {
	b, saved, _, err := s.refresh(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	content, err := s.store.Content(saved.Name, saved.Revision)
	if err != nil {
		return err
	}
	files := []api.File{}
	paths := slices.DeleteFunc(slices.Sorted(maps.Keys(content.Files)), func(path string) bool { return path == content.File })
	for _, path := range append([]string{content.File}, paths...) {
		text := content.Files[path].Text
		isDeck := slices.ContainsFunc(b.Solver.AllSteps(), func(step bench.Step) bool { return step.Fill != nil && bench.ContentPath(step.Fill.From) == path })
		files = append(files, api.File{Path: path, Size: len(text), Deck: isDeck, Text: utf8.Valid(text) && len(text) <= maxEdited})
	}
	return c.JSON(api.Files{File: saved.File, Files: files})
}

// A benchFile is a file of a bench as it stands in its folder.
type benchFile struct {
	saved store.Bench
	path  string
	text  []byte
}

// digest names a text: who changes it says which one was read before.
func (f benchFile) digest() string {
	sum := sha256.Sum256(f.text)
	return hex.EncodeToString(sum[:8])
}

// namedFile reads the file that a path of the interface names: one of those of the bench.
func (s *Service) namedFile(c fiber.Ctx, path string) (f benchFile, err error) {
	if f.saved, err = s.store.Bench(strings.Clone(c.Params("bench"))); err != nil {
		return f, err
	}
	content, err := s.store.Content(f.saved.Name, f.saved.Revision)
	if err != nil {
		return f, err
	}
	f.path = path
	if _, belongs := content.Files[path]; !belongs {
		return f, problem(fiber.StatusNotFound, "%q is no file of the bench %s; it has %s", path, f.saved.Name, strings.Join(slices.Sorted(maps.Keys(content.Files)), ", "))
	}
	root, err := os.OpenRoot(f.saved.Folder)
	if err != nil {
		return f, problem(fiber.StatusConflict, "the folder %s of the bench cannot be read: %s", f.saved.Folder, err)
	}
	defer root.Close()
	if f.text, err = plain.ReadFile(root.OpenFile, path, maxShown); err != nil {
		return f, problem(fiber.StatusConflict, "%s cannot be read in %s: %s", path, f.saved.Folder, err)
	}
	return f, nil
}

func filePath(c fiber.Ctx) (string, error) {
	path, err := url.PathUnescape(strings.Clone(c.Params("*")))
	if err != nil || path == "" {
		return "", problem(fiber.StatusBadRequest, "the name of the file is missing")
	}
	return path, nil
}

func (s *Service) getFile(c fiber.Ctx) error {
	path, err := filePath(c)
	if err != nil {
		return err
	}
	f, err := s.namedFile(c, path)
	if err != nil {
		return err
	}
	if !utf8.Valid(f.text) || len(f.text) > maxEdited {
		return problem(fiber.StatusConflict, "%s is no text of less than %d MB, which could be edited here: change it in its folder, %s", path, maxEdited>>20, f.saved.Folder)
	}
	return c.JSON(api.FileText{Path: path, Text: string(f.text), Digest: f.digest()})
}

func (s *Service) putFile(c fiber.Ctx) error {
	var body struct {
		Text   string `json:"text"`
		Digest string `json:"digest"` // of the text that was read before
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	path, err := filePath(c)
	if err != nil {
		return err
	}
	s.editing.Lock()
	defer s.editing.Unlock()
	f, err := s.namedFile(c, path)
	if err != nil {
		return err
	}
	return s.write(c, f, body.Digest, []byte(body.Text))
}

// write changes a file of a bench in its folder, unless somebody else has changed it meanwhile. The caller holds editing.
func (s *Service) write(c fiber.Ctx, f benchFile, digest string, text []byte) error {
	revision, mistakes, err := s.put(f, digest, text)
	if err != nil {
		return err
	}
	f.text = text
	return c.JSON(api.Edited{Revision: revision, Digest: f.digest(), Text: string(text), Problems: mistakes})
}

// put is write without an answer; it gives the newest good revision, and the mistakes of the files as they are then.
func (s *Service) put(f benchFile, digest string, text []byte) (int, bench.Problems, error) {
	if digest != f.digest() {
		return 0, nil, problem(fiber.StatusConflict, "%s was changed in its folder meanwhile: load it anew, and make the change again", f.path)
	}
	if len(text) > maxEdited {
		return 0, nil, problem(fiber.StatusRequestEntityTooLarge, "the text has %d MB; at most %d MB are edited here", len(text)>>20, maxEdited>>20)
	}
	if err := replaceFile(f.saved.Folder, f.path, text); err != nil {
		return 0, nil, problem(fiber.StatusConflict, "%s cannot be written in %s: %s", f.path, f.saved.Folder, err)
	}
	_, saved, mistakes, err := s.refresh(f.saved.Name)
	return saved.Revision, mistakes, err
}

// replaceFile puts a new text in the place of a file at once: it is never half written. No link leads out of the folder.
func replaceFile(folder, path string, text []byte) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	info, err := root.Stat(path)
	if err != nil {
		return err
	}
	fresh := path + ".ropebench-" + rand.Text()
	file, err := root.OpenFile(fresh, os.O_WRONLY|os.O_CREATE|os.O_EXCL, info.Mode().Perm())
	if err != nil {
		return err
	}
	_, err = file.Write(text)
	err = errors.Join(err, file.Sync(), file.Close())
	if err == nil {
		err = root.Rename(fresh, path)
	}
	if err != nil {
		return errors.Join(err, root.Remove(fresh))
	}
	return nil
}

// checkFiles says what would be wrong with a bench if some of its files had other texts.
func (s *Service) checkFiles(c fiber.Ctx) error {
	var body struct {
		Files map[string]string `json:"files"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	saved, err := s.store.Bench(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	changed := map[string][]byte{}
	for path, text := range body.Files {
		changed[path] = []byte(text)
	}
	b, _, err := read.LoadWith(filepath.Join(saved.Folder, saved.File), changed)
	return sendCheck(c, b, "", err)
}

// checkText says what is wrong with a bench that is not registered: all its files come with the request.
func (s *Service) checkText(c fiber.Ctx) error {
	var body struct {
		File   string            `json:"file"`
		Files  map[string]string `json:"files"`
		Packed map[string][]byte `json:"packed"` // workbooks and the like
		Study  string            `json:"study"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	texts := map[string][]byte{}
	maps.Copy(texts, body.Packed)
	for path, text := range body.Files {
		texts[path] = []byte(text)
	}
	if _, sent := texts[body.File]; !sent || filepath.Base(body.File) != body.File {
		return problem(fiber.StatusUnprocessableEntity, "file names the bench file, which is one of files, as in {\"file\": \"hoist%s\", \"files\": {\"hoist%s\": \"bench: 1 ...\"}}", bench.Suffix, bench.Suffix)
	}
	folder, err := os.MkdirTemp("", "ropebench-check-") // nothing but what was sent is read
	if err != nil {
		return err
	}
	b, _, err := read.LoadWith(filepath.Join(folder, body.File), texts)
	if err := os.RemoveAll(folder); err != nil {
		return err
	}
	return sendCheck(c, b, body.Study, err)
}

func sendCheck(c fiber.Ctx, b *bench.Bench, study string, err error) error {
	var mistakes bench.Problems
	switch {
	case errors.As(err, &mistakes):
		return c.JSON(api.Checked{Problems: mistakes})
	case err != nil:
		return problem(fiber.StatusConflict, "%s", err)
	}
	return c.JSON(api.Checked{Problems: bench.Problems{}, Remarks: words.Remarks(b), Statement: words.Statement(b, study), Symbols: words.Symbols(b, study)})
}
