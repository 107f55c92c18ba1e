package house_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/layout"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// modelLine is a recorded line as the model has it: its quantity and its unit cost, "" for none.
type modelLine struct {
	quantity int
	cost     string
}

// model is the recorded stock, by "warehouse|bin|SKU|lot".
type model map[string]modelLine

func houseIn(key string) string { h, _, _ := strings.Cut(key, "|"); return h }

// taken lays a file over the model by the modes of a layout, and counts what becomes of the lines.
func (m model) taken(file model, l layout.Layout, costed bool) (after model, added, changed, unchanged, gone, left int) {
	after = maps.Clone(m)
	houses := map[string]bool{}
	for key, line := range file {
		houses[houseIn(key)] = true
		was, had := m[key]
		if l.Rows == "add" && had || l.Rows == "change" && !had {
			left++
			continue
		}
		is := modelLine{line.quantity, was.cost}
		if had && l.Quantity == "add" {
			is.quantity = was.quantity + line.quantity
		}
		if l.Quantity == "take" {
			is.quantity = was.quantity - line.quantity
		}
		if costed && line.cost != "" {
			is.cost = line.cost
		}
		after[key] = is
		switch {
		case !had:
			added++
		case was == is:
			unchanged++
		default:
			changed++
		}
	}
	if l.Extent != "only" && l.Quantity == "" {
		for key := range m {
			if _, in := file[key]; !in && houses[houseIn(key)] {
				delete(after, key)
				gone++
			}
		}
	}
	return after, added, changed, unchanged, gone, left
}

// text writes a file of recorded stock, its rows in the order of the keys turned round by some places.
func (m model) text(turn int, costed bool) string {
	keys := slices.Sorted(maps.Keys(m))
	keys = append(keys[turn%len(keys):], keys[:turn%len(keys)]...)
	var b strings.Builder
	b.WriteString("warehouse,bin,sku,lot,quantity,as at")
	if costed {
		b.WriteString(",unit cost")
	}
	for _, k := range keys {
		fmt.Fprintf(&b, "\n%s,%d,2026-11-20T06:00:00Z", strings.ReplaceAll(k, "|", ","), m[k].quantity)
		if costed {
			b.WriteString("," + m[k].cost)
		}
	}
	return b.String() + "\n"
}

// stored reads the recorded stock back.
func stored(t require.TestingT, d *house.House) model {
	out := model{}
	rows, err := d.Store.Read(ctx).
		Raw(`SELECT w.code || '|' || b.code || '|' || i.sku || '|' || l.lot, l.quantity, l.cost FROM warehouses w JOIN stock_lines l ON l.set_id = w.set_id JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id`).
		Rows()
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var key string
		var q int64
		var cost *int64
		require.NoError(t, rows.Scan(&key, &q, &cost))
		line := modelLine{quantity: int(q / 1_000_000)}
		if cost != nil {
			line.cost = fmt.Sprint(*cost / 1_000_000)
		}
		_, twice := out[key]
		require.False(t, twice, key)
		out[key] = line
	}
	require.NoError(t, rows.Err())
	return out
}

// tallies that do not say what the lines say.
const untrue = `SELECT (SELECT count(*) FROM (SELECT set_id, bin_id, count(*) n, min(pos) p FROM stock_lines GROUP BY 1, 2) l FULL JOIN set_bins b ON b.set_id = l.set_id AND b.bin_id = l.bin_id WHERE l.n IS NOT b.lines OR l.p IS NOT b.first)
	+ (SELECT count(*) FROM (SELECT set_id, item_id, count(*) n, sum(quantity) q FROM stock_lines GROUP BY 1, 2) l FULL
		JOIN set_items i ON i.set_id = l.set_id AND i.item_id = l.item_id WHERE l.n IS NOT i.lines OR l.q IS NOT i.quantity)
	+ (SELECT count(*) FROM stock_sets s WHERE s.lines <> (SELECT count(*) FROM stock_lines WHERE set_id = s.id))
	+ (SELECT count(*) FROM (SELECT 1 FROM (` + worths + `) v JOIN stock_sets s ON s.id = v.set_id JOIN warehouses w ON w.set_id = s.id
		GROUP BY s.id HAVING s.value IS NOT coalesce(sum(v.value), 0) OR s.unvalued IS NOT sum(v.value IS NULL)))
	+ (SELECT count(*) FROM (SELECT set_id, bin_id, coalesce(sum(value), 0) value FROM (` + worths + `) GROUP BY 1, 2) v
		JOIN warehouses w ON w.set_id = v.set_id JOIN set_bins b ON b.set_id = v.set_id AND b.bin_id = v.bin_id WHERE b.value IS NOT v.value)
	+ (SELECT count(*) FROM (SELECT set_id, item_id, sum(value) value FROM (` + worths + `) GROUP BY 1, 2) v
		JOIN warehouses w ON w.set_id = v.set_id JOIN set_items i ON i.set_id = v.set_id AND i.item_id = v.item_id WHERE i.value IS NOT v.value)`

