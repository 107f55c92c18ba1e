package variances

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// HistoryEvent is one thing that happened to a line.
type HistoryEvent struct {
	At       time.Time          `json:"at"`
	What     string             `json:"what" enum:"freeze,elsewhere,late,movement,entry,withdrawal,decision,note,posting" doc:"elsewhere: sent by another count and reckoned in; late: a movement of before the freeze that was told after it, and changes nothing here"`
	Quantity *quantity.Quantity `json:"quantity"`
	Level    *quantity.Quantity `json:"level" doc:"what was expected to be there then"`
	Text     string             `json:"text"`
	Replaced bool               `json:"replaced"`
	Movement int64              `json:"movement" doc:"of a movement: its number; 0 for anything else"`
	Booked   *time.Time         `json:"booked" doc:"of a movement that was settled to have happened at another time than it was booked: when that was"`
	Entry    int64              `json:"entry" doc:"of a count that stands: its number, by which it can be withdrawn"`
	Round    int                `json:"round" doc:"of a count: the round that it is of; recounts are from 3 on"`
	Stands   bool               `json:"stands" doc:"of a count: its round is the one that stands"`
	Rule     string             `json:"rule" doc:"of a decision: the rule that decided; empty for a person"`
}

// LineHistory is the history of a line on one time axis.
type LineHistory struct {
	Line   count.VarianceLine   `json:"line"`
	Events []HistoryEvent       `json:"events"`
	Others []count.VarianceLine `json:"others" doc:"the item's other lines in this count, the first of them"`
	More   int                  `json:"more" doc:"how many of them are not listed"`
	Bin    []count.VarianceLine `json:"bin" doc:"the other lines of its bin, the first of them"`
	Before []EarlierCount       `json:"before" doc:"what earlier counts of the line said, the latest first"`
	Cause  *CauseView           `json:"cause" doc:"why the variance is likely there; null where nothing speaks for anything"`
	CutOff []count.CutOff       `json:"cut_off" doc:"what of the cut-off list concerns the line"`
	Files  []EvidenceView       `json:"files" doc:"photos and files that are attached as evidence"`
	Rounds int                  `json:"rounds" doc:"in how many rounds it has counts that stand in their rows"`
	Chosen int                  `json:"chosen" doc:"the round that was chosen to stand; 0 where the rule of the count says which"`
}

// EarlierCount is what an earlier count said of the same line.
type EarlierCount struct {
	Count    int64             `json:"count"`
	Name     string            `json:"name"`
	At       time.Time         `json:"at" doc:"when it was counted"`
	Counted  quantity.Quantity `json:"counted"`
	Variance quantity.Quantity `json:"variance"`
	Counter  string            `json:"counter"`
	Reason   string            `json:"reason"`
}

// listedBefore is how many earlier counts and lines of the bin are listed.
const listedBefore = 6

// around finds the other lines of the bin, and what earlier counts said of the line.
func around(tx *gorm.DB, c *store.Count, row *count.VarianceRow, h *LineHistory) error {
	var rows []count.VarianceRow
	err := tx.Raw(count.VarianceRows+" AND l.bin_id = ? AND l.pos <> ? AND l.status <> ? ORDER BY l.pos LIMIT ?", c.ID, row.BinID, row.Pos, store.Gone,
		listedBefore).
		Scan(&rows).
		Error
	if err != nil {
		return err
	}
	for i := range rows {
		h.Bin = append(h.Bin, rows[i].View(0))
	}
	var before []struct {
		ID                           int64
		Name, Counter, Reason        string
		CountedAt, Counted, Variance int64
	}
	err = tx.Raw(`SELECT c.id, c.name, l.counter, l.reason, l.counted_at, l.counted, l.variance
		FROM counts c CROSS JOIN count_lines l INDEXED BY count_lines_bin ON l.count_id = c.id AND l.bin_id = ?
		WHERE c.warehouse_id = ? AND c.id < ? AND c.state <> ? AND l.item_id = ? AND l.lot = ? AND l.serial = ? AND l.holding = ?
		AND l.entries > 0 AND l.pending = 0 ORDER BY c.id DESC LIMIT ?`, row.BinID, c.WarehouseID, c.ID, store.Freezing, row.ItemID, row.Lot,
		row.Serial, row.Holding, listedBefore).
		Scan(&before).
		Error
	for _, x := range before {
		h.Before = append(
			h.Before,
			EarlierCount{x.ID, x.Name, desk.Instant(x.CountedAt), quantity.Quantity(x.Counted), quantity.Quantity(x.Variance),
				x.Counter, x.Reason},
		)
	}
	return err
}

