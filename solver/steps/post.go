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
	"strconv"
	"strings"
	"syscall"
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

// A busy service may be asked the same question again, at the earliest after some time.
type busy struct {
	error
	after time.Duration
}

// send posts the inputs and keeps the answer. A service that cannot be reached, closes the connection, or says that it is busy
// (429, 502, 503, 504), is asked again after a pause, or when it says, while the limit lasts. Its error is a *solver.Failure where
// the design could not be done.
func send(ctx context.Context, post *bench.Post, body []byte, folder string) error {
	limited, cancel := context.WithTimeout(ctx, post.Limit)
	defer cancel()
	pause, said := firstPause, ""
	for asked := 1; ; asked++ {
		err := ask(limited, post, body, folder)
		var wait busy
		isBusy := errors.As(err, &wait)
		switch {
		case err == nil:
			return nil
		case ctx.Err() != nil:
			return &solver.Failure{State: core.Cancelled, Reason: "cancelled while the service was at work"}
		case limited.Err() != nil:
			return &solver.Failure{State: core.TimedOut, Reason: fmt.Sprintf("%s did not answer within its limit of %s%s", post.URL, post.Limit, said)}
		case !isBusy || asked == mostAsked:
			return failureOf(err)
		}
		said = ", and said before: " + err.Error()
		if deadline, _ := limited.Deadline(); time.Until(deadline) < wait.after {
			return &solver.Failure{State: core.TimedOut, Reason: fmt.Sprintf("%s; it wants to be asked again in %s, which is beyond the limit of %s", err, plain.Duration(wait.after), plain.Duration(post.Limit))}
		}
		select {
		case <-time.After(max(pause, wait.after)):
		case <-limited.Done():
		}
		pause *= 2
	}
}

// client follows redirects that keep the inputs, and no others.
var client = &http.Client{Transport: &http.Transport{DisableKeepAlives: true}, CheckRedirect: func(request *http.Request, via []*http.Request) error {
	if request.Method != http.MethodPost || len(via) >= 10 {
		return http.ErrUseLastResponse
	}
	return nil
}}

func ask(ctx context.Context, post *bench.Post, body []byte, folder string) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, post.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := client.Do(request)
	if err != nil {
		return busy{error: unreached(post.URL, err)}
	}
	defer response.Body.Close()
	code := response.StatusCode
	if accepted := slices.Contains(post.Accept, code) || post.Accept == nil && code/100 == 2; accepted {
		return save(response.Body, post, folder)
	}
	if to := response.Header.Get("Location"); code/100 == 3 && to != "" {
		return fmt.Errorf("%s answered %s and points to %s, where it would be asked without the inputs: write that address, or the one that takes them", post.URL, response.Status, to)
	}
	text, _ := io.ReadAll(io.LimitReader(response.Body, mostSaid)) // what it says about it, as far as it can be read
	refused := answered{url: post.URL, status: response.Status, text: strings.ToValidUTF8(string(text), "?")}
	if slices.Contains([]int{http.StatusTooManyRequests, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout}, code) {
		return busy{error: refused, after: retryAfter(response.Header.Get("Retry-After"), time.Now())}
	}
	return refused
}

// unreached says why a service cannot be reached.
func unreached(url string, err error) error {
	if errors.Is(err, syscall.ECONNREFUSED) {
		return fmt.Errorf("%s: connection refused: nothing listens there; start the service, or correct the address", url)
	}
	return fmt.Errorf("%s cannot be reached: %w", url, err)
}

const (
	mostSaid  = 64 << 10 // bytes that are read of what a service says of an error
	shownSaid = 500      // characters of it in a message
)

// An answered error is what a service says itself.
type answered struct{ url, status, text string }

func (e answered) Error() string {
	return strings.TrimSuffix(fmt.Sprintf("%s answered %s: %s", e.url, e.status, e.message()), ": ")
}

// message is the problem of an answer in JSON (RFC 9457, or what is usual beside it), or else its last line, where a trace has its
// cause.
func (e answered) message() string {
	said := complaint(e.text)
	var object map[string]any
	if json.Unmarshal([]byte(e.text), &object) == nil {
		for _, name := range []string{"detail", "message", "error", "title"} {
			if text, isText := object[name].(string); isText && text != "" {
				said = text
				break
			}
		}
	}
	if runes := []rune(said); len(runes) > shownSaid {
		said = string(runes[:shownSaid]) + "..."
	}
	return said
}

// failureOf shows all that a service said.
func failureOf(err error) *solver.Failure {
	failure := solver.Failed("%s", err)
	var said answered
	if errors.As(err, &said) && strings.Contains(strings.TrimSpace(said.text), "\n") {
		failure.Tail = said.text[max(0, len(said.text)-tailSize):]
	}
	return failure
}

// retryAfter reads the header of that name: seconds, or a time (RFC 9110, section 10.2.3).
func retryAfter(header string, now time.Time) time.Duration {
	if seconds, err := strconv.Atoi(strings.TrimSpace(header)); err == nil {
		return max(0, time.Duration(seconds)*time.Second)
	}
	if at, err := http.ParseTime(header); err == nil {
		return max(0, at.Sub(now))
	}
	return 0
}

// save keeps the answer below the working folder.
func save(body io.Reader, post *bench.Post, folder string) error {
	file, err := create(folder, post.Save, 0o644)
	if err != nil {
		return err
	}
	answer := &noted{Reader: body}
	n, err := io.Copy(file, io.LimitReader(answer, maxAnswer+1))
	err = errors.Join(err, file.Close())
	switch {
	case answer.err != nil:
		return busy{error: fmt.Errorf("%s closed the connection within its answer: %w", post.URL, answer.err)}
	case err != nil:
		return err
	case n > maxAnswer:
		return fmt.Errorf("%s answered with more than %d MB: send less, or write results to files", post.URL, maxAnswer>>20)
	case n == 0:
		return fmt.Errorf("%s answered nothing", post.URL)
	}
	return nil
}

// noted keeps the error with which a reader ended.
type noted struct {
	io.Reader
	err error
}

func (n *noted) Read(into []byte) (int, error) {
	read, err := n.Reader.Read(into)
	if err != nil && !errors.Is(err, io.EOF) {
		n.err = err
	}
	return read, err
}
