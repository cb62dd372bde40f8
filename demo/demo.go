// Package demo puts the demo bench, the arrest brake of a zip line, into a folder.
package demo

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"ropebench/examples"
)

// File is the bench file of the demo, in the folder that Write made.
const File = "zipline.bench.yaml"

// Write puts the demo bench into a folder, which is made if it is not there, and returns the path of its bench file.
// Files that are there already stay as they are.
func Write(folder string) (string, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", fmt.Errorf("the folder of the demo cannot be made: %w", err)
	}
	err := fs.WalkDir(examples.Zipline, "zipline", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := examples.Zipline.ReadFile(path)
		if err != nil {
			return err
		}
		target := filepath.Join(folder, entry.Name())
		if _, err := os.Stat(target); err == nil {
			return nil
		}
		return os.WriteFile(target, text, 0o644)
	})
	return filepath.Join(folder, File), err
}
