package desk

import (
	"errors"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// finder finds the lines of a count by what rows say of their bin and item. A file of other making may have a million
// such rows, so the count's keys are read once, and nothing is asked of the database for each.
type finder struct {
	tx    *gorm.DB
	count int64
	house *store.Warehouse
	rec   *records
	known *layout.Known
	bins  *known.Set
	lines map[lineKey]int64   // to the place; nil until the first row asks
	made  map[string][2]int64 // bin and item of keys that the count does not have
	err   error               // of the look-up itself
}

// lineKey is the key of a line with the numbers of its bin and item.
type lineKey struct {
	bin, item            int64
	lot, serial, holding string
}

// line finds the line of a key, by SKU, further SKU or barcode.
func (f *finder) line(key [stock.Parts]string) (line counting.Line, wrong layout.Field, err error) {
	if f.lines == nil {
		f.load()
	}
	if w := key[stock.Warehouse]; w != "" && code.Fold(w) != code.Fold(f.house.Code) {
		return line, layout.Warehouse, fmt.Errorf("is another warehouse than this count's, which is %s", f.house.Code)
	}
	bin, ok := f.bins.Find(key[stock.Bin])
	place := f.rec.bins[f.house.ID][bin]
	if !ok || place == nil {
		return line, layout.Bin, fmt.Errorf("is no bin of %s. Write the bin as its label says", f.house.Code)
	}
	sku, ok := f.known.Set(layout.SKU).Find(key[stock.SKU])
	for _, by := range []layout.Field{layout.Barcode, layout.FurtherSKU} {
		if ok {
			break
		}
		many := false
		if sku, many = f.known.Lead(by, key[stock.SKU]); many {
			return line, layout.SKU, errors.New("stands for several items. Name the item by its SKU")
		}
		ok = sku != ""
	}
	item := f.rec.items[sku]
	if !ok || item == 0 {
		return line, layout.SKU, errors.New("is no item that is known. Take in the item first, or correct the SKU")
	}
	line.Place, line.Key = -1, key
	line.Key[stock.Warehouse], line.Key[stock.Bin], line.Key[stock.SKU] = f.house.Code, bin, sku
	if pos, have := f.lines[lineKey{place.id, item, key[stock.Lot], key[stock.Serial], key[stock.Holding]}]; have {
		line.Place = int(pos)
	} else {
		f.made[bin+"\x00"+sku] = [2]int64{place.id, item}
	}
	return line, "", nil
}

// load reads the keys of the count's lines. An error is kept for the end.
func (f *finder) load() {
	f.lines, f.bins = map[lineKey]int64{}, f.known.Bins(f.house.Code)
	rows, err := f.tx.Raw("SELECT pos, bin_id, item_id, lot, serial, holding FROM count_lines WHERE count_id = ?", f.count).Rows()
	if err != nil {
		f.err = err
		return
	}
	defer rows.Close()
	for rows.Next() {
		var pos int64
		var k lineKey
		if err := rows.Scan(&pos, &k.bin, &k.item, &k.lot, &k.serial, &k.holding); err != nil {
			f.err = err
			return
		}
		f.lines[k] = pos
	}
	f.err = rows.Err()
}
