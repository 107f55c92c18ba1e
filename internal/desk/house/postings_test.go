package house_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/core/outfile"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

var mette = desk.Person{ID: 77, Name: "Mette", Role: "approver"}

// acceptAll accepts all that is open of a count, for reasons that fit the signs.
func acceptAll(t *testing.T, d *house.House, id int64) {
	t.Helper()
	for sign, reason := range map[string]string{"short": "LOSS", "over": "MISCOUNT"} {
		seen, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open", Sign: sign})
		require.NoError(t, err)
		if seen.Lines == 0 {
			continue
		}
		all := variances.AllOf{Show: "open", Sign: sign, Lines: seen.Lines, Gross: seen.Gross}
		_, err = d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &all, Kind: store.Accept, Reason: reason})
		require.NoError(t, err)
	}
}

// send sends out what is accepted, as it is shown.
func send(t *testing.T, d *house.House, id int64, g adjustments.Going) adjustments.Sent {
	t.Helper()
	v, err := d.Adjustments.Preview(ctx, nell, id, g)
	require.NoError(t, err)
	require.Empty(t, v.Blocked)
	sent, err := d.Adjustments.Send(ctx, nell, id, adjustments.Sending{Going: g, Lines: v.Lines, Sha: v.Sha})
	require.NoError(t, err)
	return sent
}

func proved(t *testing.T, d *house.House) {
	t.Helper()
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}

// A layout is kept under a name of its own and writes the files; lines go out by reason, with a day and a reference; the files come again
// to the byte, and the manifest proves them.
func TestSendByLayout(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	d.Adjustments.Folder = t.TempDir()
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	l := adjustments.OutLayout{
		Name:      "Ours",
		Delimiter: ";",
		Per:       []string{"reason"},
		FileName:  "adj-{reason}.csv",
		Columns: []outfile.Column{{Header: "Item", Field: outfile.SKU},
			{
				Header: "Qty",
				Field:  outfile.Difference,
			}, {Header: "Date", Field: outfile.PostingDate, Date: "DD.MM.YYYY"}, {Header: "Ref", Field: outfile.Reference}, {Header: "Why", Field: outfile.ReasonName}},
	}
	v, err := d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Try: &l})
	require.NoError(t, err)
	assert.Len(t, v.Files, 2)
	_, err = d.Adjustments.Send(ctx, nell, id, adjustments.Sending{Going: adjustments.Going{Try: &l}, Lines: v.Lines})
	require.ErrorContains(t, err, "Keep the layout first")
	bad := l
	bad.Columns = l.Columns[:1]
	require.ErrorContains(t, d.Adjustments.KeepLayout(ctx, nell, bad), "no column says how much")
	ready := l
	ready.Name = "new balances"
	require.ErrorContains(t, d.Adjustments.KeepLayout(ctx, nell, ready), "is a ready-made layout")
	require.NoError(t, d.Adjustments.KeepLayout(ctx, nell, l))
	require.NoError(t, d.Adjustments.KeepLayout(ctx, nell, l), "and again in its own place")

	waits, err := d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Layout: "Ours", Reasons: []string{"LOSS"}})
	require.NoError(t, err)
	require.Len(t, waits.Reasons, 2)
	sent := send(t, d, id, adjustments.Going{Layout: "Ours", Reasons: []string{"LOSS"}, Day: "2026-11-21", Reference: "NOV"}).Posting
	assert.Equal(t, []any{waits.Lines, "Ours", "2026-11-21", "NOV", []string{"LOSS"}, "adj-LOSS.csv", d.Adjustments.Folder, ""},
		[]any{sent.Lines, sent.Layout, sent.Day, sent.Reference, sent.Reasons, sent.Files[0].Name, "" + d.Adjustments.Folder, sent.FolderWord})
	rest := send(t, d, id, adjustments.Going{Layout: "Ours"}).Posting
	assert.Equal(t, 8, sent.Lines+rest.Lines, "every line goes out once")
	name, k, err := d.Adjustments.PostingFile(ctx, nell, id, 1, 1)
	require.NoError(t, err)
	body := readAll(t, k)
	assert.Equal(t, "adj-LOSS.csv", name)
	assert.Contains(t, string(body), "21.11.2026;NOV;Lost or stolen\n")
	_, manifest, err := d.Adjustments.Manifest(ctx, nell, id, 1)
	require.NoError(t, err)
	assert.Equal(t, desk.ShaOf(body)+"  adj-LOSS.csv\n", string(manifest))
	for name, want := range map[string][]byte{"adj-LOSS.csv": body, fmt.Sprintf("posting-%d-1.sha256", id): manifest} {
		got, err := os.ReadFile(filepath.Join(d.Adjustments.Folder, name))
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got))
	}
	_, _, err = d.Adjustments.PostingFile(ctx, nell, id, 1, 2)
	require.ErrorIs(t, err, desk.ErrNotFound)
	require.NoError(t, d.Adjustments.DropLayout(ctx, nell, "Ours"))
	_, err = d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Layout: "Ours"})
	require.NoError(t, err)
	all, err := d.Adjustments.Postings(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, "Ours", all[0].Layout, "a posting keeps its layout")
	proved(t, d)
}

