package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
)

var noWord = Restoring{Word: func(tx *gorm.DB, r Restored) error { return Record(tx, 5, "console", "restored", "{}") }}

// olderFolder makes a data folder as a program with that version of the schema left it, with a count in it.
func olderFolder(t *testing.T, version int) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "data")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "backups"), 0o700))
	raw, err := sql.Open("sqlite3", fileURL(filepath.Join(dir, databaseName), map[string][]string{"_journal_mode": {"WAL"}}))
	require.NoError(t, err)
	defer raw.Close()
	run := func(q string, args ...any) {
		_, err := raw.Exec(q, args...)
		require.NoError(t, err, q)
	}
	for n := range version {
		run(migrations[n])
		if more := after[n+1]; more != nil {
			db, err := gormOver(raw)
			require.NoError(t, err)
			require.NoError(t, more(db))
		}
		run(fmt.Sprintf("PRAGMA user_version = %d", n+1))
	}
	if version == 0 {
		return dir
	}
	if version > 2 { // a count with a sheet
		run("INSERT INTO warehouses (id, code, set_id) VALUES (1, 'W', 0)")
		run(`INSERT INTO counts (id, name, warehouse_id, state, blind, frozen_at, recorded_at, person, at, scope, left_out)
			VALUES (1, 'c', 1, 'running', 1, 1, 1, 'p', 1, '{}', '{}')`)
		run("INSERT INTO sheets (id, count_id, number, code, zone, first_bin, last_bin, lines) VALUES (1, 1, 1, 'W1S1', '', 'A', 'B', 3)")
		return dir
	}
	run("INSERT INTO files VALUES ('aa', 1, 1)")
	run(
		"INSERT INTO intakes (id, kind, state, file_sha, file_name, person, at, added, changed, unchanged, gone, refused) VALUES (1, 'stock', 'taken in', 'aa', 'f', 'p', 1, 1, 0, 0, 0, 0)",
	)
	run("INSERT INTO warehouses (id, code, set_id) VALUES (1, 'W', 1)")
	run("INSERT INTO bins (id, warehouse_id, code, sort_key) VALUES (1, 1, 'A', 'A')")
	run("INSERT INTO items (id, sku, sort_key, category) VALUES (1, 'X', 'X', 'Ropes'), (2, 'Y', 'Y', '')")
	run(
		"INSERT INTO stock_sets (id, warehouse_id, intake_id, previous_id, recorded_at, lines, published) VALUES (1, 1, 1, 0, 10, 3, 1), (2, 1, 0, 0, 10, 1, 0)",
	)
	for i, item := range []int{1, 1, 2} {
		run(
			"INSERT INTO stock_lines (set_id, pos, bin_id, item_id, lot, serial, holding, record_id, quantity, cost) VALUES (1, ?, 1, ?, '', '', '', '', 5, 7)",
			i,
			item,
		)
	}
	run("INSERT INTO set_items (set_id, item_id, lines, quantity) VALUES (1, 1, 2, 10), (1, 2, 1, 5)")
	run(
		"INSERT INTO counts (id, name, warehouse_id, state, blind, frozen_at, recorded_at, person, at, scope, left_out) VALUES (1, 'C', 1, 'running', 0, 10, 10, 'p', 11, '{}', '{}')",
	)
	run("INSERT INTO sheets (id, count_id, number, code, zone, first_bin, last_bin, lines) VALUES (1, 1, 1, 'W1S1X', '', 'A', 'A', 2)")
	for pos := 1; pos <= 2; pos++ {
		run(
			"INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code) VALUES (1, ?, 1, ?, '', '', '', '', 1, 5, 1, ?)",
			pos,
			pos,
			fmt.Sprintf("W1S1R%d?", pos),
		)
	}
	// Counted beside the scope of the count: recorded, and taken for a find by programs of before.
	run(
		"INSERT INTO stock_lines (set_id, pos, bin_id, item_id, lot, serial, holding, record_id, quantity, cost) VALUES (1, 3, 1, 2, 'L', '', '', 'r9', 9, 7)",
	)
	run("INSERT INTO set_bins (set_id, bin_id, first, lines, value) VALUES (1, 1, 0, 4, 0)")
	run(
		"INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code) VALUES (1, 3, 1, 2, 'L', '', '', '', 0, 0, 0, '')",
	)
	run(
		"INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code) VALUES (1, 4, 1, 2, 'M', '', '', '', 0, 0, 0, '')",
	)
	entry := func(id, pos int, slot string, replaces int) {
		run(
			"INSERT INTO entries (id, count_id, pos, sheet_id, slot, round, quantity, counted_at, counter, person, at, replaces) VALUES (?, 1, ?, 1, ?, 1, 4, 20, 'b', 'p', 21, ?)",
			id,
			pos,
			slot,
			replaces,
		)
	}
	entry(1, 1, "W1S1R1?", 0)
	entry(2, 1, "W1S1R1?", 0) // the fault of before: a slot with two
	entry(3, 1, "W1S1R1?", 2)
	entry(4, 2, "S1|W|A|Y||||1", 0)
	entry(5, 2, "S1|W|A|Y||||2", 0)
	entry(6, 2, "S1|W|A|Y||||1", 4)
	entry(7, 2, "S1|W|A|Y||||1", 4) // and one replaced twice
	run("INSERT INTO postings VALUES (1, 1, 1, 'difference', 'aa', 'f', 1, 0, -7, 7, 0, 'p', 30)")
	run("INSERT INTO posting_lines VALUES (1, 1, -1000000, -700, 'LOSS')")
	run("UPDATE count_lines SET posting_id = 1 WHERE pos = 1")
	return dir
}

