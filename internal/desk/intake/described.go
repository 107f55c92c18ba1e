package intake

import (
	"context"
	"fmt"

	"wobin/internal/core/known"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// The check of descriptions, and its answers beside that the recorded ones stay.
const (
	otherThings = "described"
	fromFile    = "file"
)

// described asks about recorded items that a stock file describes as something else: a code may have been given to another thing.
func (d *Room) described(ctx context.Context, dr *draft, pt *part, rec *records) error {
	s, v := pt.stock(), pt.view
	b := s.file.Book
	if rec.empty || b.Descriptions.Len() < 2 {
		return nil
	}
	said := map[int64]stock.ID{} // by item: the first description
	seen := make([]bool, b.Codes[stock.SKU].Len())
	for i := range b.Lines {
		l := &b.Lines[i]
		sku := l.Key[stock.SKU]
		if l.Description == 0 || l.Row == 0 || seen[sku] {
			continue
		}
		seen[sku] = true
		if n, ok := s.after.Codes[stock.SKU].Find(b.Codes[stock.SKU].Text(sku)); ok && s.itemIDs[n] != 0 {
			said[s.itemIDs[n]] = l.Description
		}
	}
	for i := range s.newItems {
		delete(said, s.newItems[i].ID)
	}
	var other []store.Item
	var rows []CheckRow
	err := store.EachDescription(d.Store.Read(ctx), func(id int64, sku, description string) {
		if at, is := said[id]; is {
			if text := b.Descriptions.Text(at); !known.SameThing(text, description) {
				other = append(other, store.Item{ID: id, Description: text})
				rows = append(rows, CheckRow{Line: sku, Text: fmt.Sprintf("%q in the file, %q recorded", text, description)})
			}
		}
	})
	if err != nil || len(rows) == 0 {
		return err
	}
	v.ask(&dr.choices, Check{What: otherThings, Rows: rows,
		Text: desk.Plural(len(rows), "recorded item is", "recorded items are") + " described as something else in the file. Are they the same things?",
		Options: []CheckOption{
			{asItIs, "Yes: the recorded descriptions stay"},
			{fromFile, "Yes: take the descriptions of the file"},
		}})
	if v.answered(otherThings) != fromFile {
		return nil
	}
	return d.describeAnew(ctx, dr, pt, other)
}

// describeAnew gives items the descriptions of the file.
func (d *Room) describeAnew(ctx context.Context, dr *draft, pt *part, as []store.Item) error {
	s, text := pt.stock(), map[int64]string{}
	for i := range as {
		text[as[i].ID] = as[i].Description
	}
	for i := range s.items.after { // their attributes change too
		if now := &s.items.after[i]; text[now.ID] != "" {
			now.Description = text[now.ID]
			delete(text, now.ID)
		}
	}
	soFar := dr.itemsSoFar(pt)
	for id := range text {
		if is, changed := soFar[id]; changed {
			now := *is.item
			now.Description = text[id]
			s.items.change(is.item, &now, is.made)
			delete(text, id)
		}
	}
	items, err := store.ItemsOf(d.Store.Read(ctx), text)
	for i := range items {
		now := items[i]
		now.Description = text[now.ID]
		s.items.change(&items[i], &now, false)
	}
	return err
}
