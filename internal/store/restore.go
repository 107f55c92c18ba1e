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

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
)

// Restoring is what a restore is told beside the backup.
type Restoring struct {
	// Agreed looks at the records that are to be replaced once nobody writes any more, and errs where they are not what was agreed to.
	// nil: they may be anything.
	Agreed func(tx *gorm.DB) error
	// Words are the kinds of words of the record that tell of what a restore does not take back: people and their rights.
	Words []string
	// Word writes what the record says of the restore, into the records that are put back, before they are in place.
	Word func(tx *gorm.DB, r Restored) error
}

// Restored is the last word on a restore.
type Restored struct {
	Before string // the backup of what was there; empty where that was damaged or missing
	Aside  string // the folder that damaged files were put into
	Epoch  int64  // the number of the restore in this folder
	Kept   bool   // what a restore does not take back is as it was; where nothing could be read any more it is as in the backup
	Since  []Link // words of the kinds that a restore does not take back, spoken since the backup
}

// untaken are the tables that a restore does not take back: who may sign in, as what, with which word; who is signed in; when somebody
// has to agree; and files that were dropped and are still to be taken in. A backup may be older than somebody's leaving.
var untaken = []string{"people", "invitations", "sessions", "settings", "drafts"}

// epochKey is the setting that numbers restores. It never falls.
const epochKey = "epoch"

// restoreName is the file in which the records are made ready that take the place of those that are there.
const restoreName = ".restore.db"

// atStep is told of each step of a restore; tests look at the folder there, as a kill would leave it.
var atStep = func(string) {}

// Epoch tells how often a backup was put back in this folder. Whoever keeps something of the records outside holds this number against
// it: where it rose, what was kept may never have been.
func (s *Store) Epoch(ctx context.Context) (n int64, err error) { return epochIn(s.Read(ctx), "main") }

func epochIn(tx *gorm.DB, schema string) (n int64, err error) {
	err = tx.Raw("SELECT coalesce(max(CAST(value AS INTEGER)), 0) FROM "+schema+".settings WHERE key = ?", epochKey).Scan(&n).Error
	return n, err
}

// Restore puts a backup in the place of a folder's records that no program has open, in one step: all that belongs to them is made ready
// beside them, what a restore does not take back (untaken) and the word in the record included, and then takes their place by a rename. A
// kill leaves the one or the other. What was there is backed up before, or, where it is damaged, put aside; people are those of the backup
// then. Kept files stay: a backup names none that later work took away. Nothing is changed where the backup is not proved, or the folder is
// in use.
func Restore(ctx context.Context, dir, file string, how Restoring) (r Restored, err error) {
	if _, err := Prove(ctx, file); err != nil {
		return r, fmt.Errorf("%s cannot be put back: %w", file, err)
	}
	for _, d := range []string{dir, filepath.Join(dir, "backups")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return r, InWords(err)
		}
	}
	lock, err := lockFolder(dir)
	if err != nil {
		return r, err
	}
	err = restoreClosed(ctx, dir, file, how, &r)
	return r, InWords(errors.Join(err, lock.Close()))
}

func restoreClosed(ctx context.Context, dir, file string, how Restoring, r *Restored) (err error) {
	name := filepath.Join(dir, databaseName)
	ready, err := makeReady(ctx, dir, file)
	if err != nil {
		return err
	}
	defer ready.drop()
	was := "" // the records that are there, brought to the schema of today
	if r.Before, err = backupClosed(ctx, dir, filepath.Base(file)); err == nil {
		if err := settleHead(dir, name); err != nil {
			return err
		}
		if old, err := makeReady(ctx, dir, name); err == nil { // else it is of a newer program, or none that can be brought up to date
			defer old.drop()
			was = old.name
		}
	}
	atStep("backed up")
	if r.Before == "" {
		if r.Aside, err = putAside(dir, name); err != nil {
			return err
		}
		atStep("put aside")
	}
	if err := ready.complete(ctx, was, how, r); err != nil {
		return err
	}
	// The journal of the old database must be gone before the new one is there: it would be played into it. It is empty: backupClosed saw
	// to that.
	for _, side := range []string{"-wal", "-shm", "-journal"} {
		if err := os.Remove(name + side); err != nil && !os.IsNotExist(err) {
			return err
		}
	}
	atStep("journal gone")
	if err := os.Rename(ready.name, name); err != nil {
		return err
	}
	atStep("in place")
	if err := syncDir(dir); err != nil {
		return err
	}
	if err := settleHead(dir, name); err != nil {
		return err
	}
	atStep("end noted")
	return nil
}

// PutBack puts one of the folder's backups in the place of the records while the program runs, in one step, as Restore does: one
// transaction of the database itself. Whoever writes waits from before the records are looked at until others are in their place.
func (s *Store) PutBack(ctx context.Context, name string, how Restoring) (r Restored, err error) {
	if !backupName.MatchString(name) {
		return r, os.ErrNotExist
	}
	defer s.use(name)()
	file := filepath.Join(s.Dir, "backups", name)
	if _, err := Prove(ctx, file); err != nil {
		return r, fmt.Errorf("%s cannot be put back: %w", name, err)
	}
	ready, err := makeReady(ctx, s.Dir, file)
	if err != nil {
		return r, InWords(err)
	}
	defer ready.drop()
	s.gate.Lock()
	defer s.gate.Unlock()
	if how.Agreed != nil {
		if err := how.Agreed(s.read.WithContext(ctx)); err != nil {
			return r, err
		}
	}
	if r.Before, err = s.Backup(ctx, beforeRestore); err != nil {
		return r, err
	}
	atStep("backed up")
	if err := ready.complete(ctx, filepath.Join(s.Dir, databaseName), how, &r); err != nil {
		return r, InWords(err)
	}
	if err := s.overwrite(context.WithoutCancel(ctx), ready.name); err != nil {
		return r, InWords(err)
	}
	atStep("in place")
	s.head.Store(0)
	if err := settleHead(s.Dir, filepath.Join(s.Dir, databaseName)); err != nil {
		return r, InWords(err)
	}
	atStep("end noted")
	s.noteHead(context.WithoutCancel(ctx))
	return r, nil
}