// Folders of every earlier schema open, with a backup of before; what stood stands, and every slot has one standing entry.
func TestOlderFolders(t *testing.T) {
	for version := range len(migrations) {
		dir := olderFolder(t, version)
		s, err := Open(dir)
		require.NoError(t, err, "version %d", version)
		var is int
		require.NoError(t, s.write.Raw("PRAGMA user_version").Scan(&is).Error)
		assert.Equal(t, len(migrations), is)
		one := func(q string) (n int64) {
			require.NoError(t, s.Read(context.Background()).Raw(q).Scan(&n).Error)
			return n
		}
		backups, err := Backups(dir)
		require.NoError(t, err)
		if version == 0 {
			assert.Empty(t, backups)
		} else {
			require.Len(t, backups, 1)
			found, err := Prove(context.Background(), filepath.Join(dir, "backups", backups[0].Name))
			require.NoError(t, err)
			assert.Equal(t, version, found.Version)
			assert.Zero(t, one("SELECT coalesce(max(empty), 0) FROM sheets"))
		}
		if version == 1 || version == 2 {
			assert.Equal(
				t,
				[]int64{1, 9, 0, 0},
				[]int64{
					one("SELECT beside FROM count_lines WHERE pos = 3"),
					one("SELECT recorded FROM count_lines WHERE pos = 3 AND record_id = 'r9'"),
					one("SELECT beside FROM count_lines WHERE pos = 4"),
					one("SELECT count(*) FROM count_lines WHERE beside AND has_row"),
				},
			)
			assert.Equal(t, int64(1), one("SELECT stale FROM counts"), "it is worked out again before anything else")
			assert.Equal(
				t,
				int64(5),
				one(
					"SELECT count(*) FROM entries e WHERE NOT EXISTS (SELECT 1 FROM entries r WHERE r.replaces = e.id AND r.parcel = e.parcel)",
				),
				"as many stand as stood before: 1, 3; 5, 6, 7",
			)
			assert.Zero(
				t,
				one(
					"SELECT count(*) FROM (SELECT 1 FROM entries WHERE replaces = 0 GROUP BY count_id, pos, round, parcel HAVING count(*) > 1)",
				),
			)
			assert.Equal(t, []int64{1, -1000000, -700}, []int64{one("SELECT postings FROM count_lines WHERE pos = 1"),
				one("SELECT sent FROM count_lines WHERE pos = 1"), one("SELECT sent_value FROM count_lines WHERE pos = 1")})
			assert.Equal(t, int64(1), one("SELECT first FROM sheets"))
			assert.Equal(t, int64(7), one("SELECT cost FROM set_items WHERE item_id = 1"))
			assert.Zero(t, one("SELECT count(*) FROM stock_sets WHERE published = 0"))
			assert.Error(t, s.write.Exec("UPDATE entries SET quantity = 1").Error, "entries are never changed")
		}
		require.NoError(t, s.Close())
		s, err = Open(dir)
		require.NoError(t, err)
		require.NoError(t, s.Close())
	}
}

