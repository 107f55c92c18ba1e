package store

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// part is one table, index or trigger of a database; columns are a table's, in their order.
type part struct{ sort, name, table, text, columns string }

// same says whether two parts are the same, however their statements are laid out.
func (p part) same(o part) bool { return p.is(o) && oneLine(p.text) == oneLine(o.text) }

func (p part) is(o part) bool { return p.sort == o.sort && p.name == o.name }

func oneLine(q string) string { return strings.Join(strings.Fields(q), " ") }

// ofVersion holds the parts of each version that was asked for: they follow from the program alone.
var ofVersion sync.Map

// partsOf gives the parts of a version, from its migrations.
func partsOf(ctx context.Context, version int) ([]part, error) {
	if known, ok := ofVersion.Load(version); ok {
		return known.([]part), nil
	}
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
	parts, err := partsIn(ctx, raw)
	if err == nil {
		ofVersion.Store(version, parts)
	}
	return parts, err
}

// partsIn gives what makes up a database, in the order of sorts and names.
func partsIn(ctx context.Context, db *sql.DB) (out []part, err error) {
	rows, err := db.QueryContext(ctx, `SELECT type, name, tbl_name, sql, CASE type WHEN 'table' THEN
		(SELECT group_concat(name, ', ') FROM (SELECT name FROM pragma_table_info(m.name) ORDER BY cid)) ELSE '' END
		FROM sqlite_master m WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%' ORDER BY type, name`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var p part
		if err := rows.Scan(&p.sort, &p.name, &p.table, &p.text, &p.columns); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, rows.Err()
}

// dataOf finds the statements of a migration that write rows, and the table that they write to.
var dataOf = regexp.MustCompile(`(?ms)^(?:INSERT (?:OR IGNORE )?INTO|UPDATE|DELETE FROM) (\w+).*?;(?: --[^\n]*)?$`)

// complete gives a database of a version what that version has and it lacks. Before a version was released its migration
// was still being written, and folders of those days have the number without all that belongs to it. Tables that
// differ are made anew in one transaction with the rows that they have; what the migration would have written into them follows. first
// is done before anything is changed. A column that the version does not know is refused: it is not this program's, and would be lost.
func complete(ctx context.Context, db *sql.DB, version int, first func() error) error {
	want, err := partsOf(ctx, version)
	if err != nil {
		return err
	}
	is, err := partsIn(ctx, db)
	is = slices.DeleteFunc(is, func(p part) bool { // somebody else's tables are left alone
		return !slices.ContainsFunc(want, func(w part) bool { return w.sort == "table" && w.name == p.table })
	})
	if err != nil || slices.EqualFunc(is, want, part.same) {
		return err
	}
	if err := first(); err != nil {
		return err
	}
	slog.Warn("the database lacks something of its version; it is completed", "version", version)
	// Tables refer to each other: the references are held again at the end, all at once (sqlite.org/lang_altertable.html, 7).
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, "PRAGMA foreign_keys = OFF"); err != nil {
		return err
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), "PRAGMA foreign_keys = ON")
	tx, err := conn.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := rebuild(ctx, tx, is, want, version); err != nil {
		return fmt.Errorf("complete version %d: %w", version, err)
	}
	var orphans int
	if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM pragma_foreign_key_check").Scan(&orphans); err != nil {
		return err
	}
	if orphans > 0 {
		return fmt.Errorf("%w: %d rows point to nothing. Put a backup back with wobin restore", ErrDamaged, orphans)
	}
	return tx.Commit()
}

func rebuild(ctx context.Context, tx *sql.Tx, is, want []part, version int) error {
	find := func(in []part, p part) (part, bool) {
		i := slices.IndexFunc(in, p.is)
		if i < 0 {
			return part{}, false
		}
		return in[i], true
	}
	var statements []string
	renewed := map[string]bool{} // tables made, or made anew
	for _, w := range want {
		had, there := find(is, w)
		if w.sort != "table" || there && had.same(w) {
			continue
		}
		renewed[w.name] = true
		if !there {
			statements = append(statements, w.text)
			continue
		}
		for _, c := range strings.Split(had.columns, ", ") {
			if !slices.Contains(strings.Split(w.columns, ", "), c) {
				return fmt.Errorf("%w: table %s has a column %s that is not wobin's. Put a backup back with wobin restore", ErrDamaged, w.name, c)
			}
		}
		old := w.name + "_before"
		statements = append(statements, "PRAGMA legacy_alter_table = ON", "ALTER TABLE "+w.name+" RENAME TO "+old, "PRAGMA legacy_alter_table = OFF",
			w.text, fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s", w.name, had.columns, had.columns, old), "DROP TABLE "+old)
	}
	var drops []string
	for _, p := range is {
		if w, known := find(want, p); p.sort != "table" && (!known || !w.same(p) || renewed[p.table]) {
			drops = append(drops, "DROP "+strings.ToUpper(p.sort)+" "+p.name)
		}
	}
	statements = append(drops, statements...)
	for _, m := range dataOf.FindAllStringSubmatch(migrations[version-1], -1) {
		if renewed[m[1]] {
			statements = append(statements, m[0])
		}
	}
	if version >= 3 && (renewed["count_lines"] || renewed["count_tallies"] || renewed["entries"]) {
		statements = append(statements, "UPDATE counts SET stale = 1")
	}
	for _, w := range want {
		if had, there := find(is, w); w.sort != "table" && (!there || !had.same(w) || renewed[w.table]) {
			statements = append(statements, w.text)
		}
	}
	for _, q := range statements {
		if _, err := tx.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%s: %w", oneLine(q), err)
		}
	}
	return nil
}
