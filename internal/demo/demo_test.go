package demo_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/demo"
	"wobin/internal/desk"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/store"
)

// The demo is the same wherever and whenever it is made, its record holds, and each of its files to try with comes to
// what the walk in the README says of it.
func TestDemo(t *testing.T) {
	ctx, one, two := context.Background(), filepath.Join(t.TempDir(), "one"), filepath.Join(t.TempDir(), "two")
	require.NoError(t, demo.Build(ctx, one))
	require.NoError(t, demo.Build(ctx, two))
	sums := func(dir string) map[string]string {
		out := map[string]string{}
		files, err := filepath.Glob(filepath.Join(dir, "try", "*"))
		require.NoError(t, err)
		for _, f := range files {
			if filepath.Ext(f) == ".xlsx" { // a zip holds the time at which it was made
				continue
			}
			b, err := os.ReadFile(f)
			require.NoError(t, err)
			out[filepath.Base(f)] = fmt.Sprintf("%x", sha256.Sum256(b))
			same, err := os.ReadFile(filepath.Join("../../demo/files", filepath.Base(f)))
			require.NoError(t, err)
			assert.True(t, bytes.Equal(b, same), "%s in demo/files is stale: run make demo-files", filepath.Base(f))
		}
		return out
	}
	assert.Equal(t, sums(one), sums(two))

	st, err := store.Open(one)
	require.NoError(t, err)
	defer st.Close()
	d, err := house.New(st, func() time.Time { return time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC) })
	require.NoError(t, err)
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
	assert.Greater(t, proof.Links, 20)
	ida := desk.Person{ID: 1, Name: "Ida Fenn", Role: "controller"}
	today, err := d.Today.Today(ctx, ida)
	require.NoError(t, err)
	assert.Len(t, today.Counts, 2)

	for name, want := range map[string]struct {
		kinds    []field.Kind
		refused  int
		question bool
		layout   string
	}{
		"copy of tuesday, wim.csv":            {kinds: []field.Kind{field.Counts}},
		"returned-sheet-18.csv":               {kinds: []field.Kind{field.Counts}},
		"returned-sheet-19.xlsx":              {kinds: []field.Kind{field.Counts}},
		"items-2026-09.csv":                   {kinds: []field.Kind{field.Items}},
		"stock-export-2026-11-23.csv":         {kinds: []field.Kind{field.Stock}, layout: "Chandlery, weekly stock"},
		"stock-export-with-faults.csv":        {kinds: []field.Kind{field.Stock}, refused: 4, layout: "Chandlery, weekly stock"},
		"pontoon stock via a spreadsheet.csv": {kinds: []field.Kind{field.Stock}, refused: 37, question: true},
		"kiosk handover.xlsx":                 {kinds: []field.Kind{field.Places, field.Items, field.Stock}},
	} {
		b, err := os.ReadFile(filepath.Join(one, "try", name))
		require.NoError(t, err)
		dr, err := d.Intake.Upload(ctx, ida, name, bytes.NewReader(b), intake.Choices{Zone: "UTC"})
		require.NoError(t, err, name)
		var kinds []field.Kind
		asked, by := false, ""
		for _, s := range dr.Sheets {
			if s.Use {
				kinds, by = append(kinds, s.Kind), s.Layout
			}
			for _, q := range s.Questions {
				asked = asked || !q.Optional
			}
		}
		assert.ElementsMatch(t, want.kinds, kinds, name)
		assert.Equal(t, want.refused, dr.Effect.Refused, name)
		assert.Equal(t, want.question, asked, name)
		assert.Equal(t, want.layout, by, name)
		if !want.question {
			if name == "kiosk handover.xlsx" {
				assert.Contains(t, dr.Blocked, "Is it the whole stock, or a part of it?", "a kiosk is a part of the house")
			} else {
				assert.Empty(t, dr.Blocked, name)
			}
			assert.Positive(t, dr.Effect.Added+dr.Effect.Changed+dr.Effect.Unchanged, name)
		}
	}
}