// What a layout cannot say blocks the posting, with line and column; nothing is written.
func TestLayoutThatCannotSay(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	l := adjustments.OutLayout{
		Name:    "x",
		Columns: []outfile.Column{{Header: "Item", Field: outfile.SKU, Longest: 4}, {Header: "Qty", Field: outfile.Difference}},
	}
	v, err := d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Try: &l})
	require.NoError(t, err)
	assert.Contains(t, v.Blocked, "that the layout cannot say. The first: ")
	assert.NotEmpty(t, v.Problems)
	assert.Contains(t, v.Problems[0].Text, "characters, and the record system takes 4")
	assert.Empty(t, v.Files)
	require.NoError(t, d.Adjustments.KeepLayout(ctx, nell, l))
	_, err = d.Adjustments.Send(ctx, nell, id, adjustments.Sending{Going: adjustments.Going{Layout: "x"}, Lines: v.Lines})
	require.ErrorContains(t, err, "that the layout cannot say")
	p, err := d.Adjustments.Propose(nell, "sample.csv", strings.NewReader("sku,difference\nA,1\n"))
	require.NoError(t, err)
	assert.Len(t, p.Layout.Columns, 2)
	_, err = d.Adjustments.Propose(nell, "photo.csv", strings.NewReader("\x89PNG\r\n\x1a\n000000"))
	require.ErrorContains(t, err, "is a picture, not a table")
	_, err = d.Adjustments.Propose(nell, "l.json", strings.NewReader(`{"colour":1}`))
	require.ErrorContains(t, err, "no adjustment layout")
}