// The database itself keeps a slot from having two standing entries.
func TestSlotsAreGuarded(t *testing.T) {
	s := opened(t)
	require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
	put := func(id, pos, parcel, replaces int64) error {
		return s.write.Create(&Entry{ID: id, CountID: 1, Pos: pos, Round: 1, Parcel: parcel, Replaces: replaces}).Error
	}
	require.NoError(t, put(1, 1, 0, 0))
	assert.Error(t, put(2, 1, 0, 0), "a second first one")
	require.NoError(t, put(2, 1, 0, 1))
	assert.Error(t, put(3, 1, 0, 1), "one that is replaced already")
	assert.Error(t, put(3, 2, 0, 1), "one of another line")
	assert.Error(t, put(3, 1, 9, 1), "one of another parcel")
	require.NoError(t, put(3, 1, 9, 0))
	require.NoError(t, put(4, 1, 0, 2))
}

func damaged(t *testing.T, name string) {
	t.Helper()
	f, err := os.OpenFile(name, os.O_RDWR, 0)
	require.NoError(t, err)
	defer f.Close()
	info, err := f.Stat()
	require.NoError(t, err)
	for at := int64(4096); at < info.Size(); at += 4096 {
		_, err = f.WriteAt([]byte(strings.Repeat("!", 200)), at)
		require.NoError(t, err)
	}
}

// A restore works when it is needed: with the database damaged, emptied, or gone. What was damaged is put aside.
func TestRestoreOverDamage(t *testing.T) {
	for what, do := range map[string]func(t *testing.T, name string){
		"damaged": damaged,
		"emptied": func(t *testing.T, name string) { require.NoError(t, os.Truncate(name, 0)) },
		"gone":    func(t *testing.T, name string) { require.NoError(t, os.Remove(name)) },
		"another file": func(t *testing.T, name string) {
			require.NoError(t, os.WriteFile(name, []byte(strings.Repeat("no database", 99)), 0o600))
		},
	} {
		s := opened(t)
		ctx := context.Background()
		require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error { return tx.Create(&Warehouse{Code: "KEPT"}).Error }))
		name, err := s.Backup(ctx, "by-hand")
		require.NoError(t, err)
		require.NoError(t, s.Close())
		do(t, filepath.Join(s.Dir, databaseName))
		if what != "damaged" { // damage inside is found where it is read
			_, err = Open(s.Dir)
			require.Error(t, err, what)
			assert.Contains(t, err.Error(), "wobin restore", what)
		}
		r, err := Restore(ctx, s.Dir, filepath.Join(s.Dir, "backups", name), noWord)
		require.NoError(t, err, what)
		assert.Empty(t, r.Before, what)
		assert.Equal(t, what != "gone", r.Aside != "", what)
		back, err := Open(s.Dir)
		require.NoError(t, err, what)
		var code, last string
		require.NoError(t, back.Read(ctx).Raw("SELECT code FROM warehouses").Scan(&code).Error)
		require.NoError(t, back.Read(ctx).Raw("SELECT what FROM chain ORDER BY id DESC LIMIT 1").Scan(&last).Error)
		assert.Equal(t, []string{"KEPT", "restored"}, []string{code, last}, what)
		p, err := back.VerifyChain(ctx)
		require.NoError(t, err)
		assert.Zero(t, p.Broken, p.Text)
		require.NoError(t, back.Close())
	}
}

