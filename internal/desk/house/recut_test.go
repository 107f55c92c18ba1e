package house_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// racks takes in a warehouse of so many bins with two lines each, every seventh bin recorded as empty, and freezes it.
func racks(t *testing.T, d *house.House, bins int, cut plan.Cut) int64 {
	t.Helper()
	stock, places := "warehouse,zone,bin,sku,on hand,unit cost,as at\n", "warehouse,zone,bin\n"
	for i := range bins {
		bin := fmt.Sprintf("%s,%c-%02d-1", []string{"Front", "Back"}[i*2/bins], 'A'+i/10, i%10+1)
		if i%7 == 3 {
			places += "W," + bin + "\n"
			continue
		}
		for n := range 2 {
			stock += fmt.Sprintf("W,%s,S%03d,%d,1,2026-11-20T06:00:00Z\n", bin, i*2+n, 1+i)
		}
	}
	take(t, d, "stock.csv", stock)
	take(t, d, "places.csv", places)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: cut})
	require.NoError(t, err)
	return c.ID
}

// onSheets proves that each line of a count is on one sheet that stands, each empty bin on one, and that what the sheets
// and the racks say of it agrees with the lines.
func onSheets(t require.TestingT, d *house.House, id int64, lines, empty int) map[int]counting.SheetView {
	tx := d.Store.Read(ctx)
	page, err := d.Counting.Sheets(ctx, nell, id, "", 500)
	require.NoError(t, err)
	sheets := map[int]counting.SheetView{}
	sum := 0
	for _, s := range page.Sheets {
		sheets[s.Number] = s
		sum += s.Lines
	}
	require.Equal(t, lines, sum)
	var wrong int
	require.NoError(t, tx.Raw(`SELECT count(*) FROM count_lines l LEFT JOIN sheets s ON s.id = l.sheet_id
		WHERE l.count_id = ? AND l.has_row AND (s.id IS NULL OR s.state = 'cut anew' OR l.pos < s.first OR l.pos >= s.first + s.lines)`, id).Scan(&wrong).Error)
	require.Zero(t, wrong, "lines on no sheet, or on one that they are not of")
	require.NoError(t, tx.Raw(`SELECT count(*) FROM sheets s WHERE s.count_id = ? AND s.state <> 'cut anew' AND s.counted <>
		(SELECT count(*) FROM count_lines l WHERE l.count_id = s.count_id AND l.pos >= s.first AND l.pos < s.first + s.lines AND l.entries > 0)`, id).Scan(&wrong).Error)
	require.Zero(t, wrong, "sheets that say that something else is counted")
	require.NoError(
		t,
		tx.Raw(`SELECT count(*) FROM count_lines l JOIN count_tallies b ON b.count_id = l.count_id AND b.part = 'bin' AND b.name = l.bin_id
		WHERE l.count_id = ? AND l.has_row AND b.sheet_id <> l.sheet_id`, id).Scan(&wrong).Error,
	)
	require.Zero(t, wrong, "bins that the racks show on another sheet")
	var looked, split int
	require.NoError(
		t,
		tx.Raw("SELECT count(*) FROM empty_bins e JOIN sheets s ON s.id = e.sheet_id WHERE e.count_id = ? AND s.state <> 'cut anew'", id).
			Scan(&looked).
			Error,
	)
	require.Equal(t, empty, looked, "empty bins that somebody looks into")
	require.NoError(
		t,
		tx.Raw("SELECT count(*) FROM (SELECT bin_id FROM count_lines WHERE count_id = ? AND has_row GROUP BY bin_id HAVING count(DISTINCT sheet_id) > 1)", id).
			Scan(&split).
			Error,
	)
	require.Zero(t, split, "bins on two sheets")
	return sheets
}

