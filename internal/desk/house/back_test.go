package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// Counts of other making are found by what their rows say: by barcode, in any case of letters, on the line that is
// recorded. What spreadsheets did to them is offered before the count is chosen.
func TestCountsOfOtherMaking(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	take(t, d, "barcodes.csv", "SKU,Barcode,Further SKU\nSHK,4006381333931,S-9\nROPE,4006381333924,\n")
	dr := look(
		t,
		d,
		"scanner.csv",
		"bin,barcode,counted,counted at\na-1-1,4006381333924,9,2026-11-20T10:00:00Z\nB-1-1,4.00638E+12,25,2026-11-20T10:01:00Z\n",
		intake.Choices{},
	)
	assert.Contains(t, dr.Blocked, "Choose the count")
	require.Len(t, dr.Problems, 1)
	require.NotEmpty(t, dr.Sheets[0].Values[0].Originals, "told before the count is chosen")
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Count: id})
	require.NoError(t, err)
	assert.Empty(t, dr.Blocked)
	takeDraft(t, d, dr)
	rope := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, "9", rope.Counted.String())
	assert.Equal(t, "-1", rope.Variance.String(), "the recorded line, not one that is found beside it")
	// Another warehouse, bins and items that are not known: each with its field.
	dr = look(
		t,
		d,
		"own.csv",
		"row code,warehouse,bin,sku,counted,counted at\n,W,A-1-2,shk,40,2026-11-20T10:00:00Z\n,Q,A-1-2,SHK,1,2026-11-20T10:00:00Z\n,W,Z,SHK,1,2026-11-20T10:00:00Z\n,W,A-1-2,NOPE,1,2026-11-20T10:00:00Z\n,W,B-1-1,S-9,3,2026-11-20T10:00:00Z\n",
		intake.Choices{Count: id},
	)
	got := map[string]int{}
	for _, g := range dr.Problems {
		got[g.Kind] = g.List[0].Row
	}
	assert.Equal(t, map[string]int{"unknown warehouse": 3, "unknown bin": 4, "unknown sku": 5}, got)
	assert.Equal(t, []int{2, 0, 0, 0, 3, 0}, effect(dr))
}

// A count that names no lot is of the only one in its bin, and says so; of several it is asked which.
func TestCountsWithoutLots(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,lot,holding,quantity,as at\nW,A,FLARE,L1,,5,2026-11-20T06:00:00Z\nW,B,FLARE,L1,,5,2026-11-20T06:00:00Z\nW,B,FLARE,L2,,5,2026-11-20T06:00:00Z\nW,C,FLARE,L1,own,5,2026-11-20T06:00:00Z\nW,C,FLARE,L1,hire,2,2026-11-20T06:00:00Z\n",
	)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	dr := look(
		t,
		d,
		"own.csv",
		"bin,sku,lot,counted,counted at\nA,FLARE,,4,2026-11-20T08:00:00Z\nB,FLARE,,9,2026-11-20T08:00:00Z\nB,FLARE,L2,5,2026-11-20T08:00:00Z\nA,FLARE,L9,1,2026-11-20T08:00:00Z\nC,FLARE,L1,1,2026-11-20T08:00:00Z\n",
		intake.Choices{Count: c.ID},
	)
	assert.Contains(t, strings.Join(dr.Assumed, " "), "1 count names no lot")
	require.Len(t, dr.Problems, 2)
	text := dr.Problems[0].List[0].Text + dr.Problems[1].List[0].Text
	assert.Contains(t, text, "own.csv:6: holding: is empty. FLARE lies in C as L1 hire, L1 own. Say which")
	assert.Contains(t, text, "own.csv:3: lot: is empty. FLARE lies in B as L1, L2. Say which")
	require.Len(t, dr.Back.Hand, 3)
	for i, found := range []bool{false, false, true} { // L9 is recorded nowhere
		assert.Equal(t, found, dr.Back.Hand[i].New, dr.Back.Hand[i].Line)
	}
}

// A large file of other making is looked up in one go: none of its rows asks the database.
func TestManyCountsOfOtherMaking(t *testing.T) {
	d := at(t)
	var stock, back strings.Builder
	stock.WriteString("warehouse,bin,sku,quantity,as at\n")
	back.WriteString("bin,sku,counted,counted at\n")
	const n = 20_000
	for i := range n {
		fmt.Fprintf(&stock, "W,A-%d,S-%d,5,2026-11-20T06:00:00Z\n", i/5, i%1000)
		fmt.Fprintf(&back, "a-%d,s-%d,5,2026-11-20T08:00:00Z\n", i/5, i%1000)
	}
	take(t, d, "stock.csv", stock.String())
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 500}})
	require.NoError(t, err)
	dr := look(t, d, "own.csv", back.String(), intake.Choices{Count: c.ID})
	require.Empty(t, dr.Problems)
	assert.Equal(t, []int{n, 0, 0, 0, 0, 0}, effect(dr))
	for _, h := range dr.Back.Hand {
		require.False(t, h.New, h.Line)
	}
}

// The head of a sheet may be filled in as people write dates, where only one order gives a day.
func TestHeadAsPeopleWrite(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	_, text, err := d.Counting.WriteSheet(ctx, nell, id, 1, counting.AsText)
	require.NoError(t, err)
	filled := func(from string) *intake.Draft {
		s := string(text)
		lines := strings.Split(strings.ReplaceAll(s, "\r\n", "\n"), "\n")
		for i, l := range lines {
			if strings.HasPrefix(l, "Counted from") {
				lines[i] = "Counted from," + from
			}
		}
		s = strings.Join(lines, "\n")
		return look(t, d, "back.csv", s, intake.Choices{})
	}
	assert.Empty(t, filled("20/11/2026 10:00").Problems)
	even := filled("03/04/2026 10:00")
	require.Len(t, even.Problems, 1)
	assert.Contains(t, even.Problems[0].List[0].Text, "may be day first or month first")
}

// A time above the table is taken for that of the figures, and said so.
func TestTimeAbove(t *testing.T) {
	d := at(t)
	dr := look(t, d, "stock.csv", "Stock list\nPrinted:,20/11/2026 06:30\n\nWarehouse,Bin,SKU,On hand\nW,A,X,5\n", intake.Choices{})
	assert.Equal(t, "recorded_at", dr.Asks)
	assert.Contains(t, strings.Join(dr.Assumed, "\n"), "figures are taken to be of 20 November 2026, 06:30")
	takeDraft(t, d, dr)
	assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM stock_sets WHERE recorded_at = 1795156200000000000"))
}

// Where stock is recorded without bins, counts without bins find it.
func TestCountsWithoutBins(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,sku,quantity,as at\nW,ROPE,5,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	dr := look(t, d, "own.csv", "sku,counted,counted at\nrope,4,2026-11-20T08:00:00Z\n", intake.Choices{Count: c.ID})
	require.Empty(t, dr.Problems)
	takeDraft(t, d, dr)
	assert.Equal(t, "-1", lineOf(t, d, c.ID, "ROPE", "").Variance.String())
	dr = look(t, d, "own.csv", "bin,sku,counted,counted at\nZ,ROPE,4,2026-11-20T08:00:00Z\n", intake.Choices{Count: c.ID})
	require.Len(t, dr.Problems, 1)
}
