package store_test

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/result"

	"ropebench/store"
)

func TestFilesOfEvaluationsAreKept(t *testing.T) {
	t.Parallel()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	folder := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "case"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "case", "in.txt"), []byte("load 3"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "run.log"), []byte("bad luck"), 0o000))
	require.NoError(t, os.Chmod(filepath.Join(folder, "run.log"), 0o444))
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(folder, "link")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(folder, "pipe"), 0o600))
	size, err := s.KeepFiles(4, 17, folder)
	require.NoError(t, err)
	assert.Equal(t, int64(14), size)
	_, err = s.KeepFiles(4, 3, t.TempDir())
	require.NoError(t, err)

	kept, err := s.Kept(4)
	require.NoError(t, err)
	require.Len(t, kept, 2)
	assert.Equal(t, 17, kept[0].Number, "in the order in which they were kept")
	assert.Equal(t, int64(14), kept[0].Bytes)
	files, err := s.KeptFiles(4, 17)
	require.NoError(t, err)
	assert.Equal(t, []store.KeptFile{{Path: "case/in.txt", Bytes: 6}, {Path: "run.log", Bytes: 8}}, files, "plain files only")
	file, err := s.OpenKept(4, 17, "case/in.txt")
	require.NoError(t, err)
	text, err := io.ReadAll(file)
	require.NoError(t, err)
	require.NoError(t, file.Close())
	assert.Equal(t, "load 3", string(text))
	for _, path := range []string{"../3", "/etc/hostname", "none"} {
		_, err = s.OpenKept(4, 17, path)
		assert.ErrorIs(t, err, store.ErrNotFound, path)
	}
	require.NoError(t, s.DropFiles(4, 17))
	_, err = s.KeptFiles(4, 17)
	assert.ErrorContains(t, err, "no files of evaluation 17 of run 4 were kept")
	none, err := s.Kept(5)
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestOfOneEvaluationSoMuchIsKept(t *testing.T) {
	t.Parallel()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	folder := t.TempDir()
	for name, size := range map[string]int64{"a.log": 10, "b.dat": 65 << 20, "c.log": 20} {
		file, err := os.Create(filepath.Join(folder, name))
		require.NoError(t, err)
		require.NoError(t, file.Truncate(size))
		require.NoError(t, file.Close())
	}
	size, err := s.KeepFiles(1, 1, folder)
	require.NoError(t, err)
	assert.Equal(t, int64(30), size)
	file, err := s.OpenKept(1, 1, "NOT-KEPT.txt")
	require.NoError(t, err)
	defer file.Close()
	text, err := io.ReadAll(file)
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(string(text), "These are not:\nb.dat, 68157440 bytes\n"), string(text))
}

// What cannot be read is named, and the rest is kept.
func TestFilesThatCannotBeReadAreNamed(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	_, err := s.KeepFiles(1, 2, filepath.Join(t.TempDir(), "moved-away"))
	require.NoError(t, err)
	file, err := s.OpenKept(1, 2, "NOT-KEPT.txt")
	require.NoError(t, err)
	defer file.Close()
	text, err := io.ReadAll(file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "These are not:\n.: ")
	assert.Contains(t, string(text), "no such file or directory")
}

// What a run has found no more is not told of it.
func TestPartsThatAreGoneAreForgotten(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	require.NoError(t, s.SaveParts(1, result.Parts{AtEnds: []result.End{{Input: "x"}}, Watched: []string{"was worse"}}))
	require.NoError(t, s.SaveParts(2, result.Parts{Watched: []string{"of another run"}}))
	require.NoError(t, s.SaveParts(1, result.Parts{Watched: []string{"is worse"}}))
	parts, err := s.Parts(1)
	require.NoError(t, err)
	assert.Nil(t, parts.AtEnds)
	assert.Equal(t, []string{"is worse"}, parts.Watched)
	require.NoError(t, s.SaveParts(1, result.Parts{}))
	parts, err = s.Parts(1)
	require.NoError(t, err)
	assert.Equal(t, result.Parts{}, parts)
	parts, err = s.Parts(2)
	require.NoError(t, err)
	assert.Equal(t, []string{"of another run"}, parts.Watched)
}