// ready is a database that is made ready beside the records.
type ready struct {
	name string
	dir  string
}

// makeReady copies a database of the program, brings it to the schema of today, and takes away what was never published in it.
func makeReady(ctx context.Context, dir, file string) (r *ready, err error) {
	f, err := os.CreateTemp(dir, restoreName+"-*")
	if err != nil {
		return nil, err
	}
	r = &ready{f.Name(), dir}
	if err := errors.Join(f.Close(), copyFile(file, r.name)); err != nil {
		return nil, errors.Join(err, r.drop())
	}
	atStep("copied")
	err = r.open(func(db *gorm.DB) error {
		if err := migrate(db, nil); err != nil {
			return err
		}
		return db.Transaction(sweepRows)
	})
	if err != nil {
		return nil, errors.Join(err, r.drop())
	}
	atStep("brought up to date")
	return r, ctx.Err()
}

func (r *ready) drop() error {
	err := os.Remove(r.name)
	if os.IsNotExist(err) {
		return nil // it is in place
	}
	return err
}

// open opens the database for some work. All of it is in the one file afterwards.
func (r *ready) open(do func(db *gorm.DB) error) error {
	db, raw, err := connectPlain(r.name, url.Values{"_journal_mode": {"DELETE"}, "_foreign_keys": {"on"}, "_synchronous": {"FULL"}, "_txlock": {"immediate"}})
	if err != nil {
		return err
	}
	raw.SetMaxOpenConns(1)
	return errors.Join(do(db), raw.Close())
}

// complete lays into the database what a restore does not take back of the records that are there (was; empty where there are none to
// read), and the word of the record; and writes down where the record will end.
func (r *ready) complete(ctx context.Context, was string, how Restoring, is *Restored) error {
	var last Link
	err := r.open(func(db *gorm.DB) error {
		if was != "" {
			// It is looked at over a connection of its own, which must not be within a transaction yet.
			if err := db.Exec("ATTACH ? AS was", fileURL(was, url.Values{"mode": {"ro"}})).Error; err != nil {
				return err
			}
		}
		return db.Transaction(func(tx *gorm.DB) error {
			_, _, before, err := readHead(r.dir)
			if err != nil {
				before = 0 // a note that cannot be read says nothing of restores
			}
			own, err := epochIn(tx, "main")
			if err != nil {
				return err
			}
			is.Epoch = max(before, own)
			if was != "" {
				if err := is.carry(tx, how.Words); err != nil {
					return err
				}
			}
			is.Epoch++
			if err := tx.Exec("INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", epochKey,
				fmt.Sprint(is.Epoch)).Error; err != nil {
				return err
			}
			if err := how.Word(tx, *is); err != nil {
				return err
			}
			return tx.Order("id DESC").Limit(1).Find(&last).Error
		})
	})
	if err != nil {
		return err
	}
	atStep("made ready")
	err = writeHead(filepath.Join(r.dir, nextHeadName), &last, is.Epoch)
	atStep("next end noted")
	return errors.Join(err, ctx.Err())
}

// carry takes over from the records that are there what a restore does not take back.
func (is *Restored) carry(tx *gorm.DB, words []string) error {
	theirs, err := epochIn(tx, "was")
	if err != nil {
		return err
	}
	is.Epoch, is.Kept = max(is.Epoch, theirs), true
	for _, t := range untaken {
		if err := tx.Exec("DELETE FROM main." + t).Error; err != nil {
			return err
		}
		if err := tx.Exec("INSERT INTO main." + t + " SELECT * FROM was." + t).Error; err != nil {
			return err
		}
	}
	return tx.Raw(`SELECT * FROM was.chain WHERE what IN ? AND id > (
		SELECT coalesce(max(a.id), 0) FROM main.chain a JOIN was.chain b ON b.id = a.id AND b.hash = a.hash) ORDER BY id`, words).Scan(&is.Since).Error
}

// CommonEnd gives the last entry that the record has in common with that of a backup: what follows it is taken back where that is put back.
func (s *Store) CommonEnd(ctx context.Context, name string) (id int64, err error) {
	file := filepath.Join(s.Dir, "backups", filepath.Base(name))
	db, raw, err := connectPlain(file, url.Values{"mode": {"ro"}, "immutable": {"1"}})
	if err != nil {
		return 0, InWords(err)
	}
	defer raw.Close()
	hash := func(tx *gorm.DB, id int64) (h string, err error) {
		err = tx.Raw("SELECT coalesce((SELECT hash FROM chain WHERE id = ?), '')", id).Scan(&h).Error
		return h, err
	}
	var last int64
	if err := db.Raw("SELECT coalesce(max(id), 0) FROM chain").Scan(&last).Error; err != nil {
		return 0, InWords(err)
	}
	// Where two records part they stay apart: each hash covers the one before it.
	low, high := int64(0), last
	for low < high {
		middle := (low + high + 1) / 2
		a, err1 := hash(db, middle)
		b, err2 := hash(s.Read(ctx), middle)
		if err := errors.Join(err1, err2); err != nil {
			return 0, InWords(err)
		}
		if a == b && a != "" {
			low = middle
		} else {
			high = middle - 1
		}
	}
	return low, nil
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
