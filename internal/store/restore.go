package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
)

// applicationID marks a database of this program ("wobi"), from the third version of its schema on.
const applicationID = 2003788649

// isOurs proves that an open database is empty, or one of this program.
func isOurs(ctx context.Context, db *sql.DB) error {
	var id, version, tables int
	for q, into := range map[string]*int{"PRAGMA application_id": &id, "PRAGMA user_version": &version,
		"SELECT count(*) FROM sqlite_master": &tables} {
		if err := db.QueryRowContext(ctx, q).Scan(into); err != nil {
			return err
		}
	}
	if id == 0 && version == 0 && tables == 0 || id == 0 && (version == 1 || version == 2) || id == applicationID && version > 2 {
		return nil
	}
	return errors.New("it is a database, but none of wobin's")
}

// Found is what a backup holds, as told before it is put back.
type Found struct {
	Version int
	Links   int64 // of the record
	LastAt  int64 // of its last entry, Unix nanoseconds
}

// Prove shows that a file is a whole database of this program or an older one: by its mark, its schema to the letter, and
// its own check, the record included. The file is not changed.
func Prove(ctx context.Context, name string) (f Found, err error) {
	if info, err := os.Stat(name); err != nil {
		return f, err
	} else if info.Size() == 0 {
		return f, errors.New("it is empty")
	}
	db, raw, err := connectPlain(name, url.Values{"mode": {"ro"}, "immutable": {"1"}})
	if err != nil {
		return f, fmt.Errorf("it is damaged or no database: %w", err)
	}
	defer raw.Close()
	var check string
	if err := raw.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&check); err != nil {
		return f, fmt.Errorf("it is damaged or no database: %w", err)
	}
	if check != "ok" {
		return f, fmt.Errorf("it is damaged: %s", check)
	}
	if err := isOurs(ctx, raw); err != nil {
		return f, err
	}
	if err := raw.QueryRowContext(ctx, "PRAGMA user_version").Scan(&f.Version); err != nil {
		return f, err
	}
	switch {
	case f.Version > len(migrations):
		return f, ErrNewer
	case f.Version == 0:
		return f, errors.New("it holds no records")
	}
	want, err := schemaOf(ctx, f.Version)
	if err != nil {
		return f, err
	}
	is, err := schemaIn(ctx, raw)
	if err != nil {
		return f, err
	}
	if !slices.Equal(want, is) {
		return f, errors.New("its tables are not those of wobin")
	}
	var orphans int
	if err := raw.QueryRowContext(ctx, "SELECT count(*) FROM pragma_foreign_key_check").Scan(&orphans); err != nil {
		return f, err
	}
	if orphans > 0 {
		return f, fmt.Errorf("%d of its rows point to nothing", orphans)
	}
	if f.Version == len(migrations) {
		if p, err := verifyChain(db.WithContext(ctx), filepath.Join(filepath.Dir(name), "no folder of records")); err != nil {
			return f, err
		} else if p.Broken != 0 {
			return f, errors.New(p.Text)
		}
	}
	err = raw.QueryRowContext(ctx, "SELECT coalesce(max(id), 0), coalesce(max(at), 0) FROM chain").Scan(&f.Links, &f.LastAt)
	return f, err
}

func connectPlain(name string, query url.Values) (*gorm.DB, *sql.DB, error) {
	raw, err := sql.Open("sqlite3", fileURL(name, query))
	if err != nil {
		return nil, nil, err
	}
	db, err := gormOver(raw)
	if err != nil {
		raw.Close()
	}
	return db, raw, err
}

// schemaOf gives the schema of a version, from its migrations.
func schemaOf(ctx context.Context, version int) ([]string, error) {
	raw, err := sql.Open("sqlite3", "file::memory:")
	if err != nil {
		return nil, err
	}
	defer raw.Close()
	raw.SetMaxOpenConns(1)
	db, err := gormOver(raw)
	if err != nil {
		return nil, err
	}
	for n := range version {
		if err := db.Exec(migrations[n]).Error; err != nil {
			return nil, err
		}
		if more := after[n+1]; more != nil {
			if err := more(db); err != nil {
				return nil, err
			}
		}
	}
	return schemaIn(ctx, raw)
}

