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

	"ropebench/api"
	"ropebench/bench"
)

// served is a client of a service that answers every request by handle, once it has proved itself.
func served(t *testing.T, handle http.HandlerFunc) *Client {
	server := httptest.NewServer(nil)
	server.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != api.ProofPath {
			handle(w, r)
			return
		}
		assert.Empty(t, r.Header.Get("Authorization"))
		fmt.Fprintf(w, `{"proof": %q}`, api.Proof("secret", server.URL, r.URL.Query().Get("challenge")))
	})
	t.Cleanup(server.Close)
	c := New(server.URL+"/", "secret")
	t.Cleanup(c.Close)
	return c
}

func TestRequestsCarryTheToken(t *testing.T) {
	t.Parallel()
	c := served(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer secret", r.Header.Get("Authorization"))
		fmt.Fprintf(w, `{"version": %q}`, r.Method+" "+r.URL.RequestURI())
	})
	health, err := c.Health(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "GET /v1/health", health.Version)
}

func TestProblemsAreErrors(t *testing.T) {
	t.Parallel()
	c := served(t, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusUnprocessableEntity)
		fmt.Fprint(w, `{"title": "Mistakes", "status": 422, "detail": "two mistakes", "problems": [{"file": "a", "line": 3, "message": "m"}]}`)
	})
	_, err := c.Run(t.Context(), 3)
	var problem *api.Problem
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, "two mistakes", problem.Error())
	assert.Equal(t, bench.Problems{{File: "a", Line: 3, Message: "m"}}, problem.Problems)
}

func TestAnswersThatAreNoJSON(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
	var asked []string
	c := served(t, func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Method+" "+r.URL.RequestURI())
		fmt.Fprint(w, "{}")
	})
	_, _ = c.Evaluations(t.Context(), 4, EvaluationsQuery{After: 2, Limit: 10, Sort: "-a b", Only: "ok"})
	_, _ = c.Bench(t.Context(), "a/b")
	_, _ = c.Stop(t.Context(), 4)
	_, _ = c.Pause(t.Context(), 4)
	_, _ = c.Resume(t.Context(), 4)
	_, _ = c.Evaluation(t.Context(), 4, 9)
	assert.Equal(t, []string{"GET /v1/runs/4/evaluations?after=2&limit=10&only=ok&sort=-a+b", "GET /v1/benches/a%2Fb",
		"POST /v1/runs/4/stop", "POST /v1/runs/4/pause", "POST /v1/runs/4/resume", "GET /v1/runs/4/evaluations/9"}, asked)
}

func TestEvents(t *testing.T) {
	t.Parallel()
	c := served(t, func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, "retry: 1000\n\n: here\n\nevent: bench\ndata: {\"name\": \"a\"}\n\nid: x.1\nevent: run\ndata: {\"run\": 3, \"state\": \"running\"}\n\nevent: again\ndata: {}\n\n")
	})
	events, err := c.Listen(t.Context())
	require.NoError(t, err)
	defer events.Close()
	run, err := events.Next()
	require.NoError(t, err)
	assert.Equal(t, 3, run.ID)
	assert.False(t, !run.AtWork())
	run, err = events.Next()
	require.NoError(t, err)
	assert.Nil(t, run, "something was missed")
	_, err = events.Next()
	assert.ErrorIs(t, err, ErrStreamEnded)
}

func TestTheTokenIsSaidToNobodyElse(t *testing.T) {
	t.Parallel()
	for name, answer := range map[string]string{
		"a wrong proof":         `{"proof": "00"}`,
		"no proof":              `{}`,
		"another answer":        `<html>`,
		"the proof of another":  "relayed",
		"more than was asked":   "more",
		"an end of the session": "close",
	} {
		t.Run(name, func(t *testing.T) {
			asked := 0
			impostor := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				asked++
				assert.Equal(t, api.ProofPath, r.URL.Path, "nothing but the challenge is said")
				assert.Empty(t, r.Header.Get("Authorization"))
				good := fmt.Sprintf(`{"proof": %q}`, api.Proof("secret", "http://"+r.Host, r.URL.Query().Get("challenge")))
				switch answer {
				case "relayed": // the service lives on at another address, and answers there
					fmt.Fprintf(w, `{"proof": %q}`, api.Proof("secret", "http://127.0.0.1:1", r.URL.Query().Get("challenge")))
				case "close":
					w.Header().Set("Connection", "close")
					fmt.Fprint(w, good)
				case "more":
					connection, _, err := w.(http.Hijacker).Hijack()
					require.NoError(t, err)
					defer connection.Close()
					fmt.Fprintf(connection, "HTTP/1.1 200 OK\r\nContent-Length: %d\r\n\r\n%sHTTP/1.1 200 OK\r\n", len(good), good)
				default:
					fmt.Fprint(w, answer)
				}
			}))
			t.Cleanup(impostor.Close)
			c := New(impostor.URL, "secret")
			t.Cleanup(c.Close)
			_, err := c.Health(t.Context())
			assert.ErrorIs(t, err, ErrImpostor)
			assert.Equal(t, 1, asked)
		})
	}
}

func TestFindReadsTheDataFolder(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	_, err := Find(data)
	assert.ErrorIs(t, err, ErrNoService)
	require.NoError(t, os.WriteFile(filepath.Join(data, api.AnnouncementFile), []byte(`{"url": "http://127.0.0.1:9"}`), 0o600))
	_, err = Find(data)
	assert.ErrorIs(t, err, ErrNoService, "what announced itself has ended without a word")
	lock, err := api.Own(data)
	require.NoError(t, err)
	t.Cleanup(func() { lock.Close() })
	_, err = api.Own(data)
	assert.ErrorIs(t, err, api.ErrOwned)
	_, err = Find(data)
	assert.ErrorContains(t, err, "the token of the service cannot be read")
	require.NoError(t, os.WriteFile(filepath.Join(data, api.TokenFile), []byte("abc\n"), 0o600))
	c, err := Find(data)
	require.NoError(t, err)
	assert.Equal(t, []string{"http://127.0.0.1:9", "abc"}, []string{c.url, c.token})
	ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer cancel()
	_, err = WaitUntilReady(ctx, data)
	assert.ErrorContains(t, err, "the service did not get ready")
	require.NoError(t, os.WriteFile(filepath.Join(data, api.AnnouncementFile), []byte(`{`), 0o600))
	_, err = Find(data)
	assert.ErrorContains(t, err, api.AnnouncementFile)
	require.NoError(t, lock.Close())
	owned, err := api.Owned(data)
	require.NoError(t, err)
	assert.False(t, owned, "who looks does not hold the lock")
}
