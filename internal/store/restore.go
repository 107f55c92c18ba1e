package store

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// Restore puts a backup in the place of a folder's database, after a backup of what is there now, whose name it
// gives. Kept files stay: a backup names none that later work took away. Nothing is changed where the backup is
// not sound, is of a newer program, or the folder is in use.
func Restore(ctx context.Context, dir, backup string) (before string, err error) {
	if err := sound(ctx, backup); err != nil {
		return "", fmt.Errorf("%s is no backup that can be restored: %w", backup, err)
	}
	s, err := Open(dir)
	if err != nil {
		return "", err
	}
	if before, err = s.Backup(ctx, "before-restore"); err != nil {
		s.Close()
		return "", err
	}
	// Closing the last connection empties the write-ahead log, so the file alone is the database.
	if err := s.Close(); err != nil {
		return before, err
	}
	lock, err := lockFolder(dir)
	if err != nil {
		return before, err
	}
	defer lock.Close()
	part := filepath.Join(dir, ".restore.db")
	defer os.Remove(part)
	if err := copyFile(backup, part); err != nil {
		return before, err
	}
	name := filepath.Join(dir, "wobin.db")
	for _, side := range []string{"-wal", "-shm"} {
		if err := os.Remove(name + side); err != nil && !os.IsNotExist(err) {
			return before, err
		}
	}
	return before, os.Rename(part, name)
}

// sound proves that a file is a whole database of this program or an older one.
func sound(ctx context.Context, name string) error {
	if _, err := os.Stat(name); err != nil {
		return err
	}
	db, err := sql.Open("sqlite3", "file:"+name+"?mode=ro&immutable=1")
	if err != nil {
		return err
	}
	defer db.Close()
	var check string
	var version int
	if err := db.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&check); err != nil {
		return err
	}
	if check != "ok" {
		return fmt.Errorf("it is damaged: %s", check)
	}
	if err := db.QueryRowContext(ctx, "PRAGMA user_version").Scan(&version); err != nil {
		return err
	}
	switch {
	case version > len(migrations):
		return ErrNewer
	case version == 0:
		return fmt.Errorf("it holds no records")
	}
	return nil
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
