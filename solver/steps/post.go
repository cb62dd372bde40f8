package steps

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/solver"
)

const (
	maxAnswer  = 256 << 20
	firstPause = 200 * time.Millisecond // before a busy or missing service is asked again; doubled each time
	mostAsked  = 6
)

// body is the inputs as a JSON object.
func (s *Solver) body(value solver.Lookup) []byte {
	inputs := map[string]bench.Value{}
	for _, in := range s.bench.Inputs {
		inputs[in.Name] = value(in.Name)
	}
	text, err := json.Marshal(inputs)
	if err != nil {
		return nil // finite numbers always encode, and inputs are finite
	}
	return text
}

// errBusy is an answer after which the same question may be asked again.
var errBusy = errors.New("busy")

// send posts the inputs and keeps the answer. A service that cannot be reached, or says that it is busy (429, 502, 503, 504),
// is asked again after a pause, while the limit lasts. Its error is a *solver.Failure where the design could not be done.
func send(ctx context.Context, post *bench.Post, body []byte, folder string) error {
	limited, cancel := context.WithTimeout(ctx, post.Limit)
	defer cancel()
	pause := firstPause
	for asked := 1; ; asked++ {
		err := ask(limited, post, body, folder)
		switch {
		case err == nil:
			return nil
		case ctx.Err() != nil:
			return &solver.Failure{State: core.Cancelled, Reason: "cancelled while the service was at work"}
		case limited.Err() != nil:
			return &solver.Failure{State: core.TimedOut, Reason: fmt.Sprintf("%s did not answer within its limit of %s", post.URL, post.Limit)}
		case !errors.Is(err, errBusy) || asked == mostAsked:
			return solver.Failed("%s", strings.TrimSuffix(err.Error(), ": "+errBusy.Error()))
		}
		select {
		case <-time.After(pause):
		case <-limited.Done():
		}
		pause *= 2
	}
}

var client = &http.Client{Transport: &http.Transport{DisableKeepAlives: true}}

func ask(ctx context.Context, post *bench.Post, body []byte, folder string) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, post.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := client.Do(request)
	if err != nil {
		return fmt.Errorf("%s cannot be reached: %s: %w", post.URL, err, errBusy)
	}
	defer response.Body.Close()
	code := response.StatusCode
	if accepted := slices.Contains(post.Accept, code) || post.Accept == nil && code/100 == 2; !accepted {
		text, _ := io.ReadAll(io.LimitReader(response.Body, tailSize)) // what it says about it, as far as it can be read
		err := fmt.Errorf("%s answered %s: %s", post.URL, response.Status, plain.Short(strings.TrimSpace(string(text))))
		if slices.Contains([]int{http.StatusTooManyRequests, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout}, code) {
			err = fmt.Errorf("%w: %w", err, errBusy)
		}
		return err
	}
	return save(io.LimitReader(response.Body, maxAnswer+1), post, folder)
}

// save keeps the answer below the working folder.
func save(answer io.Reader, post *bench.Post, folder string) error {
	file, err := create(folder, post.Save, 0o644)
	if err != nil {
		return err
	}
	n, err := io.Copy(file, answer)
	err = errors.Join(err, file.Close())
	if err == nil && n > maxAnswer {
		err = fmt.Errorf("%s answered with more than %d MB: send less, or write results to files", post.URL, maxAnswer>>20)
	}
	if err == nil && n == 0 {
		err = fmt.Errorf("%s answered nothing", post.URL)
	}
	return err
}
