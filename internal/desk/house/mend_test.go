package house_test

import (
	"bytes"
	"encoding/csv"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// Whatever stands in a file's other cells, mending its refused rows in the file that is given for it comes to the same
// as if the file had been right from the beginning.
func TestMendedRowsAreAsGood(t *testing.T) {
	text := rapid.StringMatching(`[A-Za-z0-9=+@'",; \n-]{0,8}`)
	code := rapid.StringMatching(`[A-Z0-9=+@'" -]{0,8}`) // what parts codes would make several of one, and other letters another spelling
	property(t, 50, func(rt *rapid.T) {
		comma := rapid.SampledFrom([]rune{',', ';', '\t', '|'}).Draw(rt, "delimiter")
		head := []string{"Warehouse", "Bin", "Item", "On hand", "Remark"}
		var right, wrong [][]string
		damaged := map[int][2]string{} // by row: the column's index and the right text
		for i := range rapid.IntRange(1, 8).Draw(rt, "rows") {
			row := []string{
				"W",
				"B" + strconv.Itoa(i),
				"K" + strings.TrimSpace(code.Draw(rt, "item")), // no word for a sum begins so
				strconv.Itoa(rapid.IntRange(0, 9999).Draw(rt, "on hand")),
				text.Draw(rt, "remark"),
			}
			bad := append([]string{}, row...)
			switch rapid.SampledFrom([]string{"", "", "quantity", "item"}).Draw(rt, "damage") {
			case "quantity":
				bad[3] = rapid.SampledFrom([]string{"", "many", "12 pcs", "1O", "#N/A"}).Draw(rt, "wrong")
				damaged[i+2] = [2]string{"3", row[3]}
			case "item":
				bad[2] = ""
				damaged[i+2] = [2]string{"2", row[2]}
			}
			right, wrong = append(right, row), append(wrong, bad)
		}
		write := func(rows [][]string) string {
			var b bytes.Buffer
			w := csv.NewWriter(&b)
			w.Comma = comma
			require.NoError(rt, w.WriteAll(append([][]string{head}, rows...)))
			return b.String()
		}
		settled := intake.Choices{
			Zone:      "UTC",
			Delimiter: string(comma),
			Sheets: map[string]intake.SheetChoice{
				"0": {
					Layout: layout.Layout{
						Header:  1,
						Kind:    field.Stock,
						Aside:   "take",
						Columns: []layout.Choice{{Header: "Remark", Field: field.LineAttribute + "Remark"}},
					},
				},
			},
		}
		stored := func(d *house.House, dr *intake.Draft) (out []string) {
			require.Empty(rt, dr.Problems)
			require.Empty(rt, dr.Blocked)
			_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
			require.NoError(
				rt,
				d.Store.Read(ctx).
					Raw(`SELECT b.code || '|' || i.sku || '|' || l.quantity || '|' || l.attributes FROM stock_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id ORDER BY b.code, i.sku`).
					Scan(&out).
					Error,
			)
			return out
		}
		d := at(t)
		dr, err := d.Intake.Upload(ctx, nell, "right.csv", strings.NewReader(write(right)), settled)
		require.NoError(rt, err)
		want := stored(d, dr)

		d = at(t)
		dr, err = d.Intake.Upload(ctx, nell, "wrong.csv", strings.NewReader(write(wrong)), settled)
		require.NoError(rt, err)
		require.Equal(rt, len(damaged), dr.Effect.Refused, "%v", dr.Problems)
		if len(damaged) > 0 {
			name, file, err := d.Intake.RefusedRows(ctx, nell, dr.ID, 0)
			require.NoError(rt, err)
			r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(file, []byte("\ufeff"))))
			r.Comma = comma
			rows, err := r.ReadAll()
			require.NoError(rt, err)
			require.Len(rt, rows, len(damaged)+1)
			for _, row := range rows[1:] {
				n, err := strconv.Atoi(row[5])
				require.NoError(rt, err)
				at, err := strconv.Atoi(damaged[n][0])
				require.NoError(rt, err)
				row[at] = damaged[n][1]
			}
			var b bytes.Buffer
			w := csv.NewWriter(&b)
			w.Comma = comma
			require.NoError(rt, w.WriteAll(rows))
			dr, err = d.Intake.Redrop(ctx, nell, dr.ID, name, &b)
			require.NoError(rt, err)
		}
		require.Equal(rt, want, stored(d, dr))
	})
}
