package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"fmt"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Piece is how many lines are written in one transaction of a large intake, so that others are not kept waiting.
const Piece = 50_000

const perStatement = 64 // rows in one statement

// WriteStockLines writes lines of an unpublished set in one transaction, by the fastest way that the driver has:
// many rows to a statement, and only those columns bound that hold anything. The lines stand in the order of their
// places, one after the other.
func (s *Store) WriteStockLines(ctx context.Context, set int64, lines []StockLine) error {
	texts, reserved, attributes, packed := false, false, false, true
	for i := range lines {
		l := &lines[i]
		texts = texts || l.Lot != "" || l.Serial != "" || l.Holding != "" || l.RecordID != ""
		reserved = reserved || l.Reserved != nil
		attributes = attributes || l.Attributes != ""
		packed = packed && l.Cost != nil && *l.Cost >= 0 && *l.Cost < half && l.Quantity >= 0 && l.Quantity%whole == 0 && l.Quantity/whole < half/2
	}
	// Binding a value costs more than all that is done with it, so two numbers travel in one where they are small:
	// bin and item always, quantity (in whole units) and cost where all lines of the piece allow it.
	width := 3
	if packed {
		width = 2
	}
	rest := width
	columns := "set_id, pos, bin_id, item_id, quantity, cost, lot, serial, holding, record_id, reserved"
	if texts {
		width += 4
	}
	if reserved {
		width++
	}
	if attributes {
		columns, width = columns+", attributes", width+1
	}
	row := func(i int) string {
		at := 2 + i*width // the first value is the place of the first line; the others follow one another
		b := fmt.Sprintf("(%d,?1+%d,?%d>>32,?%d&4294967295", set, i, at, at)
		if packed {
			b += fmt.Sprintf(",(?%d>>32)*1000000,?%d&4294967295", at+1, at+1)
		} else {
			b += fmt.Sprintf(",?%d,?%d", at+1, at+2)
		}
		at += rest
		if texts {
			b += fmt.Sprintf(",?%d,?%d,?%d,?%d", at, at+1, at+2, at+3)
			at += 4
		} else {
			b += ",'','','',''"
		}
		if reserved {
			b += fmt.Sprintf(",?%d", at)
			at++
		} else {
			b += ",NULL"
		}
		if attributes {
			b += fmt.Sprintf(",?%d", at)
		}
		return b + ")"
	}
	return s.bulk(ctx, table{"INSERT INTO stock_lines (" + columns + ") VALUES ", row, width, 1}, len(lines), func(i int, v []driver.Value) {
		l := &lines[i]
		v[0] = l.BinID<<32 | l.ItemID
		if packed {
			v[1] = l.Quantity/whole<<32 | *l.Cost
		} else {
			v[1], v[2] = l.Quantity, null(l.Cost)
		}
		at := rest
		if texts {
			v[at], v[at+1], v[at+2], v[at+3] = l.Lot, l.Serial, l.Holding, l.RecordID
			at += 4
		}
		if reserved {
			v[at] = null(l.Reserved)
			at++
		}
		if attributes {
			v[at] = l.Attributes
		}
	}, func(from int, v []driver.Value) { v[0] = lines[from].Pos })
}

// Numbers below half share 64 bits with another one; whole is one unit in millionths.
const (
	half  = 1 << 32
	whole = 1_000_000
)

// SetBin is the tally of a set's lines in one bin; First is the place of its first line.
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
}

// WriteTallies writes the tallies of an unpublished set. Numbers of lines are below half, like those of bins and items.
func (s *Store) WriteTallies(ctx context.Context, set int64, bins []SetBin, items []SetItem) error {
	pairs := func(i, width int) string { return fmt.Sprintf("(%d,?%d>>32,?%d", set, i*width+1, i*width+2) }
	err := s.bulk(ctx, table{"INSERT INTO set_bins (set_id, bin_id, first, lines, value) VALUES ", func(i int) string {
		return fmt.Sprintf("%s,?%d&4294967295,?%d)", pairs(i, 3), i*3+1, i*3+3)
	}, 3, 0}, len(bins), func(i int, v []driver.Value) {
		b := &bins[i]
		v[0], v[1], v[2] = b.BinID<<32|int64(b.Lines), b.First, b.Value
	}, nil)
	if err != nil {
		return err
	}
	return s.bulk(ctx, table{"INSERT INTO set_items (set_id, item_id, quantity, lines, reserved, value) VALUES ", func(i int) string {
		return fmt.Sprintf("%s,?%d&4294967295,?%d,?%d)", pairs(i, 4), i*4+1, i*4+3, i*4+4)
	}, 4, 0}, len(items), func(i int, v []driver.Value) {
		t := &items[i]
		v[0], v[1], v[2], v[3] = t.ItemID<<32|int64(t.Lines), t.Quantity, null(t.Reserved), null(t.Value)
	}, nil)
}

