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
	require.NoError(t, demo.Build(ctx, one, demo.Base))
	require.NoError(t, demo.Build(ctx, two, demo.Base))
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
		"items.csv":                           {kinds: []field.Kind{field.Items}},
		"stock-export.csv":                    {kinds: []field.Kind{field.Stock}, layout: "Chandlery, weekly stock"},
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

// What the demo shows can be believed: reasons fit the sign, a serial is there or not, nobody agreed to ten times as much, what the loft
// sent out has landed, and its dates lie around whatever day it is made on.
func TestTruth(t *testing.T) {
	for _, today := range []time.Time{
		demo.Base,
		time.Date(2027, 3, 7, 23, 59, 0, 0, time.UTC),
		time.Date(2026, 11, 23, 1, 0, 0, 0, time.UTC),
	} {
		ctx, dir := context.Background(), filepath.Join(t.TempDir(), "demo")
		require.NoError(t, demo.Build(ctx, dir, today))
		st, err := store.Open(dir)
		require.NoError(t, err)
		one := func(query string, args ...any) (n int64) {
			require.NoError(t, st.Read(ctx).Raw(query, args...).Scan(&n).Error)
			return n
		}
		assert.Zero(t, one(`SELECT count(*) FROM decisions d JOIN count_lines l ON l.count_id = d.count_id AND l.pos = d.pos
			JOIN reasons r ON r.code = d.reason WHERE d.kind = 'accept' AND r.sign = 'short' AND d.quantity > 0`), "over, and lost")
		assert.Zero(t, one(`SELECT count(*) FROM decisions d JOIN reasons r ON r.code = d.reason
			WHERE d.kind = 'accept' AND r.sign = 'over' AND d.quantity < 0`), "short, and too many")
		assert.Positive(t, one("SELECT count(*) FROM count_lines WHERE serial <> '' AND counted = 0 AND entries > 0"), "a radio is missing")
		assert.Zero(t, one("SELECT count(*) FROM count_lines WHERE serial <> '' AND counted NOT IN (0, 1000000)"), "one radio counted twice")
		assert.Positive(t, one("SELECT count(*) FROM count_lines WHERE decision = 'accept'"))
		assert.Zero(t, one(`SELECT count(*) FROM count_lines WHERE decision = 'accept' AND abs(counted - expected) >= 10000000
			AND 5 * min(counted, expected) <= 2 * max(counted, expected) AND reason NOT IN ('TRANSFER', 'MIXUP')`), "off by a factor")

		first, last := one("SELECT min(at) FROM chain"), one("SELECT max(at) FROM chain")
		assert.Less(t, last, today.Add(24*time.Hour).UnixNano(), "nothing lies ahead of the day")
		assert.Less(t, today.Sub(time.Unix(0, last)), 8*24*time.Hour)
		assert.Less(t, today.Sub(time.Unix(0, first)), 35*24*time.Hour)
		assert.Zero(t, one("SELECT count(*) FROM stock_sets s JOIN warehouses w ON w.set_id = s.id WHERE s.recorded_at < ?",
			today.Add(-12*24*time.Hour).UnixNano()), "recorded stock of weeks ago")

		d, err := house.New(st, func() time.Time { return today.Add(24 * time.Hour) })
		require.NoError(t, err)
		proof, err := d.Adjustments.Proof(ctx, desk.Person{ID: 1, Name: "Ida Fenn", Role: "controller"}, 1)
		require.NoError(t, err)
		require.Len(t, proof, 1)
		assert.Empty(t, proof[0].Off)
		assert.Positive(t, proof[0].Tally.Landed)
		require.NoError(t, st.Close())
	}
}
