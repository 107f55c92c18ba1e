package house_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/people"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/safety"
	"wobin/internal/store"
)

// kindOf is the kind of a refusal; it fails where the error is none.
func kindOf(t *testing.T, err error) desk.Kind {
	t.Helper()
	var r *desk.Refusal
	require.ErrorAs(t, err, &r)
	return r.Kind
}

func whole(n int) *quantity.Quantity {
	q := quantity.Quantity(n) * quantity.Scale
	return &q
}

// A key is for the very same work again: by the same person, with the same body. Anything else is refused, whatever the
// operation, and nothing is done.
func TestKeysAreForTheSameWork(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode
	one := []counting.Typed{{RowCode: row, Quantity: whole(5)}}
	first, err := d.Counting.TypeIn(ctx, nell, id, "key-of-typing", "UTC", one)
	require.NoError(t, err)
	again, err := d.Counting.TypeIn(ctx, nell, id, "key-of-typing", "UTC", one)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	assert.Equal(t, 1, again.Added, "the first answer, not that of doing it again")
	_, err = d.Counting.TypeIn(ctx, nell, id, "key-of-typing", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(6)}})
	assert.Equal(t, desk.KeyTaken, kindOf(t, err), "another body")
	_, err = d.Counting.TypeIn(ctx, desk.Person{ID: 2, Name: "Bram", Role: "counter"}, id, "key-of-typing", "UTC", one)
	assert.Equal(t, desk.KeyTaken, kindOf(t, err), "another person")
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "key-of-typing", 1)
	assert.Equal(t, desk.KeyTaken, kindOf(t, err), "another operation")
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Key: "key-of-typing", Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 5}})
	assert.Equal(t, desk.KeyTaken, kindOf(t, err))
	dr := look(t, d, "places.csv", "Warehouse,Bin\nW,NEW-1\n", intake.Choices{})
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "key-of-typing", 0)
	assert.Equal(t, desk.KeyTaken, kindOf(t, err))
	assert.Equal(t, "5", lineOf(t, d, id, "ROPE", "A-1-1").Counted.String())
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "key-of-places", 0)
	assert.NoError(t, err)
}

// Two rows of one request for the same row are refused, and a correction corrects.
func TestARowOnceInARequest(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode
	_, err := d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: row, Quantity: whole(5)}, {RowCode: strings.ToLower(row), Quantity: whole(7)}},
	)
	require.ErrorContains(t, err, "twice")
	for _, n := range []int{5, 7} {
		_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(n)}})
		require.NoError(t, err)
	}
	assert.Equal(t, "7", lineOf(t, d, id, "ROPE", "A-1-1").Counted.String())
}

// Whoever types over a number that he did not see is told what stands, and by whom.
func TestTypedOverWhatWasNotSeen(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row, none := lineOf(t, d, id, "ROPE", "A-1-1").RowCode, int64(0)
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(5), Saw: &none, Counter: "Ida"}})
	require.NoError(t, err)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(9), Saw: &none}})
	assert.Equal(t, desk.Changed, kindOf(t, err))
	assert.ErrorContains(t, err, "5 stands meanwhile (Ida, typed by Nell)")
	now := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, "5", now.Own.String())
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(9), Saw: &now.Entry}})
	require.NoError(t, err)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Withdraw: true, Saw: &now.Entry}})
	assert.Equal(t, desk.Changed, kindOf(t, err))
	now = lineOf(t, d, id, "ROPE", "A-1-1")
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Withdraw: true, Saw: &now.Entry}})
	require.NoError(t, err)
	now = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Nil(t, now.Counted, "withdrawn is uncounted, never zero")
	assert.Zero(t, now.Entry)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Withdraw: true}})
	assert.ErrorContains(t, err, "no count of its own")
}

