package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/client"
	"ropebench/result"
	"ropebench/service"
)

func TestMain(m *testing.M) {
	openapi3filter.RegisterBodyDecoder("text/event-stream", openapi3filter.PlainBodyDecoder)
	goleak.VerifyTestMain(m, goleak.IgnoreAnyFunction("github.com/valyala/fasthttp.updateServerDate.func1"))
}

const pulley = `bench: 1
title: Pulley
inputs:
  radius: {unit: m, nominal: 0.2, range: [0.05, 0.5]}
  load: {unit: N, nominal: 800}
solver:
  formulas: {torque: load*radius, mass: 40*radius^2}
requirements:
  R1: {says: Enough torque, of: torque, at_least: 100, reserve: 5}
studies:
  look: {kind: sample, points: 12}
  light: {kind: optimize, minimize: mass, method: differential-evolution, budget: {evaluations: 120}}
`

// A bed is a service under test with its token, and a bench file on disk.
type bed struct {
	*service.Service
	data, file, token string
	router            routers.Router
}

func start(t *testing.T, change func(*service.Config)) *bed {
	folder := t.TempDir()
	b := &bed{data: filepath.Join(folder, "data"), file: filepath.Join(folder, "pulley.bench.yaml")}
	require.NoError(t, os.WriteFile(b.file, []byte(pulley), 0o644))
	config := service.Config{Data: b.data, Slots: 2, Path: os.Getenv("PATH"), Version: "test",
		Console: fstest.MapFS{"index.html": {Data: []byte("<p>console</p>")}, "assets/a.js": {Data: []byte("1")}}}
	if change != nil {
		change(&config)
	}
	var err error
	b.Service, err = service.Start(config)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Close()) })
	token, err := os.ReadFile(filepath.Join(b.data, "token"))
	require.NoError(t, err)
	b.token = strings.TrimSpace(string(token))
	b.router = router(t, b.URL())
	return b
}

func router(t *testing.T, url string) routers.Router {
	text, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	document, err := openapi3.NewLoader().LoadFromData(text)
	require.NoError(t, err)
	document.Servers = openapi3.Servers{{URL: url}}
	router, err := gorillamux.NewRouter(document)
	require.NoError(t, err)
	return router
}

// ask makes a request, and holds the answer against the description of the interface.
func (b *bed) ask(t *testing.T, method, path, body string, headers ...string) (int, string) {
	request, err := http.NewRequest(method, b.URL()+path, strings.NewReader(body))
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.token)
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
		if headers[i] == "Host" {
			request.Host = headers[i+1]
		}
	}
	response, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	b.validate(t, request, body, response, text)
	return response.StatusCode, string(text)
}

func (b *bed) validate(t *testing.T, request *http.Request, body string, response *http.Response, text []byte) {
	if !strings.HasPrefix(request.URL.Path, "/v1/") {
		return
	}
	plain := request.Clone(context.Background())
	plain.Body, plain.Host = io.NopCloser(strings.NewReader(body)), ""
	route, params, err := b.router.FindRoute(plain)
	if err != nil { // a path that is not described is answered with 404
		assert.Equal(t, http.StatusNotFound, response.StatusCode, request.URL.Path)
		return
	}
	input := &openapi3filter.RequestValidationInput{Request: plain, PathParams: params, Route: route,
		Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}}
	err = openapi3filter.ValidateResponse(context.Background(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: input, Status: response.StatusCode, Header: response.Header, Body: io.NopCloser(bytes.NewReader(text))})
	assert.NoError(t, err, "%s %s: %s", request.Method, request.URL, text)
}

func (b *bed) client(t *testing.T) *client.Client {
	c := client.New(b.URL(), b.token)
	t.Cleanup(c.Close)
	return c
}

// A found run is a run with what it has found.
type found struct {
	api.Run
	result.Parts
}

