package house_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/recognise"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

func settle(t *testing.T, d *house.House, dr *intake.Draft, a intake.Answer) *intake.Draft {
	t.Helper()
	out, err := d.Intake.Settle(ctx, nell, dr.ID, a)
	require.NoError(t, err)
	return out
}

func takeDraft(t *testing.T, d *house.House, dr *intake.Draft) count.TakenIn {
	t.Helper()
	require.Empty(t, dr.Blocked)
	out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", dr.Effect.Refused)
	require.NoError(t, err)
	return out
}

func effect(dr *intake.Draft) []int {
	e := &dr.Effect
	return []int{e.Added, e.Changed, e.Unchanged, e.Gone, e.Refused, e.Left}
}

func recorded(t *testing.T, d *house.House, house int64) map[string]string {
	t.Helper()
	page, err := d.Recorded.Recorded(ctx, nell, house, desk.Filter{Limit: 1000})
	require.NoError(t, err)
	out := map[string]string{}
	for _, l := range page.Lines {
		out[l.Bin+" "+l.SKU] = l.OnHand.String()
	}
	return out
}

func tally(t *testing.T, d *house.House, query string) (n int) {
	t.Helper()
	require.NoError(t, d.Store.Read(ctx).Raw(query).Scan(&n).Error)
	return n
}

// A workbook of several sheets is one intake, its sheets in the right order, and one undo.
func TestSeveralSheetsAreOneIntake(t *testing.T) {
	d := at(t)
	book, err := os.ReadFile("../../core/trial/testdata/files/several-sheets.xlsx")
	require.NoError(t, err)
	dr, err := d.Intake.Upload(ctx, nell, "kiosk.xlsx", bytes.NewReader(book), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	require.Len(t, dr.Sheets, 4)
	assert.False(t, dr.Sheets[0].Use, "a cover sheet is left out: %s", dr.Sheets[0].WhyUse)
	assert.Equal(t, []int{4, 3, 2}, []int{dr.Sheets[3].Effect.Added, dr.Sheets[2].Effect.Added, dr.Sheets[1].Effect.Added})
	// The places of the same workbook tell what the damaged bin may have been.
	require.Equal(t, 1, dr.Effect.Refused)
	stock := dr.Sheets[1]
	require.Len(t, stock.Values, 1)
	assert.ElementsMatch(t, []string{"3-12", "12-3"}, stock.Values[0].Originals)
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Sheet: 1,
			Set:   &layout.Layout{Matches: []layout.Match{{Field: field.Bin, From: "2026-12-03", Do: "match", To: "3-12"}}},
		},
	)
	assert.Equal(t, 0, dr.Effect.Refused)
	assert.Contains(t, dr.Blocked, "23 November 2026, 06:30 UTC, which is still to come")
	out := takeDraft(t, d, meant(t, d, dr))
	assert.Equal(t, 10, out.Added)
	assert.Equal(t, map[string]string{"1-1 00511": "12.5", "1-2 00512": "4", "3-12 00513": "7"}, recorded(t, d, 1))
	assert.Equal(t, 4, tally(t, d, "SELECT count(*) FROM bins"))
	assert.Equal(t, 3, tally(t, d, "SELECT count(*) FROM items WHERE category = 'Fastenings'"))
	list, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "places, items, stock", list[0].Kind)
	assert.Len(t, list[0].Parts, 3)
	assert.Contains(t, list[0].Undoing, "items: takes 3 new rows away")
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	for _, table := range []string{"bins", "items", "warehouses", "stock_lines", "set_bins", "set_items", "stock_sets"} {
		assert.Zero(t, tally(t, d, "SELECT count(*) FROM "+table), table)
	}
}

