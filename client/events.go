package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"ropebench/api"
)

// maxEvent bounds one line of the stream: a run with very many inputs.
const maxEvent = 16 << 20

// Events is a stream of live events. While it is open, a companion service stays.
type Events struct {
	response *http.Response
	lines    *bufio.Scanner
}

// Listen opens the stream of live events; it ends with ctx or Close.
func (c *Client) Listen(ctx context.Context) (*Events, error) {
	response, err := c.request(ctx, http.MethodGet, "/v1/events", nil, "text/event-stream")
	if err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(response.Body)
	lines.Buffer(nil, maxEvent)
	return &Events{response, lines}, nil
}

// ErrStreamEnded is returned by Next when the service has ended the stream.
var ErrStreamEnded = errors.New("the service ended the stream of events")

// Next waits for the next event about a run. A nil run means that something was missed: ask anew.
func (e *Events) Next() (*api.Run, error) {
	name := ""
	for e.lines.Scan() {
		field, value, _ := strings.Cut(e.lines.Text(), ": ")
		switch {
		case field == "event":
			name = value
		case field == "data" && name == "again":
			return nil, nil
		case field == "data" && name == "run":
			run := &api.Run{}
			return run, json.Unmarshal([]byte(value), run)
		}
	}
	return nil, errors.Join(ErrStreamEnded, e.lines.Err())
}

// Close ends the stream.
func (e *Events) Close() error { return e.response.Body.Close() }
