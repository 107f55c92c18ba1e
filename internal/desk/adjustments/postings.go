// Package adjustments sends decided variances out as stock adjustment files, each once, and finishes a count.
package adjustments

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Room is the use cases of adjustments.
type Room struct{ *desk.Desk }

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{d} }

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
func (d *Room) Postings(ctx context.Context, p desk.Person, countID int64) ([]PostingView, error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	var rows []store.Posting
	if err := c.Tx.Where("count_id = ?", countID).Order("number").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]PostingView, len(rows))
	for i := range rows {
		out[i] = postingView(&rows[i])
	}
	return out, nil
}

func postingView(r *store.Posting) PostingView {
	return PostingView{
		r.ID,
		r.Number,
		r.Mode,
		r.FileName,
		r.FileSha,
		r.Lines,
		quantity.Money(r.Over),
		quantity.Money(r.Short),
		quantity.Money(r.Gross),
		r.Unvalued,
		r.Person,
		time.Unix(0, r.At).UTC(),
	}
}

// PostingPreview is the file that a posting would be.
type PostingPreview struct {
	Mode     string        `json:"mode"`
	Lines    int           `json:"lines"`
	Sums     variance.Sums `json:"sums"`
	Unvalued int           `json:"unvalued"`
	NoReason int           `json:"no_reason" doc:"accepted lines without a reason code"`
	Alike    int           `json:"alike" doc:"lines that match or are let pass, told since the file tells all counts"`
	Sha      string        `json:"sha" doc:"SHA-256 of the whole file"`
	Text     string        `json:"text" doc:"the file's text, its first 1,000 lines"`
	Bins     []int64       `json:"bins" doc:"the bins of the lines that are shown, in their order"`
	Cut      int           `json:"cut" doc:"how many lines of the text are not shown here"`
	Blocked  string        `json:"blocked"`
	Age      time.Time     `json:"age" doc:"when the recorded stock was true that balances are worked out from"`
	Open     int           `json:"open" doc:"variances not decided, which stay behind"`
}

// PreviewPosting shows the file of the accepted lines before it is made.
func (d *Room) PreviewPosting(ctx context.Context, p desk.Person, countID int64, mode string) (v PostingPreview, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return v, err
	}
	f, err := postingFileOf(c.Tx, c.Count, mode)
	v = PostingPreview{
		Mode:     mode,
		Lines:    len(f.lines),
		Sums:     f.sums,
		Unvalued: f.unvalued,
		NoReason: f.noReason,
		Alike:    f.alike,
		Age:      desk.Instant(c.RecordedAt),
		Bins:     []int64{},
	}
	for _, l := range f.rows[:min(len(f.rows), shownLines)] {
		v.Bins = append(v.Bins, l.BinID)
	}
	var r *desk.Refusal
	if errors.As(err, &r) {
		v.Blocked = r.Error()
	} else if err != nil {
		return v, err
	}
	v.Sha = desk.ShaOf(f.text)
	text := f.text
	for n := 0; len(text) > 0; n++ {
		end := bytes.IndexByte(text, '\n') + 1
		if n <= shownLines {
			v.Text += string(text[:end])
		} else {
			v.Cut++
		}
		text = text[end:]
	}
	all, err := count.TallyOf(c.Tx, countID)
	v.Open = all.Open
	return v, err
}

// shownLines is how many lines of a file are shown before it is made.
const shownLines = 1000

type postingFile struct {
	rows     []store.CountLine
	lines    []adjust.Line
	text     []byte
	sums     variance.Sums
	unvalued int
	noReason int
	alike    int // lines that match or are let pass, and go out since the mode tells all counts
}

