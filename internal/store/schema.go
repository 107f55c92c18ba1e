package store

import (
	"strconv"
	"strings"

	"gorm.io/gorm"
)

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
-- publishes it by pointing the warehouse to it. pos is the line's position in natural order.
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
`, `
-- What identifies a database of this program, beside its schema.
PRAGMA application_id = 2003788649;
ALTER TABLE requests ADD COLUMN operation TEXT NOT NULL DEFAULT '';
ALTER TABLE requests ADD COLUMN person_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE requests ADD COLUMN hash TEXT NOT NULL DEFAULT '';
DELETE FROM sessions; -- tokens are kept hashed from here on

-- An entry belongs to a slot: a round of a line, and of it the row of its own sheet (parcel 0) or one of those that were
-- added by hand. An entry replaces the one that stood in its slot; the first of a slot replaces none. So each entry is
-- replaced once at most, and a slot has one standing entry: the one that none replaces.
ALTER TABLE entries ADD COLUMN parcel INTEGER NOT NULL DEFAULT 0;
ALTER TABLE entries ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;
ALTER TABLE entries ADD COLUMN undoes INTEGER NOT NULL DEFAULT 0;
ALTER TABLE returns ADD COLUMN state TEXT NOT NULL DEFAULT 'taken in';
ALTER TABLE returns ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;
ALTER TABLE returns ADD COLUMN undone_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE returns ADD COLUMN undone_by TEXT NOT NULL DEFAULT '';
ALTER TABLE returns ADD COLUMN first_entry INTEGER NOT NULL DEFAULT 0;
ALTER TABLE returns ADD COLUMN last_entry INTEGER NOT NULL DEFAULT 0;
UPDATE returns SET first_entry = coalesce((SELECT min(id) FROM entries WHERE return_id = returns.id), 0), last_entry = coalesce((SELECT max(id) FROM entries WHERE return_id = returns.id), 0);

ALTER TABLE counts ADD COLUMN set_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE counts ADD COLUMN post_tolerated INTEGER NOT NULL DEFAULT 0;
ALTER TABLE counts ADD COLUMN tolerances TEXT NOT NULL DEFAULT '';
ALTER TABLE counts ADD COLUMN stale INTEGER NOT NULL DEFAULT 0; -- its lines are to be worked out again before anything else
UPDATE counts SET stale = 1, set_id = coalesce((SELECT set_id FROM warehouses w WHERE w.id = counts.warehouse_id), 0);
ALTER TABLE sheets ADD COLUMN first INTEGER NOT NULL DEFAULT 0; -- the line of its first row; its rows follow one another
UPDATE sheets SET first = coalesce((SELECT min(pos) FROM count_lines l WHERE l.count_id = sheets.count_id AND l.sheet_id = sheets.id AND l.row_code <> ''), 0);

ALTER TABLE count_lines ADD COLUMN postings INTEGER NOT NULL DEFAULT 0;
ALTER TABLE count_lines ADD COLUMN sent INTEGER NOT NULL DEFAULT 0;
ALTER TABLE count_lines ADD COLUMN sent_value INTEGER NOT NULL DEFAULT 0;
ALTER TABLE count_lines ADD COLUMN rest INTEGER NOT NULL DEFAULT 0;
ALTER TABLE count_lines ADD COLUMN rest_value INTEGER;
ALTER TABLE count_lines ADD COLUMN queue INTEGER NOT NULL DEFAULT 0;
ALTER TABLE count_lines ADD COLUMN zeroed INTEGER NOT NULL DEFAULT 0;
UPDATE count_lines SET postings = 1, sent = p.variance, sent_value = coalesce(p.value, 0) FROM posting_lines p WHERE p.posting_id = count_lines.posting_id AND p.pos = count_lines.pos;
DROP INDEX count_lines_stake;
DROP INDEX count_lines_sheet; -- the rows of a sheet follow one another; those that were found are found by this
CREATE INDEX count_lines_found ON count_lines (count_id, sheet_id, bin_id) WHERE has_row = 0;
DROP INDEX count_lines_item; -- where an item lies is known from the frozen set; what was found beside, by this
CREATE INDEX count_lines_found_item ON count_lines (count_id, item_id) WHERE has_row = 0;
CREATE INDEX count_lines_stake ON count_lines (count_id, stake DESC, pos) WHERE stake > 0;
CREATE INDEX count_lines_queue ON count_lines (count_id, queue, stake DESC, pos) WHERE queue > 0;
CREATE INDEX count_lines_uncounted ON count_lines (count_id, pos) WHERE entries = 0;
CREATE INDEX count_lines_counted ON count_lines (count_id, pos) WHERE entries > 0;
CREATE INDEX count_lines_posting ON count_lines (posting_id) WHERE posting_id > 0;

