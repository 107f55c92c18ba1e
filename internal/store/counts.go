package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"

	"wobin/internal/core/stock"
)

// withConn gives the connection of a transaction, or one for reading, for the driver's plain path.
func withConn(tx *gorm.DB, do func(c *sqlite3.SQLiteConn) error) error {
	switch pool := tx.Statement.ConnPool.(type) {
	case *sql.Conn:
		return onConn(pool, do)
	case *sql.DB:
		conn, err := pool.Conn(tx.Statement.Context)
		if err != nil {
			return err
		}
		defer conn.Close()
		return onConn(conn, do)
	default:
		return fmt.Errorf("no plain path to the database over %T", pool)
	}
}

// each runs a query on the driver's plain path and gives its rows, whose values are valid until take returns.
func each(ctx context.Context, c *sqlite3.SQLiteConn, query string, args []driver.Value, take func(v []driver.Value) error) error {
	rows, err := c.Query(query, args)
	if err != nil {
		return err
	}
	defer rows.Close()
	v := make([]driver.Value, len(rows.Columns()))
	for n := 0; ; n++ {
		if err := rows.Next(v); err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
		if n&0xfff == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		if err := take(v); err != nil {
			return err
		}
	}
}

// Each gives the rows of a query on the driver's plain path: as numbers, texts (as string), bytes or nil.
func Each(tx *gorm.DB, query string, args []driver.Value, take func(v []driver.Value) error) error {
	if pool, is := tx.Statement.ConnPool.(*sql.Tx); is { // a migration, which is outside of what a Write gives
		return eachOf(tx.Statement.Context, pool, query, args, take)
	}
	return withConn(tx, func(c *sqlite3.SQLiteConn) error { return each(tx.Statement.Context, c, query, args, take) })
}

