package desk

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/store"
)

// Filter narrows a list of lines. Pages follow one another by After, which is what the page before gave as Next.
type Filter struct {
	Bins  []int64
	Text  string
	Sheet int
	Show  string // variances: open, decided, held, all; counting: uncounted, counted
	After string
	Limit int
}

func (f *Filter) page() int {
	if f.Limit < 1 || f.Limit > 1000 {
		return 200
	}
	return f.Limit
}

// narrow adds the filter's conditions to a query over bins b and items i.
func (f *Filter) narrow(q string, args []any) (string, []any, error) {
	if len(f.Bins) > 0 {
		b, err := json.Marshal(f.Bins)
		if err != nil {
			return "", nil, err
		}
		q, args = q+" AND l.bin_id IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	for _, w := range strings.Fields(f.Text) {
		like := "%" + strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(w) + "%"
		q += ` AND (i.sku LIKE ? ESCAPE '\' OR i.description LIKE ? ESCAPE '\' OR b.code LIKE ? ESCAPE '\' OR l.lot LIKE ? ESCAPE '\' OR l.serial LIKE ? ESCAPE '\')`
		args = append(args, like, like, like, like, like)
	}
	return q, args, nil
}

// RecordedLine is one line of recorded stock.
type RecordedLine struct {
	Pos         int64              `json:"pos"`
	BinID       int64              `json:"bin_id"`
	Bin         string             `json:"bin"`
	Zone        string             `json:"zone"`
	SKU         string             `json:"sku"`
	Description string             `json:"description"`
	Lot         string             `json:"lot"`
	Serial      string             `json:"serial"`
	Holding     string             `json:"holding"`
	Unit        string             `json:"unit"`
	OnHand      quantity.Quantity  `json:"on_hand"`
	Reserved    *quantity.Quantity `json:"reserved"`
	Available   *quantity.Quantity `json:"available"`
	Cost        *quantity.Cost     `json:"cost"`
	Value       *quantity.Money    `json:"value"`
	Bins        int                `json:"bins" doc:"by item: the lines that it has"`
	BinIDs      []int64            `json:"bin_ids" doc:"by item: where it lies"`
}

// RecordedPage is one page of recorded stock.
type RecordedPage struct {
	Lines []RecordedLine `json:"lines"`
	Next  string         `json:"next" doc:"empty at the end"`
}