// Which rows are taken and what quantities do is chosen, and the effect is counted before.
func TestModes(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	part := "warehouse,bin,sku,quantity,as at\nW,A-1-1,ROPE,5,2026-11-21T06:00:00Z\nW,A-1-2,SHK,40,2026-11-21T06:00:00Z\nW,C-1-1,NEW,1,2026-11-21T06:00:00Z\n"
	dr := look(t, d, "part.csv", part, intake.Choices{})
	for name, c := range map[string]struct {
		set  layout.Layout
		want []int // added, changed, unchanged, gone, refused, left
		rope string
	}{
		"whole":        {layout.Layout{Extent: "whole"}, []int{1, 2, 0, 5, 0, 0}, "5"},
		"only":         {layout.Layout{Extent: "only"}, []int{1, 2, 0, 0, 0, 0}, "5"},
		"added":        {layout.Layout{Quantity: "add"}, []int{1, 2, 0, 0, 0, 0}, "15"},
		"taken":        {layout.Layout{Quantity: "take"}, []int{1, 2, 0, 0, 0, 0}, "5"},
		"only new":     {layout.Layout{Rows: "add", Extent: "only"}, []int{1, 0, 0, 0, 0, 2}, "10"},
		"only changes": {layout.Layout{Rows: "change", Extent: "only"}, []int{0, 2, 0, 0, 0, 1}, "5"},
		"no new items": {layout.Layout{NewItems: "refuse", Extent: "only"}, []int{0, 2, 0, 0, 1, 0}, "5"},
		"skip new":     {layout.Layout{NewItems: "skip", Extent: "only"}, []int{0, 2, 0, 0, 0, 1}, "5"},
	} {
		dr, err := d.Intake.Choose(
			ctx,
			nell,
			dr.ID,
			intake.Choices{Zone: "UTC", Sheets: map[string]intake.SheetChoice{"0": {Layout: c.set}}},
		)
		require.NoError(t, err, name)
		assert.Equal(t, c.want, effect(dr), name)
		if name == "whole" {
			assert.Equal(
				t,
				"205.00 (2 lines without a cost)",
				strings.Replace(dr.Effect.GoneValue, "1 line ", "2 lines ", 1),
			) // 25 and 180; SET has no cost
		}
		again := look(t, d, "again.csv", part, intake.Choices{Sheets: map[string]intake.SheetChoice{"0": {Layout: c.set}}})
		out := takeDraft(t, d, again)
		got := recorded(t, d, 1)
		assert.Equal(t, c.rope, got["A-1-1 ROPE"], name)
		require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
		assert.Equal(t, "10", recorded(t, d, 1)["A-1-1 ROPE"], name)
	}
	// A column that the file has not leaves what is there: the cost stays.
	out := takeDraft(
		t,
		d,
		look(
			t,
			d,
			"costs.csv",
			"warehouse,bin,sku,quantity,as at\nW,A-1-1,ROPE,5,2026-11-21T06:00:00Z\n",
			intake.Choices{Sheets: map[string]intake.SheetChoice{"0": {Layout: layout.Layout{Extent: "only"}}}},
		),
	)
	assert.Equal(t, 1, out.Changed)
	assert.Equal(
		t,
		2_500_000,
		tally(
			t,
			d,
			"SELECT l.cost FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id JOIN items i ON i.id = l.item_id WHERE i.sku = 'ROPE'",
		),
	)
}

