package steps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/solver"
)

// The documents that an answer is read as, beside the files of the working folder.
const (
	answerOutputs  = "the answer"
	answerGradient = "the gradient of the answer"
)

// lastWords is how long a program that has closed its output may take to be gone, so that its exit code is known.
const lastWords = time.Second

// An asked program stays for a session and is asked for each evaluation, by JSON-RPC 2.0, one line each.
type asked struct {
	*stayer
	name  string
	calls int
}

// A call is a request of JSON-RPC 2.0.
type call struct {
	Version string     `json:"jsonrpc"`
	ID      int        `json:"id"`
	Method  string     `json:"method"`
	Params  callParams `json:"params"`
}

type callParams struct {
	Inputs json.RawMessage `json:"inputs"`
	Folder string          `json:"folder"`
}

// A response is one of JSON-RPC 2.0.
type response struct {
	Version string      `json:"jsonrpc"`
	ID      *int        `json:"id"`
	Result  *callResult `json:"result"`
	Error   *callError  `json:"error"`
}

type callResult struct {
	Outputs  json.RawMessage `json:"outputs"`
	Gradient json.RawMessage `json:"gradient"`
}

type callError struct {
	Code    int             `json:"code"`
	Message string          `json:"message"`
	Data    json.RawMessage `json:"data"`
}

// askProgram asks the program of the step, which is started where it is not at work, and keeps its answer for the outputs.
func (s *session) askProgram(ctx context.Context, ask *bench.Ask, job solver.Job) error {
	if s.asked == nil {
		var err error
		if s.asked, err = s.startAsked(ask, job.ID); err != nil {
			return err
		}
	}
	limited, cancel := context.WithTimeout(ctx, ask.Limit)
	defer cancel()
	a := s.asked
	reply, err := a.evaluate(limited, s.body(job.Lookup), job.Folder)
	if a.ended {
		s.asked = nil // the next evaluation gets another
		a.end(lastWords)
	}
	var failure *solver.Failure
	switch {
	case err == nil:
		s.answers = map[string][]byte{answerOutputs: reply.Outputs, answerGradient: reply.Gradient}
		return nil
	case ctx.Err() != nil:
		failure = &solver.Failure{State: core.Cancelled, Reason: "cancelled while the solver was at work"}
	case limited.Err() != nil:
		failure = &solver.Failure{State: core.TimedOut, Reason: fmt.Sprintf("%s did not answer within its limit of %s and was ended with all its children", a.name, ask.Limit)}
	case errors.Is(err, errGone):
		failure = solver.Failed("%s %s before it answered: %s", a.name, howEnded(a.command.ProcessState), complaint(a.said.text()))
	case !errors.As(err, &failure):
		return err
	}
	if failure.Tail == "" {
		failure.Tail = a.said.text()
	}
	return failure
}

// startAsked starts the program of the step in the folder of the session, where the files of the solver stand.
func (s *session) startAsked(ask *bench.Ask, id string) (*asked, error) {
	if err := errors.Join(os.MkdirAll(s.folder, 0o700), s.copyFiles(s.folder)); err != nil {
		return nil, err
	}
	program, err := programOf(ask.Args[0], s.folder, s.path)
	if err != nil {
		return nil, solver.Failed("%s", err)
	}
	command := exec.Command(program, ask.Args[1:]...)
	command.Dir = s.folder
	command.Env = environmentOf(s.path, ask.Env, id+"-ask")
	started, err := startStayer(command, id+"-ask")
	if err != nil {
		return nil, solver.Failed("%s could not be started: %s", ask.Args[0], cause(err))
	}
	return &asked{stayer: started, name: strings.Join(ask.Args, " ")}, nil
}

// evaluate makes one call. A program that breaks the rules, or is gone, is marked as ended; one that says that it could not
// do a design is not.
func (a *asked) evaluate(ctx context.Context, inputs []byte, folder string) (*callResult, error) {
	a.calls++
	line, err := json.Marshal(call{Version: "2.0", ID: a.calls, Method: "evaluate", Params: callParams{inputs, folder}})
	if err != nil {
		return nil, err
	}
	reply, err := a.ask(ctx, line)
	switch {
	case errors.Is(err, errEndless):
		return nil, solver.Failed("%s: %s and was ended: write large results to files below params.folder", a.name, err)
	case err != nil:
		return nil, errGone
	}
	var said response
	err = json.Unmarshal(reply, &said)
	switch {
	case err != nil:
		return nil, a.broke(reply, "this is no JSON: "+err.Error())
	case said.Version != "2.0" || said.ID == nil || *said.ID != a.calls:
		return nil, a.broke(reply, fmt.Sprintf("jsonrpc must be \"2.0\" and id that of the question, %d", a.calls))
	case said.Error != nil:
		return nil, &solver.Failure{State: core.Failed, Reason: fmt.Sprintf("%s: %s", a.name, said.Error.Message), Tail: plain.Short(string(said.Error.Data))}
	case said.Result == nil || len(said.Result.Outputs) == 0:
		return nil, a.broke(reply, "there is neither an error nor a result with outputs")
	}
	return said.Result, nil
}

// broke says what is expected of a program that answered something else. What it would answer next is not known.
func (a *asked) broke(reply []byte, why string) error {
	a.ended = true
	return solver.Failed("%s answered %s, but %s. Expected is one line for each question, such as {\"jsonrpc\": \"2.0\", \"id\": %d, \"result\": {\"outputs\": {\"mass\": 1.5}}}; let it write all else to its standard error",
		a.name, strconv.Quote(plain.Short(strings.TrimSpace(string(reply)))), why, a.calls)
}

// errGone is the error of a program that has ended, or has closed its output.
var errGone = errors.New("the program is gone")
