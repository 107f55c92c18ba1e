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

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// Whatever lists of places are taken in and undone, in whatever spelling, the records hold what a plain model holds.
func TestPlacesAgainstModel(t *testing.T) {
	var d *house.House // used again where nothing was left in it
	clean := false
	codes := []string{"W", "W A-1", "W A-2", "K", "K A-1"} // warehouses, and bins in them
	property(t, 40, func(rt *rapid.T) {
		if !clean {
			d = at(t)
		}
		clean = false
		stored := func() map[string]string {
			rows, err := d.Store.Read(ctx).
				Raw("SELECT code, 'named ' || name FROM warehouses UNION ALL SELECT w.code || ' ' || b.code, 'in ' || b.zone FROM bins b JOIN warehouses w ON w.id = b.warehouse_id").
				Rows()
			require.NoError(rt, err)
			defer rows.Close()
			out := map[string]string{}
			for rows.Next() {
				var code, is string
				require.NoError(rt, rows.Scan(&code, &is))
				out[code] = is
			}
			require.NoError(rt, rows.Err())
			return out
		}
		now, history := map[string]string{}, []map[string]string{}
		var intakes []int64
		for range rapid.IntRange(1, 6).Draw(rt, "steps") {
			if last := len(intakes) - 1; last >= 0 && rapid.IntRange(0, 3).Draw(rt, "undo") == 0 {
				require.NoError(rt, d.Intake.Undo(ctx, nell, intakes[last], true))
				now, history, intakes = history[last], history[:last], intakes[:last]
				require.Equal(rt, now, stored())
				continue
			}
			l := layout.Layout{Kind: field.Places, Rows: rapid.SampledFrom([]string{"", "", "add", "change"}).Draw(rt, "rows taken")}
			clears := rapid.Bool().Draw(rt, "clears")
			if clears {
				l.Columns = []layout.Choice{{Header: "Zone", Field: field.Zone, Empty: "clear"}}
			}
			names := map[string]string{"W": rapid.SampledFrom([]string{"Quay", "Loft"}).Draw(rt, "W"), "K": "Kiosk"}
			file, after := "Warehouse,Warehouse name,Zone,Bin\n", maps.Clone(now)
			added, changed, unchanged, left := 0, 0, 0, 0
			for _, place := range rapid.SliceOfNDistinct(rapid.SampledFrom(codes), 1, 5, rapid.ID).Draw(rt, "places") {
				house, bin, isBin := strings.Cut(place, " ")
				name := rapid.SampledFrom([]string{"", names[house]}).Draw(rt, "name")
				zone := rapid.SampledFrom([]string{"", "Front", "Back"}).Draw(rt, "zone")
				cells := fmt.Sprintf("%s,%s,%s,%s", house, name, zone, bin)
				if _, had := after[house]; had && rapid.Bool().Draw(rt, "in lower case") {
					// A bin that is new is spelled as it stands.
					if _, had := after[place]; had || !isBin {
						bin = strings.ToLower(bin)
					}
					cells = fmt.Sprintf("%s,%s,%s,%s", strings.ToLower(house), name, zone, bin)
				}
				file += cells + "\n"
				what := "unchanged"
				was, had := after[house]
				switch {
				case !had && l.Rows == "change":
					left++
					continue
				case !had:
					after[house], what = "named "+name, "added"
				case name == "" || was == "named "+name:
				case now[house] == "": // made above, without a name
					after[house] = "named " + name
				case l.Rows == "add":
					what = "left"
				default:
					after[house], what = "named "+name, "changed"
				}
				if was, had := after[place]; isBin {
					switch {
					case !had && l.Rows == "change":
						if what == "unchanged" {
							what = "left"
						}
					case !had:
						after[place], what = "in "+zone, "added"
					case was == "in "+zone || zone == "" && !clears:
					case l.Rows == "add":
						if what == "unchanged" {
							what = "left"
						}
					default:
						after[place], what = "in "+zone, "changed"
					}
				}
				*map[string]*int{"added": &added, "changed": &changed, "unchanged": &unchanged, "left": &left}[what]++
			}
			dr, err := d.Intake.Upload(
				ctx,
				nell,
				"places.csv",
				strings.NewReader(file),
				intake.Choices{Zone: "UTC", Sheets: map[string]intake.SheetChoice{"0": {Layout: l}}},
			)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems, file)
			require.Equal(
				rt,
				[]int{added, changed, unchanged, left},
				[]int{dr.Effect.Added, dr.Effect.Changed, dr.Effect.Unchanged, dr.Effect.Left},
				file,
			)
			if dr.Blocked != "" {
				continue
			}
			out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
			history, intakes, now = append(history, now), append(intakes, out.Intake), after
			require.Equal(rt, now, stored(), file)
		}
		for _, id := range slices.Backward(intakes) {
			require.NoError(rt, d.Intake.Undo(ctx, nell, id, true))
		}
		require.Empty(rt, stored())
		clean = true
	})
}

