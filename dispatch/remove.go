package dispatch

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// RemoveFolder removes a folder with all that is in it, folders included whose owner may not write there any more: a
// solver may have left them.
func RemoveFolder(path string) error {
	err := os.RemoveAll(path)
	if !errors.Is(err, fs.ErrPermission) {
		return err
	}
	opened := filepath.WalkDir(path, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || !entry.IsDir() {
			return nil // what cannot be seen is said by the removal below
		}
		return os.Chmod(path, 0o700)
	})
	return errors.Join(os.RemoveAll(path), opened)
}
