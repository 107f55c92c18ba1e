package reconcile

import (
	"wobin/internal/core/outfile"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
)

// OutLines gives the lines that go out, in the order of their keys, with what is known of their items.
func (r *Result) OutLines() []outfile.Line {
	items := make(map[string]*read.Item, len(r.known))
	for i := range r.known {
		items[r.known[i].SKU] = &r.known[i]
	}
	out := make([]outfile.Line, 0, r.AdjustmentLines)
	for n := range r.book.Lines { // they were put in order when they were evaluated
		if r.posted[n] == 0 {
			continue
		}
		a, _ := r.line(n, r.movements[n])
		x := outfile.Line{Line: a, Expected: r.results[n].Expected, Description: r.book.Descriptions.Text(r.book.Lines[n].Description)}
		if it := items[a.Key[stock.SKU]]; it != nil {
			x.Category, x.FurtherSKU = it.Category, it.FurtherSKU
			if it.Description != "" {
				x.Description = it.Description
			}
			if len(it.Barcodes) > 0 {
				x.Barcode = it.Barcodes[0]
			}
			x.Packs = map[string]quantity.Quantity{}
			for _, p := range it.Packs {
				x.Packs[p.Unit] = p.Size
			}
		}
		out = append(out, x)
	}
	return out
}