// What is no backup of ours is refused before anything is touched.
func TestOnlyBackupsAreRestored(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	good, err := s.Backup(ctx, "by-hand")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	path := func(n string) string { return filepath.Join(s.Dir, "backups", n) }
	change := func(q string) func(t *testing.T, name string) {
		return func(t *testing.T, name string) {
			db, err := sql.Open("sqlite3", name)
			require.NoError(t, err)
			defer db.Close()
			_, err = db.Exec(q)
			require.NoError(t, err, q)
		}
	}
	before, err := os.ReadFile(filepath.Join(s.Dir, databaseName))
	require.NoError(t, err)
	for what, do := range map[string]func(t *testing.T, name string){
		"damaged":                 damaged,
		"empty":                   func(t *testing.T, name string) { require.NoError(t, os.Truncate(name, 0)) },
		"cut":                     func(t *testing.T, name string) { require.NoError(t, os.Truncate(name, 8192)) },
		"of another program":      change("PRAGMA application_id = 7"),
		"with a table more":       change("CREATE TABLE x (y)"),
		"with a trigger less":     change("DROP TRIGGER entries_kept"),
		"of a newer program":      change("PRAGMA user_version = 99"),
		"with a record that lies": change("INSERT INTO chain VALUES (1, 1, 'p', 'w', '{}', '', 'no hash')"),
		"with an index that misses rows": func(t *testing.T, name string) {
			change("PRAGMA writable_schema = ON; UPDATE sqlite_master SET sql = sql || ' WHERE 0' WHERE name = 'movements_at'")(t, name)
			change("PRAGMA foreign_keys = OFF; INSERT INTO warehouses (id, code) VALUES (1, 'W'); INSERT INTO files VALUES ('aa', 1, 1); INSERT INTO items (id, sku, sort_key) VALUES (1, 'X', 'X')")(t, name)
			change("INSERT INTO intakes (id, kind, state, file_sha, file_name, person, at, added, changed, unchanged, gone, refused) VALUES (1, 'movements', 'taken in', 'aa', 'f', 'p', 1, 1, 0, 0, 0, 0)")(t, name)
			change("INSERT INTO movements (intake_id, warehouse_id, bin_id, item_id, lot, serial, holding, quantity, at, reference) VALUES (1, 1, 0, 1, '', '', '', 1, 1, '')")(t, name)
			change("PRAGMA writable_schema = ON; UPDATE sqlite_master SET sql = replace(sql, ' WHERE 0', '') WHERE name = 'movements_at'")(t, name)
		},
		"with rows that point to nothing": change("PRAGMA foreign_keys = OFF; INSERT INTO bins (warehouse_id, code, sort_key) VALUES (77, 'A', 'A')"),
	} {
		bad := filepath.Join(t.TempDir(), "bad.db")
		require.NoError(t, copyFile(path(good), bad))
		do(t, bad)
		_, err := Restore(ctx, s.Dir, bad, noWord)
		assert.Error(t, err, what)
		after, err := os.ReadFile(filepath.Join(s.Dir, databaseName))
		require.NoError(t, err)
		assert.Equal(t, before, after, what)
	}
	other := filepath.Join(t.TempDir(), "other.db")
	change("CREATE TABLE t (a); PRAGMA user_version = 3; PRAGMA application_id = 0")(t, other)
	_, err = Restore(ctx, s.Dir, other, noWord)
	assert.Error(t, err, "any SQLite file with the right number")
	_, err = Restore(ctx, s.Dir, path(good), noWord)
	assert.NoError(t, err)
}

// Backups go by their number, whatever the clock says: the new one is never the one that goes, nor one in use; those before
// a restore are counted apart.
func TestPruning(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	ahead := "20991231T235959.000-by-hand.db" // of a clock that was ahead, before backups were numbered
	first, err := s.Backup(ctx, "by-hand")
	require.NoError(t, err)
	require.NoError(t, os.Rename(filepath.Join(s.Dir, "backups", first), filepath.Join(s.Dir, "backups", ahead)))
	apart, err := s.Backup(ctx, beforeRestore)
	require.NoError(t, err)
	letGo := s.use(ahead)
	var last string
	for range keptBackups + 3 {
		last, err = s.Backup(ctx, "before-intake")
		require.NoError(t, err)
		_, err = os.Stat(filepath.Join(s.Dir, "backups", last))
		require.NoError(t, err, "the new one is there")
	}
	names := func() (out []string) {
		all, err := Backups(s.Dir)
		require.NoError(t, err)
		for _, b := range all {
			out = append(out, b.Name)
		}
		return out
	}
	assert.Contains(t, names(), ahead, "in use")
	assert.Contains(t, names(), apart)
	assert.Len(t, names(), keptBackups+2)
	letGo()
	_, err = s.Backup(ctx, "before-intake")
	require.NoError(t, err)
	assert.NotContains(t, names(), ahead)
	assert.Contains(t, names(), last)
	// Restoring the oldest of them makes a backup before it, and that does not cost the one asked for.
	oldest := names()[0]
	require.NoError(t, s.Close())
	_, err = Restore(ctx, s.Dir, filepath.Join(s.Dir, "backups", oldest), noWord)
	require.NoError(t, err)
	assert.Contains(t, names(), oldest)
}

