package house_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

var (
	ctx  = context.Background()
	nell = desk.Person{ID: 1, Name: "Nell", Role: "controller", Owner: true}
)

// folder gives an empty folder: in memory where the system has room for that, since a disk is waited for at every commit.
func folder(t *testing.T) string {
	t.Helper()
	base := ""
	if _, err := os.Stat("/dev/shm"); err == nil {
		base = "/dev/shm"
	}
	dir, err := os.MkdirTemp(base, "wobin-desk-*")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	return filepath.Join(dir, "data")
}

func testClock() time.Time { return time.Date(2026, 11, 21, 12, 0, 0, 0, time.UTC) }

// at gives a desk over an empty folder whose clock stands still.
func at(t *testing.T) *house.House {
	t.Helper()
	d, _ := restartable(t)
	return d
}

// restartable gives a desk, and what ends its program and starts it again over the same folder.
func restartable(t *testing.T) (*house.House, func() *house.House) {
	t.Helper()
	dir := folder(t)
	var s *store.Store
	var d *house.House
	start := func() *house.House {
		if s != nil {
			d.Close()
			require.NoError(t, s.Close())
		}
		var err error
		s, err = store.Open(dir)
		require.NoError(t, err)
		d, err = house.New(s, testClock)
		require.NoError(t, err)
		d.Proves = count.Foot
		return d
	}
	start()
	t.Cleanup(func() { d.Close(); s.Close() })
	return d, start
}

func look(t *testing.T, d *house.House, name, text string, c intake.Choices) *intake.Draft {
	t.Helper()
	c.Zone = "UTC"
	dr, err := d.Intake.Upload(ctx, nell, name, strings.NewReader(text), c)
	require.NoError(t, err)
	return dr
}

func take(t *testing.T, d *house.House, name, text string) count.TakenIn {
	t.Helper()
	dr := look(t, d, name, text, intake.Choices{})
	require.Empty(t, dr.Blocked)
	require.Empty(t, dr.Problems)
	out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	return out
}

const stockText = `Warehouse,Zone,Bin,SKU,Lot,Quantity,Reserved,Unit cost,As at,Row id
W,Front,A-1-1,ROPE,,10,2,2.5,2026-11-20T06:00:00Z,r1
W,Front,A-1-2,SHK,,40,0,1,2026-11-20T06:00:00Z,r2
W,Back,B-1-1,SHK,,25,0,1,2026-11-20T06:00:00Z,r3
W,Back,B-1-2,PAINT,L1,6,0,30,2026-11-20T06:00:00Z,r4
W,Back,B-2-1,HOURS,,0,0,50,2026-11-20T06:00:00Z,r5
W,Back,B-2-1,SET,,0,0,,2026-11-20T06:00:00Z,r6
W,Back,B-2-2,OLD,,0,0,4,2026-11-20T06:00:00Z,r7
`

const itemsText = `SKU,Description,Unit,Unit cost,Category,Type,Active
ROPE,Rope,m,2.5,Ropes,stocked,yes
SHK,Shackle,ea,1,Hardware,stocked,yes
PAINT,Paint,ea,30,Paint,stocked,yes
HOURS,Rigging hours,h,50,Services,service,yes
SET,Mooring set,ea,,Sets,parent,yes
OLD,Old cleat,ea,4,Hardware,stocked,no
`

// frozen gives a running count of all of warehouse W.
func frozen(t *testing.T, d *house.House, blind bool) int64 {
	t.Helper()
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	c, err := d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}, Blind: blind},
	)
	require.NoError(t, err)
	return c.ID
}

func counts(rows string) string {
	return "warehouse,bin,sku,lot,counted,counted at\n" + rows
}

func takeCounts(t *testing.T, d *house.House, id int64, rows string) {
	t.Helper()
	dr := look(t, d, "counts.csv", counts(rows), intake.Choices{Count: id})
	require.Empty(t, dr.Blocked)
	require.Empty(t, dr.Problems)
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
}

func lineOf(t *testing.T, d *house.House, id int64, sku, bin string) count.VarianceLine {
	t.Helper()
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	for _, l := range page.Lines {
		if l.SKU == sku && l.Bin == bin {
			return l
		}
	}
	require.Fail(t, "no line "+bin+" "+sku)
	return count.VarianceLine{}
}

