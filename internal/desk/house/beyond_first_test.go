package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/core/rotation"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A restore that takes back more than is listed can be agreed to: by how much it is in all.
func TestARestoreOfMoreThanIsListed(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	b, err := d.Safety.BackUp(ctx, nell)
	require.NoError(t, err)
	pos := lineOf(t, d, id, "ROPE", "A-1-1").Pos
	for i := range 130 {
		require.NoError(t, d.Variances.AddNote(ctx, nell, id, pos, fmt.Sprint("note ", i)))
	}
	seen, err := d.Safety.SeeRestore(ctx, nell, b.Name)
	require.NoError(t, err)
	assert.Equal(t, []int{100, 30}, []int{len(seen.Words), seen.More}, "130 notes; the word of the backup is in it")
	err = d.Safety.Restore(ctx, nell, b.Name, len(seen.Words))
	require.Error(t, err)
	assert.Equal(t, desk.Changed, kindOf(t, err))
	require.NoError(t, d.Safety.Restore(ctx, nell, b.Name, 130))
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM notes"))
	proved(t, d)
}

// What was worked out of the records of before is not told of those that a restore put in their place.
func TestNothingIsRememberedOverARestore(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "sku,description,class\nLAMP,Lamp,A\nBOLT,Bolt,B\n")
	told := func() string {
		r, err := d.Report.Report(ctx, nell, id)
		require.NoError(t, err)
		g, err := d.Variances.Groups(ctx, nell, id, desk.Filter{By: "item", Show: "open"})
		require.NoError(t, err)
		f, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open"})
		require.NoError(t, err)
		return fmt.Sprint(r.Spread, r.UncountedValue, r.Classes, r.Causes, g, f.Gross, f.Spread)
	}
	before := told()
	b, err := d.Safety.BackUp(ctx, nell)
	require.NoError(t, err)
	l := lineOf(t, d, id, "LAMP", "A-09-1")
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(3)}})
	require.NoError(t, err)
	require.NotEqual(t, before, told())
	seen, err := d.Safety.SeeRestore(ctx, nell, b.Name)
	require.NoError(t, err)
	require.NoError(t, d.Safety.Restore(ctx, nell, b.Name, len(seen.Words)+seen.More))
	assert.Equal(t, before, told())
}

// All packs of an item go out with it, each with its size and its barcode, and come in again.
func TestAllPacksGoOut(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,unit,pack unit,pack size,barcode\nROPE,Rope,m,coil,200,4006381333931\nROPE,Rope,m,drum,1000,5012345678900\nSHK,Shackle,ea,box,25,\n")
	_, file := out(t, d, lists.Asking{List: "items", Form: "csv"})
	text := string(file)
	for _, want := range []string{"coil,200", "drum,1000", "box,25"} {
		assert.Contains(t, text, want)
	}
	assert.Equal(t, 2, strings.Count(text, "ROPE,"), "a row for each pack")
}

// What is accepted after a posting goes out with the next one, by itself, numbered on.
func TestASecondPosting(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	accept := func(sku, bin string) {
		_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, sku, bin).Pos}, store.Accept, "MISCOUNT")
		require.NoError(t, err)
	}
	accept("BOLT", "A-07-1")
	first := send(t, d, id, adjustments.Going{Mode: "difference"})
	accept("LAMP", "A-08-1")
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	assert.Equal(t, 1, v.Lines)
	assert.NotContains(t, v.Text, "BOLT")
	assert.Equal(t, fmt.Sprintf("C%d-2", id), v.Ref)
	second := send(t, d, id, adjustments.Going{Mode: "difference"})
	assert.Equal(t, []int{1, 2}, []int{first.Posting.Number, second.Posting.Number})
	assert.NotEqual(t, first.Posting.File, second.Posting.File)
	list, err := d.Adjustments.Postings(ctx, nell, id)
	require.NoError(t, err)
	require.Len(t, list, 2)
	// A page that was opened before the first one, and is pressed again, sends nothing twice.
	_, err = d.Adjustments.Send(ctx, nell, id, adjustments.Sending{Going: adjustments.Going{Mode: "difference"}, Lines: 1, Sha: v.Sha, Key: "page one"})
	require.ErrorContains(t, err, "No accepted line is waiting to go out")
}