// History tells what happened to a line of a count.
func (d *Room) History(ctx context.Context, p desk.Person, countID, pos int64) (h LineHistory, err error) {
	h.Events, h.Others, h.CutOff = []HistoryEvent{}, []count.VarianceLine{}, []count.CutOff{}
	h.Bin, h.Before = []count.VarianceLine{}, []EarlierCount{}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return h, err
	}
	tx := c.Tx
	var row count.VarianceRow
	if err := tx.Raw(count.VarianceRows+" AND l.pos = ?", c.ID, pos).Scan(&row).Error; err != nil {
		return h, err
	}
	if row.Pos == 0 || row.Status == store.Gone {
		return h, desk.Missing("The line")
	}
	h.Line = row.View(0)
	if h.CutOff, err = count.CutOffs(tx, c.ID, pos); err != nil {
		return h, err
	}
	if err := d.otherLines(ctx, c, &row, &h); err != nil {
		return h, err
	}
	if x, err := d.explained(ctx, c); err != nil {
		return h, err
	} else if h.Cause = x.view(pos); h.Cause != nil {
		h.Line.Cause, h.Line.Grade = h.Cause.Cause, h.Cause.Grade
		if h.Cause.Does == "" {
			h.Cause.Sheet = h.Line.Sheet
		}
		if h.Cause.Place != "" {
			if err := tx.Raw(`SELECT coalesce(min(s.number), 0) FROM bins b
				CROSS JOIN count_lines l INDEXED BY count_lines_bin ON l.bin_id = b.id AND l.count_id = ? AND l.item_id = ?
				JOIN sheets s ON s.id = l.sheet_id
				WHERE b.warehouse_id = ? AND b.code = ? AND l.entries = 0`, c.ID, row.ItemID, c.WarehouseID,
				h.Cause.Place).Scan(&h.Cause.Sheet).Error; err != nil {
				return h, err
			}
		}
	}
	if err := around(tx, c.Count, &row, &h); err != nil {
		return h, err
	}
	if h.Files, err = evidenceOf(tx, c.ID, pos); err != nil {
		return h, err
	}
	again, err := count.BeingRecounted(tx, c.ID)
	if err != nil {
		return h, err
	}
	h.Line.Again = again[pos]
	level := *h.Line.Recorded
	at := func(ns int64, what string, q *int64, text string, replaced bool, entry int64) {
		e := HistoryEvent{At: desk.Instant(ns), What: what, Quantity: (*quantity.Quantity)(q), Text: text, Replaced: replaced, Entry: entry}
		if what != "decision" {
			l := level
			e.Level = &l
		}
		h.Events = append(h.Events, e)
	}
	recorded := int64(level)
	how := "frozen"
	if row.Frozen != 0 {
		how = "frozen later than the count, as it was added"
	}
	at(row.CountLine.FrozenAt(c.Count), "freeze", &recorded, how, false, 0)
	var in variance.Input
	reckoned, err := count.Corrections(tx, c.Count, store.Positions{Some: []int64{pos}})
	if err != nil {
		return h, err
	}
	if q := reckoned[pos]; q != 0 {
		sum, ok := quantity.Add(level, q)
		if !ok {
			return h, count.TooMuch()
		}
		n := int64(q)
		level, in.Elsewhere = sum, q
		at(row.CountLine.FrozenAt(c.Count), "elsewhere", &n, "sent out by another count, which the records take in too", false, 0)
	}
	late, err := count.LateOf(tx, c.Count, &row.CountLine)
	if err != nil {
		return h, err
	}
	for _, x := range late {
		at(x.At, "late", &x.Quantity, "told after the freeze, so it changes nothing here", false, 0)
		h.Events[len(h.Events)-1].Level = nil
	}
	var m []store.CountMove
	if err := store.EachCountMove(tx, c.ID, store.Positions{Some: []int64{pos}}, func(x store.CountMove) error {
		m = append(m, x)
		in.Movements = append(in.Movements, stock.Movement{Quantity: quantity.Quantity(x.Quantity), At: x.Happened()})
		return nil
	}); err != nil {
		return h, err
	}
	slices.SortStableFunc(m, func(a, b store.CountMove) int { return cmp.Compare(a.Happened(), b.Happened()) })
	moved := func(upTo int64) {
		for len(m) > 0 && m[0].Happened() <= upTo {
			q := m[0].Quantity
			if sum, ok := quantity.Add(level, quantity.Quantity(q)); ok {
				level = sum
			}
			at(m[0].Happened(), "movement", &q, "moved", false, 0)
			e := &h.Events[len(h.Events)-1]
			if e.Movement = m[0].MovementID; m[0].AsAt != 0 {
				e.Booked = desk.Moment(m[0].At)
			}
			m = m[1:]
		}
	}
	var entries []store.Entry
	if err := tx.Where("count_id = ? AND pos = ?", c.ID, pos).Order("counted_at, id").Find(&entries).Error; err != nil {
		return h, err
	}
	replaced := map[int64]bool{}
	for _, e := range entries {
		replaced[e.Replaces] = true
	}
	for _, e := range entries {
		moved(e.CountedAt)
		q, what := e.Quantity, "entry"
		text := cmp.Or(e.Counter, "somebody who is not named")
		if slot := count.SlotName(c.ID, &row.CountLine, &e, row.Number, row.First); slot != "" && slot != h.Line.RowCode {
			text += ", " + slot
		}
		if e.Withdrawn {
			what, text = "withdrawal", "withdrawn by "+e.Person
			at(e.At, what, nil, text, true, 0)
			continue
		}
		standing := int64(0)
		if !replaced[e.ID] {
			standing = e.ID
		}
		at(e.CountedAt, what, &q, text, replaced[e.ID], standing)
		h.Events[len(h.Events)-1].Round = e.Round
		if standing != 0 {
			in.Entries = append(in.Entries, variance.Entry{Quantity: quantity.Quantity(e.Quantity), At: e.CountedAt, From: e.Since, Round: e.Round})
		}
	}
	if err := h.standing(tx, c.Count, &row.CountLine, &in); err != nil {
		return h, err
	}
	moved(1<<63 - 1)
	var decisions []store.Decision
	if err := tx.Where("count_id = ? AND pos = ?", c.ID, pos).Order("id").Find(&decisions).Error; err != nil {
		return h, err
	}
	for _, x := range decisions {
		text := map[string]string{store.Accept: "accepted", store.Hold: "held", "": "taken back", store.Zero: "uncounted means zero",
			store.Leave: "uncounted is left", store.Lapse: "open again, since its figures changed"}[x.Kind]
		if x.Kind == store.Lapse {
			at(x.At, "decision", x.Quantity, fmt.Sprintf("%s: %s were decided on", text, quantity.Quantity(*x.Quantity)), false, 0)
			continue
		}
		if x.Reason != "" {
			text += ", " + x.Reason
		}
		by := x.Person
		if x.Rule != "" {
			by = fmt.Sprintf("the rule “%s”, which %s turned on", x.Rule, x.Person)
		}
		at(x.At, "decision", x.Quantity, fmt.Sprintf("%s by %s", text, by), false, 0)
		h.Events[len(h.Events)-1].Rule = x.Rule
	}
	var notes []store.Note
	if err := tx.Where("count_id = ? AND pos = ?", c.ID, pos).Order("id").Find(&notes).Error; err != nil {
		return h, err
	}
	for _, n := range notes {
		at(n.At, "note", nil, fmt.Sprintf("%s, %s", n.Text, n.Person), false, 0)
		h.Events[len(h.Events)-1].Level = nil
	}
	var sent []struct {
		At, Variance int64
		Number       int
		Reason       string
	}
	if err := tx.Raw("SELECT p.at, p.number, l.variance, l.reason FROM posting_lines l JOIN postings p ON p.id = l.posting_id WHERE p.count_id = ? AND l.pos = ? ORDER BY p.number", c.ID, pos).Scan(&sent).Error; err != nil {
		return h, err
	}
	for _, x := range sent {
		q := x.Variance
		at(x.At, "posting", &q, fmt.Sprintf("sent out in posting %d, %s", x.Number, x.Reason), false, 0)
	}
	return h, nil
}

