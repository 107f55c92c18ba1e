package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/scope"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

const identityStock = "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,10,2026-11-20T06:00:00Z\nW,A-2,SHK,10,2026-11-20T06:00:00Z\n"

func movedBy(t *testing.T, d *house.House) (out string) {
	t.Helper()
	var rows []struct {
		Sku         string
		Quantity, N int64
	}
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT i.sku, m.quantity / 1000000 AS quantity, count(*) AS n FROM movements m JOIN items i ON i.id = m.item_id GROUP BY 1, 2 ORDER BY 1, 2").Scan(&rows).Error)
	for _, r := range rows {
		out += fmt.Sprintf("%s %d×%d ", r.Sku, r.Quantity, r.N)
	}
	return strings.TrimSpace(out)
}

// A movement is known by what it says: it stands as long as a file that says it stands, as often as the file that says it most often.
func TestMovementsStandAsOftenAsAFileSaysThem(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", identityStock)
	id := frozenAlone(t, d, 1)
	takeCounts(t, d, id, "W,A-1,ROPE,,5,2026-11-20T12:00:00Z\n")
	const head = "warehouse,bin,sku,quantity,at\n"
	const one, same, other = "W,A-1,ROPE,-1,2026-11-20T08:00:00Z\n", "W,A-1,ROPE,-1,2026-11-20T08:00:00Z\n", "W,A-2,SHK,2,2026-11-20T09:00:00Z\n"
	first := take(t, d, "first.csv", head+one+same)
	require.Equal(t, "ROPE -1×2", movedBy(t, d), "twice in one file is twice")
	assert.Equal(t, "8", lineOf(t, d, id, "ROPE", "A-1").Expected.String())

	// The very same file again says nothing new, and is known.
	dr := look(t, d, "copy of first.csv", head+one+same, intake.Choices{})
	assert.Equal(t, []int{0, 2}, []int{dr.Effect.Added, dr.Effect.Unchanged})
	assert.Contains(t, strings.Join(dr.Sheets[0].Assumed, "\n"), fmt.Sprintf("The very same file was taken in already, as intake %d by Nell", first.Intake))

	// One that overlaps adds what it says more often; the other stays when one is undone.
	second := take(t, d, "second.csv", head+one+other)
	require.Equal(t, "ROPE -1×2 SHK 2×1", movedBy(t, d))
	third := take(t, d, "third.csv", head+one+same+one)
	require.Equal(t, "ROPE -1×3 SHK 2×1", movedBy(t, d), "three times in the file that says it most often")
	assert.Equal(t, "7", lineOf(t, d, id, "ROPE", "A-1").Expected.String())
	intakes, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	for _, x := range intakes {
		if x.ID == second.Intake {
			assert.Equal(t, "takes 1 movement away; 1 movement that another file says stays", x.Undoing)
		}
	}
	require.NoError(t, d.Intake.Undo(ctx, nell, first.Intake, true))
	require.Equal(t, "ROPE -1×3 SHK 2×1", movedBy(t, d), "the third file says all of them")
	require.NoError(t, d.Intake.Undo(ctx, nell, third.Intake, true))
	require.Equal(t, "ROPE -1×1 SHK 2×1", movedBy(t, d))
	assert.Equal(t, "9", lineOf(t, d, id, "ROPE", "A-1").Expected.String())
	require.NoError(t, d.Intake.Undo(ctx, nell, second.Intake, true))
	require.Equal(t, "", movedBy(t, d))
	assert.Equal(t, "10", lineOf(t, d, id, "ROPE", "A-1").Expected.String())
}

