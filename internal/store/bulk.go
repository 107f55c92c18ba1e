package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"fmt"
	"slices"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Piece is how many lines are written in one transaction of a large intake, so that others are not kept waiting.
const Piece = 50_000

const perStatement = 64 // rows in one statement

// WriteStockLines writes lines of an unpublished set in one transaction: many rows to a statement, and only those columns
// bound that hold anything. The lines stand in the order of their positions, one after the other.
func (s *Store) WriteStockLines(ctx context.Context, set int64, lines []StockLine) error {
	texts, reserved, attributes := false, false, false
	for i := range lines {
		l := &lines[i]
		texts = texts || l.Lot != "" || l.Serial != "" || l.Holding != "" || l.RecordID != ""
		reserved = reserved || l.Reserved != nil
		attributes = attributes || l.Attributes != ""
	}
	t := table{
		head: "INSERT OR FAIL INTO stock_lines (set_id, pos, bin_id, item_id, quantity, cost, lot, serial, holding, record_id, reserved, attributes) VALUES ",
	}
	t.row, t.width = fmt.Sprintf("(%d,?,?,?,?,?", set), 5
	for _, c := range []struct {
		some  bool
		bound int
		none  string
	}{{texts, 4, ",'','','',''"}, {reserved, 1, ",NULL"}, {attributes, 1, ",''"}} {
		if c.some {
			t.row, t.width = t.row+strings.Repeat(",?", c.bound), t.width+c.bound
		} else {
			t.row += c.none
		}
	}
	t.row += ")"
	return s.bulk(ctx, t, len(lines), func(i int, v []driver.NamedValue) {
		l := &lines[i]
		put(v, l.Pos, l.BinID, l.ItemID, l.Quantity)
		v[4].Value = null(l.Cost)
		at := 5
		if texts {
			v[at].Value, v[at+1].Value, v[at+2].Value, v[at+3].Value = l.Lot, l.Serial, l.Holding, l.RecordID
			at += 4
		}
		if reserved {
			v[at].Value = null(l.Reserved)
			at++
		}
		if attributes {
			v[at].Value = l.Attributes
		}
	})
}

// put sets the first values to numbers.
func put(v []driver.NamedValue, numbers ...int64) {
	for i, n := range numbers {
		v[i].Value = n
	}
}

// SetBin is the tally of a set's lines in one bin; First is the position of its first line.
type SetBin struct {
	SetID, BinID, First int64
	Lines               int
	Value               int64
}

// SetItem is the tally of a set's lines of one item.
type SetItem struct {
	SetID, ItemID int64
	Lines         int
	Quantity      int64
	Reserved      *int64
	Value         *int64
	Cost          *int64 // that all its lines have in common
}

// WriteTallies writes the tallies of an unpublished set.
func (s *Store) WriteTallies(ctx context.Context, set int64, bins []SetBin, items []SetItem) error {
	err := s.bulk(
		ctx,
		table{
			head:  "INSERT OR FAIL INTO set_bins (set_id, bin_id, first, lines, value) VALUES ",
			row:   fmt.Sprintf("(%d,?,?,?,?)", set),
			width: 4,
		},
		len(bins),
		func(i int, v []driver.NamedValue) {
			b := &bins[i]
			put(v, b.BinID, b.First, int64(b.Lines), b.Value)
		},
	)
	if err != nil {
		return err
	}
	return s.bulk(
		ctx,
		table{
			head:  "INSERT OR FAIL INTO set_items (set_id, item_id, quantity, lines, reserved, value, cost) VALUES ",
			row:   fmt.Sprintf("(%d,?,?,?,?,?,?)", set),
			width: 6,
		},
		len(items),
		func(i int, v []driver.NamedValue) {
			t := &items[i]
			put(v, t.ItemID, t.Quantity, int64(t.Lines))
			v[3].Value, v[4].Value, v[5].Value = null(t.Reserved), null(t.Value), null(t.Cost)
		},
	)
}