// standing tells which of the line's rounds stands, by the same function that worked it out.
func (h *LineHistory) standing(tx *gorm.DB, c *store.Count, l *store.CountLine, in *variance.Input) error {
	rounds, last := map[int]bool{}, 0
	for _, e := range in.Entries {
		rounds[e.Round], last = true, max(last, e.Round)
	}
	if h.Rounds = len(rounds); h.Rounds < 2 {
		return nil
	}
	err := store.EachChoice(tx, c.ID, store.Positions{Some: []int64{l.Pos}}, func(x store.RoundChoice) error {
		if x.Last >= last && rounds[x.Round] {
			h.Chosen = x.Round
		}
		return nil
	})
	if err != nil {
		return err
	}
	in.Recorded, in.Row, in.Frozen, in.Latest = quantity.Quantity(l.Recorded), l.Row(), l.FrozenAt(c), max(c.Latest, l.FrozenAt(c))
	in.Agree, in.Stands, in.Chosen = c.Rounds == 2, variance.Rule(c.Stands), h.Chosen
	r, err := variance.Evaluate(in, variance.Tolerance{})
	for i := range h.Events {
		e := &h.Events[i]
		e.Stands = e.What == "entry" && !e.Replaced && e.Round == r.Round
	}
	return err
}

// listedOthers is how many of an item's other lines are listed.
const listedOthers = 100

