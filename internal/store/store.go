// Package store keeps the records in SQLite through GORM: schema, migrations, the bulk path for large intakes,
// backups, and the kept files. It knows what is written where, not who may write it or why.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"syscall"

	sqlite3 "github.com/mattn/go-sqlite3"
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

	gate     sync.RWMutex // held for writing while a backup takes the place of the records
	settling sync.Mutex   // held while pages are copied beside the writing
	settled  sync.WaitGroup

	headMu sync.Mutex
	head   atomic.Int64 // the end of the record that was noted last

	useMu sync.Mutex
	inUse map[string]int // backups that are being read
}

// ErrNewer is a database written by a newer program.
var ErrNewer = errors.New("the data folder was written by a newer wobin; start that one")

// ErrDamaged is a database that cannot be read as what it was.
var ErrDamaged = errors.New("the database is damaged")

// ErrAlone is a folder whose database is missing or empty although backups or kept files are there.
var ErrAlone = errors.New(
	"the database is missing or empty, but there are backups or kept files of one; nothing new is begun beside them. Put a backup back with wobin restore",
)

// DiskError is work that the disk did not take. Nothing of it was done.
type DiskError struct {
	Full bool
	Err  error
}

// Error says what happened and what to do.
func (e *DiskError) Error() string {
	if e.Full {
		return "the disk is full, so nothing was changed. Make room on it and try again"
	}
	return "the disk could not be written to, so nothing was changed. See whether it is there and may be written to, and try again"
}

// Unwrap gives the cause.
func (e *DiskError) Unwrap() error { return e.Err }

// InWords makes an error of the disk one that people can read, and tells damage from other errors.
func InWords(err error) error {
	var is sqlite3.Error
	var disk *DiskError
	switch {
	case err == nil || errors.As(err, &disk):
		return err
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return &DiskError{true, err}
	case errors.Is(err, syscall.EIO), errors.Is(err, syscall.EROFS):
		return &DiskError{false, err}
	case !errors.As(err, &is):
		return err
	}
	switch is.Code {
	case sqlite3.ErrFull:
		return &DiskError{true, err}
	case sqlite3.ErrIoErr, sqlite3.ErrReadonly, sqlite3.ErrCantOpen:
		return &DiskError{is.SystemErrno == syscall.ENOSPC, err}
	case sqlite3.ErrCorrupt, sqlite3.ErrNotADB:
		return fmt.Errorf("%w: %w. Put a backup back with wobin restore", ErrDamaged, err)
	}
	return err
}

const databaseName = "wobin.db"

// Open opens a data folder, making it where it is missing, brings the schema up to date (after a backup) and
// sweeps what an interrupted intake or freeze left unpublished, and parts of files that a kill left. Only one program may
// have a folder open. Nothing new is begun where the database is missing beside backups or kept files of one (ErrAlone),
// and a file that is no database of this program is not touched (ErrDamaged).
func Open(dir string) (*Store, error) {
	for _, d := range []string{dir, filepath.Join(dir, "files"), filepath.Join(dir, "incoming"), filepath.Join(dir, "backups")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return nil, InWords(err)
		}
	}
	s := &Store{Dir: dir, inUse: map[string]int{}}
	var err error
	if s.lock, err = lockFolder(dir); err != nil {
		return nil, err
	}
	if err = s.open(); err != nil {
		s.Close()
		return nil, InWords(err)
	}
	return s, nil
}

func (s *Store) open() (err error) {
	name := filepath.Join(s.Dir, databaseName)
	if err := s.begin(name); err != nil {
		return err
	}
	if s.write, s.raw, err = connect(name, url.Values{"_txlock": {"immediate"}, "_cache_size": {"-65536"}}, 1); err != nil {
		return fmt.Errorf("open %s: %w", name, err)
	}
	if err := isOurs(context.Background(), s.raw); err != nil {
		return err
	}
	// Large intakes are not held up by copying their pages into the database piece by piece.
	if err := s.write.Exec("PRAGMA wal_autocheckpoint = 16384").Error; err != nil {
		return err
	}
	if s.read, _, err = connect(name, url.Values{"_query_only": {"on"}, "_cache_size": {"-16384"}}, 4); err != nil {
		return err
	}
	if err := s.migrate(); err != nil {
		return err
	}
	if err := s.sweep(); err != nil {
		return err
	}
	return s.findHead()
}

// connect opens connections to a database.
func connect(name string, query url.Values, conns int) (*gorm.DB, *sql.DB, error) {
	for k, v := range map[string]string{"_journal_mode": "WAL", "_foreign_keys": "on", "_busy_timeout": "10000", "_synchronous": "FULL",
		"_mutex": "no", "_stmt_cache_size": "64"} {
		query.Set(k, v)
	}
	u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: name}).EscapedPath(), RawQuery: query.Encode()}
	raw, err := sql.Open("sqlite3", u.String())
	if err != nil {
		return nil, nil, err
	}
	raw.SetMaxOpenConns(conns)
	raw.SetMaxIdleConns(conns)
	db, err := gormOver(raw)
	if err != nil {
		raw.Close()
	}
	return db, raw, err
}

