package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// crewed is a house whose stock is to be counted by Ada and Bram.
func crewed(t *testing.T) (*house.House, int64) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1},
		Cut: plan.Cut{By: "people", Rows: 50, For: []string{"Ada", "Bram"}}})
	require.NoError(t, err)
	return d, c.ID
}

func sheetsOf(t *testing.T, d *house.House, id int64) (out []string) {
	page, err := d.Counting.Sheets(ctx, nell, id, "", 0)
	require.NoError(t, err)
	for _, s := range page.Sheets {
		out = append(out, fmt.Sprintf("%d %s %s due %v", s.Number, s.State, s.Counter, s.Due != nil))
	}
	return out
}

// Sheets that are planned for people are handed to them in one press, as they were seen; those of nobody stay.
func TestSheetsAreHandedOutAsPlanned(t *testing.T) {
	d, id := crewed(t)
	crew, err := d.Counting.Crew(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, counting.Crew{Names: []string{"Ada", "Bram"}, Planned: []counting.PlannedFor{{Counter: "Ada", Sheets: 1}, {Counter: "Bram", Sheets: 1}}}, crew)
	err = d.Counting.HandOutPlanned(ctx, nell, id, counting.HandingPlanned{Sheets: 3})
	require.ErrorContains(t, err, "2 sheets are planned for somebody and with us by now")
	assert.Equal(t, []string{"1 with us Ada due false", "2 with us Bram due false"}, sheetsOf(t, d, id))
	require.ErrorIs(t, d.Counting.HandOutPlanned(ctx, desk.Person{Name: "Ida", Role: "counter"}, id, counting.HandingPlanned{Sheets: 2}), desk.ErrMayNot)
	require.NoError(t, d.Counting.HandOutPlanned(ctx, nell, id, counting.HandingPlanned{Sheets: 2, Due: "2099-01-01 10:00", Zone: "UTC"}))
	assert.Equal(t, []string{"1 out Ada due true", "2 out Bram due true"}, sheetsOf(t, d, id))
	crew, err = d.Counting.Crew(ctx, nell, id)
	require.NoError(t, err)
	assert.Empty(t, crew.Planned)
	require.Error(t, d.Counting.HandOutPlanned(ctx, nell, id, counting.HandingPlanned{Sheets: 2}), "nothing is planned any more")
}

// A crew is kept for its warehouse alone, whoever had sheets is remembered behind it, and a name is one person whatever the case of its
// letters.
func TestCrewsAreKeptForEachWarehouse(t *testing.T) {
	d, id := crewed(t)
	take(t, d, "other.csv", strings.ReplaceAll(stockText, "\nW,", "\nV,"))
	houses, err := d.Recorded.Warehouses(ctx, nell)
	require.NoError(t, err)
	assert.Equal(t, []string{"V", "[]", "W", "[Ada Bram]"}, []string{houses[0].Code, fmt.Sprint(houses[0].Crew), houses[1].Code, fmt.Sprint(houses[1].Crew)})
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{1}, Counter: "Cleo"}))
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{2}, Counter: " bram"}))
	assert.Equal(t, []string{"1 out Cleo due false", "2 out Bram due false"}, sheetsOf(t, d, id))
	crew, err := d.Counting.Crew(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ada", "Bram", "Cleo"}, crew.Names)
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "D", Scope: count.Scope{Warehouse: 1},
		Cut: plan.Cut{By: "people", Rows: 50, For: []string{"Ada", "ADA"}}})
	require.ErrorContains(t, err, "ADA is named twice")
	// Several warehouses are planned together, each with its own people.
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "E", Scope: count.Scope{Warehouse: 1}, Further: []int64{2},
		Crews: map[int64][]string{2: {"Dora"}}, Cut: plan.Cut{By: "people", Rows: 50, For: []string{"Ada"}}})
	require.NoError(t, err)
	houses, err = d.Recorded.Warehouses(ctx, nell)
	require.NoError(t, err)
	assert.Equal(t, "[Dora] [Ada]", fmt.Sprint(houses[0].Crew, " ", houses[1].Crew))
}

