package steps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/solver"
)

// silent reads the question and never answers.
func silent(_ http.ResponseWriter, r *http.Request) {
	_, _ = io.Copy(io.Discard, r.Body) // only then a server notices that the client has left
	<-r.Context().Done()
}

// posting is a solver whose one step asks a web service.
func posting(t *testing.T, handle http.HandlerFunc, options string) *Solver {
	server := httptest.NewServer(handle)
	t.Cleanup(func() {
		server.CloseClientConnections()
		server.Close()
	})
	text := fmt.Sprintf("bench: 1\ninputs: {load: {nominal: 3}, width: {nominal: 0.25}}\nsolver: {steps: [{post: %s/solve, save: deep/answer.json%s}]}\noutputs: {sag: {file: deep/answer.json, pointer: /sag}}\n", server.URL, options)
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(text)}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	return s
}

func TestAServiceIsAskedWithTheInputs(t *testing.T) {
	t.Parallel()
	s := posting(t, func(w http.ResponseWriter, r *http.Request) {
		var inputs map[string]float64
		assert.NoError(t, json.NewDecoder(r.Body).Decode(&inputs))
		assert.Equal(t, map[string]float64{"load": 3, "width": 0.25}, inputs)
		fmt.Fprintf(w, `{"sag": %g}`, inputs["load"]*2)
	}, "")
	out, err := solve(t, s)
	require.NoError(t, err)
	assert.Equal(t, []float64{6}, out.Scalars)
	assert.Equal(t, []string{`{"load":3,"width":0.25}`}, s.written(values))
}

func TestABusyServiceIsAskedAgain(t *testing.T) {
	t.Parallel()
	var asked atomic.Int32
	s := posting(t, func(w http.ResponseWriter, _ *http.Request) {
		if asked.Add(1) < 3 {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		fmt.Fprint(w, `{"sag": 1}`)
	}, "")
	_, err := solve(t, s)
	require.NoError(t, err)
	assert.Equal(t, int32(3), asked.Load())
}

func TestServicesThatMisbehave(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		handle  http.HandlerFunc
		options string
		state   core.State
		reason  string
	}{
		"error":      {func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no licence", 500) }, "", core.Failed, "answered 500 Internal Server Error: no licence"},
		"nothing":    {func(http.ResponseWriter, *http.Request) {}, "", core.Failed, "answered nothing"},
		"hangs":      {silent, ", limit: 200ms", core.TimedOut, "did not answer within its limit of 200ms"},
		"not JSON":   {func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<html>") }, "", core.Failed, "is not JSON"},
		"other code": {func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(202) }, ", accept: [200]", core.Failed, "answered 202 Accepted"},
		"endless": {func(w http.ResponseWriter, _ *http.Request) {
			block := make([]byte, 1<<20)
			for range 300 {
				if _, err := w.Write(block); err != nil {
					return
				}
			}
		}, "", core.Failed, "answered with more than 256 MB"},
		"found elsewhere": {func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/elsewhere", http.StatusFound) }, "", core.Failed, "answered 302 Found and points to /elsewhere, where it would be asked without the inputs"},
		"see other":       {func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/job/7", http.StatusSeeOther) }, "", core.Failed, "points to /job/7"},
		"a problem": {func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(422)
			fmt.Fprint(w, `{"title": "Unprocessable", "detail": "the mesh of the `+strings.Repeat("very ", 20)+`thin web is folded over"}`)
		}, "", core.Failed, "very very thin web is folded over"},
		"a trace": {func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(500)
			fmt.Fprint(w, "Traceback:\n  in mesh\nMeshError: element 7 is inside out\n")
		}, "", core.Failed, "500 Internal Server Error: MeshError: element 7 is inside out"},
		"maintenance": {func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, "maintenance until 14:00", http.StatusServiceUnavailable)
		}, ", limit: 900ms", core.TimedOut, "did not answer within its limit of 900ms, and said before: "},
		"much later": {func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Retry-After", "7200")
			http.Error(w, "maintenance until 14:00", http.StatusServiceUnavailable)
		}, "", core.TimedOut, "503 Service Unavailable: maintenance until 14:00; it wants to be asked again in 2 h, which is beyond the limit of 1 h"},
		"busy for ever": {func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(503) }, ", limit: 900ms", core.TimedOut, "did not answer within its limit"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := solve(t, posting(t, c.handle, c.options))
			failure := requireFailure(t, err)
			assert.Equal(t, c.state, failure.State)
			assert.Contains(t, failure.Reason, c.reason)
		})
	}
}

func TestARedirectThatKeepsTheInputsIsFollowed(t *testing.T) {
	t.Parallel()
	_, err := solve(t, posting(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/solve" {
			http.Redirect(w, r, "/other", http.StatusTemporaryRedirect)
			return
		}
		var inputs map[string]float64
		assert.NoError(t, json.NewDecoder(r.Body).Decode(&inputs))
		fmt.Fprintf(w, `{"sag": %g}`, inputs["load"])
	}, ""))
	require.NoError(t, err)
}

func TestAConnectionThatClosesIsTriedAgain(t *testing.T) {
	t.Parallel()
	var asked atomic.Int32
	_, err := solve(t, posting(t, func(w http.ResponseWriter, _ *http.Request) {
		switch asked.Add(1) {
		case 1:
			panic(http.ErrAbortHandler) // before the answer
		case 2:
			w.Header().Set("Content-Length", "100")
			fmt.Fprint(w, `{"sag": `)
			panic(http.ErrAbortHandler) // within it
		}
		fmt.Fprint(w, `{"sag": 1}`)
	}, ""))
	require.NoError(t, err)
	assert.Equal(t, int32(3), asked.Load())
}

func TestWhenAServiceWantsToBeAskedAgain(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	for header, want := range map[string]time.Duration{"": 0, "7": 7 * time.Second, "-3": 0, "soon": 0, "Thu, 26 Nov 2026 12:01:30 GMT": 90 * time.Second, "Thu, 26 Nov 2026 11:00:00 GMT": 0} {
		assert.Equal(t, want, retryAfter(header, now), header)
	}
}

func TestAnAskedServiceIsLeftWhenTheRunIsStopped(t *testing.T) {
	t.Parallel()
	s := posting(t, silent, "")
	ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer cancel()
	_, err := once(ctx, s, solver.Job{ID: "test", Folder: t.TempDir(), Lookup: values})
	var failure *solver.Failure
	require.True(t, errors.As(err, &failure))
	assert.Equal(t, core.Cancelled, failure.State)
}

func TestAServiceThatIsNotThereIsSaidAsSuch(t *testing.T) {
	t.Parallel()
	s := posting(t, func(http.ResponseWriter, *http.Request) {}, ", limit: 300ms")
	gone := httptest.NewServer(http.NotFoundHandler())
	gone.Close()
	s.steps[0].post.URL = gone.URL
	_, err := solve(t, s)
	assert.ErrorContains(t, err, gone.URL+": connection refused: nothing listens there; start the service, or correct the address")
}
