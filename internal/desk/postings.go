package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/store"
)

// PostingView is a posting.
type PostingView struct {
	ID       int64          `json:"id"`
	Number   int            `json:"number"`
	Mode     string         `json:"mode" enum:"difference,balance,in-out,counted"`
	File     string         `json:"file"`
	Sha      string         `json:"sha"`
	Lines    int            `json:"lines"`
	Over     quantity.Money `json:"over"`
	Short    quantity.Money `json:"short"`
	Gross    quantity.Money `json:"gross"`
	Unvalued int            `json:"unvalued"`
	Person   string         `json:"person"`
	At       time.Time      `json:"at"`
}

// Postings lists the postings of a count.
func (d *Desk) Postings(ctx context.Context, p Person, countID int64) ([]PostingView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	var rows []store.Posting
	if err := d.store.Read(ctx).Where("count_id = ?", countID).Order("number").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]PostingView, len(rows))
	for i := range rows {
		out[i] = postingView(&rows[i])
	}
	return out, nil
}

func postingView(r *store.Posting) PostingView {
	return PostingView{r.ID, r.Number, r.Mode, r.FileName, r.FileSha, r.Lines, quantity.Money(r.Over), quantity.Money(r.Short), quantity.Money(r.Gross), r.Unvalued, r.Person, time.Unix(0, r.At).UTC()}
}

// PostingPreview is the file that a posting would be.
type PostingPreview struct {
	Mode     string        `json:"mode"`
	Lines    int           `json:"lines"`
	Sums     variance.Sums `json:"sums"`
	Unvalued int           `json:"unvalued"`
	NoReason int           `json:"no_reason" doc:"accepted lines without a reason code"`
	Text     string        `json:"text" doc:"the file's text, its first 2,000 lines"`
	Cut      int           `json:"cut" doc:"how many lines of the text are not shown here"`
	Blocked  string        `json:"blocked"`
	Age      time.Time     `json:"age" doc:"when the recorded stock was true that balances are worked out from"`
	Open     int           `json:"open" doc:"variances not decided, which stay behind"`
}

// PreviewPosting shows the file of the accepted lines before it is made.
func (d *Desk) PreviewPosting(ctx context.Context, p Person, countID int64, mode string) (v PostingPreview, err error) {
	if err := allow(p, Look); err != nil {
		return v, err
	}
	tx := d.store.Read(ctx)
	c, err := count(tx, countID)
	if err == nil {
		err = judge(p, c)
	}
	if err != nil {
		return v, err
	}
	f, err := d.postingFile(tx, c, mode)
	v = PostingPreview{Mode: mode, Lines: len(f.lines), Sums: f.sums, Unvalued: f.unvalued, NoReason: f.noReason, Age: *moment(c.RecordedAt)}
	var r *Refusal
	if errors.As(err, &r) {
		v.Blocked = r.Text
	} else if err != nil {
		return v, err
	}
	v.Text = string(f.text)
	if all := strings.SplitAfter(v.Text, "\n"); len(all) > 2001 {
		v.Text, v.Cut = strings.Join(all[:2001], ""), len(all)-2002
	}
	_, sum, err := tallies(tx, countID, "")
	v.Open = sum.Open
	return v, err
}

type postingFile struct {
	rows     []varianceRow
	lines    []adjust.Line
	text     []byte
	sums     variance.Sums
	unvalued int
	noReason int
}

// postingFile works out the lines and the text of a posting of all accepted lines that did not go out yet.
func (d *Desk) postingFile(tx *gorm.DB, c *store.Count, mode string) (f postingFile, err error) {
	if !slices.Contains(adjust.Modes, adjust.Mode(mode)) {
		return f, refuse("%q is none of difference, balance, in-out and counted.", mode)
	}
	h, err := warehouse(tx, c.WarehouseID)
	if err != nil {
		return f, err
	}
	if err := tx.Raw(varianceRows+" AND l.decision = 'accept' AND l.posting_id = 0 AND l.stake > 0 ORDER BY b.sort_key, i.sort_key, l.lot, l.serial", c.ID).Scan(&f.rows).Error; err != nil {
		return f, err
	}
	moved, err := movementsOf(tx, c)
	if err != nil {
		return f, err
	}
	for i := range f.rows {
		r := &f.rows[i]
		l := adjust.Line{Key: [stock.Parts]string{h.Code, r.Bin, r.Sku, r.Lot, r.Serial, r.Holding}, RecordID: r.RecordID, Unit: r.Unit, Counted: quantity.Quantity(r.Counted), Variance: quantity.Quantity(r.Variance),
			Reason: adjust.Reason(variance.Status(r.Status), quantity.Quantity(r.Variance)), CountedAt: r.CountedAt, Counter: r.Counter}
		l.Extra = shown(r.Attributes, columnsOf(c))
		if r.Reason != "" {
			l.Reason = r.Reason
		} else {
			f.noReason++
		}
		if r.Cost != nil {
			l.Cost, l.Costed = quantity.Cost(*r.Cost), true
		}
		if r.Value != nil {
			l.Value, l.Valued = quantity.Money(*r.Value), true
		} else {
			f.unvalued++
		}
		for _, m := range moved[r.Pos] {
			if m.At > r.CountedAt {
				l.After += m.Quantity
			}
		}
		f.sums.Add(l.Variance, l.Value)
		f.lines = append(f.lines, l)
	}
	// A balance is worked out from the stock at the freeze: newer recorded stock would be overwritten by it.
	if mode == string(adjust.Balance) {
		var set store.StockSet
		if err := tx.Limit(1).Find(&set, h.SetID).Error; err != nil {
			return f, err
		}
		if set.RecordedAt > c.RecordedAt {
			return f, refuse("Newer stock was taken in since the freeze (of %s). A balance would overwrite what happened meanwhile; send differences instead.", moment(set.RecordedAt).Format("2006-01-02 15:04 MST"))
		}
	}
	text, bad, err := adjust.Write(f.lines, adjust.Mode(mode), columnTitles(columnsOf(c))...)
	if err != nil {
		l := &f.lines[bad]
		return f, refuse("The balance of %s · %s %v: %s counted, and %s moved since. Hold it, or send differences.", l.Key[stock.Bin], l.Key[stock.SKU], err, l.Counted, l.After)
	}
	f.text = text
	return f, nil
}

