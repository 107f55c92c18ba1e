// Package store keeps the records in SQLite through GORM: schema, migrations, the bulk path for large intakes,
// backups, and the kept files. It knows what is written where, not who may write it or why.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	_ "github.com/mattn/go-sqlite3" // registers the driver
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Store is an open data folder: one writer connection, several readers.
type Store struct {
	Dir   string
	write *gorm.DB
	read  *gorm.DB
	raw   *sql.DB // the writer's connection
	lock  *os.File

	settling sync.Mutex // held while pages are copied beside the writing
	settled  sync.WaitGroup
}

// ErrNewer is a database written by a newer program.
var ErrNewer = errors.New("the data folder was written by a newer wobin; start that one")

// Open opens a data folder, making it where it is missing, brings the schema up to date (after a backup) and
// sweeps what an interrupted intake left unpublished. Only one program may have a folder open.
func Open(dir string) (*Store, error) {
	for _, d := range []string{dir, filepath.Join(dir, "files"), filepath.Join(dir, "incoming"), filepath.Join(dir, "backups")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return nil, err
		}
	}
	s := &Store{Dir: dir}
	var err error
	if s.lock, err = lockFolder(dir); err != nil {
		return nil, err
	}
	name := filepath.Join(dir, "wobin.db")
	open := func(query url.Values, conns int) (*gorm.DB, *sql.DB, error) {
		u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: name}).EscapedPath(), RawQuery: query.Encode()}
		db, err := gorm.Open(sqlite.Open(u.String()), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true})
		if err != nil {
			return nil, nil, err
		}
		raw, err := db.DB()
		if err != nil {
			return nil, nil, err
		}
		raw.SetMaxOpenConns(conns)
		raw.SetMaxIdleConns(conns)
		return db, raw, nil
	}
	base := url.Values{"_journal_mode": {"WAL"}, "_foreign_keys": {"on"}, "_busy_timeout": {"10000"}, "_synchronous": {"FULL"}, "_cache_size": {"-65536"}, "_mutex": {"no"}}
	writer := url.Values{"_txlock": {"immediate"}}
	reader := url.Values{"_query_only": {"on"}}
	for k, v := range base {
		writer[k], reader[k] = v, v
	}
	reader.Set("_cache_size", "-16384")
	if s.write, s.raw, err = open(writer, 1); err != nil {
		s.lock.Close()
		return nil, fmt.Errorf("open %s: %w", name, err)
	}
	// Large intakes are not held up by copying their pages into the database piece by piece.
	if err = s.write.Exec("PRAGMA wal_autocheckpoint = 16384").Error; err == nil {
		err = s.migrate()
	}
	if err == nil {
		s.read, _, err = open(reader, 4)
	}
	if err == nil {
		err = s.sweep()
	}
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close ends the work with the folder.
func (s *Store) Close() error {
	s.settled.Wait()
	var errs []error
	for _, db := range []*gorm.DB{s.read, s.write} {
		if db != nil {
			if raw, err := db.DB(); err == nil {
				errs = append(errs, raw.Close())
			}
		}
	}
	errs = append(errs, s.lock.Close())
	return errors.Join(errs...)
}

// Read gives a connection for reading only.
func (s *Store) Read(ctx context.Context) *gorm.DB { return s.read.WithContext(ctx) }

// Write carries out do in one transaction of the writer connection, which is all or nothing. The connection is held
// by itself, so that MakeBinsAndItems can use the driver's plain path within the transaction.
func (s *Store) Write(ctx context.Context, do func(tx *gorm.DB) error) (err error) {
	conn, err := s.raw.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, "BEGIN IMMEDIATE"); err != nil {
		return err
	}
	done := false
	defer func() {
		if !done { // an error, or a panic on its way up
			if _, e := conn.ExecContext(context.WithoutCancel(ctx), "ROLLBACK"); e != nil && err == nil {
				err = e
			}
		}
	}()
	tx := s.write.Session(&gorm.Session{Context: ctx, NewDB: true})
	tx.Statement.ConnPool = conn
	if err := do(tx); err != nil {
		return err
	}
	if err := ctx.Err(); err != nil { // what was cancelled is not committed
		return err
	}
	if _, err := conn.ExecContext(context.WithoutCancel(ctx), "COMMIT"); err != nil {
		return err
	}
	done = true
	return nil
}