// A backup is put back while the program runs; who is signed in stays so, and the record goes on with a word about it.
func TestPutBackWhileRunning(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	make := func(code string) {
		require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
			require.NoError(t, Record(tx, 1, "p", "made "+code, "{}"))
			return tx.Create(&Warehouse{Code: code}).Error
		}))
	}
	make("ONE")
	name, err := s.Backup(ctx, "by-hand")
	require.NoError(t, err)
	make("TWO")
	sessions := &Sessions{s, time.Now}
	require.NoError(t, sessions.Commit("token", []byte("x"), time.Now().Add(time.Hour)))
	r, err := s.PutBack(ctx, name, noWord)
	require.NoError(t, err)
	assert.NotEmpty(t, r.Before)
	var codes []string
	require.NoError(t, s.Read(ctx).Raw("SELECT code FROM warehouses").Scan(&codes).Error)
	assert.Equal(t, []string{"ONE"}, codes)
	_, found, err := sessions.Find("token")
	require.NoError(t, err)
	assert.True(t, found)
	p, err := s.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Equal(t, Proof{Links: 2}, p)
	make("THREE")
	_, err = s.PutBack(ctx, "../"+name, noWord)
	assert.ErrorIs(t, err, fs.ErrNotExist)
	require.NoError(t, s.Close())
	again, err := Open(s.Dir)
	require.NoError(t, err)
	defer again.Close()
	require.NoError(t, again.Read(ctx).Raw("SELECT code FROM warehouses ORDER BY id").Scan(&codes).Error)
	assert.Equal(t, []string{"ONE", "THREE"}, codes)
}

// Sign-ins are kept under the hash of their token, run out, and are in no backup.
func TestSessions(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	now := time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)
	sessions := &Sessions{s, func() time.Time { return now }}
	require.NoError(t, sessions.Commit("secret token", []byte("who"), time.Now().Add(time.Hour))) // of the machine, as the session manager gives it
	data, found, err := sessions.Find("secret token")
	require.NoError(t, err)
	assert.True(t, found)
	assert.Equal(t, "who", string(data))
	name, err := s.Backup(ctx, "by-hand")
	require.NoError(t, err)
	b, err := os.ReadFile(filepath.Join(s.Dir, "backups", name))
	require.NoError(t, err)
	assert.NotContains(t, string(b), hashed("secret token"))
	require.NoError(t, s.write.Exec("PRAGMA wal_checkpoint(TRUNCATE)").Error)
	b, err = os.ReadFile(filepath.Join(s.Dir, databaseName))
	require.NoError(t, err)
	assert.Contains(t, string(b), hashed("secret token"))
	assert.NotContains(t, string(b), "secret token")
	now = now.Add(time.Hour)
	_, found, err = sessions.Find("secret token")
	require.NoError(t, err)
	assert.False(t, found, "it has run out")
	require.NoError(t, sessions.Commit("other", []byte{1}, now.Add(time.Hour)))
	var n int
	require.NoError(t, s.read.Raw("SELECT count(*) FROM sessions").Scan(&n).Error)
	assert.Equal(t, 1, n, "what has run out is taken away")
	require.NoError(t, sessions.Delete("other"))
	_, found, err = sessions.Find("other")
	require.NoError(t, err)
	assert.False(t, found)
}