// Recorded lists the recorded stock of a warehouse by bin.
func (d *Desk) Recorded(ctx context.Context, p Person, houseID int64, f Filter) (page RecordedPage, err error) {
	page.Lines = []RecordedLine{}
	tx, h, err := d.recordedOf(ctx, p, houseID)
	if err != nil {
		return page, err
	}
	after, _ := strconv.ParseInt(f.After, 10, 64)
	q, args, err := f.narrow(
		`SELECT l.pos, l.bin_id, b.code AS bin, b.zone, i.sku, i.description, l.lot, l.serial, l.holding, i.unit, l.quantity, l.reserved, l.cost FROM stock_lines l
		JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.set_id = ? AND l.pos >= ?`,
		[]any{h.SetID, after},
	)
	if err != nil {
		return page, err
	}
	var rows []struct {
		Pos, BinID, Quantity                              int64
		Reserved, Cost                                    *int64
		Bin, Zone, Sku, Description, Lot, Serial, Holding string
		Unit                                              string
	}
	if err := tx.Raw(q+" ORDER BY l.pos LIMIT ?", append(args, f.page())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	for _, r := range rows {
		l := RecordedLine{
			Pos:         r.Pos,
			BinID:       r.BinID,
			Bin:         r.Bin,
			Zone:        r.Zone,
			SKU:         r.Sku,
			Description: r.Description,
			Lot:         r.Lot,
			Serial:      r.Serial,
			Holding:     r.Holding,
			Unit:        r.Unit,
			OnHand:      quantity.Quantity(r.Quantity),
			Cost:        (*quantity.Cost)(r.Cost),
		}
		l.setReserved(r.Reserved)
		if r.Cost != nil {
			v, err := quantity.Value(l.OnHand, quantity.Cost(*r.Cost))
			if err != nil {
				return page, err
			}
			l.Value = &v
		}
		page.Lines = append(page.Lines, l)
	}
	if len(rows) == f.page() {
		page.Next = strconv.FormatInt(rows[len(rows)-1].Pos+1, 10)
	}
	return page, nil
}

func (l *RecordedLine) setReserved(r *int64) {
	if r == nil {
		return
	}
	res := quantity.Quantity(*r)
	l.Reserved = &res
	if av, ok := quantity.Add(l.OnHand, -res); ok {
		l.Available = &av
	}
}

// RecordedItems lists the recorded stock of a warehouse by item.
func (d *Desk) RecordedItems(ctx context.Context, p Person, houseID int64, f Filter) (page RecordedPage, err error) {
	page.Lines = []RecordedLine{}
	tx, h, err := d.recordedOf(ctx, p, houseID)
	if err != nil {
		return page, err
	}
	q, args := `SELECT s.item_id, i.sku, i.sort_key, i.description, i.unit, s.lines AS bins, s.quantity, s.reserved, s.value, i.cost
		FROM set_items s JOIN items i ON i.id = s.item_id WHERE s.set_id = ?`, []any{h.SetID}
	if f.After != "" {
		key, err := base64.RawURLEncoding.DecodeString(f.After)
		if err != nil {
			return page, refuse("The page is not one of this list.")
		}
		q, args = q+" AND i.sort_key > ?", append(args, key)
	}
	if len(f.Bins) > 0 {
		set, err := d.setOf(ctx, tx, h.SetID)
		if err != nil {
			return page, err
		}
		b, err := json.Marshal(set.itemsIn(f.Bins))
		if err != nil {
			return page, err
		}
		q, args = q+" AND s.item_id IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	for _, w := range strings.Fields(f.Text) {
		q, args = q+" AND (instr(upper(i.sku), upper(?)) > 0 OR instr(upper(i.description), upper(?)) > 0)", append(args, w, w)
	}
	var rows []struct {
		ItemID                 int64
		Sku, Description, Unit string
		SortKey                []byte
		Bins                   int
		Quantity               int64
		Reserved, Value, Cost  *int64
	}
	if err := tx.Raw(q+" ORDER BY i.sort_key LIMIT ?", append(args, f.page())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	bins := map[int64][]int64{}
	for _, r := range rows {
		bins[r.ItemID] = []int64{}
	}
	if len(rows) > 0 {
		set, err := d.setOf(ctx, tx, h.SetID)
		if err != nil {
			return page, err
		}
		set.binsOf(bins)
	}
	for _, r := range rows {
		l := RecordedLine{
			BinIDs:      bins[r.ItemID],
			Pos:         r.ItemID,
			SKU:         r.Sku,
			Description: r.Description,
			Unit:        r.Unit,
			OnHand:      quantity.Quantity(r.Quantity),
			Value:       (*quantity.Money)(r.Value),
			Cost:        (*quantity.Cost)(r.Cost),
			Bins:        r.Bins,
		}
		l.setReserved(r.Reserved)
		page.Lines = append(page.Lines, l)
	}
	if len(rows) == f.page() {
		page.Next = base64.RawURLEncoding.EncodeToString(rows[len(rows)-1].SortKey)
	}
	return page, nil
}

// VarianceLine is one line of a count.
type VarianceLine struct {
	Pos         int64              `json:"pos"`
	BinID       int64              `json:"bin_id"`
	Bin         string             `json:"bin"`
	Zone        string             `json:"zone"`
	SKU         string             `json:"sku"`
	Description string             `json:"description"`
	Lot         string             `json:"lot"`
	Serial      string             `json:"serial"`
	Holding     string             `json:"holding"`
	Unit        string             `json:"unit"`
	RowCode     string             `json:"row_code"`
	Sheet       int                `json:"sheet"`
	Recorded    *quantity.Quantity `json:"recorded" doc:"null on a blind sheet that is typed in"`
	Moved       quantity.Quantity  `json:"moved"`
	Expected    quantity.Quantity  `json:"expected"`
	Counted     *quantity.Quantity `json:"counted" doc:"null: not counted, which is never zero"`
	Variance    *quantity.Quantity `json:"variance"`
	Cost        *quantity.Cost     `json:"cost"`
	Value       *quantity.Money    `json:"value"`
	Share       int                `json:"share" doc:"the value's size in thousandths of the largest in the count, for drawing"`
	Status      string             `json:"status" enum:"uncounted,match,tolerated,found,over,short," doc:"empty where a blind count is typed in"`
	Meanwhile   bool               `json:"meanwhile" doc:"moved while it was counted"`
	CountedAt   *time.Time         `json:"counted_at"`
	Counter     string             `json:"counter"`
	Decision    string             `json:"decision" enum:",accept,hold"`
	Reason      string             `json:"reason"`
	Posting     int                `json:"posting" doc:"number of the posting it went out with, 0 for none"`
	Entries     int                `json:"entries"`
	Entry       int64              `json:"entry" doc:"number of the entry that stands in the line's own row, 0 for none"`
	Own         *quantity.Quantity `json:"own" doc:"what stands in the line's own row; other counts of the line add to it"`
	Rest        *quantity.Quantity `json:"rest" doc:"what of the variance has not gone out; what went out and the rest are the variance"`
	RestValue   *quantity.Money    `json:"rest_value"`
	Sent        quantity.Quantity  `json:"sent" doc:"what of it went out, over all postings"`
	Postings    int                `json:"postings" doc:"how many postings it was in"`
	Queue       string             `json:"queue" enum:",open,held,accepted" doc:"where it stands among what wants a decision"`
	Zeroed      bool               `json:"zeroed" doc:"it was settled that uncounted means zero"`
}

// VariancePage is one page of a count's lines.
type VariancePage struct {
	Lines []VarianceLine `json:"lines"`
	Next  string         `json:"next"`
}

type varianceRow struct {
	NamedLine
	Number  int
	First   int64
	Posting int
	Entry   int64
	Own     *int64
}

const varianceRows = `SELECT l.*, b.code AS bin, b.zone, i.sku, i.description, i.unit, coalesce(s.number, 0) AS number, coalesce(s.first, 0) AS first, coalesce(p.number, 0) AS posting,
	coalesce((SELECT e.id FROM entries e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.round = 1 AND e.parcel = 0 AND e.withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos AND r.round = e.round
			AND r.parcel = e.parcel AND r.replaces = e.id)), 0) AS entry,
	(SELECT e.quantity FROM entries e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.round = 1 AND e.parcel = 0 AND e.withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos AND r.round = e.round
			AND r.parcel = e.parcel AND r.replaces = e.id)) AS own
	FROM count_lines l
	JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id LEFT JOIN sheets s ON s.id = l.sheet_id LEFT JOIN postings p ON p.id = l.posting_id WHERE l.count_id = ?`

func (r *varianceRow) view(largest int64) VarianceLine {
	q := func(n int64) *quantity.Quantity { v := quantity.Quantity(n); return &v }
	v := VarianceLine{
		Pos:         r.Pos,
		BinID:       r.BinID,
		Bin:         r.Bin,
		Zone:        r.Zone,
		SKU:         r.Sku,
		Description: r.Description,
		Lot:         r.Lot,
		Serial:      r.Serial,
		Holding:     r.Holding,
		Unit:        r.Unit,
		RowCode:     rowCodeOf(r.CountID, &r.CountLine, r.Number, r.First),
		Sheet:       r.Number,
		Recorded:    q(r.Recorded),
		Moved:       quantity.Quantity(r.Moved),
		Expected:    quantity.Quantity(r.Expected),
		Cost:        (*quantity.Cost)(r.Cost),
		Value:       (*quantity.Money)(r.Value),
		Status:      r.Status,
		Meanwhile:   r.Meanwhile,
		CountedAt:   moment(r.CountedAt),
		Counter:     r.Counter,
		Decision:    r.Decision,
		Reason:      r.Reason,
		Posting:     r.Posting,
		Entries:     r.Entries,
		Entry:       r.Entry,
		Own:         (*quantity.Quantity)(r.Own),
		Sent:        quantity.Quantity(r.Sent),
		Postings:    r.Postings,
		Queue:       [...]string{"", "open", "held", "accepted"}[r.Queue],
		Zeroed:      r.Zeroed,
		Rest:        q(r.Rest),
		RestValue:   (*quantity.Money)(r.RestValue),
	}
	if r.Entries > 0 {
		v.Counted = q(r.Counted)
	}
	if r.Entries > 0 || r.Zeroed {
		v.Variance = q(r.Variance)
	}
	if largest > 0 && r.Stake != store.Unvalued {
		v.Share = int(quantity.Share(r.Stake, largest))
	}
	return v
}

// Variances lists the lines of a count that want a decision or have a variance beyond what is let pass, ranked by what is at
// stake: those without a value first, then by absolute value.
func (d *Desk) Variances(ctx context.Context, p Person, countID int64, f Filter) (page VariancePage, err error) {
	page.Lines = []VarianceLine{}
	c, err := d.judge(ctx, p, countID)
	if err != nil {
		return page, err
	}
	q, args := varianceRows, []any{countID}
	switch f.Show {
	case "open":
		q += " AND l.queue = 1 AND l.queue > 0 AND l.stake > 0"
	case "held":
		q += " AND l.queue = 2 AND l.queue > 0 AND l.stake > 0"
	case "accepted":
		q += " AND l.queue = 3 AND l.queue > 0 AND l.stake > 0"
	case "decided":
		q += " AND l.stake > 0 AND (l.queue > 1 OR l.postings > 0)"
	default:
		q += " AND l.stake > 0"
	}
	if f.After != "" {
		var stake, pos int64
		if _, err := fmt.Sscanf(f.After, "%d.%d", &stake, &pos); err != nil {
			return page, refuseAs(Invalid, "after", "The page is not one of this list.")
		}
		q, args = q+" AND (l.stake, -l.pos) < (?, ?)", append(args, stake, -pos)
		q, args = q+" AND l.stake <= ?", append(args, stake)
	}
	if q, args, err = f.narrow(q, args); err != nil {
		return page, err
	}
	var largest int64
	if err := c.tx.Raw("SELECT coalesce((SELECT stake FROM count_lines WHERE count_id = ? AND stake > 0 AND stake < ? ORDER BY stake DESC LIMIT 1), 0)", countID, store.Unvalued).Scan(&largest).Error; err != nil {
		return page, err
	}
	var rows []varianceRow
	if err := c.tx.Raw(q+" ORDER BY l.stake DESC, l.pos LIMIT ?", append(args, f.page())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	for i := range rows {
		page.Lines = append(page.Lines, rows[i].view(largest))
	}
	if n := len(rows); n == f.page() {
		page.Next = fmt.Sprintf("%d.%d", rows[n-1].Stake, rows[n-1].Pos)
	}
	return page, nil
}

// CountLines lists the lines of a count in walking order. On a blind count the recorded quantity is left out, for
// whoever types must not see it.
func (d *Desk) CountLines(ctx context.Context, p Person, countID int64, f Filter) (page VariancePage, err error) {
	page.Lines = []VarianceLine{}
	c, err := d.see(ctx, p, countID)
	if err != nil {
		return page, err
	}
	after, _ := strconv.ParseInt(f.After, 10, 64)
	q, args := varianceRows+" AND l.status <> 'gone' AND l.pos >= ?", []any{countID, after}
	if f.Sheet > 0 {
		var s store.Sheet
		if err := c.tx.Where("count_id = ? AND number = ?", countID, f.Sheet).Limit(1).Find(&s).Error; err != nil {
			return page, err
		}
		if s.ID == 0 {
			return page, missing("The sheet")
		}
		q += ` AND l.pos IN (SELECT pos FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ? UNION ALL SELECT pos FROM count_lines WHERE count_id = ? AND sheet_id = ? AND has_row = 0)`
		args = append(args, countID, s.First, s.First+int64(s.Lines), countID, s.ID)
	}
	switch f.Show {
	case "uncounted":
		if f.Sheet > 0 {
			q += " AND l.entries = 0"
			break
		}
		q = strings.Replace(q, "FROM count_lines l", "FROM count_lines l INDEXED BY count_lines_uncounted", 1) + " AND l.entries = 0"
	case "counted":
		if f.Sheet > 0 {
			q += " AND l.entries > 0"
			break
		}
		q = strings.Replace(q, "FROM count_lines l", "FROM count_lines l INDEXED BY count_lines_counted", 1) + " AND l.entries > 0"
	}
	if q, args, err = f.narrow(q, args); err != nil {
		return page, err
	}
	var rows []varianceRow
	if err := c.tx.Raw(q+" ORDER BY l.pos LIMIT ?", append(args, f.page())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	for i := range rows {
		v := rows[i].view(0)
		if c.Count.Blind {
			v.Recorded, v.Variance, v.Value, v.Expected, v.Moved, v.Status = nil, nil, nil, 0, 0, ""
			v.Rest, v.RestValue, v.Sent, v.Postings, v.Posting, v.Queue, v.Decision, v.Reason, v.Cost = nil, nil, 0, 0, 0, "", "", "", nil
		}
		page.Lines = append(page.Lines, v)
	}
	if n := len(rows); n == f.page() {
		page.Next = strconv.FormatInt(rows[n-1].Pos+1, 10)
	}
	return page, nil
}