// schemaIn gives what makes up a database, in the order of names. How statements are laid out does not matter.
func schemaIn(ctx context.Context, db *sql.DB) (out []string, err error) {
	rows, err := db.QueryContext(
		ctx,
		"SELECT type, name, sql FROM sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%' ORDER BY type, name",
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var sort, name, text string
		if err := rows.Scan(&sort, &name, &text); err != nil {
			return nil, err
		}
		out = append(out, sort+" "+name+" "+strings.Join(strings.Fields(text), " "))
	}
	return out, rows.Err()
}

// Restored is the last word on a restore.
type Restored struct {
	Before string // the backup of what was there; empty where that was damaged or missing
	Aside  string // the folder that damaged files were put into
}

// Restore puts a backup in the place of a folder's database: after a backup of what is there now, or, where that is
// damaged, after putting its files aside. Kept files stay: a backup names none that later work took away. Nothing is
// changed where the backup is not proved, or the folder is in use. word is written into the record of what was put back.
func Restore(ctx context.Context, dir, file string, word func(tx *gorm.DB, r Restored) error) (r Restored, err error) {
	if _, err := Prove(ctx, file); err != nil {
		return r, fmt.Errorf("%s cannot be put back: %w", file, err)
	}
	for _, d := range []string{dir, filepath.Join(dir, "backups")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return r, inWords(err)
		}
	}
	lock, err := lockFolder(dir)
	if err != nil {
		return r, err
	}
	err = replaceFile(ctx, dir, file, &r)
	if err = errors.Join(err, lock.Close()); err != nil {
		return r, inWords(err)
	}
	s, err := Open(dir)
	if err != nil {
		return r, err
	}
	defer s.Close()
	return r, s.begun(ctx, func(tx *gorm.DB) error { return word(tx, r) })
}

// replaceFile puts a backup where the database was, in a folder that is locked.
func replaceFile(ctx context.Context, dir, file string, r *Restored) (err error) {
	name := filepath.Join(dir, databaseName)
	if r.Before, err = backupClosed(ctx, dir, filepath.Base(file)); err != nil {
		if r.Aside, err = putAside(dir, name); err != nil {
			return err
		}
	}
	part := filepath.Join(dir, ".restore.db")
	defer os.Remove(part)
	if err := copyFile(file, part); err != nil {
		return err
	}
	// The journal of the old database must be gone before the new one is there: it would be played into it.
	for _, side := range []string{"-wal", "-shm", "-journal"} {
		if err := os.Remove(name + side); err != nil && !os.IsNotExist(err) {
			return err
		}
	}
	if err := os.Rename(part, name); err != nil {
		return err
	}
	return syncDir(dir)
}

// backupClosed makes a backup of a database that no program has open; it errs where that is missing or damaged.
func backupClosed(ctx context.Context, dir, used string) (string, error) {
	name := filepath.Join(dir, databaseName)
	if info, err := os.Stat(name); err != nil {
		return "", err
	} else if info.Size() == 0 {
		return "", ErrDamaged
	}
	_, raw, err := connect(name, url.Values{}, 1)
	if err != nil {
		return "", err
	}
	defer raw.Close()
	var check string
	if err := raw.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&check); err != nil {
		return "", err
	} else if check != "ok" {
		return "", ErrDamaged
	}
	// What stands in the journal goes into the file, so that the file alone is the database.
	if _, err := raw.ExecContext(ctx, "PRAGMA wal_checkpoint(TRUNCATE)"); err != nil {
		return "", err
	}
	conn, err := raw.Conn(ctx)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	return backup(ctx, conn, dir, beforeRestore, used)
}

