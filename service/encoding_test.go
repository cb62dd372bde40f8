package service_test

import (
	"compress/gzip"
	"encoding/base64"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// get asks without unpacking what comes back.
func (b *bed) get(t *testing.T, path string, headers map[string]string) (*http.Response, []byte) {
	request, err := http.NewRequest("GET", b.URL()+path, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.token)
	for name, value := range headers {
		request.Header.Set(name, value)
	}
	response, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true, DisableCompression: true}}).Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response, text
}

func TestLargeAnswersArePacked(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	_ = answer[any](t, b, "PUT", "/v1/benches/pulley", encoded(t, map[string]string{"path": b.file}))
	require.NoError(t, os.WriteFile(b.file, []byte(pulley+"notes: "+strings.Repeat("long ", 4000)+"\n"), 0o600))
	const path = "/v1/benches/pulley/files/pulley.bench.yaml"
	plain, text := b.get(t, path, nil)
	assert.Empty(t, plain.Header.Get("Content-Encoding"))
	packed, small := b.get(t, path, map[string]string{"Accept-Encoding": "gzip, br"})
	assert.Equal(t, "gzip", packed.Header.Get("Content-Encoding"))
	assert.Equal(t, "Accept-Encoding", packed.Header.Get("Vary"))
	assert.Less(t, len(small), len(text)/5)
	reader, err := gzip.NewReader(strings.NewReader(string(small)))
	require.NoError(t, err)
	unpacked, err := io.ReadAll(reader)
	require.NoError(t, err)
	assert.Equal(t, text, unpacked)
	short, _ := b.get(t, "/v1/health", map[string]string{"Accept-Encoding": "gzip"})
	assert.Empty(t, short.Header.Get("Content-Encoding"))
}

func TestWhatIsKnownIsNotSentAgain(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	_ = answer[any](t, b, "PUT", "/v1/benches/pulley", encoded(t, map[string]string{"path": b.file}))
	for _, path := range []string{"/v1/benches/pulley", "/v1/benches/pulley/revisions", "/v1/benches/pulley/files", "/v1/benches/pulley/files/pulley.bench.yaml", "/v1/benches/pulley/archive?revision=1"} {
		first, _ := b.get(t, path, nil)
		name := first.Header.Get("ETag")
		require.NotEmpty(t, name, path)
		again, text := b.get(t, path, map[string]string{"If-None-Match": `"other", ` + name})
		assert.Equal(t, http.StatusNotModified, again.StatusCode, path)
		assert.Empty(t, text)
		other, _ := b.get(t, path, map[string]string{"If-None-Match": `"other"`})
		assert.Equal(t, http.StatusOK, other.StatusCode, path)
	}
	before, _ := b.get(t, "/v1/benches/pulley/files/pulley.bench.yaml", nil)
	require.NoError(t, os.WriteFile(b.file, []byte(pulley+"# more\n"), 0o600))
	after, _ := b.get(t, "/v1/benches/pulley/files/pulley.bench.yaml", map[string]string{"If-None-Match": before.Header.Get("ETag")})
	assert.Equal(t, http.StatusOK, after.StatusCode, "a changed file is another one")
}

func TestFilesThatBelongToNoBenchAreChecked(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	type checked struct {
		Problems           []struct{ File, Message string }
		Remarks            []string
		Statement, Symbols string
	}
	bare := "bench: 1\ninputs: {load: {nominal: 3, range: [1, 5]}}\nsolver: {steps: [{fill: lift.deck}, {run: [sh]}]}\noutputs: {sag: {file: out.json, pointer: /sag}}\n"
	good := answer[checked](t, b, "POST", "/v1/check", encoded(t, map[string]any{"file": "lift.bench.yaml", "files": map[string]string{"lift.bench.yaml": bare}, "packed": map[string]string{"lift.deck": base64.StdEncoding.EncodeToString([]byte("@[load]\n"))}}))
	assert.Empty(t, good.Problems)
	assert.Contains(t, good.Statement, "1 to 5")
	missing := answer[checked](t, b, "POST", "/v1/check", encoded(t, map[string]any{"file": "lift.bench.yaml", "files": map[string]string{"lift.bench.yaml": bare}}))
	require.Len(t, missing.Problems, 1)
	assert.Contains(t, missing.Problems[0].Message, "the file lift.deck is missing")
	for _, file := range []string{"", "other.yaml", "../lift.bench.yaml"} {
		status, text := b.ask(t, "POST", "/v1/check", encoded(t, map[string]any{"file": file, "files": map[string]string{"lift.bench.yaml": bare, "../lift.bench.yaml": bare}}))
		assert.Equal(t, http.StatusUnprocessableEntity, status, text)
	}
	numbers := answer[[]struct {
		Line, Field int
		Value       float64
	}](t, b, "POST", "/v1/numbers", encoded(t, map[string]string{"text": "web, 8.5\nnone\n"}))
	require.Len(t, numbers, 1)
	assert.Equal(t, []float64{1, 2, 8.5}, []float64{float64(numbers[0].Line), float64(numbers[0].Field), numbers[0].Value})
	assert.Empty(t, answer[[]any](t, b, "POST", "/v1/numbers", `{"text": ""}`))
}
