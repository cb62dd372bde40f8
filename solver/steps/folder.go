package steps

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"syscall"

	"ropebench/solver"
)

// writeFile writes below a working folder.
func writeFile(folder, path string, text []byte, mode os.FileMode) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	return writeIn(root, path, text, mode)
}

func writeIn(root *os.Root, path string, text []byte, mode os.FileMode) error {
	file, err := createIn(root, path, mode)
	if err != nil {
		return err
	}
	_, err = file.Write(text)
	return errors.Join(err, file.Close())
}

// create makes a file below a working folder, or empties it, whatever an earlier step may have put there: no link leads
// out of the folder, and a pipe without a reader is not waited for.
func create(folder, path string, mode os.FileMode) (*os.File, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return createIn(root, path, mode)
}

func createIn(root *os.Root, path string, mode os.FileMode) (*os.File, error) {
	if parent := filepath.Dir(path); parent != "." {
		if err := root.MkdirAll(parent, 0o755); err != nil {
			return nil, fmt.Errorf("make the folder of %s: %w", path, err)
		}
	}
	return root.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_TRUNC|syscall.O_NONBLOCK, mode)
}

// ofTheMachine are errors that no design is to blame for: another one would meet them too.
var ofTheMachine = []error{syscall.ENOSPC, syscall.EDQUOT, syscall.EMFILE, syscall.ENFILE, syscall.ENOMEM, syscall.EIO, syscall.EROFS}

// spoiled makes a failure of a design of what a step met in its working folder. Errors of the machine, and failures, stay
// what they are.
func spoiled(step string, err error) error {
	var failure *solver.Failure
	if err == nil || errors.As(err, &failure) || slices.ContainsFunc(ofTheMachine, func(cause error) bool { return errors.Is(err, cause) }) {
		return err
	}
	return solver.Failed("%s: %s: an earlier step has removed the working folder, or left something else where a file is due; let it write into files of its own", step, err)
}
