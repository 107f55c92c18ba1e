package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// Rules narrow a scope by what is known of its lines; the tally, the count and its sheets follow them.
func TestScopeByRules(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"items.csv",
		"sku,description,category,class,barcode\nROPE,Rope,ropes,A,4006381333931\nSHK,Shackle,metal,B,\nPIN,Pin,metal,C,\nOAR,Oar,wood,C,\n",
	)
	take(t, d, "stock.csv", `warehouse,zone,bin,sku,on hand,unit cost,as at
W,Front,A-1-1,ROPE,100,5,2026-11-20T06:00:00Z
W,Front,A-1-2,SHK,40,2,2026-11-20T06:00:00Z
W,Front,A-2-1,PIN,0,1,2026-11-20T06:00:00Z
W,Back,B-1-1,OAR,-2,30,2026-11-20T06:00:00Z
W,Back,B-1-1,SHK,10,2,2026-11-20T06:00:00Z
W,Back,B-1-2,PIN,3,,2026-11-20T06:00:00Z
`)
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Back,B-2-1\nW,Front,A-3-1\n")
	tally := func(sc count.Scope) plan.Tally {
		t.Helper()
		sc.Warehouse = 1
		out, err := d.Plan.Tally(ctx, nell, sc, plan.Cut{Rows: 50})
		require.NoError(t, err)
		return out
	}
	rule := func(r scope.Rule) int { t.Helper(); return tally(count.Scope{Rules: []scope.Rule{r}}).Lines }
	whole := tally(count.Scope{})
	assert.Equal(t, []int{6, 7, 2}, []int{whole.Lines, whole.Bins, whole.Empty})
	some := tally(count.Scope{LeaveEmpty: true, LeaveZero: true})
	assert.Equal(t, []int{5, 4, 0, 1}, []int{some.Lines, some.Bins, some.Empty, some.LeftOut.Zero})
	m := func(n int64) *quantity.Money { x := quantity.Money(n); return &x }
	for _, x := range []struct {
		lines int
		rule  scope.Rule
	}{
		{2, scope.Rule{What: scope.SKU, Values: []string{"shk"}}},
		{1, scope.Rule{What: scope.SKU, Values: []string{"4006381333931"}}},
		{4, scope.Rule{What: scope.Category, Values: []string{"metal"}}},
		{3, scope.Rule{What: scope.Class, Values: []string{"A", "B"}}},
		{1, scope.Rule{What: scope.Value, From: m(10000)}},
		{2, scope.Rule{What: scope.Value, From: m(5000), To: m(9999)}},
		{1, scope.Rule{What: scope.Below}},
		{1, scope.Rule{What: scope.Zero}},
		{5, scope.Rule{What: scope.Zero, Not: true}},
		{6, scope.Rule{What: scope.Age, Days: 30}},
		{0, scope.Rule{What: scope.Moved}},
		{0, scope.Rule{What: scope.Wrong}},
		{1, scope.Rule{What: scope.ABC, Values: []string{"A"}}},
		{2, scope.Rule{What: scope.ABC, Values: []string{"B"}}},
		{3, scope.Rule{What: scope.ABC, Values: []string{"C"}}},
	} {
		assert.Equal(t, x.lines, rule(x.rule), "%+v", x.rule)
	}
	assert.Equal(
		t,
		1,
		tally(
			count.Scope{
				Zones: []string{"Back"},
				Rules: []scope.Rule{{What: scope.Category, Values: []string{"metal"}}, {What: scope.Value, To: m(2000)}},
			},
		).Lines,
	)
	none := tally(count.Scope{Rules: []scope.Rule{{What: scope.SKU, Values: []string{"NOBODY", "ROPE", "NOONE"}}}})
	assert.Equal(t, []string{"NOBODY", "NOONE"}, none.Unknown)
	assert.Equal(t, []int{1, 2}, []int{none.Lines, none.UnknownN})
	_, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.Value}}}, plan.Cut{Rows: 5})
	assert.ErrorContains(t, err, "neither from nor to")
	_, err = d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "None", Scope: count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.Wrong}}}, Cut: plan.Cut{Rows: 5}},
	)
	assert.ErrorContains(t, err, "ease a rule")

	// What was counted, what was wrong then and what moved since are known of earlier counts.
	c, err := d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "One", Scope: count.Scope{Warehouse: 1, Zones: []string{"Front"}}, Cut: plan.Cut{Rows: 50}},
	)
	require.NoError(t, err)
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,-1,2026-11-20T18:00:00Z,d1\n")
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	var typed []counting.Typed
	for _, l := range page.Lines {
		text := map[string]string{"ROPE": "100", "SHK": "39", "PIN": ""}[l.SKU]
		typed = append(typed, counting.Typed{RowCode: l.RowCode, Text: text, CountedAt: "2026-11-20 12:00"})
	}
	_, err = d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", typed)
	require.NoError(t, err)
	now := d.Now() // what rules know of counts is a minute old at most
	d.Now = func() time.Time { return now.Add(2 * time.Minute) }
	assert.Equal(t, 4, rule(scope.Rule{What: scope.Age, Days: 30}), "two lines were counted since")
	assert.Equal(t, 1, rule(scope.Rule{What: scope.Wrong}))
	assert.Equal(t, 1, rule(scope.Rule{What: scope.Moved}), "it moved after it was counted")
	assert.Equal(t, 1, rule(scope.Rule{What: scope.ABC, By: scope.ByMovement, Values: []string{"A"}}))
	assert.Equal(t, 5, rule(scope.Rule{What: scope.ABC, By: scope.ByMovement, Values: []string{"C"}}), "what never moved is C")
}

