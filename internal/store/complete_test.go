package store

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// unreleased is what folders lacked of their version while its migration was being written, or had otherwise: the steps
// that lead back from the version as it was released.
var unreleased = func() map[string]unreleasedState {
	sheets := []string{"DROP INDEX count_lines_pending", "ALTER TABLE count_lines DROP COLUMN second", "ALTER TABLE count_lines DROP COLUMN pending",
		"ALTER TABLE counts DROP COLUMN rounds", "ALTER TABLE sheets DROP COLUMN round"}
	checks := []string{"ALTER TABLE sheets DROP COLUMN checked_by", "ALTER TABLE sheets DROP COLUMN checked_at"}
	beside := []string{"ALTER TABLE count_lines DROP COLUMN beside"}
	together := []string{"ALTER TABLE counts DROP COLUMN together"}
	since := []string{"ALTER TABLE entries DROP COLUMN since"}
	coded := []string{"ALTER TABLE sheets DROP COLUMN coded", "ALTER TABLE sheets DROP COLUMN due"}
	found := []string{"DROP INDEX count_lines_found", "DROP INDEX count_lines_found_item",
		"CREATE INDEX count_lines_item ON count_lines (count_id, item_id)", "CREATE INDEX count_lines_sheet ON count_lines (count_id, sheet_id)"}
	counted := []string{"DROP INDEX count_lines_counted", "DROP INDEX count_lines_uncounted"}
	queue := []string{"DROP INDEX count_lines_queue",
		"CREATE INDEX count_lines_queue ON count_lines (count_id, queue, stake DESC, pos) WHERE queue > 0"}
	asAt, notes := []string{"DROP INDEX count_moves_as_at"}, []string{"DROP TABLE notes"}
	recounts := []string{"ALTER TABLE sheets DROP COLUMN picked", "ALTER TABLE sheets DROP COLUMN why"}
	accepted := []string{"DROP TABLE causes_accepted", "ALTER TABLE count_moves DROP COLUMN as_at", "ALTER TABLE reasons DROP COLUMN sign"}
	owners := []string{"DROP TABLE invitations", "ALTER TABLE people DROP COLUMN owner", "ALTER TABLE people DROP COLUMN suspended",
		"ALTER TABLE sessions DROP COLUMN person_id", "ALTER TABLE sessions DROP COLUMN began", "ALTER TABLE sessions DROP COLUMN agent"}
	postings := []string{"DROP TABLE approvals", "DROP TABLE deliveries", "DROP TABLE out_layouts", "DROP TABLE posting_facts", "DROP TABLE posting_files"}
	all := func(version int, parts ...[]string) (s unreleasedState) {
		s.version = version
		for _, p := range parts {
			s.steps = append(s.steps, p...)
		}
		return s
	}
	return map[string]unreleasedState{
		"tallies without zone and sheet":   all(3, counted, found, []string{"ALTER TABLE count_tallies DROP COLUMN sheet_id", "ALTER TABLE count_tallies DROP COLUMN zone"}),
		"tallies without zone":             all(3, counted, found, []string{"ALTER TABLE count_tallies DROP COLUMN zone"}),
		"found lines by item":              all(3, found),
		"no tray":                          all(6, sheets, checks, beside, together, since, coded, []string{"DROP TABLE doubts"}),
		"no sheets cut anew":               all(6, sheets, checks, beside, together, since, coded),
		"no counted from":                  all(6, sheets, checks, beside, together, since),
		"no counts together":               all(6, sheets, checks, beside, together),
		"nothing beside the scope":         all(6, sheets, checks, beside),
		"no second typing":                 all(6, sheets, checks),
		"no rounds":                        all(6, sheets),
		"no causes":                        all(7, queue, asAt, notes, recounts, accepted),
		"no recounts":                      all(7, queue, asAt, notes, recounts),
		"no notes":                         all(7, queue, asAt, notes),
		"movements as booked":              all(7, queue, asAt),
		"an earlier queue":                 all(7, queue),
		"no people's rights, nor postings": all(8, owners, postings),
		"no people's rights":               all(8, owners),
		"postings not found by theirs":     all(10, []string{"DROP INDEX posting_facts_of"}),
	}
}()

type unreleasedState struct {
	version int
	steps   []string
}