// Post makes a posting of all accepted lines. It is never changed afterwards, and its file is kept. expect is the
// number of lines that the person saw.
func (d *Desk) Post(ctx context.Context, p Person, countID int64, mode, key string, expect int) (PostingView, error) {
	if err := allow(p, SendOut); err != nil {
		return PostingView{}, err
	}
	out, err := once(d, ctx, key, func(tx *gorm.DB) (v PostingView, err error) {
		c, err := count(tx, countID)
		if err != nil {
			return v, err
		}
		f, err := d.postingFile(tx, c, mode)
		if err != nil {
			return v, err
		}
		switch {
		case len(f.lines) == 0:
			return v, refuse("No accepted line is waiting to go out.")
		case len(f.lines) != expect:
			return v, refuse("There are %d accepted lines now, not %d. Look at the file again.", len(f.lines), expect)
		}
		now := d.now().UnixNano()
		sha, err := d.store.KeepBytes(tx, f.text, now)
		if err != nil {
			return v, err
		}
		var last int
		if err := tx.Raw("SELECT coalesce(max(number), 0) FROM postings WHERE count_id = ?", c.ID).Scan(&last).Error; err != nil {
			return v, err
		}
		row := store.Posting{CountID: c.ID, Number: last + 1, Mode: mode, FileSha: sha, FileName: fmt.Sprintf("adjustments-%d-%d-%s.csv", c.ID, last+1, mode), Lines: len(f.lines),
			Over: int64(f.sums.Over), Short: int64(f.sums.Short), Gross: int64(f.sums.Gross), Unvalued: f.unvalued, Person: p.Name, At: now}
		if err := tx.Create(&row).Error; err != nil {
			return v, err
		}
		lines := make([]store.PostingLine, len(f.rows))
		bins := map[int64]bool{}
		for i := range f.rows {
			r := &f.rows[i]
			lines[i] = store.PostingLine{PostingID: row.ID, Pos: r.Pos, Variance: r.Variance, Value: r.Value, Reason: f.lines[i].Reason}
			bins[r.BinID] = true
		}
		if err := store.Batch(tx, lines); err != nil {
			return v, err
		}
		if err := tx.Exec("UPDATE count_lines SET posting_id = ? WHERE count_id = ? AND decision = 'accept' AND posting_id = 0 AND stake > 0", row.ID, c.ID).Error; err != nil {
			return v, err
		}
		if err := d.tallyBins(tx, c.ID, bins); err != nil {
			return v, err
		}
		return postingView(&row), d.record(tx, p, "sent out", map[string]any{"count": c.ID, "posting": row.Number, "mode": mode, "lines": row.Lines, "sha256": sha})
	})
	if err == nil {
		d.Events.Tell(Event{What: "count", Count: countID})
	}
	return out, err
}

// PostingFile gives a posting's file again, to the byte.
func (d *Desk) PostingFile(ctx context.Context, p Person, countID int64, number int) (name string, file []byte, err error) {
	if err := allow(p, Look); err != nil {
		return "", nil, err
	}
	var row store.Posting
	if err := d.store.Read(ctx).Where("count_id = ? AND number = ?", countID, number).Limit(1).Find(&row).Error; err != nil {
		return "", nil, err
	}
	if row.ID == 0 {
		return "", nil, missing("The posting")
	}
	file, err = d.store.Kept(row.FileSha)
	return row.FileName, file, err
}

// Finish ends a count. Nothing can be counted or decided in it afterwards; reopen is not offered.
func (d *Desk) Finish(ctx context.Context, p Person, countID int64) error {
	if err := allow(p, Plan); err != nil {
		return err
	}
	err := d.store.Write(ctx, func(tx *gorm.DB) error {
		c, err := count(tx, countID)
		if err != nil {
			return err
		}
		_, sum, err := tallies(tx, countID, "")
		if err != nil {
			return err
		}
		switch {
		case c.State == store.Finished:
			return refuse("The count is finished already.")
		case sum.Open > 0:
			return refuse("%d variances are not decided. Accept or hold them first.", sum.Open)
		case sum.Accepted > 0:
			return refuse("%d accepted lines have not been sent out. Send them out or hold them first.", sum.Accepted)
		}
		if err := tx.Model(c).Update("state", store.Finished).Error; err != nil {
			return err
		}
		return d.record(tx, p, "finished", map[string]any{"count": countID})
	})
	if err == nil {
		d.Events.Tell(Event{What: "count", Count: countID})
	}
	return err
}