// Where nothing but a date tells equal movements of two files apart, it is asked whether they are the same; with a reference they are.
func TestEqualMovementsOfADay(t *testing.T) {
	for says, want := range map[string]string{"same": "ROPE -1×1 SHK -2×1 SHK 3×1", "further": "ROPE -1×2 SHK -2×1 SHK 3×1"} {
		t.Run(says, func(t *testing.T) {
			d := at(t)
			take(t, d, "stock.csv", identityStock)
			read := func(name, rows string) *intake.Draft {
				dr := look(t, d, name, "warehouse,bin,sku,quantity,date,reference\n"+rows, intake.Choices{})
				return answer(t, d, dr, 0, "time of day", 1)
			}
			takeDraft(t, d, read("morning.csv", "W,A-1,ROPE,-1,2026-11-20,\nW,A-2,SHK,-2,2026-11-20,D1\n"))
			dr := read("evening.csv", "W,A-1,ROPE,-1,2026-11-20,\nW,A-2,SHK,-2,2026-11-20,D1\nW,A-2,SHK,3,2026-11-20,\n")
			require.Len(t, dr.Sheets[0].Checks, 1)
			c := dr.Sheets[0].Checks[0]
			assert.Contains(t, c.Text, "1 movement of it equals one of another file")
			assert.Equal(t, 2, c.Rows[0].Row)
			require.NotEmpty(t, dr.Blocked)
			dr = settle(t, d, dr, intake.Answer{Check: c.What, Value: says})
			takeDraft(t, d, dr)
			assert.Equal(t, want, movedBy(t, d))
		})
	}
}

// A movement of before the freeze that is told after it changes nothing, and says so with its line.
func TestMovementsThatCameLate(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", identityStock)
	id := frozenAlone(t, d, 1)
	d.Now = func() time.Time { return testClock().Add(time.Hour) }
	text := "warehouse,bin,sku,quantity,at\nW,A-1,ROPE,-1,2026-11-20T05:00:00Z\nW,A-2,SHK,-2,2026-11-20T08:00:00Z\n"
	dr := look(t, d, "late.csv", text, intake.Choices{})
	assumed := strings.Join(dr.Sheets[0].Assumed, "\n")
	assert.Contains(t, assumed, `1 movement happened before the freeze of "Alone" (2026-11-20 06:00 UTC) and changes nothing in it`)
	assert.Contains(t, assumed, "A-1 · ROPE: -1 at 2026-11-20 05:00 UTC")
	assert.NotContains(t, assumed, "SHK")
	takeDraft(t, d, dr)
	l := lineOf(t, d, id, "ROPE", "A-1")
	assert.Equal(t, "10", l.Expected.String())
	h, err := d.Variances.History(ctx, nell, id, l.Pos)
	require.NoError(t, err)
	assert.Equal(t, []string{"late", "-1"}, []string{h.Events[1].What, h.Events[1].Quantity.String()})
}

// Stock that a running count was frozen from is kept when its intake is undone: what is counted beside the scope is held against it. Its
// number is never given to another stock.
func TestUndoneStockStaysWithItsCount(t *testing.T) {
	d := at(t)
	take(t, d, "before.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,1,2026-11-19T06:00:00Z\n")
	stock := take(t, d, "stock.csv", identityStock)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Ropes", Cut: plan.Cut{Rows: 50},
		Scope: count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.SKU, Values: []string{"ROPE"}}}}})
	require.NoError(t, err)
	id := c.ID
	set := tally(t, d, "SELECT set_id FROM counts")
	require.NoError(t, d.Intake.Undo(ctx, nell, stock.Intake, true))
	take(t, d, "other.csv", "warehouse,bin,sku,on hand,as at\nV,C-1,ROPE,99,2026-11-20T07:00:00Z\n")
	assert.Equal(t, 1, tally(t, d, fmt.Sprintf("SELECT count(*) FROM stock_sets WHERE id = %d", set)), "it is kept")
	assert.Greater(t, tally(t, d, "SELECT max(set_id) FROM warehouses WHERE code = 'V'"), set, "and its number is its own")
	takeCounts(t, d, id, "W,A-2,SHK,,10,2026-11-20T09:00:00Z\n")
	l := lineOf(t, d, id, "SHK", "A-2")
	assert.Equal(t, []string{"10", "0", "match"}, []string{l.Recorded.String(), l.Variance.String(), l.Status})
}
