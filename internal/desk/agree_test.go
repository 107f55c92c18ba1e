package desk

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
)

// The desk, which keeps lines, entries and movements in the records and works each line out as they come, agrees with
// the computation on files alone, in whatever order counts and movements arrive.
func TestDeskAgreesWithCore(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		key := func(label string) string {
			sku := rapid.SampledFrom([]string{"ROPE", "SHK", "PAINT"}).Draw(rt, label)
			lot := ""
			if sku == "PAINT" {
				lot = rapid.SampledFrom([]string{"L1", "L2"}).Draw(rt, label+" lot")
			}
			return fmt.Sprintf("W,%s,%s,%s", rapid.SampledFrom([]string{"A-1", "A-2", "A-10"}).Draw(rt, label+" bin"), sku, lot)
		}
		when := func(label string, from, to int) string {
			return fmt.Sprintf("2026-11-20T%02d:30:00Z", rapid.IntRange(from, to).Draw(rt, label))
		}
		stock, counts, moves := "warehouse,bin,sku,lot,quantity,unit_cost,recorded_at\n", "warehouse,bin,sku,lot,counted,counted_at\n", "warehouse,bin,sku,lot,quantity,at,reference\n"
		// Every bin and item is in the records, so that whatever comes later is known.
		// An item costs the same everywhere, since the records know its own cost besides, and files do not.
		cost := map[string]int{"ROPE": 2, "SHK": 3, "PAINT": 4}
		for _, k := range []string{"W,A-1,ROPE,", "W,A-2,SHK,", "W,A-10,PAINT,L1"} {
			stock += fmt.Sprintf("%s,%d,%d,2026-11-20T06:00:00Z\n", k, rapid.IntRange(0, 20).Draw(rt, "recorded"), cost[strings.Split(k, ",")[2]])
		}
		have := map[string]bool{"W,A-1,ROPE,": true, "W,A-2,SHK,": true, "W,A-10,PAINT,L1": true}
		for range rapid.IntRange(0, 4).Draw(rt, "more lines") {
			if k := key("line"); !have[k] {
				have[k] = true
				stock += fmt.Sprintf("%s,%d,%d,2026-11-20T06:00:00Z\n", k, rapid.IntRange(0, 20).Draw(rt, "recorded"), cost[strings.Split(k, ",")[2]])
			}
		}
		for range rapid.IntRange(1, 8).Draw(rt, "counts") {
			counts += fmt.Sprintf("%s,%d,%s\n", key("count"), rapid.IntRange(0, 20).Draw(rt, "counted"), when("counted at", 8, 12))
		}
		n := rapid.IntRange(0, 6).Draw(rt, "movements")
		for i := range n {
			k, from := key("movement"), 4
			if !have[k] { // movements from before the freeze say nothing about stock that nobody had recorded
				from = 7
			}
			moves += fmt.Sprintf("%s,%d,%s,M%d\n", k, rapid.IntRange(-9, 9).Draw(rt, "moved"), when("moved at", from, 14), i)
		}

		open := func(name, text string) *tabular.File {
			f, err := tabular.Open(name, strings.NewReader(text), int64(len(text)), tabular.Options{})
			require.NoError(rt, err)
			return f
		}
		in := reconcile.Input{Stock: open("stock.csv", stock), Counts: []*tabular.File{open("counts.csv", counts)}}
		if n > 0 {
			in.Movements = open("moves.csv", moves)
		}
		core, problems, err := reconcile.Run(ctx, in, reconcile.Options{Mode: "difference", Uncounted: "leave"})
		require.NoError(rt, err)
		require.Zero(rt, problems.Len(), "%v", problems.List)
		var out bytes.Buffer
		require.NoError(rt, core.WriteVariances(&out))
		rows, err := csv.NewReader(&out).ReadAll()
		require.NoError(rt, err)
		want := map[string]string{}
		for _, r := range rows[1:] {
			c := map[string]string{}
			for i, h := range rows[0] {
				c[h] = r[i]
			}
			if c["recorded"] == "0" && c["counted"] == "" && c["status"] == "uncounted" && !have[strings.Join(r[:4], ",")] {
				continue // a key that only movements know; nobody was sent to count it
			}
			want[strings.Join(r[1:4], " ")] = fmt.Sprint(c["moved"], " ", c["expected"], " ", c["counted"], " ", c["variance"], " ", c["value"], " ", c["status"], " ", c["moved_while_counting"])
		}

		d := at(t)
		take := func(name, text string, c Choices) {
			c.Zone = "UTC"
			dr, err := d.Upload(ctx, nell, name, strings.NewReader(text), c)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems)
			require.Empty(rt, dr.Blocked)
			_, err = d.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
		}
		take("stock.csv", stock, Choices{})
		c, err := d.Freeze(ctx, nell, NewCount{Name: "Count", Scope: Scope{Warehouse: 1}, Rows: 50})
		require.NoError(rt, err)
		first := rapid.Bool().Draw(rt, "movements first")
		for _, movements := range []bool{first, !first} {
			if !movements {
				take("counts.csv", counts, Choices{Count: c.ID})
			} else if n > 0 {
				take("moves.csv", moves, Choices{})
			}
		}
		page, err := d.CountLines(ctx, nell, c.ID, Filter{Limit: 100})
		require.NoError(rt, err)
		got := map[string]string{}
		for _, l := range page.Lines {
			counted, variance, value, while := "", "", "", ""
			if l.Counted != nil {
				counted = l.Counted.String()
			}
			if l.Variance != nil {
				variance = l.Variance.String()
			}
			if l.Value != nil {
				value = l.Value.String()
			}
			if l.Meanwhile {
				while = "yes"
			}
			got[l.Bin+" "+l.SKU+" "+l.Lot] = fmt.Sprint(l.Moved.String(), " ", l.Expected.String(), " ", counted, " ", variance, " ", value, " ", l.Status, " ", while)
		}
		require.Equal(rt, want, got, "stock:\n%s\ncounts:\n%s\nmovements:\n%s", stock, counts, moves)
	})
}
