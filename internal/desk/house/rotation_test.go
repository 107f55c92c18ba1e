package house_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/rotation"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/plan"
)

// A warehouse counted in rotation offers its portion day by day; what is on a sheet or was counted is part of the day's,
// and what is left undone is late, by days that are told.
func TestRotation(t *testing.T) {
	d := at(t)
	text := "warehouse,zone,bin,sku,on hand,unit cost,as at\n"
	for i := range 240 {
		text += fmt.Sprintf("W,%s,A-%02d-%d,S%03d,%d,1,2026-11-20T06:00:00Z\n", []string{"Front", "Back"}[i/120], i/8, i%8/4, i, 1+i%7)
	}
	take(t, d, "stock.csv", text)
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC) // a Monday
	d.Now = func() time.Time { return now }
	sc := count.Scope{Warehouse: 1, Rotation: true}
	_, err := d.Plan.Tally(ctx, nell, sc, plan.Cut{Rows: 50})
	require.ErrorContains(t, err, "W has no rotation")
	v, err := d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	require.Nil(t, v.Rotation)
	assert.Equal(
		t,
		[]rotation.Group{
			{Name: "A", Times: 12},
			{Name: "B", Times: 4},
			{Name: "C", Times: 1},
			{Name: "Back", Times: 4},
			{Name: "Front", Times: 4},
		},
		v.Usual,
	)

	workdays := [7]bool{1: true, 2: true, 3: true, 4: true, 5: true}
	r := plan.Rotation{Plan: rotation.Plan{By: "zone", Groups: []rotation.Group{{Name: "Front", Times: 12}}}, Zone: "Europe/Berlin"}
	require.ErrorContains(t, d.Plan.SetRotation(ctx, nell, 1, &r), "a day of the week")
	r.Days = workdays
	r.Zone = "Nowhere"
	require.ErrorContains(t, d.Plan.SetRotation(ctx, nell, 1, &r), "Nowhere")
	r.Zone = "Europe/Berlin"
	require.ErrorContains(t, d.Plan.SetRotation(ctx, desk.Person{ID: 9, Name: "A counter", Role: "counter"}, 1, &r), "your role")
	require.NoError(t, d.Plan.SetRotation(ctx, nell, 1, &r))
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Equal(
		t,
		[]plan.RotationGroup{{Name: "Front", Times: 12, Lines: 120, Counted: 0}, {Name: "Back", Times: 0, Lines: 120, Counted: 0}},
		v.Groups,
		"of a zone that is not named nothing is counted",
	)
	assert.InDelta(t, 120*12/261, v.Portion.Lines, 1)
	assert.Zero(t, v.Late.Lines)
	sum := 0
	for _, m := range v.Months {
		sum += m.Lines
	}
	assert.Equal(t, 29*120*12/261, sum, "so many of the year's working days were left when it began")
	assert.Positive(t, v.Months[11].Seconds)

	portion := v.Portion.Lines
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Monday", Scope: sc, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	require.Equal(t, portion, c.Lines)
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Equal(t, []int{0, portion}, []int{v.Portion.Lines, v.Portion.Done}, "all of it is on a sheet")
	_, err = d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "Beside", Scope: count.Scope{Warehouse: 1, Zones: []string{"Back"}}, Cut: plan.Cut{Rows: 50}},
	)
	require.NoError(t, err)
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Equal(t, portion, v.Portion.Done, "of what is never counted in rotation nothing is done")
	whole, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50})
	require.NoError(t, err)
	assert.Equal(t, portion+120, whole.Elsewhere, "whoever plans all of it is told what is on sheets already")
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Twice", Scope: sc, Cut: plan.Cut{Rows: 50}})
	require.ErrorContains(t, err, "nothing to count")
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	counted := map[string]bool{}
	var typed []counting.Typed
	for _, l := range page.Lines {
		counted[l.SKU] = true
		typed = append(typed, counting.Typed{RowCode: l.RowCode, Text: "1", CountedAt: "2026-11-23 09:00"})
	}
	_, err = d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", typed)
	require.NoError(t, err)

	now = now.AddDate(0, 0, 1)
	tuesday, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Tuesday", Scope: sc, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	page, err = d.Counting.CountLines(ctx, nell, tuesday.ID, desk.Filter{})
	require.NoError(t, err)
	for _, l := range page.Lines {
		assert.False(t, counted[l.SKU], "%s had its turn yesterday", l.SKU)
	}
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Equal(t, portion, v.Months[10].Counted)
	assert.Equal(t, portion, v.Groups[0].Counted)

	now = time.Date(2027, 1, 23, 12, 0, 0, 0, time.UTC) // a Saturday, two months later
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Zero(t, v.Portion.Lines)
	// Since Monday, 61 days; a turn is due within 31, and a week more. Those of Tuesday are on a sheet that never came back.
	assert.Equal(t, rotation.Late{Lines: 120 - tuesday.Lines, Days: 61 - 31 - 7}, v.Late)
	now = now.AddDate(0, 0, 2)
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.InDelta(t, 2*portion, v.Portion.Lines+tuesday.Lines, 2, "a day takes as much again of what is late")
	require.NoError(t, d.Plan.SetRotation(ctx, nell, 1, nil))
	v, err = d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Nil(t, v.Rotation)
}

// Classes of a rotation are those of rules.
func TestRotationByClass(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", `warehouse,bin,sku,on hand,unit cost,as at
W,A-1,DEAR,10,80,2026-11-20T06:00:00Z
W,A-2,FAIR,10,15,2026-11-20T06:00:00Z
W,A-3,CHEAP,10,5,2026-11-20T06:00:00Z
`)
	r := plan.Rotation{
		Plan: rotation.Plan{By: "value", Groups: []rotation.Group{{Name: "A", Times: 366}, {Name: "B", Times: 0}, {Name: "C", Times: 1}},
			Days: [7]bool{true, true, true, true, true, true, true}},
		Zone: "UTC",
	}
	require.NoError(t, d.Plan.SetRotation(ctx, nell, 1, &r))
	v, err := d.Plan.Rotation(ctx, nell, 1)
	require.NoError(t, err)
	assert.Equal(
		t,
		[]plan.RotationGroup{
			{Name: "A", Times: 366, Lines: 1, Counted: 0},
			{Name: "B", Times: 0, Lines: 1, Counted: 0},
			{Name: "C", Times: 1, Lines: 1, Counted: 0},
		},
		v.Groups,
	)
	assert.Equal(t, 1, v.Portion.Lines)
}
