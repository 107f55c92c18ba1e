package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// What is typed or written on a sheet as a sum or in packs comes to the same count, by the packs of its item; what is no sum is refused.
func TestSumsAndPacks(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,unit,pack unit,pack size\nSHK,Shackle,ea,bx,25\nROPE,Rope,m,,\n")
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,SHK,80,2026-11-20T06:00:00Z\nW,A-2,ROPE,7,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Packs", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 10}})
	require.NoError(t, err)
	lines, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	of := map[string]string{}
	for _, l := range lines.Lines {
		of[l.SKU] = l.RowCode
	}
	typed := func(sku, text string) (string, error) {
		_, err := d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: of[sku], Text: text}})
		if err != nil {
			return "", err
		}
		lines, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
		require.NoError(t, err)
		for _, l := range lines.Lines {
			if l.SKU == sku {
				return l.Counted.String(), nil
			}
		}
		return "", nil
	}
	for text, want := range map[string]string{"3bx+5": "80", "3 BX": "75", "12*2+7": "31", "80": "80", "1,5": "1.5", "12ea": "12"} {
		is, err := typed("SHK", text)
		require.NoError(t, err, text)
		assert.Equal(t, want, is, text)
	}
	for text, says := range map[string]string{"2ctn": "neither the item's unit nor one of its packs. It is counted in ea, and has bx of 25.",
		"1,500": "Write one of these", "5/0": "divides by nothing", "1/3": "no number of at most six decimal places", "7-9": "below zero", "1+": "missing"} {
		_, err := typed("SHK", text)
		assert.ErrorContains(t, err, says, text)
	}
	_, err = typed("ROPE", "2bx")
	assert.ErrorContains(t, err, "It is counted in m and has no packs")
	q := quantity.Quantity(5)
	_, err = d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: of["SHK"], Text: "5", Quantity: &q}})
	assert.ErrorContains(t, err, "not both")

	// On a sheet that comes back they are read the same way, pack by pack.
	dr := look(
		t,
		d,
		"back.csv",
		"Row code,Bin,SKU,Counted,Counted at\n"+of["SHK"]+",A-1,SHK,2bx+9,2026-11-21 12:00\n"+of["ROPE"]+",A-2,ROPE,2*3.5,2026-11-21 12:00\n",
		intake.Choices{},
	)
	require.Empty(t, dr.Problems)
	require.Empty(t, dr.Blocked)
	takeDraft(t, d, dr)
	lines, err = d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	assert.Equal(t, []string{"59", "7"}, []string{lines.Lines[0].Counted.String(), lines.Lines[1].Counted.String()})
	dr = look(t, d, "bad.csv", "Row code,Bin,SKU,Counted,Counted at\n"+of["ROPE"]+",A-2,ROPE,2bx,2026-11-21 12:00\n", intake.Choices{})
	require.Len(t, dr.Problems, 1)

	// A unit that was changed on a sheet is turned where it is a pack of the item, and refused where it is none.
	dr = look(
		t,
		d,
		"unit.csv",
		"Row code,Bin,SKU,Unit,Counted,Counted at\n"+of["SHK"]+",A-1,SHK,BX,2,2026-11-21 12:00\n"+of["ROPE"]+",A-2,ROPE,m,7,2026-11-21 12:00\n",
		intake.Choices{},
	)
	require.Empty(t, dr.Problems)
	takeDraft(t, d, dr)
	is, err := typed("SHK", "50")
	require.NoError(t, err)
	assert.Equal(t, "50", is)
	lines, err = d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	assert.Equal(t, int64(1), int64(lines.Lines[0].Entries), "50 stood there already")
	dr = look(
		t,
		d,
		"unit.csv",
		"Row code,Bin,SKU,Unit,Counted,Counted at\n"+of["ROPE"]+",A-2,ROPE,BX,2,2026-11-21 12:00\n",
		intake.Choices{},
	)
	require.Len(t, dr.Problems, 1)
	assert.Equal(t, "not a unit of the item", dr.Problems[0].Kind)
}

// What a scanner sent stands for the item, its lot and serial, and says how many, typed as found or written on a sheet.
func TestScannedTexts(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,unit,barcode\nPNT,Paint,ea,9501101530003\nWGT,Weight,kg,4006381333931\n")
	take(t, d, "stock.csv", "warehouse,bin,sku,lot,on hand,as at\nW,A-1,PNT,L1,80,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Scans", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 10}})
	require.NoError(t, err)
	found := func(sku, text string) error {
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			c.ID,
			"",
			"UTC",
			[]counting.Typed{{Found: &counting.Found{Sheet: 1, Bin: "A-1", SKU: sku}, Text: text}},
		)
		return err
	}
	require.NoError(t, found("(01)09501101530003(10)L-77(30)24", ""))
	require.NoError(t, found("]C10109501101530003"+"10L-78\x1d"+"21S-1", "1"))
	require.NoError(t, found("(01)04006381333931(3103)001250", ""))
	for says, text := range map[string]string{"check digit is wrong": "(01)09501101530004", "no item that is known": "(01)00036000291452(30)1",
		"names no item": "(10)L-1", "neither the item's unit": "(01)09501101530003(10)X(3103)001250", "say how many": "(01)09501101530003(10)L-9"} {
		assert.ErrorContains(t, found(text, ""), says, text)
	}
	lines, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	var got []string
	for _, l := range lines.Lines[1:] {
		got = append(got, l.SKU+" "+l.Lot+" "+l.Serial+" "+l.Counted.String())
	}
	assert.Equal(t, []string{"PNT L-77  24", "PNT L-78 S-1 1", "WGT   1.25"}, got)

	row := "Row code,Bin,SKU,Lot,Counted,Counted at\n,A-1,(01)09501101530003(10)L-80,,5,2026-11-21 12:00\n,A-1,https://id.example.org/01/09501101530003/10/L1,,7,2026-11-21 12:00\n"
	dr := look(t, d, "back.csv", row, intake.Choices{Count: c.ID})
	require.Empty(t, dr.Problems)
	require.Empty(t, dr.Blocked)
	assert.Equal(t, 2, dr.Effect.Added)
	dr = look(
		t,
		d,
		"odd.csv",
		"Row code,Bin,SKU,Lot,Counted,Counted at\n,A-1,(01)09501101530003(10)L-80,L-81,5,2026-11-21 12:00\n",
		intake.Choices{Count: c.ID},
	)
	require.Len(t, dr.Problems, 1)
	assert.Contains(t, dr.Problems[0].List[0].Text, "L-81 stands beside it")
}