// Bins that the records say are empty stand on the sheets, where they are walked by; somebody looks, and what is written there is found.
func TestEmptyBinsAreLookedInto(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description\nROPE,Rope\nSHK,Shackle\n")
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,on hand,as at\nW,A-1-1,ROPE,1,2026-11-20T06:00:00Z\nW,A-3-1,ROPE,3,2026-11-20T06:00:00Z\nW,B-1-1,ROPE,4,2026-11-20T06:00:00Z\nW,B-2-1,ROPE,5,2026-11-20T06:00:00Z\n",
	)
	take(t, d, "places.csv", "warehouse,bin\nW,A-2-1\nW,B-3-1\nW,C-1-1\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "All", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 4}})
	require.NoError(t, err)
	require.Equal(t, 2, c.Sheets)
	sheet := func(n int) (out []string) {
		_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, n, counting.AsText)
		require.NoError(t, err)
		for _, l := range strings.Split(strings.TrimSpace(string(text)), "\n")[8:] {
			cells := strings.Split(strings.TrimSpace(l), ",")
			out = append(out, cells[2]+" "+cells[3])
		}
		return out
	}
	assert.Equal(t, []string{"A-1-1 ROPE", "A-2-1 ", "A-3-1 ROPE"}, sheet(1))
	assert.Equal(t, []string{"B-3-1 ", "B-2-1 ROPE", "B-1-1 ROPE", "C-1-1 "}, sheet(2), "up one aisle and down the next one")
	_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, 1, counting.AsText)
	require.NoError(t, err)
	filled := strings.ReplaceAll(string(text), ",W,A-2-1,,,,,,,recorded as empty: look", ",W,A-2-1,SHK,,,,7,2026-11-21 12:00,")
	_, second, err := d.Counting.WriteSheet(ctx, nell, c.ID, 2, counting.AsText)
	require.NoError(t, err)
	confirmed := strings.ReplaceAll(string(second), ",W,B-3-1,,,,,,,recorded as empty: look", ",W,B-3-1,,,,,0,,recorded as empty: look")
	require.NotEqual(t, string(second), confirmed)
	dr := look(t, d, "two.csv", confirmed, intake.Choices{})
	require.Empty(t, dr.Problems, "0 without an item says that the bin is empty")
	require.NotEqual(t, string(text), filled)
	dr = look(t, d, "back.csv", filled, intake.Choices{})
	require.Empty(t, dr.Blocked)
	require.Empty(t, dr.Problems)
	takeDraft(t, d, dr)
	list, err := d.Variances.Variances(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	require.Len(t, list.Lines, 1)
	assert.Equal(t, "found", string(list.Lines[0].Status))
}