// A mended file dropped again goes on with all that was settled; the refused rows come as a file, and mended in it they
// go back to their rows.
func TestRedrop(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	text := "Lager;;\n\nWhse;Stock;Item;Remark\nW;10 pcs;ROPE;a\nW;about;SHK;b\nW;3;PAINT;\n"
	dr := look(t, d, "mess.csv", text, intake.Choices{})
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Set: &layout.Layout{
				Columns: []layout.Choice{
					{Column: "B", Header: "Stock", Field: field.Quantity, Numbers: form.Numbers{Signs: []string{"pcs"}}},
					{Column: "D", Header: "Remark", Field: "line.Remark"},
				},
			},
		},
	)
	require.Equal(t, 1, dr.Effect.Refused)
	name, file, err := d.Intake.RefusedRows(ctx, nell, dr.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, "mess - refused rows.csv", name)
	assert.Equal(
		t,
		"\ufeffWhse;Stock;Item;Remark;Row in the file;Why refused\nW;about;SHK;b;5;\"quantity: \"\"about\"\" is not a number\"\n",
		string(file),
	)
	mended := strings.Replace(string(file), "about;SHK", "7;SHK", 1)
	dr, err = d.Intake.Redrop(ctx, nell, dr.ID, name, strings.NewReader(mended))
	require.NoError(t, err)
	assert.Equal(t, 0, dr.Effect.Refused)
	assert.Equal(t, 1, dr.Mended)
	dr = settle(t, d, dr, intake.Answer{Back: true})
	assert.Equal(t, 1, dr.Effect.Refused, "the mend is taken back")
	// The whole file, mended, with a row more and a title less.
	dr, err = d.Intake.Redrop(
		ctx,
		nell,
		dr.ID,
		"mess.csv",
		strings.NewReader("Whse;Stock;Item;Remark\nW;12 pcs;ROPE;a\nW;4;SHK;b\nW;3;PAINT;\nW;1;OLD;\n"),
	)
	require.NoError(t, err)
	assert.Equal(t, []int{4, 0, 0, 0, 0, 0}, effect(dr))
	takeDraft(t, d, dr)
	assert.Equal(t, "12", recorded(t, d, 1)[" ROPE"])
	assert.Equal(t, 1, tally(t, d, `SELECT count(*) FROM stock_lines WHERE attributes = '{"Remark":"b"}'`))
	// A file of refused rows by itself holds only some lines.
	dr = look(t, d, "late - refused rows.csv", "Whse;On hand;Item;Why refused\nW;9;SHK;it was wrong\n", intake.Choices{})
	assert.Equal(t, []int{0, 1, 0, 0, 0, 0}, effect(dr))
}

// What was settled is saved as a layout, and a file of the same shape needs no question.
func TestLayouts(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	text := func(rows string) string { return "Whse;Stock;Item;Cost\n" + rows }
	dr := look(t, d, "a.csv", text("W;1,5;ROPE;€ 2\n"), intake.Choices{})
	require.NotEmpty(t, dr.Sheets[0].Questions)
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Set: &layout.Layout{
				Columns: []layout.Choice{
					{Column: "B", Header: "Stock", Field: field.Quantity},
					{Column: "D", Header: "Cost", Numbers: form.Numbers{Signs: []string{"€"}}},
				},
			},
		},
	)
	_, err := d.Intake.SaveDraftLayout(ctx, nell, dr.ID, 0, "Yard list")
	require.NoError(t, err)
	again := look(t, d, "b.csv", "Yard of Tuesday\n"+text("W;2,25;SHK;€ 3\n"), intake.Choices{})
	assert.Equal(t, "Yard list", again.Sheets[0].Layout)
	assert.Empty(t, again.Blocked)
	assert.Empty(t, again.Sheets[0].Questions)
	assert.Equal(t, []int{1, 0, 0, 0, 0, 0}, effect(again))
	without := settle(t, d, again, intake.Answer{Layout: "-"})
	assert.NotEmpty(t, without.Blocked)
	list, err := d.Intake.Layouts(ctx, nell)
	require.NoError(t, err)
	require.Len(t, list, 1)
	copied := list[0].Layout
	require.NoError(t, d.Intake.SaveLayout(ctx, nell, "Copy", copied))
	file, err := d.Intake.LayoutFile(ctx, nell, "Copy")
	require.NoError(t, err)
	read, err := layout.Decode(file)
	require.NoError(t, err)
	assert.Equal(t, copied.Columns, read.Columns)
	require.NoError(t, d.Intake.DeleteLayout(ctx, nell, "Copy"))
	require.Error(t, d.Intake.SaveLayout(ctx, nell, "x", layout.Layout{Kind: "boats"}))
}

