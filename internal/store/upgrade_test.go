package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// older makes a folder of an earlier schema with some rows more.
func older(t *testing.T, version int, rows ...string) string {
	t.Helper()
	dir := olderFolder(t, version)
	raw, err := sql.Open("sqlite3", fileURL(filepath.Join(dir, databaseName), nil))
	require.NoError(t, err)
	defer raw.Close()
	for _, q := range rows {
		_, err := raw.Exec(q)
		require.NoError(t, err, q)
	}
	return dir
}

// What an upgrade writes about rows of before is proved statement by statement: what it makes of them, not only that it runs.
func TestWhatUpgradesMakeOfRowsOfBefore(t *testing.T) {
	type seen struct {
		query string
		want  any
	}
	for name, c := range map[string]struct {
		version int
		rows    []string
		seen    []seen
	}{
		"returns know their entries": {1, []string{
			"INSERT INTO returns (id, count_id, file_sha, file_name, person, at, added, revised, unchanged, empty) VALUES (1, 1, 'aa', 'f', 'p', 1, 2, 0, 0, 0)",
			"INSERT INTO entries (id, count_id, pos, sheet_id, slot, round, quantity, counted_at, counter, person, at, return_id) VALUES (20, 1, 2, 1, 'W1S1R2?', 1, 4, 20, 'b', 'p', 21, 1), (21, 1, 1, 1, 'S1|W|A|Z||||1', 1, 4, 20, 'b', 'p', 21, 1)",
		}, []seen{
			{"SELECT first_entry FROM returns", int64(20)}, {"SELECT last_entry FROM returns", int64(21)},
			{"SELECT state FROM returns", "taken in"},
		}},
		"what went out is summed by reason": {1, []string{
			"INSERT INTO postings VALUES (2, 1, 2, 'difference', 'aa', 'g', 2, 0, 0, 0, 0, 'p', 31)",
			"INSERT INTO posting_lines VALUES (2, 2, 1000000, 300, 'over'), (2, 3, -1000000, -100, 'short')",
		}, []seen{
			{"SELECT group_concat(reason || ':' || lines || ':' || over || ':' || short || ':' || gross) FROM posting_reasons WHERE posting_id = 2", ":2:300:-100:400"},
			{"SELECT group_concat(reason || ':' || lines || ':' || short) FROM posting_reasons WHERE posting_id = 1", "LOSS:1:-700"},
		}},
		"a count knows its items, and its set": {1, nil, []seen{
			{"SELECT group_concat(item_id || category) FROM (SELECT * FROM count_items ORDER BY item_id)", "1Ropes,2"},
			{"SELECT set_id FROM counts", int64(1)},
		}},
		"sessions of before are ended": {1, []string{"INSERT INTO sessions (token, data, expiry) VALUES ('t', 'x', 9999999999999999999)"}, []seen{
			{"SELECT count(*) FROM sessions", int64(0)},
		}},
		"sheets have the bins that somebody must look into": {4, []string{
			"INSERT INTO bins (id, warehouse_id, code, zone, sort_key) VALUES (1, 1, 'A', '', 'A'), (2, 1, 'AB', '', 'AB'), (3, 1, 'B', '', 'B'), (4, 1, 'C', '', 'C')",
			"UPDATE sheets SET empty = 2",
		}, []seen{
			{"SELECT group_concat(bin_id || '@' || place) FROM (SELECT * FROM empty_bins ORDER BY place)", "1@1,2@2,3@3"},
		}},
		"sheets that were let go know their lines, and losses are short": {6, []string{
			"INSERT INTO bins (id, warehouse_id, code, sort_key) VALUES (1, 1, 'A', 'A')", "INSERT INTO items (id, sku, sort_key) VALUES (1, 'X', 'X')",
			"UPDATE sheets SET state = 'let go', first = 1, coded = 2, lines = 0",
			"INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code) VALUES (1, 1, 1, 1, '', '', '', '', 0, 5, 1, ''), (1, 2, 1, 1, 'L', '', '', '', 0, 5, 1, '')",
			"INSERT INTO entries (id, count_id, pos, sheet_id, slot, round, quantity, counted_at, counter, person, at) VALUES (1, 1, 1, 1, '', 3, 4, 20, 'b', 'p', 21)",
		}, []seen{
			{"SELECT let FROM sheets", int64(2)}, {"SELECT sign FROM reasons WHERE code = 'LOSS'", "short"}, {"SELECT sign FROM reasons WHERE code = 'DAMAGE'", "short"},
			{"SELECT sign FROM reasons WHERE code = 'MISCOUNT'", ""}, {"SELECT stale FROM counts", int64(1)},
			{"SELECT count(*) FROM reasons WHERE code IN ('TRANSFER', 'MIXUP')", int64(2)},
		}},
		"somebody owns the folder": {7, []string{
			"INSERT INTO people (id, name, sign_in, role, secret) VALUES (1, 'A', 'a', 'counter', 's'), (2, 'B', 'b', 'controller', 's'), (3, 'C', 'c', 'controller', 's')",
			"INSERT INTO sessions (token, data, expiry) VALUES ('t', 'x', 9999999999999999999)",
		}, []seen{
			{"SELECT group_concat(id) FROM people WHERE owner = 1", "2"}, {"SELECT count(*) FROM people WHERE suspended = 1", int64(0)},
			{"SELECT count(*) FROM sessions", int64(0)},
		}},
		"items are found by their words": {8, []string{
			"INSERT INTO items (id, sku, sort_key, description) VALUES (1, 'X-1', 'X', 'Bow shackle')",
		}, []seen{
			{"SELECT group_concat(rowid) FROM item_words WHERE item_words MATCH 'shackle'", "1"},
		}},
		"numbers of sets and movements go on": {9, []string{
			"INSERT INTO files VALUES ('aa', 1, 1)",
			"INSERT INTO intakes (id, kind, state, file_sha, file_name, person, at, added, changed, unchanged, gone, refused) VALUES (1, 'movements', 'taken in', 'aa', 'f', 'p', 1, 1, 0, 0, 0, 0)",
			"INSERT INTO movements (id, intake_id, warehouse_id, bin_id, item_id, lot, serial, holding, quantity, at, reference) VALUES (3, 1, 1, 1, 1, 'L', 'S', 'H', 5, 6, 'r')",
			"INSERT INTO count_moves (count_id, pos, at, movement_id, quantity) VALUES (1, 1, 6, 8, 5)", // of a count that is finished; the movement is undone
			"INSERT INTO stock_sets (id, warehouse_id, previous_id, recorded_at, lines, value, unvalued, published) VALUES (2, 1, 1, 10, 3, 4, 5, 1)",
			"UPDATE counts SET set_id = 7",
		}, []seen{
			{"SELECT id || intake_id || warehouse_id || bin_id || item_id || lot || serial || holding || quantity || at || reference FROM movements", "31111LSH56r"},
			{"SELECT id || warehouse_id || intake_id || previous_id || recorded_at || lines || value || unvalued || published FROM stock_sets", "2101103451"},
			{"SELECT intake_id || '>' || movement_id FROM movement_sources", "1>3"},
			{"SELECT seq FROM sqlite_sequence WHERE name = 'movements'", int64(8)}, {"SELECT seq FROM sqlite_sequence WHERE name = 'stock_sets'", int64(7)},
		}},
		"invitations are their maker's by number": {10, []string{
			"INSERT INTO people (id, name, sign_in, role, secret) VALUES (1, 'A', 'a', 'controller', 's'), (2, 'B', 'b', 'controller', 's'), (3, 'B', 'c', 'controller', 's')",
			"INSERT INTO invitations (id, hash, name, role, by_person, at, until) VALUES (1, 'h1', 'x', 'counter', 'A', 5, 9), (2, 'h2', 'x', 'counter', 'B', 5, 9), (3, 'h3', 'x', 'counter', 'console', 5, 9)",
		}, []seen{
			{"SELECT group_concat(by_person_id || ':' || gone_at) FROM (SELECT * FROM invitations ORDER BY id)", "1:0,0:5,0:0"},
		}},
		"lines that bring no cost have their item's": {11, []string{
			"INSERT INTO files VALUES ('aa', 1, 1)",
			"INSERT INTO intakes (id, kind, state, file_sha, file_name, person, at, added, changed, unchanged, gone, refused) VALUES (1, 'stock', 'taken in', 'aa', 'f', 'p', 1, 1, 0, 0, 0, 0), (2, 'items', 'taken in', 'aa', 'f', 'p', 1, 1, 0, 0, 0, 0)",
			// The cost of the second was a stock line's, that of the third a list gave over it.
			"INSERT INTO items (id, sku, sort_key, cost, intake_id) VALUES (1, 'X', 'X', 1500000, 2), (2, 'Y', 'Y', 7000000, 1), (3, 'Z', 'Z', 2000000, 1)",
			"INSERT INTO item_before (intake_id, item_id, was) VALUES (2, 3, '{}')",
			"INSERT INTO stock_lines (set_id, pos, bin_id, item_id, lot, serial, holding, record_id, quantity, cost) VALUES (1, 0, 1, 1, '', '', '', '', 4000000, NULL), (1, 1, 1, 2, '', '', '', '', 1000000, NULL), (1, 2, 1, 3, '', '', '', '', 1000000, 3000000)",
			"INSERT INTO stock_sets (id, warehouse_id, intake_id, previous_id, recorded_at, lines, value, unvalued, published) VALUES (1, 1, 1, 0, 1, 3, 300, 2, 1)",
			"INSERT INTO set_bins (set_id, bin_id, first, lines, value) VALUES (1, 1, 0, 3, 300)",
			"INSERT INTO set_items (set_id, item_id, quantity, lines, value) VALUES (1, 1, 4000000, 1, NULL), (1, 2, 1000000, 1, NULL), (1, 3, 1000000, 1, 300)",
			"UPDATE warehouses SET set_id = 1",
			"INSERT INTO count_lines (count_id, pos, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, cost, sheet_id, row_code) VALUES (1, 1, 1, 1, '', '', '', '', 1, 4000000, NULL, 1, ''), (1, 2, 1, 2, '', '', '', '', 1, 1000000, NULL, 1, ''), (1, 3, 1, 3, '', '', '', '', 0, 1000000, 3000000, 1, '')",
		}, []seen{
			{"SELECT group_concat(id || ':' || coalesce(cost, '')) FROM (SELECT * FROM items ORDER BY id)", "1:1500000,2:,3:2000000"},
			{"SELECT value || '/' || unvalued FROM stock_sets", "900/1"}, {"SELECT value FROM set_bins", int64(900)},
			{"SELECT group_concat(item_id || ':' || coalesce(value, '')) FROM set_items", "1:600,2:,3:300"},
			{"SELECT group_concat(pos || ':' || coalesce(cost, '') || ':' || cost_of) FROM (SELECT * FROM count_lines ORDER BY pos)", "1:1500000:1,2::0,3:3000000:2"},
			{"SELECT stale FROM counts", int64(1)},
		}},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := Open(older(t, c.version, c.rows...))
			require.NoError(t, err)
			defer s.Close()
			for _, x := range c.seen {
				var got any
				row := s.raw.QueryRowContext(context.Background(), x.query)
				require.NoError(t, row.Scan(&got), x.query)
				if b, is := got.([]byte); is {
					got = string(b)
				}
				assert.Equal(t, x.want, got, x.query)
			}
		})
	}
}

// What was released is never changed: a folder of any earlier state opens by the same statements. A new migration adds its hash.
func TestMigrationsAreFrozen(t *testing.T) {
	hashes := []string{}
	for _, m := range migrations {
		sum := sha256.Sum256([]byte(m))
		hashes = append(hashes, hex.EncodeToString(sum[:6]))
	}
	assert.Equal(t, []string{"25674ed286a7", "03ec9b8f9fa0", "e36a8230c751", "beadfc11ba6e", "d9a94afe06bc", "36b5ce1569aa", "4a95c346cc81",
		"07a265bfe676", "855b3c0e4542", "20fd02307918", "b6e3d79c8c7f", "c35377ebdd4a"}, hashes)
}