// MakeBinsAndItems makes the bins and items of an intake within the transaction of a Write, many to a statement.
func MakeBinsAndItems(tx *gorm.DB, bins []Bin, items []Item, intake int64) error {
	return onConn(tx.Statement.ConnPool.(*sql.Conn), func(c *sqlite3.SQLiteConn) error {
		err := inserted(
			tx.Statement.Context,
			c,
			table{
				head:  "INSERT INTO bins (id, warehouse_id, code, zone, sort_key, intake_id) VALUES ",
				row:   fmt.Sprintf("(?,?,?,?,?,%d)", intake),
				width: 5,
			},
			len(bins),
			func(i int, v []driver.NamedValue) {
				b := &bins[i]
				put(v, b.ID, b.WarehouseID)
				v[2].Value, v[3].Value, v[4].Value = b.Code, b.Zone, b.SortKey
			},
		)
		if err != nil {
			return err
		}
		return inserted(
			tx.Statement.Context,
			c,
			table{
				head:  "INSERT INTO items (id, sku, sort_key, description, unit, cost, attributes, barcode, barcodes, intake_id) VALUES ",
				row:   fmt.Sprintf("(?,?,?,?,?,?,?,?,?,%d)", intake),
				width: 9,
			},
			len(items),
			func(i int, v []driver.NamedValue) {
				t := &items[i]
				put(v, t.ID)
				v[1].Value, v[2].Value, v[3].Value, v[4].Value = t.SKU, t.SortKey, t.Description, t.Unit
				v[5].Value, v[6].Value, v[7].Value, v[8].Value = null(t.Cost), t.Attributes, t.Barcode, t.Barcodes
			},
		)
	})
}

func onConn(conn *sql.Conn, do func(c *sqlite3.SQLiteConn) error) error {
	return conn.Raw(func(d any) error { return do(d.(*sqlite3.SQLiteConn)) })
}

// table says how rows go into a table: the head of the statement, what stands for a row, and how many values a row
// binds. OR FAIL spares SQLite from copying, for each statement, the pages that it would have to put back if it failed
// half way: the whole transaction is rolled back then.
type table struct {
	head  string
	row   string
	width int
	tail  string // of the statement, behind its rows
}

// inserted inserts n rows within a transaction that is under way; fill sets the values of row i, for the next rows
// while SQLite takes those before. The driver's path for queries is taken, because it binds all values of a statement
// at once, where the one for statements without answer crosses over to SQLite for each of them.
func inserted(ctx context.Context, c *sqlite3.SQLiteConn, t table, n int, fill func(i int, v []driver.NamedValue)) error {
	const ahead = 8 * perStatement // rows filled at a time
	full, empty := make(chan []driver.NamedValue), make(chan []driver.NamedValue, 2)
	for range cap(empty) {
		values := make([]driver.NamedValue, t.width*min(ahead, n))
		for i := range values {
			values[i].Ordinal = i%(t.width*perStatement) + 1
		}
		empty <- values
	}
	go func() {
		defer close(full)
		for from := 0; from < n; from += ahead {
			values, wanted := <-empty
			if !wanted {
				return
			}
			rows := min(ahead, n-from)
			for i := range rows {
				fill(from+i, values[i*t.width:(i+1)*t.width])
			}
			full <- values[:rows*t.width]
		}
	}()
	var st driver.Stmt
	prepared := 0
	defer func() {
		close(empty)
		for range full { // fill is not called any more once the rows are the caller's again
		}
		if st != nil {
			st.Close()
		}
	}()
	for values := range full {
		if err := ctx.Err(); err != nil {
			return err
		}
		for some := range slices.Chunk(values, t.width*perStatement) {
			if len(some) != prepared {
				if st != nil {
					st.Close()
				}
				var err error
				if st, err = c.Prepare(t.head + t.row + strings.Repeat(","+t.row, len(some)/t.width-1) + t.tail); err != nil {
					return err
				}
				prepared = len(some)
			}
			done, err := st.(driver.StmtQueryContext).QueryContext(context.Background(), some)
			if err == nil {
				err = done.Close()
			}
			if err != nil {
				return err
			}
		}
		empty <- values[:cap(values)]
	}
	return nil
}

// bulk inserts n rows of an unpublished set in one transaction on the writer connection. The disk is not waited for: a
// crash loses pieces that nobody saw, and the commit that publishes them waits for all that was written before it.
func (s *Store) bulk(ctx context.Context, t table, n int, fill func(i int, v []driver.NamedValue)) (err error) {
	s.gate.RLock()
	defer s.gate.RUnlock()
	conn, err := s.raw.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	defer s.settle()
	defer func() { err = InWords(err) }()
	return onConn(conn, func(c *sqlite3.SQLiteConn) (err error) {
		run := func(q string) {
			if _, e := c.Exec(q, nil); err == nil {
				err = e
			}
		}
		defer run("PRAGMA synchronous = FULL") // whatever becomes of the piece
		if run("PRAGMA synchronous = NORMAL"); err != nil {
			return err
		}
		if run("BEGIN IMMEDIATE"); err != nil {
			return err
		}
		if err = inserted(ctx, c, t, n, fill); err == nil {
			run("COMMIT")
		}
		if err != nil {
			_, _ = c.Exec("ROLLBACK", nil) // also where COMMIT failed and left the transaction open
		}
		return err
	})
}

