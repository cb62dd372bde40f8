// Package client is the Go client of a Rope Bench service.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"ropebench/api"
)

// A Client speaks to one service.
type Client struct {
	url   string
	token string
	http  *http.Client
}

// New returns a client of the service at url, with its token, which is sent over connections only on which the service has
// proved itself.
func New(url, token string) *Client {
	c := &Client{url: strings.TrimRight(url, "/"), token: token}
	c.http = &http.Client{Transport: &http.Transport{DialContext: c.dial}}
	return c
}

// Close ends idle connections.
func (c *Client) Close() { c.http.CloseIdleConnections() }

func (c *Client) request(ctx context.Context, method, path string, body any, accept string) (*http.Response, error) {
	var reader io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		reader = bytes.NewReader(text)
	}
	request, err := http.NewRequestWithContext(ctx, method, c.url+path, reader)
	if err != nil {
		return nil, err
	}
	request.Header.Set("Authorization", "Bearer "+c.token)
	request.Header.Set("Accept", accept)
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	response, err := c.http.Do(request)
	if err != nil {
		return nil, err
	}
	if response.StatusCode < 300 {
		return response, nil
	}
	defer response.Body.Close()
	problem := &api.Problem{Status: response.StatusCode}
	if err := json.NewDecoder(response.Body).Decode(problem); err != nil || problem.Detail == "" {
		problem.Detail = fmt.Sprintf("the service at %s answered %s", c.url, response.Status)
	}
	return nil, problem
}

// call makes a request and reads the JSON of its answer.
func (c *Client) call(ctx context.Context, method, path string, body, into any) error {
	response, err := c.request(ctx, method, path, body, "application/json")
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if into == nil {
		return nil
	}
	if err := json.NewDecoder(response.Body).Decode(into); err != nil {
		return fmt.Errorf("the answer of the service cannot be read: %w", err)
	}
	return nil
}

// Health asks the service what it is.
func (c *Client) Health(ctx context.Context) (h api.Health, err error) {
	return h, c.call(ctx, http.MethodGet, "/v1/health", nil, &h)
}

// Link asks for an address that opens the console once.
func (c *Client) Link(ctx context.Context) (string, error) {
	var answer api.Link
	err := c.call(ctx, http.MethodPost, "/v1/links", nil, &answer)
	return answer.URL, err
}

// PutBench has the service read a bench file, by its absolute path, under a name.
func (c *Client) PutBench(ctx context.Context, name, path string) (b api.Bench, err error) {
	return b, c.call(ctx, http.MethodPut, "/v1/benches/"+url.PathEscape(name), map[string]string{"path": path}, &b)
}

// Bench returns a bench, read again from its folder.
func (c *Client) Bench(ctx context.Context, name string) (b api.Bench, err error) {
	return b, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(name), nil, &b)
}

// BenchAt returns a bench as it was at a revision.
func (c *Client) BenchAt(ctx context.Context, name string, revision int) (b api.Bench, err error) {
	return b, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(name)+"?revision="+strconv.Itoa(revision), nil, &b)
}

// Changes says in words what is different between two revisions of a bench.
func (c *Client) Changes(ctx context.Context, bench string, from, to int) (changes []string, err error) {
	return changes, c.call(ctx, http.MethodGet, fmt.Sprintf("/v1/benches/%s/changes?from=%d&to=%d", url.PathEscape(bench), from, to), nil, &changes)
}

// Start queues a run.
func (c *Client) Start(ctx context.Context, bench string, o api.Order) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, "/v1/benches/"+url.PathEscape(bench)+"/runs", o, &r)
}

// Run returns a run as it is now.
func (c *Client) Run(ctx context.Context, id int) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodGet, runPath(id), nil, &r)
}

// Result returns what a run has found until now.
func (c *Client) Result(ctx context.Context, id int) (r api.Result, err error) {
	return r, c.call(ctx, http.MethodGet, runPath(id)+"/result", nil, &r)
}

