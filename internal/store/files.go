package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"

	"gorm.io/gorm"
)

// Incoming makes a file for an upload, outside of the kept ones.
func (s *Store) Incoming() (*os.File, error) {
	f, err := os.CreateTemp(filepath.Join(s.Dir, "incoming"), "upload-*")
	return f, InWords(err)
}

// Receive takes a file's bytes aside and gives it with their SHA-256. Who asked for it closes and removes it.
func (s *Store) Receive(r io.Reader) (f *os.File, sha string, size int64, err error) {
	if f, err = s.Incoming(); err != nil {
		return nil, "", 0, err
	}
	h := sha256.New()
	if size, err = io.Copy(io.MultiWriter(f, h), r); err != nil {
		_, _ = f.Close(), os.Remove(f.Name())
		return nil, "", 0, InWords(err)
	}
	return f, hex.EncodeToString(h.Sum(nil)), size, nil
}

// Keep puts a file's bytes among the kept ones, under their SHA-256, and gives it. The file is there whole before
// any record names it.
func (s *Store) Keep(r io.Reader) (sha string, size int64, err error) {
	f, sha, size, err := s.Receive(r)
	if err != nil {
		return "", 0, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	return sha, size, s.KeepFile(f, sha)
}

// KeepFile puts an incoming file, whose SHA-256 is known, among the kept ones without copying it. The file and the
// folders that name it are on the disk when it returns. A kept file that is no more what it was is put right by it.
func (s *Store) KeepFile(f *os.File, sha string) error {
	if err := f.Sync(); err != nil {
		return InWords(err)
	}
	name := s.keptName(sha)
	dir := filepath.Dir(name)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return InWords(err)
	}
	switch err := os.Link(f.Name(), name); {
	case errors.Is(err, os.ErrExist):
		if sum, err := fileSum(name); err == nil && sum == sha {
			return nil
		}
		part := name + ".part"
		_ = os.Remove(part)
		if err := os.Link(f.Name(), part); err != nil {
			return InWords(err)
		}
		if err := os.Rename(part, name); err != nil {
			return InWords(err)
		}
	case err != nil:
		return InWords(err)
	}
	return errors.Join(syncDir(dir), syncDir(filepath.Dir(dir)))
}

func fileSum(name string) (string, error) {
	f, err := os.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), err
}

// syncDir puts the names in a folder on the disk.
func syncDir(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	return f.Sync()
}

// ErrChanged is a kept file that is not what it was when it was kept.
var ErrChanged = errors.New("the kept file was changed on the disk")

// KeptFile is a kept file, proved on the way: its last bytes are held back until all of it was seen to be what it was,
// and a changed one ends in ErrChanged instead of them.
type KeptFile struct {
	file *os.File
	sum  hash.Hash
	sha  string
	size int64
	left int64 // bytes not read yet
}

// Kept opens a kept file. It errs with fs.ErrNotExist where it is gone.
func (s *Store) Kept(sha string) (*KeptFile, error) {
	f, err := os.Open(s.keptName(sha))
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, err
	}
	return &KeptFile{f, sha256.New(), sha, info.Size(), info.Size()}, nil
}

// Size is how many bytes it has.
func (k *KeptFile) Size() int64 { return k.size }

// Close ends the reading.
func (k *KeptFile) Close() error { return k.file.Close() }

// Read gives the next bytes.
func (k *KeptFile) Read(b []byte) (n int, err error) {
	if k.left == 0 {
		if k.size == 0 && hex.EncodeToString(k.sum.Sum(nil)) != k.sha {
			return 0, fmt.Errorf("%w: %s", ErrChanged, k.sha)
		}
		return 0, io.EOF
	}
	if int64(len(b)) > k.left {
		b = b[:k.left]
	}
	n, err = k.file.Read(b)
	k.sum.Write(b[:n])
	k.left -= int64(n)
	if err == io.EOF && k.left > 0 || err == nil && k.left == 0 && hex.EncodeToString(k.sum.Sum(nil)) != k.sha {
		return 0, fmt.Errorf("%w: %s", ErrChanged, k.sha)
	}
	return n, err
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
