package read

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// Pack is a unit worth a whole number of base units.
type Pack struct {
	Unit    string            `json:"unit"`
	Size    quantity.Quantity `json:"size"`
	Barcode string            `json:"barcode,omitempty"`
}

// Item is one item of an item file. Given holds the fields that the file fills, Cleared those that it empties.
type Item struct {
	SKU, FurtherSKU, Description, Unit, Category, Class, RecordID, Parent string
	Barcodes                                                              []string
	Packs                                                                 []Pack
	Cost                                                                  quantity.Cost
	Nature                                                                string // stocked, service or parent
	Tracking                                                              string // lot, serial or empty
	Active                                                                bool
	Kept                                                                  map[string]string // attributes
	Row                                                                   int
	Given, Cleared                                                        map[field.Field]bool
}

// ItemFile is what an item file holds.
type ItemFile struct {
	Told
	Items        []Item
	Rows         int
	CostsRounded int
	Values       []Value
	Left         int
}

// Items reads items. A SKU that comes twice is a problem that names both rows, unless its rows only add packs and
// barcodes.
func (r Reading) Items(f *tabular.File, m *recognise.Mapping, p *problem.Problems) (*ItemFile, error) {
	return reading(r, f, m, p, (*pass).items)
}

func (r *pass) items() (*ItemFile, error) {
	s := &ItemFile{}
	skus := map[string]int{}     // to the place among the items
	first := map[string]int{}    // to the row, be it good or not
	folds := map[string]string{} // SKUs by how they read without regard to case
	barcodes := map[string]int{} // to the same
	judge := r.settler()
	attributes := r.attributes(field.ItemAttribute)
	var err error
	s.Rows, err = r.table(func(n int) { s.Items = slices.Grow(s.Items, n) }, func(c *cells) {
		it := Item{Row: c.row, Active: true, Nature: "stocked", Given: map[field.Field]bool{}}
		text := func(f field.Field) string {
			src := r.sources[f]
			if src == nil {
				return ""
			}
			t := string(c.get(src))
			if t != "" {
				it.Given[f] = true
			} else if src.Clear {
				it.clear(f)
			}
			return t
		}
		it.SKU = text(field.SKU)
		if it.SKU == "" && r.Known != nil && (r.Known.Lead != nil || r.Known.Blank) { // known by something else
			for _, by := range []field.Field{field.FurtherSKU, field.Barcode, field.ItemID, field.RecordID} {
				if t := text(by); t != "" && it.SKU == "" && r.Known.Lead != nil {
					if by == field.RecordID {
						by = field.ItemID
					}
					if sku, many := r.Known.Lead(by, t); sku != "" && !many {
						it.SKU = sku
					}
				}
			}
			if name := text(field.Description); it.SKU == "" && name != "" && judge.given.Codes != "" {
				it.SKU = judge.named(name)
			}
			it.Given[field.FurtherSKU], it.Given[field.Barcode] = false, false
		}
		it.FurtherSKU, it.Description, it.Class, it.RecordID, it.Parent = text(
			field.FurtherSKU,
		), text(
			field.Description,
		), text(
			field.Class,
		), text(
			field.RecordID,
		), text(
			field.Parent,
		)
		var ok bool
		if it.Unit, ok = judge.text(c, field.Unit, text(field.Unit)); !ok {
			c.bad = true
		}
		if it.Category, ok = judge.text(c, field.Category, text(field.Category)); !ok {
			c.bad = true
		}
		if it.SKU == "" {
			c.wrong(field.SKU, "empty", nil, "is empty. Every row names its item")
		} else if v := r.suspect(judge, it.SKU); v != nil {
			switch {
			case v.drop:
				c.bad = true
				judge.left++
			case v.kind != "":
				c.wrong(field.SKU, v.kind, []byte(it.SKU), "%s", v.text)
			case v.to != "":
				it.SKU = v.to
			}
			if v.value != nil {
				if v.value.Rows++; v.value.Row == 0 {
					v.value.Row = c.row
				}
			}
		}
		r.oddItem(c, field.SKU, it.SKU)
		var rounded bool
		if it.Cost, rounded, ok = c.cost(r.sources[field.UnitCost]); ok {
			it.Given[field.UnitCost] = true
			if rounded {
				s.CostsRounded++
			}
		} else {
			text(field.UnitCost)
		}
		if v := text(field.Nature); v != "" {
			if it.Nature, ok = field.Natures[field.Squeeze(judge.said(field.Nature, v))]; !ok {
				c.wrong(field.Nature, UnknownWord, []byte(v), "%q is none of stocked, service and parent", problem.Short([]byte(v)))
			}
		}
		if v := text(field.Active); v != "" {
			if it.Active, ok = field.Truths[field.Squeeze(judge.said(field.Active, v))]; !ok {
				c.wrong(field.Active, UnknownWord, []byte(v), "%q is neither yes nor no", problem.Short([]byte(v)))
			}
		}
		if v := text(field.Tracking); v != "" {
			if it.Tracking, ok = field.Trackings[field.Squeeze(judge.said(field.Tracking, v))]; !ok {
				c.wrong(field.Tracking, UnknownWord, []byte(v), "%q is none of lot, serial and none", problem.Short([]byte(v)))
			}
		}
		for t := range strings.FieldsFuncSeq(text(field.Barcode), func(r rune) bool {
			return r == ',' || r == ';' || r == '|' || r == ' ' ||
				r == '\n'
		}) {
			if len(t) > MaxCode || len(it.Barcodes) == MaxCode {
				c.wrong(field.Barcode, tooLong, []byte(problem.Short([]byte(t))),
					"a barcode has at most %d bytes, and an item at most %d barcodes. %q is beyond that", MaxCode, MaxCode, problem.Short([]byte(t)))
				break
			}
			r.oddItem(c, field.Barcode, t)
			it.Barcodes = append(it.Barcodes, t)
		}
		it.pack(c)
		for _, a := range attributes {
			if v := c.get(a.source); len(v) > 0 {
				if it.Kept == nil {
					it.Kept = map[string]string{}
				}
				it.Kept[a.name] = string(v)
			}
		}
		if row, twice := first[it.SKU]; !twice {
			first[it.SKU] = c.row
			if r.Known != nil && it.SKU != "" {
				fold := code.Fold(it.SKU)
				if other, had := folds[fold]; !had {
					folds[fold] = it.SKU
				} else if x := judge.matches[field.SKU][it.SKU]; x == nil || x.Do != "new" {
					c.wrong(field.SKU, AnotherSpelling, []byte(it.SKU), "%q is written %s in row %d. Say which it is, or that they are two items",
						problem.Short([]byte(it.SKU)), other, first[other])
				}
			}
		} else if _, good := skus[it.SKU]; !good && it.SKU != "" {
			c.wrong(field.SKU, "duplicate key", []byte(it.SKU), "%q comes twice, first in row %d", problem.Short([]byte(it.SKU)), row)
		}
		if c.bad {
			return
		}
		for _, b := range it.Barcodes {
			if other, taken := barcodes[b]; taken && s.Items[other].SKU != it.SKU {
				c.wrongWith(
					s.Items[other].Row,
					field.Barcode,
					"barcode twice",
					[]byte(b),
					"%q is the barcode of %s too, in row %d. A barcode belongs to one item",
					problem.Short([]byte(b)),
					s.Items[other].SKU,
					s.Items[other].Row,
				)
			} else if r.Known != nil && r.Known.Lead != nil && !taken {
				if sku, _ := r.Known.Lead(field.Barcode, b); sku != "" && sku != it.SKU && !strings.EqualFold(sku, it.SKU) {
					c.wrong(field.Barcode, "barcode of another item", []byte(b), "%q is recorded as the barcode of %s. A barcode belongs to one item",
						problem.Short([]byte(b)), sku)
				}
			}
		}
		if c.bad {
			return
		}
		at, twice := skus[it.SKU]
		if twice {
			if !s.Items[at].add(&it) {
				c.wrongWith(
					s.Items[at].Row,
					field.SKU,
					"duplicate key",
					[]byte(it.SKU),
					"%q comes twice, first in row %d. Take one out; rows that only add packs or barcodes may stay",
					problem.Short([]byte(it.SKU)),
					s.Items[at].Row,
				)
				return
			}
		} else {
			at = len(s.Items)
			skus[it.SKU] = at
			s.Items = append(s.Items, it)
		}
		for _, b := range it.Barcodes {
			barcodes[b] = at
		}
	})
	s.Values, s.Left = judge.list(), judge.left
	return s, err
}