// Sheets are cut for people, each of whom gets about the same time; their names stand on them.
func TestSheetsForPeople(t *testing.T) {
	d := at(t)
	text := "warehouse,bin,sku,on hand,as at\n"
	for _, aisle := range []string{"A", "B", "C", "D"} {
		for bay := range 9 {
			text += "W," + aisle + "-" + string(rune('1'+bay)) + "-1,ROPE,5,2026-11-20T06:00:00Z\n"
		}
	}
	take(t, d, "stock.csv", text)
	cut := plan.Cut{By: "people", Rows: 500, For: []string{"Jory", " Wim ", ""}}
	tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, cut)
	require.NoError(t, err)
	require.Len(t, tally.Sheets, 2)
	assert.Equal(t, []string{"Jory", "Wim"}, []string{tally.Sheets[0].For, tally.Sheets[1].For})
	assert.InDelta(t, tally.Sheets[0].Seconds, tally.Sheets[1].Seconds, float64(tally.Sheets[0].Seconds)/10)
	assert.Equal(t, tally.Seconds, tally.Sheets[0].Seconds+tally.Sheets[1].Seconds)
	for says, c := range map[string]plan.Cut{"Name the people": {By: "people", Rows: 5}, "named twice": {By: "people", Rows: 5, For: []string{"A", "A "}}} {
		_, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, c)
		assert.ErrorContains(t, err, says)
	}
	cut.Walk = "each aisle"
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Two", Scope: count.Scope{Warehouse: 1}, Cut: cut})
	require.NoError(t, err)
	sheets, err := d.Counting.Sheets(ctx, nell, c.ID, "", 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"Jory", "Wim"}, []string{sheets.Sheets[0].Counter, sheets.Sheets[1].Counter})
	assert.Equal(t, "B-9-1", sheets.Sheets[0].LastBin)
	houses, err := d.Recorded.Warehouses(ctx, nell)
	require.NoError(t, err)
	assert.Equal(t, "each aisle", houses[0].Walk, "it is kept with the warehouse")
}

// The cut-off list is kept with the count: added to, taken back, never overwritten; it marks the lines that it names.
func TestCutOff(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,1,2026-11-20T06:00:00Z\nW,A-2,ROPE,3,2026-11-20T06:00:00Z\nW,A-2,SHK,3,2026-11-20T06:00:00Z\n",
	)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "All", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 10}})
	require.NoError(t, err)
	q := quantity.Quantity(3 * quantity.Scale)
	for _, e := range []plan.CutOffEntry{{What: "last in", Reference: "GR-104"}, {What: "not booked", Reference: "GR-105", SKU: "ROPE", Bin: "a-2", Quantity: &q},
		{What: "in transit", SKU: "SHK", Note: "on the van"}} {
		require.NoError(t, d.Plan.AddCutOff(ctx, nell, c.ID, e))
	}
	for says, e := range map[string]plan.CutOffEntry{"nothing that the cut-off": {What: "x", Note: "y"}, "number of the document": {What: "last in"},
		"no item that is known": {What: "not booked", SKU: "NOBODY"}, "no bin of this": {What: "not booked", SKU: "ROPE", Bin: "Z-9"}, "Name the item": {What: "not booked", Bin: "A-1", Note: "n"}} {
		assert.ErrorContains(t, d.Plan.AddCutOff(ctx, nell, c.ID, e), says)
	}
	marked := func() (out []string) {
		page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			if l.CutOff {
				out = append(out, l.Bin+" "+l.SKU)
			}
		}
		return out
	}
	assert.Equal(t, []string{"A-2 ROPE", "A-2 SHK"}, marked())
	list, err := d.Plan.CutOff(ctx, nell, c.ID)
	require.NoError(t, err)
	require.Len(t, list, 3)
	require.NoError(t, d.Plan.WithdrawCutOff(ctx, nell, c.ID, list[2].ID))
	require.Error(t, d.Plan.WithdrawCutOff(ctx, nell, c.ID, list[2].ID), "once")
	assert.Equal(t, []string{"A-2 ROPE"}, marked())
	h, err := d.Variances.History(ctx, nell, c.ID, 2)
	require.NoError(t, err)
	require.Len(t, h.CutOff, 1)
	assert.Equal(t, "GR-105", h.CutOff[0].Reference)
	r, err := d.Report.Report(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Len(t, r.CutOff, 2)
}

// A scope is kept with a name, used again, and kept anew under the same name.
func TestKeptScopes(t *testing.T) {
	d := at(t)
	sc := count.Scope{Warehouse: 1, Zones: []string{"Front"}, Rules: []scope.Rule{{What: scope.Zero}}}
	require.NoError(t, d.Plan.KeepScope(ctx, nell, " Zeros ", sc))
	sc.LeaveEmpty = true
	require.NoError(t, d.Plan.KeepScope(ctx, nell, "Zeros", sc))
	require.ErrorContains(t, d.Plan.KeepScope(ctx, nell, " ", sc), "a name")
	list, err := d.Plan.KeptScopes(ctx, nell)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, sc, list[0].Scope)
	require.NoError(t, d.Plan.DropScope(ctx, nell, list[0].ID))
	require.Error(t, d.Plan.DropScope(ctx, nell, list[0].ID))
}

