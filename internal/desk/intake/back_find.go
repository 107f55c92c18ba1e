package intake

import (
	"cmp"
	"database/sql/driver"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// finder finds the lines of a count by what rows say of their bin and item. A file of other making may have a million
// such rows, so the count's keys are read once, and nothing is asked of the database for each.
type finder struct {
	tx    *gorm.DB
	count int64
	set   int64 // the recorded stock that was frozen
	house *store.Warehouse
	year  int  // in which it is read: scanned dates have two digits of theirs
	units bool // a column names the units
	rec   *records
	known *recognise.Known
	bins  *known.Set
	first map[[2]int64]int32        // by bin and item: the first line in lines, counted from 1; nil until the first row asks
	lines []foundLine               // chained by bin and item
	made  map[string]count.FoundKey // keys that the count does not have, by their texts
	names [3]stock.Names            // lots, serials and holdings of the count
	only  int                       // rows that name no lot, serial or holding, and were taken for the only one of their bin
	err   error                     // of the look-up itself
}

// foundLine is a line of the count by what else than bin and item its key has.
type foundLine struct {
	pos  int64     // 0: it was recorded when the count was frozen, but is not in its scope
	rest [3]string // lot, serial, holding
	next int32
}

var restFields = [3]field.Field{field.Lot, field.Serial, field.Holding}

// line finds the line of a key, by SKU, further SKU or barcode. Lots, serials and holdings are found as all codes are:
// exactly, else without regard to case where that is unambiguous.
func (f *finder) line(key [stock.Parts]string) (pos int64, is [stock.Parts]string, wrong field.Field, err error) {
	if f.first == nil {
		f.load()
	}
	if w := key[stock.Warehouse]; w != "" && code.Fold(w) != code.Fold(f.house.Code) {
		return -1, key, field.Warehouse, fmt.Errorf("is another warehouse than this count's, which is %s", f.house.Code)
	}
	bin, _ := f.bins.Find(key[stock.Bin]) // stock without bins lies in the bin ""
	where := f.rec.bins[f.house.ID][bin]
	if where == nil || bin == "" && key[stock.Bin] != "" {
		if key[stock.Bin] == "" {
			return -1, key, field.Bin, errors.New("Write the bin as its label says")
		}
		return -1, key, field.Bin, fmt.Errorf("is no bin of %s. Write the bin as its label says", f.house.Code)
	}
	sku, ok := f.known.Set(field.SKU).Find(key[stock.SKU])
	for _, by := range []field.Field{field.Barcode, field.FurtherSKU} {
		if ok {
			break
		}
		many := false
		if sku, many = f.known.Lead(by, key[stock.SKU]); many {
			return -1, key, field.SKU, errors.New("stands for several items. Name the item by its SKU")
		}
		if ok = sku != ""; ok && by == field.Barcode && !f.units {
			if pack, is := f.known.Pack(key[stock.SKU]); is {
				return -1, key, field.SKU, errors.New(read.OfPack(sku, pack))
			}
		}
	}
	if !ok {
		codes, _, is, err := counting.Scanned(&key, f.year)
		if err != nil {
			return -1, key, field.SKU, err
		}
		for _, c := range codes {
			many := false
			if sku, many = f.known.Lead(field.Barcode, c); many {
				return -1, key, field.SKU, errors.New("stands for several items. Name the item by its SKU")
			}
			if ok = sku != ""; ok {
				if pack, is := f.known.Pack(c); is && !f.units {
					return -1, key, field.SKU, errors.New(read.OfPack(sku, pack))
				}
				break
			}
		}
		if is && !ok {
			return -1, key, field.SKU, fmt.Errorf(
				"has GTIN %s, which no item has as a barcode. Take in the item first, or write its SKU",
				codes[0],
			)
		}
	}
	item := f.rec.items[sku]
	if !ok || item == 0 {
		if key[stock.SKU] == "" {
			return -1, key, field.SKU, errors.New("Name the item")
		}
		return -1, key, field.SKU, errors.New("is no item that is known. Take in the item first, or correct the SKU")
	}
	is = key
	is[stock.Warehouse], is[stock.Bin], is[stock.SKU] = f.house.Code, bin, sku
	var given [3]string
	for i, part := range []stock.Part{stock.Lot, stock.Serial, stock.Holding} {
		if given[i] = key[part]; given[i] != "" {
			if id, known := f.names[i].Find(given[i]); known {
				given[i] = f.names[i].Text(id)
			}
		}
		is[part] = given[i]
	}
	var fit []*foundLine
	for at := f.first[[2]int64{where.id, item}]; at > 0; at = f.lines[at-1].next {
		l := &f.lines[at-1]
		if l.rest == given {
			return f.at(l, where.id, item, &is), is, "", nil
		}
		if l.fits(given) {
			fit = append(fit, l)
		}
	}
	switch len(fit) {
	case 0:
		f.made[strings.Join(is[:], "\x00")] = count.FoundKey{Bin: where.id, Item: item, Lot: given[0], Serial: given[1], Holding: given[2]}
	case 1: // what the row leaves open can only be this
		f.only++
		is[stock.Lot], is[stock.Serial], is[stock.Holding] = fit[0].rest[0], fit[0].rest[1], fit[0].rest[2]
		return f.at(fit[0], where.id, item, &is), is, "", nil
	default:
		return -1, key, fit[0].open(
				fit[1],
				given,
			), fmt.Errorf(
				"%s lies in %s as %s. Say which of them was counted",
				sku,
				bin,
				alternatives(fit),
			)
	}
	return -1, is, "", nil
}

// at gives the position of a line; -1 for one that is not in the scope of the count, and is made.
func (f *finder) at(l *foundLine, bin, item int64, is *[stock.Parts]string) int64 {
	if l.pos != 0 {
		return l.pos
	}
	f.made[strings.Join(is[:], "\x00")] = count.FoundKey{Bin: bin, Item: item, Lot: l.rest[0], Serial: l.rest[1], Holding: l.rest[2]}
	return -1
}

// fits tells whether the line may be meant where only some of the key is given.
func (l *foundLine) fits(given [3]string) bool {
	for i, g := range given {
		if g != "" && g != l.rest[i] {
			return false
		}
	}
	return true
}

// open gives the field that was left open and tells two lines apart.
func (l *foundLine) open(other *foundLine, given [3]string) field.Field {
	for i, g := range given {
		if g == "" && l.rest[i] != other.rest[i] {
			return restFields[i]
		}
	}
	return field.Lot
}

func alternatives(lines []*foundLine) string {
	texts := make([]string, 0, 4)
	for _, l := range lines[:min(len(lines), 4)] {
		t := strings.Join(slices.DeleteFunc(slices.Clone(l.rest[:]), func(s string) bool { return s == "" }), " ")
		texts = append(texts, cmp.Or(t, "none"))
	}
	if len(lines) > 4 {
		texts = append(texts, "…")
	}
	return strings.Join(texts, ", ")
}

// load reads the keys of the count's lines, and of those that were recorded beside its scope. An error is kept for the end.
func (f *finder) load() {
	f.first, f.bins = map[[2]int64]int32{}, f.known.Bins(f.house.Code)
	add := func(v []driver.Value, pos int64) {
		l, at := foundLine{pos: pos}, [2]int64{v[1].(int64), v[2].(int64)}
		for i := range l.rest {
			l.rest[i], _ = v[3+i].(string)
		}
		if pos == 0 { // of the frozen stock: only what is no line of the count
			for n := f.first[at]; n > 0; n = f.lines[n-1].next {
				if f.lines[n-1].rest == l.rest {
					return
				}
			}
		}
		for i := range l.rest {
			if l.rest[i] != "" {
				f.names[i].Intern([]byte(l.rest[i]))
			}
		}
		l.next = f.first[at]
		f.lines = append(f.lines, l)
		f.first[at] = int32(len(f.lines))
	}
	rows := 0
	f.err = store.Each(
		f.tx,
		"SELECT pos, bin_id, item_id, lot, serial, holding, has_row FROM count_lines WHERE count_id = ? ORDER BY pos DESC",
		[]driver.Value{f.count},
		func(v []driver.Value) error {
			add(v, v[0].(int64))
			if v[6].(int64) != 0 {
				rows++
			}
			return nil
		},
	)
	var all int
	if f.err == nil && f.set != 0 {
		f.err = f.tx.Raw("SELECT lines FROM stock_sets WHERE id = ?", f.set).Scan(&all).Error
	}
	if f.err == nil && all > rows { // else all of it is in the count
		f.err = store.Each(
			f.tx,
			"SELECT pos, bin_id, item_id, lot, serial, holding FROM stock_lines WHERE set_id = ?",
			[]driver.Value{f.set},
			func(v []driver.Value) error {
				add(v, 0)
				return nil
			},
		)
	}
}
