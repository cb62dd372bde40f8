package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"gorm.io/gorm"

	"ropebench/bench"
)

type benchRow struct {
	Name    string `gorm:"primaryKey"`
	Folder  string
	File    string
	Created time.Time
}

func (benchRow) TableName() string { return "benches" }

type revisionRow struct {
	Bench    string `gorm:"primaryKey"`
	Number   int    `gorm:"primaryKey;autoIncrement:false"`
	Title    string
	Manifest []byte // JSON: the files by path
	Created  time.Time
}

func (revisionRow) TableName() string { return "revisions" }

// manifestVersion is that of the form of a manifest.
const manifestVersion = 1

// A manifest says of which objects the content of a revision is made.
type manifest struct {
	Version int                  `json:"version"`
	File    string               `json:"file"`
	Files   map[string]fileEntry `json:"files"`
}

type fileEntry struct {
	Object     string `json:"object"` // SHA-256 of the text
	Executable bool   `json:"executable,omitempty"`
}

// A Bench is a bench that the service knows, with its newest revision.
type Bench struct {
	Name     string    `json:"name"`
	Title    string    `json:"title"`
	Folder   string    `json:"folder"`
	File     string    `json:"file"`
	Revision int       `json:"revision"`
	Changed  time.Time `json:"changed"` // when the newest revision was made
}

// SaveRevision keeps the content of a bench, as a new revision if it differs from the newest, and returns its number.
func (s *Store) SaveRevision(name, folder, title string, content bench.Content) (Bench, error) {
	m := manifest{Version: manifestVersion, File: content.File, Files: map[string]fileEntry{}}
	for path, file := range content.Files {
		object, err := s.writeObject(file.Text)
		if err != nil {
			return Bench{}, explain(err)
		}
		m.Files[path] = fileEntry{object, file.Executable}
	}
	encoded, err := json.Marshal(m) // maps are written in the order of their keys
	if err != nil {
		return Bench{}, err
	}
	err = s.durable.Transaction(func(tx *gorm.DB) error {
		var newest revisionRow
		err := tx.Where("bench = ?", name).Order("number desc").Limit(1).Find(&newest).Error
		if err != nil || bytes.Equal(newest.Manifest, encoded) {
			return err
		}
		now := time.Now()
		if err := tx.Save(&benchRow{Name: name, Folder: folder, File: content.File, Created: now}).Error; err != nil {
			return err
		}
		return tx.Create(&revisionRow{Bench: name, Number: newest.Number + 1, Title: title, Manifest: encoded, Created: now}).Error
	})
	if err != nil {
		return Bench{}, explain(err)
	}
	return s.Bench(name)
}

// Bench returns a bench by its name.
func (s *Store) Bench(name string) (Bench, error) {
	var row benchRow
	if err := s.read.First(&row, "name = ?", name).Error; err != nil {
		return Bench{}, found(err, "there is no bench %s", name)
	}
	return s.withRevision(row)
}

func (s *Store) withRevision(row benchRow) (Bench, error) {
	var newest revisionRow
	if err := s.read.Where("bench = ?", row.Name).Order("number desc").First(&newest).Error; err != nil {
		return Bench{}, found(err, "bench %s has no revision", row.Name)
	}
	return Bench{Name: row.Name, Title: newest.Title, Folder: row.Folder, File: row.File, Revision: newest.Number, Changed: newest.Created}, nil
}

// Benches lists all benches by name.
func (s *Store) Benches() ([]Bench, error) {
	var rows []benchRow
	if err := s.read.Order("name").Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	benches := make([]Bench, len(rows))
	for i, row := range rows {
		var err error
		if benches[i], err = s.withRevision(row); err != nil {
			return nil, err
		}
	}
	return benches, nil
}

// A Revision is the content of a bench at a moment.
type Revision struct {
	Number  int       `json:"number"`
	Title   string    `json:"title"`
	Created time.Time `json:"created"`
}

// Revisions lists the revisions of a bench, newest first, at most so many.
func (s *Store) Revisions(name string, most int) ([]Revision, error) {
	var rows []revisionRow
	if err := s.read.Where("bench = ?", name).Order("number desc").Limit(most).Find(&rows).Error; err != nil {
		return nil, explain(err)
	}
	revisions := make([]Revision, len(rows))
	for i, row := range rows {
		revisions[i] = Revision{Number: row.Number, Title: row.Title, Created: row.Created}
	}
	return revisions, nil
}

// Content returns the content of a revision.
func (s *Store) Content(name string, number int) (bench.Content, error) {
	var row revisionRow
	if err := s.read.First(&row, "bench = ? and number = ?", name, number).Error; err != nil {
		return bench.Content{}, found(err, "there is no revision %d of bench %s", number, name)
	}
	var m manifest
	if err := json.Unmarshal(row.Manifest, &m); err != nil {
		return bench.Content{}, fmt.Errorf("revision %d of bench %s is damaged: %w", number, name, err)
	}
	content := bench.Content{File: m.File, Files: map[string]bench.File{}}
	for _, path := range slices.Sorted(maps.Keys(m.Files)) {
		text, err := os.ReadFile(s.objectPath(m.Files[path].Object))
		if err != nil {
			return bench.Content{}, fmt.Errorf("file %s of revision %d of bench %s is lost: %w", path, number, name, err)
		}
		content.Files[path] = bench.File{Text: text, Executable: m.Files[path].Executable}
	}
	return content, nil
}

func (s *Store) objectPath(object string) string {
	return filepath.Join(s.folder, "objects", object[:2], object)
}

// writeObject keeps a text under its SHA-256: under another name first, so that a name stands for a whole text always.
func (s *Store) writeObject(text []byte) (object string, err error) {
	sum := sha256.Sum256(text)
	object = hex.EncodeToString(sum[:])
	path := s.objectPath(object)
	if _, err := os.Stat(path); err == nil {
		return object, nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", err
	}
	file, err := os.CreateTemp(filepath.Dir(path), "new-*")
	if err != nil {
		return "", err
	}
	defer os.Remove(file.Name()) // fails, as it should, once the file has its name
	_, err = file.Write(text)
	if err == nil {
		err = file.Sync()
	}
	if closeErr := file.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return "", err
	}
	return object, os.Rename(file.Name(), path)
}