// run starts a run and waits for its end.
func (b *bed) run(t *testing.T, c *client.Client, o api.Order) found {
	_, err := c.PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	run, err := c.Start(t.Context(), "pulley", o)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		run, err = c.Run(t.Context(), run.ID)
		require.NoError(t, err)
		return !run.AtWork()
	}, time.Minute, 5*time.Millisecond)
	answer, err := c.Result(t.Context(), run.ID)
	require.NoError(t, err)
	return found{run, answer.Parts}
}

func TestTheWholeInterfaceIsAsDescribed(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	b.run(t, c, api.Order{Study: "try"})
	look := b.run(t, c, api.Order{Study: "look"})
	light := b.run(t, c, api.Order{Study: "light"})
	verified := b.run(t, c, api.Order{Study: "verify", Of: &api.Candidate{Run: light.ID}, Repeats: 2})
	assert.True(t, verified.Best.Feasible)
	for _, path := range []string{"/v1/health", "/v1/benches", "/v1/benches/pulley", "/v1/benches/pulley?revision=1", "/v1/benches/pulley?study=light",
		"/v1/benches/pulley/changes?from=1&to=1", "/v1/runs", "/v1/runs?bench=pulley&limit=2", "/v1/runs?before=3", "/v1/runs/1", "/v1/runs/2/result", "/v1/runs/3/result",
		"/v1/runs/4/result", "/v1/runs/2/evaluations", "/v1/runs/3/evaluations?limit=7&after=5", "/v1/runs/3/evaluations?sort=-mass&only=feasible", "/v1/runs/2/evaluations/3"} {
		status, text := b.ask(t, "GET", path, "")
		assert.Equal(t, 200, status, "%s: %s", path, text)
	}
	status, _ := b.ask(t, "POST", "/v1/links", "")
	assert.Equal(t, 201, status)
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/evaluations", look.ID), "", "Accept", "text/csv")
	assert.Equal(t, 200, status)
	assert.Equal(t, 13, strings.Count(text, "\n"))
	assert.True(t, strings.HasPrefix(text, "evaluation,state,feasible,reused,reason,missed,radius [m],torque,mass\n"), text)
}

// TestABenchMovesAndGetsAnotherName: what belongs to it stays with it; what is forgotten is gone, but for its folder.
func TestABenchMovesAndGetsAnotherName(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	elsewhere := filepath.Join(t.TempDir(), "moved.bench.yaml")
	text, err := os.ReadFile(b.file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(elsewhere, append(text, "# moved\n"...), 0o644))
	moved, err := c.ChangeBench(t.Context(), "pulley", api.Change{Path: elsewhere})
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Dir(elsewhere), "moved.bench.yaml"}, []string{moved.Folder, moved.File})
	assert.Equal(t, 2, moved.Revision, "it is read from its new place")
	renamed, err := c.ChangeBench(t.Context(), "pulley", api.Change{Name: "sheave"})
	require.NoError(t, err)
	assert.Equal(t, "sheave", renamed.Name)
	of, err := c.Run(t.Context(), run.ID)
	require.NoError(t, err)
	assert.Equal(t, "sheave", of.Bench)
	revisions, err := c.Revisions(t.Context(), "sheave")
	require.NoError(t, err)
	assert.Len(t, revisions, 2)
	again, err := c.Start(t.Context(), "sheave", api.Order{Study: "try", Of: &api.Candidate{Run: run.ID, Evaluation: 3}, Design: map[string]bench.Value{"load": bench.Number(700)}})
	require.NoError(t, err)
	third, err := c.Evaluation(t.Context(), run.ID, 3)
	require.NoError(t, err)
	assert.Equal(t, map[string]bench.Value{"radius": third.Inputs["radius"], "load": bench.Number(700)}, again.Question.Design, "the design of that evaluation, with what is set")
	require.Eventually(t, func() bool { r, err := c.Run(t.Context(), again.ID); return err == nil && !r.AtWork() }, time.Minute, 5*time.Millisecond)
	for _, q := range []struct{ method, path, body, says string }{
		{"PATCH", "/v1/benches/none", `{"name": "x"}`, "there is no bench none"},
		{"PATCH", "/v1/benches/sheave", `{}`, "has a path, a name, or both"},
		{"PATCH", "/v1/benches/sheave", `{"path": "a.bench.yaml"}`, "must be absolute"},
		{"PATCH", "/v1/benches/sheave", `{"path": "/none/a.bench.yaml"}`, "there is no bench that can be read"},
		{"PATCH", "/v1/benches/sheave", `{"name": "../x"}`, "../x"},
		{"PATCH", "/v1/benches/sheave", fmt.Sprintf(`{"name": "../x", "path": %q}`, b.file), "../x"},
		{"PATCH", "/v1/benches/sheave", `{"name": "block", "path": "/none/a.bench.yaml"}`, "there is no bench that can be read"},
		{"DELETE", "/v1/benches/none", "", "there is no bench none"},
	} {
		status, answer := b.ask(t, q.method, q.path, q.body)
		assert.GreaterOrEqual(t, status, 400)
		assert.Contains(t, answer, q.says)
	}
	still, err := c.Bench(t.Context(), "sheave")
	require.NoError(t, err)
	assert.Equal(t, "moved.bench.yaml", still.File, "a change of which a half is refused is none")
	require.NoError(t, c.RemoveBench(t.Context(), "sheave"))
	benches, err := c.Benches(t.Context())
	require.NoError(t, err)
	assert.Empty(t, benches)
	_, err = c.Run(t.Context(), run.ID)
	assert.ErrorContains(t, err, "there is no run")
	assert.FileExists(t, elsewhere)
	back, err := c.PutBench(t.Context(), "sheave", elsewhere)
	require.NoError(t, err)
	assert.Equal(t, 1, back.Revision)
}