// The portion of a day is the same however often it is asked for on that day, and what is on sheets already is not given out again.
func TestThePortionOfADayTwice(t *testing.T) {
	d := at(t)
	text := "warehouse,zone,bin,sku,on hand,unit cost,as at\n"
	for i := range 60 {
		text += fmt.Sprintf("W,Front,A-%02d,S%02d,5,1,2026-11-20T06:00:00Z\n", i, i)
	}
	take(t, d, "stock.csv", text)
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	r := plan.Rotation{Zone: "UTC", Plan: rotation.Plan{By: "zone", Days: [7]bool{1: true, 2: true, 3: true, 4: true, 5: true},
		Groups: []rotation.Group{{Name: "Front", Times: 12}}}}
	require.NoError(t, d.Plan.SetRotation(ctx, nell, 1, &r))
	portion := func() (int, []int64) {
		tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Rotation: true}, plan.Cut{Rows: 50})
		require.NoError(t, err)
		return tally.Lines, tally.BinIDs
	}
	n, bins := portion()
	require.Positive(t, n)
	now = now.Add(3 * time.Hour)
	again, same := portion()
	assert.Equal(t, []any{n, bins}, []any{again, same})
	_, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Today", Scope: count.Scope{Warehouse: 1, Rotation: true}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	_, err = d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Rotation: true}, plan.Cut{Rows: 50})
	if err == nil {
		left, more := portion()
		for _, b := range more {
			assert.NotContains(t, bins, b, "it waits on a sheet (%d left)", left)
		}
	}
}

// A serial is one piece: no other number of it is typed, comes with a file, adds up or goes out.
func TestASerialIsOnePiece(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,bin,sku,serial,on hand,as at\nW,A-1,PUMP,P-1,1,2026-11-20T06:00:00Z\nW,A-1,ROPE,,10,2026-11-20T06:00:00Z\n")
	id := frozenAlone(t, d, 1)
	code := lineOf(t, d, id, "PUMP", "A-1").RowCode
	for _, q := range []quantity.Quantity{10 * quantity.Scale, quantity.Scale / 2} {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: code, Quantity: &q}})
		require.ErrorContains(t, err, "one serial is one piece", q)
	}
	for _, rows := range []string{"row code,bin,sku,serial,counted,counted at\n" + code + ",A-1,PUMP,P-1,2,2026-11-20T09:00:00Z\n",
		"bin,sku,serial,counted,counted at\nA-1,PUMP,P-1,0.5,2026-11-20T09:00:00Z\n", "bin,sku,serial,counted,counted at\nA-1,PUMP,P-9,2,2026-11-20T09:00:00Z\n"} {
		dr := look(t, d, "counts.csv", rows, intake.Choices{Count: id})
		require.NotEmpty(t, dr.Problems, rows)
		assert.Equal(t, "serial with a quantity", dr.Problems[0].Kind)
	}
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: code, Quantity: whole(1)}})
	require.NoError(t, err)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: code, Quantity: whole(0)}})
	require.NoError(t, err)
	dr := look(t, d, "scanner.csv", "bin,sku,serial,counted,counted at\nA-1,PUMP,P-1,1,2026-11-20T09:00:00Z\n", intake.Choices{Count: id})
	takeDraft(t, d, settle(t, d, dr, intake.Answer{Check: "again", Value: count.AddUp})) // 0 and 1 are one piece
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: code, Quantity: whole(1), Again: count.AddUp}})
	require.ErrorContains(t, err, "it would come to 2 pieces")
}