// Over the limit, cumulated over a count's postings, somebody else has to agree to just what was shown; the maker cannot; it can be sent
// back with a word; what has changed meanwhile does not go out.
func TestAgreement(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	whole, err := d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Mode: "difference"})
	require.NoError(t, err)
	assert.False(t, whole.Agree)
	require.ErrorContains(t, d.Adjustments.KeepAgreement(ctx, nell, adjustments.Agreement{Over: worth(-1)}), "not below zero")
	require.Error(t, d.Adjustments.KeepAgreement(ctx, mette, adjustments.Agreement{Always: true}))
	limit := whole.Sums.Gross - 1
	require.NoError(t, d.Adjustments.KeepAgreement(ctx, nell, adjustments.Agreement{Over: &limit}))
	first := send(t, d, id, adjustments.Going{Mode: "difference", Reasons: []string{"LOSS"}})
	require.NotNil(t, first.Posting, "below the limit it goes out")
	second, err := d.Adjustments.Preview(ctx, nell, id, adjustments.Going{Mode: "difference"})
	require.NoError(t, err)
	assert.True(t, second.Agree, "with what went out it is over the limit")
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", second.Lines)
	require.ErrorContains(t, err, "Somebody else has to agree")
	asks, err := d.Adjustments.Approvals(ctx, mette, 0)
	require.NoError(t, err)
	require.Len(t, asks, 1)
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", second.Lines)
	require.ErrorContains(t, err, "waits for somebody to agree")
	waits, err := d.Today.Today(ctx, mette)
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(waits.Counts[0].Waits), "to go out, by Nell: agree or send them back")

	_, err = d.Adjustments.Answer(ctx, nell, asks[0].ID, adjustments.Answering{Agree: true})
	require.ErrorContains(t, err, "You made this posting yourself")
	_, err = d.Adjustments.Answer(ctx, desk.Person{ID: 5, Name: "Vi", Role: "viewer"}, asks[0].ID, adjustments.Answering{Agree: true})
	require.ErrorIs(t, err, desk.ErrMayNot)
	_, err = d.Adjustments.Answer(ctx, mette, asks[0].ID, adjustments.Answering{})
	require.ErrorContains(t, err, "Say why it is sent back")
	back, err := d.Adjustments.Answer(ctx, mette, asks[0].ID, adjustments.Answering{Word: "count the bolts again"})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]any{"sent back", "Mette", "count the bolts again"},
		[]any{back.Approval.State, back.Approval.SettledBy, back.Approval.Answer},
	)
	_, err = d.Adjustments.Answer(ctx, mette, asks[0].ID, adjustments.Answering{Agree: true})
	require.ErrorContains(t, err, "It waits no more")

	asked := send(t, d, id, adjustments.Going{Mode: "in-out"})
	require.NotNil(t, asked.Approval)
	left, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "accepted", Limit: 10})
	require.NoError(t, err)
	_, err = d.Variances.Decide(ctx, nell, id, []int64{left.Lines[0].Pos}, store.Hold, "")
	require.NoError(t, err)
	_, err = d.Adjustments.Answer(ctx, mette, asked.Approval.ID, adjustments.Answering{Agree: true})
	require.ErrorContains(t, err, "have changed since Nell asked")
	gone, err := d.Adjustments.Answer(ctx, nell, asked.Approval.ID, adjustments.Answering{})
	require.NoError(t, err)
	assert.Equal(t, "taken back", gone.Approval.State)

	_, err = d.Variances.Decide(ctx, nell, id, []int64{left.Lines[0].Pos}, store.Accept, "")
	require.NoError(t, err)
	again := send(t, d, id, adjustments.Going{Mode: "in-out"})
	agreed, err := d.Adjustments.Answer(ctx, mette, again.Approval.ID, adjustments.Answering{Agree: true})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]any{2, "in-out", "Nell", "Mette"},
		[]any{agreed.Posting.Number, agreed.Posting.Mode, agreed.Posting.Person, agreed.Posting.AgreedBy},
	)
	proved(t, d)
}

// Two people who send the same lines at once: one posting, and the other is told.
func TestTwoSendAtOnce(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	var wg sync.WaitGroup
	errs := make([]error, 4)
	for i := range errs {
		wg.Go(func() {
			who := desk.Person{ID: int64(i + 1), Name: fmt.Sprint("N", i), Role: "controller"}
			_, errs[i] = d.Adjustments.Send(
				ctx,
				who,
				id,
				adjustments.Sending{Going: adjustments.Going{Mode: "difference"}, Lines: v.Lines, Sha: v.Sha},
			)
		})
	}
	wg.Wait()
	went := 0
	for _, err := range errs {
		if err == nil {
			went++
		} else {
			assert.ErrorContains(t, err, "No accepted line is waiting")
		}
	}
	assert.Equal(t, 1, went)
}