// eachOf is each over a transaction of database/sql.
func eachOf(ctx context.Context, tx *sql.Tx, query string, args []driver.Value, take func(v []driver.Value) error) error {
	given := make([]any, len(args))
	for i := range args {
		given[i] = args[i]
	}
	rows, err := tx.QueryContext(ctx, query, given...)
	if err != nil {
		return err
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		return err
	}
	is, v, into := make([]any, len(columns)), make([]driver.Value, len(columns)), make([]any, len(columns))
	for i := range is {
		into[i] = &is[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		for i := range is {
			v[i] = is[i]
		}
		if err := take(v); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Positions picks lines of a count: those with a position from From up to and without To, or, with Some, these alone.
type Positions struct {
	From, To int64
	Some     []int64
}

// Most is how many lines they are at most.
func (p Positions) Most() int {
	if p.Some != nil {
		return len(p.Some)
	}
	return int(p.To - p.From)
}

// Has tells whether they are the line at a position. Some is in order.
func (p Positions) Has(pos int64) bool {
	if p.Some == nil {
		return pos >= p.From && pos < p.To
	}
	_, has := slices.BinarySearch(p.Some, pos)
	return has
}

// Near picks lines, or, where they are many and stand close, the stretch that they stand in. positions are in order.
func Near(positions []int64) Positions {
	if n := len(positions); n > 1000 && positions[n-1]-positions[0] < 4*int64(n) {
		return Positions{From: positions[0], To: positions[n-1] + 1}
	}
	return Positions{Some: positions}
}

// where gives the condition on a column of positions, and its values.
func (p Positions) where(column string) (string, []driver.Value, error) {
	if p.Some == nil {
		return column + " >= ? AND " + column + " < ?", []driver.Value{p.From, p.To}, nil
	}
	b, err := json.Marshal(p.Some)
	return column + " IN (SELECT value FROM json_each(?))", []driver.Value{string(b)}, err
}

// Frozen gives what was recorded of lines when their count was frozen, in the order of their positions.
func Frozen(tx *gorm.DB, count int64, p Positions, take func(pos, recorded int64)) error {
	where, args, err := p.where("pos")
	if err != nil {
		return err
	}
	return Each(
		tx,
		"SELECT pos, recorded FROM count_lines WHERE count_id = ? AND "+where+" ORDER BY pos",
		append([]driver.Value{count}, args...),
		func(v []driver.Value) error {
			take(v[0].(int64), v[1].(int64))
			return nil
		},
	)
}

// lineFixed are the columns of a line that are never worked out, but for its texts.
const lineFixed = "pos, bin_id, item_id, has_row, beside, recorded, frozen, cost, cost_of, sheet_id"

// worked are the columns that are worked out.
var worked = []string{
	"entries",
	"moved",
	"expected",
	"counted",
	"variance",
	"value",
	"status",
	"meanwhile",
	"counted_at",
	"counter",
	"stake",
	"decision",
	"reason",
	"posting_id",
	"postings",
	"sent",
	"sent_value",
	"rest",
	"rest_value",
	"queue",
	"zeroed",
}

// inRounds are further ones that only a count of two rounds has.
var inRounds = []string{"second", "pending"}

// EachCountLine gives lines of a count in the order of their positions, without the texts of their keys. Each is to be
// copied where it is kept: the next one comes in the same place.
func EachCountLine(tx *gorm.DB, count int64, p Positions, take func(l *CountLine) error) error {
	where, args, err := p.where("pos")
	if err != nil {
		return err
	}
	q := "SELECT " + lineFixed + ", " + strings.Join(
		worked,
		", ",
	) + ", second, pending FROM count_lines WHERE count_id = ? AND " + where + " ORDER BY pos"
	l := &CountLine{}
	return Each(tx, q, append([]driver.Value{count}, args...), func(v []driver.Value) error {
		r := reader{v: v}
		*l = CountLine{
			CountID:   count,
			Pos:       r.number(),
			BinID:     r.number(),
			ItemID:    r.number(),
			HasRow:    r.yes(),
			Beside:    r.yes(),
			Recorded:  r.number(),
			Frozen:    r.number(),
			Cost:      r.maybe(),
			CostOf:    stock.CostSource(r.number()),
			SheetID:   r.number(),
			Entries:   int(r.number()),
			Moved:     r.number(),
			Expected:  r.number(),
			Counted:   r.number(),
			Variance:  r.number(),
			Value:     r.maybe(),
			Status:    r.text(),
			Meanwhile: r.yes(),
			CountedAt: r.number(),
			Counter:   r.text(),
			Stake:     r.number(),
			Decision:  r.text(),
			Reason:    r.text(),
			PostingID: r.number(),
			Postings:  int(r.number()),
			Sent:      r.number(),
			SentValue: r.number(),
			Rest:      r.number(),
			RestValue: r.maybe(),
			Queue:     int(r.number()),
			Zeroed:    r.yes(),
			Second:    int(r.number()),
			Pending:   int(r.number()),
		}
		return take(l)
	})
}

// reader takes the values of a row one after the other.
type reader struct {
	v  []driver.Value
	at int
}

func (r *reader) next() driver.Value { r.at++; return r.v[r.at-1] }

func (r *reader) number() int64 {
	switch x := r.next().(type) {
	case int64:
		return x
	case bool:
		if x {
			return 1
		}
	}
	return 0
}

func (r *reader) yes() bool { return r.number() != 0 }

func (r *reader) maybe() *int64 {
	if x, ok := r.next().(int64); ok {
		return &x
	}
	return nil
}

func (r *reader) text() string {
	switch x := r.next().(type) {
	case string:
		return x
	case []byte:
		return string(x)
	}
	return ""
}

// set takes the values of a row that is bound, one after the other.
type binder struct {
	v  []driver.NamedValue
	at int
}

func (b *binder) put(values ...driver.Value) {
	for _, x := range values {
		b.v[b.at].Value = x
		b.at++
	}
}

func flag(is bool) int64 {
	if is {
		return 1
	}
	return 0
}

func quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

func marks(n int) string { return strings.Repeat(",?", n)[1:] }

// UpdateCountLines writes what was worked out about lines, many to a statement, within the transaction of a Write.
func UpdateCountLines(tx *gorm.DB, c *Count, lines []CountLine) error {
	columns := worked
	if c.Rounds == 2 {
		columns = append(slices.Clone(worked), inRounds...)
	}
	set := make([]string, len(columns))
	for i, c := range columns {
		set[i] = c + " = excluded." + c
	}
	t := table{
		head: "INSERT INTO count_lines (count_id, bin_id, item_id, lot, serial, holding, record_id, has_row, recorded, sheet_id, row_code, pos, " +
			strings.Join(
				columns,
				", ",
			) + ") VALUES ",
		row:   fmt.Sprintf("(%d,0,0,'','','','',0,0,0,'',%s)", c.ID, marks(1+len(columns))),
		tail:  " ON CONFLICT (count_id, pos) DO UPDATE SET " + strings.Join(set, ", "),
		width: 1 + len(columns),
	}
	return withConn(tx, func(conn *sqlite3.SQLiteConn) error {
		return inserted(tx.Statement.Context, conn, t, len(lines), func(i int, v []driver.NamedValue) {
			l, b := &lines[i], binder{v: v}
			b.put(l.Pos)
			l.bind(&b)
			if c.Rounds == 2 {
				b.put(int64(l.Second), int64(l.Pending))
			}
		})
	})
}

// SettleCountLines writes what is settled about lines and not worked out: whether they have a row on a sheet, count beside the
// updateRows writes what lines are, given as [position, has a row, beside, cost, where from, count]; the count stands in every row of the
// list for the reason that updateValues has.
const updateRows = `UPDATE count_lines SET has_row = j.value->>1, beside = j.value->>2, cost = j.value->>3, cost_of = j.value->>4 FROM json_each(?) j
	WHERE count_id = j.value->>5 AND pos = j.value->>0`

// count, and what they cost.
func SettleCountLines(tx *gorm.DB, count int64, lines []CountLine) error {
	rows := make([][6]any, len(lines))
	for i := range lines {
		l := &lines[i]
		rows[i] = [6]any{l.Pos, flag(l.HasRow), flag(l.Beside), l.Cost, l.CostOf, count}
	}
	b, err := json.Marshal(rows)
	if err != nil {
		return err
	}
	return tx.Exec(updateRows, string(b)).Error
}

// bind gives the worked-out values in the order of their columns.
func (l *CountLine) bind(b *binder) {
	b.put(
		int64(l.Entries),
		l.Moved,
		l.Expected,
		l.Counted,
		l.Variance,
		null(l.Value),
		l.Status,
		flag(l.Meanwhile),
		l.CountedAt,
		l.Counter,
		l.Stake,
		l.Decision,
		l.Reason,
		l.PostingID,
		int64(l.Postings),
		l.Sent,
		l.SentValue,
		l.Rest,
		null(l.RestValue),
		int64(l.Queue),
		flag(l.Zeroed),
	)
}

var frozenLines = "INSERT OR FAIL INTO count_lines (count_id, pos, bin_id, item_id, has_row, recorded, cost, cost_of, sheet_id, lot, serial, holding, record_id, attributes, row_code, expected, status) VALUES "

func frozenTable(count int64, texts bool, status string) table {
	more, width := ",'','','','',''", 8
	if texts {
		more, width = ",?,?,?,?,?", 13
	}
	return table{head: frozenLines, row: fmt.Sprintf("(%d,?,?,?,?,?,?,?,?%s,'',?,%s)", count, more, quoted(status)), width: width + 1}
}

func fillFrozen(lines []CountLine, texts bool) func(i int, v []driver.NamedValue) {
	return func(i int, v []driver.NamedValue) {
		l, b := &lines[i], binder{v: v}
		b.put(l.Pos, l.BinID, l.ItemID, flag(l.HasRow), l.Recorded, null(l.Cost), int64(l.CostOf), l.SheetID)
		if texts {
			b.put(l.Lot, l.Serial, l.Holding, l.RecordID, l.Attributes)
		}
		b.put(l.Recorded)
	}
}

func anyTexts(lines []CountLine) bool {
	for i := range lines {
		if l := &lines[i]; l.Lot != "" || l.Serial != "" || l.Holding != "" || l.RecordID != "" || l.Attributes != "" {
			return true
		}
	}
	return false
}

// WriteFrozen writes lines of a count that nobody sees yet, in a transaction of its own.
func (s *Store) WriteFrozen(ctx context.Context, count int64, lines []CountLine) error {
	texts := anyTexts(lines)
	return s.bulk(ctx, frozenTable(count, texts, "uncounted"), len(lines), fillFrozen(lines, texts))
}

// AddCountLines adds lines to a count, as found stock, within the transaction of a Write. They are gone until they are worked out.
func AddCountLines(tx *gorm.DB, count int64, lines []CountLine) error {
	texts := anyTexts(lines)
	err := withConn(tx, func(c *sqlite3.SQLiteConn) error {
		return inserted(tx.Statement.Context, c, frozenTable(count, texts, Gone), len(lines), fillFrozen(lines, texts))
	})
	if err != nil {
		return err
	}
	// Both are so seldom that the columns are not bound for every line.
	var beside []int64
	later := map[int64][]int64{}
	for i := range lines {
		l := &lines[i]
		if l.Beside {
			beside = append(beside, l.Pos)
		}
		if l.Frozen != 0 {
			later[l.Frozen] = append(later[l.Frozen], l.Pos)
		}
	}
	set := func(column string, value int64, positions []int64) error {
		b, err := json.Marshal(positions)
		if err != nil {
			return err
		}
		return tx.Exec("UPDATE count_lines SET "+column+" = ? WHERE count_id = ? AND pos IN (SELECT value FROM json_each(?))", value, count,
			string(b)).Error
	}
	for frozen, positions := range later {
		if err := set("frozen", frozen, positions); err != nil {
			return err
		}
	}
	if len(beside) == 0 {
		return nil
	}
	return set("beside", 1, beside)
}

// RecordedIn gives the lines of a set that lie in bins, bin by bin.
func RecordedIn(tx *gorm.DB, set int64, bins []int64, take func(l *StockLine) error) error {
	b, err := json.Marshal(bins)
	if err != nil {
		return err
	}
	return Each(tx, `SELECT s.pos, s.bin_id, s.item_id, s.quantity, s.cost, s.lot, s.serial, s.holding, s.record_id, s.attributes
		FROM json_each(?) k JOIN set_bins b ON b.set_id = ? AND b.bin_id = k.value
		CROSS JOIN stock_lines s ON s.set_id = b.set_id AND s.pos >= b.first AND s.pos < b.first + b.lines`, []driver.Value{string(b), set},
		func(v []driver.Value) error {
			r := reader{v: v}
			return take(
				&StockLine{
					SetID:      set,
					Pos:        r.number(),
					BinID:      r.number(),
					ItemID:     r.number(),
					Quantity:   r.number(),
					Cost:       r.maybe(),
					Lot:        r.text(),
					Serial:     r.text(),
					Holding:    r.text(),
					RecordID:   r.text(),
					Attributes: r.text(),
				},
			)
		})
}

// WriteCountItems writes what a count knows of its items, in a transaction of its own.
func (s *Store) WriteCountItems(ctx context.Context, items []CountItem) error {
	return s.bulk(
		ctx,
		table{head: "INSERT OR FAIL INTO count_items (count_id, item_id, category, class) VALUES ", row: "(?,?,?,?)", width: 4},
		len(items),
		func(i int, v []driver.NamedValue) {
			x, b := &items[i], binder{v: v}
			b.put(x.CountID, x.ItemID, x.Category, x.Class)
		},
	)
}

// AddEntries appends entries of one count, one person and one return, in the order given, within the transaction of a
// Write. It gives their numbers, which follow one another.
func AddEntries(tx *gorm.DB, entries []Entry) (first, last int64, err error) {
	if len(entries) == 0 {
		return 0, 0, nil
	}
	if err := tx.Raw("SELECT coalesce(max(id), 0) + 1 FROM entries").Scan(&first).Error; err != nil {
		return 0, 0, err
	}
	for i := range entries {
		entries[i].ID = first + int64(i)
	}
	e := &entries[0]
	t := table{
		head:  "INSERT OR FAIL INTO entries (count_id, person, at, return_id, undoes, slot, id, pos, sheet_id, round, parcel, withdrawn, quantity, counted_at, since, counter, replaces, file_row) VALUES ",
		row:   fmt.Sprintf("(%d,%s,%d,%d,%d,'',%s)", e.CountID, quoted(e.Person), e.At, e.ReturnID, e.Undoes, marks(12)),
		width: 12,
	}
	err = withConn(tx, func(c *sqlite3.SQLiteConn) error {
		return inserted(tx.Statement.Context, c, t, len(entries), func(i int, v []driver.NamedValue) {
			e, b := &entries[i], binder{v: v}
			b.put(
				e.ID,
				e.Pos,
				e.SheetID,
				int64(e.Round),
				e.Parcel,
				flag(e.Withdrawn),
				e.Quantity,
				e.CountedAt,
				e.Since,
				e.Counter,
				e.Replaces,
				int64(e.FileRow),
			)
		})
	})
	return first, first + int64(len(entries)) - 1, err
}

// Standing gives the entries of a count that stand, withdrawals among them: by position, round and parcel.
func Standing(tx *gorm.DB, count int64, p Positions, take func(e *Entry) error) error {
	where, args, err := p.where("pos")
	if err != nil {
		return err
	}
	// Within a slot an entry that replaces another comes behind it, so the last one stands.
	q := "SELECT id, pos, round, parcel, sheet_id, withdrawn, quantity, counted_at, since, counter, return_id, person FROM entries WHERE count_id = ? AND " + where + " ORDER BY count_id, pos, round, parcel, replaces"
	var e Entry
	some := false
	err = Each(tx, q, append([]driver.Value{count}, args...), func(v []driver.Value) error {
		r := reader{v: v}
		next := Entry{
			CountID:   count,
			ID:        r.number(),
			Pos:       r.number(),
			Round:     int(r.number()),
			Parcel:    r.number(),
			SheetID:   r.number(),
			Withdrawn: r.yes(),
			Quantity:  r.number(),
			CountedAt: r.number(),
			Since:     r.number(),
			Counter:   r.text(),
			ReturnID:  r.number(),
			Person:    r.text(),
		}
		if some && (next.Pos != e.Pos || next.Round != e.Round || next.Parcel != e.Parcel) {
			if err := take(&e); err != nil {
				return err
			}
		}
		e, some = next, true
		return nil
	})
	if err != nil || !some {
		return err
	}
	return take(&e)
}

// EachCountMove gives the movements of a count's lines since its freeze, by position and time.
func EachCountMove(tx *gorm.DB, count int64, p Positions, take func(m CountMove) error) error {
	where, args, err := p.where("pos")
	if err != nil {
		return err
	}
	return Each(
		tx,
		"SELECT pos, at, movement_id, quantity, as_at FROM count_moves WHERE count_id = ? AND "+where+" ORDER BY pos, at, movement_id",
		append([]driver.Value{count}, args...),
		func(v []driver.Value) error {
			r := reader{v: v}
			return take(CountMove{CountID: count, Pos: r.number(), At: r.number(), MovementID: r.number(), Quantity: r.number(), AsAt: r.number()})
		},
	)
}

// EachChoice gives the last choice of a round of lines of a count, by position.
func EachChoice(tx *gorm.DB, count int64, p Positions, take func(c RoundChoice) error) error {
	where, args, err := p.where("pos")
	if err != nil {
		return err
	}
	q := "SELECT pos, round, last, max(id) FROM round_choices WHERE count_id = ? AND " + where + " GROUP BY pos"
	return Each(tx, q, append([]driver.Value{count}, args...), func(v []driver.Value) error {
		r := reader{v: v}
		return take(RoundChoice{CountID: count, Pos: r.number(), Round: int(r.number()), Last: int(r.number()), ID: r.number()})
	})
}

// NamedText is what stands on a count's line besides figures.
type NamedText struct {
	Pos                                                        int64
	Bin, SKU, Lot, Serial, Holding, RecordID, Unit, Attributes string
}

// EachNamed gives the names of the lines that a condition on l picks, in the order of their positions.
func EachNamed(tx *gorm.DB, count int64, where string, args []driver.Value, take func(n *NamedText) error) error {
	q := `SELECT l.pos, b.code, i.sku, l.lot, l.serial, l.holding, l.record_id, i.unit, l.attributes FROM count_lines l
		JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.count_id = ? AND ` + where + " ORDER BY l.pos"
	return Each(tx, q, append([]driver.Value{count}, args...), func(v []driver.Value) error {
		r := reader{v: v}
		return take(&NamedText{r.number(), r.text(), r.text(), r.text(), r.text(), r.text(), r.text(), r.text(), r.text()})
	})
}

// AddPostingLines appends the lines of a posting within the transaction of a Write.
func AddPostingLines(tx *gorm.DB, posting int64, lines []PostingLine) error {
	t := table{
		head:  "INSERT OR FAIL INTO posting_lines (posting_id, pos, variance, value, reason) VALUES ",
		row:   fmt.Sprintf("(%d,?,?,?,?)", posting),
		width: 4,
	}
	return withConn(tx, func(c *sqlite3.SQLiteConn) error {
		return inserted(tx.Statement.Context, c, t, len(lines), func(i int, v []driver.NamedValue) {
			l, b := &lines[i], binder{v: v}
			b.put(l.Pos, l.Variance, null(l.Value), l.Reason)
		})
	})
}
