package house_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// settledAll gives every answer that is offered to a draft, the first of several, until none is left.
func settledAll(t *testing.T, d *house.House, dr *intake.Draft) *intake.Draft {
	t.Helper()
	given := map[string]bool{} // some answers are each other's opposite
	for range 60 {
		var answer *intake.Answer
		offered := func(a intake.Answer) {
			text, err := json.Marshal(a)
			require.NoError(t, err)
			if answer == nil && !given[string(text)] {
				given[string(text)], answer = true, &a
			}
		}
		for _, s := range dr.Sheets {
			if !s.Use {
				continue
			}
			for _, q := range s.Questions {
				if !q.Optional && len(q.Options) > 0 {
					offered(intake.Answer{Sheet: s.Number, Set: &q.Options[0].Set})
				}
			}
			for _, g := range s.Problems {
				for _, r := range g.Remedies {
					offered(intake.Answer{Sheet: s.Number, Set: &r.Set})
				}
			}
			for _, v := range s.Values {
				if !v.Open {
					continue
				}
				m := layout.Match{Field: v.Field, From: v.Text, Do: "skip"}
				if len(v.Originals) > 0 {
					m.Do, m.To = "match", v.Originals[0]
				} else if len(v.Near) > 0 {
					m.Do, m.To = "match", v.Near[0]
				}
				offered(intake.Answer{Sheet: s.Number, Set: &layout.Layout{Matches: []layout.Match{m}}})
			}
		}
		if answer == nil {
			return dr
		}
		dr = settle(t, d, dr, *answer)
	}
	require.Fail(t, "the answers never come to an end")
	return nil
}

// What was settled about a file, saved as a layout, exported, imported and met again by the same file, comes to the same:
// the same kind, columns, rows, values and effect, and nothing is asked again.
func TestLayoutMeetsItsFileAgain(t *testing.T) {
	files, err := filepath.Glob("../../core/trial/testdata/files/*.*")
	require.NoError(t, err)
	told := func(s intake.SheetOfFile) string {
		var b strings.Builder
		fmt.Fprintf(&b, "%s by %s, header %d, %+v %+v\n", s.Kind, s.Identity, s.HeaderRow, s.Effect.Outcome, s.Effect.New)
		for _, c := range s.Columns {
			fmt.Fprintf(&b, "%s %s\n", c.Letter, c.Field)
		}
		for _, w := range s.Worked {
			fmt.Fprintf(&b, "%s = %s%s\n", w.Field, w.Formula, w.Fixed)
		}
		for _, g := range s.Problems {
			fmt.Fprintf(&b, "%s in %s: %d\n", g.Kind, g.Field, g.Count)
		}
		for _, v := range s.Values {
			fmt.Fprintf(&b, "%s %q %d %s %s %v\n", v.Field, v.Text, v.Rows, v.Do, v.To, v.Open)
		}
		for _, x := range s.Effect.Examples {
			fmt.Fprintf(&b, "%s %s %s %s\n", x.What, x.Line, x.Before, x.After)
		}
		return b.String()
	}
	saved := 0
	for _, name := range files {
		base := filepath.Base(name)
		if strings.HasSuffix(base, ".want") || strings.Contains(base, "counts") {
			continue // counts need a count to belong to
		}
		t.Run(base, func(t *testing.T) {
			d := at(t)
			take(
				t,
				d,
				"items.csv",
				"SKU,Description,Unit,Barcode,Category\n00411,Braided rope 8 mm,m,5012345678900,Ropes\n00412,Bow shackle,ea,4006381333931,Hardware\n00413,Paint,ea,4006391000004,Paint\n00414,,,,\n00415,,,,\n00416,,,,\n00417,,,,\nR-8,,,,\n411X,,,,\n",
			)
			places := "Warehouse,Bin\n"
			for house, bins := range map[string]string{"QUAY": "A-01-1 A-01-2 A-01-3 A-01-4", "LOFT": "C01 C02 C03",
				"YARD": "3-12 2-1 1-2 1-1 4-4 3-11 12-1 12-4"} {
				for bin := range strings.FieldsSeq(bins) {
					places += house + "," + bin + "\n"
				}
			}
			take(t, d, "places.csv", places)
			data, err := os.ReadFile(name)
			require.NoError(t, err)
			upload := func() *intake.Draft {
				dr, err := d.Intake.Upload(ctx, nell, base, bytes.NewReader(data), intake.Choices{Zone: "UTC"})
				require.NoError(t, err)
				return dr
			}
			first := settledAll(t, d, upload())
			for _, s := range first.Sheets {
				if !s.Use {
					continue
				}
				layoutName := fmt.Sprintf("%s %d", base, s.Number)
				_, err := d.Intake.SaveDraftLayout(ctx, nell, first.ID, s.Number, layoutName)
				require.NoError(t, err)
				file, err := d.Intake.LayoutFile(ctx, nell, layoutName)
				require.NoError(t, err)
				require.NoError(t, d.Intake.DeleteLayout(ctx, nell, layoutName))
				l, err := layout.Decode(file)
				require.NoError(t, err, string(file))
				require.NoError(t, d.Intake.SaveLayout(ctx, nell, layoutName, *l))
				saved++
			}
			again := upload()
			require.Len(t, again.Sheets, len(first.Sheets))
			for i, s := range again.Sheets {
				require.Equal(t, first.Sheets[i].Use, s.Use)
				if !s.Use {
					continue
				}
				assert.Equal(t, fmt.Sprintf("%s %d", base, s.Number), s.Layout)
				for _, q := range s.Questions {
					assert.True(t, q.Optional, "asked again: %s", q.Text)
				}
				assert.Equal(t, told(first.Sheets[i]), told(s))
			}
			assert.Equal(t, first.Blocked, again.Blocked)
		})
	}
	assert.Greater(t, saved, 30)
}