// Folders of days on which a version was still being written open, keep every row, and have all of the version then.
func TestFoldersOfUnreleasedStatesAreCompleted(t *testing.T) {
	for name, u := range unreleased {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			rows := []string{
				"INSERT INTO people (id, name, sign_in, role, secret) VALUES (1, 'A', 'a', 'counter', 's'), (2, 'B', 'b', 'controller', 's')",
				"INSERT INTO bins (id, warehouse_id, code, sort_key) VALUES (1, 1, 'A', 'A')", "INSERT INTO items (id, sku, sort_key) VALUES (1, 'X', 'X')",
				`INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code)
					VALUES (1, 1, 1, 1, 'L', 'S', 'H', 'R', 1, 5, 1, 'W1S1R1')`,
				`INSERT INTO entries (id, count_id, pos, sheet_id, slot, round, quantity, counted_at, counter, person, at)
					VALUES (1, 1, 1, 1, 'W1S1R1', 1, 4, 20, 'b', 'p', 21)`,
			}
			dir := older(t, u.version, append(rows, u.steps...)...)
			before := rowsOf(t, dir)
			s, err := Open(dir)
			require.NoError(t, err)
			defer s.Close()
			is, err := partsIn(context.Background(), s.raw)
			require.NoError(t, err)
			want, err := partsOf(context.Background(), len(migrations))
			require.NoError(t, err)
			require.Len(t, is, len(want))
			for i := range want {
				assert.Equal(t, oneLine(want[i].text), oneLine(is[i].text))
			}
			after := rowsOf(t, dir)
			for table, n := range before {
				assert.Contains(t, after, table)
				if table != "reasons" { // the migrations add some
					assert.Equal(t, n, after[table], table)
				}
			}
			for q, want := range map[string]int64{
				"SELECT group_concat(id) FROM people WHERE owner = 1": 2, "SELECT stale FROM counts": 1, "SELECT quantity FROM entries": 4,
				"SELECT count(*) FROM reasons WHERE sign = 'short'": 2, "SELECT count(*) FROM reasons WHERE code = 'TRANSFER'": 1,
				"SELECT count(*) FROM pragma_foreign_key_check": 0, "PRAGMA foreign_keys": 1,
			} {
				lacked := strings.Join(u.steps, ";")
				if strings.Contains(q, "stale") && !strings.Contains(lacked, "TABLE count_lines") && !strings.Contains(lacked, "TABLE count_tallies") ||
					strings.Contains(q, "owner") && u.version > 8 {
					continue // nothing of it was lacking
				}
				var got int64
				require.NoError(t, s.raw.QueryRow(q).Scan(&got), q)
				assert.Equal(t, want, got, q)
			}
			assert.Error(t, s.write.Exec("UPDATE entries SET quantity = 5").Error, "the guards stand")
			backups, err := Backups(dir)
			require.NoError(t, err)
			assert.Len(t, backups, 1, "as it was before, once")
		})
	}
}

// rowsOf is how many rows each table has.
func rowsOf(t *testing.T, dir string) map[string]int {
	raw, err := sql.Open("sqlite3", fileURL(filepath.Join(dir, databaseName), nil))
	require.NoError(t, err)
	defer raw.Close()
	parts, err := partsIn(context.Background(), raw)
	require.NoError(t, err)
	counts := map[string]int{}
	for _, p := range parts {
		if p.sort == "table" && p.name != "sessions" {
			var n int
			require.NoError(t, raw.QueryRow(fmt.Sprintf("SELECT count(*) FROM %s", p.name)).Scan(&n))
			counts[p.name] = n
		}
	}
	return counts
}

// A column that no version knows is not thrown away unseen: the folder is left as it is.
func TestForeignColumnsAreRefused(t *testing.T) {
	dir := older(t, len(migrations), "ALTER TABLE counts ADD COLUMN their_own TEXT")
	_, err := Open(dir)
	assert.ErrorIs(t, err, ErrDamaged)
	assert.ErrorContains(t, err, "their_own")
	raw, err := sql.Open("sqlite3", fileURL(filepath.Join(dir, databaseName), nil))
	require.NoError(t, err)
	defer raw.Close()
	var n int
	require.NoError(t, raw.QueryRow("SELECT count(*) FROM pragma_table_info('counts') WHERE name = 'their_own'").Scan(&n))
	assert.Equal(t, 1, n)
}

// A table that is somebody else's is left alone, and is no reason to complete anything, start after start.
func TestForeignTablesAreLeftAlone(t *testing.T) {
	dir := older(t, len(migrations), "CREATE TABLE theirs (a)", "CREATE INDEX theirs_a ON theirs (a)", "INSERT INTO theirs VALUES (7)")
	for range 2 {
		s, err := Open(dir)
		require.NoError(t, err)
		require.NoError(t, s.Close())
	}
	assert.Equal(t, 1, rowsOf(t, dir)["theirs"])
	backups, err := Backups(dir)
	require.NoError(t, err)
	assert.Empty(t, backups)
}

// A new folder has what the migrations make, table by table and row by row.
func TestNewFoldersAreAsTheMigrationsMakeThem(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	s, err := Open(dir)
	require.NoError(t, err)
	defer s.Close()
	want := rowsOf(t, olderFolder(t, len(migrations)))
	want["warehouses"], want["counts"], want["sheets"] = 0, 0, 0 // what olderFolder lays into it
	want["chain"] = rowsOf(t, dir)["chain"]
	assert.Equal(t, want, rowsOf(t, dir))
	is, err := partsIn(context.Background(), s.raw)
	require.NoError(t, err)
	parts, err := partsOf(context.Background(), len(migrations))
	require.NoError(t, err)
	assert.Equal(t, parts, is)
	var version, id int
	require.NoError(t, s.raw.QueryRow("PRAGMA user_version").Scan(&version))
	require.NoError(t, s.raw.QueryRow("PRAGMA application_id").Scan(&id))
	assert.Equal(t, []int{len(migrations), applicationID}, []int{version, id})
	assert.NoFileExists(t, filepath.Join(dir, databaseName+".part"))
}
