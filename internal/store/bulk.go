package store

import (
	"context"
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
// many rows to a statement, and only those columns bound that hold anything.
func (s *Store) WriteStockLines(ctx context.Context, set int64, lines []StockLine) error {
	texts, reserved, attributes := false, false, false
	for i := range lines {
		l := &lines[i]
		texts = texts || l.Lot != "" || l.Serial != "" || l.Holding != "" || l.RecordID != ""
		reserved = reserved || l.Reserved != nil
		attributes = attributes || l.Attributes != ""
	}
	columns, values, width := "set_id, pos, bin_id, item_id, quantity, cost, lot, serial, holding, record_id, reserved", fmt.Sprintf("(%d,?,?,?,?,?", set), 5
	if texts {
		values, width = values+",?,?,?,?", width+4
	} else {
		values += ",'','','',''"
	}
	if reserved {
		values, width = values+",?", width+1
	} else {
		values += ",NULL"
	}
	if attributes {
		columns, values, width = columns+", attributes", values+",?", width+1
	}
	values += ")"
	return s.bulk(ctx, "INSERT INTO stock_lines ("+columns+") VALUES ", values, width, len(lines), func(i int, v []driver.Value) {
		l := &lines[i]
		v[0], v[1], v[2], v[3], v[4] = l.Pos, l.BinID, l.ItemID, l.Quantity, null(l.Cost)
		if texts {
			v[5], v[6], v[7], v[8] = l.Lot, l.Serial, l.Holding, l.RecordID
		}
		at := 5
		if texts {
			at = 9
		}
		if reserved {
			v[at] = null(l.Reserved)
			at++
		}
		if attributes {
			v[at] = l.Attributes
		}
	})
}

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

// WriteTallies writes the tallies of an unpublished set.
func (s *Store) WriteTallies(ctx context.Context, bins []SetBin, items []SetItem) error {
	err := s.bulk(ctx, "INSERT INTO set_bins (set_id, bin_id, first, lines, value) VALUES ", "(?,?,?,?,?)", 5, len(bins), func(i int, v []driver.Value) {
		b := &bins[i]
		v[0], v[1], v[2], v[3], v[4] = b.SetID, b.BinID, b.First, int64(b.Lines), b.Value
	})
	if err != nil {
		return err
	}
	return s.bulk(ctx, "INSERT INTO set_items (set_id, item_id, lines, quantity, reserved, value) VALUES ", "(?,?,?,?,?,?)", 6, len(items), func(i int, v []driver.Value) {
		t := &items[i]
		v[0], v[1], v[2], v[3], v[4], v[5] = t.SetID, t.ItemID, int64(t.Lines), t.Quantity, null(t.Reserved), null(t.Value)
	})
}

// Stage puts new bins and items aside on the writer connection, in tables that only it sees and that go with it.
// PublishStaged makes them real within the transaction that publishes all else.
func (s *Store) Stage(ctx context.Context, bins []Bin, items []Item) error {
	for _, t := range []string{"bins", "items"} {
		if err := s.write.WithContext(ctx).Exec("CREATE TEMP TABLE IF NOT EXISTS new_" + t + " AS SELECT * FROM main." + t + " WHERE 0").Error; err != nil {
			return err
		}
		if err := s.write.WithContext(ctx).Exec("DELETE FROM temp.new_" + t).Error; err != nil {
			return err
		}
	}
	err := s.bulk(ctx, "INSERT INTO temp.new_bins (id, warehouse_id, code, zone, sort_key) VALUES ", "(?,?,?,?,?)", 5, len(bins), func(i int, v []driver.Value) {
		b := &bins[i]
		v[0], v[1], v[2], v[3], v[4] = b.ID, b.WarehouseID, b.Code, b.Zone, b.SortKey
	})
	if err != nil {
		return err
	}
	return s.bulk(ctx, "INSERT INTO temp.new_items (id, sku, sort_key, description, unit, cost, attributes) VALUES ", "(?,?,?,?,?,?,?)", 7, len(items), func(i int, v []driver.Value) {
		t := &items[i]
		v[0], v[1], v[2], v[3], v[4], v[5], v[6] = t.ID, t.SKU, t.SortKey, t.Description, t.Unit, null(t.Cost), t.Attributes
	})
}

// PublishStaged makes the staged bins and items real, as made by an intake.
func PublishStaged(tx *gorm.DB, intake int64) error {
	if err := tx.Exec("INSERT INTO bins (id, warehouse_id, code, zone, sort_key, intake_id) SELECT id, warehouse_id, code, zone, sort_key, ? FROM temp.new_bins ORDER BY id", intake).Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO items (id, sku, sort_key, description, unit, cost, attributes, intake_id) SELECT id, sku, sort_key, description, unit, cost, attributes, ? FROM temp.new_items ORDER BY id", intake).Error
}

// bulk inserts n rows in one transaction on the writer connection; fill sets the values of row i.
func (s *Store) bulk(ctx context.Context, head, row string, width, n int, fill func(i int, v []driver.Value)) error {
	conn, err := s.raw.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(d any) error {
		c := d.(*sqlite3.SQLiteConn)
		if _, err := c.Exec("BEGIN IMMEDIATE", nil); err != nil {
			return err
		}
		err := func() error {
			var st driver.Stmt
			prepared := 0
			defer func() {
				if st != nil {
					st.Close()
				}
			}()
			values := make([]driver.Value, width*perStatement)
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
					if st, err = c.Prepare(head + strings.TrimSuffix(strings.Repeat(row+",", rows), ",")); err != nil {
						return err
					}
					prepared = rows
				}
				for i := range rows {
					fill(from+i, values[i*width:(i+1)*width])
				}
				if _, err := st.Exec(values[:rows*width]); err != nil { //nolint:staticcheck // the driver's plain path
					return err
				}
			}
			return nil
		}()
		if err != nil {
			_, _ = c.Exec("ROLLBACK", nil)
			return err
		}
		_, err = c.Exec("COMMIT", nil)
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
