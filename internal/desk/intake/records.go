package intake

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// records are the warehouses, bins and items that an intake is held against, by code. What an earlier sheet of the
// same intake makes is added, with the number that it will have: nothing else makes such numbers, and a draft whose
// records have changed is looked at anew.
type records struct {
	houseCodes map[int64]string // of warehouses, by their numbers
	tx         *gorm.DB
	warehouses map[string]*store.Warehouse
	bins       map[int64]map[string]*place // by warehouse
	folded     map[int64]map[string]string // codes of bins by their folded form, "" where several share it; made where it is asked for
	items      map[string]int64
	measures   map[int64]int32 // by item: place in measured; items without a unit have none
	measured   []measured
	shared     map[[2]string]int32        // unit and packs: place in measured
	kept       map[store.PlaceBefore]bool // places that are kept as they were before this intake
	lastBin    int64
	lastItem   int64
	lastHouse  int64
	empty      bool // nothing was recorded before this intake
	last       bool // no sheet comes after the one in hand, so what it makes need not be found again
	sets       map[field.Field]*known.Set
	packed     map[string]string                 // by barcode that a pack has by itself: which pack, in words; never changed once it is read
	leads      map[field.Field]map[string]string // to the SKU; "" where several items have it
	binSets    *binSets
	version    int64 // of the records, as Desk.Version has it
	lent       bool  // its maps belong to the records that are kept for the next file, too: own comes before any change
	err        error // of a look-up that could not return it
}

// binSets are the bins of warehouses as sets, made when they are asked for.
type binSets struct {
	mu   sync.Mutex
	sets map[string]*known.Set
}

// keptCodes is how many codes are kept in memory from one file to the next. Where there are more, they are read for each.
const keptCodes = 500_000

// keptRecords are the records as they were read for the last file.
type keptRecords struct {
	mu      sync.Mutex
	version int64
	rec     *records
}

// lend gives the records to a file that is looked at. They are read anew where something changed since.
func (d *Room) lend(ctx context.Context) (*records, error) {
	k := &d.kept
	k.mu.Lock()
	defer k.mu.Unlock()
	version := d.Version(0) // before reading: what comes meanwhile is read again
	if k.rec == nil || k.version != version {
		k.rec = nil
		rec, err := d.loadRecords(ctx)
		if err != nil {
			return nil, err
		}
		if rec.version = version; len(rec.items)+int(rec.lastBin) > keptCodes {
			return rec, nil
		}
		if rec.known(); rec.err != nil {
			return nil, rec.err
		}
		k.version, k.rec = version, rec
	}
	rec := *k.rec
	rec.tx, rec.lent = d.Store.Read(ctx), true
	rec.kept, rec.folded = map[store.PlaceBefore]bool{}, nil
	rec.warehouses = make(map[string]*store.Warehouse, len(k.rec.warehouses))
	for code, h := range k.rec.warehouses {
		own := *h
		rec.warehouses[code] = &own
	}
	return &rec, nil
}

// own makes what is lent its own, before it is changed. Places that were found before are those of the lender.
func (r *records) own() {
	if !r.lent {
		return
	}
	r.lent = false
	bins := make(map[int64]map[string]*place, len(r.bins))
	for house, of := range r.bins {
		bins[house] = make(map[string]*place, len(of))
		for code, p := range of {
			mine := *p
			bins[house][code] = &mine
		}
	}
	r.bins, r.folded = bins, nil
	r.items, r.measures, r.shared = maps.Clone(r.items), maps.Clone(r.measures), maps.Clone(r.shared)
	r.measured = slices.Clone(r.measured)
	leads := make(map[field.Field]map[string]string, len(r.leads))
	for f, m := range r.leads {
		leads[f] = maps.Clone(m)
	}
	if r.leads != nil {
		r.leads = leads
	}
	r.sets, r.binSets = nil, nil
}

// codeOf gives the code of a warehouse, be it recorded or new.
func (rec *records) codeOf(house int64) string {
	if len(rec.houseCodes) != len(rec.warehouses) {
		rec.houseCodes = make(map[int64]string, len(rec.warehouses))
		for code, h := range rec.warehouses {
			rec.houseCodes[h.ID] = code
		}
	}
	return rec.houseCodes[house]
}

// categories gives the categories of items by SKU, those that have one.
func (rec *records) categories() (map[string]string, error) {
	out := map[string]string{}
	return out, store.Each(rec.tx, "SELECT sku, category FROM items WHERE category <> ''", nil, func(v []driver.Value) error {
		sku, _ := v[0].(string)
		out[sku], _ = v[1].(string)
		return nil
	})
}

// measured is a unit with the packs that are counted in it; many items share one.
type measured struct {
	unit  string
	names []string         // of the unit and the packs
	sizes map[string]int64 // base units in one, by unit without regard to case
}

