// Package client is the Go client of a Rope Bench service.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// A Client speaks to one service.
type Client struct {
	url   string
	token string
	http  *http.Client
}

// New returns a client of the service at url, with its token.
func New(url, token string) *Client {
	return &Client{url: strings.TrimRight(url, "/"), token: token, http: &http.Client{Transport: &http.Transport{}}}
}

// ErrNoService is returned by Find where no service has announced itself.
var ErrNoService = errors.New("no service is running on this data folder")

// Find returns a client of the service that owns a data folder, without asking it anything.
func Find(data string) (*Client, error) {
	text, err := os.ReadFile(filepath.Join(data, "service.json"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNoService
	}
	if err != nil {
		return nil, err
	}
	var announced struct {
		URL string `json:"url"`
	}
	if err := json.Unmarshal(text, &announced); err != nil {
		return nil, fmt.Errorf("service.json in %s cannot be read: %w", data, err)
	}
	token, err := os.ReadFile(filepath.Join(data, "token"))
	if err != nil {
		return nil, fmt.Errorf("the token of the service cannot be read: %w", err)
	}
	return New(announced.URL, strings.TrimSpace(string(token))), nil
}

// A Problem is an answer that says what is wrong, where, and what to do.
type Problem struct {
	Status   int           `json:"status"`
	Title    string        `json:"title"`
	Detail   string        `json:"detail"`
	Problems []FileProblem `json:"problems"`
}

func (p *Problem) Error() string { return p.Detail }

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
	problem := &Problem{Status: response.StatusCode}
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
	if err := json.NewDecoder(response.Body).Decode(into); err != nil {
		return fmt.Errorf("the answer of the service cannot be read: %w", err)
	}
	return nil
}

// Health asks the service what it is.
func (c *Client) Health(ctx context.Context) (h Health, err error) {
	return h, c.call(ctx, http.MethodGet, "/v1/health", nil, &h)
}

// Link asks for an address that opens the console once.
func (c *Client) Link(ctx context.Context) (string, error) {
	var answer struct {
		URL string `json:"url"`
	}
	err := c.call(ctx, http.MethodPost, "/v1/links", nil, &answer)
	return answer.URL, err
}

// PutBench has the service read a bench file, by its absolute path, under a name.
func (c *Client) PutBench(ctx context.Context, name, path string) (b Bench, err error) {
	return b, c.call(ctx, http.MethodPut, "/v1/benches/"+url.PathEscape(name), map[string]string{"path": path}, &b)
}

// Bench returns a bench, read again from its folder.
func (c *Client) Bench(ctx context.Context, name string) (b Bench, err error) {
	return b, c.call(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(name), nil, &b)
}

// Changes says in words what is different between two revisions of a bench.
func (c *Client) Changes(ctx context.Context, bench string, from, to int) (changes []string, err error) {
	return changes, c.call(ctx, http.MethodGet, fmt.Sprintf("/v1/benches/%s/changes?from=%d&to=%d", url.PathEscape(bench), from, to), nil, &changes)
}

// Start queues a run.
func (c *Client) Start(ctx context.Context, bench string, o Order) (r Run, err error) {
	return r, c.call(ctx, http.MethodPost, "/v1/benches/"+url.PathEscape(bench)+"/runs", o, &r)
}

// Run returns a run as it is now.
func (c *Client) Run(ctx context.Context, id int) (r Run, err error) {
	return r, c.call(ctx, http.MethodGet, runPath(id), nil, &r)
}

// Result returns the result of a run as the JSON that scripts rely on.
func (c *Client) Result(ctx context.Context, id int) (json.RawMessage, error) {
	var raw json.RawMessage
	err := c.call(ctx, http.MethodGet, runPath(id)+"/result", nil, &raw)
	return raw, err
}

// Runs lists the newest runs of a bench, or of all if bench is "".
func (c *Client) Runs(ctx context.Context, bench string, limit int) ([]Run, error) {
	var page struct {
		Runs []Run `json:"runs"`
	}
	query := url.Values{"limit": {strconv.Itoa(limit)}}
	if bench != "" {
		query.Set("bench", bench)
	}
	err := c.call(ctx, http.MethodGet, "/v1/runs?"+query.Encode(), nil, &page)
	return page.Runs, err
}

// Stop ends a run with the best found so far.
func (c *Client) Stop(ctx context.Context, id int) (r Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/stop", nil, &r)
}

// Pause ends a run for now.
func (c *Client) Pause(ctx context.Context, id int) (r Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/pause", nil, &r)
}

// Resume lets a paused or stopped run go on.
func (c *Client) Resume(ctx context.Context, id int) (r Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/resume", nil, &r)
}

func runPath(id int) string { return "/v1/runs/" + strconv.Itoa(id) }

// A PointsQuery says which evaluations are wanted.
type PointsQuery struct {
	After, Limit int
	Sort, Only   string
}

func (q PointsQuery) encode() string {
	values := url.Values{"after": {strconv.Itoa(q.After)}, "limit": {strconv.Itoa(q.Limit)}}
	if q.Sort != "" {
		values.Set("sort", q.Sort)
	}
	if q.Only != "" {
		values.Set("only", q.Only)
	}
	return "/points?" + values.Encode()
}

// Points returns a page of the evaluations of a run.
func (c *Client) Points(ctx context.Context, id int, q PointsQuery) (p Points, err error) {
	return p, c.call(ctx, http.MethodGet, runPath(id)+q.encode(), nil, &p)
}

// PointsCSV writes a page of the evaluations of a run as CSV, its header line first, and returns the cursor of the next
// page, 0 on the last.
func (c *Client) PointsCSV(ctx context.Context, id int, q PointsQuery, into io.Writer) (next int, err error) {
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

// Point returns one evaluation with its curves.
func (c *Client) Point(ctx context.Context, id, evaluation int) (p PointDetail, err error) {
	return p, c.call(ctx, http.MethodGet, runPath(id)+"/points/"+strconv.Itoa(evaluation), nil, &p)
}

// Archive returns the files of a revision of a bench, the newest if it is 0, as a zip.
func (c *Client) Archive(ctx context.Context, bench string, revision int) ([]byte, error) {
	path := "/v1/benches/" + url.PathEscape(bench) + "/archive"
	if revision > 0 {
		path += "?revision=" + strconv.Itoa(revision)
	}
	response, err := c.request(ctx, http.MethodGet, path, nil, "application/zip")
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	return io.ReadAll(response.Body)
}

// Derivatives returns the exact derivatives of the values of an evaluation.
func (c *Client) Derivatives(ctx context.Context, id, evaluation int) (d Derivatives, err error) {
	return d, c.call(ctx, http.MethodGet, runPath(id)+"/points/"+strconv.Itoa(evaluation)+"/derivatives", nil, &d)
}

// WaitUntilReady asks for the health of the service that owns a data folder until it answers.
func WaitUntilReady(ctx context.Context, data string) (*Client, error) {
	for {
		c, err := Find(data)
		if err == nil {
			if _, err = c.Health(ctx); err == nil {
				return c, nil
			}
			c.Close()
		}
		select {
		case <-ctx.Done():
			return nil, fmt.Errorf("the service did not get ready: %w", errors.Join(ctx.Err(), err))
		case <-time.After(10 * time.Millisecond):
		}
	}
}
