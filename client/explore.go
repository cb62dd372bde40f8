package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"ropebench/api"
)

// Exploration is what the evaluations of a run say about some values, or about all where none is named.
func (c *Client) Exploration(ctx context.Context, id int, of []string) (e api.Exploration, err error) {
	path := runPath(id) + "/exploration"
	if len(of) > 0 {
		path += "?" + url.Values{"of": {strings.Join(of, ",")}}.Encode()
	}
	return e, c.call(ctx, http.MethodGet, path, nil, &e)
}

// Front takes the front of a run again, with other objectives or other requirements.
func (c *Client) Front(ctx context.Context, id int, minimize, maximize, meet []string) (f api.Front, err error) {
	query := url.Values{"minimize": minimize, "maximize": maximize, "meet": meet}
	if meet != nil && len(meet) == 0 {
		query.Set("meet", "") // no requirement at all
	}
	return f, c.call(ctx, http.MethodGet, runPath(id)+"/front?"+query.Encode(), nil, &f)
}

// Convergence is how the best design of a search came to be.
func (c *Client) Convergence(ctx context.Context, id int) (steps api.Convergence, err error) {
	return steps, c.call(ctx, http.MethodGet, runPath(id)+"/convergence", nil, &steps)
}

// Fit is the surrogate of a value.
func (c *Client) Fit(ctx context.Context, id int, of string) (f api.Fit, err error) {
	return f, c.call(ctx, http.MethodGet, runPath(id)+"/fit?"+url.Values{"of": {of}}.Encode(), nil, &f)
}

// Predict says what surrogates predict.
func (c *Client) Predict(ctx context.Context, id int, o api.PredictionOrder) (p api.Predictions, err error) {
	return p, c.call(ctx, http.MethodPost, runPath(id)+"/predictions", o, &p)
}

// Surface is a value that a surrogate predicts over two inputs.
func (c *Client) Surface(ctx context.Context, id int, o api.SurfaceOrder) (s api.Surface, err error) {
	return s, c.call(ctx, http.MethodPost, runPath(id)+"/surface", o, &s)
}

// LeaveOut leaves an evaluation out of the fit of a value, or takes it back in.
func (c *Client) LeaveOut(ctx context.Context, id int, l api.LeavingOut) error {
	return c.call(ctx, http.MethodPut, runPath(id)+"/left-out", l, nil)
}

// Selections lists what was picked together of a run, and named.
func (c *Client) Selections(ctx context.Context, id int) (s []api.Selection, err error) {
	return s, c.call(ctx, http.MethodGet, runPath(id)+"/selections", nil, &s)
}

// KeepSelection keeps a selection under its name.
func (c *Client) KeepSelection(ctx context.Context, id int, s api.Selection) error {
	return c.call(ctx, http.MethodPut, runPath(id)+"/selections", s, nil)
}

// DropSelection forgets a selection.
func (c *Client) DropSelection(ctx context.Context, id int, name string) error {
	return c.call(ctx, http.MethodDelete, runPath(id)+"/selections?"+url.Values{"name": {name}}.Encode(), nil, nil)
}

// Extend gives a sample more points.
func (c *Client) Extend(ctx context.Context, id, more int) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, runPath(id)+"/extend", api.More{More: more}, &r)
}

// Figure writes a figure of a run; what it shows is said by the query.
func (c *Client) Figure(ctx context.Context, id int, query url.Values, into io.Writer) error {
	response, err := c.request(ctx, http.MethodGet, runPath(id)+"/figure?"+query.Encode(), nil, "*/*")
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if _, err := io.Copy(into, response.Body); err != nil {
		return fmt.Errorf("the figure cannot be read to its end: %w", err)
	}
	return nil
}
