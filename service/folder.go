package service

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
)

// A dataFolder belongs to one service at a time, and tells clients where it listens.
type dataFolder struct {
	path  string
	lock  *os.File
	token string
}

// Announcement is what service.json in the data folder says.
type announcement struct {
	URL     string `json:"url"`
	PID     int    `json:"pid"`
	Version string `json:"version"`
}

const (
	lockFile         = "lock"
	tokenFile        = "token"
	announcementFile = "service.json"
)

func openDataFolder(path string) (*dataFolder, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(path, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made: %w; give another with --data", path, err)
	}
	lock, err := os.OpenFile(filepath.Join(path, lockFile), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be written: %w; give another with --data", path, err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("the data folder %s belongs to a running service%s: use that one, or give another folder with --data", path, announcedIn(path))
	}
	f := &dataFolder{path: path, lock: lock}
	if f.token, err = f.readToken(); err != nil {
		lock.Close()
		return nil, fmt.Errorf("the token of the data folder %s: %w", path, err)
	}
	return f, nil
}

func announcedIn(path string) string {
	var a announcement
	text, err := os.ReadFile(filepath.Join(path, announcementFile))
	if err != nil || json.Unmarshal(text, &a) != nil {
		return ""
	}
	return fmt.Sprintf(" (process %d, %s)", a.PID, a.URL)
}

// readToken reads the token, and makes it on the first start. Only the owner may read it.
func (f *dataFolder) readToken() (string, error) {
	file := filepath.Join(f.path, tokenFile)
	text, err := os.ReadFile(file)
	if err == nil && len(strings.TrimSpace(string(text))) >= 32 {
		return strings.TrimSpace(string(text)), os.Chmod(file, 0o600)
	}
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", err
	}
	token := rand.Text() + rand.Text()
	return token, os.WriteFile(file, []byte(token+"\n"), 0o600)
}

// announce writes down where the service listens, at once or not at all.
func (f *dataFolder) announce(url, version string) error {
	text, err := json.Marshal(announcement{URL: url, PID: os.Getpid(), Version: version})
	if err != nil {
		return err
	}
	temporary := filepath.Join(f.path, announcementFile+".new")
	if err := os.WriteFile(temporary, append(text, '\n'), 0o600); err != nil {
		return fmt.Errorf("the data folder cannot be written: %w", err)
	}
	return os.Rename(temporary, filepath.Join(f.path, announcementFile))
}

// mark begins the ids of all evaluations made from this folder, now or by an earlier service.
func (f *dataFolder) mark() string {
	sum := sha256.Sum256([]byte(f.path))
	return hex.EncodeToString(sum[:6]) + "-"
}

func (f *dataFolder) close() error {
	err := os.Remove(filepath.Join(f.path, announcementFile))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, f.lock.Close())
}

func processors() int { return runtime.NumCPU() }