-- The movements of a count's lines since its freeze, found their lines once.
CREATE TABLE count_moves (
	count_id INTEGER NOT NULL, pos INTEGER NOT NULL, at INTEGER NOT NULL, movement_id INTEGER NOT NULL, quantity INTEGER NOT NULL, PRIMARY KEY (count_id, pos, at, movement_id)
) WITHOUT ROWID;
CREATE INDEX count_moves_at ON count_moves (count_id, at);
CREATE INDEX count_moves_movement ON count_moves (movement_id);
CREATE INDEX movements_key ON movements (item_id, bin_id);

-- What a count knows of its items, as at the freeze.
CREATE TABLE count_items (count_id INTEGER NOT NULL, item_id INTEGER NOT NULL, category TEXT NOT NULL, class TEXT NOT NULL, PRIMARY KEY (count_id, item_id)) WITHOUT ROWID;
INSERT INTO count_items SELECT DISTINCT l.count_id, l.item_id, i.category, i.class FROM count_lines l JOIN items i ON i.id = l.item_id;
-- The cost that all rows of an item in the set have in common.
ALTER TABLE set_items ADD COLUMN cost INTEGER;
UPDATE set_items SET cost = x.cost FROM (SELECT set_id, item_id, min(cost) AS cost FROM stock_lines GROUP BY set_id, item_id HAVING count(*) = count(cost) AND min(cost) = max(cost)) x WHERE x.set_id = set_items.set_id AND x.item_id = set_items.item_id;

-- Tallies of the lines of a count: by bin, and by what its report is divided by. They are kept, not counted again.
DROP TABLE count_bins;
CREATE TABLE count_tallies (
	count_id INTEGER NOT NULL, part TEXT NOT NULL, name NOT NULL, sheet_id INTEGER NOT NULL DEFAULT 0, zone TEXT NOT NULL DEFAULT '', -- of a bin
	lines INTEGER NOT NULL, recorded_lines INTEGER NOT NULL, recorded_counted INTEGER NOT NULL, counted INTEGER NOT NULL,
	matched INTEGER NOT NULL, tolerated INTEGER NOT NULL, over INTEGER NOT NULL, short INTEGER NOT NULL, found INTEGER NOT NULL, unvalued INTEGER NOT NULL,
	over_value INTEGER NOT NULL, short_value INTEGER NOT NULL, gross_value INTEGER NOT NULL,
	open INTEGER NOT NULL, open_over INTEGER NOT NULL, open_short INTEGER NOT NULL, open_gross INTEGER NOT NULL,
	accepted INTEGER NOT NULL, held INTEGER NOT NULL, zeroed INTEGER NOT NULL, posted INTEGER NOT NULL,
	accepted_over INTEGER NOT NULL, accepted_short INTEGER NOT NULL, accepted_gross INTEGER NOT NULL,
	PRIMARY KEY (count_id, part, name)
) WITHOUT ROWID;
CREATE TABLE posting_reasons (
	posting_id INTEGER NOT NULL REFERENCES postings(id), reason TEXT NOT NULL, lines INTEGER NOT NULL, over INTEGER NOT NULL, short INTEGER NOT NULL, gross INTEGER NOT NULL,
	PRIMARY KEY (posting_id, reason)
) WITHOUT ROWID;
INSERT INTO posting_reasons SELECT posting_id, CASE WHEN reason IN ('over', 'short', 'found') THEN '' ELSE reason END, count(*), coalesce(sum(CASE WHEN variance > 0 THEN value END), 0), coalesce(sum(CASE WHEN variance < 0 THEN value END), 0), coalesce(sum(abs(value)), 0) FROM posting_lines GROUP BY 1, 2;
CREATE INDEX decisions_line ON decisions (count_id, pos);
ALTER TABLE decisions ADD COLUMN quantity INTEGER; -- what it was about; none in decisions of before
`, `
ALTER TABLE sheets ADD COLUMN empty INTEGER NOT NULL DEFAULT 0; -- rows for each bin to fill in, where nothing is recorded
`, `
ALTER TABLE sheets ADD COLUMN seconds INTEGER NOT NULL DEFAULT 0; -- what it is expected to take
ALTER TABLE warehouses ADD COLUMN walk TEXT NOT NULL DEFAULT '';
-- The bins of a sheet in which nothing is recorded: somebody must look.
CREATE TABLE empty_bins (
	count_id INTEGER NOT NULL REFERENCES counts(id), sheet_id INTEGER NOT NULL REFERENCES sheets(id), after INTEGER NOT NULL, place INTEGER NOT NULL,
	bin_id INTEGER NOT NULL REFERENCES bins(id), PRIMARY KEY (count_id, sheet_id, place)
) WITHOUT ROWID;
INSERT INTO empty_bins SELECT s.count_id, s.id, 0, row_number() OVER (PARTITION BY s.id ORDER BY b.sort_key), b.id
	FROM sheets s JOIN counts c ON c.id = s.count_id JOIN bins b ON b.warehouse_id = c.warehouse_id AND b.zone = s.zone
	JOIN bins f ON f.warehouse_id = c.warehouse_id AND f.code = s.first_bin JOIN bins l ON l.warehouse_id = c.warehouse_id AND l.code = s.last_bin
	WHERE s.empty > 0 AND b.sort_key >= f.sort_key AND b.sort_key <= l.sort_key;
