package counting

import (
	"fmt"
	"sort"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Count is one count found on a sheet that came back.
type Count struct {
	Place    int                 // the line's number in the count; -1 where the count has no such line
	Key      [stock.Parts]string // as the count has it, or as the row says where it is new
	Sheet    int                 // the sheet's number
	Slot     string              // what a later version of the same row goes by
	Row      int                 // of the file
	Quantity quantity.Quantity
	At       int64 // Unix nanoseconds
	Timed    bool
	Counter  string
	ByHand   bool // the row was added by hand: it has no row code
}

// Back is a sheet that came back, understood.
type Back struct {
	Sheets  []int   // the numbers of the sheets whose rows it holds
	Counts  []Count // rows with a count
	Empty   int     // rows without one
	ByHand  int     // rows added by hand
	From    int64   // the head's times, 0 where there are none
	To      int64
	By      string
	Untimed int // counts whose time is not known yet
}

// Frozen is what the rows of a sheet are proved against: the lines of the sheets concerned, and how to find others.
type Frozen struct {
	Count int // the count's number
	Lines []Line
	// Elsewhere finds the line that a key means where none of Lines has it. Where the count has no such line the line's
	// Place is -1 and its Key the codes as the records have them; what they lack, or what the key leaves open, is an
	// error about the field.
	Elsewhere func(key [stock.Parts]string) (Line, layout.Field, error)
}

// SheetsIn tells which sheets of which counts a file's rows belong to, from their row codes alone.
func SheetsIn(f *layout.CountFile) map[int][]int {
	found := map[int]map[int]bool{}
	for id := 1; id < f.RowCodes.Len(); id++ {
		if c, s, row, ok := ParseCode(f.RowCodes.Text(stock.ID(id))); ok && row > 0 {
			if found[c] == nil {
				found[c] = map[int]bool{}
			}
			found[c][s] = true
		}
	}
	out := map[int][]int{}
	for c, sheets := range found {
		for s := range sheets {
			out[c] = append(out[c], s)
		}
		sort.Ints(out[c])
	}
	return out
}

var partOf = map[layout.Field]stock.Part{layout.Warehouse: stock.Warehouse, layout.Bin: stock.Bin, layout.SKU: stock.SKU, layout.Lot: stock.Lot, layout.Serial: stock.Serial, layout.Holding: stock.Holding}

// TakeBack matches the rows of a returned file to the lines of a count. Each row is found by its row code and
// proved by bin and SKU; a row without a code is found by its key. Problems go to p; rows with one are not in
// the result.
func TakeBack(file, sheetName string, m *layout.Mapping, f *layout.CountFile, frozen *Frozen, head Head, p *layout.Problems) *Back {
	b := &Back{From: head.From, To: head.To, By: head.By}
	byCode := map[string]*Line{}
	byKey := map[[stock.Parts]string]*Line{}
	for i := range frozen.Lines {
		l := &frozen.Lines[i]
		byCode[l.RowCode] = l
		byKey[folded(l.Key)] = l
	}
	b.Sheets = SheetsIn(f)[frozen.Count]
	home := head.Sheet
	if home == 0 && len(b.Sheets) > 0 {
		home = b.Sheets[0]
	}
	seen := map[string]int{}
	for i := range f.Counts {
		n := &f.Counts[i]
		key := f.Codes.Texts(n.Key)
		wrong := func(field layout.Field, kind, value, format string, args ...any) {
			p.Add(layout.Problem{File: file, Sheet: sheetName, Row: int(n.Row), Field: field, Kind: kind, Value: value, Text: fmt.Sprintf(format, args...)})
		}
		c := Count{Row: int(n.Row), Quantity: n.Quantity, At: n.At, Timed: n.Timed, Counter: f.Counters.Text(n.Counter)}
		if c.Counter == "" {
			c.Counter = head.By
		}
		if !c.Timed && n.Given {
			switch {
			case head.To != 0:
				c.At, c.Timed = head.To, true
			case head.From != 0:
				c.At, c.Timed = head.From, true
			}
		}
		if rowCode := f.RowCodes.Text(n.RowCode); rowCode != "" {
			count, sheet, row, ok := ParseCode(rowCode)
			line := byCode[rowCode]
			switch {
			case !ok || row == 0:
				wrong(layout.RowCode, "no row code of ours", rowCode, "%q is not a row code. Copy it from the sheet again, or empty the cell to go by bin and SKU", rowCode)
				continue
			case count != frozen.Count:
				wrong(layout.RowCode, "sheet of another count", rowCode, "%q belongs to another count (number %d). Drop this file there", rowCode, count)
				continue
			case line == nil:
				wrong(layout.RowCode, "no such row", rowCode, "%q is on no sheet of this count", rowCode)
				continue
			}
			if first, twice := seen[rowCode]; twice {
				wrong(layout.RowCode, "row code twice", rowCode, "%q comes twice in this file, first in row %d. Take one out, or empty its code if it is another pallet", rowCode, first)
				continue
			}
			seen[rowCode] = c.Row
			if !same(key, line.Key, stock.SKU) {
				wrong(layout.SKU, "SKU changed", key[stock.SKU], "%q stands under row code %s, which is for %s. Put the SKU back, or empty the row code if another item was counted", key[stock.SKU], rowCode, line)
				continue
			}
			if m.Has(layout.Bin) && !same(key, line.Key, stock.Bin) {
				wrong(layout.Bin, "bin changed", key[stock.Bin], "%q stands under row code %s, which is for %s. Put the bin back, or empty the row code if another bin was counted", key[stock.Bin], rowCode, line)
				continue
			}
			if lot := key[stock.Lot]; m.Has(layout.Lot) && lot != "" && !same(key, line.Key, stock.Lot) {
				wrong(layout.Lot, "lot changed", lot, "%q stands under row code %s, which is for %s. Put the lot back, or empty the row code if another lot was counted", lot, rowCode, line)
				continue
			}
			c.Place, c.Key, c.Sheet, c.Slot = line.Place, line.Key, sheet, rowCode
		} else {
			if !n.Given {
				b.Empty++
				continue
			}
			c.ByHand, c.Sheet = true, home
			if key[stock.Warehouse] == "" && len(frozen.Lines) > 0 { // a count is of one warehouse
				key[stock.Warehouse] = frozen.Lines[0].Key[stock.Warehouse]
			}
			if line := byKey[folded(key)]; line != nil {
				c.Place, c.Key = line.Place, line.Key
			} else {
				line, field, err := frozen.Elsewhere(key)
				if err != nil {
					if value := key[partOf[field]]; value == "" {
						wrong(field, "empty", "", "is empty. %v", err)
					} else {
						wrong(field, "unknown "+string(field), value, "%q %v", value, err)
					}
					continue
				}
				c.Place, c.Key = line.Place, line.Key
			}
			slot := fmt.Sprintf("S%d", home)
			for _, t := range c.Key {
				slot += "|" + t
			}
			// A second pallet of the same item by hand is a slot of its own.
			seen[slot]++
			c.Slot = fmt.Sprintf("%s|%d", slot, seen[slot])
			b.ByHand++
		}
		if !n.Given {
			b.Empty++
			continue
		}
		if !c.Timed {
			b.Untimed++
		}
		b.Counts = append(b.Counts, c)
	}
	return b
}

// Head is what stands above the header of a sheet that came back.
type Head struct {
	Sheet    int // the sheet's number, 0 where the head does not say
	Count    int
	From, To int64
	By       string
}

// ReadHead reads the labels above the header. Problems with times go to p.
func ReadHead(file string, m *layout.Mapping, r layout.Reading, p *layout.Problems) (h Head) {
	if c, s, _, ok := ParseCode(m.Head["sheet"]); ok {
		h.Count, h.Sheet = c, s
	}
	h.By = m.Head["countedby"]
	for label, into := range map[string]*int64{"countedfrom": &h.From, "countedto": &h.To} {
		text := m.Head[label]
		if text == "" {
			continue
		}
		at, err := layout.ReadTime(text, "", r.Zone)
		if err != nil {
			p.Add(layout.Problem{File: file, Sheet: m.SheetName, Field: layout.CountedAt, Kind: "not a time", Value: text, Text: fmt.Sprintf("%q in the head %v", text, err)})
			continue
		}
		*into = at
	}
	return h
}

func same(a, b [stock.Parts]string, p stock.Part) bool {
	return a[p] == b[p] || code.Fold(a[p]) == code.Fold(b[p])
}

func folded(k [stock.Parts]string) (out [stock.Parts]string) {
	for p, t := range k {
		out[p] = code.Fold(strings.TrimSpace(t))
	}
	return out
}