// Sheets that are with us are cut anew; one that is out is parted, and what comes back on the paper of the whole one is still known.
func TestSheetsCutAnew(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC) }
	id := racks(t, d, 40, plan.Cut{By: "zone", Rows: 100})
	sheets := onSheets(t, d, id, 68, 6)
	require.Len(t, sheets, 2)
	_, whole, err := d.Counting.WriteSheet(ctx, nell, id, 2, counting.AsText)
	require.NoError(t, err)

	made, err := d.Plan.CutAnew(
		ctx,
		nell,
		id,
		plan.Recut{Sheets: []int{1, 2}, Cut: plan.Cut{By: "people", Rows: 100, For: []string{"Ada", "Bo", "Cy"}}},
	)
	require.NoError(t, err)
	require.Equal(t, []int{3, 4, 5}, made)
	sheets = onSheets(t, d, id, 68, 6)
	assert.Equal(t, []string{"Ada", "Bo", "Cy"}, []string{sheets[3].Counter, sheets[4].Counter, sheets[5].Counter})
	_, _, err = d.Counting.WriteSheet(ctx, nell, id, 2, counting.AsText)
	require.Error(t, err, "a sheet that was cut anew is written no more")

	require.NoError(
		t,
		d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{5}, Counter: "Cy", Due: "2026-11-20 18:00", Zone: "UTC"}),
	)
	_, err = d.Plan.CutAnew(ctx, nell, id, plan.Recut{Sheets: []int{4, 5}, Cut: plan.Cut{By: "size", Rows: 10}})
	require.ErrorContains(t, err, "Sheet 5 is out")
	bins, err := d.Plan.SheetBins(ctx, nell, id, 5)
	require.NoError(t, err)
	_, err = d.Plan.Part(ctx, nell, id, 5, bins[0].Bin, "Dee")
	require.ErrorContains(t, err, "first bin")
	_, err = d.Plan.Part(ctx, nell, id, 5, "Q-1", "Dee")
	require.ErrorContains(t, err, "not on sheet 5")
	six, err := d.Plan.Part(ctx, nell, id, 5, bins[4].Bin, "Dee")
	require.NoError(t, err)
	sheets = onSheets(t, d, id, 68, 6)
	assert.Equal(t, []string{"out", "Dee", bins[4].Bin}, []string{sheets[six].State, sheets[six].Counter, sheets[six].FirstBin})
	assert.Equal(t, sheets[5].Due, sheets[six].Due, "it is to be back by the same time")
	assert.Equal(t, bins[3].Bin, sheets[5].LastBin)

	// The border between two people is moved: they keep who they are for.
	three, err := d.Plan.SheetBins(ctx, nell, id, 3)
	require.NoError(t, err)
	moved, err := d.Plan.CutAnew(ctx, nell, id, plan.Recut{Sheets: []int{3, 4}, At: []string{three[5].Bin}})
	require.NoError(t, err)
	sheets = onSheets(t, d, id, 68, 6)
	require.Len(t, moved, 2)
	assert.Equal(
		t,
		[]string{"Ada", "Bo", three[5].Bin},
		[]string{sheets[moved[0]].Counter, sheets[moved[1]].Counter, sheets[moved[1]].FirstBin},
	)
	_, err = d.Plan.CutAnew(ctx, nell, id, plan.Recut{Sheets: moved, At: []string{"Q-1"}})
	require.ErrorContains(t, err, "on none of these sheets")

	// The paper of the second sheet of the first cut comes back: its rows are on three sheets now.
	var rows []string
	for _, l := range strings.Split(string(whole), "\n") {
		if f := strings.Split(l, ","); len(f) > 8 && strings.HasPrefix(f[0], fmt.Sprintf("W%dS2R", id)) {
			f[len(f)-3], f[len(f)-2] = "5", "2026-11-20T10:00:00Z"
			l = strings.Join(f, ",")
		}
		rows = append(rows, l)
	}
	dr := look(t, d, "old.csv", strings.Join(rows, "\n"), intake.Choices{})
	require.Empty(t, dr.Blocked, dr.Problems)
	require.Empty(t, dr.Problems)
	assert.Contains(t, strings.Join(dr.Sheets[0].Assumed, " "), "Sheet 2 was cut anew or parted since it was written.")
	takeDraft(t, d, dr)
	sheets = onSheets(t, d, id, 68, 6)
	assert.Equal(t, "back", sheets[with(sheets, "Cy")].State)
	assert.Equal(t, "back", sheets[six].State)

	// A row can be typed by the code of the old sheet, too, and by that of the new one it is the same row.
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: six})
	require.NoError(t, err)
	require.Contains(t, page.Lines[0].RowCode, fmt.Sprintf("W%dS%dR1", id, six))
	assert.Equal(t, "5", page.Lines[0].Counted.String())
}