// suspect judges the SKU of an item: what looks damaged is not taken for a new item.
func (r *pass) suspect(judge *settler, sku string) *verdict {
	if judge.idle(field.SKU) {
		return nil
	}
	return judge.judge(field.SKU, sku)
}

func (it *Item) clear(f field.Field) {
	if it.Cleared == nil {
		it.Cleared = map[field.Field]bool{}
	}
	it.Cleared[f] = true
}

// pack reads a pack of the row.
func (it *Item) pack(c *cells) {
	unit := string(c.get(c.in.sources[field.PackUnit]))
	size, given := c.quantity(c.in.sources[field.PackSize])
	switch {
	case c.bad || unit == "" && !given:
	case !given:
		c.wrong(
			field.PackSize,
			"empty",
			nil,
			"is empty, but the row names the pack %q. Say how many base units it holds",
			problem.Short([]byte(unit)),
		)
	case size <= 0 || size%quantity.Scale != 0:
		c.wrong(
			field.PackSize,
			"no whole number",
			c.get(c.in.sources[field.PackSize]),
			"%s is no pack size. A pack holds a whole number of base units",
			size,
		)
	default:
		if unit == "" {
			unit = fmt.Sprintf("pack of %s", size)
		}
		x := Pack{Unit: unit, Size: size}
		it.Packs = append(it.Packs, x)
		it.Given[field.PackSize] = true
	}
}

