package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"gorm.io/gorm"
)

// Incoming makes a file for an upload, outside of the kept ones.
func (s *Store) Incoming() (*os.File, error) {
	return os.CreateTemp(filepath.Join(s.Dir, "incoming"), "upload-*")
}

// Keep puts a file's bytes among the kept ones, under their SHA-256, and gives it. The file is there whole before
// any record names it.
func (s *Store) Keep(r io.Reader) (sha string, size int64, err error) {
	f, err := s.Incoming()
	if err != nil {
		return "", 0, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	h := sha256.New()
	if size, err = io.Copy(io.MultiWriter(f, h), r); err != nil {
		return "", 0, err
	}
	if err := f.Sync(); err != nil {
		return "", 0, err
	}
	sha = hex.EncodeToString(h.Sum(nil))
	name := s.keptName(sha)
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return "", 0, err
	}
	return sha, size, os.Rename(f.Name(), name)
}

// KeepFile puts an incoming file, whose SHA-256 is known, among the kept ones without copying it.
func (s *Store) KeepFile(f *os.File, sha string) error {
	if err := f.Sync(); err != nil {
		return err
	}
	name := s.keptName(sha)
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return err
	}
	if err := os.Link(f.Name(), name); err != nil && !os.IsExist(err) {
		return err
	}
	return nil
}

// Kept opens a kept file and proves that it is still what it was.
func (s *Store) Kept(sha string) ([]byte, error) {
	b, err := os.ReadFile(s.keptName(sha))
	if err != nil {
		return nil, err
	}
	if sum := sha256.Sum256(b); hex.EncodeToString(sum[:]) != sha {
		return nil, fmt.Errorf("the kept file %s was changed on the disk", sha)
	}
	return b, nil
}

// KeepBytes keeps bytes and records them within a transaction.
func (s *Store) KeepBytes(tx *gorm.DB, b []byte, at int64) (sha string, err error) {
	sha, size, err := s.Keep(bytes.NewReader(b))
	if err != nil {
		return "", err
	}
	return sha, RecordFile(tx, sha, size, at)
}

// RecordFile notes a kept file.
func RecordFile(tx *gorm.DB, sha string, size, at int64) error {
	return tx.Exec("INSERT OR IGNORE INTO files (sha, size, at) VALUES (?, ?, ?)", sha, size, at).Error
}

func (s *Store) keptName(sha string) string {
	return filepath.Join(s.Dir, "files", sha[:2], sha)
}
