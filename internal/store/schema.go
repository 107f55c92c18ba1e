package store

// migrations bring the schema from one version to the next; they are never changed once released. Quantities
// and costs are millionths, values hundredths, times Unix nanoseconds in UTC.
var migrations = []string{`
CREATE TABLE people (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, sign_in TEXT NOT NULL UNIQUE, role TEXT NOT NULL,
	secret TEXT NOT NULL, demo INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE sessions (token TEXT PRIMARY KEY, data BLOB NOT NULL, expiry INTEGER NOT NULL);
CREATE TABLE settings (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE chain (
	id INTEGER PRIMARY KEY, at INTEGER NOT NULL, person TEXT NOT NULL, what TEXT NOT NULL, detail TEXT NOT NULL,
	previous TEXT NOT NULL, hash TEXT NOT NULL
);
CREATE TABLE requests (key TEXT PRIMARY KEY, at INTEGER NOT NULL, answer TEXT NOT NULL);
CREATE TABLE files (sha TEXT PRIMARY KEY, size INTEGER NOT NULL, at INTEGER NOT NULL);

CREATE TABLE intakes (
	id INTEGER PRIMARY KEY, kind TEXT NOT NULL, state TEXT NOT NULL, file_sha TEXT NOT NULL REFERENCES files(sha), file_name TEXT NOT NULL,
	person TEXT NOT NULL, at INTEGER NOT NULL, recorded_at INTEGER NOT NULL DEFAULT 0,
	added INTEGER NOT NULL, changed INTEGER NOT NULL, unchanged INTEGER NOT NULL, gone INTEGER NOT NULL, refused INTEGER NOT NULL,
	backup TEXT NOT NULL DEFAULT '', undone_at INTEGER NOT NULL DEFAULT 0, undone_by TEXT NOT NULL DEFAULT ''
);
CREATE TABLE warehouses (
	id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, name TEXT NOT NULL DEFAULT '', set_id INTEGER NOT NULL DEFAULT 0,
	intake_id INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE bins (
	id INTEGER PRIMARY KEY, warehouse_id INTEGER NOT NULL REFERENCES warehouses(id), code TEXT NOT NULL, zone TEXT NOT NULL DEFAULT '',
	sort_key BLOB NOT NULL, intake_id INTEGER NOT NULL DEFAULT 0, UNIQUE (warehouse_id, code)
);
CREATE TABLE items (
	id INTEGER PRIMARY KEY, sku TEXT NOT NULL UNIQUE, sort_key BLOB NOT NULL, description TEXT NOT NULL DEFAULT '', unit TEXT NOT NULL DEFAULT '',
	cost INTEGER, category TEXT NOT NULL DEFAULT '', class TEXT NOT NULL DEFAULT '', nature TEXT NOT NULL DEFAULT 'stocked',
	active INTEGER NOT NULL DEFAULT 1, barcode TEXT NOT NULL DEFAULT '', record_id TEXT NOT NULL DEFAULT '', intake_id INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE item_before (intake_id INTEGER NOT NULL REFERENCES intakes(id), item_id INTEGER NOT NULL, was TEXT NOT NULL, PRIMARY KEY (intake_id, item_id)) WITHOUT ROWID;

-- The recorded stock of a warehouse is a set of lines that is never changed: an intake writes a new set and
-- publishes it by pointing the warehouse to it. pos is the line's place in natural order.
CREATE TABLE stock_sets (
	id INTEGER PRIMARY KEY, warehouse_id INTEGER NOT NULL, intake_id INTEGER NOT NULL DEFAULT 0, previous_id INTEGER NOT NULL,
	recorded_at INTEGER NOT NULL, lines INTEGER NOT NULL DEFAULT 0, value INTEGER NOT NULL DEFAULT 0, unvalued INTEGER NOT NULL DEFAULT 0,
	published INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE stock_lines (
	set_id INTEGER NOT NULL, pos INTEGER NOT NULL, bin_id INTEGER NOT NULL, item_id INTEGER NOT NULL,
	lot TEXT NOT NULL, serial TEXT NOT NULL, holding TEXT NOT NULL, record_id TEXT NOT NULL,
	quantity INTEGER NOT NULL, reserved INTEGER, cost INTEGER, PRIMARY KEY (set_id, pos)
) WITHOUT ROWID;
CREATE TABLE set_bins (
	set_id INTEGER NOT NULL, bin_id INTEGER NOT NULL, first INTEGER NOT NULL, lines INTEGER NOT NULL, value INTEGER NOT NULL, PRIMARY KEY (set_id, bin_id)
) WITHOUT ROWID;
CREATE TABLE set_items (
	set_id INTEGER NOT NULL, item_id INTEGER NOT NULL, lines INTEGER NOT NULL, quantity INTEGER NOT NULL, reserved INTEGER, value INTEGER, PRIMARY KEY (set_id, item_id)
) WITHOUT ROWID;
CREATE TABLE movements (
	id INTEGER PRIMARY KEY, intake_id INTEGER NOT NULL REFERENCES intakes(id), warehouse_id INTEGER NOT NULL, bin_id INTEGER NOT NULL DEFAULT 0, item_id INTEGER NOT NULL,
	lot TEXT NOT NULL, serial TEXT NOT NULL, holding TEXT NOT NULL, quantity INTEGER NOT NULL, at INTEGER NOT NULL, reference TEXT NOT NULL
);
CREATE INDEX movements_at ON movements (warehouse_id, at);
CREATE INDEX movements_intake ON movements (intake_id);

CREATE TABLE counts (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, warehouse_id INTEGER NOT NULL REFERENCES warehouses(id), state TEXT NOT NULL,
	blind INTEGER NOT NULL, frozen_at INTEGER NOT NULL, recorded_at INTEGER NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL,
	tolerance_quantity INTEGER, tolerance_percent INTEGER, tolerance_value INTEGER, scope TEXT NOT NULL, left_out TEXT NOT NULL,
	latest INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE sheets (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), number INTEGER NOT NULL, code TEXT NOT NULL, zone TEXT NOT NULL,
	first_bin TEXT NOT NULL, last_bin TEXT NOT NULL, lines INTEGER NOT NULL, counted INTEGER NOT NULL DEFAULT 0, state TEXT NOT NULL DEFAULT 'with us',
	out_at INTEGER NOT NULL DEFAULT 0, back_at INTEGER NOT NULL DEFAULT 0, counter TEXT NOT NULL DEFAULT '', revisions INTEGER NOT NULL DEFAULT 0,
	UNIQUE (count_id, number)
);
-- Frozen lines. What stands behind "worked out" follows from entries, movements and decisions, and is written
-- again whenever one of them comes.
CREATE TABLE count_lines (
	count_id INTEGER NOT NULL, pos INTEGER NOT NULL, bin_id INTEGER NOT NULL, item_id INTEGER NOT NULL,
	lot TEXT NOT NULL, serial TEXT NOT NULL, holding TEXT NOT NULL, record_id TEXT NOT NULL, has_row INTEGER NOT NULL,
	recorded INTEGER NOT NULL, cost INTEGER, sheet_id INTEGER NOT NULL, row_code TEXT NOT NULL,
	-- worked out:
	entries INTEGER NOT NULL DEFAULT 0, moved INTEGER NOT NULL DEFAULT 0, expected INTEGER NOT NULL DEFAULT 0, counted INTEGER NOT NULL DEFAULT 0,
	variance INTEGER NOT NULL DEFAULT 0, value INTEGER, status TEXT NOT NULL DEFAULT 'uncounted', meanwhile INTEGER NOT NULL DEFAULT 0,
	counted_at INTEGER NOT NULL DEFAULT 0, counter TEXT NOT NULL DEFAULT '', stake INTEGER NOT NULL DEFAULT 0,
	decision TEXT NOT NULL DEFAULT '', reason TEXT NOT NULL DEFAULT '', posting_id INTEGER NOT NULL DEFAULT 0,
	PRIMARY KEY (count_id, pos)
) WITHOUT ROWID;
CREATE INDEX count_lines_stake ON count_lines (count_id, stake DESC, pos) WHERE stake > 0;
CREATE INDEX count_lines_bin ON count_lines (count_id, bin_id);
CREATE INDEX count_lines_sheet ON count_lines (count_id, sheet_id);
CREATE INDEX count_lines_item ON count_lines (count_id, item_id);
CREATE TABLE count_bins (
	count_id INTEGER NOT NULL, bin_id INTEGER NOT NULL, sheet_id INTEGER NOT NULL,
	lines INTEGER NOT NULL DEFAULT 0, recorded_lines INTEGER NOT NULL DEFAULT 0, recorded_counted INTEGER NOT NULL DEFAULT 0, counted INTEGER NOT NULL DEFAULT 0,
	matched INTEGER NOT NULL DEFAULT 0, tolerated INTEGER NOT NULL DEFAULT 0, over INTEGER NOT NULL DEFAULT 0, short INTEGER NOT NULL DEFAULT 0, found INTEGER NOT NULL DEFAULT 0,
	unvalued INTEGER NOT NULL DEFAULT 0, over_value INTEGER NOT NULL DEFAULT 0, short_value INTEGER NOT NULL DEFAULT 0, gross_value INTEGER NOT NULL DEFAULT 0,
	open INTEGER NOT NULL DEFAULT 0, open_over INTEGER NOT NULL DEFAULT 0, open_short INTEGER NOT NULL DEFAULT 0, open_gross INTEGER NOT NULL DEFAULT 0,
	accepted INTEGER NOT NULL DEFAULT 0, held INTEGER NOT NULL DEFAULT 0, posted INTEGER NOT NULL DEFAULT 0,
	PRIMARY KEY (count_id, bin_id)
) WITHOUT ROWID;
CREATE TABLE returns (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), file_sha TEXT NOT NULL REFERENCES files(sha), file_name TEXT NOT NULL,
	person TEXT NOT NULL, at INTEGER NOT NULL, added INTEGER NOT NULL, revised INTEGER NOT NULL, unchanged INTEGER NOT NULL, empty INTEGER NOT NULL
);
CREATE TABLE entries (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), pos INTEGER NOT NULL, sheet_id INTEGER NOT NULL, slot TEXT NOT NULL,
	round INTEGER NOT NULL, quantity INTEGER NOT NULL, counted_at INTEGER NOT NULL, counter TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL,
	replaces INTEGER NOT NULL DEFAULT 0, return_id INTEGER NOT NULL DEFAULT 0, file_row INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX entries_line ON entries (count_id, pos);
CREATE INDEX entries_slot ON entries (count_id, slot);
CREATE TABLE decisions (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), pos INTEGER NOT NULL, kind TEXT NOT NULL, reason TEXT NOT NULL,
	person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE TABLE reasons (code TEXT PRIMARY KEY, name TEXT NOT NULL, account TEXT NOT NULL DEFAULT '');
CREATE TABLE postings (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), number INTEGER NOT NULL, mode TEXT NOT NULL, file_sha TEXT NOT NULL REFERENCES files(sha),
	file_name TEXT NOT NULL, lines INTEGER NOT NULL, over INTEGER NOT NULL, short INTEGER NOT NULL, gross INTEGER NOT NULL, unvalued INTEGER NOT NULL,
	person TEXT NOT NULL, at INTEGER NOT NULL, UNIQUE (count_id, number)
);
CREATE TABLE posting_lines (
	posting_id INTEGER NOT NULL REFERENCES postings(id), pos INTEGER NOT NULL, variance INTEGER NOT NULL, value INTEGER, reason TEXT NOT NULL, PRIMARY KEY (posting_id, pos)
) WITHOUT ROWID;

-- What is appended is never changed.
CREATE TRIGGER entries_kept BEFORE UPDATE ON entries BEGIN SELECT RAISE(ABORT, 'entries are never changed'); END;
CREATE TRIGGER entries_stay BEFORE DELETE ON entries BEGIN SELECT RAISE(ABORT, 'entries are never deleted'); END;
CREATE TRIGGER decisions_kept BEFORE UPDATE ON decisions BEGIN SELECT RAISE(ABORT, 'decisions are never changed'); END;
CREATE TRIGGER decisions_stay BEFORE DELETE ON decisions BEGIN SELECT RAISE(ABORT, 'decisions are never deleted'); END;
CREATE TRIGGER postings_kept BEFORE UPDATE ON postings BEGIN SELECT RAISE(ABORT, 'postings are never changed'); END;
CREATE TRIGGER postings_stay BEFORE DELETE ON postings BEGIN SELECT RAISE(ABORT, 'postings are never deleted'); END;
CREATE TRIGGER posting_lines_kept BEFORE UPDATE ON posting_lines BEGIN SELECT RAISE(ABORT, 'postings are never changed'); END;
CREATE TRIGGER posting_lines_stay BEFORE DELETE ON posting_lines BEGIN SELECT RAISE(ABORT, 'postings are never deleted'); END;
CREATE TRIGGER chain_kept BEFORE UPDATE ON chain BEGIN SELECT RAISE(ABORT, 'the record is never changed'); END;
CREATE TRIGGER chain_stay BEFORE DELETE ON chain BEGIN SELECT RAISE(ABORT, 'the record is never deleted'); END;
INSERT INTO reasons (code, name, account) VALUES
	('MISCOUNT', 'Records were wrong', ''), ('DAMAGE', 'Damaged or spoilt', ''), ('LOSS', 'Lost or stolen', ''),
	('MISPICK', 'Picked from the wrong place', ''), ('UNBOOKED', 'Document not booked', ''), ('OPENING', 'Opening balance', '');
`, `
ALTER TABLE items ADD COLUMN further_sku TEXT NOT NULL DEFAULT '';
ALTER TABLE items ADD COLUMN tracking TEXT NOT NULL DEFAULT '';
ALTER TABLE items ADD COLUMN parent TEXT NOT NULL DEFAULT '';
ALTER TABLE items ADD COLUMN packs TEXT NOT NULL DEFAULT '';
ALTER TABLE items ADD COLUMN barcodes TEXT NOT NULL DEFAULT '';
ALTER TABLE items ADD COLUMN attributes TEXT NOT NULL DEFAULT '';
ALTER TABLE stock_lines ADD COLUMN attributes TEXT NOT NULL DEFAULT '';
ALTER TABLE count_lines ADD COLUMN attributes TEXT NOT NULL DEFAULT '';
ALTER TABLE counts ADD COLUMN columns TEXT NOT NULL DEFAULT '';
ALTER TABLE intakes ADD COLUMN parts TEXT NOT NULL DEFAULT '';
-- A warehouse or bin as it was before an intake changed it.
CREATE TABLE place_before (
	intake_id INTEGER NOT NULL REFERENCES intakes(id), sort TEXT NOT NULL, place_id INTEGER NOT NULL, was TEXT NOT NULL, PRIMARY KEY (intake_id, sort, place_id)
) WITHOUT ROWID;
CREATE TABLE layouts (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL, body TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL,
	used_at INTEGER NOT NULL DEFAULT 0
);
`}
