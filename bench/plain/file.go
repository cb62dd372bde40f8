package plain

import (
	"fmt"
	"io"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"
)

// ReadFile reads a plain file of at most so many bytes, opened by os.OpenFile or within an os.Root. What is none, such as a
// pipe that nobody writes into, is refused instead of waited for.
func ReadFile(open func(path string, flag int, mode fs.FileMode) (*os.File, error), path string, most int64) ([]byte, error) {
	file, err := open(path, os.O_RDONLY|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("%s is not a plain file: give the path of one that is", path)
	}
	text, err := io.ReadAll(io.LimitReader(file, most+1))
	if err == nil && int64(len(text)) > most {
		return nil, fmt.Errorf("%s has more than %d MB: at most so much is read; keep what is not needed elsewhere", path, most>>20)
	}
	return text, err
}