// postingFileOf works out the lines and the text of a posting: of all accepted lines, what of them did not go out yet, and
// where the mode tells all counts, those that match or are let pass too. In the order of the core, as every file out.
func postingFileOf(tx *gorm.DB, c *store.Count, mode string) (f postingFile, err error) {
	if !slices.Contains(adjust.Modes, adjust.Mode(mode)) {
		return f, desk.RefuseAs(desk.Invalid, "mode", "%q is none of difference, balance, in-out and counted.", mode)
	}
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return f, err
	}
	where := fmt.Sprintf("l.queue = %d AND l.queue > 0", store.QueueAccepted)
	if mode == string(adjust.Counted) {
		where = fmt.Sprintf("(l.queue = %d OR l.queue = 0 AND l.postings = 0 AND l.status IN ('match', 'tolerated'))", store.QueueAccepted)
	}
	names, book := map[int64]*store.NamedText{}, &stock.Book{}
	var positions []int64
	err = store.EachNamed(tx, c.ID, where, nil, func(n *store.NamedText) error {
		names[n.Pos], positions = n, append(positions, n.Pos)
		var k stock.Key
		for p, t := range []string{h.Code, n.Bin, n.SKU, n.Lot, n.Serial, n.Holding} {
			k[p] = book.Codes[p].Intern([]byte(t))
		}
		book.Lines = append(book.Lines, stock.Line{Key: k})
		return nil
	})
	if err != nil {
		return f, err
	}
	if len(positions) > 0 {
		byPlace := map[int64]bool{}
		for _, p := range positions {
			byPlace[p] = true
		}
		err = store.EachCountLine(tx, c.ID, store.Near(positions), func(l *store.CountLine) error {
			if byPlace[l.Pos] {
				f.rows = append(f.rows, *l)
			}
			return nil
		})
		if err != nil {
			return f, err
		}
	}
	moved := map[int64][]stock.Movement{}
	if len(positions) > 0 {
		err = store.EachCountMove(tx, c.ID, store.Near(positions), func(m store.CountMove) error {
			moved[m.Pos] = append(moved[m.Pos], stock.Movement{Quantity: quantity.Quantity(m.Quantity), At: m.Happened()})
			return nil
		})
		if err != nil {
			return f, err
		}
	}
	inOrder := make([]store.CountLine, 0, len(f.rows))
	columns := count.ColumnsOf(c)
	for _, n := range book.Order() {
		r := f.rows[n]
		l, err := f.line(&r, names[r.Pos], h.Code, moved[r.Pos])
		if err != nil {
			return f, err
		}
		if mode == string(adjust.Counted) && r.Entries == 0 && !r.Zeroed {
			return f, desk.Refuse(
				"%s · %s has no count any more, and what went out of it is to be taken back: send differences, or hold it.",
				l.Key[stock.Bin],
				l.Key[stock.SKU],
			)
		}
		l.Extra = count.Shown(names[r.Pos].Attributes, columns)
		inOrder, f.lines = append(inOrder, r), append(f.lines, l)
	}
	f.rows = inOrder
	// A balance is worked out from the stock at the freeze: newer recorded stock would be overwritten by it.
	if mode == string(adjust.Balance) {
		var set store.StockSet
		if err := tx.Limit(1).Find(&set, h.SetID).Error; err != nil {
			return f, err
		}
		if set.RecordedAt > c.RecordedAt {
			return f, desk.Refuse(
				"Newer stock was taken in since the freeze (of %s). A balance would overwrite what happened meanwhile; send differences instead.",
				desk.Instant(set.RecordedAt).Format("2006-01-02 15:04 MST"),
			)
		}
	}
	text, bad, err := adjust.Write(f.lines, adjust.Mode(mode), count.ColumnTitles(columns)...)
	if err != nil {
		l := &f.lines[bad]
		return f, desk.Refuse(
			"The balance of %s · %s %v: %s counted, and %s moved since. Hold it, or send differences.",
			l.Key[stock.Bin],
			l.Key[stock.SKU],
			err,
			l.Counted,
			l.After,
		)
	}
	f.text = text
	return f, nil
}

// line makes the adjustment of what is open of a line, and takes it into the sums.
func (f *postingFile) line(r *store.CountLine, n *store.NamedText, house string, moves []stock.Movement) (l adjust.Line, err error) {
	rest := quantity.Quantity(r.Rest)
	l = adjust.Line{
		Key:       [stock.Parts]string{house, n.Bin, n.SKU, n.Lot, n.Serial, n.Holding},
		RecordID:  n.RecordID,
		Unit:      n.Unit,
		Counted:   quantity.Quantity(r.Counted),
		Variance:  rest,
		CountedAt: r.CountedAt,
		Counter:   r.Counter,
	}
	if r.Entries == 0 && !r.Zeroed { // counted no more: the record is right as it was expected to be
		l.Counted = quantity.Quantity(r.Expected)
	}
	status := variance.Status(r.Status)
	if r.Postings > 0 { // a correction of what went out, named by its own sign
		status = variance.Tolerated
	}
	switch {
	case r.Reason != "":
		l.Reason = r.Reason
	case r.Queue == store.NotQueued:
		f.alike++
		l.Reason = adjust.Reason(status, rest)
	default:
		f.noReason++
		l.Reason = adjust.Reason(status, rest)
	}
	if r.Cost != nil {
		l.Cost, l.Costed = quantity.Cost(*r.Cost), true
	}
	if r.RestValue != nil {
		l.Value, l.Valued = quantity.Money(*r.RestValue), true
	} else if l.Valued = r.Cost != nil && r.Rest == 0; !l.Valued {
		f.unvalued++
	}
	after, ok := stock.After(moves, r.CountedAt)
	if l.After = after; !ok || !f.sums.Add(l.Variance, l.Value) {
		return l, count.TooMuch()
	}
	return l, nil
}