// What cannot be counted is left out by rule and counted as such.
func TestPlan(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50, Empty: 1})
	require.NoError(t, err)
	assert.Equal(t, count.LeftOut{Services: 1, Inactive: 1, Parents: 1}, tally.LeftOut)
	assert.Equal(t, 4, tally.Lines)
	assert.Equal(t, "270.00", tally.Value.String()) // 25 + 40 + 25 + 180
	assert.Len(t, tally.Sheets, 2, "each zone by itself")
	one, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Zones: []string{"Back"}}, plan.Cut{Rows: 1, Empty: 1})
	require.NoError(t, err)
	assert.Equal(t, 2, one.Lines)
	assert.Len(t, one.Sheets, 2)
	c, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, tally.LeftOut, c.LeftOut)
	assert.Equal(t, 4, c.RecordedLines)
	assert.Nil(t, c.Accuracy, "over nothing there is no ratio")
	_, err = d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1, Zones: []string{"None"}}, Cut: plan.Cut{Rows: 5}},
	)
	assert.ErrorContains(t, err, "nothing to count")
}

// Movements roll the expected figure forward, whether they come before or after the counts; a decision made about a
// figure falls when the figure changes; undoing the movements puts it back.
func TestMovementsAndDecisions(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T10:00:00Z\nW,A-1-2,SHK,,40,2026-11-20T10:00:00Z\n")
	l := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, "-2", l.Variance.String())
	assert.Equal(t, "-5.00", l.Value.String())
	_, err := d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "LOSS")
	require.NoError(t, err)
	_, err = d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "SHK", "A-1-2").Pos}, store.Accept, "")
	assert.ErrorContains(t, err, "no variance to decide")
	_, err = d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "NONSENSE")
	assert.ErrorContains(t, err, "is no reason code")

	moves := "warehouse,bin,sku,quantity,at,reference\nW,,ROPE,-1,2026-11-20T09:00:00Z,M1\nW,A-1-1,ROPE,-4,2026-11-20T11:00:00Z,M2\nW,A-1-1,ROPE,9,2026-11-20T05:00:00Z,M0\n"
	in := take(t, d, "moves.csv", moves)
	l = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"-1", "9", "-1", ""}, []string{l.Moved.String(), l.Expected.String(), l.Variance.String(), l.Decision})
	again := look(t, d, "moves.csv", moves, intake.Choices{})
	assert.Equal(t, 3, again.Effect.Unchanged, "the same movements are known by their references")

	_, err = d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "LOSS")
	require.NoError(t, err)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "balance")
	require.NoError(t, err)
	assert.Contains(t, v.Text, "W,A-1-1,ROPE,,,,r1,m,4,2.5,-2.50,LOSS\n") // 8 counted, 4 gone since

	require.NoError(t, d.Intake.Undo(ctx, nell, in.Intake, true))
	l = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"0", "-2", ""}, []string{l.Moved.String(), l.Variance.String(), l.Decision})
	h, err := d.Variances.History(ctx, nell, id, l.Pos)
	require.NoError(t, err)
	assert.Len(t, h.Events, 6, "freeze, entry, two decisions and that they fell: nothing of what was decided is lost")
}

// A balance is refused where newer stock was taken in since the freeze; a difference never is.
func TestBalanceAgainstNewerStock(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T10:00:00Z\n")
	_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "ROPE", "A-1-1").Pos}, store.Accept, "")
	require.NoError(t, err)
	take(t, d, "newer.csv", strings.ReplaceAll(strings.Replace(stockText, "ROPE,,10", "ROPE,,11", 1), "2026-11-20T06", "2026-11-21T06"))
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "balance")
	require.NoError(t, err)
	assert.Contains(t, v.Blocked, "Newer stock was taken in since the freeze")
	_, err = d.Adjustments.Post(ctx, nell, id, "balance", "", 1)
	assert.ErrorContains(t, err, "Newer stock")
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", 7)
	assert.ErrorContains(t, err, "1 accepted lines now, not 7")
	p, err := d.Adjustments.Post(ctx, nell, id, "difference", "", 1)
	require.NoError(t, err)
	name, kept, err := d.Adjustments.PostingFile(ctx, nell, id, p.Number, 1)
	require.NoError(t, err)
	file := readAll(t, kept)
	assert.Equal(t, "adjustments-1-1-difference.csv", name)
	assert.Contains(t, string(file), "W,A-1-1,ROPE,,,,r1,m,-2,2.5,-5.00,short\n", "the frozen figure, not the newer one")
	assert.ErrorContains(t, d.Store.Write(ctx, updatePostings), "never changed")
	require.NoError(t, d.Adjustments.Finish(ctx, nell, id, adjustments.Left{Uncounted: 3}))
	assert.Contains(t, look(t, d, "late.csv", counts("W,A-1-2,SHK,,1,\n"), intake.Choices{Count: id}).Blocked, "is finished")
}