// A layout of one sheet of a workbook leaves the other sheets as they are; a look that broke off cannot be taken in.
func TestLayoutOfOneSheet(t *testing.T) {
	d := at(t)
	book, err := os.ReadFile("../../core/trial/testdata/files/several-sheets.xlsx")
	require.NoError(t, err)
	dr, err := d.Intake.Upload(ctx, nell, "kiosk.xlsx", bytes.NewReader(book), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Sheet: 1,
			Set:   &layout.Layout{Matches: []layout.Match{{Field: field.Bin, From: "2026-12-03", Do: "match", To: "3-12"}}},
		},
	)
	_, err = d.Intake.SaveDraftLayout(ctx, nell, dr.ID, 1, "Kiosk stock")
	require.NoError(t, err)
	again, err := d.Intake.Upload(ctx, nell, "kiosk.xlsx", bytes.NewReader(book), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	for _, c := range []*intake.Draft{again, settle(t, d, again, intake.Answer{Layout: "Kiosk stock"})} {
		assert.Equal(t, "Kiosk stock", c.Sheets[1].Layout)
		assert.Equal(
			t,
			[]field.Kind{field.Stock, field.Items, field.Places},
			[]field.Kind{c.Sheets[1].Kind, c.Sheets[2].Kind, c.Sheets[3].Kind},
		)
		assert.Equal(t, []bool{true, true, true}, []bool{c.Sheets[1].Use, c.Sheets[2].Use, c.Sheets[3].Use})
		assert.Zero(t, c.Effect.Refused)
	}
	meant(t, d, again)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, err = d.Intake.Settle(gone, nell, again.ID, intake.Answer{Sheet: 2, Use: "no"})
	require.Error(t, err)
	out, err := d.Intake.TakeIn(ctx, nell, again.ID, "", 0)
	require.NoError(t, err)
	assert.Equal(t, 10, out.Added, "it is looked at anew, with the answer that broke off taken back")
}

// A quantity in packs is never taken for one in base units: known packs are turned, their cost shared out, and a unit
// that the item does not have is refused, in stock as in movements; what an earlier sheet says of packs counts.
func TestUnits(t *testing.T) {
	d := at(t)
	const stock = "warehouse,bin,SKU,unit,quantity,reserved,unit cost,as at\nW,A,ROPE,bx,3,1,10.00,2026-11-20T06:00:00Z\nW,A,SHK,PCS,4,,2,2026-11-20T06:00:00Z\nW,B,ROPE,M,7,,0.40,2026-11-20T06:00:00Z\n"
	take(t, d, "items.csv", "SKU,Description,Unit,Pack,Pack size\nROPE,Braided rope,M,BX,25\nSHK,Shackle,PCS,,\n")
	dr := look(t, d, "stock.csv", stock, intake.Choices{Zone: "UTC"})
	require.Zero(t, dr.Effect.Refused, "%+v", dr.Problems)
	assert.Contains(t, dr.Assumed, "1 row was in packs and turned into base units (row 2: 3 bx of 25 became 75).")
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	var lines []store.StockLine
	require.NoError(t, d.Store.Read(ctx).Order("pos").Find(&lines).Error)
	require.Len(t, lines, 3)
	assert.Equal(t, []int64{75_000000, 25_000000, 400000}, []int64{lines[0].Quantity, *lines[0].Reserved, *lines[0].Cost})

	moves := "warehouse,bin,SKU,unit,quantity,moved at,reference\nW,A,ROPE,BX,2,2026-11-21T06:00:00Z,R1\nW,A,SHK,BX,1,2026-11-21T06:00:00Z,R2\n"
	dr = look(t, d, "moves.csv", moves, intake.Choices{Zone: "UTC"})
	assert.Equal(t, 1, dr.Effect.Refused)
	assert.Contains(t, dr.Problems[0].List[0].Text, `"BX" is neither the unit of SHK (PCS) nor one of its packs`)

	// Of items that nothing is known of, the file itself has to be of one mind.
	dr = look(
		t,
		d,
		"more.csv",
		"warehouse,bin,SKU,unit,quantity\nW,A,NEW,PCS,1\nW,B,NEW,BX,1\nW,C,NEW,pcs,1\n",
		intake.Choices{Zone: "UTC"},
	)
	assert.Equal(t, 1, dr.Effect.Refused)
}