// TestFilesOfAFailedEvaluationCanBeRead through the interface, and no others.
func TestFilesOfAFailedEvaluationCanBeRead(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	folder := t.TempDir()
	file := filepath.Join(folder, "weak.bench.yaml")
	require.NoError(t, os.WriteFile(file, []byte(`bench: 1
inputs: {load: {nominal: 3}}
solver: {steps: [{run: [sh, -c, "mkdir out; echo '<b>load @[load]</b>' > 'out/a b.txt'; exit 1"]}]}
outputs: {sag: {file: out.json, pointer: /sag}}
`), 0o644))
	_, err := c.PutBench(t.Context(), "weak", file)
	require.NoError(t, err)
	run, err := c.Start(t.Context(), "weak", api.Order{Study: "try"})
	require.NoError(t, err)
	require.Eventually(t, func() bool { r, err := c.Run(t.Context(), run.ID); return err == nil && !r.AtWork() }, time.Minute, 5*time.Millisecond)
	kept, err := c.Kept(t.Context(), run.ID)
	require.NoError(t, err)
	assert.Equal(t, []api.Kept{{Evaluation: 1, Bytes: 14}}, kept)
	files, err := c.KeptFiles(t.Context(), run.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, []api.KeptFile{{Path: "out/a b.txt", Bytes: 14}}, files)
	var text bytes.Buffer
	require.NoError(t, c.KeptFile(t.Context(), run.ID, 1, "out/a b.txt", &text))
	assert.Equal(t, "<b>load 3</b>\n", text.String())
	for path, says := range map[string]string{"../../1": "left no file", "out": "is a folder", "none": "left no file none"} {
		assert.ErrorContains(t, c.KeptFile(t.Context(), run.ID, 1, path, io.Discard), says)
	}
	_, err = c.KeptFiles(t.Context(), run.ID, 2)
	assert.ErrorContains(t, err, "has no evaluation 2")
	request, err := http.NewRequest(http.MethodGet, b.URL()+fmt.Sprintf("/v1/runs/%d/evaluations/1/files/out/a%%20b.txt", run.ID), nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.token)
	response, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(request)
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	assert.Equal(t, []string{"application/octet-stream", "nosniff", "sandbox"},
		[]string{response.Header.Get("Content-Type"), response.Header.Get("X-Content-Type-Options"), response.Header.Get("Content-Security-Policy")}, "no browser takes it for a page")
}