// Runs lists the newest runs of a bench, or of all if bench is "".
func (c *Client) Runs(ctx context.Context, bench string, limit int) ([]api.Run, error) {
	var page api.Runs
	query := url.Values{"limit": {strconv.Itoa(limit)}}
	if bench != "" {
		query.Set("bench", bench)
	}
	err := c.call(ctx, http.MethodGet, "/v1/runs?"+query.Encode(), nil, &page)
	return page.Runs, err
}

// Stop ends a run with the best found so far.
func (c *Client) Stop(ctx context.Context, id int) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/stop", nil, &r)
}

// Pause ends a run for now.
func (c *Client) Pause(ctx context.Context, id int) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/pause", nil, &r)
}

// Resume lets a paused or stopped run go on.
func (c *Client) Resume(ctx context.Context, id int) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/resume", nil, &r)
}

func runPath(id int) string { return "/v1/runs/" + strconv.Itoa(id) }

// An EvaluationsQuery says which evaluations are wanted.
type EvaluationsQuery struct {
	After, Limit int
	Sort, Only   string
}

func (q EvaluationsQuery) encode() string {
	values := url.Values{"after": {strconv.Itoa(q.After)}, "limit": {strconv.Itoa(q.Limit)}}
	if q.Sort != "" {
		values.Set("sort", q.Sort)
	}
	if q.Only != "" {
		values.Set("only", q.Only)
	}
	return "/evaluations?" + values.Encode()
}

// Evaluations returns a page of the evaluations of a run.
func (c *Client) Evaluations(ctx context.Context, id int, q EvaluationsQuery) (e api.Evaluations, err error) {
	return e, c.call(ctx, http.MethodGet, runPath(id)+q.encode(), nil, &e)
}

// EvaluationsCSV writes a page of the evaluations of a run as CSV, its header line first, and returns the cursor of the
// next page, 0 on the last.
func (c *Client) EvaluationsCSV(ctx context.Context, id int, q EvaluationsQuery, into io.Writer) (next int, err error) {
	response, err := c.request(ctx, http.MethodGet, runPath(id)+q.encode(), nil, "text/csv")
	if err != nil {
		return 0, err
	}
	defer response.Body.Close()
	if _, err := io.Copy(into, response.Body); err != nil {
		return 0, fmt.Errorf("the answer of the service cannot be read: %w", err)
	}
	link, isNext := strings.CutSuffix(response.Header.Get("Link"), `>; rel="next"`)
	if !isNext {
		return 0, nil
	}
	parsed, err := url.Parse(strings.TrimPrefix(link, "<"))
	if err != nil {
		return 0, fmt.Errorf("the link to the next page cannot be read: %w", err)
	}
	return strconv.Atoi(parsed.Query().Get("after"))
}

// Evaluation returns one evaluation with its curves.
func (c *Client) Evaluation(ctx context.Context, id, evaluation int) (e api.EvaluationDetail, err error) {
	return e, c.call(ctx, http.MethodGet, runPath(id)+"/evaluations/"+strconv.Itoa(evaluation), nil, &e)
}

// Kept lists the evaluations of a run whose files were kept.
func (c *Client) Kept(ctx context.Context, id int) (kept []api.Kept, err error) {
	return kept, c.call(ctx, http.MethodGet, runPath(id)+"/kept", nil, &kept)
}

// KeptFiles lists what was kept of an evaluation.
func (c *Client) KeptFiles(ctx context.Context, id, evaluation int) (files []api.KeptFile, err error) {
	return files, c.call(ctx, http.MethodGet, runPath(id)+"/evaluations/"+strconv.Itoa(evaluation)+"/files", nil, &files)
}

// KeptFile writes one of these files.
func (c *Client) KeptFile(ctx context.Context, id, evaluation int, path string, into io.Writer) error {
	response, err := c.request(ctx, http.MethodGet, runPath(id)+"/evaluations/"+strconv.Itoa(evaluation)+"/files/"+(&url.URL{Path: path}).EscapedPath(), nil, "*/*")
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if _, err := io.Copy(into, response.Body); err != nil {
		return fmt.Errorf("the file cannot be read to its end: %w", err)
	}
	return nil
}