// Items are known by their barcode, further SKU, name or record id; packs and several barcodes come with them.
func TestIdentity(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"items.csv",
		"SKU,Description,Barcode,Further SKU,Record id,Pack,Pack size,Colour\nROPE,Braided rope,5012345678900 4006381333931,R-8,id7,BX,25,\nROPE,,,,,PAL,1000,\nSHK,Shackle,,S-1,id8,,,\n",
	)
	for by, text := range map[string]string{"barcode": "5012345678900", "EAN": "4006381333931", "further SKU": "R-8",
		"item record id": "id7", "description": "Braided rope"} {
		dr := look(t, d, by+".csv", fmt.Sprintf("warehouse,bin,%s,quantity\nW,A,%s,3\n", by, text), intake.Choices{})
		require.Empty(t, dr.Blocked, by)
		assert.Equal(t, "W · A · ROPE", dr.Effect.Examples[0].Line, by)
	}
	assert.Equal(t, 1, tally(t, d, `SELECT count(*) FROM items WHERE packs LIKE '%BX%1000%' AND barcodes LIKE '%4006381333931%'`))
	bad := look(t, d, "bad.csv", "SKU,Barcode\nSHK,5012345678900\n", intake.Choices{})
	require.Len(t, bad.Problems, 1)
	assert.Contains(t, bad.Problems[0].List[0].Text, "is recorded as the barcode of ROPE")
}

// An empty cell clears where that is said; attributes of items are kept, changed and put back.
func TestClearAndAttributes(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Description,Category\nROPE,Rope,Ropes\n")
	dr := look(t, d, "more.csv", "SKU,Description,Category,Colour\nROPE,Rope,,blue\n", intake.Choices{})
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Set: &layout.Layout{
				Columns: []layout.Choice{
					{Column: "C", Header: "Category", Empty: "clear"},
					{Column: "D", Header: "Colour", Field: "item.Colour"},
				},
			},
		},
	)
	out := takeDraft(t, d, dr)
	var it store.Item
	require.NoError(t, d.Store.Read(ctx).First(&it).Error)
	assert.Equal(t, []string{"", `{"Colour":"blue"}`}, []string{it.Category, it.Attributes})
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	it = store.Item{}
	require.NoError(t, d.Store.Read(ctx).First(&it).Error)
	assert.Equal(t, []string{"Ropes", ""}, []string{it.Category, it.Attributes})
}

// Places come with names and zones; undo puts changed ones back.
func TestPlaces(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	out := take(
		t,
		d,
		"places.csv",
		"Warehouse,Warehouse name,Zone,Bin\nW,Quay store,Ropes,A-1-1\nW,,Front,A-1-2\nW,,Ropes,Z-9\nKIOSK,Harbour kiosk,,\n",
	)
	assert.Equal(t, []int{2, 1, 1}, []int{out.Added, out.Changed, out.Unchanged})
	assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM warehouses WHERE name = 'Quay store'"))
	assert.Equal(t, 2, tally(t, d, "SELECT count(*) FROM bins WHERE zone = 'Ropes'"))
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	assert.Equal(t, 0, tally(t, d, "SELECT count(*) FROM warehouses WHERE name <> '' OR code = 'KIOSK'"))
	assert.Equal(t, 2, tally(t, d, "SELECT count(*) FROM bins WHERE zone = 'Front'"))
}

// The rows of the file are looked at from any place, in text and in workbooks, and those of one group alone.
func TestRows(t *testing.T) {
	d := at(t)
	var text strings.Builder
	text.WriteString("Title\n\nsku,quantity\n")
	book := excelize.NewFile()
	require.NoError(t, book.SetSheetRow("Sheet1", "A1", &[]any{"Title"}))
	require.NoError(t, book.SetSheetRow("Sheet1", "A3", &[]any{"sku", "quantity"}))
	for i := range 3000 {
		q := fmt.Sprint(i)
		if i%100 == 7 {
			q = "seven"
		}
		fmt.Fprintf(&text, "S%d,%s\n", i, q)
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+4), &[]any{fmt.Sprintf("S%d", i), q}))
	}
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	for name, file := range map[string]string{"rows.csv": text.String(), "rows.xlsx": b.String()} {
		dr, err := d.Intake.Upload(ctx, nell, name, strings.NewReader(file), intake.Choices{Zone: "UTC"})
		require.NoError(t, err)
		top, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 0, 5, "", "")
		require.NoError(t, err)
		assert.Equal(
			t,
			[]int{1, 3, 4, 5, 6},
			[]int{top.Rows[0].Row, top.Rows[1].Row, top.Rows[2].Row, top.Rows[3].Row, top.Rows[4].Row},
			name,
		)
		far, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 2900, 200, "", "")
		require.NoError(t, err)
		assert.Equal(t, 3002, far.Total, name)
		require.Len(t, far.Rows, 102, name)
		assert.Equal(t, 2902, far.Rows[0].Row, name)
		assert.Equal(t, "S2898", far.Rows[0].Cells[0], name)
		some, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 20, 100, "not a number", "quantity")
		require.NoError(t, err)
		assert.Equal(t, 30, some.Total, name)
		require.Len(t, some.Rows, 10, name)
		assert.Equal(t, []string{"S2007", "seven"}, some.Rows[0].Cells, name)
		assert.Len(t, some.Rows[0].Wrong, 1, name)
		dr = settle(t, d, dr, intake.Answer{MendAlike: &intake.MendAlike{Kind: "not a number", Field: "quantity", Was: "seven", Is: "7"}})
		assert.Equal(t, 0, dr.Effect.Refused, name)
		mended, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 2009, 1, "", "")
		require.NoError(t, err)
		assert.Equal(t, []string{"B"}, mended.Rows[0].Mended, name)
		assert.Equal(t, []string{"S2007", "7"}, mended.Rows[0].Cells, name)
	}
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM items"), "nothing is stored by looking")
}