// The counting time comes from the row, else from the head, else it is asked for.
func TestCountingTime(t *testing.T) {
	d := at(t)
	id := frozen(t, d, true)
	_, sheet, err := d.Counting.WriteSheet(ctx, nell, id, 1, counting.AsText)
	require.NoError(t, err)
	assert.NotContains(t, string(sheet), "Recorded", "it is blind")
	filled := strings.Replace(string(sheet), ",ea,,,\n", ",ea,25,,\n", 1)
	dr := look(t, d, "back.csv", filled, intake.Choices{})
	assert.Equal(t, "counted_at", dr.Asks)
	assert.NotEmpty(t, dr.Blocked)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.Error(t, err)
	dr, err = d.Intake.Choose(ctx, nell, dr.ID, intake.Choices{CountedAt: "2026-11-20 09:30", Zone: "Europe/Berlin"})
	require.NoError(t, err)
	require.Empty(t, dr.Blocked)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	l := lineOf(t, d, id, "SHK", "B-1-1")
	assert.Equal(t, "2026-11-20T08:30:00Z", l.CountedAt.Format(time.RFC3339))
	assert.Nil(t, l.Recorded, "who types a blind sheet does not see the recorded figure")
	// A revision without a time keeps the one of the count that it replaces.
	dr = look(t, d, "rev2.csv", strings.Replace(filled, ",ea,25,,", ",ea,24,,", 1), intake.Choices{CountedAt: "2026-11-20 23:00"})
	require.Len(t, dr.Back.Revisions, 1)
	assert.Equal(
		t,
		intake.Revision{Line: "B-1-1 · SHK", Row: 9, Before: 25 * quantity.Scale, After: 24 * quantity.Scale},
		dr.Back.Revisions[0],
	)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, 1, sheets[0].Revisions)
	c, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 1, c.Counted, "nothing is counted twice")
}

// Items are added and changed by a file; an empty cell leaves what is there; undo puts back.
func TestItems(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	out := take(t, d, "more.csv", "sku,description,category\nROPE,Better rope,\nNEW,Brand new,Misc\nSHK,,\n")
	assert.Equal(t, []int{1, 1, 1}, []int{out.Added, out.Changed, out.Unchanged})
	var it store.Item
	require.NoError(t, d.Store.Read(ctx).Where("sku = 'ROPE'").First(&it).Error)
	assert.Equal(t, []string{"Better rope", "Ropes", "m"}, []string{it.Description, it.Category, it.Unit})
	list, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	assert.Contains(t, list[1].Blocked, "Later intakes stand on it")
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	require.NoError(t, d.Store.Read(ctx).Where("sku = 'ROPE'").First(&it).Error)
	assert.Equal(t, "Rope", it.Description)
	dr := look(t, d, "bad.csv", "sku,type,active\nX,boat,yes\nY,service,perhaps\nX,stocked,yes\n", intake.Choices{})
	assert.Equal(t, 3, dr.Effect.Refused)
}

// Codes that differ in case only are asked about: two spellings of one thing would make it twice. Where they are said to be right as they
// stand, they are kept apart, and that is said.
func TestCaseOfNewCodes(t *testing.T) {
	d := at(t)
	text := "warehouse,bin,sku,quantity,as at\nW,A-1,ROPE,4,2026-11-20T06:00:00Z\nw,A-2,rope,5,2026-11-20T06:00:00Z\nW,A-2,Rope,1,2026-11-20T06:00:00Z\n"
	dr := look(t, d, "stock.csv", text, intake.Choices{})
	assert.Equal(t, 1, dr.Effect.Added)
	assert.Equal(t, 2, dr.Effect.Refused)
	set := layout.Layout{}
	for _, m := range [][2]string{{"warehouse", "w"}, {"sku", "rope"}, {"sku", "Rope"}} {
		set.Matches = append(set.Matches, layout.Match{Field: field.Field(m[0]), From: m[1], Do: "new"})
	}
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Set: &set})
	require.NoError(t, err)
	assert.Equal(t, 3, dr.Effect.Added)
	assert.Contains(t, dr.Assumed, "The warehouses W and w differ in case only and are kept apart.")
	assert.Contains(t, dr.Assumed, "The SKUs ROPE and rope differ in case only and are kept apart, as 1 other is.")
	assert.NotContains(t, fmt.Sprint(dr.Assumed), "bins")
	set.Matches[0].Do, set.Matches[0].To, set.Matches[1].Do, set.Matches[1].To = "match", "W", "match", "ROPE"
	dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Set: &set})
	require.NoError(t, err)
	assert.Equal(t, 3, dr.Effect.Added)
	assert.Equal(t, []string{"1 new warehouse", "2 new bins", "2 new items"}, dr.Effect.New)
}

