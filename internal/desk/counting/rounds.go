package counting

import (
	"context"
	"strconv"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Rounds is a line of which two rounds do not say the same yet.
type Rounds struct {
	Pos     int64        `json:"pos"`
	Line    string       `json:"line"`
	Pending int          `json:"pending" doc:"1: one of the rounds has no count yet; 2: they differ"`
	Rounds  [2]RoundSaid `json:"rounds"`
}

// RoundSaid is what a round says of a line.
type RoundSaid struct {
	Sheet    int                `json:"sheet" doc:"number of its sheet in this round; 0 for none"`
	RowCode  string             `json:"row_code"`
	Quantity *quantity.Quantity `json:"quantity" doc:"what was counted; null where nothing was yet"`
	Counter  string             `json:"counter"`
}

// RoundPage is one page of them.
type RoundPage struct {
	Lines []Rounds `json:"lines"`
	Next  string   `json:"next"`
}

// Differing lists the lines of which two rounds say something else, in walking order; with once, those that one round has not counted yet.
func (d *Room) Differing(ctx context.Context, p desk.Person, countID int64, once bool, after string) (page RoundPage, err error) {
	page.Lines = []Rounds{}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return page, err
	}
	from, _ := strconv.ParseInt(after, 10, 64)
	pending := 2
	if once {
		pending = 1
	}
	var positions []int64
	if err := c.Tx.Raw("SELECT pos FROM count_lines WHERE count_id = ? AND pending = ? AND pos > ? ORDER BY pos LIMIT ?", c.ID, pending, from,
		doubtsAPage).Scan(&positions).Error; err != nil ||
		len(positions) == 0 {
		return page, err
	}
	w := &desk.Work{Tx: c.Tx}
	sheets, _, err := count.SheetsOf(w, c.Count)
	if err != nil {
		return page, err
	}
	on := [2]func(int64) (store.Sheet, bool){count.OnSheet(sheets, 1), count.OnSheet(sheets, 2)}
	at := map[int64]int{}
	for i, pos := range positions {
		at[pos] = i
		x := Rounds{Pos: pos, Line: count.LineName(w.Tx, c.Count, pos), Pending: pending}
		for r := range x.Rounds {
			if s, has := on[r](pos); has {
				x.Rounds[r].Sheet = s.Number
				x.Rounds[r].RowCode = count.RowCodeOf(c.ID, &store.CountLine{Pos: pos, HasRow: true, SheetID: s.ID}, s.Number, s.First)
			}
		}
		page.Lines = append(page.Lines, x)
	}
	err = store.Standing(c.Tx, c.ID, store.Positions{Some: positions}, func(e *store.Entry) error {
		if e.Withdrawn || e.Round > 2 {
			return nil
		}
		said := &page.Lines[at[e.Pos]].Rounds[e.Round-1]
		sum, ok := quantity.Quantity(e.Quantity), true
		if said.Quantity != nil { // parcels of a round add up
			sum, ok = quantity.Add(*said.Quantity, sum)
		}
		if !ok {
			return count.TooMuch()
		}
		said.Quantity, said.Counter = &sum, e.Counter
		return nil
	})
	if len(positions) == doubtsAPage {
		page.Next = strconv.FormatInt(positions[len(positions)-1], 10)
	}
	return page, err
}
