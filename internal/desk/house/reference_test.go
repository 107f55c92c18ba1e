package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/reference"
)

// An item is looked up with what it goes by, where it lies, what counts said of it and what went out; it agrees with the lists by line, for
// every item; where a blind count runs, whoever counts sees none of it.
func TestItem(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves,
		"sku,description,category,barcode,pack,pack size\nROPE12,Rope,Ropes,4006381333931,,\nPAINT14,Paint,Paint,,,\nPUMP,Pump,,,bx,12\n")
	acceptAll(t, d, id)
	send(t, d, id, adjustments.Going{Mode: "difference", Reasons: []string{"LOSS"}})
	items, err := d.Recorded.RecordedItems(ctx, nell, 1, desk.Filter{Limit: 100})
	require.NoError(t, err)
	lines, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{Limit: 100})
	require.NoError(t, err)
	all, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Limit: 100})
	require.NoError(t, err)
	said, went := 0, quantity.Quantity(0)
	for _, l := range items.Lines {
		v, err := d.Reference.Item(ctx, nell, l.SKU)
		require.NoError(t, err)
		require.Len(t, v.Places, 1)
		place := v.Places[0]
		assert.Equal(t, l.OnHand, place.Sum, l.SKU)
		n := 0
		for _, x := range lines.Lines {
			if x.SKU == l.SKU {
				assert.Equal(t, x, place.Lines[n])
				n++
			}
		}
		assert.Len(t, place.Lines, n)
		for _, c := range v.Counts {
			said++
			assert.Equal(t, []any{id, "first"}, []any{c.Count, c.Name})
			assert.Equal(t, c.Counted-c.Expected, c.Variance)
		}
		for _, s := range v.Sent {
			assert.Equal(t, []any{id, 1, "LOSS"}, []any{s.Count, s.Posting, s.Reason})
			went += s.Quantity
		}
	}
	counted := 0
	for _, l := range all.Lines {
		if l.Counted != nil {
			counted++
		}
	}
	assert.Positive(t, counted)
	assert.GreaterOrEqual(t, said, counted-1, "what is nowhere recorded is not in the list of items")
	assert.Negative(t, went)

	rope, err := d.Reference.Item(ctx, nell, "ROPE12")
	require.NoError(t, err)
	assert.Equal(t, []any{"Ropes", []string{"4006381333931"}}, []any{rope.Category, rope.Barcodes})
	_, err = d.Reference.Item(ctx, nell, "rope12 ")
	require.ErrorIs(t, err, desk.ErrNotFound)

	_, err = d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{Name: "blind", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{By: "size", Rows: 500}, Blind: true},
	)
	require.NoError(t, err)
	cap := desk.Person{ID: nell.ID + 1, Name: "Cap", Role: "counter"}
	blind, err := d.Reference.Item(ctx, cap, "ROPE12")
	require.NoError(t, err)
	assert.Equal(t, []string{"W"}, blind.Hidden)
	assert.Empty(t, blind.Places)
	assert.Empty(t, blind.Counts)
	assert.Empty(t, blind.Sent)
	assert.Equal(t, rope.Barcodes, blind.Barcodes)
}

