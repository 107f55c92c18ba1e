package count

import (
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
)

// CutOff is one thing that was on its way, in the books or on the floor, when a count was frozen.
type CutOff struct {
	ID        int64              `json:"id"`
	What      string             `json:"what" enum:"last in,last out,not booked,not put away,not shipped,in transit"`
	Reference string             `json:"reference" doc:"the document's number"`
	SKU       string             `json:"sku" doc:"the item whose lines it concerns; empty for none"`
	Bin       string             `json:"bin" doc:"the bin of these; empty for any"`
	Quantity  *quantity.Quantity `json:"quantity"`
	Note      string             `json:"note"`
	Person    string             `json:"person"`
	At        *time.Time         `json:"at"`
}

// CutOffKinds are the kinds of entries, in the order in which they are asked for.
var CutOffKinds = []string{"last in", "last out", "not booked", "not put away", "not shipped", "in transit"}

// concerns is the condition that an entry k of the cut-off list concerns a line l.
const concerns = `k.count_id = l.count_id AND k.item_id = l.item_id AND k.bin_id IN (0, l.bin_id) AND NOT k.withdrawn
	AND NOT EXISTS (SELECT 1 FROM cut_offs r WHERE r.count_id = k.count_id AND r.replaces = k.id)`

// CutOffs gives the cut-off list of a count, as it stands; or of one of its lines, where pos is not 0.
func CutOffs(tx *gorm.DB, countID, pos int64) ([]CutOff, error) {
	q := `SELECT k.id, k.what, k.reference, coalesce(i.sku, '') AS sku, coalesce(b.code, '') AS bin, k.quantity, k.note, k.person, k.at FROM cut_offs k
		LEFT JOIN items i ON i.id = k.item_id LEFT JOIN bins b ON b.id = k.bin_id`
	args := []any{countID}
	if pos != 0 {
		q, args = q+" JOIN count_lines l ON "+concerns+" WHERE k.count_id = ? AND l.pos = ?", append(args, pos)
	} else {
		q += " WHERE k.count_id = ? AND NOT k.withdrawn AND NOT EXISTS (SELECT 1 FROM cut_offs r WHERE r.count_id = k.count_id AND r.replaces = k.id)"
	}
	var rows []struct {
		ID                                      int64
		What, Reference, SKU, Bin, Note, Person string
		Quantity                                *int64
		At                                      int64
	}
	if err := tx.Raw(q+" ORDER BY k.id", args...).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]CutOff, 0, len(rows))
	for _, r := range rows {
		out = append(out, CutOff{r.ID, r.What, r.Reference, r.SKU, r.Bin, (*quantity.Quantity)(r.Quantity), r.Note, r.Person, desk.Moment(r.At)})
	}
	return out, nil
}