// with is the number of the first sheet of somebody.
func with(sheets map[int]counting.SheetView, who string) int {
	for _, n := range slices.Sorted(maps.Keys(sheets)) {
		if sheets[n].Counter == who {
			return n
		}
	}
	return 0
}

// Whatever order sheets are cut anew, parted, handed out, typed and taken back in: each line is on one sheet, and all figures agree.
func TestSheetsInAnyOrder(t *testing.T) {
	runs := 0
	property(t, 60, func(rt *rapid.T) {
		if runs++; runs > 12 { // each run has a house of its own
			return
		}
		d := at(t)
		bins := rapid.IntRange(8, 40).Draw(rt, "bins")
		id := racks(t, d, bins, plan.Cut{By: "size", Rows: rapid.IntRange(4, 30).Draw(rt, "rows")})
		empty := 0
		for i := range bins {
			if i%7 == 3 {
				empty++
			}
		}
		lines := 2 * (bins - empty)
		for range 12 {
			sheets := onSheets(rt, d, id, lines, empty)
			var numbers, idle []int
			for n, s := range sheets {
				numbers = append(numbers, n)
				if s.State == "with us" && s.Counted == 0 {
					idle = append(idle, n)
				}
			}
			slices.Sort(numbers)
			slices.Sort(idle)
			one := rapid.SampledFrom(numbers).Draw(rt, "sheet")
			switch rapid.IntRange(0, 3).Draw(rt, "what") {
			case 0:
				if len(idle) > 0 {
					some := idle[:rapid.IntRange(1, len(idle)).Draw(rt, "some")]
					_, err := d.Plan.CutAnew(
						ctx,
						nell,
						id,
						plan.Recut{
							Sheets: some,
							Cut: plan.Cut{
								By:   rapid.SampledFrom([]string{"zone", "size"}).Draw(rt, "by"),
								Rows: rapid.IntRange(3, 40).Draw(rt, "rows"),
							},
						},
					)
					require.NoError(rt, err)
				}
			case 1:
				its, err := d.Plan.SheetBins(ctx, nell, id, one)
				require.NoError(rt, err)
				if len(its) > 1 && sheets[one].State != "back" {
					_, err := d.Plan.Part(
						ctx,
						nell,
						id,
						one,
						its[rapid.IntRange(1, len(its)-1).Draw(rt, "at")].Bin,
						rapid.SampledFrom([]string{"", "Bo"}).Draw(rt, "who"),
					)
					require.NoError(rt, err)
				}
			case 2:
				if sheets[one].State != "back" {
					require.NoError(
						rt,
						d.Counting.HandOut(
							ctx,
							nell,
							id,
							counting.Handing{Sheets: []int{one}, Counter: rapid.SampledFrom([]string{"Ada", ""}).Draw(rt, "to")},
						),
					)
				}
			case 3:
				page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: one})
				require.NoError(rt, err)
				if len(page.Lines) > 0 {
					l := page.Lines[rapid.IntRange(0, len(page.Lines)-1).Draw(rt, "line")]
					_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Text: "3"}})
					require.NoError(rt, err)
				}
			}
		}
		onSheets(rt, d, id, lines, empty)
	})
}