// A sheet is counted as far as its own rows are: a found row stands in for none of them.
func TestFoundRowsFillNoSheet(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	_, text, err := d.Counting.WriteSheet(ctx, nell, id, 1, counting.AsText)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(strings.ReplaceAll(string(text), "\r\n", "\n")), "\n")
	header := lines[7]
	row := func(cells map[string]string) string {
		out := make([]string, strings.Count(header, ",")+1)
		for i, h := range strings.Split(header, ",") {
			out[i] = cells[strings.TrimPrefix(h, "\ufeff")]
		}
		return strings.Join(out, ",")
	}
	sheet, err := allSheets(d, id)
	require.NoError(t, err)
	first := strings.Split(lines[8], ",")
	file := strings.Join(
		lines[:8],
		"\n",
	) + "\n" + row(
		map[string]string{
			"Row code":   first[0],
			"Warehouse":  "W",
			"Bin":        first[2],
			"SKU":        first[3],
			"Counted":    "1",
			"Counted at": "2026-11-20T10:00:00Z",
		},
	) + "\n" +
		row(
			map[string]string{"Warehouse": "W", "Bin": first[2], "SKU": "HOURS", "Counted": "3", "Counted at": "2026-11-20T10:00:00Z"},
		) + "\n"
	dr := look(t, d, "sheet.csv", file, intake.Choices{})
	require.Empty(t, dr.Problems)
	takeDraft(t, d, dr)
	now, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, sheet[0].Lines, now[0].Lines)
	assert.Equal(t, 1, now[0].Counted)
	foots(t, d, id)
}

// What is counted before the freeze or is still to come is asked, typed or taken in; so is stock that is older than what is
// recorded, and undoing stock that a running count was frozen from.
func TestOddTimesAreAsked(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode
	for _, when := range []string{"2026-11-20T05:00:00Z", "2026-11-21T12:00:01Z"} {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(5), CountedAt: when}})
		assert.Equal(t, desk.Asks, kindOf(t, err), when)
	}
	_, err := d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: row, Quantity: whole(5), CountedAt: "2026-11-20T05:00:00Z", Sure: true}},
	)
	require.NoError(t, err)
	dr := look(
		t,
		d,
		"counts.csv",
		counts("W,A-1-2,SHK,,1,2026-11-20T05:00:00Z\nW,B-1-1,SHK,,1,2026-11-22T05:00:00Z\n"),
		intake.Choices{Count: id},
	)
	var asked []string
	for _, c := range dr.Sheets[0].Checks {
		asked = append(asked, c.What)
	}
	assert.Equal(t, []string{"early", "future"}, asked)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	assert.ErrorContains(t, err, "before the freeze")
	for _, what := range asked {
		dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: what, Value: "as it is"})
		require.NoError(t, err)
	}
	assert.Empty(t, dr.Blocked)
	_, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: "early", Value: "whatever"})
	assert.ErrorContains(t, err, "no answer")

	older := look(t, d, "older.csv", strings.ReplaceAll(stockText, "2026-11-20", "2026-11-19"), intake.Choices{})
	require.Len(t, older.Sheets[0].Checks, 1)
	assert.Contains(t, older.Blocked, "older than what is recorded already")
	older, err = d.Intake.Settle(ctx, nell, older.ID, intake.Answer{Check: "older", Value: "as it is"})
	require.NoError(t, err)
	takeDraft(t, d, older)

	list, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	require.NoError(t, d.Intake.Undo(ctx, nell, list[0].ID, false), "nothing was frozen from the older one")
	list, err = d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	assert.Contains(t, list[1].Warning, "running count was frozen from it: Count")
	assert.Equal(t, desk.Asks, kindOf(t, d.Intake.Undo(ctx, nell, list[1].ID, false)))
	require.NoError(t, d.Intake.Undo(ctx, nell, list[1].ID, true))
}