// The choice of a round is over once a later round comes, for good; a recount that is withdrawn leaves the others told of.
func TestChoicesAndRecountsThatAreWithdrawn(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S01": "7"}))
	pos := lineOf(t, d, id, "S01", "A-02").Pos
	recount := func(who, text string) string {
		made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{pos}})
		require.NoError(t, err)
		require.NoError(t, typedOn(t, d, id, made.Sheets[0], who, map[string]string{"S01": text}))
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: made.Sheets[0], Limit: 10})
		require.NoError(t, err)
		return page.Lines[0].RowCode
	}
	recount("Bo", "8")
	require.NoError(t, d.Variances.ChooseRound(ctx, nell, id, pos, 1))
	counted := func() string { return lineOf(t, d, id, "S01", "A-02").Counted.String() }
	require.Equal(t, "7", counted())
	code := recount("Cy", "9")
	require.Equal(t, "9", counted(), "a later round")
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: code, Withdraw: true}})
	require.NoError(t, err)
	assert.Equal(t, "8", counted(), "the last round stands, as the rule of the count says")
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Recounts.Lines, "it was counted again all the same")
	proved(t, d)
}

// A line that is being counted again is not let go of under the hands of who counts it.
func TestLinesBeingRecountedAreNotLetGo(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 6})
	made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{lineOf(t, d, id, "S01", "A-02").Pos}})
	require.NoError(t, err)
	require.ErrorContains(t, d.Plan.LetGo(ctx, nell, id, []int{1}), fmt.Sprintf("Lines of sheet 1 are on sheet %d to be counted again", made.Sheets[0]))
	require.NoError(t, d.Plan.DropRecount(ctx, nell, id, made.Sheets))
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{1}))
}

// Lines without a value are within no limit of agreement, and say that they are why somebody else has to agree.
func TestWhatHasNoValueIsWithinNoLimit(t *testing.T) {
	for _, n := range []string{"4993", "3"} {
		t.Run(n, func(t *testing.T) {
			d := at(t)
			take(t, d, "stock.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T06:00:00Z\nW,A-2,TAR,10,,2026-11-20T06:00:00Z\n")
			id := frozenAlone(t, d, 1)
			limit := quantity.Money(100_00)
			require.NoError(t, d.Adjustments.KeepAgreement(ctx, nell, adjustments.Agreement{Over: &limit}))
			takeCounts(t, d, id, "W,A-1,ROPE,,9,2026-11-20T09:00:00Z\n")
			acceptAll(t, d, id)
			v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
			require.NoError(t, err)
			assert.Equal(t, []any{false, 0}, []any{v.Agree, v.NoWorth})
			takeCounts(t, d, id, "W,A-2,TAR,,"+n+",2026-11-20T09:00:00Z\n")
			acceptAll(t, d, id)
			v, err = d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
			require.NoError(t, err)
			assert.Equal(t, []any{true, 1}, []any{v.Agree, v.NoWorth})
			_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", v.Lines)
			require.ErrorContains(t, err, "Somebody else has to agree")
			assert.Zero(t, tally(t, d, "SELECT count(*) FROM postings"))
		})
	}
}

// Variances that are let pass are part of what is off: causes and spread come to the whole with them, on the screen and from files alone.
// What went out as a whole has nothing open, which is no unknown value.
func TestCausesAndSpreadComeToTheWhole(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T06:00:00Z\nW,A-2,SHK,40,1,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}, ToleranceQuantity: whole(1)})
	require.NoError(t, err)
	id := c.ID
	takeCounts(t, d, id, "W,A-1,ROPE,,9,2026-11-20T09:00:00Z\nW,A-2,SHK,,33,2026-11-20T09:00:00Z\n")
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	sum := quantity.Money(0)
	for _, x := range r.Causes {
		sum += x.Sums.Gross
	}
	assert.Equal(t, []string{"9.00", "9.00", "9.00"}, []string{r.Figures.Values.Gross.String(), sum.String(), r.Spread.Curve[len(r.Spread.Curve)-1].Gross.String()})
	assert.Equal(t, "tolerated", r.Causes[len(r.Causes)-1].Cause)
	s, err := d.Report.Statement(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, "within tolerance", s.Causes[len(s.Causes)-1].Name)
	posted(t, d, id)
	g, err := d.Variances.Groups(ctx, nell, id, desk.Filter{By: "item", Show: "all"})
	require.NoError(t, err)
	require.NotEmpty(t, g.Groups)
	assert.Zero(t, g.Groups[0].Unvalued, "it has a cost")
	f, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "all"})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 0}, []int{f.Lines, f.Unvalued})
}

