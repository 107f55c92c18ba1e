package house_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// itemColumns are the columns of the model's item files, with the field that each is and texts that it may hold.
var itemColumns = []struct {
	header, column string
	field          field.Field
	texts          []string
}{
	{
		"Description",
		"description",
		field.Description,
		[]string{"", "Rope", "Red rope"},
	}, {"Unit", "unit", field.Unit, []string{"", "m", "ea"}}, {"Unit cost", "cost", field.UnitCost, []string{"", "2", "3"}},
	{
		"Category",
		"category",
		field.Category,
		[]string{"", "Ropes", "Tools"},
	}, {"Further SKU", "further_sku", field.FurtherSKU, []string{"", "Z1", "Z2"}}, {"Type", "nature", field.Nature, []string{"",
		"stocked", "service"}},
	{
		"Active",
		"active",
		field.Active,
		[]string{"", "yes", "no"},
	}, {"Parent", "parent", field.Parent, []string{"", "SET"}}, {"Shelf", "shelf", field.ItemAttribute + "Shelf", []string{"", "high",
		"low"}},
	{
		"Class",
		"class",
		field.Class,
		[]string{"", "A", "B"},
	}, {"Tracking", "tracking", field.Tracking, []string{"", "lot", "serial"}}, {"Record id", "record_id", field.RecordID, []string{"",
		"r1", "r2"}},
}

// Whatever item files are taken in and undone, the records hold what a plain model of them holds: an empty cell leaves
// what is there or clears it, as was chosen; only new items, only changes, or both.
func TestItemsAgainstModel(t *testing.T) {
	type item [12]string
	fresh := item{5: "stocked", 6: "yes"}
	var d *house.House // used again where nothing was left in it
	clean := false
	stored := func(rt *rapid.T) map[string]item {
		rows, err := d.Store.Read(ctx).
			Raw(`SELECT sku, description, unit, coalesce(cast(cost / 1000000 AS TEXT), ''), category, further_sku, nature, CASE active WHEN 1 THEN 'yes' ELSE 'no' END, parent, coalesce(json_extract(nullif(attributes, ''), '$.Shelf'), ''), class, tracking, record_id FROM items`).
			Rows()
		require.NoError(rt, err)
		defer rows.Close()
		out := map[string]item{}
		for rows.Next() {
			var sku string
			var x item
			require.NoError(rt, rows.Scan(&sku, &x[0], &x[1], &x[2], &x[3], &x[4], &x[5], &x[6], &x[7], &x[8], &x[9], &x[10], &x[11]))
			out[sku] = x
		}
		require.NoError(rt, rows.Err())
		return out
	}
	property(t, 40, func(rt *rapid.T) {
		if !clean {
			d = at(t)
		}
		clean = false
		now, history := map[string]item{}, []map[string]item{}
		var intakes []int64
		for range rapid.IntRange(1, 6).Draw(rt, "steps") {
			if last := len(intakes) - 1; last >= 0 && rapid.IntRange(0, 3).Draw(rt, "undo") == 0 {
				require.NoError(rt, d.Intake.Undo(ctx, nell, intakes[last], true))
				now, history, intakes = history[last], history[:last], intakes[:last]
				require.Equal(rt, now, stored(rt))
				continue
			}
			l := layout.Layout{Kind: field.Items, Rows: rapid.SampledFrom([]string{"", "", "add", "change"}).Draw(rt, "rows taken")}
			var columns []int
			clears := map[int]bool{}
			for i, c := range itemColumns {
				if !rapid.Bool().Draw(rt, c.header) {
					continue
				}
				columns = append(columns, i)
				choice := layout.Choice{Header: c.header, Field: c.field}
				if clears[i] = field.Clears(field.Items, c.field) && rapid.IntRange(0, 3).Draw(rt, "clears") == 0; clears[i] {
					choice.Empty = "clear"
				}
				l.Columns = append(l.Columns, choice)
			}
			var file strings.Builder
			file.WriteString("SKU")
			for _, i := range columns {
				file.WriteString("," + itemColumns[i].header)
			}
			after := maps.Clone(now)
			added, changed, unchanged, left := 0, 0, 0, 0
			for _, sku := range rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"ROPE", "SHK", "PAINT", "R-8"}), 1, 4, rapid.ID).Draw(rt, "SKUs") {
				file.WriteString("\n" + sku)
				was, had := now[sku]
				is := fresh
				if had {
					is = was
				}
				for _, i := range columns {
					text := rapid.SampledFrom(itemColumns[i].texts).Draw(rt, "cell")
					file.WriteString("," + text)
					if text != "" || clears[i] {
						is[i] = text
					}
				}
				switch {
				case l.Rows == "add" && had || l.Rows == "change" && !had:
					left++
					continue
				case !had:
					added++
				case is == was:
					unchanged++
				default:
					changed++
				}
				after[sku] = is
			}
			dr, err := d.Intake.Upload(
				ctx,
				nell,
				"items.csv",
				strings.NewReader(file.String()+"\n"),
				intake.Choices{Zone: "UTC", Sheets: map[string]intake.SheetChoice{"0": {Layout: l}}},
			)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems, file.String())
			require.Equal(rt, fmt.Sprint([]int{added, changed, unchanged, 0, 0, left}), fmt.Sprint(effect(dr)), file.String())
			if dr.Blocked != "" {
				continue
			}
			out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
			history, intakes, now = append(history, now), append(intakes, out.Intake), after
			require.Equal(rt, now, stored(rt), file.String())
		}
		for _, id := range slices.Backward(intakes) {
			require.NoError(rt, d.Intake.Undo(ctx, nell, id, true))
		}
		require.Empty(rt, stored(rt))
		clean = true
	})
}
