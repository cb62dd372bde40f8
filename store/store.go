// Package store keeps benches, runs and evaluations in SQLite, and the files of revisions on disk.
package store

import (
	"errors"
	"fmt"
	"io"
	"log"
	"net/url"
	"os"
	"path/filepath"
	"syscall"

	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	_ "modernc.org/sqlite" // the driver, without cgo
)

// A Store is the data of one service. Its methods may be called by several goroutines.
type Store struct {
	folder  string
	write   *gorm.DB // safe against a killed process
	durable *gorm.DB // safe against a power cut, too
	read    *gorm.DB
}

// ErrNotFound is what errors about things that the store does not have match.
var ErrNotFound = errors.New("not found")

// A notFound names what is not there.
type notFound struct{ what string }

func (n notFound) Error() string        { return n.what }
func (n notFound) Is(target error) bool { return target == ErrNotFound }

// Open opens the store in a folder, and makes it if it is not there. The folder must belong to this process alone.
func Open(folder string) (*Store, error) {
	for _, sub := range []string{"", "objects"} {
		if err := os.MkdirAll(filepath.Join(folder, sub), 0o700); err != nil {
			return nil, fmt.Errorf("the data folder cannot be made: %w", err)
		}
	}
	s := &Store{folder: folder}
	file := filepath.Join(folder, "ropebench.sqlite")
	if err := ownOnly(file); err != nil {
		return nil, fmt.Errorf("the records in %s cannot be opened: %w", file, err)
	}
	for _, c := range []struct {
		into        **gorm.DB
		pragma      string
		connections int
	}{
		{&s.write, "_pragma=synchronous(NORMAL)&_txlock=immediate", 1},
		{&s.durable, "_pragma=synchronous(FULL)&_txlock=immediate", 1},
		{&s.read, "_pragma=query_only(1)", 4},
	} {
		db, err := connect(file, c.pragma, c.connections)
		if err != nil {
			return nil, errors.Join(fmt.Errorf("the records in %s cannot be opened: %w", file, explain(err)), s.Close())
		}
		*c.into = db
		if c.into == &s.write {
			if err := db.AutoMigrate(&benchRow{}, &revisionRow{}, &runRow{}, &partRow{}, &chunkRow{}, &curvesRow{}, &leftOutRow{}, &selectionRow{}, &candidateRow{}); err != nil {
				return nil, errors.Join(fmt.Errorf("the records in %s cannot be used: %w", file, explain(err)), s.Close())
			}
		}
	}
	return s, nil
}

// ownOnly makes the file, if it is not there, and lets nobody else read it: the files that SQLite puts beside it get its
// mode.
func ownOnly(path string) error {
	file, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	return errors.Join(file.Chmod(0o600), file.Close())
}

func connect(file, pragma string, connections int) (*gorm.DB, error) {
	dsn := "file:" + (&url.URL{Path: file}).EscapedPath() + "?_pragma=journal_mode(WAL)&_pragma=busy_timeout(5000)&" + pragma
	silent := logger.New(log.New(io.Discard, "", 0), logger.Config{LogLevel: logger.Silent})
	db, err := gorm.Open(sqlite.Dialector{DriverName: "sqlite", DSN: dsn}, &gorm.Config{Logger: silent, SkipDefaultTransaction: true, TranslateError: false})
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	var failed error
	for _, db := range []*gorm.DB{s.read, s.durable, s.write} {
		if db == nil {
			continue
		}
		pool, err := db.DB()
		if err == nil {
			err = pool.Close()
		}
		failed = errors.Join(failed, err)
	}
	return failed
}

// explain turns the errors that people can do something about into a sentence.
func explain(err error) error {
	var coded interface{ Code() int }
	const sqliteFull, sqliteReadOnly, sqliteCorrupt, sqliteNotADB, sqliteIO = 13, 8, 11, 26, 10
	if errors.Is(err, syscall.ENOSPC) {
		return errDiskFull
	}
	if !errors.As(err, &coded) {
		return err
	}
	switch coded.Code() & 0xff {
	case sqliteFull, sqliteIO:
		return fmt.Errorf("%w (%w)", errDiskFull, err)
	case sqliteReadOnly:
		return fmt.Errorf("the data folder cannot be written: check its permissions (%w)", err)
	case sqliteCorrupt, sqliteNotADB:
		return fmt.Errorf("the file is damaged: restore it from a backup, or move it away to begin anew (%w)", err)
	}
	return err
}

var errDiskFull = errors.New("the disk is full or cannot be written: make room on it, then try again")

func found(err error, what string, args ...any) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return notFound{fmt.Sprintf(what, args...)}
	}
	return explain(err)
}
