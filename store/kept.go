package store

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"ropebench/study"
)

// mostOfOne bounds the bytes that are kept of one evaluation. Files that go beyond it are named in leftOut.
const (
	mostOfOne = 64 << 20
	leftOut   = "NOT-KEPT.txt"
)

// Files of working folders stand below kept/RUN/EVALUATION of the data folder.
func (s *Store) keptFolder(run, evaluation int) string {
	return filepath.Join(s.folder, "kept", strconv.Itoa(run), strconv.Itoa(evaluation))
}

// KeepFiles copies the plain files of a working folder, and says how many bytes they have.
func (s *Store) KeepFiles(run, evaluation int, folder string) (size int64, err error) {
	into := s.keptFolder(run, evaluation)
	unready := into + ".part"
	if err := errors.Join(os.RemoveAll(unready), os.RemoveAll(into), os.MkdirAll(unready, 0o700)); err != nil {
		return 0, err
	}
	var without []string
	err = filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		name, relErr := filepath.Rel(folder, path)
		if relErr != nil {
			return relErr
		}
		unread := func(err error) error { // a program may leave what nobody can read
			without = append(without, fmt.Sprintf("%s: %s\n", name, err))
			return nil
		}
		if err != nil {
			return unread(err)
		}
		if !entry.Type().IsRegular() {
			return nil
		}
		info, err := entry.Info()
		if err != nil {
			return unread(err)
		}
		if size+info.Size() > mostOfOne {
			without = append(without, fmt.Sprintf("%s, %d bytes\n", name, info.Size()))
			return nil
		}
		source, err := os.Open(path)
		if err != nil {
			return unread(err)
		}
		defer source.Close()
		size += info.Size()
		return copyFile(source, filepath.Join(unready, name))
	})
	if err == nil && without != nil {
		text := fmt.Sprintf("Of one evaluation at most %d MB of files that can be read are kept. These are not:\n%s", mostOfOne>>20, strings.Join(without, ""))
		err = os.WriteFile(filepath.Join(unready, leftOut), []byte(text), 0o600)
	}
	if err == nil {
		err = os.Rename(unready, into)
	}
	return size, err
}

func copyFile(source io.Reader, to string) error {
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return err
	}
	target, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(target, source)
	return errors.Join(err, target.Close())
}

// KeptFolder is where the files of an evaluation stand that were kept.
func (s *Store) KeptFolder(run, evaluation int) (string, error) {
	if _, err := s.KeptFiles(run, evaluation); err != nil {
		return "", err
	}
	return s.keptFolder(run, evaluation), nil
}

// DropFiles removes what was kept of an evaluation.
func (s *Store) DropFiles(run, evaluation int) error {
	return os.RemoveAll(s.keptFolder(run, evaluation))
}

// Kept lists the evaluations of a run whose files were kept, in the order in which they were.
func (s *Store) Kept(run int) ([]study.Kept, error) {
	folder := filepath.Dir(s.keptFolder(run, 0))
	entries, err := os.ReadDir(folder)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, nil
		}
		return nil, err
	}
	var kept []study.Kept
	times := map[int]int64{}
	for _, entry := range entries {
		number, err := strconv.Atoi(entry.Name())
		if err != nil {
			continue // it was not finished
		}
		info, err := entry.Info()
		if err != nil {
			return nil, err
		}
		files, err := s.KeptFiles(run, number)
		if err != nil {
			return nil, err
		}
		one := study.Kept{Number: number}
		for _, file := range files {
			one.Bytes += file.Bytes
		}
		times[number] = info.ModTime().UnixNano()
		kept = append(kept, one)
	}
	slices.SortFunc(kept, func(a, b study.Kept) int { return cmp.Compare(times[a.Number], times[b.Number]) })
	return kept, nil
}

// A KeptFile is a file of a working folder that was kept.
type KeptFile struct {
	Path  string
	Bytes int64
}

// KeptFiles lists what was kept of an evaluation, by path.
func (s *Store) KeptFiles(run, evaluation int) ([]KeptFile, error) {
	folder := s.keptFolder(run, evaluation)
	var files []KeptFile
	err := filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		info, err := entry.Info()
		if err != nil {
			return err
		}
		name, err := filepath.Rel(folder, path)
		files = append(files, KeptFile{Path: filepath.ToSlash(name), Bytes: info.Size()})
		return err
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil, notFound{fmt.Sprintf("no files of evaluation %d of run %d were kept: `keep` in the solver says of which they are; make it again with --keep DIR", evaluation, run)}
	}
	return files, err
}

// OpenKept opens a file that was kept.
func (s *Store) OpenKept(run, evaluation int, path string) (*os.File, error) {
	if _, err := s.KeptFiles(run, evaluation); err != nil {
		return nil, err
	}
	file, err := os.OpenInRoot(s.keptFolder(run, evaluation), filepath.FromSlash(path))
	if err != nil {
		return nil, notFound{fmt.Sprintf("evaluation %d of run %d left no file %s", evaluation, run, path)}
	}
	return file, nil
}