// otherLines finds the other lines of an item in a count: where the frozen set has it, and where it was found.
func (d *Room) otherLines(ctx context.Context, c *desk.Seen, row *count.VarianceRow, h *LineHistory) error {
	set, err := d.recorded.SetOf(ctx, c.Tx, c.SetID)
	if err != nil {
		return err
	}
	frozen := set.LyingOf(row.ItemID)
	bins, ranges, err := nearOthers(c, frozen)
	if err != nil {
		return err
	}
	where := `l.pos IN (SELECT pos FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND item_id = ? AND bin_id IN (SELECT value FROM json_each(?))
		UNION SELECT x.pos FROM json_each(?) r CROSS JOIN count_lines x ON x.count_id = ? AND x.item_id = ?
			AND x.pos BETWEEN json_extract(r.value, '$[0]') AND json_extract(r.value, '$[1]')
		UNION SELECT pos FROM count_lines INDEXED BY count_lines_found_item WHERE count_id = ? AND item_id = ? AND has_row = 0)`
	args := []any{c.ID, row.ItemID, row.Pos, c.ID, row.ItemID, bins, ranges, c.ID, row.ItemID, c.ID, row.ItemID}
	if len(set.Bins) == 0 { // the set of an old count may be gone
		where, args = "1 = 1", args[:3]
	}
	var others []count.VarianceRow
	if err := c.Tx.Raw(count.VarianceRows+" AND l.item_id = ? AND l.pos <> ? AND l.status <> 'gone' AND "+where+" ORDER BY l.pos LIMIT 100",
		args...).Scan(&others).Error; err != nil {
		return err
	}
	for i := range others {
		h.Others = append(h.Others, others[i].View(0))
	}
	if len(others) == listedOthers {
		h.More = max(len(frozen)-1-len(others), 0)
	}
	return nil
}

// bigBin is how many lines a bin has in which a line is not looked for one by one.
const bigBin = 1000

// nearOthers gives, as JSON, the bins in which frozen lines are to be looked for, and for bins with very many lines the
// stretches of the count in which they are: a bin's lines keep their order in the count, less those that it leaves out.
func nearOthers(c *desk.Seen, frozen []recorded.Lying) (bins, ranges string, err error) {
	small, near := []int64{}, [][2]int64{}
	for _, l := range frozen {
		if l.Lines <= bigBin {
			small = append(small, l.Bin)
			continue
		}
		var first *int64
		q := "SELECT min(pos) FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND bin_id = ?"
		if err := c.Tx.Raw(q, c.ID, l.Bin).Scan(&first).Error; err != nil {
			return "", "", err
		}
		if first == nil {
			continue
		}
		left := int64(l.Lines)
		err := store.EachTally(c.Tx, c.ID, store.PartBin, []int64{l.Bin}, func(t *store.PartTally) error {
			left -= int64(t.RecordedLines)
			return nil
		})
		if err != nil {
			return "", "", err
		}
		at := *first + int64(l.At)
		near = append(near, [2]int64{max(*first, at-left), at})
	}
	b, err := json.Marshal(small)
	if err != nil {
		return "", "", err
	}
	r, err := json.Marshal(near)
	return string(b), string(r), err
}