// putAside moves the files of a damaged database into a folder of their own.
func putAside(dir, name string) (string, error) {
	aside := ""
	for n := 1; ; n++ {
		aside = filepath.Join(dir, fmt.Sprintf("damaged-%d", n))
		if err := os.Mkdir(aside, 0o700); err == nil {
			break
		} else if !os.IsExist(err) {
			return "", err
		}
	}
	some := false
	for _, side := range []string{"", "-wal", "-shm", "-journal"} {
		err := os.Rename(name+side, filepath.Join(aside, databaseName+side))
		if err != nil && !os.IsNotExist(err) {
			return "", err
		}
		some = some || err == nil
	}
	if !some {
		return "", os.Remove(aside)
	}
	return aside, syncDir(dir)
}

// begun writes the first word into records that were put back, and notes anew where their record ends.
func (s *Store) begun(ctx context.Context, word func(tx *gorm.DB) error) error {
	if err := s.write.WithContext(ctx).Transaction(word); err != nil {
		return inWords(err)
	}
	s.head.Store(0)
	s.noteHead(ctx)
	return nil
}

// PutBack puts one of the folder's backups in the place of the records while the program runs: all of it or nothing, in
// one transaction of the database itself, after a backup of what is there. Who is signed in stays so.
func (s *Store) PutBack(ctx context.Context, name string, word func(tx *gorm.DB, r Restored) error) (r Restored, err error) {
	if !backupName.MatchString(name) {
		return r, os.ErrNotExist
	}
	defer s.use(name)()
	file := filepath.Join(s.Dir, "backups", name)
	if _, err := Prove(ctx, file); err != nil {
		return r, fmt.Errorf("%s cannot be put back: %w", name, err)
	}
	s.gate.Lock()
	defer s.gate.Unlock()
	if r.Before, err = s.Backup(ctx, beforeRestore); err != nil {
		return r, err
	}
	var sessions []session
	if err := s.read.WithContext(ctx).Find(&sessions).Error; err != nil {
		return r, err
	}
	var drafts []Draft // what was dropped stays dropped
	if err := s.read.WithContext(ctx).Find(&drafts).Error; err != nil {
		return r, err
	}
	if err := s.overwrite(context.WithoutCancel(ctx), file); err != nil {
		return r, inWords(err)
	}
	if err := s.migrate(); err != nil {
		return r, inWords(err)
	}
	err = s.write.Transaction(func(tx *gorm.DB) error { return Batch(tx, drafts) })
	if err == nil {
		err = s.sweep()
	}
	if err != nil {
		return r, inWords(err)
	}
	return r, s.begun(ctx, func(tx *gorm.DB) error {
		if err := Batch(tx, sessions); err != nil {
			return err
		}
		return word(tx, r)
	})
}

// overwrite copies a database over the open one, in one transaction.
func (s *Store) overwrite(ctx context.Context, file string) error {
	from, err := sql.Open("sqlite3", fileURL(file, url.Values{"mode": {"ro"}, "immutable": {"1"}}))
	if err != nil {
		return err
	}
	defer from.Close()
	source, err := from.Conn(ctx)
	if err != nil {
		return err
	}
	defer source.Close()
	to, err := s.raw.Conn(ctx)
	if err != nil {
		return err
	}
	defer to.Close()
	return onConn(to, func(dst *sqlite3.SQLiteConn) error {
		return onConn(source, func(src *sqlite3.SQLiteConn) error {
			b, err := dst.Backup("main", src, "main")
			if err != nil {
				return err
			}
			done, err := b.Step(-1)
			if e := b.Finish(); err == nil {
				err = e
			}
			if err == nil && !done {
				err = errors.New("the records are in use; try again")
			}
			return err
		})
	})
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if _, err = io.Copy(out, in); err == nil {
		err = out.Sync()
	}
	if cerr := out.Close(); err == nil {
		err = cerr
	}
	return err
}