// The sheets of a first count, on which nothing is recorded, are cut anew and parted by their bins alone.
func TestFirstCountCutAnew(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Front,A-1\nW,Front,A-2\nW,Front,A-3\nW,Back,B-1\nW,Back,B-2\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "First", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 100, Empty: 4}})
	require.NoError(t, err)
	require.Equal(t, 2, c.Sheets)
	binsOf := func(number int) (out []string) {
		bins, err := d.Plan.SheetBins(ctx, nell, c.ID, number)
		require.NoError(t, err)
		for _, b := range bins {
			out = append(out, b.Bin)
			require.Equal(t, 4, b.Rows)
		}
		return out
	}
	before := append(binsOf(1), binsOf(2)...)
	made, err := d.Plan.CutAnew(ctx, nell, c.ID, plan.Recut{Sheets: []int{1, 2}, Cut: plan.Cut{By: "size", Rows: 100}})
	require.NoError(t, err)
	require.Equal(t, []int{3}, made)
	all := binsOf(3)
	assert.Equal(t, before, all, "as they are walked by")
	assert.Equal(t, "B-1", all[0])
	require.Len(t, all, 5)
	four, err := d.Plan.Part(ctx, nell, c.ID, 3, all[2], "Bo")
	require.NoError(t, err)
	assert.Equal(t, [][]string{all[:2], all[2:]}, [][]string{binsOf(3), binsOf(four)})
	onSheets(t, d, c.ID, 0, 5)
	_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, four, counting.AsText)
	require.NoError(t, err)
	assert.Equal(t, 4, strings.Count(string(text), ","+all[3]+","), "rows to fill in for each bin")
	require.NoError(t, d.Plan.LetGo(ctx, nell, c.ID, []int{four}))
	onSheets(t, d, c.ID, 0, 5)
	require.NoError(t, d.Plan.TakeUp(ctx, nell, c.ID, []int{four}))
	_, err = d.Plan.AddMore(ctx, nell, c.ID, plan.More{Cut: plan.Cut{Rows: 50}})
	require.ErrorContains(t, err, "whatever is found")
}

// Who counts is told with what is left and when it is likely to be done: who is late first, the idle last.
func TestLanes(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	id := racks(t, d, 40, plan.Cut{By: "size", Rows: 20})
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	require.Len(t, sheets, 4)
	out := func(counter, due string, numbers ...int) {
		require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: numbers, Counter: counter, Due: due, Zone: "UTC"}))
	}
	require.ErrorContains(
		t,
		d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{1}, Counter: "Ada", Due: "2026-11-20 11:00", Zone: "UTC"}),
		"is past",
	)
	out("Ada", "", 1)
	early, err := d.Counting.Lanes(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, []bool{early[0].Late, early[0].Due == nil}, "nobody said when it is to be back")
	out("Bo", "2026-11-20 12:01", 2)
	out("Cy", "2026-11-20 18:00", 3, 4)
	require.NoError(t, d.Counting.TakeBack(ctx, nell, id, []int{1}, true))
	require.ErrorContains(t, d.Counting.TakeBack(ctx, nell, id, []int{1}, true), "Not all of these sheets are out")
	lanes, err := d.Counting.Lanes(ctx, nell, id)
	require.NoError(t, err)
	require.Len(t, lanes, 3)
	assert.Equal(t, []string{"Bo", "Cy", "Ada"}, []string{lanes[0].Counter, lanes[1].Counter, lanes[2].Counter})
	assert.Equal(t, []bool{true, false, false}, []bool{lanes[0].Late, lanes[1].Late, lanes[2].Late})
	assert.Equal(t, now, lanes[2].Idle.UTC())
	assert.Equal(t, []int{0, 1, 2, 0}, []int{lanes[2].Out, lanes[2].Back, lanes[1].Out, lanes[1].Back})
	assert.Equal(t, sheets[2].Lines+sheets[3].Lines, lanes[1].Rows)
	assert.Equal(
		t,
		now.Add(time.Duration(sheets[2].Seconds+sheets[3].Seconds)*time.Second),
		lanes[1].Likely.UTC(),
		"one sheet after the other",
	)
	require.NoError(t, d.Counting.TakeBack(ctx, nell, id, []int{1}, false))
	out("Bo", "", 1) // handed over
	lanes, err = d.Counting.Lanes(ctx, nell, id)
	require.NoError(t, err)
	require.Len(t, lanes, 2)
	assert.Equal(t, 2, lanes[0].Out)
	now = now.Add(24 * time.Hour)
	lanes, err = d.Counting.Lanes(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true}, []bool{lanes[0].Late, lanes[1].Late}, "what should be back is late, however long it was to take")
}
