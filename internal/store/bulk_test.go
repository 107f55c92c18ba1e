package store

import (
	"context"
	"errors"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"
)

func opened(t testing.TB) *Store {
	s, err := Open(filepath.Join(t.TempDir(), "data"))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// Whatever lines hold, the bulk path writes what is read again, by either path: numbers, texts, empty values.
func TestStockLinesThereAndBack(t *testing.T) {
	s, ctx, set := opened(t), context.Background(), int64(0)
	rapid.Check(t, func(t *rapid.T) {
		set++
		small := rapid.Bool().Draw(t, "small")
		number := func(name string) int64 {
			if small {
				return rapid.Int64Range(0, 4_000).Draw(t, name) * 1_000_000
			}
			return rapid.Int64Range(-999_999_999_999_999_999, 999_999_999_999_999_999).Draw(t, name)
		}
		maybe := func(name string) *int64 {
			if !small && rapid.Bool().Draw(t, name+" empty") {
				return nil
			}
			n := number(name)
			return &n
		}
		text := func(name string) string {
			if small {
				return ""
			}
			return rapid.StringMatching(`[a-zé"' ]{0,4}`).Draw(t, name)
		}
		var lines []StockLine
		var bins []SetBin
		var items []SetItem
		for i := range rapid.IntRange(1, 200).Draw(t, "n") {
			l := StockLine{
				SetID:      set,
				Pos:        int64(i),
				BinID:      rapid.Int64Range(1, 1<<30).Draw(t, "bin"),
				ItemID:     rapid.Int64Range(1, 1<<30).Draw(t, "item"),
				Lot:        text("lot"),
				Serial:     text("serial"),
				RecordID:   text("record"),
				Quantity:   number("quantity"),
				Reserved:   maybe("reserved"),
				Cost:       maybe("cost"),
				Attributes: text("attributes"),
			}
			lines = append(lines, l)
			bins = append(bins, SetBin{set, int64(i + 1), int64(i), rapid.IntRange(1, 1<<30).Draw(t, "lines"), number("value")})
			items = append(
				items,
				SetItem{set, int64(i + 1), rapid.IntRange(1, 1<<30).Draw(t, "lines"), number("q"), maybe("r"), maybe("v"), maybe("c")},
			)
		}
		require.NoError(t, s.WriteStockLines(ctx, set, lines))
		require.NoError(t, s.WriteTallies(ctx, set, bins, items))
		var gotLines []StockLine
		var gotBins []SetBin
		var gotItems []SetItem
		require.NoError(t, s.Read(ctx).Where("set_id = ?", set).Order("pos").Find(&gotLines).Error)
		require.NoError(t, s.Read(ctx).Where("set_id = ?", set).Order("bin_id").Find(&gotBins).Error)
		require.NoError(t, s.Read(ctx).Where("set_id = ?", set).Order("item_id").Find(&gotItems).Error)
		require.Equal(t, lines, gotLines)
		gotLines = nil
		require.NoError(t, s.EachStockLine(ctx, set, func(l *StockLine) {
			own := *l
			for _, p := range []**int64{&own.Reserved, &own.Cost} {
				if *p != nil {
					n := **p
					*p = &n
				}
			}
			gotLines = append(gotLines, own)
		}))
		require.Equal(t, lines, gotLines)
		require.Equal(t, bins, gotBins)
		require.Equal(t, items, gotItems)
	})
}

// A transaction that fails or panics leaves nothing, and the connection goes on.
func TestWriteIsAllOrNothing(t *testing.T) {
	s, ctx := opened(t), context.Background()
	put := func(tx *gorm.DB) error { return tx.Exec("INSERT INTO settings (key, value) VALUES ('a', 'b')").Error }
	count := func() (n int64) {
		require.NoError(t, s.Read(ctx).Raw("SELECT count(*) FROM settings").Scan(&n).Error)
		return n
	}
	broken := errors.New("broken")
	assert.ErrorIs(t, s.Write(ctx, func(tx *gorm.DB) error { return errors.Join(put(tx), broken) }), broken)
	assert.Panics(t, func() { _ = s.Write(ctx, func(tx *gorm.DB) error { _ = put(tx); panic("oh") }) })
	gone, cancel := context.WithCancel(ctx)
	assert.Error(t, s.Write(gone, func(tx *gorm.DB) error { cancel(); return put(tx) }))
	assert.Zero(t, count())
	require.NoError(t, s.Write(ctx, put))
	assert.Equal(t, int64(1), count())
	var full int
	require.NoError(t, s.write.Raw("PRAGMA synchronous").Scan(&full).Error)
	assert.Equal(t, 2, full, "what is published waits for the disk")
}

// A backup is made while others write, and holds nothing of what they did not commit; pieces of an intake that nobody saw
// are swept from it when it is put back.
func TestBackupBesideWriting(t *testing.T) {
	s, ctx := opened(t), context.Background()
	var set StockSet
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error { return tx.Create(&set).Error }))
	require.NoError(t, s.WriteStockLines(ctx, set.ID, []StockLine{{SetID: set.ID, BinID: 1, ItemID: 1, Quantity: 1}}))
	var name string
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) (err error) {
		require.NoError(t, tx.Create(&Warehouse{ID: 7, Code: "W"}).Error)
		name, err = s.Backup(ctx, "beside")
		return err
	}))
	assert.Error(t, s.Read(ctx).Exec("DELETE FROM warehouses").Error, "the connection is one for reading again")
	count := func(s *Store, table string) (n int64) {
		require.NoError(t, s.Read(ctx).Raw("SELECT count(*) FROM "+table).Scan(&n).Error)
		return n
	}
	assert.Equal(t, int64(1), count(s, "warehouses"))
	require.NoError(t, s.Close())
	_, err := Restore(ctx, s.Dir, filepath.Join(s.Dir, "backups", name), noWord)
	require.NoError(t, err)
	back, err := Open(s.Dir)
	require.NoError(t, err)
	defer back.Close()
	assert.Zero(t, count(back, "warehouses"))
	assert.Zero(t, count(back, "stock_lines"))
	assert.Zero(t, count(back, "stock_sets"))
}
