package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
)

// Report writes what is known of a candidate of a bench, or of a design of a run: the query names it, and the format by as.
func (c *Client) Report(ctx context.Context, bench string, query url.Values) ([]byte, error) {
	response, err := c.request(ctx, http.MethodGet, "/v1/benches/"+url.PathEscape(bench)+"/report?"+query.Encode(), nil, "*/*")
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err != nil {
		return nil, fmt.Errorf("the report cannot be read to its end: %w", err)
	}
	return text, nil
}
