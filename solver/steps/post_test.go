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
		"busy for ever": {func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(503) }, ", limit: 900ms", core.TimedOut, "did not answer within its limit"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := solve(t, posting(t, c.handle, c.options))
			var failure *solver.Failure
			require.ErrorAs(t, err, &failure)
			assert.Equal(t, c.state, failure.State)
			assert.Contains(t, failure.Reason, c.reason)
		})
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
