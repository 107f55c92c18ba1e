package reconcile

import (
	"io"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// findCauses looks for what stands behind the lines that are over, short or found.
func (r *run) findCauses() {
	in := &cause.Input{Codes: &r.book.Codes, Frozen: r.frozen, Ordered: true, Counted: r.Figures.Counted, Uncounted: r.Figures.Uncounted}
	at := make([]int32, len(r.book.Lines)) // by line: its position among those with a variance + 1
	short := map[[2]stock.ID]bool{}        // warehouses and items
	in.Lines = make([]cause.Line, 0, len(r.off))
	entries := make([]cause.Entry, 0, len(r.off))
	for _, n := range r.off {
		res := &r.results[n]
		l := &r.book.Lines[n]
		x := cause.Line{Key: l.Key, Order: n, Expected: res.Expected, Counted: res.Counted, Variance: res.Variance, Row: l.Row > 0,
			CountedAt: res.CountedAt, Movements: r.movements[int(n)]}
		if l.Description != 0 {
			x.Description = r.book.Descriptions.Text(l.Description)
		}
		if l.Costed {
			x.Cost = l.Cost
		}
		first := len(entries)
		for k := r.inputs[n].first; k != 0; k = r.entries[k-1].next {
			e := &r.entries[k-1]
			if int(e.round) != res.Round {
				continue
			}
			entries = append(entries, cause.Entry{Quantity: e.quantity, At: e.at, Counter: e.counter})
			if begin := e.at; x.First == 0 || begin < x.First {
				x.First = begin
			}
			if e.from != 0 {
				x.First = min(x.First, e.from)
			}
		}
		x.Entries = entries[first:len(entries):len(entries)]
		if x.Variance < 0 {
			short[[2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.SKU]}] = true
		}
		in.Lines = append(in.Lines, x)
		at[n] = int32(len(in.Lines))
	}
	if len(in.Lines) == 0 {
		r.causes = in
		return
	}
	for _, n := range r.open {
		if k := r.book.Lines[n].Key; short[[2]stock.ID{k[stock.Warehouse], k[stock.SKU]}] {
			in.Places = append(in.Places, cause.Place{Key: k, Order: n, Expected: r.results[n].Expected})
		}
	}
	for _, rows := range r.rows {
		var off []int32
		for i, x := range rows {
			if x.entry != 0 && at[x.line-1] > 0 {
				off = append(off, int32(i))
			}
		}
		in.Sheets = append(in.Sheets, cause.Sheet{Len: len(rows), Off: off, Row: func(i int) (out cause.Row) {
			out.Line = -1
			x := rows[i]
			if x.line == 0 {
				return out
			}
			out.Expected = r.results[x.line-1].Expected
			if x.entry == 0 || r.entries[x.entry-1].replaced {
				return out
			}
			out.Given, out.Counted = true, r.entries[x.entry-1].quantity
			if n := at[x.line-1]; n > 0 && len(in.Lines[n-1].Entries) == 1 {
				out.Line = n - 1
			}
			return out
		}})
	}
	r.describe(in.Lines)
	r.know(in)
	r.causes, r.explained = in, cause.Find(in)
}

// describe gives found lines, which have no row that says so, the description that their items have elsewhere.
func (r *run) describe(lines []cause.Line) {
	wanted := map[stock.ID]string{}
	for i := range lines {
		if l := &lines[i]; !l.Row {
			wanted[l.Key[stock.SKU]] = ""
		}
	}
	if len(wanted) == 0 {
		return
	}
	for n := range r.book.Lines {
		l := &r.book.Lines[n]
		if text, is := wanted[l.Key[stock.SKU]]; is && text == "" && l.Description != 0 {
			wanted[l.Key[stock.SKU]] = r.book.Descriptions.Text(l.Description)
		}
	}
	for i := range lines {
		if l := &lines[i]; !l.Row {
			l.Description = wanted[l.Key[stock.SKU]]
		}
	}
}

// know gives what the item file says of items.
func (r *run) know(in *cause.Input) {
	if r.items == nil {
		return
	}
	items, packs := map[stock.ID]cause.Item{}, map[stock.ID][]quantity.Quantity{}
	for i := range r.items.Items {
		it := &r.items.Items[i]
		sku, found := r.book.Codes[stock.SKU].Find(it.SKU)
		if !found {
			continue
		}
		items[sku] = cause.Item{Description: it.Description, Category: it.Category, Barcodes: it.Barcodes}
		for _, p := range it.Packs {
			if p.Size > quantity.Scale {
				packs[sku] = append(packs[sku], p.Size)
			}
		}
	}
	in.Item = func(sku stock.ID) cause.Item { return items[sku] }
	in.Packs = func(sku stock.ID) []quantity.Quantity { return packs[sku] }
}

// CauseInput is what the likely causes follow from; nil where they were not looked for.
func (r *Result) CauseInput() *cause.Input {
	r.found()
	return r.causes
}

// WriteCauses writes the likely causes, in the order of their lines.
func (r *Result) WriteCauses(w io.Writer) error {
	r.found()
	b := []byte(cause.Header)
	for i := range r.explained {
		b = r.explained[i].Append(b, r.causes)
		if len(b) > 1<<16 {
			if _, err := w.Write(b); err != nil {
				return err
			}
			b = b[:0]
		}
	}
	_, err := w.Write(b)
	return err
}
