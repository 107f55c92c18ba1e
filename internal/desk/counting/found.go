package counting

import (
	"cmp"
	"database/sql"
	"slices"
	"strings"

	"wobin/internal/core/counting"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// code is what a typed row goes by: its row code, or where and what was found.
func (t *Typed) code() string {
	if f := t.Found; f != nil {
		return strings.TrimRight(strings.Join([]string{f.Bin, f.SKU, f.Lot, f.Serial, f.Holding}, " · "), " ·")
	}
	return strings.ToUpper(strings.TrimSpace(t.RowCode))
}

// line gives the line of what was found, which is made where the count has none. What a row of a sheet is for is typed there, unless it
// comes from the tray.
func (f *Found) line(w *desk.Work, c *store.Count, tray bool) (pos int64, s store.Sheet, err error) {
	if err := w.Where("count_id = ? AND number = ?", c.ID, f.Sheet).Limit(1).Find(&s).Error; err != nil {
		return 0, s, err
	}
	if s.ID == 0 || s.Void() {
		return 0, s, desk.RefuseAs(desk.Invalid, "sheet", "This count has no sheet number %d.", f.Sheet)
	}
	for _, text := range []*string{&f.Bin, &f.SKU, &f.Lot, &f.Serial, &f.Holding} {
		*text = strings.TrimSpace(*text)
	}
	key := [stock.Parts]string{stock.SKU: f.SKU, stock.Lot: f.Lot, stock.Serial: f.Serial}
	codes, scan, scanned, err := counting.Scanned(&key, desk.Instant(w.Now).Year())
	if err != nil {
		return 0, s, desk.RefuseAs(desk.Invalid, "sku", "%q %v.", f.SKU, err)
	}
	if scanned {
		f.Lot, f.Serial, f.scan, f.codes = key[stock.Lot], key[stock.Serial], scan, codes
	}
	k := count.FoundKey{Lot: f.Lot, Serial: f.Serial, Holding: f.Holding}
	if k.Bin, err = f.bin(w, c); err != nil {
		return 0, s, err
	}
	if k.Item, err = f.item(w); err != nil {
		return 0, s, err
	}
	if err := f.open(w, c, &k); err != nil {
		return 0, s, err
	}
	var is store.CountLine
	if err := w.Raw(`SELECT * FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND bin_id = ? AND item_id = ?
		AND lot = ? AND serial = ? AND holding = ? LIMIT 1`, c.ID, k.Bin, k.Item, k.Lot, k.Serial, k.Holding).Scan(&is).Error; err != nil {
		return 0, s, err
	}
	if is.Pos == 0 {
		made, err := count.AddLines(w, c, []count.FoundKey{k}, map[count.FoundKey]int64{k: s.ID})
		return made[k], s, err
	}
	var own store.Sheet
	if row := s.RowOf(is.Pos); s.Recount() && row > 0 && !tray {
		return 0, s, desk.RefuseAs(desk.Invalid, "sku", "%s in %s has a row of its own: %s on sheet %d. Type it there.", f.SKU, f.Bin,
			count.RowCodeOn(&is, &s), s.Number)
	}
	if err := w.Where("count_id = ? AND first <= ? AND first + lines > ? AND max(round, 1) = ?", c.ID, is.Pos, is.Pos, s.InRound()).Limit(1).Find(&own).Error; err != nil {
		return 0, s, err
	}
	if own.ID != 0 && !tray {
		return 0, s, desk.RefuseAs(desk.Invalid, "sku", "%s in %s has a row of its own: %s on sheet %d. Type it there.", f.SKU, f.Bin,
			count.RowCodeOf(c.ID, &is, own.Number, own.First), own.Number)
	}
	return is.Pos, s, nil
}

// open fills in what was left open of a lot, serial and holding where only one line of the item is recorded or counted in the bin, and asks
// where several are.
func (f *Found) open(w *desk.Work, c *store.Count, k *count.FoundKey) error {
	var known []count.FoundKey
	fits := func(l count.FoundKey) {
		for _, x := range [][2]string{{k.Lot, l.Lot}, {k.Serial, l.Serial}, {k.Holding, l.Holding}} {
			if x[0] != "" && !strings.EqualFold(x[0], x[1]) {
				return
			}
		}
		if !slices.Contains(known, l) {
			known = append(known, l)
		}
	}
	var lines []store.CountLine
	if err := w.Raw("SELECT * FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND bin_id = ? AND item_id = ? AND status <> ? ORDER BY pos",
		c.ID, k.Bin, k.Item, store.Gone).Scan(&lines).Error; err != nil {
		return err
	}
	for _, l := range lines {
		fits(count.FoundKey{Bin: k.Bin, Item: k.Item, Lot: l.Lot, Serial: l.Serial, Holding: l.Holding})
	}
	err := store.RecordedIn(w.Tx, c.SetID, []int64{k.Bin}, func(l *store.StockLine) error {
		if l.ItemID == k.Item {
			fits(count.FoundKey{Bin: k.Bin, Item: k.Item, Lot: l.Lot, Serial: l.Serial, Holding: l.Holding})
		}
		return nil
	})
	if err != nil || len(known) == 0 || slices.Contains(known, *k) {
		return err
	}
	if len(known) > 1 {
		words := make([]string, 0, len(known))
		for _, l := range known[:min(len(known), 4)] {
			words = append(words, cmp.Or(strings.Join(strings.Fields(l.Lot+" "+l.Serial+" "+l.Holding), " "), "none"))
		}
		if len(known) > 4 {
			words = append(words, "…")
		}
		return desk.RefuseAs(
			desk.Invalid,
			"lot",
			"%s lies in %s as %s. Say which of them was counted.",
			f.SKU,
			f.Bin,
			strings.Join(words, ", "),
		)
	}
	*k = known[0]
	f.Lot, f.Serial, f.Holding = k.Lot, k.Serial, k.Holding
	return nil
}

// bin finds the bin, without regard to case.
func (f *Found) bin(w *desk.Work, c *store.Count) (id int64, err error) {
	var ids []int64
	err = w.Raw("SELECT id FROM bins WHERE warehouse_id = ? AND code = ? COLLATE NOCASE ORDER BY code = ? DESC LIMIT 2", c.WarehouseID, f.Bin, f.Bin).
		Scan(&ids).
		Error
	if err != nil {
		return 0, err
	}
	if len(ids) == 0 {
		return 0, desk.RefuseAs(
			desk.Invalid,
			"bin",
			"%q is no bin of this warehouse. Write the bin as its label says, or take the place in first.",
			f.Bin,
		)
	}
	return ids[0], nil
}

// item finds the item by its SKU, else by its barcode or further SKU.
func (f *Found) item(w *desk.Work) (id int64, err error) {
	ids, err := f.items(w)
	switch {
	case err != nil:
		return 0, err
	case f.SKU == "":
		return 0, desk.RefuseAs(desk.Invalid, "sku", "Name the item that was found.")
	case len(ids) == 0:
		return 0, desk.RefuseAs(desk.Invalid, "sku", "%q is no item that is known. Take the item in first, or correct the SKU.", f.SKU)
	case len(ids) == 1:
		return ids[0], f.ofPack(w, ids[0])
	case len(ids) > 1:
		return 0, desk.RefuseAs(desk.Invalid, "sku", "%q stands for several items. Name the item by its SKU.", f.SKU)
	}
	return ids[0], nil
}

// ofPack notes that the item was named by the barcode of a pack.
func (f *Found) ofPack(w *desk.Work, item int64) error {
	var packs, sku string
	if err := w.Raw("SELECT packs, sku FROM items WHERE id = ?", item).Row().Scan(&packs, &sku); err != nil {
		return err
	}
	for b, pack := range count.PackBarcodes(packs) {
		if b != sku && (b == f.SKU || slices.Contains(f.codes, b)) {
			f.pack = pack
		}
	}
	return nil
}

// named gives the item that a typed or scanned text names; 0 where it names none, or several.
func (f *Found) named(w *desk.Work) (id int64, err error) {
	key := [stock.Parts]string{stock.SKU: f.SKU}
	if codes, _, scanned, err := counting.Scanned(&key, desk.Instant(w.Now).Year()); err == nil && scanned {
		f.codes = codes
	}
	ids, err := f.items(w)
	if err != nil || len(ids) != 1 {
		return 0, err
	}
	return ids[0], nil
}

// items gives the items, two at most, that the text names in the first way in which it names any: its SKU, that without regard to case, a
// barcode of the item or of one of its packs, a further SKU.
func (f *Found) items(w *desk.Work) (ids []int64, err error) {
	names := append([]string{f.SKU}, f.codes...) // the forms of a scanned GTIN
	for _, where := range []string{"sku = @s", "sku = @s COLLATE NOCASE", "barcode = @s OR further_sku = @s OR instr(barcodes, json_quote(@s)) > 0"} {
		for _, name := range names {
			if err = w.Raw("SELECT id FROM items WHERE "+where+" LIMIT 2", sql.Named("s", name)).Scan(&ids).Error; err != nil ||
				len(ids) > 0 {
				return ids, err
			}
		}
	}
	return nil, nil
}