// place is a bin's number and zone.
type place struct {
	id   int64
	zone string
}

func (d *Room) loadRecords(ctx context.Context) (*records, error) {
	tx := d.Store.Read(ctx)
	r := &records{
		tx:         tx,
		warehouses: map[string]*store.Warehouse{},
		bins:       map[int64]map[string]*place{},
		items:      map[string]int64{},
		kept:       map[store.PlaceBefore]bool{},
		measures:   map[int64]int32{},
	}
	var houses []store.Warehouse
	if err := tx.Find(&houses).Error; err != nil {
		return nil, err
	}
	for i := range houses {
		r.warehouses[houses[i].Code] = &houses[i]
		r.lastHouse = max(r.lastHouse, houses[i].ID)
	}
	rows, err := tx.Raw("SELECT id, warehouse_id, code, zone FROM bins").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, house int64
		var code, zone string
		if err := rows.Scan(&id, &house, &code, &zone); err != nil {
			return nil, err
		}
		r.addBin(house, code, &place{id, zone})
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	items, err := tx.Raw("SELECT id, sku, unit, packs FROM items").Rows()
	if err != nil {
		return nil, err
	}
	defer items.Close()
	for items.Next() {
		var id int64
		var sku, unit, packs string
		if err := items.Scan(&id, &sku, &unit, &packs); err != nil {
			return nil, err
		}
		r.items[sku] = id
		if err := r.measure(id, unit, packs); err != nil {
			return nil, err
		}
		r.lastItem = max(r.lastItem, id)
	}
	r.empty = len(r.warehouses)+len(r.items) == 0
	return r, items.Err()
}

// measure keeps in what units an item is given.
func (r *records) measure(id int64, unit, packs string) error {
	r.own()
	if unit == "" {
		delete(r.measures, id)
		return nil
	}
	if r.shared == nil {
		r.shared = map[[2]string]int32{}
	}
	at, had := r.shared[[2]string{unit, packs}]
	if !had {
		m := measured{unit: unit, names: []string{unit}, sizes: map[string]int64{code.Fold(unit): 1}}
		var list []read.Pack
		if packs != "" {
			if err := json.Unmarshal([]byte(packs), &list); err != nil {
				return fmt.Errorf("packs of item %d: %w", id, err)
			}
		}
		for _, p := range list {
			if k := code.Fold(p.Unit); m.sizes[k] == 0 {
				m.sizes[k], m.names = int64(p.Size/quantity.Scale), append(m.names, p.Unit)
			}
		}
		at = int32(len(r.measured))
		r.measured, r.sets = append(r.measured, m), nil
		r.shared[[2]string{unit, packs}] = at
	}
	r.measures[id] = at
	return nil
}

func (r *records) addBin(house int64, bin string, p *place) {
	r.own()
	if r.bins[house] == nil {
		r.bins[house] = map[string]*place{}
	}
	r.bins[house][bin] = p
	r.lastBin = max(r.lastBin, p.id)
	if by := r.folded[house]; by != nil {
		r.fold(by, bin)
	}
}

// fold notes a bin's code by its folded form.
func (r *records) fold(by map[string]string, bin string) {
	f := code.Fold(bin)
	if other, had := by[f]; had && other != bin {
		bin = ""
	}
	by[f] = bin
}

// bin finds a bin of a warehouse by its code: exactly, else without regard to case where that is unambiguous.
func (r *records) bin(house int64, bin string) *place {
	if p := r.bins[house][bin]; p != nil {
		return p
	}
	by := r.folded[house]
	if by == nil {
		if by = map[string]string{}; r.folded == nil {
			r.folded = map[int64]map[string]string{}
		}
		for c := range r.bins[house] {
			r.fold(by, c)
		}
		r.folded[house] = by
	}
	return r.bins[house][by[code.Fold(bin)]]
}

// newHouse, newBin and newItem give numbers to what will be made.
func (r *records) newHouse(code string) *store.Warehouse {
	r.own()
	r.lastHouse++
	h := &store.Warehouse{ID: r.lastHouse, Code: code}
	r.warehouses[code] = h
	r.sets = nil
	return h
}

func (r *records) newBin(house int64, code, zone string) store.Bin {
	b := store.Bin{ID: r.lastBin + 1, WarehouseID: house, Code: code, Zone: zone, SortKey: desk.SortKey(code)}
	if r.last {
		r.lastBin++
		return b
	}
	r.addBin(house, code, &place{b.ID, zone})
	r.sets = nil
	return b
}

func (r *records) newItem(sku string) int64 {
	if r.lastItem++; r.last {
		return r.lastItem
	}
	r.own()
	r.items[sku] = r.lastItem
	r.sets = nil
	return r.lastItem
}