// What changes after a posting is an open line with the rest: on the queue, in the figures, in the report, and it goes out.
func TestWhatChangesAfterAPosting(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "SHK", "A-1-2").RowCode
	typed := func(n int) {
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			id,
			"",
			"UTC",
			[]counting.Typed{{RowCode: row, Quantity: whole(n), CountedAt: "2026-11-20T10:00:00Z"}},
		)
		require.NoError(t, err)
	}
	send := func() string {
		l := lineOf(t, d, id, "SHK", "A-1-2")
		_, err := d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "MISCOUNT")
		require.NoError(t, err)
		p, err := d.Adjustments.Post(ctx, nell, id, "difference", "", 1)
		require.NoError(t, err)
		_, kept, err := d.Adjustments.PostingFile(ctx, nell, id, p.Number, 1)
		require.NoError(t, err)
		return strings.Split(strings.Split(string(readAll(t, kept)), "\n")[1], ",")[8]
	}
	typed(30)
	assert.Equal(t, "-10", send())
	_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "SHK", "A-1-2").Pos}, store.Accept, "")
	assert.ErrorContains(t, err, "went out already")
	typed(20)
	l := lineOf(t, d, id, "SHK", "A-1-2")
	assert.Equal(t, []string{"-20", "-10", "-10", "open"}, []string{l.Variance.String(), l.Sent.String(), l.Rest.String(), l.Queue})
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []any{1, "-10.00"}, []any{s.Open, s.OpenShort.String()})
	assert.Equal(t, "-10", send())
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1-2,SHK,-20,2026-11-20T09:00:00Z,LATE\n")
	l = lineOf(t, d, id, "SHK", "A-1-2")
	assert.Equal(
		t,
		[]string{"match", "20", "open"},
		[]string{l.Status, l.Rest.String(), l.Queue},
		"it matches now, but twenty too few were sent",
	)
	h, err := d.Variances.History(ctx, nell, id, l.Pos)
	require.NoError(t, err)
	sent := 0
	for _, e := range h.Events {
		if e.What == "posting" {
			sent++
		}
	}
	assert.Equal(t, 2, sent)
	assert.Equal(t, "20", send())
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []any{3, "0.00", "40.00"}, []any{r.PostedN, r.Posted.Net.String(), r.Posted.Gross.String()})
	foots(t, d, id)
}

// Stock that was recorded when the clocks of computers begin is stock like any other.
func TestRecordedIn1970(t *testing.T) {
	d := at(t)
	takeDraft(t, d, meant(t, d, look(t, d, "stock.csv", "warehouse,bin,sku,quantity,as at\nW,A,X,5,1970-01-01T00:00:00Z\n", intake.Choices{})))
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Old", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 5}})
	require.NoError(t, err)
	today, err := d.Today.Today(ctx, nell)
	require.NoError(t, err)
	require.Len(t, today.Counts, 1)
	assert.Equal(t, 1970, today.Counts[0].FrozenAt.Year())
	list, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	require.NotNil(t, list[0].RecordedAt)
	_, err = d.Adjustments.PreviewPosting(ctx, nell, c.ID, "balance")
	assert.NoError(t, err)
}

// The line in hand is found however many lines its item has; what is not listed of the others is told by number.
func TestLineBeyondTwoHundred(t *testing.T) {
	d := at(t)
	var b strings.Builder
	b.WriteString("warehouse,bin,sku,quantity,as at\n")
	for i := range 250 {
		fmt.Fprintf(&b, "W,A-%d,X,5,2026-11-20T06:00:00Z\n", i)
	}
	take(t, d, "stock.csv", b.String())
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 500}})
	require.NoError(t, err)
	h, err := d.Variances.History(ctx, nell, c.ID, 249)
	require.NoError(t, err)
	assert.Equal(t, int64(249), h.Line.Pos)
	assert.Equal(t, 249, len(h.Others)+h.More)
}

// A line of a finished count shows the other lines of its item also when the stock that it was frozen from is gone.
func TestLineOfAnOldCount(t *testing.T) {
	d := at(t)
	stock := func(n int) string {
		return fmt.Sprintf("warehouse,bin,sku,quantity,as at\nW,A-1,X,%[1]d,2026-11-%02[2]dT06:00:00Z\nW,A-2,X,5,2026-11-%02[2]dT06:00:00Z\nW,A-3,X,5,2026-11-%02[2]dT06:00:00Z\n",
			n, n)
	}
	take(t, d, "stock.csv", stock(1))
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 500}})
	require.NoError(t, err)
	require.NoError(t, d.Adjustments.Finish(ctx, nell, c.ID, adjustments.Left{Uncounted: 3}))
	for n := range store.KeptSets + 2 {
		take(t, d, fmt.Sprintf("stock %d.csv", n), stock(n+2))
	}
	require.NoError(t, d.Store.PruneSets(ctx))
	var kept int64
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT count(*) FROM stock_lines WHERE set_id = (SELECT set_id FROM counts)").Scan(&kept).Error)
	require.Zero(t, kept, "the stock is gone")
	h, err := d.Variances.History(ctx, nell, c.ID, 2)
	require.NoError(t, err)
	assert.Len(t, h.Others, 2)
	assert.Zero(t, h.More)
}

