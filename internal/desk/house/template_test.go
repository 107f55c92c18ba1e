package house_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
	"wobin/internal/core/template"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// filled is the template of a kind with rows written below the header, from the second on.
func filled(t *testing.T, d *house.House, k field.Kind, rows ...[]string) *intake.Draft {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, template.Write(&b, k))
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	defer f.Close()
	for n, row := range rows {
		at, err := excelize.CoordinatesToCellName(1, n+2)
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow(f.GetSheetList()[0], at, &row))
	}
	var out bytes.Buffer
	require.NoError(t, f.Write(&out))
	dr, err := d.Intake.Upload(ctx, nell, template.Name(k), &out, intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	return dr
}

// Each template is known again for what it is when it is dropped: its kind, all of its columns, nothing to be asked but for which count
// counts are. The example is no row of anybody's; what is written over it can be taken in.
func TestTemplates(t *testing.T) {
	d := at(t)
	for _, k := range field.Kinds {
		as := filled(t, d, k)
		require.Equal(t, k, as.Sheets[0].Kind, k)
		var fields []field.Field
		for _, c := range as.Sheets[0].Columns {
			fields = append(fields, c.Field)
		}
		assert.Equal(t, template.Columns(k), fields, k)
		if k == field.Counts {
			continue
		}
		assert.Equal(t, 1, as.Effect.Refused, k)
		require.NotEmpty(t, as.Problems, k)
		assert.Contains(t, as.Problems[0].List[0].Text, "is the example of the template as it stood", k)
		assert.Zero(t, as.Effect.Added, k)

		own := template.Example(k)
		for i, f := range template.Columns(k) {
			switch f {
			case field.Description, field.HouseName, field.Reference:
				own[i] += " of ours"
			}
		}
		if k == field.Stock {
			own[7] = "49"
		}
		dr := filled(t, d, k, own)
		assert.Empty(t, dr.Blocked, k)
		assert.Empty(t, dr.Problems, k)
		out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
		require.NoError(t, err)
		assert.Equal(t, 1, out.Added+out.Changed+out.Unchanged, k)
	}
	assert.Error(t, template.Write(&bytes.Buffer{}, "x"))
}

// A template that is filled in wrongly is told what is wrong by its rows, and the good ones can go ahead.
func TestTemplateFilledInWrongly(t *testing.T) {
	d := at(t)
	dr := filled(t, d, field.Items, template.Example(field.Items), []string{"", "No code", "ea", "1"}, []string{"X-1", "Good", "ea", "1.50"},
		[]string{"X-2", "Dear", "ea", "about 4"}, []string{"X-1", "Twice", "ea", "2"}, []string{"X-3", "Odd", "ea", "3", "", "", "", "", "", "boat"})
	said := ""
	for _, g := range dr.Problems {
		for _, p := range g.List {
			said += p.Text + "\n"
		}
	}
	for _, want := range []string{":2: is the example", ":3: sku: is empty", `:5: unit_cost: "about 4" is not a number`, ":6: sku: \"X-1\" comes twice",
		`:7: tracking: "boat" is none of`} {
		assert.Contains(t, said, want)
	}
	require.Equal(t, 5, dr.Effect.Refused)
	out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 5)
	require.NoError(t, err)
	assert.Equal(t, 1, out.Added)
}