-- Scopes of counts that were kept with a name.
CREATE TABLE scopes (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, body TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL
);
-- The cut-off of a count: what was on its way when it was frozen. A later version of an entry replaces it; one that is withdrawn says so.
CREATE TABLE cut_offs (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), what TEXT NOT NULL, reference TEXT NOT NULL, item_id INTEGER NOT NULL DEFAULT 0,
	bin_id INTEGER NOT NULL DEFAULT 0, quantity INTEGER, note TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL, replaces INTEGER NOT NULL DEFAULT 0,
	withdrawn INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX cut_offs_count ON cut_offs (count_id);
CREATE TRIGGER cut_offs_kept BEFORE UPDATE ON cut_offs BEGIN SELECT RAISE(ABORT, 'the cut-off is never changed'); END;
`, `
ALTER TABLE warehouses ADD COLUMN rotation TEXT NOT NULL DEFAULT ''; -- how often lines are counted a year, and on which days
ALTER TABLE sheets ADD COLUMN coded INTEGER NOT NULL DEFAULT 0; -- rows that its row codes stand for, where it was longer once
ALTER TABLE sheets ADD COLUMN due INTEGER NOT NULL DEFAULT 0; -- when it is to be back
-- A count may be of two rounds by different people that must agree; each has sheets of its own over the same lines.
ALTER TABLE counts ADD COLUMN rounds INTEGER NOT NULL DEFAULT 1;
ALTER TABLE sheets ADD COLUMN round INTEGER NOT NULL DEFAULT 1;
ALTER TABLE count_lines ADD COLUMN second INTEGER NOT NULL DEFAULT 0; -- worked out: how many of its entries are of the second round
ALTER TABLE count_lines ADD COLUMN pending INTEGER NOT NULL DEFAULT 0; -- worked out: 1 one round has no count yet, 2 the rounds differ
CREATE INDEX count_lines_pending ON count_lines (count_id, pending, pos) WHERE pending > 0;
ALTER TABLE sheets ADD COLUMN checked_by TEXT NOT NULL DEFAULT ''; -- who typed it a second time and found the same
ALTER TABLE sheets ADD COLUMN checked_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE entries ADD COLUMN since INTEGER NOT NULL DEFAULT 0; -- where it was counted some time between this and counted_at
ALTER TABLE counts ADD COLUMN together TEXT NOT NULL DEFAULT ''; -- the name that counts of several warehouses stand under
-- What was counted beside the scope of a count is no find where it was recorded when the count was frozen: it is held against that.
ALTER TABLE count_lines ADD COLUMN beside INTEGER NOT NULL DEFAULT 0;
UPDATE count_lines SET beside = 1, recorded = s.quantity, record_id = s.record_id, cost = s.cost
	FROM counts c, set_bins b, stock_lines s WHERE c.id = count_lines.count_id AND c.state = 'running' AND count_lines.has_row = 0
	AND b.set_id = c.set_id AND b.bin_id = count_lines.bin_id AND s.set_id = b.set_id AND s.pos >= b.first AND s.pos < b.first + b.lines
	AND s.item_id = count_lines.item_id AND s.lot = count_lines.lot AND s.serial = count_lines.serial AND s.holding = count_lines.holding;
UPDATE counts SET stale = 1 WHERE id IN (SELECT count_id FROM count_lines WHERE beside = 1);
-- What came back and could not be taken as a count waits here until somebody says what it is. Nothing is ever deleted.
CREATE TABLE doubts (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), return_id INTEGER NOT NULL DEFAULT 0, sheet_id INTEGER NOT NULL DEFAULT 0,
	file_row INTEGER NOT NULL DEFAULT 0, kind TEXT NOT NULL, wrong TEXT NOT NULL, written TEXT NOT NULL, cells TEXT NOT NULL,
	person TEXT NOT NULL, at INTEGER NOT NULL, state TEXT NOT NULL DEFAULT 'waits', word TEXT NOT NULL DEFAULT '',
	settled_by TEXT NOT NULL DEFAULT '', settled_at INTEGER NOT NULL DEFAULT 0, pos INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX doubts_count ON doubts (count_id, state, id);
