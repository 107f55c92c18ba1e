package adjustments

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/outfile"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Sending is what somebody sends out, as it was seen.
type Sending struct {
	Going
	Key   string `json:"key" minLength:"8"`
	Lines int    `json:"lines" doc:"the number of lines that the person saw"`
	Sha   string `json:"sha,omitempty" doc:"that of the files that were shown; other ones are not sent unseen"`
	Word  string `json:"word,omitempty" maxLength:"500" doc:"to who has to agree, where somebody has to"`
}

// Sent is what came of it: a posting, or, where somebody else has to agree first, the question.
type Sent struct {
	Posting  *PostingView  `json:"posting"`
	Approval *ApprovalView `json:"approval"`
}

// Post makes a posting of all accepted lines in a form of ours. It is never changed afterwards, and its file is kept. expect is the
// number of lines that the person saw, sha that of the file that was shown; what is no longer that file is not sent unseen. Where
// somebody else has to agree first, nothing goes out, and that is an error.
func (d *Room) Post(ctx context.Context, p desk.Person, countID int64, mode, key string, expect int, sha ...string) (PostingView, error) {
	s := Sending{Going: Going{Mode: mode}, Key: key, Lines: expect}
	if len(sha) > 0 {
		s.Sha = sha[0]
	}
	sent, err := d.Send(ctx, p, countID, s)
	if err != nil {
		return PostingView{}, err
	}
	if sent.Posting == nil {
		return PostingView{}, desk.Refuse("Somebody else has to agree to this first.")
	}
	return *sent.Posting, nil
}

// Send sends accepted lines out as a posting, which is never changed afterwards and whose files are kept. Where somebody else has to agree,
// it asks for that in its place.
func (d *Room) Send(ctx context.Context, p desk.Person, countID int64, s Sending) (Sent, error) {
	once := desk.Key{Text: s.Key, Body: []any{countID, s}}
	sent, err := desk.Do(ctx, d.Desk, p, desk.SendOut, once, func(w *desk.Work) (out Sent, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		if s.Try != nil {
			return out, desk.RefuseAs(desk.Invalid, "try", "Keep the layout first, and send by its name.")
		}
		f, err := d.workedOut(w.Tx, c, &s.Going)
		if err != nil {
			return out, err
		}
		if err := f.asSeen(s.Lines, s.Sha); err != nil {
			return out, err
		}
		ask, err := d.needsAgreement(w.Tx, c, &f)
		if err != nil {
			return out, err
		}
		if ask {
			out.Approval, err = d.askFor(w, c, &s, &f)
			return out, err
		}
		out.Posting, err = d.make(w, c, &f, made{going: s.Going, maker: p.Name})
		return out, err
	})
	if err == nil && sent.Posting != nil {
		d.deliver(ctx, countID, sent.Posting)
	}
	return sent, err
}

// asSeen refuses what is not what was seen.
func (f *postingFile) asSeen(lines int, sha string) error {
	switch {
	case len(f.lines) == f.alike && len(f.lines) == 0:
		return desk.Refuse("No accepted line is waiting to go out.")
	case len(f.lines) != lines:
		return desk.RefuseAs(desk.Changed, "lines", "There are %d accepted lines now, not %d. Look at the file again.", len(f.lines), lines)
	case sha != "" && sha != f.sha():
		return desk.RefuseAs(desk.Changed, "sha", "The accepted lines have changed since the file was shown. Look at it again; nothing was sent.")
	}
	return nil
}

// made is how a posting is made.
type made struct {
	going    Going
	maker    string
	kind     string
	of       *store.Posting
	agreedBy string
}

