package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"gorm.io/gorm"
)

// Whole is what proving all of a folder came to: the record, the pages of the database, the kept files, and the backups.
type Whole struct {
	Proof
	Files    int      // kept files that are what they were
	Backups  int      // backups that are what they were
	Unsigned int      // backups of before they had a hash of their own
	Wrong    []string // what is wrong, each a sentence, the record's first
}

// mostWrong is how much of what is wrong is told one by one.
const mostWrong = 50

func (w *Whole) wrong(format string, args ...any) {
	if len(w.Wrong) < mostWrong {
		w.Wrong = append(w.Wrong, fmt.Sprintf(format, args...))
	}
}

// Verify proves all of a folder. tell is told how many bytes of how many were looked at; nil where nobody asks.
func (s *Store) Verify(ctx context.Context, tell func(done, of int64)) (Whole, error) {
	return verify(ctx, s.Read(ctx), s.Dir, tell)
}

// Verify proves all of a folder that another program may have open.
func (b *Beside) Verify(ctx context.Context, tell func(done, of int64)) (Whole, error) {
	return verify(ctx, b.db.WithContext(ctx), b.dir, tell)
}

func verify(ctx context.Context, tx *gorm.DB, dir string, tell func(done, of int64)) (w Whole, err error) {
	if w.Proof, err = verifyChain(tx, dir); err != nil {
		return w, InWords(err)
	}
	if w.Text != "" {
		w.wrong("%s", w.Text)
	}
	var pages []string // SQLite's own check: every page, every index against its table
	if err := tx.Raw("PRAGMA integrity_check(20)").Scan(&pages).Error; err != nil {
		return w, InWords(err)
	}
	if len(pages) != 1 || pages[0] != "ok" {
		for _, p := range pages {
			w.wrong("The database is damaged: %s.", p)
		}
	}
	var orphans int
	if err := tx.Raw("SELECT count(*) FROM pragma_foreign_key_check").Scan(&orphans).Error; err != nil {
		return w, InWords(err)
	}
	if orphans > 0 {
		w.wrong("%d rows of the database point to nothing.", orphans)
	}
	var files []struct {
		Sha  string
		Size int64
	}
	if err := tx.Raw("SELECT sha, size FROM files ORDER BY sha").Scan(&files).Error; err != nil {
		return w, InWords(err)
	}
	backups, err := Backups(dir)
	if err != nil {
		return w, InWords(err)
	}
	c := check{ctx: ctx, tell: tell}
	for _, f := range files {
		c.of += f.Size
	}
	for _, b := range backups {
		c.of += b.Size
	}
	for _, f := range files {
		wrong, err := c.is(filepath.Join(dir, "files", f.Sha[:2], f.Sha), f.Sha, f.Size)
		if err != nil {
			return w, err
		}
		if wrong == "" {
			w.Files++
			continue
		}
		var called string
		err = tx.Raw(`SELECT coalesce((SELECT file_name FROM posting_files WHERE file_sha = @sha), (SELECT file_name FROM postings WHERE file_sha = @sha),
			(SELECT file_name FROM evidence WHERE file_sha = @sha), (SELECT file_name FROM intakes WHERE file_sha = @sha),
			(SELECT file_name FROM returns WHERE file_sha = @sha), '')`, sql.Named("sha", f.Sha)).Scan(&called).Error
		if err != nil {
			return w, InWords(err)
		}
		w.wrong("The kept file %s (%s) %s.", f.Sha, called, wrong)
	}
	for _, b := range backups {
		name := filepath.Join(dir, "backups", b.Name)
		want, err := os.ReadFile(name + hashEnding)
		if errors.Is(err, os.ErrNotExist) {
			w.Unsigned++
			continue
		}
		sha, _, _ := bytes.Cut(want, []byte(" "))
		wrong := "has a hash that cannot be read"
		if err == nil && len(sha) == 64 {
			if wrong, err = c.is(name, string(sha), -1); err != nil {
				return w, err
			}
		}
		if wrong == "" {
			w.Backups++
			continue
		}
		if _, err := os.Lstat(name); errors.Is(err, os.ErrNotExist) { // it was the oldest, and another one came meanwhile
			continue
		}
		w.wrong("The backup %s %s.", b.Name, wrong)
	}
	return w, nil
}

// check holds files against what they were.
type check struct {
	ctx      context.Context
	tell     func(done, of int64)
	done, of int64
}

// is tells what is wrong with a file that was to be of a hash and, where it is not below zero, of a size; empty where nothing is.
func (c *check) is(name, sha string, size int64) (wrong string, err error) {
	info, err := os.Lstat(name)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return "is gone", nil
	case err != nil:
		return "cannot be read", nil
	case !info.Mode().IsRegular():
		return "is no plain file any more", nil
	case size >= 0 && info.Size() != size:
		return fmt.Sprintf("has %d bytes, and had %d", info.Size(), size), nil
	}
	f, err := os.Open(name)
	if err != nil {
		return "cannot be read", nil
	}
	defer f.Close()
	sum := sha256.New()
	for b := make([]byte, 1<<20); ; {
		if err := c.ctx.Err(); err != nil {
			return "", err
		}
		n, err := f.Read(b)
		sum.Write(b[:n])
		if c.done += int64(n); c.tell != nil {
			c.tell(c.done, c.of)
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return "cannot be read", nil
		}
	}
	if hex.EncodeToString(sum.Sum(nil)) != sha {
		return "is not what it was", nil
	}
	return "", nil
}

// hashEnding is the ending of the file beside a backup that says its SHA-256, as sha256sum reads it.
const hashEnding = ".sha256"

// sign writes the hash of a backup beside it.
func sign(dir, name string) error {
	sum, err := fileSum(filepath.Join(dir, name))
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, name+hashEnding), []byte(sum+"  "+name+"\n"), 0o600)
}