// A file whose rows belong to several counts is never given to one of them by chance; what the person says stands.
func TestWhichCountAFileBelongsTo(t *testing.T) {
	d := at(t)
	one := frozen(t, d, false)
	two, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Two", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	a, b := lineOf(t, d, one, "ROPE", "A-1-1"), lineOf(t, d, two.ID, "SHK", "A-1-2")
	text := "row code,bin,sku,counted,counted at\n" + a.RowCode + ",A-1-1,ROPE,5,2026-11-20T10:00:00Z\n" + b.RowCode + ",A-1-2,SHK,5,2026-11-20T10:00:00Z\n"
	for range 8 {
		dr := look(t, d, "both.csv", text, intake.Choices{})
		require.Contains(t, dr.Blocked, "several counts")
		require.Equal(t, "count", dr.Asks)
	}
	dr := look(t, d, "both.csv", text, intake.Choices{Count: one})
	assert.Equal(t, one, dr.Back.Count)
	require.Len(t, dr.Problems, 1)
	assert.Equal(t, "sheet of another count", dr.Problems[0].Kind)
}

// Sums that nobody could hold are refused in words, before anything is changed.
func TestSumsTooLarge(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,quantity,unit cost,as at\nW,A,X,5,1,2026-11-20T06:00:00Z\nW,B,Y,5,900000000000,2026-11-20T06:00:00Z\n",
	)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 5}})
	require.NoError(t, err)
	const most = "999999999999"
	moves := "warehouse,bin,sku,quantity,at,reference\n"
	for i := range 12 {
		moves += fmt.Sprintf("W,A,X,%s,2026-11-20T07:00:00Z,M%d\n", most, i)
	}
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		c.ID,
		"",
		"UTC",
		[]counting.Typed{{RowCode: lineOf(t, d, c.ID, "X", "A").RowCode, Quantity: whole(5), CountedAt: "2026-11-20T10:00:00Z"}},
	)
	require.NoError(t, err)
	dr := look(t, d, "moves.csv", moves, intake.Choices{})
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.Error(t, err)
	assert.Equal(t, desk.Invalid, kindOf(t, err))
	assert.ErrorContains(t, err, "too large")
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM movements"))
	q, err := quantity.Parse(most)
	require.NoError(t, err)
	for _, l := range []count.VarianceLine{lineOf(t, d, c.ID, "Y", "B")} {
		_, err = d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &q}})
		assert.ErrorContains(t, err, "too large")
	}
	dr = look(
		t,
		d,
		"items.csv",
		"warehouse,bin,sku,quantity,as at\nW,A,X,"+most+",2026-11-21T06:00:00Z\nW,B,X,"+most+",2026-11-21T06:00:00Z\n",
		intake.Choices{},
	)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	assert.ErrorContains(t, err, "too large", "the sum of an item over its bins")
	assert.Equal(t, 5*quantity.Scale, tally(t, d, "SELECT max(quantity) FROM set_items s JOIN warehouses w ON w.set_id = s.set_id"))
}

// Nothing is committed that says nothing of itself, and a person's act is asked before anything else.
func TestWorkSaysWhatItDid(t *testing.T) {
	d := at(t)
	_, err := desk.Do(ctx, d.Desk, nell, desk.Plan, desk.Key{}, func(w *desk.Work) (int, error) {
		return 1, w.Exec("INSERT INTO settings (key, value) VALUES ('a', 'b')").Error
	})
	assert.ErrorContains(t, err, "without a word in the record")
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM settings"))
	asked := false
	_, err = desk.Do(
		ctx,
		d.Desk,
		desk.Person{Role: "viewer"},
		desk.Plan,
		desk.Key{},
		func(*desk.Work) (int, error) { asked = true; return 0, nil },
	)
	assert.ErrorIs(t, err, desk.ErrMayNot)
	assert.False(t, asked)
}