// Two rows of one key are shown side by side.
func TestDoublesSideBySide(t *testing.T) {
	d := at(t)
	dr := look(t, d, "twice.csv", "warehouse,bin,sku,quantity\nW,A,X,1\nW,A,Y,1\nW,A,Z,1\nW,A,X,2\n", intake.Choices{})
	rows, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 0, 10, "duplicate key", "sku")
	require.NoError(t, err)
	require.Equal(t, 2, rows.Total)
	assert.Equal(t, []int{2, 5}, []int{rows.Rows[0].Row, rows.Rows[1].Row})
	assert.Equal(t, []bool{false, true}, []bool{rows.Rows[0].Bad, rows.Rows[1].Bad})
}

// A formula is tried on real rows while it is typed.
func TestTryFormula(t *testing.T) {
	d := at(t)
	dr := look(t, d, "boxes.csv", "SKU;Boxes;Singles\nX;3;1,5\nY;;x\n", intake.Choices{})
	out, err := d.Intake.TryFormula(ctx, nell, dr.ID, 0, "'Boxes' * 12 + 'Singles'")
	require.NoError(t, err)
	assert.Equal(t, []recognise.Tried{{Row: 2, Result: "37.5"}, {Row: 3, Wrong: `at character 14: "x" is not a number`}}, out.Rows)
	out, err = d.Intake.TryFormula(ctx, nell, dr.ID, 0, "'Boxes' * 'Crates'")
	require.NoError(t, err)
	assert.Equal(t, intake.FormulaTried{Wrong: `the file has no column "Crates"`, At: 10, Rows: []recognise.Tried{}}, out)
}

// What is cancelled leaves nothing behind, neither of the looking nor of the taking in.
func TestCancel(t *testing.T) {
	d := at(t)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	var b strings.Builder
	b.WriteString("warehouse,bin,sku,quantity\n")
	for i := range 120_000 {
		fmt.Fprintf(&b, "W,A-%d,S%d,1\n", i/5, i)
	}
	_, err := d.Intake.Upload(gone, nell, "x.csv", strings.NewReader(b.String()), intake.Choices{})
	require.ErrorIs(t, err, context.Canceled)
	dr := look(t, d, "x.csv", b.String(), intake.Choices{})
	events, end := d.Events.Listen()
	defer end()
	done := make(chan error)
	go func() {
		_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "cancelled-key", 0)
		done <- err
	}()
	for e := range events {
		if e.What == "progress" && strings.HasPrefix(e.Text, "Taking in") {
			require.NoError(t, d.Intake.Cancel(ctx, nell, dr.ID))
			break
		}
	}
	require.ErrorContains(t, <-done, "cancelled")
	for _, table := range []string{"stock_lines", "bins", "items", "warehouses", "intakes", "stock_sets"} {
		assert.Zero(t, tally(t, d, "SELECT count(*) FROM "+table), table)
	}
	out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "second-key", 0)
	require.NoError(t, err)
	assert.Equal(t, 120_000, out.Added, "the draft is still there to be taken in")
}

