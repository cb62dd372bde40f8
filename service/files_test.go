package service_test

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const plateBench = `bench: 1
title: Plate
inputs:
  load: {nominal: 3}
solver:
  steps:
    - fill: plate.inp
    - run: ["true"]
`

// plates starts a service on a bench with a deck.
func plates(t *testing.T) (b *bed, folder string) {
	b = start(t, nil)
	folder = filepath.Dir(b.file)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "plate.inp"), []byte("*SHELL\n8.0, 5\n1, 7.5\n2, 7.5\n"), 0o640))
	require.NoError(t, os.WriteFile(b.file, []byte(plateBench), 0o644))
	_, err := b.client(t).PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	return b, folder
}

func answer[T any](t *testing.T, b *bed, method, path, body string) (into T) {
	status, text := b.ask(t, method, path, body)
	require.Equal(t, 200, status, text)
	require.NoError(t, json.Unmarshal([]byte(text), &into))
	return into
}

func encoded(t *testing.T, value any) string {
	text, err := json.Marshal(value)
	require.NoError(t, err)
	return string(text)
}

type edited struct {
	Revision int
	Digest   string
	Text     string
	Problems []struct{ Message string }
}

func TestFilesAreEditedInTheirFolder(t *testing.T) {
	t.Parallel()
	b, folder := plates(t)
	files := answer[struct {
		File  string
		Files []struct {
			Path       string
			Deck, Text bool
		}
	}](t, b, "GET", "/v1/benches/pulley/files", "")
	require.Len(t, files.Files, 2)
	assert.Equal(t, "plate.inp", files.Files[1].Path)
	assert.True(t, files.Files[1].Deck && files.Files[1].Text)
	read := answer[struct{ Text, Digest string }](t, b, "GET", "/v1/benches/pulley/files/"+files.File, "")
	assert.Equal(t, plateBench, read.Text)

	wrong := strings.Replace(read.Text, "nominal: 3", "nominal: heavy", 1)
	checked := answer[edited](t, b, "POST", "/v1/benches/pulley/check", encoded(t, map[string]any{"files": map[string]string{files.File: wrong}}))
	require.Len(t, checked.Problems, 1)
	assert.Contains(t, checked.Problems[0].Message, "needs a finite number")
	good := strings.Replace(read.Text, "nominal: 3", "nominal: 4", 1)
	stated := answer[struct{ Statement, Symbols string }](t, b, "POST", "/v1/benches/pulley/check", encoded(t, map[string]any{"files": map[string]string{files.File: good}}))
	assert.Contains(t, stated.Statement, "load at 4")
	assert.Equal(t, plateBench, contents(t, b.file), "a check writes nothing")

	written := answer[edited](t, b, "PUT", "/v1/benches/pulley/files/"+files.File, encoded(t, map[string]string{"text": good, "digest": read.Digest}))
	assert.Equal(t, good, contents(t, b.file))
	status, text := b.ask(t, "PUT", "/v1/benches/pulley/files/"+files.File, encoded(t, map[string]string{"text": "x", "digest": read.Digest}))
	assert.Equal(t, 409, status)
	assert.Contains(t, text, "was changed in its folder meanwhile")
	bad := answer[edited](t, b, "PUT", "/v1/benches/pulley/files/"+files.File, encoded(t, map[string]string{"text": wrong, "digest": written.Digest}))
	assert.Equal(t, written.Revision, bad.Revision, "with mistakes it is written, and is no revision")
	assert.NotEmpty(t, bad.Problems)

	for _, path := range []string{"../service.json", "%2e%2e%2fsecret", "%2Fetc%2Fpasswd", "other.txt"} {
		status, text = b.ask(t, "GET", "/v1/benches/pulley/files/"+path, "")
		assert.Equal(t, 404, status, text)
	}
	require.NoError(t, os.Remove(filepath.Join(folder, "plate.inp")))
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(folder, "plate.inp")))
	status, text = b.ask(t, "GET", "/v1/benches/pulley/files/plate.inp", "")
	assert.Equal(t, 409, status, "no link leads out of the folder: %s", text)
}