// Whatever is done to the record or to what it covers is noticed: also an end that is cut off.
func TestRecordIsProved(t *testing.T) {
	ctx := context.Background()
	anew := Link{Person: "other", What: "w", Detail: `{"n":0}`}
	for what, do := range map[string][]string{
		"nothing":                 nil,
		"a changed word":          {"DROP TRIGGER chain_kept", "UPDATE chain SET person = 'other' WHERE id = 2"},
		"a changed previous hash": {"DROP TRIGGER chain_kept", "UPDATE chain SET previous = '' WHERE id = 2"},
		"a link written anew":     {"DROP TRIGGER chain_kept", "UPDATE chain SET person = 'other', hash = '" + anew.sum() + "' WHERE id = 1"},
		"a gap":                   {"DROP TRIGGER chain_stay", "DELETE FROM chain WHERE id = 2"},
		"a number left out":       {"DROP TRIGGER chain_kept", "UPDATE chain SET id = 9 WHERE id = 3"},
		"a cut-off end":           {"DROP TRIGGER chain_stay", "DELETE FROM chain WHERE id = 3"},
		"another beginning":       {"DROP TRIGGER chain_stay", "DELETE FROM chain WHERE id < 3"},
		"a changed entry":         {"DROP TRIGGER entries_kept", "UPDATE entries SET quantity = 8 WHERE id = 1"},
		"an entry gone":           {"DROP TRIGGER entries_stay", "DELETE FROM entries WHERE id = 2"},
		"an entry more":           {"PRAGMA foreign_keys = OFF", "INSERT INTO entries (count_id, pos, sheet_id, slot, round, quantity, counted_at, counter, person, at) VALUES (1, 9, 1, '', 1, 1, 1, '', '', 1)"},
	} {
		s := opened(t)
		require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
		for n := range int64(3) {
			require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
				var covers []Covered
				if n == 1 {
					require.NoError(
						t,
						Batch(tx, []Entry{{CountID: 1, Pos: 1, Round: 1, Quantity: 5}, {CountID: 1, Pos: 2, Round: 1, Quantity: 6}}),
					)
					c, err := Cover(tx, "entries", 1, 2)
					require.NoError(t, err)
					covers = append(covers, c)
				}
				return Record(tx, n, "p", "w", fmt.Sprintf(`{"n":%d}`, n), covers...)
			}))
		}
		for _, q := range do {
			require.NoError(t, s.write.Exec(q).Error, q)
		}
		p, err := s.VerifyChain(ctx)
		require.NoError(t, err)
		assert.Equal(t, what == "nothing", p.Broken == 0, what)
		assert.Equal(t, what == "nothing", p.Text == "", what)
	}
}

// A kept file is proved on its way out: one that was changed never ends as if it were whole.
func TestKeptFilesAreProved(t *testing.T) {
	s := opened(t)
	text := strings.Repeat("a line of a file\n", 9999)
	sha, size, err := s.Keep(strings.NewReader(text))
	require.NoError(t, err)
	all := func() (string, error) {
		k, err := s.Kept(sha)
		require.NoError(t, err)
		defer k.Close()
		assert.Equal(t, size, k.Size())
		b, err := io.ReadAll(k)
		return string(b), err
	}
	got, err := all()
	require.NoError(t, err)
	assert.Equal(t, text, got)
	name := s.keptName(sha)
	info, err := os.Stat(name)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, os.WriteFile(name, []byte(strings.Replace(text, "file", "fill", 1)), 0o600))
	got, err = all()
	assert.ErrorIs(t, err, ErrChanged)
	assert.Less(t, len(got), len(text))
	_, _, err = s.Keep(strings.NewReader(text))
	require.NoError(t, err)
	_, err = all()
	assert.NoError(t, err, "keeping it again puts it right")
	_, err = s.Kept(strings.Repeat("0", 64))
	assert.ErrorIs(t, err, fs.ErrNotExist)
}