// A sample of two rounds is judged once both have counted its lines; what is added later is none of it, and what was let go is missing.
func TestASampleIsJudgedByItsDrawnLines(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	for i := range 12 {
		text += fmt.Sprintf("W,A-%02d,S%02d,10,1,2026-11-20T06:00:00Z\n", i+1, i)
	}
	take(t, d, "stock.csv", text)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Sample", Rounds: 2, Cut: plan.Cut{By: "size", Rows: 2},
		Scope: count.Scope{Warehouse: 1, Sample: &count.Sample{By: "lines", Lines: 4, Confidence: 900, Accuracy: 5000, Seed: 3}}})
	require.NoError(t, err)
	sheets, err := allSheets(d, c.ID)
	require.NoError(t, err)
	require.Len(t, sheets, 4)
	all := func(round int) {
		for _, s := range sheets {
			if s.Round != round || s.State == "let go" {
				continue
			}
			page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Sheet: s.Number, Limit: 10})
			require.NoError(t, err)
			for _, l := range page.Lines {
				_, err := d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(10), Counter: fmt.Sprint("P", round)}})
				require.NoError(t, err)
			}
		}
	}
	says := func() judged {
		r, err := d.Report.Report(ctx, nell, c.ID)
		require.NoError(t, err)
		return judged{r.Sample.Drawn, r.Sample.Counted, r.Sample.Waiting, r.Sample.LetGo, r.Sample.Shown, r.Sample.Words}
	}
	require.NoError(t, d.Plan.LetGo(ctx, nell, c.ID, []int{sheets[0].Number}))
	sheets, err = allSheets(d, c.ID)
	require.NoError(t, err)
	all(1)
	assert.Equal(t, judged{4, 0, 2, 2, false,
		"4 of the 4 lines of the sample are not counted yet (2 wait for the other round, 2 were let go and have to be taken up again), so it shows nothing."}, says())
	all(2)
	assert.Equal(t, []int{4, 2, 0, 2}, []int{says().drawn, says().counted, says().waiting, says().letGo})
	x, err := d.Plan.AddMore(ctx, nell, c.ID, plan.More{Cut: plan.Cut{By: "size", Rows: 50}, Scope: count.Scope{}})
	require.NoError(t, err)
	require.Positive(t, x.Lines)
	assert.Equal(t, []int{4, 2, 0, 2}, []int{says().drawn, says().counted, says().waiting, says().letGo}, "what is added is no part of the sample")
	require.NoError(t, d.Plan.TakeUp(ctx, nell, c.ID, []int{1}))
	sheets, err = allSheets(d, c.ID)
	require.NoError(t, err)
	sheets = sheets[:4]
	all(1)
	all(2)
	v := says()
	assert.Equal(t, []any{4, 4, 0, 0}, []any{v.drawn, v.counted, v.waiting, v.letGo})
	assert.Contains(t, v.words, "0 of 4 lines are wrong")
}

// judged is what a report says of a sample.
type judged struct {
	drawn, counted, waiting, letGo int
	shown                          bool
	words                          string
}

// What uncounted means is settled for the lines that were seen, and for none of those that stand among them, however many they are.
func TestZeroOfManyLinesTouchesNoneBetween(t *testing.T) {
	d := at(t)
	var text strings.Builder
	text.WriteString("warehouse,bin,sku,on hand,unit cost,as at\n")
	const pairs = 1010
	for i := range pairs {
		fmt.Fprintf(&text, "W,A-%04d,ROPE,5,2,2026-11-20T06:00:00Z\nW,A-%04d,SHK,0,2,2026-11-20T06:00:00Z\n", i, i)
	}
	take(t, d, "stock.csv", text.String())
	id := frozenAlone(t, d, 1)
	_, err := d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, true, pairs)
	require.NoError(t, err)
	u, err := d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{})
	require.NoError(t, err)
	assert.Equal(t, []int{0, pairs}, []int{u.Lines, u.Zeroed}, "lines of which nothing is expected are as they were")
}