CREATE TRIGGER doubts_stay BEFORE DELETE ON doubts BEGIN SELECT RAISE(ABORT, 'what is in doubt is never deleted'); END;
`, `
ALTER TABLE count_lines ADD COLUMN frozen INTEGER NOT NULL DEFAULT 0; -- the moment of a later freeze; 0: that of the count
ALTER TABLE sheets ADD COLUMN let INTEGER NOT NULL DEFAULT 0; -- let go: the lines that it had then
UPDATE sheets SET let = (SELECT count(*) FROM count_lines l WHERE l.count_id = sheets.count_id AND l.sheet_id = sheets.id
	AND l.pos >= sheets.first AND l.pos < sheets.first + sheets.coded) WHERE state = 'let go';
CREATE INDEX count_lines_frozen ON count_lines (count_id, frozen, pos) WHERE frozen > 0;
ALTER TABLE count_moves ADD COLUMN as_at INTEGER NOT NULL DEFAULT 0; -- when it happened for this line, where that was settled; 0: as booked
CREATE INDEX count_moves_as_at ON count_moves (count_id, pos) WHERE as_at <> 0;
CREATE TABLE causes_accepted (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL, pos INTEGER NOT NULL, other INTEGER NOT NULL DEFAULT 0, warehouse_id INTEGER NOT NULL,
	cause TEXT NOT NULL, grade TEXT NOT NULL, bin_id INTEGER NOT NULL, item_id INTEGER NOT NULL, counter TEXT NOT NULL DEFAULT '',
	quantity INTEGER NOT NULL, evidence TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE INDEX causes_accepted_house ON causes_accepted (warehouse_id, count_id);
CREATE TRIGGER causes_accepted_kept BEFORE UPDATE ON causes_accepted BEGIN SELECT RAISE(ABORT, 'what was accepted is never changed'); END;
CREATE TRIGGER causes_accepted_stay BEFORE DELETE ON causes_accepted BEGIN SELECT RAISE(ABORT, 'what was accepted is never deleted'); END;
CREATE TABLE notes (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL, pos INTEGER NOT NULL, text TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE INDEX notes_line ON notes (count_id, pos);
CREATE TRIGGER notes_kept BEFORE UPDATE ON notes BEGIN SELECT RAISE(ABORT, 'notes are never changed'); END;
CREATE TRIGGER notes_stay BEFORE DELETE ON notes BEGIN SELECT RAISE(ABORT, 'notes are never deleted'); END;
ALTER TABLE sheets ADD COLUMN picked TEXT NOT NULL DEFAULT ''; -- JSON: of a recount, the positions of its rows, in order
ALTER TABLE sheets ADD COLUMN why TEXT NOT NULL DEFAULT ''; -- of a recount: why somebody counts again who counted first
ALTER TABLE reasons ADD COLUMN sign TEXT NOT NULL DEFAULT ''; -- over or short: what it explains; empty: both
UPDATE reasons SET sign = 'short' WHERE code IN ('LOSS', 'DAMAGE');
-- What a queue holds is summed up from the index alone.
DROP INDEX count_lines_queue;
CREATE INDEX count_lines_queue ON count_lines (count_id, queue, stake DESC, pos, rest_value) WHERE queue > 0;
-- Lines that were counted three times may be disputed, which decides where they stand in the queue.
UPDATE counts SET stale = 1 WHERE state = 'running' AND id IN (SELECT count_id FROM entries WHERE round > 2);
INSERT OR IGNORE INTO reasons (code, name) VALUES ('TRANSFER', 'Lay in another place'), ('MIXUP', 'Taken for another item or lot');
`, `
-- Which round of a line stands where it was counted in several: '' the last, agree, choose.
ALTER TABLE counts ADD COLUMN stands TEXT NOT NULL DEFAULT '';
CREATE TABLE round_choices (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL, pos INTEGER NOT NULL, round INTEGER NOT NULL, -- 0: no round is chosen any more
	last INTEGER NOT NULL, -- the last round that the line had then; the choice ends where a later one comes
	person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE INDEX round_choices_line ON round_choices (count_id, pos, id);
CREATE TRIGGER round_choices_kept BEFORE UPDATE ON round_choices BEGIN SELECT RAISE(ABORT, 'choices are never changed'); END;
CREATE TRIGGER round_choices_stay BEFORE DELETE ON round_choices BEGIN SELECT RAISE(ABORT, 'choices are never deleted'); END;
ALTER TABLE decisions ADD COLUMN rule TEXT NOT NULL DEFAULT ''; -- the rule that decided; '' for a person
CREATE INDEX decisions_rule ON decisions (rule) WHERE rule <> '';
CREATE INDEX count_lines_queue_place ON count_lines (count_id, queue, pos) WHERE queue > 0;
CREATE TABLE decision_rules (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, body TEXT NOT NULL, -- JSON: what it says, as ruling.Rule
	person TEXT NOT NULL, at INTEGER NOT NULL, is_on INTEGER NOT NULL DEFAULT 0, on_by TEXT NOT NULL DEFAULT '', on_at INTEGER NOT NULL DEFAULT 0
);
-- People: the owner adds others by invitations, each for one use; who is suspended is not let in.
ALTER TABLE people ADD COLUMN owner INTEGER NOT NULL DEFAULT 0;
ALTER TABLE people ADD COLUMN suspended INTEGER NOT NULL DEFAULT 0;
UPDATE people SET owner = 1 WHERE id = (SELECT min(id) FROM people WHERE role = 'controller');
CREATE TABLE invitations (
	id INTEGER PRIMARY KEY, hash TEXT NOT NULL UNIQUE, -- the SHA-256 of its code
	name TEXT NOT NULL, role TEXT NOT NULL, person_id INTEGER NOT NULL DEFAULT 0, -- of whoever is to take a new password; 0 for somebody new
	by_person TEXT NOT NULL, at INTEGER NOT NULL, until INTEGER NOT NULL, used_at INTEGER NOT NULL DEFAULT 0, gone_at INTEGER NOT NULL DEFAULT 0
);
ALTER TABLE sessions ADD COLUMN person_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN began INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN agent TEXT NOT NULL DEFAULT '';
DELETE FROM sessions; -- of before nobody knows whose they are
CREATE TABLE out_layouts (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, body TEXT NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL
);
-- What else is said of a posting, and its files in their order; the first is that of postings.
CREATE TABLE posting_facts (
	posting_id INTEGER PRIMARY KEY REFERENCES postings(id), kind TEXT NOT NULL, -- '' what was accepted, reversal, missing
	of INTEGER NOT NULL, -- the posting that it takes back; 0 for none
	layout TEXT NOT NULL, body TEXT NOT NULL, -- JSON: the layout as it was
	on_day INTEGER NOT NULL, reference TEXT NOT NULL, reasons TEXT NOT NULL, -- JSON: those that went out; '' all
	set_id INTEGER NOT NULL, -- the recorded stock that was in force then
	agreed_by TEXT NOT NULL, agreed_at INTEGER NOT NULL
);
CREATE TRIGGER posting_facts_kept BEFORE UPDATE ON posting_facts BEGIN SELECT RAISE(ABORT, 'postings are never changed'); END;
CREATE TRIGGER posting_facts_stay BEFORE DELETE ON posting_facts BEGIN SELECT RAISE(ABORT, 'postings are never deleted'); END;
CREATE TABLE posting_files (
	posting_id INTEGER NOT NULL REFERENCES postings(id), n INTEGER NOT NULL, file_sha TEXT NOT NULL REFERENCES files(sha), file_name TEXT NOT NULL,
	lines INTEGER NOT NULL, size INTEGER NOT NULL, PRIMARY KEY (posting_id, n)
) WITHOUT ROWID;
CREATE TRIGGER posting_files_kept BEFORE UPDATE ON posting_files BEGIN SELECT RAISE(ABORT, 'postings are never changed'); END;
CREATE TRIGGER posting_files_stay BEFORE DELETE ON posting_files BEGIN SELECT RAISE(ABORT, 'postings are never deleted'); END;
-- A posting that somebody else has to agree to before it goes out.
CREATE TABLE approvals (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL REFERENCES counts(id), person TEXT NOT NULL, person_id INTEGER NOT NULL, at INTEGER NOT NULL,
	body TEXT NOT NULL, lines INTEGER NOT NULL, gross INTEGER NOT NULL, sha TEXT NOT NULL, word TEXT NOT NULL DEFAULT '',
	state TEXT NOT NULL DEFAULT 'waits', settled_by TEXT NOT NULL DEFAULT '', settled_at INTEGER NOT NULL DEFAULT 0, answer TEXT NOT NULL DEFAULT '',
	posting INTEGER NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX approvals_wait ON approvals (count_id) WHERE state = 'waits';
CREATE TRIGGER approvals_stay BEFORE DELETE ON approvals BEGIN SELECT RAISE(ABORT, 'approvals are never deleted'); END;
-- Where the files of postings were written to, and what came of it.
CREATE TABLE deliveries (
	id INTEGER PRIMARY KEY, posting_id INTEGER NOT NULL REFERENCES postings(id), at INTEGER NOT NULL, folder TEXT NOT NULL, wrong TEXT NOT NULL -- '' written
);
CREATE INDEX deliveries_posting ON deliveries (posting_id, id);
CREATE TABLE evidence (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL, pos INTEGER NOT NULL, file_sha TEXT NOT NULL, file_name TEXT NOT NULL, sort TEXT NOT NULL,
	size INTEGER NOT NULL, person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE INDEX evidence_line ON evidence (count_id, pos);
CREATE INDEX evidence_file ON evidence (file_sha);
CREATE TRIGGER evidence_kept BEFORE UPDATE ON evidence BEGIN SELECT RAISE(ABORT, 'evidence is never changed'); END;
CREATE TRIGGER evidence_stay BEFORE DELETE ON evidence BEGIN SELECT RAISE(ABORT, 'evidence is never deleted'); END;
`, `
-- Items by their words: kept by triggers, whoever writes them.
CREATE VIRTUAL TABLE item_words USING fts5(sku, description, further_sku, barcode, barcodes, category, attributes,
	content = 'items', content_rowid = 'id', tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3');
INSERT INTO item_words (rowid, sku, description, further_sku, barcode, barcodes, category, attributes)
	SELECT id, sku, description, further_sku, barcode, barcodes, category, attributes FROM items;
CREATE TRIGGER items_words_made AFTER INSERT ON items BEGIN
	INSERT INTO item_words (rowid, sku, description, further_sku, barcode, barcodes, category, attributes)
		VALUES (new.id, new.sku, new.description, new.further_sku, new.barcode, new.barcodes, new.category, new.attributes);
END;
CREATE TRIGGER items_words_gone AFTER DELETE ON items BEGIN
	INSERT INTO item_words (item_words, rowid, sku, description, further_sku, barcode, barcodes, category, attributes)
		VALUES ('delete', old.id, old.sku, old.description, old.further_sku, old.barcode, old.barcodes, old.category, old.attributes);
END;
CREATE TRIGGER items_words_changed AFTER UPDATE ON items BEGIN
	INSERT INTO item_words (item_words, rowid, sku, description, further_sku, barcode, barcodes, category, attributes)
		VALUES ('delete', old.id, old.sku, old.description, old.further_sku, old.barcode, old.barcodes, old.category, old.attributes);
	INSERT INTO item_words (rowid, sku, description, further_sku, barcode, barcodes, category, attributes)
		VALUES (new.id, new.sku, new.description, new.further_sku, new.barcode, new.barcodes, new.category, new.attributes);
END;
-- Files that were dropped and are not taken in. They are no records: what they hold stands nowhere until it is taken in.
CREATE TABLE drafts (
	id TEXT PRIMARY KEY, person_id INTEGER NOT NULL, name TEXT NOT NULL, size INTEGER NOT NULL, file TEXT NOT NULL, -- in incoming
	choices TEXT NOT NULL, history TEXT NOT NULL, -- JSON: what was settled, and what before each answer
	kind TEXT NOT NULL, word TEXT NOT NULL, -- what it comes to, as it was looked at last
	at INTEGER NOT NULL, used INTEGER NOT NULL
) WITHOUT ROWID;
`, `
-- Numbers of sets and movements are never given twice, whatever was undone: counts and postings refer to them.
CREATE TABLE stock_sets_numbered (
	id INTEGER PRIMARY KEY AUTOINCREMENT, warehouse_id INTEGER NOT NULL, intake_id INTEGER NOT NULL DEFAULT 0, previous_id INTEGER NOT NULL,
	recorded_at INTEGER NOT NULL, lines INTEGER NOT NULL DEFAULT 0, value INTEGER NOT NULL DEFAULT 0, unvalued INTEGER NOT NULL DEFAULT 0,
	published INTEGER NOT NULL DEFAULT 0
);
INSERT INTO stock_sets_numbered (id, warehouse_id, intake_id, previous_id, recorded_at, lines, value, unvalued, published)
	SELECT id, warehouse_id, intake_id, previous_id, recorded_at, lines, value, unvalued, published FROM stock_sets;
DROP TABLE stock_sets;
ALTER TABLE stock_sets_numbered RENAME TO stock_sets;
INSERT INTO sqlite_sequence (name, seq) SELECT 'stock_sets', 0 WHERE NOT EXISTS (SELECT 1 FROM sqlite_sequence WHERE name = 'stock_sets');
UPDATE sqlite_sequence SET seq = max(seq, coalesce((SELECT max(set_id) FROM counts), 0), coalesce((SELECT max(set_id) FROM posting_facts), 0))
	WHERE name = 'stock_sets';
CREATE TABLE movements_numbered (
	id INTEGER PRIMARY KEY AUTOINCREMENT, intake_id INTEGER NOT NULL REFERENCES intakes(id), warehouse_id INTEGER NOT NULL, bin_id INTEGER NOT NULL DEFAULT 0,
	item_id INTEGER NOT NULL, lot TEXT NOT NULL, serial TEXT NOT NULL, holding TEXT NOT NULL, quantity INTEGER NOT NULL, at INTEGER NOT NULL, reference TEXT NOT NULL
);
INSERT INTO movements_numbered (id, intake_id, warehouse_id, bin_id, item_id, lot, serial, holding, quantity, at, reference)
	SELECT id, intake_id, warehouse_id, bin_id, item_id, lot, serial, holding, quantity, at, reference FROM movements;
DROP TABLE movements;
ALTER TABLE movements_numbered RENAME TO movements;
INSERT INTO sqlite_sequence (name, seq) SELECT 'movements', 0 WHERE NOT EXISTS (SELECT 1 FROM sqlite_sequence WHERE name = 'movements');
UPDATE sqlite_sequence SET seq = max(seq, coalesce((SELECT max(movement_id) FROM count_moves), 0)) WHERE name = 'movements';
CREATE INDEX movements_at ON movements (warehouse_id, at);
CREATE INDEX movements_intake ON movements (intake_id);
CREATE INDEX movements_key ON movements (item_id, bin_id);
-- Which files say that a movement happened: it stands as long as one of them does. movements.intake_id is one of them.
CREATE TABLE movement_sources (
	intake_id INTEGER NOT NULL REFERENCES intakes(id), movement_id INTEGER NOT NULL, PRIMARY KEY (intake_id, movement_id)
) WITHOUT ROWID;
INSERT INTO movement_sources SELECT intake_id, id FROM movements;
CREATE INDEX movement_sources_movement ON movement_sources (movement_id);
CREATE INDEX posting_facts_of ON posting_facts (of);
-- Serials are one piece each; few counts have any.
CREATE INDEX count_lines_serial ON count_lines (count_id, pos) WHERE serial <> '';
-- What other counts sent out of the lines of a count since its stock was recorded, and whether the records had it already.
CREATE TABLE count_elsewhere (
	count_id INTEGER NOT NULL, pos INTEGER NOT NULL, posting_id INTEGER NOT NULL, quantity INTEGER NOT NULL, PRIMARY KEY (count_id, pos, posting_id)
) WITHOUT ROWID;
CREATE INDEX count_elsewhere_posting ON count_elsewhere (count_id, posting_id);
CREATE TABLE elsewhere_answers (
	id INTEGER PRIMARY KEY, count_id INTEGER NOT NULL, posting_id INTEGER NOT NULL, answer TEXT NOT NULL, -- had, takes
	person TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE INDEX elsewhere_answers_posting ON elsewhere_answers (count_id, posting_id, id);
CREATE TRIGGER elsewhere_answers_kept BEFORE UPDATE ON elsewhere_answers BEGIN SELECT RAISE(ABORT, 'answers are never changed'); END;
CREATE TRIGGER elsewhere_answers_stay BEFORE DELETE ON elsewhere_answers BEGIN SELECT RAISE(ABORT, 'answers are never deleted'); END;
`, `
-- Invitations are their maker's by number: people may have one name.
ALTER TABLE invitations ADD COLUMN by_person_id INTEGER NOT NULL DEFAULT 0; -- 0: made on the command line, or before this
UPDATE invitations SET by_person_id = (SELECT id FROM people WHERE name = by_person)
	WHERE (SELECT count(*) FROM people WHERE name = by_person) = 1;
UPDATE invitations SET gone_at = at WHERE by_person_id = 0 AND by_person <> 'console' AND used_at = 0; -- nobody knows whose they are
`, `
ALTER TABLE warehouses ADD COLUMN crew TEXT NOT NULL DEFAULT ''; -- who counts there, JSON
-- Lines that bring no unit cost have their item's: cost_of says whose it is (stock.CostSource).
ALTER TABLE count_lines ADD COLUMN cost_of INTEGER NOT NULL DEFAULT 0; -- 0 the line's own, or none; 1 its item's; 2 of other rows; 3 by hand
UPDATE items SET cost = NULL WHERE intake_id IN (SELECT id FROM intakes WHERE kind = 'stock') AND id NOT IN (SELECT item_id FROM item_before);
UPDATE count_lines SET cost_of = 2 WHERE has_row = 0 AND beside = 0 AND cost IS NOT NULL;
UPDATE counts SET stale = 1 WHERE state = 'running' AND id IN (SELECT l.count_id FROM count_lines l JOIN items i ON i.id = l.item_id
	WHERE l.cost IS NULL AND l.postings = 0 AND i.cost IS NOT NULL);
UPDATE count_lines SET cost = i.cost, cost_of = 1 FROM items i, counts c WHERE i.id = count_lines.item_id AND c.id = count_lines.count_id
	AND c.state = 'running' AND count_lines.cost IS NULL AND count_lines.postings = 0 AND i.cost IS NOT NULL;
`}

// after holds what a migration does beside its statements, by its number, in the same transaction.
var after = map[int]func(tx *gorm.DB) error{3: giveParcels, 12: RevalueAll}

// giveParcels finds the slots of entries that were written when a slot was a text. Where a slot of before had several
// standing entries, which was a fault, each gets a parcel of its own: no figure changes by itself, and all of them can be
// seen and withdrawn.
func giveParcels(tx *gorm.DB) error {
	var entries []struct {
		ID, CountID, Pos, Round, Replaces int64
		Slot                              string
	}
	if err := tx.Raw("SELECT id, count_id, pos, round, replaces, slot FROM entries ORDER BY id").Scan(&entries).Error; err != nil {
		return err
	}
	type slot struct{ count, pos, round, parcel int64 }
	stands := map[slot]int64{} // the entry that stands in it
	of := map[int64]slot{}     // by entry
	if err := tx.Exec("DROP TRIGGER entries_kept").Error; err != nil {
		return err
	}
	for _, e := range entries {
		s := slot{e.CountID, e.Pos, e.Round, parcelOf(e.Slot)}
		if before, ok := of[e.Replaces]; ok {
			s = before
		}
		for next := s; ; next.parcel += 1 << 40 {
			if standing, taken := stands[next]; !taken || standing == e.Replaces {
				s = next
				break
			}
		}
		stands[s], of[e.ID] = e.ID, s
		if s.parcel != 0 {
			if err := tx.Exec("UPDATE entries SET parcel = ? WHERE id = ?", s.parcel, e.ID).Error; err != nil {
				return err
			}
		}
	}
	for _, q := range []string{
		"CREATE TRIGGER entries_kept BEFORE UPDATE ON entries BEGIN SELECT RAISE(ABORT, 'entries are never changed'); END",
		"DROP INDEX entries_line", "DROP INDEX entries_slot",
		"CREATE UNIQUE INDEX entries_standing ON entries (count_id, pos, round, parcel, replaces)",
		"CREATE INDEX entries_by_hand ON entries (count_id, sheet_id, pos) WHERE parcel <> 0 AND sheet_id <> 0",
		`CREATE TRIGGER entries_follow BEFORE INSERT ON entries WHEN NEW.replaces <> 0 AND NOT EXISTS (SELECT 1 FROM entries o
			WHERE o.id = NEW.replaces AND o.count_id = NEW.count_id AND o.pos = NEW.pos AND o.round = NEW.round AND o.parcel = NEW.parcel)
			BEGIN SELECT RAISE(ABORT, 'an entry replaces one of its own slot'); END`,
	} {
		if err := tx.Exec(q).Error; err != nil {
			return err
		}
	}
	return nil
}

// parcelOf reads the parcel from a slot of before: a row code, or S, the sheet's number, the key, and the how-manieth row
// of that key, apart by |.
func parcelOf(slot string) int64 {
	sheet, rest, byHand := strings.Cut(strings.TrimPrefix(slot, "S"), "|")
	if !byHand || !strings.HasPrefix(slot, "S") {
		return 0
	}
	n, err := strconv.ParseInt(sheet, 10, 64)
	nth, err2 := strconv.ParseInt(rest[strings.LastIndexByte(rest, '|')+1:], 10, 64)
	if err != nil || err2 != nil {
		return 1
	}
	return Parcel(n, nth)
}

// Parcel is the slot of the nth row of a key that was added by hand to the sheet with a number; nth counts from 1. The row
// of a line's own sheet is parcel 0.
func Parcel(sheet, nth int64) int64 { return sheet<<20 | nth }
