package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"

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
	want, err := partsOf(ctx, f.Version)
	if err != nil {
		return f, err
	}
	is, err := partsIn(ctx, raw)
	if err != nil {
		return f, err
	}
	if !slices.EqualFunc(want, is, part.same) {
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
