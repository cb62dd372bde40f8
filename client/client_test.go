package client

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// served is a client of a service that answers every request by handle.
func served(t *testing.T, handle http.HandlerFunc) *Client {
	server := httptest.NewServer(handle)
	t.Cleanup(server.Close)
	c := New(server.URL+"/", "secret")
	t.Cleanup(c.Close)
	return c
}

func TestRequestsCarryTheToken(t *testing.T) {
	c := served(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer secret", r.Header.Get("Authorization"))
		fmt.Fprintf(w, `{"version": %q}`, r.Method+" "+r.URL.RequestURI())
	})
	health, err := c.Health(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "GET /v1/health", health.Version)
}

func TestProblemsAreErrors(t *testing.T) {
	c := served(t, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusUnprocessableEntity)
		fmt.Fprint(w, `{"title": "Mistakes", "status": 422, "detail": "two mistakes", "problems": [{"file": "a", "line": 3, "message": "m"}]}`)
	})
	_, err := c.Run(t.Context(), 3)
	var problem *Problem
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, "two mistakes", problem.Error())
	assert.Equal(t, []FileProblem{{"a", 3, "m"}}, problem.Problems)
}

func TestAnswersThatAreNoJSON(t *testing.T) {
	status := http.StatusBadGateway
	c := served(t, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(status)
		fmt.Fprint(w, "<html>")
	})
	_, err := c.Runs(t.Context(), "a", 3)
	assert.ErrorContains(t, err, "answered 502 Bad Gateway")
	status = http.StatusOK
	_, err = c.Runs(t.Context(), "a", 3)
	assert.ErrorContains(t, err, "cannot be read")
}

func TestQueriesAreEncoded(t *testing.T) {
	var asked []string
	c := served(t, func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Method+" "+r.URL.RequestURI())
		fmt.Fprint(w, "{}")
	})
	_, _ = c.Points(t.Context(), 4, PointsQuery{After: 2, Limit: 10, Sort: "-a b", Only: "ok"})
	_, _ = c.Bench(t.Context(), "a/b")
	_, _ = c.Stop(t.Context(), 4)
	_, _ = c.Pause(t.Context(), 4)
	_, _ = c.Resume(t.Context(), 4)
	_, _ = c.Point(t.Context(), 4, 9)
	assert.Equal(t, []string{"GET /v1/runs/4/points?after=2&limit=10&only=ok&sort=-a+b", "GET /v1/benches/a%2Fb",
		"POST /v1/runs/4/stop", "POST /v1/runs/4/pause", "POST /v1/runs/4/resume", "GET /v1/runs/4/points/9"}, asked)
}

func TestEvents(t *testing.T) {
	c := served(t, func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, "retry: 1000\n\n: here\n\nevent: bench\ndata: {\"name\": \"a\"}\n\nid: x.1\nevent: run\ndata: {\"run\": 3, \"state\": \"running\"}\n\nevent: again\ndata: {}\n\n")
	})
	events, err := c.Listen(t.Context())
	require.NoError(t, err)
	defer events.Close()
	run, err := events.Next()
	require.NoError(t, err)
	assert.Equal(t, 3, run.ID)
	assert.False(t, run.Ended())
	run, err = events.Next()
	require.NoError(t, err)
	assert.Nil(t, run, "something was missed")
	_, err = events.Next()
	assert.ErrorIs(t, err, ErrStreamEnded)
}

func TestFindReadsTheDataFolder(t *testing.T) {
	data := t.TempDir()
	_, err := Find(data)
	assert.ErrorIs(t, err, ErrNoService)
	require.NoError(t, os.WriteFile(filepath.Join(data, "service.json"), []byte(`{"url": "http://127.0.0.1:9"}`), 0o600))
	_, err = Find(data)
	assert.ErrorContains(t, err, "the token of the service cannot be read")
	require.NoError(t, os.WriteFile(filepath.Join(data, "token"), []byte("abc\n"), 0o600))
	c, err := Find(data)
	require.NoError(t, err)
	assert.Equal(t, &Client{"http://127.0.0.1:9", "abc", c.http}, c)
	ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer cancel()
	_, err = WaitUntilReady(ctx, data)
	assert.ErrorContains(t, err, "the service did not get ready")
	require.NoError(t, os.WriteFile(filepath.Join(data, "service.json"), []byte(`{`), 0o600))
	_, err = Find(data)
	assert.ErrorContains(t, err, "service.json")
}
