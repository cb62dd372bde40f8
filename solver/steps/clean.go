package steps

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// A clean folder is a working folder in which an evaluation has left nothing: the next one can have it, which is much quicker
// than another with the same files.
type clean struct {
	path  string
	files map[string]fs.FileInfo // as they were copied into it
}

// openFolder makes the working folder of an evaluation, with the files of the solver.
func (s *session) openFolder(folder string) error {
	if s.clean != nil {
		if err := os.Rename(s.clean.path, folder); err == nil {
			return nil
		}
		s.clean = nil // somebody was at it
	}
	if err := os.Mkdir(folder, 0o755); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	if err := s.copyFiles(folder); err != nil || !s.asksOnly() {
		return err
	}
	files, err := plainFiles(folder)
	if err != nil {
		return nil // there are folders below it: each evaluation gets its own
	}
	s.clean = &clean{path: filepath.Join(s.folder, "clean"), files: files}
	return nil
}

// leaveFolder keeps the working folder of an evaluation for the next one where it is as it was.
func (s *session) leaveFolder(folder string) {
	if s.clean == nil {
		return
	}
	files, err := plainFiles(folder)
	if err != nil || !sameFiles(files, s.clean.files) || os.Rename(folder, s.clean.path) != nil {
		s.clean = nil
	}
}

// asksOnly is true where evaluations write nothing into their working folder of which the bench knows.
func (s *Solver) asksOnly() bool { return len(s.steps) == 1 && s.steps[0].ask != nil }

var errNotPlain = errors.New("there is more than plain files")

// plainFiles lists a folder that has nothing but plain files.
func plainFiles(folder string) (map[string]fs.FileInfo, error) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	files := map[string]fs.FileInfo{}
	for _, entry := range entries {
		if !entry.Type().IsRegular() {
			return nil, errNotPlain
		}
		if files[entry.Name()], err = entry.Info(); err != nil {
			return nil, err
		}
	}
	return files, nil
}

func sameFiles(now, was map[string]fs.FileInfo) bool {
	if len(now) != len(was) {
		return false
	}
	for name, info := range now {
		before, known := was[name]
		if !known || !os.SameFile(info, before) || info.Size() != before.Size() || !info.ModTime().Equal(before.ModTime()) || info.Mode() != before.Mode() {
			return false
		}
	}
	return true
}
