package house_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// timed tells when a line was counted, since when, what was expected and how far it is off.
func timed(t *testing.T, d *house.House, id int64, sku string) string {
	t.Helper()
	l := lineOf(t, d, id, sku, "A-1")
	at, counted, variance := "-", "-", "-"
	if l.CountedAt != nil {
		at = l.CountedAt.Format("15:04:05.999")
	}
	if l.Counted != nil {
		counted = l.Counted.String()
	}
	if l.Variance != nil {
		variance = l.Variance.String()
	}
	var since int64
	require.NoError(t, d.Store.Read(ctx).Raw(`SELECT coalesce(max(since), 0) FROM entries e WHERE count_id = ? AND pos = ? AND withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.replaces = e.id)`, id, l.Pos).Scan(&since).Error)
	if since != 0 {
		at = time.Unix(0, since).UTC().Format("15:04") + "-" + at
	}
	return fmt.Sprintf("%s expected %s counted %s off %s", at, l.Expected, counted, variance)
}

// When something was counted is kept, corrected and put back with what was counted: a movement lies between both moments, so that
// another time is another variance.
func TestCountingTimes(t *testing.T) {
	const stock = "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,10,2026-11-20T06:00:00Z\nW,A-1,SHK,10,2026-11-20T06:00:00Z\n"
	const moves = "warehouse,bin,sku,quantity,at,reference\nW,A-1,ROPE,-2,2026-11-20T08:00:00Z,m1\nW,A-1,SHK,-2,2026-11-20T08:00:00Z,m2\n"
	begin := func(t *testing.T) (*house.House, int64, func(quantity int, at, since string, more func(*counting.Typed)) error) {
		d := at(t)
		d.Now = func() time.Time { return time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC) }
		take(t, d, "stock.csv", stock)
		take(t, d, "moves.csv", moves)
		id := frozenAlone(t, d, 1)
		typed := func(n int, at, since string, more func(*counting.Typed)) error {
			x := counting.Typed{RowCode: lineOf(t, d, id, "ROPE", "A-1").RowCode, Quantity: whole(n), CountedAt: at, Since: since}
			if more != nil {
				more(&x)
			}
			_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{x})
			return err
		}
		return d, id, typed
	}
	for name, c := range map[string]struct {
		do   func(t *testing.T, d *house.House, id int64, typed func(int, string, string, func(*counting.Typed)) error)
		want string
	}{
		"as it is typed": {func(t *testing.T, d *house.House, _ int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "", "", nil))
		}, "09:00:00 expected 8 counted 9 off 1"},
		"a correction keeps the moment": {func(t *testing.T, d *house.House, _ int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 07:00", "", nil))
			require.NoError(t, typed(10, "", "", nil))
		}, "07:00:00 expected 10 counted 10 off 0"},
		"and both moments of paper": {func(t *testing.T, d *house.House, _ int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 07:30", "2026-11-20 07:00", nil))
			require.NoError(t, typed(10, "", "", nil))
		}, "07:00-07:30:00 expected 10 counted 10 off 0"},
		"a correction may bring another": {func(t *testing.T, d *house.House, _ int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 07:00", "", nil))
			require.NoError(t, typed(9, "2026-11-20 08:30", "", nil))
		}, "08:30:00 expected 8 counted 9 off 1"},
		"the same quantity at another moment is a change": {func(t *testing.T, d *house.House, _ int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 08:30", "", nil))
			require.NoError(t, typed(9, "2026-11-20 07:00", "", nil))
		}, "07:00:00 expected 10 counted 9 off -1"},
		"what is withdrawn is reckoned as at the latest count of the run": {func(t *testing.T, d *house.House, id int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 07:00", "", nil))
			other := counting.Typed{RowCode: lineOf(t, d, id, "SHK", "A-1").RowCode, Quantity: whole(8), CountedAt: "2026-11-20 08:30"}
			_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{other})
			require.NoError(t, err)
			require.NoError(t, typed(0, "", "", func(x *counting.Typed) { x.Quantity, x.Withdraw = nil, true }))
		}, "- expected 8 counted - off -"},
		"nothing is left of the moment of what is withdrawn": {func(t *testing.T, d *house.House, id int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 08:30", "", nil))
			require.NoError(t, typed(0, "", "", func(x *counting.Typed) { x.Quantity, x.Withdraw = nil, true }))
		}, "- expected 10 counted - off -"},
		"a file that is undone leaves what stood before, with its moment": {func(t *testing.T, d *house.House, id int64, typed func(int, string, string, func(*counting.Typed)) error) {
			require.NoError(t, typed(9, "2026-11-20 07:00", "", nil))
			code := lineOf(t, d, id, "ROPE", "A-1").RowCode
			dr := look(t, d, "sheet.csv", "row code,bin,sku,counted,counted at\n"+code+",A-1,ROPE,7,2026-11-20T08:30:00Z\n", intake.Choices{Count: id})
			out := takeDraft(t, d, dr)
			require.Equal(t, "08:30:00 expected 8 counted 7 off -1", timed(t, d, id, "ROPE"))
			require.NoError(t, d.Counting.UndoReturn(ctx, nell, id, out.Return))
		}, "07:00:00 expected 10 counted 9 off -1"},
		"and the count has the latest moment of before": {func(t *testing.T, d *house.House, id int64, _ func(int, string, string, func(*counting.Typed)) error) {
			dr := look(t, d, "sheet.csv", "bin,sku,counted,counted at\nA-1,SHK,7,2026-11-20T08:30:00Z\n", intake.Choices{Count: id})
			out := takeDraft(t, d, dr)
			require.Equal(t, "- expected 8 counted - off -", timed(t, d, id, "ROPE"))
			require.NoError(t, d.Counting.UndoReturn(ctx, nell, id, out.Return))
		}, "- expected 10 counted - off -"},
		"from and to of a sheet's head": {func(t *testing.T, d *house.House, id int64, _ func(int, string, string, func(*counting.Typed)) error) {
			text := "Counted from,2026-11-20T07:00:00Z\nCounted to,2026-11-20T08:30:00Z\n\nbin,sku,counted\nA-1,ROPE,9\n"
			takeDraft(t, d, look(t, d, "sheet.csv", text, intake.Choices{Count: id}))
		}, "07:00-08:30:00 expected 8 counted 9 off 1"},
		"what waited in the tray was counted when it was counted": {func(t *testing.T, d *house.House, id int64, _ func(int, string, string, func(*counting.Typed)) error) {
			text := "Counted from,2026-11-20T07:00:00Z\nCounted to,2026-11-20T07:30:00Z\nCounted by,Ada\n\nbin,sku,counted\nA-1,ROEP,9\nA-1,SHK,10\n"
			dr := look(t, d, "sheet.csv", text, intake.Choices{Count: id})
			_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 1)
			require.NoError(t, err)
			x := waits(t, d, id).Doubts[0]
			_, err = d.Counting.EnterDoubt(ctx, nell, id, x.ID, "UTC", counting.Typed{RowCode: lineOf(t, d, id, "ROPE", "A-1").RowCode, Text: "9"})
			require.NoError(t, err)
		}, "07:00-07:30:00 expected 10 counted 9 off -1"},
		"to the part of a second": {func(t *testing.T, d *house.House, id int64, typed func(int, string, string, func(*counting.Typed)) error) {
			take(t, d, "more.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1,ROPE,-1,2026-11-20T08:30:00.5Z,m3\n")
			require.NoError(t, typed(9, "2026-11-20T08:30:00.25Z", "", nil))
		}, "08:30:00.25 expected 8 counted 9 off 1"},
	} {
		t.Run(name, func(t *testing.T) {
			d, id, typed := begin(t)
			c.do(t, d, id, typed)
			assert.Equal(t, c.want, timed(t, d, id, "ROPE"))
		})
	}
}

