package plan

import (
	"context"
	"slices"
	"strings"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// CutOffEntry is what is said of one thing on its way.
type CutOffEntry struct {
	What      string             `json:"what" enum:"last in,last out,not booked,not put away,not shipped,in transit"`
	Reference string             `json:"reference,omitempty" maxLength:"120"`
	SKU       string             `json:"sku,omitempty" maxLength:"200" doc:"the item whose lines it concerns, by SKU or barcode"`
	Bin       string             `json:"bin,omitempty" maxLength:"200"`
	Quantity  *quantity.Quantity `json:"quantity,omitempty"`
	Note      string             `json:"note,omitempty" maxLength:"500"`
}

// CutOff gives the cut-off list of a count.
func (d *Room) CutOff(ctx context.Context, p desk.Person, countID int64) ([]count.CutOff, error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	return count.CutOffs(c.Tx, countID, 0)
}

// AddCutOff adds to the cut-off list of a running count.
func (d *Room) AddCutOff(ctx context.Context, p desk.Person, countID int64, e CutOffEntry) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		for _, t := range []*string{&e.Reference, &e.SKU, &e.Bin, &e.Note} {
			*t = strings.TrimSpace(*t)
		}
		switch {
		case !slices.Contains(count.CutOffKinds, e.What):
			return none, desk.RefuseAs(desk.Invalid, "what", "%q is nothing that the cut-off list asks for.", e.What)
		case e.Reference == "" && e.SKU == "" && e.Note == "":
			return none, desk.RefuseAs(desk.Invalid, "reference", "Write the number of the document, the item, or a note.")
		case e.Bin != "" && e.SKU == "":
			return none, desk.RefuseAs(desk.Invalid, "sku", "Name the item in bin %s that it concerns.", e.Bin)
		}
		var item, bin int64
		if e.SKU != "" {
			items, err := itemsNamed(w.Tx, []string{e.SKU})
			if err != nil {
				return none, err
			}
			if item = items[e.SKU]; item == 0 {
				return none, desk.RefuseAs(desk.Invalid, "sku", "%q is no item that is known.", e.SKU)
			}
		}
		if e.Bin != "" {
			if err := w.Raw("SELECT id FROM bins WHERE warehouse_id = ? AND code = ? COLLATE NOCASE ORDER BY code = ? DESC LIMIT 1", c.WarehouseID, e.Bin,
				e.Bin).Scan(&bin).Error; err != nil {
				return none, err
			}
			if bin == 0 {
				return none, desk.RefuseAs(desk.Invalid, "bin", "%q is no bin of this warehouse.", e.Bin)
			}
		}
		if err := w.Exec("INSERT INTO cut_offs (count_id, what, reference, item_id, bin_id, quantity, note, person, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			c.ID, e.What, e.Reference, item, bin, (*int64)(e.Quantity), e.Note, p.Name, w.Now).Error; err != nil {
			return none, err
		}
		w.Tell(desk.Event{What: "count", Count: c.ID})
		return none, w.Say("cut-off noted", map[string]any{"count": c.ID, "entry": e})
	})
	return err
}

// WithdrawCutOff takes an entry of the cut-off list back.
func (d *Room) WithdrawCutOff(ctx context.Context, p desk.Person, countID, id int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		r := w.Exec(`INSERT INTO cut_offs (count_id, what, reference, item_id, bin_id, quantity, note, person, at, replaces, withdrawn)
			SELECT count_id, what, reference, item_id, bin_id, quantity, note, ?, ?, id, 1 FROM cut_offs k
			WHERE k.count_id = ? AND k.id = ? AND NOT k.withdrawn
			AND NOT EXISTS (SELECT 1 FROM cut_offs r WHERE r.count_id = k.count_id AND r.replaces = k.id)`, p.Name, w.Now, c.ID, id)
		if r.Error != nil {
			return none, r.Error
		}
		if r.RowsAffected == 0 {
			return none, desk.Missing("The entry of the cut-off list")
		}
		w.Tell(desk.Event{What: "count", Count: c.ID})
		return none, w.Say("cut-off withdrawn", map[string]any{"count": c.ID, "entry": id})
	})
	return err
}
