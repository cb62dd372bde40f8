package client

import (
	"context"
	"net/http"
	"net/url"

	"ropebench/api"
)

// Candidates lists the designs of a bench, or of all if bench is "", that were picked and named.
func (c *Client) Candidates(ctx context.Context, bench string) (all []api.NamedCandidate, err error) {
	return all, c.call(ctx, http.MethodGet, "/v1/candidates?"+url.Values{"bench": {bench}}.Encode(), nil, &all)
}

// Pick names a design of a run.
func (c *Client) Pick(ctx context.Context, bench string, p api.Pick) (picked api.NamedCandidate, err error) {
	return picked, c.call(ctx, http.MethodPut, "/v1/benches/"+url.PathEscape(bench)+"/candidates", p, &picked)
}

// Withdraw takes a candidate back.
func (c *Client) Withdraw(ctx context.Context, bench, name string) error {
	return c.call(ctx, http.MethodDelete, "/v1/benches/"+url.PathEscape(bench)+"/candidates?"+url.Values{"name": {name}}.Encode(), nil, nil)
}
