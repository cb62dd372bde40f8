package steps

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"ropebench/bench/workbook"
	"ropebench/core"
	"ropebench/solver"
)

//go:embed libreoffice.py
var officeScript []byte

const officeLimit = 2 * time.Minute // for one request

// An office is LibreOffice at work for one session, with the workbooks that it has open.
type office struct {
	*stayer
	folder string // of its profile, and of the workbooks as the bench has them
}

// A request is one line to the script; rows and columns count from 0.
type request struct {
	File string   `json:"file"`
	Set  [][4]any `json:"set,omitempty"`
	Get  [][5]any `json:"get"`
	Save string   `json:"save,omitempty"`
	Once bool     `json:"once,omitempty"` // the workbook is not asked again
}

// startOffice starts LibreOffice and the script that speaks with it, in a folder of its own. id marks its processes.
func startOffice(path, folder, id string) (*office, error) {
	program, err := lookUp(workbook.OfficeProgram, path)
	if err != nil {
		return nil, err
	}
	script := filepath.Join(folder, "libreoffice.py")
	if err := errors.Join(os.MkdirAll(folder, 0o700), os.WriteFile(script, officeScript, 0o600)); err != nil {
		return nil, err
	}
	command := exec.Command(workbook.OfficePython, script, program, filepath.Join(folder, "profile"))
	command.Dir = folder
	command.Env = environmentOf(path, nil, id)
	started, err := startStayer(command, id)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("LibreOffice cannot be asked: %w: install python3-uno", err), os.RemoveAll(folder))
	}
	return &office{started, folder}, nil
}

// ask sends a request and waits for its answer. Where there is none the office has ended; the error is a *solver.Failure.
func (o *office) ask(ctx context.Context, r request) (values [][]any, err error) {
	limited, cancel := context.WithTimeout(ctx, officeLimit)
	defer cancel()
	line, err := json.Marshal(r)
	if err != nil {
		return nil, err
	}
	reply, err := o.stayer.ask(limited, line)
	switch {
	case err == nil:
	case ctx.Err() != nil:
		return nil, &solver.Failure{State: core.Cancelled, Reason: "cancelled while LibreOffice was at work"}
	case limited.Err() != nil:
		return nil, &solver.Failure{State: core.TimedOut, Reason: fmt.Sprintf("LibreOffice did not calculate the workbook within %s and was ended", officeLimit)}
	default:
		return nil, solver.Failed("LibreOffice has ended while it was asked (%s): see that libreoffice-calc and python3-uno are installed, and try the workbook in it by hand", complaint(o.said.text()))
	}
	var answer struct {
		Values [][]any `json:"values"`
		Error  string  `json:"error"`
	}
	if err := json.Unmarshal(reply, &answer); err != nil {
		return nil, solver.Failed("LibreOffice answered %q, which is no answer: %s", string(reply), err)
	}
	if answer.Error != "" {
		return nil, solver.Failed("%s", answer.Error)
	}
	return answer.Values, nil
}

// close lets the office end, or ends it, and removes its folder.
func (o *office) close() error {
	o.end(stayGrace)
	return os.RemoveAll(o.folder)
}

// numbersOf makes numbers of the values of cells, row by row.
func numbersOf(a workbook.Address, values []any) ([]float64, error) {
	numbers := make([]float64, len(values))
	for i, value := range values {
		switch v := value.(type) {
		case float64:
			numbers[i] = v
		case nil:
			return nil, fmt.Errorf("%s is empty: name a cell that holds a number or a formula", a.At(i))
		case string:
			return nil, fmt.Errorf("%s has %q where a number was due", a.At(i), v)
		default:
			text, err := json.Marshal(v)
			return nil, errors.Join(fmt.Errorf("%s is %s", a.At(i), strings.Trim(strings.TrimPrefix(string(text), `{"error":`), `"}`)), err)
		}
	}
	return numbers, nil
}

// getOf is the address of cells in a request.
func getOf(a workbook.Address) [5]any {
	return [5]any{a.Sheet, a.Row - 1, a.Col - 1, a.LastRow - 1, a.LastCol - 1}
}
