package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// stockNews walks over the lines in their order, gives numbers to what has to be made, and lists it.
func (d *Room) stockNews(ctx context.Context, dr *draft, pt *part, rec *records) error {
	s, v := pt.stock(), pt.view
	rec.last = len(dr.parts) == 1 // each bin and item comes once in the order, so it is not looked for again
	made := s.houseRuns(rec)
	if rec.last { // the two ask for nothing in common
		broke := make(chan any, 1)
		go func() {
			defer func() { broke <- recover() }()
			s.itemNews(rec)
		}()
		s.binNews(rec)
		if r := <-broke; r != nil {
			panic(r) // where it is caught
		}
	} else {
		s.binNews(rec)
		s.itemNews(rec)
	}
	for _, h := range s.loaded {
		if !slices.ContainsFunc(s.houses, func(x houseRun) bool { return x.house.ID == h.ID }) {
			s.houses = append(s.houses, houseRun{from: len(s.order), house: h})
		}
	}
	if err := d.itemAttributes(ctx, dr, pt); err != nil {
		return err
	}
	if err := d.described(ctx, dr, pt, rec); err != nil {
		return err
	}
	e := &v.Effect
	e.making(len(made), "new warehouse", "new warehouses", func(i int) string { return made[i] })
	e.making(
		len(s.newBins),
		"new bin",
		"new bins",
		func(i int) string { return rec.codeOf(s.newBins[i].WarehouseID) + " " + s.newBins[i].Code },
	)
	e.making(len(s.newItems), "new item", "new items", func(i int) string { return s.newItems[i].SKU })
	e.making(
		len(s.items.after),
		"item with other attributes",
		"items with other attributes",
		func(i int) string { return s.items.after[i].SKU },
	)
	for _, other := range dr.parts { // a workbook may hold a sheet for each warehouse, but none in two sheets
		if other == pt || other.stock() == nil {
			continue
		}
		for _, h := range s.houses {
			if slices.ContainsFunc(other.stock().houses, func(x houseRun) bool { return x.house.ID == h.house.ID }) {
				v.Blocked = fmt.Sprintf(
					"Warehouse %s stands in the sheet %q too. Take in one of the two, and the other one by itself.",
					h.house.Code,
					other.view.Name,
				)
			}
		}
	}
	return nil
}

// houseRuns finds or makes the warehouses, and gives those that are made.
func (s *stockDraft) houseRuns(rec *records) (made []string) {
	b := s.after
	for at, n := range s.order {
		w := b.Lines[n].Key[stock.Warehouse]
		if at > 0 && b.Lines[s.order[at-1]].Key[stock.Warehouse] == w {
			continue
		}
		code := b.Codes[stock.Warehouse].Text(w)
		run := houseRun{from: at, house: rec.warehouses[code]}
		if run.house == nil {
			run.house, run.made = rec.newHouse(code), true
			made = append(made, code)
		}
		s.houses = append(s.houses, run)
	}
	return made
}

// binNews finds or makes the bins.
func (s *stockDraft) binNews(rec *records) {
	b, zones, house := s.after, s.zones(), 0
	var last stock.ID
	for at, n := range s.order {
		k := &b.Lines[n].Key
		newHouse := house < len(s.houses) && s.houses[house].from == at
		if newHouse {
			house++
		} else if k[stock.Bin] == last {
			continue
		}
		last = k[stock.Bin]
		id, code := s.houses[house-1].house.ID, b.Codes[stock.Bin].Text(last)
		run := binRun{from: at}
		if p := rec.bins[id][code]; p != nil {
			run.id = p.id
		} else {
			bin := rec.newBin(id, code, zones[[2]stock.ID{k[stock.Warehouse], last}])
			run.id = bin.ID
			s.newBins = append(s.newBins, bin)
		}
		s.bins = append(s.bins, run)
	}
}