// Of those who write over the same text at once, one is told that it is written, and it is.
func TestOfTwoWritersOneIsHeard(t *testing.T) {
	t.Parallel()
	b, folder := plates(t)
	path := "/v1/benches/pulley/files/plate.inp"
	for round := range 10 {
		read := answer[struct{ Digest string }](t, b, "GET", path, "")
		const writers = 4
		texts, codes := make([]string, writers), make([]int, writers)
		var together sync.WaitGroup
		for i := range writers {
			texts[i] = fmt.Sprintf("%s\n** round %d, writer %d\n", strings.Repeat("** filler\n", 2000), round, i)
			together.Go(func() {
				codes[i], _ = b.ask(t, "PUT", path, encoded(t, map[string]string{"text": texts[i], "digest": read.Digest}))
			})
		}
		together.Wait()
		heard := slices.Index(codes, 200)
		require.GreaterOrEqual(t, heard, 0, codes)
		slices.Sort(codes)
		assert.Equal(t, []int{200, 409, 409, 409}, codes)
		assert.Equal(t, texts[heard], contents(t, filepath.Join(folder, "plate.inp")))
	}
	left, err := filepath.Glob(filepath.Join(folder, "*.ropebench-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func contents(t *testing.T, path string) string {
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(text)
}

func TestNumbersOfADeckAreTaken(t *testing.T) {
	t.Parallel()
	b, folder := plates(t)
	type deck struct {
		Total  int
		Blanks bool
		Lines  [][]struct {
			Text   string
			Field  int
			Value  *float64
			Inputs []string
		}
	}
	before := answer[deck](t, b, "GET", "/v1/benches/pulley/decks/plate.inp", "")
	require.Len(t, before.Lines, 4)
	assert.False(t, before.Blanks)
	assert.Equal(t, "7.5", before.Lines[3][2].Text)
	assert.Equal(t, 2, before.Lines[3][2].Field)
	assert.Equal(t, 7.5, *before.Lines[3][2].Value)
	order := map[string]any{"deck": "plate.inp", "input": "gap", "nominal": 7.5, "numbers": []map[string]int{{"line": 3, "field": 2}, {"line": 4, "field": 2}}}
	taken := answer[edited](t, b, "POST", "/v1/benches/pulley/places", encoded(t, order))
	assert.Equal(t, contents(t, b.file), taken.Text)
	assert.Contains(t, taken.Text, "  gap: {nominal: 7.5, range: 20%}\n")
	assert.Contains(t, taken.Text, "        gap: {lines: [3, 4], field: 2}\n")
	assert.Equal(t, []string{"gap"}, answer[deck](t, b, "GET", "/v1/benches/pulley/decks/plate.inp", "").Lines[2][2].Inputs)
	order["give_back"] = true
	assert.Equal(t, plateBench, answer[edited](t, b, "POST", "/v1/benches/pulley/places", encoded(t, order)).Text, "undone")
	order["give_back"], order["input"] = false, "8th"
	status, text := b.ask(t, "POST", "/v1/benches/pulley/places", encoded(t, order))
	assert.Equal(t, 422, status)
	assert.Contains(t, text, "cannot be a name")
	order["input"], order["numbers"] = "gap", []map[string]int{{"line": 1, "field": 1}}
	status, text = b.ask(t, "POST", "/v1/benches/pulley/places", encoded(t, order))
	assert.Equal(t, 422, status)
	assert.Contains(t, text, "stands no number that could be taken")
	info, err := os.Stat(filepath.Join(folder, "plate.inp"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
}

func TestRevisionsAreListedAndTakenOut(t *testing.T) {
	t.Parallel()
	b, _ := plates(t)
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(plateBench, "nominal: 3", "nominal: 5", 1)), 0o644))
	b.ask(t, "GET", "/v1/benches/pulley", "")
	revisions := answer[[]struct {
		Number  int
		Changes []string
	}](t, b, "GET", "/v1/benches/pulley/revisions", "")
	require.GreaterOrEqual(t, len(revisions), 2)
	assert.Equal(t, []string{"load: nominal 3 -> 5", "load: held at 3 -> held at 5"}[:1], revisions[0].Changes[:1])
	status, text := b.ask(t, "GET", "/v1/benches/pulley/archive", "")
	require.Equal(t, 200, status)
	members, err := zip.NewReader(strings.NewReader(text), int64(len(text)))
	require.NoError(t, err)
	require.Len(t, members.File, 2)
	opened, err := members.Open("plate.inp")
	require.NoError(t, err)
	deck, err := io.ReadAll(opened)
	require.NoError(t, err)
	assert.Contains(t, string(deck), "*SHELL")
	status, _ = b.ask(t, "GET", "/v1/benches/pulley/archive?revision=99", "")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestTheListOfRevisionsIsCutOff(t *testing.T) {
	t.Parallel()
	b, _ := plates(t)
	for i := range 51 { // with the first, 52
		require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(plateBench, "nominal: 3", "nominal: "+strconv.Itoa(4+i), 1)), 0o644))
		b.ask(t, "GET", "/v1/benches/pulley", "")
	}
	revisions := answer[[]struct {
		Number  int
		Changes []string
	}](t, b, "GET", "/v1/benches/pulley/revisions", "")
	require.Len(t, revisions, 50)
	assert.Equal(t, 52, revisions[0].Number)
	assert.Equal(t, 3, revisions[49].Number)
	for i, r := range revisions {
		was, is := strconv.Itoa(3+r.Number-2), strconv.Itoa(3+r.Number-1)
		require.NotEmpty(t, r.Changes, "revision %d", r.Number)
		assert.Equal(t, "load: nominal "+was+" -> "+is, r.Changes[0], "each beside the one before it, the last too: %d", i)
	}
}

func TestAFileThatCannotBeWrittenIsSaid(t *testing.T) {
	t.Parallel()
	b, folder := plates(t)
	long := strings.Repeat("p", 240) + ".inp" // there is no room for a name beside it
	require.NoError(t, os.Rename(filepath.Join(folder, "plate.inp"), filepath.Join(folder, long)))
	require.NoError(t, os.WriteFile(b.file, []byte(strings.ReplaceAll(plateBench, "plate.inp", long)), 0o644))
	_, err := b.client(t).PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	read := answer[struct{ Text, Digest string }](t, b, "GET", "/v1/benches/pulley/files/"+long, "")
	status, text := b.ask(t, "PUT", "/v1/benches/pulley/files/"+long, encoded(t, map[string]string{"text": "x", "digest": read.Digest}))
	assert.Equal(t, 409, status)
	assert.Contains(t, text, long+" cannot be written in")
	assert.Equal(t, read.Text, contents(t, filepath.Join(folder, long)), "the old text is whole")
	large := strings.Repeat("x", 2<<20+1)
	status, text = b.ask(t, "PUT", "/v1/benches/pulley/files/"+long, encoded(t, map[string]string{"text": large, "digest": read.Digest}))
	assert.Equal(t, 413, status)
	assert.Contains(t, text, "at most 2 MB are edited here")
	status, text = b.ask(t, "PUT", "/v1/benches/pulley/files/"+long, `{"txt": "x"}`)
	assert.Equal(t, 400, status, text)
}