func TestProblemsSayWhatToDo(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	for _, q := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"GET", "/v1/benches/none", "", 404, "there is no bench none"},
		{"GET", "/v1/runs/99", "", 404, "there is no run 99"},
		{"GET", "/v1/runs/x", "", 400, "a run is named by its number"},
		{"GET", "/v1/runs/1/evaluations/9999", "", 404, "run 1 has no evaluation 9999"},
		{"GET", "/v1/runs/1/evaluations?sort=mas", "", 400, "did you mean mass?"},
		{"GET", "/v1/runs/1/evaluations?limit=0", "", 400, "limit must be a whole number from 1 to 10000"},
		{"GET", "/v1/benches/pulley?revision=7", "", 404, "there is no revision 7"},
		{"GET", "/v1/nothing", "", 404, "nothing at /v1/nothing"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "lihgt"}`, 400, "it has look, light"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "light", "sed": 3}`, 400, "unknown field"},
		{"POST", "/v1/benches/pulley/runs", `{"study": `, 400, "cannot be read"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "light", "hold": {"lod": 3}}`, 400, "did you mean load?"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "verify"}`, 400, "needs a candidate"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "light", "hold": {"load": null}}`, 400, "not null"},
		{"POST", "/v1/benches/pulley/runs", `{"study": "light", "evaluations": 1000000000000000}`, 400, "between 1 and 100000000"},
		{"POST", fmt.Sprintf("/v1/runs/%d/stop", run.ID), "", 409, "is finished: only a run that is at work"},
		{"POST", fmt.Sprintf("/v1/runs/%d/resume", run.ID), "", 409, "only a paused or stopped run can be resumed"},
		{"PUT", "/v1/benches/pulley", `{"path": "pulley.bench.yaml"}`, 400, "must be absolute"},
		{"PUT", "/v1/benches/pulley", `{"path": "/elsewhere/pulley.bench.yaml"}`, 409, "another name with --name"},
		{"PUT", "/v1/benches/other", `{"path": "/elsewhere/other.bench.yaml"}`, 404, "there is no file"},
	} {
		status, text := b.ask(t, q.method, q.path, q.body)
		assert.Equal(t, q.status, status, "%s %s: %s", q.method, q.path, text)
		assert.Contains(t, text, q.says, "%s %s", q.method, q.path)
	}
}

// Who sends half a request, before anything of a token is known, is not waited for, and is not many.
func TestHalfRequestsEnd(t *testing.T) {
	t.Parallel()
	b := start(t, func(c *service.Config) { c.Arrival = 50 * time.Millisecond })
	connection, err := net.Dial("tcp", strings.TrimPrefix(b.URL(), "http://"))
	require.NoError(t, err)
	defer connection.Close()
	_, err = connection.Write([]byte("POST /v1/benches/pulley/runs HTTP/1.1\r\nHost: " + strings.TrimPrefix(b.URL(), "http://") + "\r\nContent-Length: 4000000\r\n\r\n{"))
	require.NoError(t, err)
	_, err = io.Copy(io.Discard, connection) // until the service ends it
	if err != nil {
		assert.ErrorIs(t, err, syscall.ECONNRESET)
	}

	patient := start(t, func(c *service.Config) { c.Arrival = time.Hour })
	var last net.Conn // nothing is written: an answer to a connection with something unread may be lost
	for range 300 {
		last, err = net.Dial("tcp", strings.TrimPrefix(patient.URL(), "http://"))
		require.NoError(t, err)
		defer last.Close()
	}
	require.NoError(t, last.SetReadDeadline(time.Now().Add(time.Minute)))
	refused := make([]byte, 12)
	_, err = io.ReadFull(last, refused)
	require.NoError(t, err)
	assert.Equal(t, "HTTP/1.1 503", string(refused))
}

func TestACandidateIsVerifiedOnItsOwnBench(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	other := filepath.Join(t.TempDir(), "other.bench.yaml")
	text, err := os.ReadFile(b.file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(other, text, 0o644))
	_, err = c.PutBench(t.Context(), "other", other)
	require.NoError(t, err)
	_, err = c.Start(t.Context(), "other", api.Order{Study: "verify", Of: &api.Candidate{Run: run.ID}})
	assert.ErrorContains(t, err, "its designs belong there, not to other")
	_, err = c.Start(t.Context(), "pulley", api.Order{Study: "verify", Of: &api.Candidate{Run: run.ID}})
	assert.NoError(t, err)
}

func TestADesignBecomesTheNominalOne(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	before, err := os.ReadFile(b.file)
	require.NoError(t, err)
	would, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID}})
	require.NoError(t, err)
	assert.False(t, would.Written)
	assert.NotEmpty(t, would.Changes)
	same, err := os.ReadFile(b.file)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(same), "nothing is written before it is said")
	done, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID}, Write: true})
	require.NoError(t, err)
	assert.Equal(t, would.Changes, done.Changes)
	assert.Equal(t, api.Candidate{Run: run.ID, Evaluation: run.Headline.Evaluation}, done.Candidate)
	now, err := c.Bench(t.Context(), "pulley")
	require.NoError(t, err)
	assert.Equal(t, now.Revision, done.Revision)
	best, err := c.Evaluation(t.Context(), run.ID, done.Evaluation)
	require.NoError(t, err)
	for _, in := range now.Inputs {
		assert.Equal(t, best.Inputs[in.Name], in.Nominal, in.Name)
	}
	again, err := c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: done.Candidate, Write: true})
	require.NoError(t, err)
	assert.Empty(t, again.Changes)
	assert.False(t, again.Written)
	_, err = c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: api.Candidate{Run: run.ID, Evaluation: 9999}})
	assert.ErrorContains(t, err, "no evaluation 9999")
	require.NoError(t, os.WriteFile(b.file, append(before, "nonsense: 1\n"...), 0o644))
	_, err = c.Adopt(t.Context(), "pulley", api.Adoption{Candidate: done.Candidate, Write: true})
	assert.ErrorContains(t, err, "mistakes, which come first")
}

func TestOnlyTheUserOfThisMachineIsLetIn(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	info, err := os.Stat(filepath.Join(b.data, "token"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	for _, q := range []struct {
		name    string
		status  int
		headers []string
	}{
		{"token", 200, nil},
		{"wrong token", 401, []string{"Authorization", "Bearer no"}},
		{"no token", 401, []string{"Authorization", ""}},
		{"forged cookie", 401, []string{"Authorization", "", "Cookie", "ropebench=9999999999.00"}},
		{"foreign host", 421, []string{"Host", "evil.example"}},
		{"foreign host on our port", 421, []string{"Host", "evil.example:" + port(b.URL())}},
		{"foreign origin", 403, []string{"Origin", "http://evil.example"}},
		{"origin without a name", 403, []string{"Origin", "null"}},
		{"foreign page", 403, []string{"Sec-Fetch-Site", "cross-site"}},
		{"own origin", 200, []string{"Origin", b.URL()}},
		{"localhost", 200, []string{"Host", "localhost:" + port(b.URL())}},
	} {
		status, text := b.ask(t, "GET", "/v1/health", "", q.headers...)
		assert.Equal(t, q.status, status, "%s: %s", q.name, text)
	}
}

func port(url string) string { return url[strings.LastIndex(url, ":")+1:] }

func TestLinksOpenTheConsoleOnce(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	link := b.Link()
	browser := &http.Client{Transport: &http.Transport{DisableKeepAlives: true}, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	first, err := browser.Get(link)
	require.NoError(t, err)
	first.Body.Close()
	require.Equal(t, http.StatusSeeOther, first.StatusCode)
	require.Len(t, first.Cookies(), 1)
	cookie := first.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)
	second, err := browser.Get(link)
	require.NoError(t, err)
	second.Body.Close()
	assert.Equal(t, http.StatusForbidden, second.StatusCode, "a link works once")
	status, _ := b.ask(t, "GET", "/v1/health", "", "Authorization", "", "Cookie", cookie.Name+"="+cookie.Value)
	assert.Equal(t, 200, status, "the cookie lets the console in")
}

func TestConsoleFiles(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	status, schema := b.ask(t, "GET", "/schema/bench.json", "")
	assert.Equal(t, 200, status)
	assert.Contains(t, schema, "https://json-schema.org/draft/2020-12/schema")
	for path, want := range map[string]string{"/": "console", "/bench/pulley/model": "console", "/assets/a.js": "1", "/../../etc/passwd": "there is nothing at", "/bench/../../etc/passwd": "console"} {
		_, text := b.ask(t, "GET", path, "")
		assert.Contains(t, text, want, path)
	}
}

func TestRevisionsAndChangesSince(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	first := b.run(t, c, api.Order{Study: "light"})
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(pulley, "at_least: 100", "at_least: 110", 1)), 0o644))
	run, err := c.Run(t.Context(), first.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, run.Newest)
	assert.Equal(t, []string{"R1: torque is at least 100, with 5 kept in reserve (Enough torque) -> torque is at least 110, with 5 kept in reserve (Enough torque)"}, run.Changes)
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(pulley, "at_least: 100", "at_lest: 110", 1)), 0o644))
	broken, err := c.Bench(t.Context(), "pulley")
	require.NoError(t, err)
	assert.Equal(t, 2, broken.Revision, "the last good revision is shown")
	require.Len(t, broken.Problems, 1)
	assert.Contains(t, broken.Problems[0].Message, "did you mean at_least?")
	_, err = c.Start(t.Context(), "pulley", api.Order{Study: "light"})
	assert.ErrorContains(t, err, "did you mean at_least?", "a stale model is not run")
}

func TestEventsGoOnWhereTheyWereLeft(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	events, err := c.Listen(t.Context())
	require.NoError(t, err)
	b.run(t, c, api.Order{Study: "light"})
	for {
		run, err := events.Next()
		require.NoError(t, err)
		require.NotNil(t, run)
		if run.State == "finished" {
			assert.Equal(t, 120, run.Evaluations)
			break
		}
	}
	require.NoError(t, events.Close())
	request, err := http.NewRequest("GET", b.URL()+"/v1/events", nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.token)
	request.Header.Set("Last-Event-ID", "another-service.3")
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	response, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(request.WithContext(ctx))
	require.NoError(t, err)
	defer response.Body.Close()
	text := make([]byte, 200)
	n, err := io.ReadAtLeast(response.Body, text, 40)
	require.NoError(t, err)
	assert.Contains(t, string(text[:n]), "event: again", "events of another service are gone: ask anew")
}

func TestOneServiceForEachDataFolder(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	_, err := service.Start(service.Config{Data: b.data})
	assert.ErrorContains(t, err, "belongs to a running service (process")
	assert.ErrorContains(t, err, "--data")
	_, err = service.Start(service.Config{Data: filepath.Join(b.file, "below-a-file")})
	assert.ErrorContains(t, err, "cannot be made")
	for address, says := range map[string]string{"0.0.0.0:0": "nothing is encrypted", ":0": "nothing is encrypted", "[::]:0": "nothing is encrypted", "8400": "no address to listen on"} {
		_, err = service.Start(service.Config{Data: t.TempDir(), Address: address})
		assert.ErrorContains(t, err, says, address)
	}
	_, err = service.Start(service.Config{Data: t.TempDir(), Address: strings.TrimPrefix(b.URL(), "http://")})
	assert.ErrorContains(t, err, "cannot listen on")
}

func TestCompanionEndsWhenItsLastClientHasLeft(t *testing.T) {
	t.Parallel()
	b := start(t, func(c *service.Config) { c.Companion = true })
	ended := make(chan error, 1)
	go func() { ended <- b.Wait(context.Background()) }()
	c := b.client(t)
	first, err := c.Listen(t.Context())
	require.NoError(t, err)
	second, err := c.Listen(t.Context())
	require.NoError(t, err)
	require.NoError(t, first.Close())
	_, err = c.Health(t.Context())
	require.NoError(t, err, "one client is still there")
	require.NoError(t, second.Close())
	select {
	case err := <-ended:
		require.NoError(t, err)
	case <-time.After(time.Minute):
		t.Fatal("the companion did not end")
	}
	_, err = os.Stat(filepath.Join(b.data, "service.json"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestRunsAreQueuedAndControlled(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	slow := strings.Replace(pulley, "  formulas: {torque: load*radius, mass: 40*radius^2}", "  steps: [{run: [sh, -c, \"sleep 0.2; echo T @[radius] > out\"]}]\noutputs:\n  torque: {file: out, match: 'T (\\S+)'}\nderived:\n  mass: 40*radius^2", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(slow, "at_least: 100, reserve: 5", "at_least: 0.1", 1)), 0o644))
	_, err := c.PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	var runs []api.Run
	for seed := range uint64(6) {
		run, err := c.Start(t.Context(), "pulley", api.Order{Study: "light", Seed: &seed})
		require.NoError(t, err)
		runs = append(runs, run)
	}
	last, err := c.Stop(t.Context(), runs[5].ID)
	require.NoError(t, err)
	assert.Equal(t, "stopped", last.State, "a run that waits can be stopped")
	require.Eventually(t, func() bool {
		run, err := c.Run(t.Context(), runs[0].ID)
		return err == nil && run.Evaluations >= 3
	}, time.Minute, 10*time.Millisecond)
	paused, err := c.Pause(t.Context(), runs[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "paused", paused.State)
	assert.Less(t, paused.Evaluations, 120)
	_, err = c.Pause(t.Context(), runs[1].ID) // the fifth run has the place of the first; this one leaves it another
	require.NoError(t, err)
	_, err = c.Resume(t.Context(), runs[0].ID)
	require.NoError(t, err)
	var stopped api.Run
	require.Eventually(t, func() bool {
		stopped, err = c.Run(t.Context(), runs[0].ID)
		return err == nil && stopped.Evaluations > paused.Evaluations
	}, time.Minute, 10*time.Millisecond)
	stopped, err = c.Stop(t.Context(), runs[0].ID)
	require.NoError(t, err)
	assert.NotNil(t, stopped.Headline)
	health, err := c.Health(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int{3, 4, 5}, health.Unfinished)
	require.NoError(t, b.Close(), "closing pauses what is at work")
	again, err := service.Start(service.Config{Data: b.data})
	require.NoError(t, err)
	defer func() { require.NoError(t, again.Close()) }()
	reader := client.New(again.URL(), b.token)
	defer reader.Close()
	all, err := reader.Runs(t.Context(), "", 10)
	require.NoError(t, err)
	for _, run := range all[1:5] {
		assert.Equal(t, "paused", run.State, "run %d", run.ID)
	}
}

func TestResultHasTheKeysThatScriptsRelyOn(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	_, raw := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/result", run.ID), "")
	var result map[string]any
	require.NoError(t, json.Unmarshal([]byte(raw), &result))
	assert.Equal(t, float64(run.ID), result["run"])
	best := result["best"].(map[string]any)
	assert.Equal(t, map[string]any{"radius": run.Best.Inputs["radius"].Number, "load": 800.0}, best["inputs"])
	r1 := best["requirements"].(map[string]any)["R1"].(map[string]any)
	assert.Equal(t, "met", r1["verdict"])
	assert.InDelta(t, r1["value"].(float64)-100, r1["margin"], 1e-9)
	for _, key := range []string{"study", "revision", "state", "reason", "seed", "evaluations", "reused", "failed", "derivatives", "search"} {
		assert.Contains(t, result, key)
	}
}