// What went out is held against the next stock that is taken in; what is missing is opened again and sent anew; a mistake is taken back
// by a posting that says the opposite, even out of a finished count.
func TestProofAndReversal(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	id := caused(t, d, "first", causeStock, causeCounts, "", "")
	acceptAll(t, d, id)
	sent := send(t, d, id, adjustments.Going{Mode: "difference"}).Posting
	list, err := d.Adjustments.Proof(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []any{1, sent.Lines, sent.Lines, true}, []any{len(list), list[0].Tally.Sent, list[0].Tally.Unseen, list[0].After == nil})
	waits, err := d.Today.Today(ctx, nell)
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(waits.Counts[0].Waits), fmt.Sprintf("%d sent lines are not proved yet", sent.Lines))

	// The next export: all of it as it was counted, but ROPE12 in A-01-1, which was not booked, and BOLT, which was booked twice; PUMP moved.
	stock := []string{"warehouse,bin,sku,on hand,unit cost,as at"}
	page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Limit: 100})
	require.NoError(t, err)
	counted := map[string]string{}
	for _, l := range page.Lines {
		q := *l.Counted
		switch {
		case l.Bin == "A-01-1" && l.SKU == "ROPE12":
			q = *l.Recorded
		case l.SKU == "BOLT":
			q += *l.Variance
		}
		counted[l.Bin+" "+l.SKU] = q.String()
	}
	for _, row := range strings.Split(strings.TrimSpace(causeStock), "\n")[1:] {
		c := strings.Split(row, ",")
		q := c[5]
		if is, had := counted[c[1]+" "+c[2]]; had {
			q = is
		}
		stock = append(stock, strings.Join([]string{c[0], c[1], c[2], q, "1", "2026-11-21T06:00:00Z"}, ","))
		delete(counted, c[1]+" "+c[2])
	}
	for k, q := range counted {
		bin, sku, _ := strings.Cut(k, " ")
		stock = append(stock, strings.Join([]string{"W", bin, sku, q, "1", "2026-11-21T06:00:00Z"}, ","))
	}
	now = time.Date(2026, 11, 21, 8, 0, 0, 0, time.UTC)
	take(t, d, "next.csv", strings.Join(stock, "\n")+"\n")
	list, err = d.Adjustments.Proof(ctx, nell, id)
	require.NoError(t, err)
	tally := list[0].Tally
	assert.Equal(
		t,
		[]int{sent.Lines, sent.Lines - 2, 1, 1, 0, 0},
		[]int{tally.Sent, tally.Landed, tally.Missing, tally.Twice, tally.Different, tally.Unseen},
		list,
	)
	_, err = d.Adjustments.Unlanded(ctx, nell, id, 1, 2, "")
	require.ErrorContains(t, err, "1 line is missing of posting 1 now, not 2")
	note, err := d.Adjustments.Unlanded(ctx, nell, id, 1, 1, "")
	require.NoError(t, err)
	assert.Equal(t, []any{"missing", 1, 1}, []any{note.Kind, note.Of, note.Lines})
	open, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "open", Limit: 100})
	require.NoError(t, err)
	require.Len(t, open.Lines, 1)
	assert.Equal(t, []any{"ROPE12", open.Lines[0].Variance.String()}, []any{open.Lines[0].SKU, open.Lines[0].Rest.String()})
	acceptAll(t, d, id)
	send(t, d, id, adjustments.Going{Mode: "difference"})

	// A mistake.
	_, err = d.Adjustments.Reverse(ctx, nell, id, 2, "")
	require.ErrorContains(t, err, "takes another one back itself")
	c, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	require.NoError(
		t,
		d.Adjustments.Finish(ctx, nell, id, adjustments.Left{Held: c.Held, Accepted: c.Accepted, Uncounted: c.Uncounted - c.Zeroed}),
	)
	back, err := d.Adjustments.Reverse(ctx, nell, id, 3, "")
	require.NoError(t, err)
	assert.Equal(t, []any{"reversal", 3, 1, "Nell"}, []any{back.Kind, back.Of, back.Lines, back.Person})
	_, err = d.Adjustments.Reverse(ctx, nell, id, 3, "")
	require.ErrorContains(t, err, "Nothing of posting 3 is left to be taken back")
	_, err = d.Adjustments.Reverse(ctx, nell, id, 9, "")
	require.ErrorIs(t, err, desk.ErrNotFound)
	c, err = d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []any{"running", 1}, []any{c.State, c.Open})
	back1, err := d.Adjustments.Reverse(ctx, nell, id, 1, "")
	require.NoError(t, err)
	assert.Equal(t, sent.Lines-1, back1.Lines, "but what was noted to be missing")
	list, err = d.Adjustments.Proof(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 1, list[0].Noted, "a reversal notes nothing as missing")
	all, err := d.Adjustments.Postings(ctx, nell, id)
	require.NoError(t, err)
	sum := 0
	for _, x := range all {
		sum += int(x.Over + x.Short)
	}
	assert.Zero(t, sum, "all of it is taken back")
	c, err = d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, sent.Lines, c.Open)
	proved(t, d)
}