// gormOver gives GORM over connections. It logs nothing: rows of data would stand in it.
func gormOver(raw *sql.DB) (*gorm.DB, error) {
	return gorm.Open(sqlite.Dialector{Conn: raw}, &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true})
}

// begin makes sure that there is a database, or that a new one may be begun here. Its files are for their owner alone.
func (s *Store) begin(name string) error {
	f, err := os.OpenFile(name, os.O_RDWR, 0)
	switch {
	case err == nil:
		defer f.Close()
		head := make([]byte, len(magic))
		if n, err := io.ReadFull(f, head); n > 0 && (err != nil || string(head) != magic) {
			return fmt.Errorf("%w: %s is no SQLite database any more. Put a backup back with wobin restore", ErrDamaged, name)
		} else if n > 0 {
			return f.Chmod(0o600)
		}
	case !errors.Is(err, os.ErrNotExist):
		return err
	}
	for _, d := range []string{"backups", "files"} {
		list, err := os.ReadDir(filepath.Join(s.Dir, d))
		if err != nil {
			return err
		}
		for _, e := range list {
			if e.Name()[0] != '.' {
				return fmt.Errorf("%s: %w", s.Dir, ErrAlone)
			}
		}
	}
	return writeNew(name)
}

// blank is a database without records, as the migrations make it: made once, as they take longer than all else of a start.
var blank = sync.OnceValues(func() (content []byte, err error) {
	db, raw, err := connectPlain(":memory:", nil)
	if err != nil {
		return nil, err
	}
	defer raw.Close()
	raw.SetMaxOpenConns(1)
	if err := migrate(db, nil); err != nil {
		return nil, err
	}
	err = withConn(db.WithContext(context.Background()), func(c *sqlite3.SQLiteConn) (err error) {
		content, err = c.Serialize("")
		return err
	})
	return content, err
})