// Post makes a posting of all accepted lines. It is never changed afterwards, and its file is kept. expect is the
// number of lines that the person saw, sha that of the file that was shown; what is no longer that file is not sent unseen.
func (d *Room) Post(ctx context.Context, p desk.Person, countID int64, mode, key string, expect int, sha ...string) (PostingView, error) {
	once := desk.Key{Text: key, Body: []any{countID, mode, expect, sha}}
	return desk.Do(ctx, d.Desk, p, desk.SendOut, once, func(w *desk.Work) (v PostingView, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return v, err
		}
		f, err := postingFileOf(w.DB, c, mode)
		if err != nil {
			return v, err
		}
		switch {
		case len(f.lines) == f.alike && len(f.lines) == 0:
			return v, desk.Refuse("No accepted line is waiting to go out.")
		case len(f.lines) != expect:
			return v, desk.RefuseAs(
				desk.Changed,
				"lines",
				"There are %d accepted lines now, not %d. Look at the file again.",
				len(f.lines),
				expect,
			)
		case len(sha) > 0 && sha[0] != "" && sha[0] != desk.ShaOf(f.text):
			return v, desk.RefuseAs(
				desk.Changed,
				"sha",
				"The accepted lines have changed since the file was shown. Look at it again; nothing was sent.",
			)
		}
		sha, err := d.Store.KeepBytes(w.DB, f.text, w.Now)
		if err != nil {
			return v, err
		}
		var last int
		if err := w.Raw("SELECT coalesce(max(number), 0) FROM postings WHERE count_id = ?", c.ID).Scan(&last).Error; err != nil {
			return v, err
		}
		row := store.Posting{
			CountID:  c.ID,
			Number:   last + 1,
			Mode:     mode,
			FileSha:  sha,
			FileName: fmt.Sprintf("adjustments-%d-%d-%s.csv", c.ID, last+1, mode),
			Lines:    len(f.lines),
			Over:     int64(f.sums.Over),
			Short:    int64(f.sums.Short),
			Gross:    int64(f.sums.Gross),
			Unvalued: f.unvalued,
			Person:   p.Name,
			At:       w.Now,
		}
		if err := w.Create(&row).Error; err != nil {
			return v, err
		}
		if err := goesOut(w, c, &row, &f); err != nil {
			return v, err
		}
		if err := w.Cover("postings", row.ID, row.ID); err != nil {
			return v, err
		}
		if err := w.Cover("posting_lines", row.ID, row.ID); err != nil {
			return v, err
		}
		return postingView(&row), w.Say(
			"sent out",
			map[string]any{"count": c.ID, "posting": row.Number, "mode": mode, "lines": row.Lines, "sha256": sha},
		)
	})
}

// goesOut notes what a posting takes out of its lines: nothing of them is open then.
func goesOut(w *desk.Work, c *store.Count, row *store.Posting, f *postingFile) error {
	lines, reasons := make([]store.PostingLine, len(f.rows)), map[string]*variance.Sums{}
	counts := map[string]int{}
	t := count.NewTallying(w, c)
	if len(f.rows) > 2000 {
		if err := t.Preload(); err != nil {
			return err
		}
	}
	for i := range f.rows {
		r, out := &f.rows[i], &f.lines[i]
		before := *r
		lines[i] = store.PostingLine{PostingID: row.ID, Pos: r.Pos, Variance: r.Rest, Value: r.RestValue, Reason: out.Reason}
		if reasons[r.Reason] == nil {
			reasons[r.Reason] = &variance.Sums{}
		}
		reasons[r.Reason].Add(out.Variance, out.Value) // part of the whole, so it fits
		counts[r.Reason]++
		r.PostingID, r.Postings, r.Sent = row.ID, r.Postings+1, r.Sent+r.Rest
		if r.RestValue != nil {
			r.SentValue += *r.RestValue
		}
		r.Rest, r.RestValue, r.Decision, r.Reason = 0, nil, "", ""
		state := count.LineState(r)
		state.Rest = variance.Rest{Valued: state.Result.Valued}
		r.Enqueue(state)
		if err := t.Move(&before, r, false); err != nil {
			return err
		}
	}
	if err := store.AddPostingLines(w.DB, row.ID, lines); err != nil {
		return err
	}
	var by []store.PostingReason
	for reason, s := range reasons {
		by = append(
			by,
			store.PostingReason{
				PostingID: row.ID,
				Reason:    reason,
				Lines:     counts[reason],
				Over:      int64(s.Over),
				Short:     int64(s.Short),
				Gross:     int64(s.Gross),
			},
		)
	}
	if err := store.Batch(w.DB, by); err != nil {
		return err
	}
	slices.SortFunc(f.rows, func(a, b store.CountLine) int { return int(a.Pos - b.Pos) })
	if err := store.UpdateCountLines(w.DB, c, f.rows); err != nil {
		return err
	}
	return t.Write()
}

// PostingFile gives a posting's file again, to the byte.
func (d *Room) PostingFile(ctx context.Context, p desk.Person, countID int64, number int) (name string, file *store.KeptFile, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return "", nil, err
	}
	var row store.Posting
	if err := c.Tx.Where("count_id = ? AND number = ?", countID, number).Limit(1).Find(&row).Error; err != nil {
		return "", nil, err
	}
	if row.ID == 0 {
		return "", nil, desk.Missing("The posting")
	}
	file, err = d.Kept(row.FileSha)
	return row.FileName, file, err
}
