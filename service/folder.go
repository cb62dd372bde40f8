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

	"ropebench/api"
)

// A dataFolder belongs to one service at a time, and tells clients where it listens.
type dataFolder struct {
	path  string
	lock  *os.File
	token string
}

func openDataFolder(path string) (*dataFolder, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(path, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made: %w; give another with --data", path, err)
	}
	path, err = filepath.EvalSymlinks(path) // so that what an earlier service left running is found whatever the folder was called
	if err != nil {
		return nil, err
	}
	lock, err := api.Own(path)
	if errors.Is(err, api.ErrOwned) {
		return nil, fmt.Errorf("the data folder %s "+api.Belongs+"%s: use that one, or give another folder with --data", path, announcedIn(path))
	}
	if err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be written: %w; give another with --data", path, err)
	}
	f := &dataFolder{path: path, lock: lock}
	if f.token, err = f.readToken(); err != nil {
		lock.Close()
		return nil, fmt.Errorf("the token of the data folder %s: %w", path, err)
	}
	return f, nil
}

func announcedIn(path string) string {
	var a api.Announcement
	text, err := os.ReadFile(filepath.Join(path, api.AnnouncementFile))
	if err != nil || json.Unmarshal(text, &a) != nil {
		return ""
	}
	return fmt.Sprintf(" (process %d, %s)", a.PID, a.URL)
}

// readToken reads the token, and makes it on the first start. Only the owner may read it.
func (f *dataFolder) readToken() (string, error) {
	file := filepath.Join(f.path, api.TokenFile)
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
	text, err := json.Marshal(api.Announcement{URL: url, PID: os.Getpid(), Version: version})
	if err != nil {
		return err
	}
	temporary := filepath.Join(f.path, api.AnnouncementFile+".new")
	if err := os.WriteFile(temporary, append(text, '\n'), 0o600); err != nil {
		return fmt.Errorf("the data folder cannot be written: %w", err)
	}
	return os.Rename(temporary, filepath.Join(f.path, api.AnnouncementFile))
}

// idPrefix begins the ids of all evaluations made from this folder, now or by an earlier service.
func (f *dataFolder) idPrefix() string {
	sum := sha256.Sum256([]byte(f.path))
	return hex.EncodeToString(sum[:6]) + "-"
}

func (f *dataFolder) close() error {
	err := os.Remove(filepath.Join(f.path, api.AnnouncementFile))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, f.lock.Close())
}

func processors() int { return runtime.NumCPU() }