// rename gives an item another code for the sheets that come after this one.
func (r *records) rename(was, sku string) {
	r.own()
	r.items[sku] = r.items[was]
	delete(r.items, was)
	r.sets = nil
}

// house finds a warehouse by its code: exactly, else without regard to case.
func (r *records) house(code string) *store.Warehouse {
	if h := r.warehouses[code]; h != nil {
		return h
	}
	if c, ok := r.known().Set(field.Warehouse).Find(code); ok {
		return r.warehouses[c]
	}
	return nil
}

// known gives what the records know, for recognising and matching.
func (r *records) known() *recognise.Known {
	if r.sets == nil {
		r.sets, r.binSets = map[field.Field]*known.Set{}, nil
		add := func(f field.Field, text string) {
			if r.sets[f] == nil {
				r.sets[f] = &known.Set{}
			}
			r.sets[f].Add(text)
		}
		for c := range r.warehouses {
			add(field.Warehouse, c)
		}
		for _, bins := range r.bins {
			for c, p := range bins {
				add(field.Bin, c)
				add(field.Zone, p.zone)
			}
		}
		for sku := range r.items {
			add(field.SKU, sku)
		}
		for f, column := range map[field.Field]string{field.Unit: "unit", field.Category: "category"} {
			var words []string
			if err := r.tx.Raw("SELECT DISTINCT " + column + " FROM items WHERE " + column + " <> ''").Scan(&words).Error; err != nil {
				r.err = err
			}
			for _, w := range words {
				add(f, w)
			}
		}
		for _, m := range r.measured {
			for _, unit := range m.names {
				add(field.Unit, unit)
			}
		}
		r.loadLeads()
		for f, m := range r.leads {
			for text := range m {
				add(f, text)
			}
		}
	}
	k := &recognise.Known{Sets: r.sets, Measure: func(sku, unit string) (size int64, base string, known bool) {
		if c, ok := r.sets[field.SKU].Find(sku); ok {
			sku = c
		}
		at, known := r.measures[r.items[sku]]
		if !known {
			return 1, "", false
		}
		m := r.measured[at]
		return m.sizes[code.Fold(unit)], m.unit, true
	}, Lead: func(by field.Field, text string) (sku string, many bool) {
		sku, found := r.leads[by][text]
		return sku, found && sku == ""
	}, Pack: func(barcode string) (string, bool) {
		pack, is := r.packed[barcode]
		return pack, is
	}}
	if r.empty { // there is nothing to judge by
		return k
	}
	if r.sets != nil && r.binSets == nil {
		r.binSets = &binSets{sets: map[string]*known.Set{}}
	}
	made, houses, bins := r.binSets, r.warehouses, r.bins // as they are now: what is lent is replaced before it is changed
	k.Bins = func(warehouse string) *known.Set {
		made.mu.Lock()
		defer made.mu.Unlock()
		if s, had := made.sets[warehouse]; had {
			return s
		}
		var s *known.Set
		if h := houses[warehouse]; h != nil && len(bins[h.ID]) > 0 {
			s = &known.Set{}
			for c := range bins[h.ID] {
				s.Add(c)
			}
		}
		made.sets[warehouse] = s
		return s
	}
	return k
}

// loadLeads finds what else identifies items.
func (r *records) loadLeads() {
	if r.leads != nil {
		return
	}
	r.leads = map[field.Field]map[string]string{field.FurtherSKU: {}, field.Barcode: {}, field.ItemID: {}, field.Description: {}}
	r.packed = map[string]string{}
	rows, err := r.tx.Raw("SELECT sku, further_sku, barcode, barcodes, packs, record_id, description FROM items").Rows()
	if err != nil {
		r.err = err
		return
	}
	defer rows.Close()
	for rows.Next() {
		var sku, further, barcode, barcodes, packs, id, description string
		if err := rows.Scan(&sku, &further, &barcode, &barcodes, &packs, &id, &description); err != nil {
			r.err = err
			return
		}
		r.lead(field.FurtherSKU, further, sku)
		r.lead(field.ItemID, id, sku)
		r.lead(field.Description, description, sku)
		for _, b := range count.Barcodes(barcode, barcodes) {
			r.lead(field.Barcode, b, sku)
		}
		for b, pack := range count.PackBarcodes(packs) {
			r.packed[b] = pack
		}
	}
	if err := rows.Err(); err != nil {
		r.err = err
	}
}

func (r *records) lead(f field.Field, text, sku string) {
	if text == "" {
		return
	}
	r.own()
	if other, had := r.leads[f][text]; had && other != sku {
		sku = ""
	}
	r.leads[f][text] = sku
}
