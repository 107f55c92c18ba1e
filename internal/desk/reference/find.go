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
	by := map[string]any{"code": code, "quoted": `"` + code + `"`, "most": mostHits, "words": Matching(text)}
	type item struct {
		ID               int64
		Sku, Description string
	}
	var items []item
	find := func(where string) error {
		return tx.Raw(`SELECT id, sku, description FROM items WHERE `+where+`
			ORDER BY upper(sku) = @code DESC, barcode = @code OR upper(further_sku) = @code OR upper(record_id) = @code DESC,
				instr(upper(sku), @code) = 1 DESC, sort_key LIMIT @most`, by).Scan(&items).Error
	}
	if by["words"] != "" {
		err = find("id IN (SELECT rowid FROM item_words WHERE item_words MATCH @words)")
	}
	if err == nil && len(items) == 0 { // what goes by no word of its own, and parts of codes: all items are gone over
		err = find(`upper(record_id) = @code OR (packs <> '' AND instr(packs, @quoted) > 0) OR instr(upper(sku), @code) > 0`)
	}
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		out = append(out, Hit{Kind: "item", ID: i.ID, Code: i.Sku, About: i.Description})
	}
	var bins []struct {
		Code, Zone, House string
		WarehouseID       int64
	}
	err = tx.Raw(`SELECT b.code, b.zone, b.warehouse_id, w.code AS house FROM bins b JOIN warehouses w ON w.id = b.warehouse_id
		WHERE instr(upper(b.code), ?) > 0 ORDER BY upper(b.code) = ? DESC, instr(upper(b.code), ?), b.sort_key LIMIT ?`, code, code, code,
		mostHits).Scan(&bins).Error
	if err != nil {
		return nil, err
	}
	for _, b := range bins {
		out = append(out, Hit{Kind: "bin", ID: b.WarehouseID, Code: b.Code, About: strings.TrimSuffix(b.House+" "+b.Zone, " ")})
	}
	var sheets []struct {
		CountID    int64
		Number     int
		Code, Name string
	}
	err = tx.Raw(`SELECT s.count_id, s.number, s.code, c.name FROM sheets s JOIN counts c ON c.id = s.count_id
		WHERE c.state <> ? AND (upper(s.code) = ? OR ? = 'SHEET ' || s.number) ORDER BY c.id DESC LIMIT ?`, store.Freezing, code, code,
		mostHits).Scan(&sheets).Error
	for _, s := range sheets {
		out = append(
			out,
			Hit{Kind: "sheet", ID: s.CountID, Code: s.Code, About: fmt.Sprintf("sheet %d of %s", s.Number, s.Name), Sheet: s.Number},
		)
	}
	if err != nil || desk.Allow(p, desk.Guard) != nil { // who did what is for those who may read the record
		return out, err
	}
	var people []struct {
		ID         int64
		Name, Role string
	}
	err = tx.Raw(`SELECT id, name, role FROM people WHERE instr(upper(name), ?) > 0 OR upper(sign_in) = ? ORDER BY name LIMIT ?`, code, code, mostHits).
		Scan(&people).
		Error
	for _, x := range people {
		out = append(out, Hit{Kind: "person", ID: x.ID, Code: x.Name, About: x.Role + ", what was done"})
	}
	return out, err
}