// A draft that was looked at before the records changed is looked at anew; where it comes to something else than what the
// person saw, that is said instead of done.
func TestStaleDrafts(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	dr := look(t, d, "counts.csv", counts("W,A-1-1,ROPE,,4,2026-11-20T10:00:00Z\n"), intake.Choices{Count: id})
	require.Empty(t, dr.Blocked)
	_, err := d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: lineOf(t, d, id, "ROPE", "A-1-1").RowCode, Quantity: whole(4)}},
	)
	require.NoError(t, err)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	assert.Equal(t, desk.Changed, kindOf(t, err), "by now the line is counted")
	now, err := d.Intake.Draft(ctx, nell, dr.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Back.Again)
	assert.Equal(t, "4", lineOf(t, d, id, "ROPE", "A-1-1").Counted.String(), "4 and 4 are not 8")
	stale := look(t, d, "stock.csv", strings.ReplaceAll(stockText, ",10,", ",11,"), intake.Choices{})
	take(t, d, "newer.csv", strings.ReplaceAll(stockText, ",10,", ",12,"))
	_, err = d.Intake.TakeIn(ctx, nell, stale.ID, "", 0)
	assert.NoError(t, err, "as many lines change as before, so it is what was seen")
}

// A folder of the program before this one opens with its counts worked out by the rules of now: what a posting swallowed
// comes up again.
func TestFolderOfBefore(t *testing.T) {
	d, restart := restartable(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "SHK", "A-1-2")
	_, err := d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: row.RowCode, Quantity: whole(20), CountedAt: "2026-11-20T10:00:00Z"}},
	)
	require.NoError(t, err)
	before := lineOf(t, d, id, "SHK", "A-1-2")
	require.NoError(t, d.Store.Write(ctx, func(tx *gorm.DB) error { // as the program of before left it: sent ten, and swallowed the rest
		return tx.Exec(
			"UPDATE count_lines SET postings = 1, sent = -10000000, sent_value = -1000, rest = 0, queue = 0, stake = 0, moved = 7 WHERE pos = ?",
			row.Pos,
		).Error
	}))
	require.NoError(t, d.Store.Write(ctx, func(tx *gorm.DB) error { return tx.Exec("UPDATE counts SET stale = 1").Error }))
	d = restart()
	l := lineOf(t, d, id, "SHK", "A-1-2")
	assert.Equal(t, before.Variance, l.Variance)
	assert.Equal(t, []string{"-10", "open"}, []string{l.Rest.String(), l.Queue})
	foots(t, d, id)
	p, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Empty(t, p.Text)
}

// A backup is put back from the screen after what it takes away was shown; where that has changed, it is said instead.
func TestRestoreOnTheScreen(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	b, err := d.Safety.BackUp(ctx, nell)
	require.NoError(t, err)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode
	typed := func(n int) {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(n)}})
		require.NoError(t, err)
	}
	typed(5)
	seen, err := d.Safety.SeeRestore(ctx, nell, b.Name)
	require.NoError(t, err)
	require.Len(t, seen.Words, 1)
	assert.Equal(t, "counts typed", seen.Words[0].What)
	typed(6)
	assert.Equal(t, desk.Changed, kindOf(t, d.Safety.Restore(ctx, nell, b.Name, 1)))
	require.NoError(t, d.Safety.Restore(ctx, nell, b.Name, 2))
	assert.Nil(t, lineOf(t, d, id, "ROPE", "A-1-1").Counted)
	p, err := d.Safety.Verify(ctx, nell)
	require.NoError(t, err)
	assert.Empty(t, p.Wrong)
	typed(7)
	foots(t, d, id)
	_, err = d.Safety.SeeRestore(ctx, nell, "../wobin.db")
	assert.ErrorIs(t, err, desk.ErrNotFound)
	name := filepath.Join(d.Store.Dir, "backups", b.Name)
	require.NoError(t, os.WriteFile(name, []byte("damaged"), 0o600))
	assert.Equal(t, desk.Unproved, kindOf(t, d.Safety.Restore(ctx, nell, b.Name, 1)))
	_, err = d.Safety.Backups(desk.Person{Role: "viewer"})
	assert.ErrorIs(t, err, desk.ErrMayNot)
}

