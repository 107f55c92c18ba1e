package house_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// What stands over several counts is the sum of all that each of them says: lines that are counted again and rounds that differ, too.
func TestTogetherSumsRecountsAndRounds(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,as at\nQUAY,A-1,ROPE,5,2026-11-20T06:00:00Z\nQUAY,A-2,SHK,5,2026-11-20T06:00:00Z\n"+
		"LOFT,B-1,ROPE,7,2026-11-20T06:00:00Z\nLOFT,B-2,SHK,7,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Both", Scope: count.Scope{Warehouse: 1}, Further: []int64{2}, Rounds: 2, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	ids := []int64{c.ID, c.Further[0].ID}
	for n, id := range ids {
		for round := 1; round <= 2; round++ {
			for sku, counted := range map[string]int{"ROPE": 5 + round, "SHK": 5} {
				if sku == "SHK" && round == 2 {
					continue
				}
				q := quantity.Quantity(counted) * quantity.Scale
				page, err := d.Counting.CountLines(ctx, nell, id, filterSheet(round))
				require.NoError(t, err)
				for _, l := range page.Lines {
					if l.SKU == sku {
						_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &q, Counter: []string{"", "Ada", "Bo"}[round]}})
						require.NoError(t, err)
					}
				}
			}
		}
		lines, err := d.Counting.CountLines(ctx, nell, id, filterSheet(0))
		require.NoError(t, err)
		again := []int64{lines.Lines[0].Pos}
		if n == 1 {
			again = append(again, lines.Lines[1].Pos)
		}
		_, err = d.Plan.Recount(ctx, nell, id, plan.Again{Lines: again})
		require.NoError(t, err)
	}
	all, err := d.Report.Together(ctx, nell, ids[0])
	require.NoError(t, err)
	assert.Equal(t, []int{3, 2, 2}, []int{all.All.Recounts, all.All.Once, all.All.Differ})
}

// Who counted is named, or it is said that nobody is named: no sentence has a hole.
func TestCountsOfNobodyNamed(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", identityStock)
	id := frozenAlone(t, d, 1)
	takeCounts(t, d, id, "W,A-1,ROPE,,9,2026-11-20T10:00:00Z\n")
	l := lineOf(t, d, id, "ROPE", "A-1")
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(3)}})
	require.ErrorContains(t, err, "9 by somebody.")
	h, err := d.Variances.History(ctx, nell, id, l.Pos)
	require.NoError(t, err)
	assert.Equal(t, "somebody who is not named, from a file without row codes", h.Events[1].Text)
	dr := look(t, d, "coded.csv", "row code,bin,sku,counted,counted at\n"+l.RowCode+",A-1,ROPE,4,2026-11-20T11:00:00Z\n", intake.Choices{Count: id})
	takeDraft(t, d, settle(t, d, dr, intake.Answer{Check: "again", Value: count.AddUp}))
	saw := int64(0)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(3), Saw: &saw}})
	require.ErrorContains(t, err, "4 stands meanwhile (somebody who is not named, typed by Nell)")
}