// ownBarcode gives the barcode of a row to the pack of that row.
func (it *Item) ownBarcode() {
	if len(it.Packs) == 1 && len(it.Barcodes) == 1 && it.Packs[0].Barcode == "" && it.Packs[0].Size != quantity.Scale {
		it.Packs[0].Barcode = it.Barcodes[0]
	}
}

// add takes in a further row of the same item, where it says nothing else than packs and barcodes.
func (it *Item) add(more *Item) bool {
	same := func(f field.Field, a, b string) bool { return !more.Given[f] || a == b }
	if len(more.Barcodes)+len(more.Packs) == 0 ||
		!same(field.Description, it.Description, more.Description) || !same(field.Unit, it.Unit, more.Unit) ||
		!same(field.Category, it.Category, more.Category) || !same(field.Class, it.Class, more.Class) ||
		!same(field.Parent, it.Parent, more.Parent) || !same(field.FurtherSKU, it.FurtherSKU, more.FurtherSKU) ||
		!same(field.Nature, it.Nature, more.Nature) || !same(field.Tracking, it.Tracking, more.Tracking) ||
		more.Given[field.UnitCost] && it.Cost != more.Cost || more.Given[field.Active] && it.Active != more.Active {
		return false
	}
	// Where rows of an item have other packs and other barcodes, each barcode is that of the pack in its row.
	if len(more.Packs) > 0 && len(more.Barcodes) == 1 && !slices.Contains(it.Barcodes, more.Barcodes[0]) {
		it.ownBarcode()
		more.ownBarcode()
	}
	before := len(it.Barcodes) + len(it.Packs)
	for _, b := range more.Barcodes {
		if !slices.Contains(it.Barcodes, b) {
			it.Barcodes = append(it.Barcodes, b)
		}
	}
	for _, x := range more.Packs {
		if !slices.ContainsFunc(it.Packs, func(y Pack) bool { return y.Unit == x.Unit }) {
			it.Packs = append(it.Packs, x)
		}
	}
	it.Given[field.Barcode], it.Given[field.PackSize] = it.Given[field.Barcode] ||
		more.Given[field.Barcode], it.Given[field.PackSize] ||
		more.Given[field.PackSize]
	return len(it.Barcodes)+len(it.Packs) > before
}

// Place is one row of a places file: a warehouse, or a bin in it.
type Place struct {
	Warehouse, Name, Zone, Bin string
	Row                        int
	ClearZone                  bool
}

// PlaceFile is what a places file holds.
type PlaceFile struct {
	Told
	Places []Place
	Rows   int
	Values []Value
	Left   int
}

// Places reads warehouses and bins. A bin that comes twice with different zones is a problem.
func (r Reading) Places(f *tabular.File, m *recognise.Mapping, p *problem.Problems) (*PlaceFile, error) {
	return reading(r, f, m, p, (*pass).places)
}

func (r *pass) places() (*PlaceFile, error) {
	s := &PlaceFile{}
	seen := map[[2]string]int{}
	judge := r.settler()
	var err error
	s.Rows, err = r.table(func(n int) { s.Places = slices.Grow(s.Places, n) }, func(c *cells) {
		text := func(f field.Field) string { return string(c.get(r.sources[f])) }
		x := Place{Row: c.row, Name: text(field.HouseName), Bin: text(field.Bin)}
		var ok bool
		if x.Warehouse, ok = judge.text(c, field.Warehouse, text(field.Warehouse)); !ok {
			c.bad = true
		} else if x.Warehouse == "" {
			c.wrong(field.Warehouse, "empty", nil, "is empty. Every place is in a warehouse")
		}
		if x.Zone, ok = judge.text(c, field.Zone, text(field.Zone)); !ok {
			c.bad = true
		}
		x.ClearZone = x.Zone == "" && r.sources[field.Zone] != nil && r.sources[field.Zone].Clear
		judge.house = x.Warehouse
		if x.Bin, ok = judge.text(c, field.Bin, x.Bin); !ok || c.bad {
			c.bad = true
			return
		}
		k := [2]string{x.Warehouse, x.Bin}
		if at, twice := seen[k]; twice && x.Bin != "" {
			if s.Places[at].Zone != x.Zone {
				c.wrong(
					field.Bin,
					"duplicate key",
					[]byte(x.Bin),
					"%q of %s comes twice with different zones, first in row %d",
					problem.Short([]byte(x.Bin)),
					x.Warehouse,
					s.Places[at].Row,
				)
			}
			return
		}
		seen[k] = len(s.Places)
		s.Places = append(s.Places, x)
	})
	s.Values, s.Left = judge.list(), judge.left
	return s, err
}