// writeNew writes a database without records, whole or not at all.
func writeNew(name string) error {
	content, err := blank()
	if err != nil {
		return err
	}
	f, err := os.OpenFile(name+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err
}

// magic is how every SQLite database begins.
const magic = "SQLite format 3\x00"

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

// Tx is what reading or writing goes over: the rooms hand it to the functions of this package, and ask nothing of it themselves.
type Tx = gorm.DB

// Read gives a connection for reading only.
func (s *Store) Read(ctx context.Context) *gorm.DB {
	if tx, ok := ctx.Value(snapshotKey{}).(*gorm.DB); ok {
		return tx.WithContext(ctx)
	}
	return s.read.WithContext(ctx)
}

type snapshotKey struct{}

// Snapshot gives a context in which all that is read is as at this moment, whatever is written meanwhile. end lets go of it; it holds one
// of the readers until then.
func (s *Store) Snapshot(ctx context.Context) (within context.Context, end func(), err error) {
	pool, err := s.read.DB()
	if err != nil {
		return nil, nil, err
	}
	conn, err := pool.Conn(ctx) // held by itself, so that it can go the driver's plain path, too
	if err != nil {
		return nil, nil, InWords(err)
	}
	end = func() {
		_, _ = conn.ExecContext(context.WithoutCancel(ctx), "ROLLBACK")
		conn.Close()
	}
	var one int
	if _, err = conn.ExecContext(ctx, "BEGIN"); err == nil {
		err = conn.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_schema").Scan(&one) // the first reading fixes the moment
	}
	if err != nil {
		end()
		return nil, nil, InWords(err)
	}
	tx := s.read.Session(&gorm.Session{Context: ctx, NewDB: true})
	tx.Statement.ConnPool = conn
	return context.WithValue(ctx, snapshotKey{}, tx), end, nil
}

// Write carries out do in one transaction of the writer connection, which is all or nothing. It is the one way to write: nothing is written
// while others take the place of the records. The connection is held
// by itself, so that MakeBinsAndItems can use the driver's plain path within the transaction.
func (s *Store) Write(ctx context.Context, do func(tx *gorm.DB) error) (err error) {
	s.gate.RLock()
	defer s.gate.RUnlock()
	defer func() { err = InWords(err) }()
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
	s.noteHead(context.WithoutCancel(ctx))
	return nil
}

// migrate brings the schema up to date, after a backup.
func (s *Store) migrate() error {
	return migrate(s.write, func() error {
		_, err := s.Backup(context.Background(), beforeMigration)
		return err
	})
}

// migrate brings the schema of a database up to date, one version after the other, each in a transaction. first is done before, where there
// is something in it that is changed.
func migrate(db *gorm.DB, first func() error) error {
	var version int
	if err := db.Raw("PRAGMA user_version").Scan(&version).Error; err != nil {
		return fmt.Errorf("the data folder's database cannot be read: %w", err)
	}
	if version > len(migrations) {
		return ErrNewer
	}
	if first == nil {
		first = func() error { return nil }
	}
	first = sync.OnceValue(first)
	if version > 0 {
		raw, err := db.DB()
		if err != nil {
			return err
		}
		if err := complete(context.Background(), raw, version, first); err != nil {
			return err
		}
	}
	if version > 0 && version < len(migrations) {
		if err := first(); err != nil {
			return err
		}
	}
	for ; version < len(migrations); version++ {
		err := db.Transaction(func(tx *gorm.DB) error {
			if err := tx.Exec(migrations[version]).Error; err != nil {
				return err
			}
			if more := after[version+1]; more != nil {
				if err := more(tx); err != nil {
					return err
				}
			}
			return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", version+1)).Error
		})
		if err != nil {
			return fmt.Errorf("migration %d: %w", version+1, err)
		}
	}
	return nil
}

// sweep takes away what was written but never published, uploads that are of no draft, and parts of files that a
// kill left.
func (s *Store) sweep() error {
	if err := s.write.Transaction(sweepRows); err != nil {
		return err
	}
	return s.sweepFiles()
}

func sweepRows(tx *gorm.DB) error {
	var sets, counts, discarded []int64
	if err := tx.Raw("SELECT id FROM stock_sets WHERE published = 0").Scan(&sets).Error; err != nil {
		return err
	}
	if err := tx.Raw("SELECT id FROM counts WHERE state = ?", Freezing).Scan(&counts).Error; err != nil {
		return err
	}
	for _, c := range counts {
		if err := DeleteCount(tx, c); err != nil {
			return err
		}
	}
	if err := tx.Raw("SELECT id FROM counts WHERE state = ?", Discarded).Scan(&discarded).Error; err != nil {
		return err
	}
	for _, c := range discarded {
		if err := clearCount(tx, c, linesOfCount...); err != nil {
			return err
		}
	}
	return deleteSets(tx, sets)
}

func (s *Store) sweepFiles() error {
	var waiting []string // files that were dropped and are not taken in
	if err := s.write.Raw("SELECT file FROM drafts").Scan(&waiting).Error; err != nil {
		return err
	}
	for _, pattern := range []string{"incoming/*", "backups/.part-*", restoreName + "*", headName + "*.part", "files/*/*.part"} {
		old, err := filepath.Glob(filepath.Join(s.Dir, pattern))
		if err != nil {
			return err
		}
		for _, f := range old {
			if slices.Contains(waiting, filepath.Base(f)) {
				continue
			}
			if err := os.Remove(f); err != nil {
				slog.Warn("what an interrupted work left could not be removed", "error", err)
			}
		}
	}
	return nil
}

// DeleteCount takes away a count whose freezing was broken off: nobody has seen it.
func DeleteCount(tx *gorm.DB, id int64) error {
	if err := clearCount(tx, id, append(linesOfCount, "sheets")...); err != nil {
		return err
	}
	return tx.Exec("DELETE FROM counts WHERE id = ? AND state = ?", id, Freezing).Error
}

// linesOfCount are the tables of what a count is frozen with, beside its sheets.
var linesOfCount = []string{"count_lines", "count_items", "count_tallies", "count_moves", "empty_bins"}

// clearCount takes a count's rows out of tables.
func clearCount(tx *gorm.DB, id int64, tables ...string) error {
	for _, t := range tables {
		if err := tx.Exec("DELETE FROM "+t+" WHERE count_id = ?", id).Error; err != nil {
			return err
		}
	}
	return nil
}

// KeptSets is how many sets of recorded stock stay for a warehouse behind the one in force, so that intakes can be undone.
const KeptSets = 10

// PruneSets takes away old sets of recorded stock: all but the one in force of each warehouse, the ten before it, and
// those that running counts were frozen from. It works in small pieces and keeps nobody waiting; what it does not get done
// is done by the next one, or the next start.
func (s *Store) PruneSets(ctx context.Context) error {
	var sets []int64
	err := s.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Raw(`SELECT id FROM (SELECT s.id, row_number() OVER (PARTITION BY s.warehouse_id ORDER BY s.id DESC) AS n FROM stock_sets s
			JOIN warehouses w ON w.id = s.warehouse_id WHERE s.published = 1 AND s.id < w.set_id AND s.id NOT IN (SELECT set_id FROM counts WHERE state IN (?, ?))) WHERE n > ?`, Running, Freezing, KeptSets).Scan(&sets).Error; err != nil {
			return err
		}
		if len(sets) == 0 {
			return nil
		}
		return tx.Exec("UPDATE stock_sets SET published = 0 WHERE id IN ?", sets).Error
	})
	for _, set := range sets {
		for more := true; more && err == nil; {
			err = s.Write(ctx, func(tx *gorm.DB) error {
				r := tx.Exec(
					"DELETE FROM stock_lines WHERE set_id = ? AND pos < (SELECT min(pos) + 20000 FROM stock_lines WHERE set_id = ?)",
					set,
					set,
				)
				more = r.RowsAffected > 0
				return r.Error
			})
		}
		if err == nil {
			err = s.Write(ctx, func(tx *gorm.DB) error { return DeleteSets(tx, []int64{set}) })
		}
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