// settle copies the pages of pieces from the log into the database while the next ones are made, so that neither the
// commit that publishes them nor the end of the program has to. It keeps nobody waiting; what it does not get done, or
// fails to do, is done later.
func (s *Store) settle() {
	if !s.settling.TryLock() {
		return
	}
	s.settled.Go(func() {
		defer s.settling.Unlock()
		_ = s.read.Exec("PRAGMA wal_checkpoint(PASSIVE)").Error
	})
}

// EachStockLine gives the lines of a set in their order, by the driver's plain path: a warehouse may have a million. The
// line is valid until do returns.
func (s *Store) EachStockLine(ctx context.Context, set int64, do func(l *StockLine)) error {
	conn, err := s.reader(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return onConn(conn, func(c *sqlite3.SQLiteConn) error {
		each := func(query string, take func(v []driver.Value)) error {
			return each(ctx, c, query, []driver.Value{set}, func(v []driver.Value) error { take(v); return nil })
		}
		// Most sets have nothing in most columns, and each column of each row costs.
		more := false
		err := each(
			"SELECT EXISTS (SELECT 1 FROM stock_lines WHERE set_id = ? AND (reserved NOT NULL OR lot <> '' OR serial <> '' OR holding <> '' OR record_id <> '' OR attributes <> ''))",
			func(v []driver.Value) {
				more = v[0] != int64(0)
			},
		)
		if err != nil {
			return err
		}
		columns := "pos, bin_id, item_id, quantity, cost"
		if more {
			columns += ", reserved, lot, serial, holding, record_id, attributes"
		}
		l := StockLine{SetID: set}
		var reserved, cost int64
		number := func(v driver.Value, room *int64) *int64 {
			if x, ok := v.(int64); ok {
				*room = x
				return room
			}
			return nil
		}
		return each("SELECT "+columns+" FROM stock_lines WHERE set_id = ? ORDER BY pos", func(v []driver.Value) {
			l.Pos, l.BinID, l.ItemID, l.Quantity = v[0].(int64), v[1].(int64), v[2].(int64), v[3].(int64)
			l.Cost = number(v[4], &cost)
			if more {
				l.Reserved = number(v[5], &reserved)
				for i, into := range []*string{&l.Lot, &l.Serial, &l.Holding, &l.RecordID, &l.Attributes} {
					*into, _ = v[6+i].(string)
				}
			}
			do(&l)
		})
	})
}

// StockLinesAt gives the lines of a set at some positions, in their order. They are the caller's.
func StockLinesAt(tx *gorm.DB, set int64, positions []int64, take func(l *StockLine) error) error {
	where, args, err := Near(positions).where("pos")
	if err != nil {
		return err
	}
	next := 0
	return Each(
		tx,
		"SELECT pos, bin_id, item_id, quantity, cost, reserved, lot, serial, holding, record_id, attributes FROM stock_lines WHERE set_id = ? AND "+where+" ORDER BY pos",
		append([]driver.Value{set}, args...),
		func(v []driver.Value) error {
			r := reader{v: v}
			l := StockLine{
				SetID:      set,
				Pos:        r.number(),
				BinID:      r.number(),
				ItemID:     r.number(),
				Quantity:   r.number(),
				Cost:       r.maybe(),
				Reserved:   r.maybe(),
				Lot:        r.text(),
				Serial:     r.text(),
				Holding:    r.text(),
				RecordID:   r.text(),
				Attributes: r.text(),
			}
			if next < len(positions) && positions[next] == l.Pos {
				next++
				return take(&l)
			}
			return nil
		},
	)
}

func null(p *int64) driver.Value {
	if p == nil {
		return nil
	}
	return *p
}

// Batch inserts rows of a model in pieces that fit a statement.
func Batch[T any](tx *gorm.DB, rows []T) error {
	if len(rows) == 0 {
		return nil
	}
	return tx.CreateInBatches(rows, 200).Error
}

// Replace writes rows of a model over those with the same number, in pieces that fit a statement.
func Replace[T any](tx *gorm.DB, rows []T) error {
	return Batch(tx.Clauses(clause.OnConflict{UpdateAll: true}), rows)
}

// DeleteSets takes away sets that no warehouse points to.
func DeleteSets(tx *gorm.DB, sets []int64) error { return deleteSets(tx, sets) }

func deleteSets(tx *gorm.DB, sets []int64) error {
	if len(sets) == 0 {
		return nil
	}
	for _, t := range []string{"stock_lines", "set_bins", "set_items"} {
		if err := tx.Exec("DELETE FROM "+t+" WHERE set_id IN ?", sets).Error; err != nil {
			return err
		}
	}
	return tx.Exec("DELETE FROM stock_sets WHERE id IN ?", sets).Error
}
