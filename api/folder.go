package api

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// The files of a data folder that a local client reads.
const (
	LockFile         = "lock"
	TokenFile        = "token"
	AnnouncementFile = "service.json"
)

// An Announcement says where the service of a data folder listens.
type Announcement struct {
	URL     string `json:"url"`
	PID     int    `json:"pid"`
	Version string `json:"version"`
}

// Belongs is what a service says that ends because its data folder has another one; a client that started it looks for it.
const Belongs = "belongs to a running service"

// ErrOwned is returned by Own where another process owns the data folder.
var ErrOwned = errors.New("the data folder belongs to another service")

// Own takes the lock of a data folder for as long as the file is open. It belongs to the open file, so that nobody loses
// it by looking at it, and the kernel lets go of it when the process ends, however that happens.
func Own(data string) (*os.File, error) {
	file, err := os.OpenFile(filepath.Join(data, LockFile), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	err = unix.FcntlFlock(file.Fd(), unix.F_OFD_SETLK, &unix.Flock_t{Type: unix.F_WRLCK})
	if errors.Is(err, unix.EAGAIN) || errors.Is(err, unix.EACCES) {
		err = ErrOwned
	}
	if err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}

// Owned is true if a service holds the lock of a data folder now. Looking does not take it.
func Owned(data string) (bool, error) {
	file, err := os.Open(filepath.Join(data, LockFile))
	if errors.Is(err, os.ErrNotExist) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer file.Close()
	lock := unix.Flock_t{Type: unix.F_WRLCK}
	if err := unix.FcntlFlock(file.Fd(), unix.F_OFD_GETLK, &lock); err != nil {
		return false, err
	}
	return lock.Type != unix.F_UNLCK, nil
}
