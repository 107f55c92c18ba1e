package reconcile

import (
	"io"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
)

// findCauses looks for what stands behind the lines that are over, short or found.
func (r *run) findCauses() {
	in := &cause.Input{Codes: &r.book.Codes, Frozen: r.frozen, Counted: r.Figures.Counted, Uncounted: r.Figures.Uncounted}
	at := make([]int32, len(r.book.Lines)) // by line: its position among those with a variance + 1
	short := map[[2]stock.ID]bool{}        // warehouses and items
	for n := range r.results {
		res := &r.results[n]
		switch res.Status {
		case variance.Over, variance.Short, variance.Found:
		default:
			continue
		}
		l := &r.book.Lines[n]
		x := cause.Line{Key: l.Key, Expected: res.Expected, Counted: res.Counted, Variance: res.Variance, Row: l.Row > 0, CountedAt: res.CountedAt,
			Movements: r.movements[n]}
		if l.Costed {
			x.Cost = l.Cost
		}
		for k := r.inputs[n].first; k != 0; k = r.entries[k-1].next {
			e := &r.entries[k-1]
			if int(e.round) != res.Round {
				continue
			}
			x.Entries = append(x.Entries, cause.Entry{Quantity: e.quantity, At: e.at, Counter: e.counter})
			if begin := e.at; x.First == 0 || begin < x.First {
				x.First = begin
			}
			if e.from != 0 {
				x.First = min(x.First, e.from)
			}
		}
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
	for n := range r.results {
		res, k := &r.results[n], r.book.Lines[n].Key
		if res.Status == variance.Uncounted && res.Expected > 0 && short[[2]stock.ID{k[stock.Warehouse], k[stock.SKU]}] {
			in.Places = append(in.Places, cause.Place{Key: k, Expected: res.Expected})
		}
	}
	for _, rows := range r.rows {
		in.Sheets = append(in.Sheets, cause.Sheet{Len: len(rows), Row: func(i int) (out cause.Row) {
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
	in.Item = r.itemKnown(in.Lines)
	r.causes, r.explained = in, cause.Find(in)
}

// itemKnown gives what the item file, and else the stock file, knows of items.
func (r *run) itemKnown(lines []cause.Line) func(sku stock.ID) cause.Item {
	known := map[stock.ID]cause.Item{}
	for i := range lines {
		known[lines[i].Key[stock.SKU]] = cause.Item{}
	}
	for n := range r.book.Lines {
		l := &r.book.Lines[n]
		if l.Description == 0 {
			continue
		}
		if x, wanted := known[l.Key[stock.SKU]]; wanted && x.Description == "" {
			known[l.Key[stock.SKU]] = cause.Item{Description: r.book.Descriptions.Text(l.Description)}
		}
	}
	if r.items != nil {
		for i := range r.items.Items {
			it := &r.items.Items[i]
			sku, found := r.book.Codes[stock.SKU].Find(it.SKU)
			if !found {
				continue
			}
			x := cause.Item{Description: it.Description, Category: it.Category, Barcodes: it.Barcodes}
			if x.Description == "" {
				x.Description = known[sku].Description
			}
			for _, p := range it.Packs {
				if p.Size > quantity.Scale {
					x.Packs = append(x.Packs, p.Size)
				}
			}
			known[sku] = x
		}
	}
	return func(sku stock.ID) cause.Item { return known[sku] }
}

// CauseInput is what the likely causes follow from; nil where they were not looked for.
func (r *Result) CauseInput() *cause.Input { return r.causes }

// WriteCauses writes the likely causes, in the order of their lines.
func (r *Result) WriteCauses(w io.Writer) error {
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