// One file that says two things of one place is told so, whatever the spelling.
func TestPlacesAtOdds(t *testing.T) {
	for file, want := range map[string]string{
		"Warehouse,Zone,Bin\nW,Front,A-1-1\nw,Back,a-1-1\n":                           `w · a-1-1 is in zone "Back" here and in "Front" in row 2`,
		"Warehouse,Zone,Bin\nW,Back,a-1-1\nW,Front,A-1-1\n":                           `W · A-1-1 is in zone "Front" here and in "Back" in row 2`,
		"Warehouse,Warehouse name,Bin\nW,Quay,A-1-1\nW,Loft,B-1-1\n":                  `W is called "Loft" here and "Quay" in row 2`,
		"Warehouse,Warehouse name,Bin\nNEW,Quay,A\nNEW,Loft,B\nNEW,,C\n":              `NEW is called "Loft" here and "Quay" in row 2`,
		"Warehouse,Zone,Bin\nW,Front,N-1\nW,Back,n-1\n":                               `W · n-1 is in zone "Back" here and in "Front" in row 2`,
		"Warehouse,Warehouse name,Zone,Bin\nW,,Front,A-1-1\nw,Refused,Back,a-1-1\n":   `w · a-1-1 is in zone "Back" here and in "Front" in row 2`,
		"Warehouse,Warehouse name,Zone,Bin\nW,,Front,A-1-1\nw,,Front,a-1-1\n,,Back,x": "is empty. Every place is in a warehouse",
	} {
		d := at(t)
		take(t, d, "stock.csv", strings.ReplaceAll(stockText, ",Front,A-1-1", ",,A-1-1"))
		dr := look(t, d, "places.csv", file, intake.Choices{})
		text := ""
		for _, g := range dr.Problems {
			for _, p := range g.List {
				text += p.Text + "\n"
			}
		}
		assert.Contains(t, text, want, file)
		assert.Equal(t, 1, dr.Effect.Refused, file)
		_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 1)
		require.NoError(t, err, file)
		assert.Zero(t, tally(t, d, "SELECT count(*) FROM warehouses WHERE name = 'Refused'"), "nothing of a refused row")
	}
}

// Two sheets of one workbook may change the same place; the later one stands, and undo puts back what was there before.
func TestPlacesInTwoSheets(t *testing.T) {
	d := at(t)
	take(t, d, "places.csv", "Warehouse,Warehouse name,Zone,Bin\nW,Quay,Front,A-1\n")
	head := []any{"Warehouse", "Warehouse name", "Zone", "Bin"}
	dr, err := d.Intake.Upload(ctx, nell, "places.xlsx", workbook(t, [][]any{head, {"W", "Loft", "Back", "A-1"}, {"NEW", "", "", ""}},
		[][]any{head, {"W", "Yard", "Side", "a-1"}, {"NEW", "Kiosk", "", "B-1"}}), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	dr = settle(t, d, dr, intake.Answer{Sheet: 1, Use: "yes"}) // of two sheets of a kind the second is for a person to choose
	require.Empty(t, dr.Problems)
	out := takeDraft(t, d, dr)
	stands := func(name, zone string) {
		assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM warehouses WHERE code = 'W' AND name = '"+name+"'"), name)
		assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM bins WHERE code = 'A-1' AND zone = '"+zone+"'"), zone)
	}
	stands("Yard", "Side")
	assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM warehouses WHERE code = 'NEW' AND name = 'Kiosk'"))
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	stands("Quay", "Front")
	assert.Equal(t, 0, tally(t, d, "SELECT count(*) FROM warehouses WHERE code = 'NEW'"))
	assert.Equal(t, 1, tally(t, d, "SELECT count(*) FROM bins"))
}