// Attributes of lines and items narrow a scope, stand on sheets, and go out with the adjustments.
func TestAttributesGoAllTheWay(t *testing.T) {
	d := at(t)
	dr := look(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,quantity,unit cost,as at,Shelf label,Colour\nW,A,ROPE,10,2,2026-11-20T06:00:00Z,blue 1,white\nW,B,SHK,5,1,2026-11-20T06:00:00Z,blue 2,\nW,C,NUT,7,1,2026-11-20T06:00:00Z,\"red, \"\"3\"\"\",white\n",
		intake.Choices{},
	)
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Set: &layout.Layout{
				Columns: []layout.Choice{
					{Column: "G", Header: "Shelf label", Field: "line.Shelf label"},
					{Column: "H", Header: "Colour", Field: "item.Colour"},
				},
			},
		},
	)
	takeDraft(t, d, dr)
	whole, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50, Empty: 1})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]plan.KeptTally{
			{Attribute: "item.Colour", Values: []plan.ZoneTally{{Zone: "white", Lines: 2}}},
			{
				Attribute: "line.Shelf label",
				Values:    []plan.ZoneTally{{Zone: "blue 1", Lines: 1}, {Zone: "blue 2", Lines: 1}, {Zone: "red, \"3\"", Lines: 1}},
			},
		},
		whole.Kept,
	)
	scope := count.Scope{Warehouse: 1, Kept: []count.KeptRule{{Attribute: "item.Colour", Values: []string{"white"}}}}
	some, err := d.Plan.Tally(ctx, nell, scope, plan.Cut{Rows: 50, Empty: 1})
	require.NoError(t, err)
	assert.Equal(t, 2, some.Lines)
	c, err := d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "White", Scope: scope, Cut: plan.Cut{Rows: 50}, Columns: []string{"line.Shelf label", "item.Colour"}},
	)
	require.NoError(t, err)
	_, sheet, err := d.Counting.WriteSheet(ctx, nell, c.ID, 1, counting.AsText)
	require.NoError(t, err)
	assert.Contains(t, string(sheet), "Unit,Shelf label,Colour,Recorded,Counted")
	assert.Contains(t, string(sheet), `,"red, ""3""",white,7,,`)
	back := look(
		t,
		d,
		"back.csv",
		strings.Replace(string(sheet), `white,7,,`, `white,7,6,2026-11-20T09:00:00Z`, 1),
		intake.Choices{CountedAt: "2026-11-20 09:00"},
	)
	takeDraft(t, d, back)
	page, err := d.Variances.Variances(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	require.Len(t, page.Lines, 1)
	_, err = d.Variances.Decide(ctx, nell, c.ID, []int64{page.Lines[0].Pos}, store.Accept, "")
	require.NoError(t, err)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, c.ID, "difference")
	require.NoError(t, err)
	assert.Equal(
		t,
		"warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason,Shelf label,Colour\nW,C,NUT,,,,,,-1,1,-1.00,short,\"red, \"\"3\"\"\",white\n",
		v.Text,
	)
}

// A file that breaks off is shown as far as it goes, and says where it does.
func TestRowsOfABrokenFile(t *testing.T) {
	d := at(t)
	dr := look(t, d, "broken.csv", "warehouse,bin,sku,quantity\nW,A,X,1\nW,B,\"Y,1\n", intake.Choices{})
	assert.Contains(t, dr.Blocked, "cannot be read")
	page, err := d.Intake.Rows(ctx, nell, dr.ID, 0, 0, 10, "", "")
	require.NoError(t, err)
	assert.Len(t, page.Rows, 2)
	whole, err := os.ReadFile("../../../demo/files/kiosk handover.xlsx")
	require.NoError(t, err)
	broken, err := d.Intake.Upload(
		ctx,
		nell,
		"broken.xlsx",
		bytes.NewReader(append(append([]byte{}, whole[:3000]...), whole[3100:]...)),
		intake.Choices{Zone: "UTC"},
	)
	require.NoError(t, err)
	for i := range broken.Sheets {
		_, err = d.Intake.Rows(ctx, nell, broken.ID, i, 0, 10, "", "")
		require.NoError(t, err)
	}
}