// A folder that is gone or full keeps nothing half written; the posting stands and is written again later.
func TestOutFolder(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	require.ErrorContains(t, d.Adjustments.Deliver(ctx, nell, id, 1), "No folder is settled")
	folder := filepath.Join(t.TempDir(), "out")
	d.Adjustments.Folder = folder
	sent := send(t, d, id, adjustments.Going{Mode: "difference"}).Posting
	all, err := d.Adjustments.Postings(ctx, nell, id)
	require.NoError(t, err)
	assert.Contains(t, all[0].FolderWord, "The folder cannot be reached")
	require.ErrorContains(t, d.Adjustments.Deliver(ctx, nell, id, sent.Number), "The files were not written into")
	require.NoError(t, os.MkdirAll(folder, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, sent.File), []byte("somebody else's"), 0o644))
	require.ErrorContains(t, d.Adjustments.Deliver(ctx, nell, id, sent.Number), "There is another file")
	require.NoError(t, os.Remove(filepath.Join(folder, sent.File)))
	require.NoError(t, syscall.Mkfifo(filepath.Join(folder, sent.File), 0o600)) // which holds up whoever opens it
	require.ErrorContains(t, d.Adjustments.Deliver(ctx, nell, id, sent.Number), "is no plain file")
	require.NoError(t, os.Remove(filepath.Join(folder, sent.File)))
	require.NoError(t, d.Adjustments.Deliver(ctx, nell, id, sent.Number))
	require.NoError(t, d.Adjustments.Deliver(ctx, nell, id, sent.Number), "what stands there is left")
	names, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, names, 2)
	all, err = d.Adjustments.Postings(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []string{folder, ""}, []string{all[0].Folder, all[0].FolderWord})
}

// Attributes that lines and items came with, and the item's own record id, go out as columns and in formulas: a place that was parted into
// levels comes back apart. A field that is none is an error with its column.
func TestAttributesGoOut(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Description,Record id\nROPE,Rope,77\nSHK,Shackle,78\n")
	const parted = "Warehouse,Floor,Bin,SKU,On hand,As at\nW,1,01,ROPE,5,2026-11-20T06:00:00Z\nW,2,01,ROPE,7,2026-11-20T06:00:00Z\nW,2,02,SHK,4,2026-11-20T06:00:00Z\n"
	dr := look(t, d, "stock.csv", parted, intake.Choices{})
	var l layout.Layout
	for _, q := range dr.Sheets[0].Questions {
		if q.What == "level" {
			l = q.Options[0].Set
		}
	}
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Set: &l})
	require.NoError(t, err)
	require.Empty(t, dr.Blocked)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	takeCounts(t, d, c.ID, "W,1-01,ROPE,,6,2026-11-20T08:00:00Z\nW,2-01,ROPE,,9,2026-11-20T08:00:00Z\nW,2-02,SHK,,4,2026-11-20T08:00:00Z\nW,1-01,SHK,,1,2026-11-20T08:00:00Z\n")
	acceptAll(t, d, c.ID)
	columns := []outfile.Column{{Header: "Floor", Field: "line.Floor"}, {Header: "Bin", Field: "line.Bin"}, {Header: "Place", Field: outfile.Bin},
		{Header: "Item", Field: outfile.ItemID}, {Header: "Where", Formula: `'line.Floor' & "/" & 'line.Bin'`}, {Header: "Qty", Field: outfile.Difference}}
	v, err := d.Adjustments.Preview(ctx, nell, c.ID, adjustments.Going{Try: &adjustments.OutLayout{Name: "x", Columns: columns}})
	require.NoError(t, err)
	require.Empty(t, v.Blocked)
	assert.Equal(t, "Floor,Bin,Place,Item,Where,Qty\n1,01,1-01,77,1/01,1\n,,1-01,78,/,1\n2,01,2-01,77,2/01,2\n", v.Text)
	columns[0].Field = "nosuch"
	v, err = d.Adjustments.Preview(ctx, nell, c.ID, adjustments.Going{Try: &adjustments.OutLayout{Name: "x", Columns: columns}})
	require.NoError(t, err)
	assert.Equal(t, `The layout cannot be used: column 1, Floor: "nosuch" is no field.`, v.Blocked)
	all, err := d.Adjustments.Layouts(ctx, nell)
	require.NoError(t, err)
	titles := map[string]bool{}
	for _, f := range all.Fields {
		titles[f.Title] = true
	}
	assert.True(t, titles["line: Floor"] && titles["line: Bin"], "they are offered")
}
