package count

import (
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/counting"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

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
	FrozenAt    *time.Time         `json:"frozen_at" doc:"the moment of a later freeze of its own; null: that of the count"`
	Recorded    *quantity.Quantity `json:"recorded" doc:"null on a blind sheet that is typed in"`
	Moved       quantity.Quantity  `json:"moved"`
	Expected    quantity.Quantity  `json:"expected"`
	Counted     *quantity.Quantity `json:"counted" doc:"null: not counted, which is never zero"`
	Variance    *quantity.Quantity `json:"variance"`
	Cost        *quantity.Cost     `json:"cost"`
	CostOf      string             `json:"cost_of" enum:",item,rows,hand" doc:"whose cost it is: its own, the item's, that of other lines of the SKU, or given by hand"`
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
	Pending     int                `json:"pending" doc:"two rounds must agree: 1 one of them has no count yet, 2 they differ; else 0"`
	Zeroed      bool               `json:"zeroed" doc:"it was settled that uncounted means zero"`
	Disputed    bool               `json:"disputed" doc:"counted three times or more, and what stands has the variance of no other count"`
	Cause       string             `json:"cause" doc:"why the variance is likely there; empty where nothing speaks for anything, or it was not asked for"`
	Grade       string             `json:"grade" enum:",weak,fair,strong" doc:"how much speaks for it"`
	Again       int                `json:"again" doc:"number of the sheet on which it is being counted again; 0 where it is not"`
	Rule        string             `json:"rule" doc:"the rule that decided; empty for a person"`
	CutOff      bool               `json:"cut_off" doc:"the cut-off list of the count names it"`
	Elsewhere   *quantity.Quantity `json:"elsewhere" doc:"what other counts sent of it since its stock was recorded, where it is still to be said whether the records had it; null: nothing"`
}

// ForCounting is the line for whoever counts it and must not learn what is recorded: what it is, where it lies and what was counted,
// and nothing that follows from what is expected.
func (v *VarianceLine) ForCounting() VarianceLine {
	return VarianceLine{
		Pos: v.Pos, BinID: v.BinID, Bin: v.Bin, Zone: v.Zone, SKU: v.SKU, Description: v.Description, Lot: v.Lot, Serial: v.Serial,
		Holding: v.Holding, Unit: v.Unit, RowCode: v.RowCode, Sheet: v.Sheet, FrozenAt: v.FrozenAt, Counted: v.Counted, CountedAt: v.CountedAt,
		Counter: v.Counter, Entries: v.Entries, Entry: v.Entry, Own: v.Own, Pending: v.Pending,
	}
}

// VariancePage is one page of a count's lines.
type VariancePage struct {
	Lines []VarianceLine `json:"lines"`
	Next  string         `json:"next"`
}

// VarianceRow is what a VarianceLine is made from, a row of VarianceRows.
type VarianceRow struct {
	NamedLine
	Number  int
	First   int64
	Posting int
	Entry   int64
	Own     *int64
	CutOff  bool
	Rule    string

	Elsewhere *int64
	Reckoned  int64 // as at which uncounted lines are reckoned
}

// VarianceRows is the query for the lines of a count with all that is shown of them; conditions and an order go behind it.
const VarianceRows = `SELECT l.*, b.code AS bin, b.zone, i.sku, i.description, i.unit, coalesce(s.number, 0) AS number, coalesce(s.first, 0) AS first, coalesce(p.number, 0) AS posting,
	coalesce((SELECT e.id FROM entries e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.round = 1 AND e.parcel = 0 AND e.withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos AND r.round = e.round
			AND r.parcel = e.parcel AND r.replaces = e.id)), 0) AS entry,
	(SELECT e.quantity FROM entries e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.round = 1 AND e.parcel = 0 AND e.withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos AND r.round = e.round
			AND r.parcel = e.parcel AND r.replaces = e.id)) AS own,
	EXISTS (SELECT 1 FROM cut_offs k WHERE ` + concerns + `) AS cut_off,
	(SELECT sum(e.quantity) FROM count_elsewhere e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.quantity <> 0
		AND ` + standingAnswer + ` = '') AS elsewhere,
	(SELECT CASE c.latest WHEN 0 THEN c.frozen_at ELSE c.latest END FROM counts c WHERE c.id = l.count_id) AS reckoned,
	CASE WHEN l.decision <> '' THEN coalesce((SELECT d.rule FROM decisions d
		WHERE d.count_id = l.count_id AND d.pos = l.pos ORDER BY d.id DESC LIMIT 1), '')
		ELSE '' END AS rule
	FROM count_lines l
	JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id LEFT JOIN sheets s ON s.id = l.sheet_id LEFT JOIN postings p ON p.id = l.posting_id WHERE l.count_id = ?`

