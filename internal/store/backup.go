package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/clock"

	"gorm.io/gorm"
)

// What backups are made before that stand apart from the others and are not counted among them.
const (
	beforeMigration = "before-migration"
	beforeRestore   = "before-restore"
)

// keptBackups is how many backups stay; older ones go. Those before a restore or a migration are counted apart.
const keptBackups = 20

// BackupFile is a backup in the folder.
type BackupFile struct {
	Name string
	Seq  int // in which order they were made; 0 for those from before they were numbered
	At   time.Time
	Why  string
	Size int64
}

var backupName = regexp.MustCompile(`^(?:([0-9]{6,})-)?([0-9]{8}T[0-9]{6}\.[0-9]{3})-(.+)\.db$`)

// Backups lists the backups of a folder in the order in which they were made.
func Backups(dir string) ([]BackupFile, error) {
	list, err := os.ReadDir(filepath.Join(dir, "backups"))
	if err != nil {
		return nil, err
	}
	var out []BackupFile
	for _, e := range list {
		m := backupName.FindStringSubmatch(e.Name())
		if m == nil {
			continue
		}
		b := BackupFile{Name: e.Name(), Why: m[3]}
		b.Seq, _ = strconv.Atoi(m[1])
		b.At, _ = time.Parse("20060102T150405.000", m[2])
		if info, err := e.Info(); err == nil {
			b.Size = info.Size()
		}
		out = append(out, b)
	}
	slices.SortFunc(out, func(a, b BackupFile) int {
		if a.Seq != b.Seq {
			return a.Seq - b.Seq
		}
		return strings.Compare(a.Name, b.Name)
	})
	return out, nil
}

// Backup writes a whole copy of the database, without sessions, into the folder's backups and gives its name. It goes by
// a number of its own, so that a clock that was wrong confuses nothing.
func (s *Store) Backup(ctx context.Context, why string) (string, error) {
	conn, err := s.reader(ctx)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	s.useMu.Lock()
	var used []string
	for name := range s.inUse {
		used = append(used, name)
	}
	s.useMu.Unlock()
	return backup(ctx, conn, s.Dir, why, used...)
}

// backup copies the database that a connection for reading is of, so that writing goes on, and takes old backups away;
// never the new one, never one of those that are in use.
func backup(ctx context.Context, conn *sql.Conn, dir, why string, used ...string) (name string, err error) {
	all, err := Backups(dir)
	if err != nil {
		return "", InWords(err)
	}
	seq := 1
	if n := len(all); n > 0 {
		seq = all[n-1].Seq + 1
	}
	part := filepath.Join(dir, "backups", fmt.Sprintf(".part-%d-%d-%s.db", os.Getpid(), time.Now().UnixNano(), why))
	defer os.Remove(part)
	if err := copyOut(ctx, conn, part); err != nil {
		return "", fmt.Errorf("the backup failed: %w", InWords(err))
	}
	for ; ; seq++ { // another program may make one beside
		name = fmt.Sprintf("%06d-%s-%s.db", seq, clock.Now().UTC().Format("20060102T150405.000"), why)
		if taken, _ := filepath.Glob(filepath.Join(dir, "backups", fmt.Sprintf("%06d-*", seq))); len(taken) > 0 {
			continue
		}
		if err := os.Link(part, filepath.Join(dir, "backups", name)); err == nil {
			break
		} else if !errors.Is(err, os.ErrExist) {
			return "", InWords(err)
		}
	}
	if err := errors.Join(sign(filepath.Join(dir, "backups"), name), syncDir(filepath.Join(dir, "backups"))); err != nil {
		return "", InWords(err)
	}
	return name, prune(dir, append(used, name))
}

// copyOut writes the database into another file: whole, on the disk, for its owner alone, and without sessions and drafts.
func copyOut(ctx context.Context, conn *sql.Conn, file string) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	f.Close()
	// A connection for reading writes to no file at all, the copy included.
	if _, err := conn.ExecContext(ctx, "PRAGMA query_only = OFF"); err != nil {
		return err
	}
	_, err = conn.ExecContext(ctx, "VACUUM INTO ?", file)
	if _, e := conn.ExecContext(context.WithoutCancel(ctx), "PRAGMA query_only = ON"); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	db, err := sql.Open(
		"sqlite3",
		fileURL(file, url.Values{"_journal_mode": {"DELETE"}, "_secure_delete": {"on"}, "_synchronous": {"FULL"}}),
	)
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, "DELETE FROM sessions")
	var drafts int // of a database of before there are none
	if err == nil {
		err = db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_schema WHERE name = 'drafts'").Scan(&drafts)
	}
	if err == nil && drafts > 0 {
		_, err = db.ExecContext(ctx, "DELETE FROM drafts")
	}
	return errors.Join(err, db.Close())
}

func fileURL(name string, query url.Values) string {
	return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: name}).EscapedPath(), RawQuery: query.Encode()}).String()
}

// prune takes away the oldest backups beyond those that are kept.
func prune(dir string, used []string) error {
	all, err := Backups(dir)
	if err != nil {
		return err
	}
	left := map[bool]int{true: keptBackups, false: keptBackups}
	for _, b := range slices.Backward(all) {
		apart := b.Why == beforeMigration || b.Why == beforeRestore
		if left[apart]--; left[apart] < 0 && !slices.Contains(used, b.Name) {
			for _, f := range []string{b.Name, b.Name + hashEnding} {
				if err := os.Remove(filepath.Join(dir, "backups", f)); err != nil && !os.IsNotExist(err) {
					return err
				}
			}
		}
	}
	return nil
}

// use marks a backup as one that must stay until it is let go.
func (s *Store) use(name string) (letGo func()) {
	s.useMu.Lock()
	s.inUse[name]++
	s.useMu.Unlock()
	return func() {
		s.useMu.Lock()
		if s.inUse[name]--; s.inUse[name] == 0 {
			delete(s.inUse, name)
		}
		s.useMu.Unlock()
	}
}

// Beside is a data folder that another program may have open: for a backup, and for proving the record.
type Beside struct {
	dir string
	db  *gorm.DB
	raw *sql.DB
}

// OpenBeside opens a folder's database for reading, beside a program that has it open.
func OpenBeside(dir string) (*Beside, error) {
	name := filepath.Join(dir, databaseName)
	if _, err := os.Stat(name); err != nil {
		return nil, err
	}
	db, raw, err := connect(name, url.Values{"_query_only": {"on"}, "mode": {"rw"}}, 1)
	if err != nil {
		return nil, InWords(err)
	}
	if err := isOurs(context.Background(), raw); err != nil {
		raw.Close()
		return nil, InWords(err)
	}
	return &Beside{dir, db, raw}, nil
}

// Close ends the reading.
func (b *Beside) Close() error { return b.raw.Close() }

// Backup writes a whole copy of the database into the folder's backups and gives its name.
func (b *Beside) Backup(ctx context.Context, why string) (string, error) {
	conn, err := b.raw.Conn(ctx)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	return backup(ctx, conn, b.dir, why)
}
