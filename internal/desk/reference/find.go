package reference

import (
	"context"
	"fmt"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Hit is something that goes by a text.
type Hit struct {
	Kind  string `json:"kind" enum:"item,bin,sheet,person"`
	ID    int64  `json:"id" doc:"the item, or the person; of a bin its warehouse, of a sheet its count"`
	Code  string `json:"code"`
	About string `json:"about"`
	Sheet int    `json:"sheet" doc:"the number of a sheet"`
}

// mostHits is how many things of a kind are found.
const mostHits = 8

// Find gives the items (by SKU, further SKU, barcode, record id, and words of the description), bins, sheets and, for controllers, people
// that go by a text: what has it as its code stands first, then what begins with it, then what has all of its words in it.
func (d *Room) Find(ctx context.Context, p desk.Person, text string) (out []Hit, err error) {
	out = []Hit{}
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	text = strings.TrimSpace(text)
	if text == "" {
		return out, nil
	}
	tx := d.Store.Read(ctx)
	code := strings.ToUpper(text)
	items, err := store.FindItems(tx, code, Matching(text), mostHits)
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		out = append(out, Hit{Kind: "item", ID: i.ID, Code: i.SKU, About: i.Description})
	}
	bins, err := store.FindPlaces(tx, code, mostHits)
	if err != nil {
		return nil, err
	}
	for _, b := range bins {
		out = append(out, Hit{Kind: "bin", ID: b.House, Code: b.Bin, About: strings.TrimSuffix(b.Warehouse+" "+b.Zone, " ")})
	}
	sheets, err := store.FindSheets(tx, code, mostHits)
	for _, s := range sheets {
		out = append(
			out,
			Hit{Kind: "sheet", ID: s.CountID, Code: s.Code, About: fmt.Sprintf("sheet %d of %s", s.Number, s.Name), Sheet: s.Number},
		)
	}
	if err != nil || desk.Allow(p, desk.Guard) != nil { // who did what is for those who may read the record
		return out, err
	}
	people, err := store.FindPeople(tx, code, mostHits)
	for _, x := range people {
		out = append(out, Hit{Kind: "person", ID: x.ID, Code: x.Name, About: x.Role + ", what was done"})
	}
	return out, err
}