// SecondRows is VarianceRows with the rows of the second round in the place of the first.
var SecondRows = strings.ReplaceAll(strings.Replace(
	VarianceRows,
	"LEFT JOIN sheets s ON s.id = l.sheet_id",
	"LEFT JOIN sheets s ON s.count_id = l.count_id AND s.round = 2 AND s.first <= l.pos AND s.first + s.lines > l.pos",
	1,
), "e.round = 1", "e.round = 2")

// RowsOf is VarianceRows with what stands in the rows of a round.
func RowsOf(round int) string {
	switch {
	case round == 2:
		return SecondRows
	case round >= store.FirstRecount:
		return strings.ReplaceAll(VarianceRows, "e.round = 1", fmt.Sprintf("e.round = %d", round))
	}
	return VarianceRows
}

// View makes the line as it is shown. largest is the largest stake in the count, for the line's share of it; 0 for none.
func (r *VarianceRow) View(largest int64) VarianceLine {
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
		RowCode:     RowCodeOf(r.CountID, &r.CountLine, r.Number, r.First),
		Sheet:       r.Number,
		FrozenAt:    desk.Moment(r.Frozen),
		Recorded:    q(r.Recorded),
		Moved:       quantity.Quantity(r.Moved),
		Expected:    quantity.Quantity(r.Expected),
		Cost:        (*quantity.Cost)(r.Cost),
		CostOf:      r.CostOf.String(),
		Value:       (*quantity.Money)(r.Value),
		Status:      r.Status,
		Meanwhile:   r.Meanwhile,
		CountedAt:   desk.Moment(r.CountedAt),
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
		Pending:     r.Pending,
		Zeroed:      r.Zeroed,
		Disputed:    r.Stake == store.Disputed,
		CutOff:      r.CutOff,
		Elsewhere:   (*quantity.Quantity)(r.Elsewhere),
		Rule:        r.Rule,
		Rest:        q(r.Rest),
		RestValue:   (*quantity.Money)(r.RestValue),
	}
	if r.IsCounted() {
		v.Counted = q(r.Counted)
	}
	if r.Zeroed && r.Expected != 0 {
		v.CountedAt = desk.Moment(max(r.Reckoned, r.Frozen))
	}
	if r.IsCounted() || r.Zeroed {
		v.Variance = q(r.Variance)
	}
	if largest > 0 && r.Stake < store.Unvalued {
		v.Share = int(quantity.Share(r.Stake, largest))
	}
	return v
}

// SlotName names the row that an entry belongs to.
func SlotName(c int64, l *store.CountLine, e *store.Entry, number int, first int64) string {
	if e.Round >= store.FirstRecount {
		return fmt.Sprintf("recount %d", e.Round-store.FirstRecount+1)
	}
	if e.Parcel == 0 {
		return RowCodeOf(c, l, number, first)
	}
	if n := int(e.Parcel >> 20 & 0xfffff); n != 0 {
		return fmt.Sprintf("added by hand to sheet %s", counting.SheetCode(int(c), n))
	}
	return "from a file without row codes"
}

// NamedLine is a frozen line with the names of its bin and item. It is exported for the database mapper alone.
type NamedLine struct {
	store.CountLine
	Bin, Zone, Sku, Description, Unit string
}

// NamedLines is the query for NamedLine; conditions and an order go behind it.
const NamedLines = `SELECT l.*, b.code AS bin, b.zone, i.sku, i.description, i.unit FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.count_id = ?`

// Line gives the line as the core knows it, of a warehouse.
func (l *NamedLine) Line(house string) counting.Line {
	return counting.Line{
		Pos:         int(l.Pos),
		Key:         [stock.Parts]string{house, l.Bin, l.Sku, l.Lot, l.Serial, l.Holding},
		Zone:        l.Zone,
		Description: l.Description,
		Unit:        l.Unit,
		Recorded:    quantity.Quantity(l.Recorded),
	}
}

// RowCodeOn gives the row code of a line on a sheet; empty where it has no row there.
func RowCodeOn(l *store.CountLine, s *store.Sheet) string {
	row := s.RowOf(l.Pos)
	if row == 0 || !l.HasRow && !s.Recount() {
		return ""
	}
	return counting.RowCode(int(s.CountID), s.Number, row)
}

// RowCodeOf gives the row code of a line on its sheet; empty for lines that were found.
func RowCodeOf(count int64, l *store.CountLine, number int, first int64) string {
	if !l.HasRow || l.SheetID == 0 {
		return ""
	}
	return counting.RowCode(int(count), number, int(l.Pos-first)+1)
}