// A count that goes out as counted says a moment by which a record system parts the movements as they were reckoned: whole seconds
// where nothing moved within them, else to the part of a second.
func TestCountedAtGoesOutAsItWasReckoned(t *testing.T) {
	for at, want := range map[string]string{
		"2026-11-20T08:30:00.25Z": "2026-11-20T08:30:00Z", "2026-11-20T08:30:00.75Z": "2026-11-20T08:30:00.75Z",
	} {
		t.Run(at, func(t *testing.T) {
			d := atNine(t)
			take(t, d, "stock.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,10,2026-11-20T06:00:00Z\n")
			take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1,ROPE,-1,2026-11-20T08:30:00.5Z,m3\n")
			id := frozenAlone(t, d, 1)
			n := quantity.Quantity(7 * quantity.Scale)
			_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: lineOf(t, d, id, "ROPE", "A-1").RowCode, Quantity: &n, CountedAt: at}})
			require.NoError(t, err)
			acceptAll(t, d, id)
			v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "counted")
			require.NoError(t, err)
			assert.Contains(t, v.Text, ",7,"+want+",Nell,")
		})
	}
}

func atNine(t *testing.T) *house.House {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC) }
	return d
}

// A movement that was settled to have been on the other side of the count goes out as such: the counting time lies behind it. Where no
// time says that, the line does not go out as counted.
func TestMovedCutOffInAllForms(t *testing.T) {
	for name, c := range map[string]struct{ moves, want, blocked string }{
		"alone":      {"W,A-1,ROPE,-2,2026-11-20T08:00:00Z,m1\n", ",8,2026-11-20T08:00:00Z,", ""},
		"with later": {"W,A-1,ROPE,-2,2026-11-20T08:00:00Z,m1\nW,A-1,ROPE,-1,2026-11-20T08:10:00Z,m2\n", ",8,2026-11-20T08:00:00Z,", ""},
		"past another": {"W,A-1,ROPE,-1,2026-11-20T07:50:00Z,m2\nW,A-1,ROPE,-2,2026-11-20T08:00:00Z,m1\n", "",
			"the cut-off was moved for it past other movements"},
	} {
		t.Run(name, func(t *testing.T) {
			d := atNine(t)
			take(t, d, "stock.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,11,2026-11-20T06:00:00Z\n")
			take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\n"+c.moves)
			id := frozenAlone(t, d, 1)
			l := lineOf(t, d, id, "ROPE", "A-1")
			n := quantity.Quantity(8 * quantity.Scale)
			_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &n, CountedAt: "2026-11-20 07:40"}})
			require.NoError(t, err)
			var m int64
			require.NoError(t, d.Store.Read(ctx).Raw("SELECT id FROM movements WHERE reference = 'm1'").Scan(&m).Error)
			// What accepting a cut-off does, of a movement that the rule of the cause would not offer by itself.
			_, err = desk.DoAs(ctx, d.Desk, nell, "cut-off", desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
				run, err := w.Running(id)
				require.NoError(t, err)
				at := time.Date(2026, 11, 20, 7, 40, 0, 0, time.UTC).UnixNano()
				require.NoError(t, w.Exec("UPDATE count_moves SET as_at = ? WHERE count_id = ? AND movement_id = ?", at, id, m).Error)
				require.NoError(t, count.WorkOut(w, run, []int64{l.Pos}, false))
				return none, w.Say("cut-off", nil)
			})
			require.NoError(t, err)
			require.Equal(t, "-1", lineOf(t, d, id, "ROPE", "A-1").Variance.String())
			acceptAll(t, d, id)
			for _, mode := range []string{"difference", "balance", "in-out", "counted"} {
				v, err := d.Adjustments.PreviewPosting(ctx, nell, id, mode)
				require.NoError(t, err)
				if mode == "counted" && c.blocked != "" {
					assert.Contains(t, v.Blocked, c.blocked)
					continue
				}
				require.Empty(t, v.Blocked, mode)
				if mode == "counted" {
					assert.Contains(t, v.Text, c.want)
				}
			}
		})
	}
}