// A sample is drawn by a seed that is kept, counted, and its result is stated with its interval.
func TestSample(t *testing.T) {
	d := at(t)
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	for i := range 400 {
		text += fmt.Sprintf("W,A-%02d-%d,S%03d,%d,1,2026-11-20T06:00:00Z\n", i/8, i%8/4, i, 1+i%7)
	}
	take(t, d, "stock.csv", text)
	draw := count.Sample{By: "lines", Confidence: 950, Accuracy: 9500, Seed: 7}
	sc := count.Scope{Warehouse: 1, Sample: &draw}
	tally, err := d.Plan.Tally(ctx, nell, sc, plan.Cut{Rows: 500})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]int{55, 400, 0},
		[]int{tally.Lines, tally.SampleOf, tally.Empty},
		"tables give 59 for large stocks, and fewer for small ones",
	)
	again, err := d.Plan.Tally(ctx, nell, sc, plan.Cut{Rows: 500})
	require.NoError(t, err)
	assert.Equal(t, tally.Sheets, again.Sheets, "the same seed draws the same")
	for says, x := range map[string]count.Sample{"more than there is": {By: "lines", Lines: 401, Confidence: 950, Accuracy: 9500, Seed: 1},
		"confidence is between": {By: "lines", Confidence: 400, Accuracy: 9500, Seed: 1}, "accuracy lies": {By: "lines", Confidence: 950, Accuracy: 10_000, Seed: 1}} {
		_, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Sample: &x}, plan.Cut{Rows: 5})
		assert.ErrorContains(t, err, says)
	}
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Audit", Scope: sc, Cut: plan.Cut{Rows: 500}})
	require.NoError(t, err)
	require.Equal(t, 55, c.Lines)
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Limit: 1000})
	require.NoError(t, err)
	enter := func(from, to, wrong int) {
		var typed []counting.Typed
		for i, l := range page.Lines[from:to] {
			q := *l.Recorded
			if from+i < wrong {
				q += quantity.Scale
			}
			typed = append(typed, counting.Typed{RowCode: l.RowCode, Quantity: &q, CountedAt: "2026-11-20 12:00"})
		}
		_, err := d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", typed)
		require.NoError(t, err)
	}
	enter(0, 54, 0)
	r, err := d.Report.Report(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Equal(t, "1 of the 55 lines of the sample are not counted yet, so it shows nothing.", r.Sample.Words)
	enter(54, 55, 0)
	r, err = d.Report.Report(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.True(t, r.Sample.Shown)
	assert.Equal(t, []int{400, 55, 0, 0}, []int{r.Sample.Of, r.Sample.Drawn, r.Sample.Bad, r.Sample.Least})
	assert.Contains(t, r.Sample.Words, "It is shown, with 95.0 % confidence, that it is above 95.00 %.")
	enter(0, 2, 2)
	r, err = d.Report.Report(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.False(t, r.Sample.Shown, "none was to be wrong")
	assert.Equal(t, 2, r.Sample.Bad)
	assert.Equal(t, "14.55", r.Sample.Estimate.String(), "2.00 in 55 lines are so much in 400")
	// What is counted beside the sample changes nothing about what it says.
	counted := map[string]bool{}
	for _, l := range page.Lines {
		counted[l.SKU] = true
	}
	for i := range 400 {
		if sku := fmt.Sprintf("S%03d", i); !counted[sku] {
			_, err := d.Counting.TypeIn(
				ctx,
				nell,
				c.ID,
				"",
				"UTC",
				[]counting.Typed{{Found: &counting.Found{Sheet: 1, Bin: fmt.Sprintf("A-%02d-%d", i/8, i%8/4), SKU: sku},
					Text: "999", CountedAt: "2026-11-20 12:00"}},
			)
			require.NoError(t, err)
			break
		}
	}
	beside, err := d.Report.Report(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Equal(t, r.Sample, beside.Sample)
	by := draw
	by.By, by.Lines = "value", 20
	valued, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1, Sample: &by}, plan.Cut{Rows: 500})
	require.NoError(t, err)
	assert.Equal(t, 20, valued.Lines)
}

// Warehouses that are planned at once are one count each, and stand together: all of them are frozen, or none.
func TestWarehousesTogether(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", `warehouse,zone,bin,sku,on hand,unit cost,as at
W,Front,A-1-1,ROPE,100,5,2026-11-20T06:00:00Z
W,Front,A-1-2,SHK,40,2,2026-11-20T06:00:00Z
E,Front,A-1-1,ROPE,10,5,2026-11-20T06:00:00Z
N,Front,A-1-1,PIN,0,1,2026-11-20T06:00:00Z
`)
	houses, err := d.Recorded.Warehouses(ctx, nell)
	require.NoError(t, err)
	id := map[string]int64{}
	for _, h := range houses {
		id[h.Code] = h.ID
	}
	n := plan.NewCount{
		Name:    "All of it",
		Scope:   count.Scope{Warehouse: id["W"], LeaveZero: true},
		Further: []int64{id["E"], id["N"]},
		Cut:     plan.Cut{Rows: 50},
	}
	_, err = d.Plan.Freeze(ctx, nell, n)
	require.ErrorContains(t, err, "There is nothing to count in N")
	var left int
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT count(*) FROM counts").Scan(&left).Error)
	require.Zero(t, left, "none is frozen")
	n.Further = []int64{id["E"], id["W"]}
	_, err = d.Plan.Freeze(ctx, nell, n)
	require.ErrorContains(t, err, "named twice")
	n.Further, n.Scope.Zones = []int64{id["E"]}, []string{"Front"}
	_, err = d.Plan.Freeze(ctx, nell, n)
	require.ErrorContains(t, err, "those of one warehouse")
	n.Scope.Zones = nil
	made, err := d.Plan.Freeze(ctx, nell, n)
	require.NoError(t, err)
	require.Len(t, made.Further, 1)
	east := made.Further[0].ID

	// Another one of the same name at another time does not stand with them.
	now := d.Now()
	d.Now = func() time.Time { return now.Add(time.Hour) }
	_, err = d.Plan.Freeze(ctx, nell, n)
	require.NoError(t, err)

	page, err := d.Counting.CountLines(ctx, nell, east, desk.Filter{})
	require.NoError(t, err)
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		east,
		"",
		"UTC",
		[]counting.Typed{{RowCode: page.Lines[0].RowCode, Text: "8", CountedAt: "2026-11-20 12:00"}},
	)
	require.NoError(t, err)
	for _, of := range []int64{made.ID, east} {
		together, err := d.Report.Together(ctx, nell, of)
		require.NoError(t, err)
		require.Len(t, together.Counts, 2)
		assert.Equal(
			t,
			[]string{"All of it", "All of it, E", "All of it, W"},
			[]string{together.Name, together.Counts[0].Name, together.Counts[1].Name},
		)
		all := together.All
		assert.Equal(t, []int{3, 1, 2, 1, 2}, []int{all.Lines, all.Counted, all.Sheets, all.Open, all.Uncounted})
		assert.Equal(t, []string{"-10.00", "10.00", "0.00"}, []string{all.Short.String(), all.Gross.String(), all.Over.String()})
		assert.Equal(t, "33.33", all.Coverage.String())
	}
	_, err = d.Report.Together(ctx, nell, frozenAlone(t, d, id["W"]))
	require.Error(t, err)
}

func frozenAlone(t *testing.T, d *house.House, warehouse int64) int64 {
	t.Helper()
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Alone", Scope: count.Scope{Warehouse: warehouse}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	return c.ID
}

// What items have by themselves stands on sheets and in files out on request, in the order that was chosen.
func TestColumnsOfItems(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"items.csv",
		"sku,description,unit,category,barcode,pack unit,pack size\nROPE,Rope,m,ropes,4006381333931,coil,200\nSHK,Shackle,ea,metal,,,\n",
	)
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,5,2026-11-20T06:00:00Z\nW,A-2,SHK,4,2,2026-11-20T06:00:00Z\n",
	)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50},
		Columns: []string{"item.Packs", "item.Barcode", "item.Category"}})
	require.NoError(t, err)
	_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, 1, counting.AsText)
	require.NoError(t, err)
	assert.Contains(t, string(text), "Packs,Barcode,Category,Recorded")
	assert.Contains(t, string(text), "coil of 200,4006381333931,ropes")
	assert.Contains(t, string(text), ",ea,,,metal")
	take(t, d, "items2.csv", "sku,barcode\nSHK,96385074\n")
	dr := look(
		t,
		d,
		"back.csv",
		strings.NewReplacer("ropes,10,,", "ropes,10,9,2026-11-20T10:00:00Z", "metal,4,,", "metal,4,4,2026-11-20T10:00:00Z").
			Replace(string(text)),
		intake.Choices{},
	)
	require.Empty(t, dr.Blocked)
	require.Empty(t, dr.Problems)
	assert.Equal(t, 2, dr.Effect.Added, "columns beside do not disturb what comes back")
}