// A restore takes back nothing that was done about people: who was suspended stays so, a password that was changed is the new one,
// an invitation that was taken back does not hold, and when somebody has to agree stays settled. The record says so again. Owners
// alone restore, and settle that.
func TestRestoreTakesBackNothingOfPeople(t *testing.T) {
	d := at(t)
	code, err := d.People.OwnerCode(ctx)
	require.NoError(t, err)
	owner, err := d.People.MakeOwner(ctx, code, "Nell", "nell", "winches and fenders")
	require.NoError(t, err)
	joined := func(name, role string) desk.Person {
		in, err := d.People.Invite(ctx, owner, name, role)
		require.NoError(t, err)
		p, err := d.People.Join(ctx, in.Code, name, "ropes and shackles")
		require.NoError(t, err)
		return p
	}
	ousted, second := joined("ousted", "controller"), joined("second", "controller")
	waiting, err := d.People.Invite(ctx, owner, "Ivo", "counter")
	require.NoError(t, err)
	require.NoError(t, d.Adjustments.KeepAgreement(ctx, owner, adjustments.Agreement{}))
	b, err := d.Safety.BackUp(ctx, owner)
	require.NoError(t, err)

	yes := true
	require.NoError(t, d.People.Change(ctx, owner, ousted.ID, people.Changed{Suspended: &yes}))
	require.NoError(t, d.People.ChangePassword(ctx, second, "ropes and shackles", "chandlery of the quay"))
	require.NoError(t, d.People.Uninvite(ctx, owner, waiting.ID))
	require.NoError(t, d.Adjustments.KeepAgreement(ctx, owner, adjustments.Agreement{Always: true}))
	take(t, d, "stock.csv", stockText)
	seen, err := d.Safety.SeeRestore(ctx, second, b.Name)
	require.NoError(t, err)
	require.Len(t, seen.Words, 1, "what was done about people is not among what it takes back")
	for what, err := range map[string]error{
		"restore": d.Safety.Restore(ctx, second, b.Name, 1), "settle when somebody agrees": d.Adjustments.KeepAgreement(ctx, second, adjustments.Agreement{}),
	} {
		require.ErrorIs(t, err, desk.ErrMayNot, what)
		require.ErrorContains(t, err, "an owner does that", what)
	}
	require.NoError(t, d.Safety.Restore(ctx, owner, b.Name, 1))

	assert.Zero(t, tally(t, d, "SELECT count(*) FROM stock_sets"))
	_, err = d.People.SignIn(ctx, "ousted", "ropes and shackles")
	require.Error(t, err)
	_, err = d.People.SignIn(ctx, "second", "ropes and shackles")
	require.Error(t, err)
	_, err = d.People.SignIn(ctx, "second", "chandlery of the quay")
	require.NoError(t, err)
	_, err = d.People.Join(ctx, waiting.Code, "ivo", "ropes and shackles")
	require.ErrorContains(t, err, "does not hold")
	a, err := d.Adjustments.Agreement(ctx, owner)
	require.NoError(t, err)
	assert.True(t, a.Always)
	page, err := d.Safety.Record(ctx, owner, safety.RecordFilter{})
	require.NoError(t, err)
	var said []string
	for _, e := range page.Entries[:5] {
		said = append(said, e.What)
	}
	assert.Equal(t, []string{"agreement", "invitation taken back", "password changed", "person changed", "restored"}, said)
	assert.Contains(t, strings.Join(page.Entries[4].Details, "\n"), "restore: 1")
	proved(t, d)
}

// A full disk is a refusal in words; nothing is changed, and with room again the same goes through.
func TestFullDiskInWords(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode
	var pages int64
	require.NoError(t, d.Store.Read(ctx).Raw("PRAGMA page_count").Scan(&pages).Error)
	require.NoError(t, d.Store.LimitPages(ctx, pages))
	var err error
	for n := 1; err == nil && n < 3000; n++ {
		_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(n)}})
	}
	assert.Equal(t, desk.Disk, kindOf(t, err))
	assert.ErrorContains(t, err, "Make room")
	require.NoError(t, d.Store.LimitPages(ctx, 1<<30))
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: row, Quantity: whole(1), CountedAt: time.Date(2026, 11, 20, 10, 0, 0, 0, time.UTC).Format(time.RFC3339)}},
	)
	require.NoError(t, err)
	foots(t, d, id)
}
