package store

import (
	"context"
	"database/sql/driver"
	"fmt"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
)

// Piece is how many lines are written in one transaction of a large intake, so that others are not kept waiting.
const Piece = 50_000

const perStatement = 64 // rows in one statement

// WriteStockLines writes lines of an unpublished set in one transaction, by the fastest way that the driver has:
// many rows to a statement, and only those columns bound that hold anything.
func (s *Store) WriteStockLines(ctx context.Context, set int64, lines []StockLine) error {
	texts, reserved := false, false
	for i := range lines {
		l := &lines[i]
		texts = texts || l.Lot != "" || l.Serial != "" || l.Holding != "" || l.RecordID != ""
		reserved = reserved || l.Reserved != nil
	}
	columns, values, width := "set_id, pos, bin_id, item_id, quantity, cost, lot, serial, holding, record_id, reserved", fmt.Sprintf("(%d,?,?,?,?,?", set), 5
	if texts {
		values, width = values+",?,?,?,?", width+4
	} else {
		values += ",'','','',''"
	}
	if reserved {
		values, width = values+",?)", width+1
	} else {
		values += ",NULL)"
	}
	return s.bulk(ctx, "INSERT INTO stock_lines ("+columns+") VALUES ", values, width, len(lines), func(i int, v []driver.Value) {
		l := &lines[i]
		v[0], v[1], v[2], v[3], v[4] = l.Pos, l.BinID, l.ItemID, l.Quantity, null(l.Cost)
		if texts {
			v[5], v[6], v[7], v[8] = l.Lot, l.Serial, l.Holding, l.RecordID
		}
		if reserved {
			v[width-1] = null(l.Reserved)
		}
	})
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