// A file may hold the whole stock of its warehouses or only some lines; the effect is counted before.
func TestWholeOrSome(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	part := "warehouse,bin,sku,quantity,unit cost,as at\nw,a-1-1,rope,12,2.5,2026-11-21T06:00:00Z\nW,C-1-1,NEW,1,,2026-11-21T06:00:00Z\n"
	whole := look(t, d, "part.csv", part, intake.Choices{})
	assert.Equal(t, []int{1, 1, 0, 6}, []int{whole.Effect.Added, whole.Effect.Changed, whole.Effect.Unchanged, whole.Effect.Gone})
	clash := look(
		t,
		d,
		"clash.csv",
		"warehouse,bin,sku,quantity,as at\nW,A-1-1,ROPE,1,2026-11-21T06:00:00Z\nw,a-1-1,Rope,2,2026-11-21T06:00:00Z\n",
		intake.Choices{},
	)
	require.Len(t, clash.Problems, 1, "two spellings of one recorded code are not silently one line")
	assert.Contains(t, clash.Problems[0].List[0].Text, "the same as row 2")
	assert.Equal(t, 1, clash.Effect.Refused)
	some, err := d.Intake.Settle(ctx, nell, whole.ID, intake.Answer{Set: &layout.Layout{Extent: "only"}})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1, 0, 0}, []int{some.Effect.Added, some.Effect.Changed, some.Effect.Unchanged, some.Effect.Gone})
	_, err = d.Intake.TakeIn(ctx, nell, some.ID, "", 0)
	require.NoError(t, err)
	page, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{})
	require.NoError(t, err)
	assert.Len(t, page.Lines, 8)
	assert.Equal(t, "12", page.Lines[0].OnHand.String())
	var record string
	require.NoError(
		t,
		d.Store.Read(ctx).
			Raw("SELECT l.record_id FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id WHERE l.pos = 0").
			Scan(&record).
			Error,
	)
	assert.Equal(t, "r1", record, "the record id is carried on where the file has none")
}

// Pages follow one another without a gap or a double, whatever their size, by bin, by item and by what is at stake.
func TestPages(t *testing.T) {
	d := at(t)
	var b strings.Builder
	b.WriteString("warehouse,bin,sku,quantity,unit cost,as at\n")
	for i := range 60 {
		fmt.Fprintf(&b, "W,A-%d,S%d,%d,%d,2026-11-20T06:00:00Z\n", i/4, i%30, i+1, i%3)
	}
	take(t, d, "stock.csv", b.String())
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	takeCounts(
		t,
		d,
		c.ID,
		"W,A-0,S0,,0,2026-11-20T07:00:00Z\nW,A-1,S5,,2,2026-11-20T07:00:00Z\nW,A-2,S8,,1,2026-11-20T07:00:00Z\nW,A-9,S0,,3,2026-11-20T07:00:00Z\n",
	)
	for name, page := range map[string]func(f desk.Filter) (keys []string, next string){
		"by bin": func(f desk.Filter) (keys []string, next string) {
			p, err := d.Recorded.Recorded(ctx, nell, 1, f)
			require.NoError(t, err)
			for _, l := range p.Lines {
				keys = append(keys, l.Bin+l.SKU)
			}
			return keys, p.Next
		},
		"by item": func(f desk.Filter) (keys []string, next string) {
			p, err := d.Recorded.RecordedItems(ctx, nell, 1, f)
			require.NoError(t, err)
			for _, l := range p.Lines {
				keys = append(keys, l.SKU)
			}
			return keys, p.Next
		},
		"variances": func(f desk.Filter) (keys []string, next string) {
			p, err := d.Variances.Variances(ctx, nell, c.ID, f)
			require.NoError(t, err)
			for _, l := range p.Lines {
				keys = append(keys, fmt.Sprint(l.Pos))
			}
			return keys, p.Next
		},
	} {
		all, _ := page(desk.Filter{Limit: 1000})
		assert.NotEmpty(t, all, name)
		var walked []string
		for f := (desk.Filter{Limit: 3}); ; {
			keys, next := page(f)
			walked = append(walked, keys...)
			if next == "" {
				break
			}
			f.After = next
		}
		assert.Equal(t, all, walked, name)
	}
	some, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{Text: "s1 a-2"})
	require.NoError(t, err)
	for _, l := range some.Lines {
		assert.Contains(t, l.SKU, "S1")
		assert.Contains(t, l.Bin, "A-2")
	}
	odd, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{Text: "100% _"})
	require.NoError(t, err)
	assert.Empty(t, odd.Lines, "signs of the query language are only signs")
}