// worths is what recorded lines are worth, in hundredths: by their own cost, else by their item's.
const worths = `SELECT l.set_id, l.bin_id, l.item_id, (l.quantity * c + CASE WHEN l.quantity < 0 THEN -5000000000 ELSE 5000000000 END) / 10000000000 AS value
	FROM (SELECT l.*, coalesce(l.cost, i.cost) AS c FROM stock_lines l JOIN items i ON i.id = l.item_id) l`

// Whatever files are taken in by whatever modes, and undone again, the records hold what a plain model of them holds;
// the effect that was told before is what happened; tallies foot; and undone to the beginning nothing is left.
func TestIntakesAgainstModel(t *testing.T) {
	var d *house.House // used again where nothing was left in it
	clean := false
	property(t, 40, func(rt *rapid.T) {
		if !clean {
			d = at(t)
		}
		clean = false
		now, history := model{}, []model{}
		var intakes []int64
		for range rapid.IntRange(1, 6).Draw(rt, "steps") {
			if len(intakes) > 0 && rapid.IntRange(0, 3).Draw(rt, "undo") == 0 {
				last := len(intakes) - 1
				require.NoError(rt, d.Intake.Undo(ctx, nell, intakes[last], true))
				now, history, intakes = history[last], history[:last], intakes[:last]
				require.Equal(rt, now, stored(rt, d))
				continue
			}
			file := model{}
			for range rapid.IntRange(1, 12).Draw(rt, "rows") {
				key := fmt.Sprintf(
					"%s|%s|%s|%s",
					rapid.SampledFrom([]string{"W", "V"}).Draw(rt, "warehouse"),
					rapid.SampledFrom([]string{"A-1", "A-2", "A-10", ""}).Draw(rt, "bin"),
					rapid.SampledFrom([]string{"ROPE", "SHK", "PAINT"}).
						Draw(rt, "sku"),
					rapid.SampledFrom([]string{"", "L1", "L2"}).Draw(rt, "lot"),
				)
				file[key] = modelLine{rapid.IntRange(0, 9).Draw(rt, "quantity"), rapid.SampledFrom([]string{"", "2", "3"}).Draw(rt, "cost")}
			}
			l := layout.Layout{
				Extent:   rapid.SampledFrom([]string{"", "only"}).Draw(rt, "extent"),
				Rows:     rapid.SampledFrom([]string{"", "", "add", "change"}).Draw(rt, "rows taken"),
				Quantity: rapid.SampledFrom([]string{"", "", "add", "take"}).Draw(rt, "quantities"),
				Columns:  []layout.Choice{{Column: "B", Header: "bin", Fill: "as is"}}, // some stock lies in no bin
			}
			costed := rapid.Bool().Draw(rt, "costed")
			dr, err := d.Intake.Upload(
				ctx,
				nell,
				"stock.csv",
				strings.NewReader(file.text(rapid.IntRange(0, 11).Draw(rt, "turn"), costed)),
				intake.Choices{Zone: "UTC", Sheets: map[string]intake.SheetChoice{"0": {Layout: l}}},
			)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems)
			after, added, changed, unchanged, gone, left := now.taken(file, l, costed)
			require.Equal(rt, []int{added, changed, unchanged, gone, 0, left}, effect(dr))
			if dr.Blocked != "" {
				continue
			}
			before := stored(rt, d)
			out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
			require.Equal(rt, now, before, "a look stores nothing")
			history, intakes, now = append(history, now), append(intakes, out.Intake), after
			require.Equal(rt, now, stored(rt, d))
			require.Zero(rt, tally(t, d, untrue), "tallies foot")
		}
		for _, id := range slices.Backward(intakes) {
			require.NoError(rt, d.Intake.Undo(ctx, nell, id, true))
		}
		for _, table := range []string{"stock_lines", "set_bins", "set_items", "stock_sets", "bins", "items", "warehouses"} {
			assert.Zero(rt, tally(t, d, "SELECT count(*) FROM "+table), table)
		}
		clean = !rt.Failed()
	})
}