// migrate brings the schema up to date, one version after the other, each in a transaction.
func (s *Store) migrate() error {
	var version int
	if err := s.write.Raw("PRAGMA user_version").Scan(&version).Error; err != nil {
		return fmt.Errorf("the data folder's database cannot be read: %w", err)
	}
	if version > len(migrations) {
		return ErrNewer
	}
	if version > 0 && version < len(migrations) {
		if _, err := s.Backup(context.Background(), "before-migration"); err != nil {
			return err
		}
	}
	for ; version < len(migrations); version++ {
		err := s.write.Transaction(func(tx *gorm.DB) error {
			if err := tx.Exec(migrations[version]).Error; err != nil {
				return err
			}
			return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", version+1)).Error
		})
		if err != nil {
			return fmt.Errorf("migration %d: %w", version+1, err)
		}
	}
	return nil
}

// sweep takes away what was written but never published, and uploads that nobody came back for.
func (s *Store) sweep() error {
	err := s.write.Transaction(func(tx *gorm.DB) error {
		var sets []int64
		if err := tx.Raw("SELECT id FROM stock_sets WHERE published = 0").Scan(&sets).Error; err != nil {
			return err
		}
		return deleteSets(tx, sets)
	})
	if err != nil {
		return err
	}
	old, err := filepath.Glob(filepath.Join(s.Dir, "incoming", "*"))
	if err != nil {
		return err
	}
	for _, f := range old {
		if err := os.Remove(f); err != nil {
			slog.Warn("an abandoned upload could not be removed", "error", err)
		}
	}
	return nil
}

// keptBackups is how many backups stay; older ones go.
const keptBackups = 20

// Backup writes a whole copy of the database into the folder's backups and gives its name.
func (s *Store) Backup(ctx context.Context, why string) (string, error) {
	name := fmt.Sprintf("%s-%s.db", time.Now().UTC().Format("20060102T150405.000"), why)
	part := filepath.Join(s.Dir, "backups", ".part-"+name)
	if err := s.vacuumInto(ctx, part); err != nil {
		os.Remove(part)
		return "", fmt.Errorf("the backup failed, so nothing was changed: %w", err)
	}
	if err := os.Rename(part, filepath.Join(s.Dir, "backups", name)); err != nil {
		return "", err
	}
	all, err := filepath.Glob(filepath.Join(s.Dir, "backups", "*.db"))
	if err != nil {
		return "", err
	}
	for _, f := range all[:max(0, len(all)-keptBackups)] {
		_ = os.Remove(f)
	}
	return name, nil
}

// vacuumInto copies the database as it stands into another file, on a connection for reading, so that writing goes on.
func (s *Store) vacuumInto(ctx context.Context, file string) error {
	conn, err := s.reader(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	// A connection for reading writes to no file at all, the copy included.
	if _, err := conn.ExecContext(ctx, "PRAGMA query_only = OFF"); err != nil {
		return err
	}
	_, err = conn.ExecContext(ctx, "VACUUM INTO ?", file)
	if _, e := conn.ExecContext(context.WithoutCancel(ctx), "PRAGMA query_only = ON"); err == nil {
		err = e
	}
	return err
}

// reader gives a connection for reading by itself, for the driver's plain path.
func (s *Store) reader(ctx context.Context) (*sql.Conn, error) {
	db, err := s.read.DB()
	if err != nil {
		return nil, err
	}
	return db.Conn(ctx)
}

// LimitPages bounds the size of the database on the writer connection. It stands in for a full disk.
func (s *Store) LimitPages(ctx context.Context, pages int64) error {
	return s.write.WithContext(ctx).Exec(fmt.Sprintf("PRAGMA max_page_count = %d", pages)).Error
}