// make makes a posting of what was worked out, keeps its files, and takes it out of its lines.
func (d *Room) make(w *desk.Work, c *store.Count, f *postingFile, m made) (*PostingView, error) {
	last, err := store.LastPosting(w.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	number := last + 1
	files := make([]store.PostingFile, len(f.files))
	for i := range f.files {
		x := &f.files[i]
		sha, err := d.Store.KeepBytes(w.Tx, x.Body, w.Now)
		if err != nil {
			return nil, err
		}
		if x.Name == "" { // a form of ours
			x.Name = fmt.Sprintf("adjustments-%d-%d-%s.csv", c.ID, number, f.mode)
			if m.kind != "" {
				x.Name = fmt.Sprintf("%s-%d-%d.csv", m.kind, c.ID, number)
			}
		}
		files[i] = store.PostingFile{N: i + 1, FileSha: sha, FileName: x.Name, Lines: x.Rows, Size: int64(len(x.Body))}
	}
	row := store.Posting{
		CountID:  c.ID,
		Number:   number,
		Mode:     string(f.mode),
		FileSha:  files[0].FileSha,
		FileName: files[0].FileName,
		Lines:    len(f.lines),
		Over:     int64(f.sums.Over),
		Short:    int64(f.sums.Short),
		Gross:    int64(f.sums.Gross),
		Unvalued: f.unvalued,
		Person:   m.maker,
		At:       w.Now,
	}
	facts := store.PostingFacts{
		Kind:      m.kind,
		OnDay:     f.facts.At,
		Reference: f.facts.Reference,
		SetID:     f.setID,
		AgreedBy:  m.agreedBy,
	}
	if m.agreedBy != "" {
		facts.AgreedAt = w.Now
	}
	if m.of != nil {
		facts.Of = m.of.ID
	}
	if f.layout != nil {
		b, err := json.Marshal(f.layout)
		if err != nil {
			return nil, err
		}
		facts.Layout, facts.Body = f.layout.Name, string(b)
	}
	if len(m.going.Reasons) > 0 {
		b, err := json.Marshal(m.going.Reasons)
		if err != nil {
			return nil, err
		}
		facts.Reasons = string(b)
	}
	if err := store.AddPosting(w.Tx, &row, &facts, files); err != nil {
		return nil, err
	}
	if err := goesOut(w, c, &row, f, m.kind); err != nil {
		return nil, err
	}
	if err := count.SentOut(w, c, row.ID); err != nil {
		return nil, err
	}
	for _, table := range []string{"postings", "posting_facts", "posting_files", "posting_lines"} {
		if err := w.Cover(table, row.ID, row.ID); err != nil {
			return nil, err
		}
	}
	all, err := postingsOf(w.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	word := map[string]string{"": "sent out", store.Reversal: "taken back", store.Unlanded: "not landed"}[m.kind]
	said := map[string]any{"count": c.ID, "posting": number, "mode": f.mode, "lines": row.Lines, "sha256": row.FileSha}
	if m.of != nil {
		said["of"] = m.of.Number
	}
	if m.agreedBy != "" {
		said["maker"], said["agreed"] = m.maker, m.agreedBy
	}
	return &all[len(all)-1], w.Say(word, said)
}

// goesOut notes what a posting takes out of its lines: nothing of them is open then. Of a posting that takes another one back as much is
// open of them again as that had taken out.
func goesOut(w *desk.Work, c *store.Count, row *store.Posting, f *postingFile, kind string) error {
	lines, reasons := make([]store.PostingLine, len(f.rows)), map[string]*variance.Sums{}
	counts := map[string]int{}
	t := count.NewTallying(w, c)
	if len(f.rows) > 2000 {
		if err := t.Preload(); err != nil {
			return err
		}
	}
	positions := make([]int64, len(f.rows))
	for i := range f.rows {
		r, out := &f.rows[i], &f.lines[i]
		before := *r
		positions[i] = r.Pos
		lines[i] = store.PostingLine{PostingID: row.ID, Pos: r.Pos, Variance: int64(out.Variance), Reason: out.Reason}
		if out.Valued {
			v := int64(out.Value)
			lines[i].Value = &v
		}
		reason := r.Reason
		if kind != "" {
			reason = out.Reason
		}
		if reasons[reason] == nil {
			reasons[reason] = &variance.Sums{}
		}
		reasons[reason].Add(out.Variance, out.Value) // part of the whole, so it fits
		counts[reason]++
		r.PostingID, r.Postings, r.Sent = row.ID, r.Postings+1, r.Sent+int64(out.Variance)
		if out.Valued {
			r.SentValue += int64(out.Value)
		}
		if kind != "" {
			continue // what is open of it then is worked out below
		}
		r.Rest, r.RestValue, r.Decision, r.Reason = 0, nil, "", ""
		state := count.LineState(r)
		state.Rest = variance.Rest{Valued: state.Result.Valued}
		r.Enqueue(state)
		if err := t.Move(&before, r, false); err != nil {
			return err
		}
	}
	if err := store.AddPostingLines(w.Tx, row.ID, lines); err != nil {
		return err
	}
	by := make([]store.PostingReason, 0, len(reasons))
	for reason, s := range reasons {
		by = append(by, store.PostingReason{PostingID: row.ID, Reason: reason, Lines: counts[reason], Over: int64(s.Over), Short: int64(s.Short),
			Gross: int64(s.Gross)})
	}
	if err := store.Batch(w.Tx, by); err != nil {
		return err
	}
	sortByPos(f.rows)
	if err := store.UpdateCountLines(w.Tx, c, f.rows); err != nil {
		return err
	}
	if kind != "" {
		return count.WorkOut(w, c, positions, false)
	}
	return t.Write()
}

// Reverse answers a posting that was a mistake with one that takes all of it back; its lines are open again. A finished count is opened
// for it.
func (d *Room) Reverse(ctx context.Context, p desk.Person, countID int64, number int, key string) (PostingView, error) {
	return d.back(ctx, p, countID, number, key, store.Reversal, nil)
}

// back makes a posting that takes back what another one said of lines: of all, or of those at some positions.
func (d *Room) back(
	ctx context.Context,
	p desk.Person,
	countID int64,
	number int,
	key, kind string,
	only map[int64]bool,
) (PostingView, error) {
	once := desk.Key{Text: key, Body: []any{countID, number, kind}}
	v, err := desk.Do(ctx, d.Desk, p, desk.SendOut, once, func(w *desk.Work) (v PostingView, err error) {
		c, err := desk.CountRow(w.Tx, countID)
		if err != nil {
			return v, err
		}
		if c.State == store.Finished {
			if err := reopened(w, c); err != nil {
				return v, err
			}
		}
		if c, err = w.Running(countID); err != nil {
			return v, err
		}
		of, err := store.PostingNumbered(w.Tx, countID, number)
		if err != nil {
			return v, err
		}
		if of.ID == 0 {
			return v, desk.Missing("The posting")
		}
		facts, err := store.FactsOf(w.Tx, of.ID)
		if err != nil {
			return v, err
		}
		if facts.Kind != "" {
			return v, desk.Refuse("Posting %d takes another one back itself. Send its lines out again instead.", number)
		}
		f, err := d.taken(w, c, &of, &facts, only)
		if err != nil {
			return v, err
		}
		made, err := d.make(w, c, f, made{maker: p.Name, kind: kind, of: &of})
		if err != nil {
			return v, err
		}
		return *made, nil
	})
	if err == nil && kind == store.Reversal {
		d.deliver(ctx, countID, &v)
	}
	return v, err
}

// taken works out the posting that takes back what of another one is not taken back yet.
func (d *Room) taken(
	w *desk.Work,
	c *store.Count,
	of *store.Posting,
	facts *store.PostingFacts,
	only map[int64]bool,
) (*postingFile, error) {
	f := &postingFile{mode: adjust.Difference, setID: facts.SetID}
	f.facts = outfile.Facts{
		Zone:      time.UTC,
		At:        d.Now().UTC().Truncate(24 * time.Hour).UnixNano(),
		Count:     fmt.Sprint(c.ID),
		Reference: facts.Reference,
	}
	if f.facts.Reference == "" {
		f.facts.Reference = fmt.Sprintf("C%d-%d", c.ID, of.Number)
	}
	f.facts.Reference += "-back"
	h, err := desk.WarehouseRow(w.Tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	f.setID = h.SetID
	sent := map[int64]*store.PostingLine{}
	list, err := store.PostingLines(w.Tx, of.ID)
	if err != nil {
		return nil, err
	}
	back, err := store.TakenBackOf(w.Tx, of.ID, "")
	if err != nil {
		return nil, err
	}
	var positions []int64
	for i := range list {
		x := &list[i]
		if back[x.Pos] || x.Variance == 0 || only != nil && !only[x.Pos] {
			continue
		}
		sent[x.Pos], positions = x, append(positions, x.Pos)
	}
	if len(positions) == 0 {
		return nil, desk.RefuseAs(desk.Changed, "posting", "Nothing of posting %d is left to be taken back.", of.Number)
	}
	names := map[int64]*store.NamedText{}
	if err := store.EachNamed(w.Tx, c.ID, "1 = 1", nil, func(n *store.NamedText) error {
		if sent[n.Pos] != nil {
			names[n.Pos] = n
		}
		return nil
	}); err != nil {
		return nil, err
	}
	err = store.EachCountLine(w.Tx, c.ID, store.Near(positions), func(l *store.CountLine) error {
		x := sent[l.Pos]
		if x == nil {
			return nil
		}
		n := names[l.Pos]
		a := adjust.Line{
			Key:       [6]string{h.Code, n.Bin, n.SKU, n.Lot, n.Serial, n.Holding},
			RecordID:  n.RecordID,
			Unit:      n.Unit,
			Variance:  -quantity.Quantity(x.Variance),
			Reason:    x.Reason,
			Counted:   quantity.Quantity(l.Counted),
			CountedAt: l.CountedAt,
			Counter:   l.Counter,
		}
		if l.Cost != nil {
			a.Cost, a.Costed = quantity.Cost(*l.Cost), true
		}
		if x.Value != nil {
			a.Value, a.Valued = -quantity.Money(*x.Value), true
		} else {
			f.unvalued++
		}
		if !f.sums.Add(a.Variance, a.Value) {
			return count.TooMuch()
		}
		f.rows, f.lines = append(f.rows, *l), append(f.lines, a)
		return nil
	})
	if err != nil {
		return nil, err
	}
	if facts.Body != "" {
		if l, err := outfile.Decode([]byte(facts.Body)); err == nil && (l.Mode() == adjust.Difference || l.Mode() == adjust.InOut) {
			f.layout, f.mode = l, l.Mode()
		}
	} else if m := adjust.Mode(of.Mode); m == adjust.InOut {
		f.mode = m
	}
	return f, f.write(w.Tx, c, names)
}