// What goes by a text: a code before what begins with it, and that before what has its words; signs of a pattern are nothing but signs.
func TestFind(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"items.csv",
		"sku,description,barcode,further sku\nROPE12,Rope 12 mm,4006381333931,\nROPE1,Rope 1 mm,,OLD-7\nXROPE1,\"Rope 1 mm, 100% hemp\",,\n"+
			"LAMP,Lamp for ROPE1_ fans,,\n",
	)
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Back,B-1\nW,Front,A-1\nW,Front,A-10\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "First", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 10, Empty: 3}})
	require.NoError(t, err)
	find := func(text string) (codes []string) {
		got, err := d.Reference.Find(ctx, nell, text)
		require.NoError(t, err)
		for _, h := range got {
			codes = append(codes, h.Kind+" "+h.Code)
		}
		return codes
	}
	assert.Equal(t, []string{"item ROPE1", "item ROPE12", "item LAMP"}, find("rope1"), "words by their beginnings")
	assert.Equal(t, []string{"item XROPE1"}, find("xrop"))
	assert.Equal(t, []string{"item ROPE12"}, find("OPE12"), "a part of a code, where nothing begins so")
	assert.Equal(t, []string{"item ROPE12"}, find("4006381333931"))
	assert.Equal(t, []string{"item ROPE1"}, find(" old-7 "))
	assert.Equal(t, []string{"item XROPE1"}, find("hemp 100%"))
	assert.Empty(t, find("%"+"_"))
	assert.Equal(t, []string{"item LAMP"}, find("fans rope1_"))
	assert.Equal(t, []string{"bin A-1", "bin A-10"}, find("a-1"))
	// What means something to the search itself means nothing when it is looked for, in the list of items neither.
	for _, odd := range []string{`"`, `""`, "*", "AND", "rope AND", "NEAR(rope 1)", "-rope", "–", "sku:rope", "^rope", "(", "rope\x00", "'", "日本", strings.Repeat("a ", 90)} {
		find(odd)
		_, err := d.Reference.Items(ctx, nell, reference.ItemFilter{Text: odd})
		require.NoError(t, err, "%q", odd)
	}
	page, err := d.Reference.Items(ctx, nell, reference.ItemFilter{Text: "mm ROPE1"})
	require.NoError(t, err)
	require.Len(t, page.Lines, 2, "all of its words, each by its beginning")
	assert.Empty(t, find(" "))
	sheets, err := allSheets(d, c.ID)
	require.NoError(t, err)
	got, err := d.Reference.Find(ctx, nell, sheets[0].Code)
	require.NoError(t, err)
	assert.Equal(t, []reference.Hit{{Kind: "sheet", ID: c.ID, Code: sheets[0].Code, About: "sheet 1 of First", Sheet: 1}}, got)
}

// What a filter holds is told with the lines that have no cost, one alone and none at all; the groups say the same.
func TestFilterWithoutCosts(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", "warehouse,bin,sku,description,on hand,unit cost,as at\nW,A-1,ROPE,Rope,10,2,2026-11-20T06:00:00Z\n"+
		"W,A-2,NET,Net,10,,2026-11-20T06:00:00Z\nW,A-3,OAR,Oar,10,3,2026-11-20T06:00:00Z\n",
		"bin,sku,counted,counted at\nA-1,ROPE,7,2026-11-20T09:00:00Z\nA-2,NET,9,2026-11-20T09:00:00Z\nA-3,OAR,11,2026-11-20T09:00:00Z\n", "", "")
	for text, want := range map[string][]string{
		"": {"3", "1", "3.00", "-6.00", "9.00"}, "NET": {"1", "1", "0.00", "0.00", "0.00"}, "OAR": {"1", "0", "3.00", "0.00", "3.00"},
		"nothing goes by this": {"0", "0", "0.00", "0.00", "0.00"},
	} {
		f, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open", Text: text})
		require.NoError(t, err)
		assert.Equal(t, want, []string{fmt.Sprint(f.Lines), fmt.Sprint(f.Unvalued), f.Over.String(), f.Short.String(), f.Gross.String()}, text)
	}
}

// So many files of somebody wait at once, and no more; others are not held up, and what nobody looked at for two weeks makes room.
func TestDraftsHaveALimit(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	drop := func(p desk.Person) error {
		_, err := d.Intake.Upload(ctx, p, "places.csv", strings.NewReader("warehouse,bin\nW,A-1\n"), intake.Choices{Zone: "UTC"})
		return err
	}
	for range 300 {
		require.NoError(t, drop(nell))
	}
	require.ErrorContains(t, drop(nell), "300 files wait to be taken in already")
	require.NoError(t, drop(desk.Person{ID: 9, Name: "Ann", Role: "controller"}))
	now = now.Add(15 * 24 * time.Hour)
	require.NoError(t, drop(nell))
}