// What paper says it was counted in is a stretch of time: what moved within it is marked, and not let pass.
func TestCountedFromTo(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	limit := quantity.Quantity(5 * quantity.Scale)
	c, err := d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}, ToleranceQuantity: &limit},
	)
	require.NoError(t, err)
	take(
		t,
		d,
		"moves.csv",
		"warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,1,2026-11-20T09:00:00Z,m1\nW,A-1-2,SHK,1,2026-11-20T07:30:00Z,m2\n",
	)
	rope, shk := lineOf(t, d, c.ID, "ROPE", "A-1-1"), lineOf(t, d, c.ID, "SHK", "A-1-2")
	typed := func(row, text, since, at string) error {
		_, err := d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: row, Text: text, Since: since, CountedAt: at}})
		return err
	}
	require.ErrorContains(t, typed(rope.RowCode, "10", "2026-11-20 11:00", "2026-11-20 10:00"), "lies behind counted to")
	require.ErrorContains(t, typed(rope.RowCode, "10", "2026-11-20 08:00", ""), "up to when")
	require.NoError(t, typed(rope.RowCode, "10", "2026-11-20 08:00", "2026-11-20 10:00"))
	require.NoError(t, typed(shk.RowCode, "40", "2026-11-20 08:00", "2026-11-20 10:00"))
	rope, shk = lineOf(t, d, c.ID, "ROPE", "A-1-1"), lineOf(t, d, c.ID, "SHK", "A-1-2")
	assert.Equal(t, []any{true, "short"}, []any{rope.Meanwhile, rope.Status})
	assert.Equal(t, []any{false, "tolerated"}, []any{shk.Meanwhile, shk.Status})
	require.NoError(t, typed(rope.RowCode, "10", "2026-11-20 09:30", "2026-11-20 10:00"), "the time alone is corrected")
	rope = lineOf(t, d, c.ID, "ROPE", "A-1-1")
	assert.Equal(t, []any{false, "tolerated"}, []any{rope.Meanwhile, rope.Status})
	// The head of a returned sheet says the same.
	_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, 2, counting.AsText)
	require.NoError(t, err)
	file := strings.Replace(
		strings.Replace(string(text), "Counted from,", "Counted from,2026-11-20T08:30:00Z", 1),
		"Counted to,",
		"Counted to,2026-11-20T10:00:00Z",
		1,
	)
	file = strings.Replace(file, ",m,10,,", ",m,10,10,", 1)
	dr := look(t, d, "sheet.csv", file, intake.Choices{})
	require.Equal(t, 1, dr.Effect.Changed, dr.Problems)
	takeDraft(t, d, dr)
	rope = lineOf(t, d, c.ID, "ROPE", "A-1-1")
	assert.Equal(t, []any{true, "short"}, []any{rope.Meanwhile, rope.Status})
	_, err = d.Safety.Verify(ctx, nell)
	require.NoError(t, err)
}

// A row is found by whatever names it; a barcode that lands where a count belongs is told apart from one.
func TestFindRow(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	take(t, d, "barcodes.csv", "SKU,Barcode,Further SKU\nSHK,4006381333931,S-9\n")
	find := func(sheet int, text string) string {
		t.Helper()
		r, err := d.Counting.FindRow(ctx, nell, id, sheet, text)
		require.NoError(t, err)
		if r.Pos == 0 {
			return ""
		}
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			if l.Pos == r.Pos {
				return fmt.Sprintf("%s %s on %d", l.Bin, l.SKU, r.Sheet)
			}
		}
		return "lost"
	}
	shk := lineOf(t, d, id, "SHK", "A-1-2")
	for text, want := range map[string]string{
		shk.RowCode: "A-1-2 SHK on 2", strings.ToLower(shk.RowCode): "A-1-2 SHK on 2",
		"rope": "A-1-1 ROPE on 2", "a-1-2": "A-1-2 SHK on 2", "l1": "B-1-2 PAINT on 1", "S-9": "A-1-2 SHK on 2",
		"4006381333931": "A-1-2 SHK on 2", "010400638133393110L9": "A-1-2 SHK on 2", "nothing": "",
	} {
		assert.Equal(t, want, find(2, text), text)
	}
	assert.Equal(t, "B-1-1 SHK on 1", find(1, "SHK"), "the sheet in hand first")
	assert.Equal(t, "A-1-1 ROPE on 2", find(1, "ROPE"), "then any other")
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: shk.RowCode, Text: "4006381333931"}})
	var refused *desk.Refusal
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, []any{desk.Asks, "scanned"}, []any{refused.Kind, refused.Field})
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: shk.RowCode, Text: "12345670", Sure: true}})
	require.NoError(t, err)
}