// What a kill leaves is swept; nothing that stays is for others to read.
func TestStartSweeps(t *testing.T) {
	s := opened(t)
	require.NoError(t, s.Write(context.Background(), func(tx *gorm.DB) error {
		require.NoError(t, tx.Create(&Warehouse{ID: 1, Code: "W"}).Error)
		return tx.Create(&Count{ID: 4, State: Freezing, WarehouseID: 1}).Error
	}))
	require.NoError(t, s.Close())
	for _, n := range []string{"incoming/upload-1", "backups/.part-7-x.db", "backups/.part-7-x.db-journal", ".restore.db"} {
		require.NoError(t, os.WriteFile(filepath.Join(s.Dir, n), []byte("x"), 0o600))
	}
	again, err := Open(s.Dir)
	require.NoError(t, err)
	defer again.Close()
	_, err = again.Backup(context.Background(), "by-hand")
	require.NoError(t, err)
	var n int
	require.NoError(t, again.read.Raw("SELECT count(*) FROM counts").Scan(&n).Error)
	assert.Zero(t, n)
	require.NoError(t, filepath.WalkDir(s.Dir, func(path string, e fs.DirEntry, err error) error {
		require.NoError(t, err)
		if e.IsDir() {
			return nil
		}
		info, err := e.Info()
		require.NoError(t, err)
		assert.Equal(t, fs.FileMode(0o600), info.Mode().Perm(), path)
		assert.NotContains(t, path, "part")
		assert.NotContains(t, path, "upload-")
		assert.NotContains(t, path, ".restore")
		return nil
	}))
}

// A disk that is full says so, and what was published afterwards waits for the disk again.
func TestFullDisk(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	var pages int64
	require.NoError(t, s.write.Raw("PRAGMA page_count").Scan(&pages).Error)
	require.NoError(t, s.LimitPages(ctx, pages))
	lines := make([]StockLine, 5000)
	for i := range lines {
		lines[i] = StockLine{Pos: int64(i), RecordID: strings.Repeat("x", 50)}
	}
	var full *DiskError
	err := s.WriteStockLines(ctx, 1, lines)
	require.ErrorAs(t, err, &full)
	assert.True(t, full.Full)
	assert.Contains(t, err.Error(), "Make room")
	err = s.Write(ctx, func(tx *gorm.DB) error { return Batch(tx, make([]CountMove, 1)) })
	require.NoError(t, err, "what fits goes on")
	var mode int
	require.NoError(t, s.write.Raw("PRAGMA synchronous").Scan(&mode).Error)
	assert.Equal(t, 2, mode)
	require.NoError(t, s.LimitPages(ctx, 1<<30))
	require.NoError(t, s.WriteStockLines(ctx, 1, lines))
	gone, cancel := context.WithCancel(ctx)
	cancel()
	assert.Error(t, s.WriteStockLines(gone, 2, lines))
	require.NoError(t, s.write.Raw("PRAGMA synchronous").Scan(&mode).Error)
	assert.Equal(t, 2, mode)
	assert.True(t, errors.Is(InWords(fmt.Errorf("x: %w", os.NewSyscallError("write", fs.ErrPermission))), fs.ErrPermission))
}

// Old sets go but for the ten before the one in force, and those that running counts were frozen from.
func TestOldSetsGo(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	const sets = 20
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
		for n := int64(1); n <= sets; n++ {
			require.NoError(t, tx.Create(&StockSet{ID: n, WarehouseID: 1, PreviousID: n - 1, Published: true}).Error)
		}
		require.NoError(t, tx.Create(&Warehouse{ID: 1, Code: "W", SetID: sets}).Error)
		require.NoError(t, tx.Create(&Count{ID: 1, WarehouseID: 1, State: Running, SetID: 3}).Error)
		return tx.Create(&Count{ID: 2, WarehouseID: 1, State: Finished, SetID: 4}).Error
	}))
	for n := int64(1); n <= sets; n++ {
		require.NoError(t, s.WriteStockLines(ctx, n, []StockLine{{Pos: 0}, {Pos: 1}}))
	}
	require.NoError(t, s.PruneSets(ctx))
	var left, lines []int64
	require.NoError(t, s.Read(ctx).Raw("SELECT id FROM stock_sets ORDER BY id").Scan(&left).Error)
	require.NoError(t, s.Read(ctx).Raw("SELECT DISTINCT set_id FROM stock_lines ORDER BY 1").Scan(&lines).Error)
	assert.Equal(t, []int64{3, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20}, left)
	assert.Equal(t, left, lines)
}