// Who has a sheet counted it, unless the sheet or whoever types it says otherwise: in files, typed, by hand. So who counts again is known.
func TestWhoHasTheSheetCountedIt(t *testing.T) {
	d, id := crewed(t)
	by := func() (out []string) {
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Show: "counted"})
		require.NoError(t, err)
		for _, l := range page.Lines {
			out = append(out, fmt.Sprint(l.Bin, " ", l.SKU, " by ", l.Counter))
		}
		return out
	}
	lines, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	first, second := lines.Lines[0], lines.Lines[1]
	require.NoError(t, d.Counting.HandOutPlanned(ctx, nell, id, counting.HandingPlanned{Sheets: 2}))
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: first.RowCode, Quantity: whole(9)},
		{RowCode: second.RowCode, Quantity: whole(3), Counter: "Cleo"}})
	require.NoError(t, err)
	dr := look(t, d, "back.csv", "Row code,Counted,Counted at\n"+lines.Lines[2].RowCode+",7,2026-11-20T09:00:00Z\n", intake.Choices{})
	require.Empty(t, dr.Blocked)
	assert.Contains(t, dr.Sheets[0].Assumed, "1 count names nobody who counted: it is by whoever has its sheet.")
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"B-1-1 SHK by Ada", "B-1-2 PAINT by Cleo", "A-1-1 ROPE by Bram"}, by())

	// Where nobody has it, it is by whoever types it; a file that names one person makes it that person's sheet.
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "D", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 1}})
	require.NoError(t, err)
	id = c.ID
	if lines, err = d.Counting.CountLines(ctx, nell, id, desk.Filter{}); err != nil {
		t.Fatal(err)
	}
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: lines.Lines[0].RowCode, Quantity: whole(9)}})
	require.NoError(t, err)
	take(t, d, "back.csv", "Row code,Counted,Counted at,Counter\n"+lines.Lines[1].RowCode+",7,2026-11-20T09:00:00Z,Dora\n")
	assert.Equal(t, []string{"B-1-1 SHK by " + nell.Name, "B-1-2 PAINT by Dora"}, by())
	assert.Equal(t, []string{"1 back  due false", "2 back Dora due false"}, sheetsOf(t, d, id)[:2])
}

// Everybody's first page begins with what is theirs: sheets to count, those handed out first; and what waits for their word.
func TestTodayBeginsWithOnesOwn(t *testing.T) {
	d, id := crewed(t)
	bram := desk.Person{ID: 7, Name: "bram", Role: "counter"}
	own := func(p desk.Person) (out []string) {
		v, err := d.Today.Today(ctx, p)
		require.NoError(t, err)
		for _, s := range v.Sheets {
			out = append(out, fmt.Sprintf("%s %s %d %s-%s %d/%d %v %v", s.Name, s.Warehouse, s.Number, s.FirstBin, s.LastBin, s.Counted, s.Lines, s.Out, s.Due != nil))
		}
		for _, a := range v.Asked {
			out = append(out, fmt.Sprintf("%s %d %s by %s", a.Name, a.Lines, a.Gross, a.By))
		}
		return out
	}
	assert.Equal(t, []string{"C W 2 A-1-1-A-1-2 0/2 false false"}, own(bram))
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{1}, Counter: "Bram", Due: "2099-01-01 10:00", Zone: "UTC"}))
	assert.Equal(t, []string{"C W 1 B-1-1-B-1-2 0/2 true true", "C W 2 A-1-1-A-1-2 0/2 false false"}, own(bram))
	assert.Empty(t, own(desk.Person{ID: 8, Name: "Ada", Role: "counter"}))
	lines, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	var typed []counting.Typed
	for _, l := range lines.Lines {
		typed = append(typed, counting.Typed{RowCode: l.RowCode, Quantity: whole(1)})
	}
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", typed)
	require.NoError(t, err)
	assert.Empty(t, own(bram), "both are back")
}

// A name is one person in letters beyond ASCII too: Today finds the sheets, and of two rounds one person gets one.
func TestNamesAreOnePersonInAllLetters(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Rounds: 2,
		Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	require.NoError(t, d.Counting.HandOut(ctx, nell, c.ID, counting.Handing{Sheets: []int{1}, Counter: "Åsa"}))
	v, err := d.Today.Today(ctx, desk.Person{ID: 7, Name: "åSA", Role: "counter"})
	require.NoError(t, err)
	require.Len(t, v.Sheets, 1)
	assert.Equal(t, 1, v.Sheets[0].Number)
	v, err = d.Today.Today(ctx, desk.Person{ID: 8, Name: "Asa", Role: "counter"})
	require.NoError(t, err)
	assert.Empty(t, v.Sheets)
	all := sheetsOf(t, d, c.ID)
	second := len(all)/2 + 1
	require.Error(t, d.Counting.HandOut(ctx, nell, c.ID, counting.Handing{Sheets: []int{second}, Counter: "åsa"}))
	require.NoError(t, d.Counting.HandOut(ctx, nell, c.ID, counting.Handing{Sheets: []int{second}, Counter: "Asa"}))
}

// Counts that are planned together are all told of, each with its warehouse, however many they are.
func TestAllCountsThatStandTogetherAreTold(t *testing.T) {
	d := at(t)
	for _, code := range []string{"W", "V", "U", "T"} {
		take(t, d, code+".csv", strings.ReplaceAll(stockText, "\nW,", "\n"+code+","))
	}
	made, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "All", Scope: count.Scope{Warehouse: 1}, Further: []int64{2, 3, 4}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	told := map[int64]int{made.ID: made.Lines}
	for _, f := range made.Further {
		told[f.ID] = f.Lines
	}
	assert.Equal(t, map[int64]int{1: 7, 2: 7, 3: 7, 4: 7}, told)
}