// MakeBinsAndItems makes the bins and items of an intake within the transaction of a Write, many to a statement.
func MakeBinsAndItems(tx *gorm.DB, bins []Bin, items []Item, intake int64) error {
	return onConn(tx.Statement.ConnPool.(*sql.Conn), func(c *sqlite3.SQLiteConn) error {
		err := inserted(tx.Statement.Context, c, table{"INSERT INTO bins (id, warehouse_id, code, zone, sort_key, intake_id) VALUES ", same(fmt.Sprintf("(?,?,?,?,?,%d)", intake)), 5, 0}, len(bins), func(i int, v []driver.Value) {
			b := &bins[i]
			v[0], v[1], v[2], v[3], v[4] = b.ID, b.WarehouseID, b.Code, b.Zone, b.SortKey
		}, nil)
		if err != nil {
			return err
		}
		return inserted(tx.Statement.Context, c, table{"INSERT INTO items (id, sku, sort_key, description, unit, cost, attributes, intake_id) VALUES ", same(fmt.Sprintf("(?,?,?,?,?,?,?,%d)", intake)), 7, 0}, len(items), func(i int, v []driver.Value) {
			t := &items[i]
			v[0], v[1], v[2], v[3], v[4], v[5], v[6] = t.ID, t.SKU, t.SortKey, t.Description, t.Unit, null(t.Cost), t.Attributes
		}, nil)
	})
}

func onConn(conn *sql.Conn, do func(c *sqlite3.SQLiteConn) error) error {
	return conn.Raw(func(d any) error { return do(d.(*sqlite3.SQLiteConn)) })
}

// table says how rows go into a table: the head of the statement, what stands for row i, how many values a row binds,
// and how many the statement binds before them.
type table struct {
	head   string
	row    func(i int) string
	width  int
	before int
}

func same(row string) func(int) string { return func(int) string { return row } }

// statement gives the text that inserts so many rows.
func (t *table) statement(rows int) string {
	var b strings.Builder
	b.WriteString(t.head)
	for i := range rows {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(t.row(i))
	}
	return b.String()
}

// inserted inserts n rows within a transaction that is under way; fill sets the values of row i, first those that the
// statement binds before its rows.
func inserted(ctx context.Context, c *sqlite3.SQLiteConn, t table, n int, fill func(i int, v []driver.Value), first func(from int, v []driver.Value)) error {
	var st driver.Stmt
	prepared := 0
	defer func() {
		if st != nil {
			st.Close()
		}
	}()
	values := make([]driver.Value, t.before+t.width*perStatement)
	for from := 0; from < n; from += perStatement {
		if err := ctx.Err(); err != nil {
			return err
		}
		rows := min(perStatement, n-from)
		if rows != prepared {
			if st != nil {
				st.Close()
			}
			var err error
			if st, err = c.Prepare(t.statement(rows)); err != nil {
				return err
			}
			prepared = rows
		}
		if first != nil {
			first(from, values)
		}
		for i := range rows {
			at := t.before + i*t.width
			fill(from+i, values[at:at+t.width])
		}
		if _, err := st.Exec(values[:t.before+rows*t.width]); err != nil { //nolint:staticcheck // the driver's plain path
			return err
		}
	}
	return nil
}

// bulk inserts n rows of an unpublished set in one transaction on the writer connection. The disk is not waited for: a
// crash loses pieces that nobody saw, and the commit that publishes them waits for all that was written before it.
func (s *Store) bulk(ctx context.Context, t table, n int, fill func(i int, v []driver.Value), first func(from int, v []driver.Value)) error {
	conn, err := s.raw.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return onConn(conn, func(c *sqlite3.SQLiteConn) error {
		for _, q := range []string{"PRAGMA synchronous = NORMAL", "BEGIN IMMEDIATE"} {
			if _, err := c.Exec(q, nil); err != nil {
				return err
			}
		}
		err := inserted(ctx, c, t, n, fill, first)
		end := "COMMIT"
		if err != nil {
			end = "ROLLBACK"
		}
		for _, q := range []string{end, "PRAGMA synchronous = FULL"} {
			if _, e := c.Exec(q, nil); err == nil {
				err = e
			}
		}
		return err
	})
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