// Who counts blind does not see the recorded figures while the count is running; whoever judges does.
func TestBlind(t *testing.T) {
	d := at(t)
	id := frozen(t, d, true)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T10:00:00Z\n")
	for role, may := range map[string]bool{"controller": true, "approver": true, "viewer": true, "counter": false} {
		p := desk.Person{ID: 2, Name: role, Role: role}
		_, e1 := d.Variances.Variances(ctx, p, id, desk.Filter{})
		_, e2 := d.Variances.History(ctx, p, id, 1)
		_, e3 := d.Report.Report(ctx, p, id)
		_, e4 := d.Adjustments.PreviewPosting(ctx, p, id, "difference")
		_, e5 := d.Recorded.Recorded(ctx, p, 1, desk.Filter{})
		_, e6 := d.Recorded.RecordedItems(ctx, p, 1, desk.Filter{})
		_, e7 := d.Plan.Tally(ctx, p, count.Scope{Warehouse: 1, Bins: []int64{1}}, plan.Cut{Rows: 10, Empty: 1})
		stockFile := sha256.Sum256([]byte(stockText))
		k, e8 := d.KeptFile(ctx, p, hex.EncodeToString(stockFile[:]))
		if e8 == nil {
			require.NoError(t, k.Close())
		}
		dr, err := d.Intake.Upload(
			ctx,
			p,
			"probe.csv",
			strings.NewReader("warehouse,bin,sku,quantity\nW,A-1-1,ROPE,10\n"),
			intake.Choices{},
		)
		if role == "controller" || role == "counter" { // the others send no files
			require.NoError(t, err)
			assert.Equal(t, may, dr.Effect.Gone > 0, "what a file would change tells what is recorded")
			assert.Equal(t, may, !strings.Contains(dr.Blocked, "blind"), dr.Blocked)
		}
		for _, err := range []error{e1, e2, e3, e4, e5, e6, e7, e8} {
			if may {
				assert.NoError(t, err, role)
			} else {
				assert.ErrorIs(t, err, desk.ErrMayNot, role)
			}
		}
		lines, err := d.Counting.CountLines(ctx, p, id, desk.Filter{})
		require.NoError(t, err)
		assert.Nil(t, lines.Lines[0].Recorded)
	}
}

func TestSheetsZip(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	var b bytes.Buffer
	require.NoError(t, d.Counting.WriteSheets(ctx, nell, id, counting.AsWorkbook, func() io.Writer { return &b }))
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	require.Len(t, z.File, 2)
	assert.True(t, strings.HasSuffix(z.File[0].Name, ".xlsx"))
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{1, 2}, Counter: "Bo"}))
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, store.Out, sheets[1].State)
}

func TestTypeIn(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	l := lineOf(t, d, id, "SHK", "B-1-1")
	q := quantity.Quantity(24 * quantity.Scale)
	for i, want := range [][3]int{{1, 0, 0}, {0, 0, 1}} {
		out, err := d.Counting.TypeIn(
			ctx,
			nell,
			id,
			fmt.Sprintf("typed-%d", i),
			"UTC",
			[]counting.Typed{{RowCode: l.RowCode, Quantity: &q, CountedAt: "2026-11-20 09:00"}},
		)
		require.NoError(t, err)
		assert.Equal(t, want, [3]int{out.Added, out.Changed, out.Unchanged})
	}
	less := quantity.Quantity(-1)
	for _, bad := range []counting.Typed{{RowCode: "W9S9R9", Quantity: &q}, {RowCode: l.RowCode, Quantity: &less}, {RowCode: l.RowCode + "X",
		Quantity: &q}} {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{bad})
		assert.Error(t, err)
	}
	assert.Equal(t, "-1", lineOf(t, d, id, "SHK", "B-1-1").Variance.String())
}