// Benches lists the benches that the service knows.
func (c *Client) Benches(ctx context.Context) (benches []api.BenchSummary, err error) {
	return benches, c.call(ctx, http.MethodGet, "/v1/benches", nil, &benches)
}

// Revisions lists the newest revisions of a bench.
func (c *Client) Revisions(ctx context.Context, bench string) (revisions []api.Revision, err error) {
	return revisions, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(bench)+"/revisions", nil, &revisions)
}

// ChangeBench gives a bench another place, or another name.
func (c *Client) ChangeBench(ctx context.Context, name string, change api.Change) (b api.Bench, err error) {
	return b, c.call(ctx, http.MethodPatch, "/v1/benches/"+url.PathEscape(name), change, &b)
}

// RemoveBench forgets a bench with its revisions and runs.
func (c *Client) RemoveBench(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/v1/benches/"+url.PathEscape(name), nil, nil)
}

// Curve writes a curve of an evaluation with all its samples, as CSV.
func (c *Client) Curve(ctx context.Context, id, evaluation int, name string, into io.Writer) error {
	response, err := c.request(ctx, http.MethodGet, runPath(id)+"/evaluations/"+strconv.Itoa(evaluation)+"/curves/"+url.PathEscape(name), nil, "text/csv")
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if _, err := io.Copy(into, response.Body); err != nil {
		return fmt.Errorf("the curve cannot be read to its end: %w", err)
	}
	return nil
}

// Results are the files that the last evaluation of a bench has left.
func (c *Client) Results(ctx context.Context, bench string) (r api.Results, err error) {
	return r, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(bench)+"/results", nil, &r)
}

// ResultFile returns lines of one of these files: from a line on, or from the first one from there on that contains a text.
func (c *Client) ResultFile(ctx context.Context, bench, path string, from int, find string) (d api.Deck, err error) {
	asked := url.Values{"from": {strconv.Itoa(from)}, "find": {find}}
	return d, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(bench)+"/results/"+(&url.URL{Path: path}).EscapedPath()+"?"+asked.Encode(), nil, &d)
}

// Ways are those in which an output can read a number of these files again.
func (c *Client) Ways(ctx context.Context, bench string, spot api.Spot) (ways []api.Way, err error) {
	return ways, c.call(ctx, http.MethodPost, "/v1/benches/"+url.PathEscape(bench)+"/ways", spot, &ways)
}

// Adopt makes the design of an evaluation the nominal one of a bench, or says what that would change.
func (c *Client) Adopt(ctx context.Context, bench string, a api.Adoption) (done api.Adopted, err error) {
	return done, c.call(ctx, http.MethodPost, "/v1/benches/"+url.PathEscape(bench)+"/adoptions", a, &done)
}

// AddOutput makes an output of a number of these files.
func (c *Client) AddOutput(ctx context.Context, bench string, out api.NewOutput) (e api.Edited, err error) {
	return e, c.call(ctx, http.MethodPost, "/v1/benches/"+url.PathEscape(bench)+"/outputs", out, &e)
}

// Archive returns the files of a revision of a bench, the newest if it is 0, as a zip.
func (c *Client) Archive(ctx context.Context, bench string, revision int, of api.Candidate) ([]byte, error) {
	query := url.Values{}
	for name, value := range map[string]int{"revision": revision, "run": of.Run, "evaluation": of.Evaluation} {
		if value > 0 {
			query.Set(name, strconv.Itoa(value))
		}
	}
	path := "/v1/benches/" + url.PathEscape(bench) + "/archive?" + query.Encode()
	response, err := c.request(ctx, http.MethodGet, path, nil, "application/zip")
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	return io.ReadAll(response.Body)
}

// Derivatives returns the exact derivatives of the values of an evaluation.
func (c *Client) Derivatives(ctx context.Context, id, evaluation int) (d api.Derivatives, err error) {
	return d, c.call(ctx, http.MethodGet, runPath(id)+"/evaluations/"+strconv.Itoa(evaluation)+"/derivatives", nil, &d)
}
