package house_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/template"
	"wobin/internal/desk/intake"
)

// Each template is known again for what it is when it is dropped as it stands: its kind, all of its columns, nothing to be asked but for
// which count counts are; and it can be taken in.
func TestTemplates(t *testing.T) {
	d := at(t)
	for _, k := range field.Kinds {
		var b bytes.Buffer
		require.NoError(t, template.Write(&b, k))
		dr, err := d.Intake.Upload(ctx, nell, template.Name(k), &b, intake.Choices{Zone: "UTC"})
		require.NoError(t, err)
		require.Equal(t, k, dr.Sheets[0].Kind, k)
		var fields []field.Field
		for _, c := range dr.Sheets[0].Columns {
			fields = append(fields, c.Field)
		}
		assert.Equal(t, template.Columns(k), fields, k)
		if k == field.Counts {
			continue
		}
		assert.Empty(t, dr.Blocked, k)
		assert.Empty(t, dr.Problems, k)
		out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
		require.NoError(t, err)
		assert.Equal(t, 1, out.Added+out.Changed+out.Unchanged, k)
	}
	assert.Error(t, template.Write(&bytes.Buffer{}, "x"))
}
