package intake

import (
	"fmt"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
)

// extent is how much of what is recorded a file of stock has, by warehouse and zone: whether it is the whole stock is asked where
// much of it is not there.
type extent struct {
	codes   *stock.Codes
	zones   map[[2]stock.ID]string // by warehouse and bin
	houses  map[stock.ID]*extentOf
	last    [2]stock.ID // neighbouring lines lie in one bin
	of      *extentOf
	zone    *had
	unknown int      // rows in doubt that name no line
	group   []*group // by SKU, as they were met
}

// extentOf is that of one warehouse.
type extentOf struct {
	had
	zones map[string]*had
}

// group is the lines of a category in all warehouses.
type group struct {
	name string
	had
}

// had is how many recorded lines there are, and how many of them are in the file.
type had struct{ recorded, found int }

// newExtent counts what is recorded; categories are those of items, by SKU.
func newExtent(before *stock.Book, rec *records, categories map[string]string) *extent {
	x := &extent{codes: &before.Codes, zones: map[[2]stock.ID]string{}, houses: map[stock.ID]*extentOf{}}
	if len(categories) > 0 {
		x.group = make([]*group, before.Codes[stock.SKU].Len())
		named := map[string]*group{}
		for id := 1; id < len(x.group); id++ {
			name := categories[before.Codes[stock.SKU].Text(stock.ID(id))]
			if named[name] == nil {
				named[name] = &group{name: name}
			}
			x.group[id] = named[name]
		}
	}
	for i := range before.Lines {
		k := &before.Lines[i].Key
		x.at(k, rec)
		x.of.recorded++
		x.zone.recorded++
		if g := x.groupOf(k); g != nil {
			g.recorded++
		}
	}
	return x
}

// groupOf is the category of a line; nil where there are none.
func (x *extent) groupOf(k *stock.Key) *group {
	if sku := k[stock.SKU]; int(sku) < len(x.group) {
		return x.group[sku]
	}
	return nil
}

// at finds the warehouse and zone of a line. rec is nil once all bins were met.
func (x *extent) at(k *stock.Key, rec *records) {
	pair := [2]stock.ID{k[stock.Warehouse], k[stock.Bin]}
	if x.of != nil && pair == x.last {
		return
	}
	x.last = pair
	if x.of = x.houses[pair[0]]; x.of == nil {
		x.of = &extentOf{zones: map[string]*had{}}
		x.houses[pair[0]] = x.of
	}
	zone, known := x.zones[pair]
	if !known && rec != nil {
		if h := rec.warehouses[x.codes[stock.Warehouse].Text(pair[0])]; h != nil {
			if p := rec.bins[h.ID][x.codes[stock.Bin].Text(pair[1])]; p != nil {
				zone = p.zone
			}
		}
		x.zones[pair] = zone
	}
	if x.zone = x.of.zones[zone]; x.zone == nil {
		x.zone = &had{}
		x.of.zones[zone] = x.zone
	}
}

// has notes that the file has a recorded line.
func (x *extent) has(k *stock.Key) {
	x.at(k, nil)
	x.of.found++
	x.zone.found++
	if g := x.groupOf(k); g != nil {
		g.found++
	}
}

// fewLines is how many recorded lines are missing at least where it is asked whether the file is the whole stock.
const fewLines = 3

// ask asks whether a file is the whole stock of its warehouses: where a fifth of the recorded lines, a whole zone or a
// whole category is not in it, or where rows that could not be read may be those that are missing.
func (x *extent) ask(dr *draft, pt *part, f *read.StockFile) {
	var rows []CheckRow
	missing, recorded := 0, 0
	for id, h := range x.houses {
		name := x.codes[stock.Warehouse].Text(id)
		gone := h.recorded - h.found
		missing, recorded = missing+gone, recorded+h.recorded
		if gone < fewLines {
			continue
		}
		if gone*5 >= h.recorded {
			rows = append(
				rows,
				CheckRow{
					0,
					name,
					fmt.Sprintf("%d of %s are not in the file", gone, desk.Plural(h.recorded, "recorded line", "recorded lines")),
				},
			)
			continue
		}
		for zone, z := range h.zones {
			if z.found == 0 && z.recorded >= fewLines {
				rows = append(
					rows,
					CheckRow{
						0,
						name + " · " + zone,
						fmt.Sprintf("none of %s is in the file", desk.Plural(z.recorded, "recorded line", "recorded lines")),
					},
				)
			}
		}
	}
	seen := map[*group]bool{}
	for _, g := range x.group {
		if g == nil || seen[g] || g.name == "" {
			continue
		}
		if seen[g] = true; g.found == 0 && g.recorded >= fewLines {
			rows = append(rows, CheckRow{0, "category " + g.name,
				fmt.Sprintf("none of %s is in the file", desk.Plural(g.recorded, "recorded line", "recorded lines"))})
		}
	}
	unread := f.Unread + x.unknown
	if missing > 0 && unread > 0 && len(rows) == 0 {
		rows = append(rows, CheckRow{0, "rows that could not be read",
			fmt.Sprintf("%s, of which nobody can tell which recorded lines they are", desk.Plural(unread, "row", "rows"))})
	}
	if len(rows) == 0 {
		return
	}
	slices.SortFunc(rows, func(a, b CheckRow) int { return code.Compare(a.Line, b.Line) })
	pt.view.ask(&dr.choices, Check{What: "part", Rows: rows,
		Text: fmt.Sprintf("%d of the %s are not in this file. Is it the whole stock, or a part of it?", missing,
			desk.Plural(recorded, "line recorded in its warehouses", "lines recorded in its warehouses")),
		Options: []CheckOption{
			{inPart, "A part: what is not in it stays as it is"},
			{whole, fmt.Sprintf("The whole stock: %s to zero", desk.Plural(missing, "line goes", "lines go"))},
		}})
}