// itemNews finds or makes the items. New ones are numbered in natural order, so that they are written one behind the
// other, to their index too; each takes what its first line says of it.
func (s *stockDraft) itemNews(rec *records) {
	b := s.after
	codes := &b.Codes[stock.SKU]
	first := make([]uint32, codes.Len()) // line + 1
	for _, n := range s.order {
		if sku := b.Lines[n].Key[stock.SKU]; first[sku] == 0 {
			first[sku] = n + 1
		}
	}
	s.itemIDs = make([]int64, len(first))
	type unknown struct {
		sku stock.ID
		key []byte
	}
	var made []unknown
	for sku, line := range first {
		if line == 0 {
			continue
		}
		text := codes.Text(stock.ID(sku))
		if s.itemIDs[sku] = rec.items[text]; s.itemIDs[sku] == 0 {
			made = append(made, unknown{stock.ID(sku), desk.SortKey(text)})
		}
	}
	barcodes := s.barcodes()
	slices.SortFunc(made, func(a, b unknown) int { return bytes.Compare(a.key, b.key) })
	s.newItems = make([]store.Item, len(made))
	for i, u := range made {
		l, text := &b.Lines[first[u.sku]-1], codes.Text(u.sku)
		item := &s.newItems[i]
		*item = store.Item{
			ID:          rec.newItem(text),
			SKU:         text,
			SortKey:     u.key,
			Description: b.Descriptions.Text(l.Description),
			Unit:        b.Units.Text(l.Unit),
			Nature:      "stocked",
			Active:      true,
		}
		if own := barcodes[text]; len(own) > 0 {
			if item.Barcode = own[0]; len(own) > 1 {
				b, _ := json.Marshal(own) // of strings
				item.Barcodes = string(b)
			}
		}
		s.itemIDs[u.sku] = item.ID
	}
}

// barcodes gives the file's barcodes by the SKU that alone has them, in order.
func (s *stockDraft) barcodes() map[string][]string {
	out := map[string][]string{}
	for text, sku := range s.file.Barcodes {
		if sku != 0 {
			name := s.file.Book.Codes[stock.SKU].Text(sku)
			out[name] = append(out[name], text)
		}
	}
	for _, own := range out {
		slices.Sort(own)
	}
	return out
}

// zones gives the zones of the file's bins by their numbers in after.
func (s *stockDraft) zones() map[[2]stock.ID]string {
	if s.after == s.file.Book || len(s.file.Zones) == 0 {
		return s.file.Zones
	}
	out := map[[2]stock.ID]string{}
	for k, z := range s.file.Zones {
		w, ok1 := s.after.Codes[stock.Warehouse].Find(s.file.Book.Codes[stock.Warehouse].Text(k[0]))
		b, ok2 := s.after.Codes[stock.Bin].Find(s.file.Book.Codes[stock.Bin].Text(k[1]))
		if ok1 && ok2 {
			out[[2]stock.ID{w, b}] = z
		}
	}
	return out
}

// itemAttributes lays the attributes that the file keeps with items over those that they have.
func (d *Room) itemAttributes(ctx context.Context, dr *draft, pt *part) error {
	s := pt.stock()
	if len(s.file.ItemKept) == 0 {
		return nil
	}
	kept := map[int64]string{} // by item
	var ids []int64
	for sku, attributes := range s.file.ItemKept {
		n, ok := s.after.Codes[stock.SKU].Find(s.file.Book.Codes[stock.SKU].Text(sku))
		if id := s.itemIDs[n]; ok && id != 0 {
			kept[id] = attributes
			ids = append(ids, id)
		}
	}
	for i := range s.newItems {
		s.newItems[i].Attributes = kept[s.newItems[i].ID]
	}
	lay := func(it *store.Item, made bool) error {
		var more map[string]string
		if err := json.Unmarshal([]byte(kept[it.ID]), &more); err != nil {
			return err
		}
		now := *it
		var err error
		if now.Attributes, err = withAttributes(it.Attributes, more); err == nil && now.Attributes != it.Attributes {
			s.items.change(it, &now, made)
		}
		return err
	}
	soFar := dr.itemsSoFar(pt)
	slices.Sort(ids)
	for len(ids) > 0 {
		some := ids[:min(len(ids), 500)]
		ids = ids[len(some):]
		var items []store.Item
		if err := d.Store.Read(ctx).Where("id IN ?", some).Find(&items).Error; err != nil {
			return err
		}
		for i := range items {
			if _, changed := soFar[items[i].ID]; !changed {
				if err := lay(&items[i], false); err != nil {
					return err
				}
			}
		}
		for _, id := range some {
			if is, changed := soFar[id]; changed {
				if err := lay(is.item, is.made); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// keyText names a key as people do.
func keyText(c *stock.Codes, k stock.Key) string {
	t := c.Texts(k)
	s := ""
	for p, part := range []string{"", "", "", "lot ", "serial ", ""} {
		if t[p] == "" {
			continue
		}
		if s != "" {
			s += " · "
		}
		s += part + t[p]
	}
	return s
}
