package study

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"ropebench/bench"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver"
)

// provenance says what the evaluations of a run come from: the files of the bench, and the programs, which are asked what they are.
func (r *Runs) provenance(ctx context.Context, run Run, content bench.Content, blackBox solver.Solver) (*result.Provenance, error) {
	machine, err := os.Hostname()
	if err != nil {
		machine = "a machine without a name"
	}
	p := &result.Provenance{Files: map[string]string{}, Programs: []result.Program{}, Program: "ropebench " + r.engine.Version, At: time.Now().UTC(),
		Machine: fmt.Sprintf("%s, %s %s, %d processors", machine, runtime.GOOS, runtime.GOARCH, runtime.NumCPU())}
	for path, file := range content.Files {
		sum := sha256.Sum256(file.Text)
		p.Files[path] = hex.EncodeToString(sum[:])
	}
	versioned, is := blackBox.(solver.Versioned)
	if !is {
		return p, nil
	}
	folder := filepath.Join(r.engine.Folder, fmt.Sprintf("%srun%d-versions", r.engine.IDPrefix, run.ID))
	versions, err := versioned.Versions(ctx, folder)
	if removeErr := dispatch.RemoveFolder(folder); err == nil {
		err = removeErr
	}
	if err != nil {
		return nil, fmt.Errorf("the programs cannot be asked for their versions: %w", err)
	}
	for _, v := range versions {
		p.Programs = append(p.Programs, result.Program{Path: v.Program, Version: v.Says})
	}
	return p, nil
}
