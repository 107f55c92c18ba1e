package count

import (
	"encoding/json"

	"gorm.io/gorm"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Written is what was written of a count that is in doubt, as it was written.
type Written struct {
	RowCode     string `json:"row_code,omitempty"`
	Bin         string `json:"bin,omitempty"`
	SKU         string `json:"sku,omitempty" doc:"or whatever else names the item"`
	Description string `json:"description,omitempty"`
	Lot         string `json:"lot,omitempty"`
	Serial      string `json:"serial,omitempty"`
	Holding     string `json:"holding,omitempty"`
	Quantity    string `json:"quantity,omitempty"`
	CountedAt   string `json:"counted_at,omitempty"`
	Since       string `json:"since,omitempty" doc:"from when it was counted, where paper says so; counted_at is to when"`
	Counter     string `json:"counter,omitempty"`
}

// NewDoubt is something that could not be taken as a count.
type NewDoubt struct {
	Return, Sheet int64
	Row           int
	Kind, Wrong   string
	Written       Written
	Cells         []string // of the row of a file
}

// KeepDoubts puts what could not be taken as a count into the tray. What waits there already, from an earlier version of
// the same sheet or a copy of the file, is not put there twice.
func KeepDoubts(w *desk.Work, c *store.Count, doubts []NewDoubt) error {
	type same struct {
		sheet       int64
		kind, cells string
	}
	if len(doubts) == 0 {
		return nil
	}
	var waits []store.Doubt
	if err := w.Where("count_id = ? AND state = ? AND return_id <> 0", c.ID, store.Waits).Find(&waits).Error; err != nil {
		return err
	}
	known := map[same]int{}
	for _, x := range waits {
		known[same{x.SheetID, x.Kind, x.Cells}]++
	}
	var rows []store.Doubt
	for _, n := range doubts {
		cells, err := json.Marshal(n.Cells)
		if err != nil {
			return err
		}
		if k := (same{n.Sheet, n.Kind, string(cells)}); n.Return != 0 && known[k] > 0 {
			known[k]--
			continue
		}
		written, err := json.Marshal(n.Written)
		if err != nil {
			return err
		}
		rows = append(rows, store.Doubt{CountID: c.ID, ReturnID: n.Return, SheetID: n.Sheet, FileRow: n.Row, Kind: n.Kind, Wrong: n.Wrong,
			Written: string(written), Cells: string(cells), Person: w.Person.Name, At: w.Now, State: store.Waits})
	}
	if len(rows) == 0 {
		return nil
	}
	return w.CreateInBatches(&rows, 200).Error
}

// Doubts is how many wait in a count's tray.
func Doubts(tx *gorm.DB, countID int64) (n int, err error) {
	err = tx.Raw("SELECT count(*) FROM doubts WHERE count_id = ? AND state = ?", countID, store.Waits).Scan(&n).Error
	return n, err
}
