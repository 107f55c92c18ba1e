package house_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/safety"
)

// out gives a list as a file.
func out(t *testing.T, d *house.House, a lists.Asking) (name string, file []byte) {
	t.Helper()
	f, err := d.Lists.Open(ctx, nell, a)
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return f.Name, b.Bytes()
}

// writing is a writer made of a function.
type writing func(p []byte) (int, error)

func (w writing) Write(p []byte) (int, error) { return w(p) }

// odd are codes that programs like to change: numbers, dates, exponents, formulas, quotes, and such in other scripts.
var odd = []string{"00412", "3-12", "1E5", "=1+1", "@home", "+49", "-7", "'quoted", `he said "x"`, "a,b", "a;b", "Größe 4", "螺栓", "TRUE", "#N/A", "12.50",
	"1/2", "x  y", "№ 7", "007", "7", "0x1F", "null-1", "=SUM(A1)", "Mar-12"}

// What goes out comes in again unchanged: every list that is a kind of file, in both forms, whole and with columns chosen.
func TestListsComeBack(t *testing.T) {
	for seed := range uint64(12) {
		d, rng := at(t), rand.New(rand.NewPCG(seed, 9))
		word := func() string { return odd[rng.IntN(len(odd))] }
		codes := map[string]bool{}
		items := tabular.AppendRow(nil, '\t', "SKU", "Description", "Unit", "Unit cost", "Category", "Class", "Type", "Active", "Barcode", "Pack", "Pack size",
			"Further SKU", "Tracking")
		stock := tabular.AppendRow(nil, '\t', "Warehouse", "Zone", "Bin", "SKU", "Lot", "Serial", "Holding", "Record id", "On hand", "Reserved", "Unit cost",
			"Recorded at")
		moves := tabular.AppendRow(nil, '\t', "Warehouse", "Bin", "SKU", "Lot", "Quantity", "At", "Reference")
		bins := map[string]bool{}
		for i := range 6 + rng.IntN(12) {
			sku := fmt.Sprintf("%s%d", word(), i)
			if rng.IntN(3) == 0 {
				sku = word()
			}
			if codes[strings.ToUpper(sku)] {
				continue
			}
			codes[strings.ToUpper(sku)] = true
			pack := []string{"", ""}
			if rng.IntN(3) == 0 {
				pack = []string{"BX", fmt.Sprint(2 + rng.IntN(40))}
			}
			kept := []string{"none", "lot", "serial"}[rng.IntN(3)]
			items = tabular.AppendRow(items, '\t', sku, word()+" "+word(), []string{"ea", "m"}[rng.IntN(2)],
				[]string{"", fmt.Sprintf("%d.%06d", rng.IntN(900), rng.IntN(1_000_000))}[rng.IntN(2)], []string{"Ropes", "=Odd", ""}[rng.IntN(3)],
				[]string{"A", "", "C"}[rng.IntN(3)], []string{"stocked", "service", "parent"}[rng.IntN(3)], []string{"yes", "no"}[rng.IntN(2)],
				[]string{"", fmt.Sprintf("%013d", 4_000_000_000_000+int(seed)*100+i)}[rng.IntN(2)], pack[0], pack[1], []string{"", fmt.Sprintf("old %d", i)}[rng.IntN(2)], kept)
			for n := range 1 + rng.IntN(2) {
				bin := fmt.Sprintf("%d-%02d", 1+n, 1+i)
				if rng.IntN(4) == 0 {
					bin = fmt.Sprintf("%s/%d", word(), i)
				}
				lot, serial, q := "", "", fmt.Sprintf("%d.%06d", rng.IntN(2000)-200, rng.IntN(1_000_000))
				switch kept {
				case "lot":
					lot = word()
				case "serial":
					serial, q = fmt.Sprintf("%s-%d-%d", word(), i, n), "1"
				}
				bins[bin] = true
				stock = tabular.AppendRow(stock, '\t', "W", []string{"Front", "=Back"}[rng.IntN(2)], bin, sku, lot, serial, []string{"", "consigned"}[rng.IntN(2)],
					fmt.Sprintf("%06d", i*7+n), q, []string{"", "0", "1.5"}[rng.IntN(3)], fmt.Sprintf("%d.25", rng.IntN(90)), "2026-11-20T06:00:00Z")
				if serial == "" && rng.IntN(2) == 0 {
					moves = tabular.AppendRow(moves, '\t', "W", bin, sku, lot, fmt.Sprintf("-%d.5", 1+rng.IntN(4)),
						fmt.Sprintf("2026-11-20T%02d:%02d:00Z", 7+rng.IntN(9), rng.IntN(60)), fmt.Sprintf("ISS-%d-%d", i, n))
				}
			}
		}
		// As they are made here codes are right, whatever they look like.
		takenIn := func(name string, text []byte) {
			dr, err := d.Intake.Upload(ctx, nell, name, bytes.NewReader(text), intake.Choices{Zone: "UTC"})
			require.NoError(t, err)
			for range 12 {
				set := &intake.Layout{}
				for _, s := range dr.Sheets {
					for _, v := range s.Values {
						if v.Open {
							set.Matches = append(set.Matches, layout.Match{Field: v.Field, From: v.Text, Do: "new"})
						}
					}
					for _, q := range s.Questions {
						if !q.Optional && len(q.Options) > 0 {
							set = &q.Options[0].Set
						}
					}
				}
				if dr.Blocked == "" && dr.Effect.Refused == 0 {
					break
				}
				dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Set: set})
				require.NoError(t, err)
			}
			if dr.Effect.Refused > 0 || dr.Blocked != "" {
				t.Logf("seed %d, %s: %s %+v", seed, name, dr.Blocked, dr.Problems)
			}
			require.Empty(t, dr.Blocked, name)
			_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", dr.Effect.Refused)
			require.NoError(t, err)
		}
		takenIn("items.txt", items)
		takenIn("stock.txt", stock)
		if bytes.Count(moves, []byte("\n")) > 1 {
			takenIn("moves.txt", moves)
		}
		for _, list := range []string{"items", "places", "stock", "movements"} {
			for _, form := range []lists.Form{"csv", "xlsx"} {
				for _, columns := range [][]string{nil, {"hand", "sku", "item", "lot", "quantity"}} {
					name, file := out(t, d, lists.Asking{List: list, Form: form, House: 1, Columns: columns})
					dr, err := d.Intake.Upload(ctx, nell, name, bytes.NewReader(file), intake.Choices{Zone: "UTC"})
					require.NoError(t, err)
					e := &dr.Effect
					what := fmt.Sprintf("seed %d, %s with %v: %s %+v\n%s", seed, name, columns, dr.Blocked, dr.Problems, e.Examples)
					if list == "movements" && e.Unchanged == 0 {
						continue // there were none
					}
					assert.Empty(t, dr.Blocked, what)
					assert.Equal(t, [4]int{0, 0, 0, 0}, [4]int{e.Added, e.Changed, e.Gone, e.Refused}, what)
					assert.Positive(t, e.Unchanged, what)
					require.NoError(t, d.Intake.Discard(ctx, nell, dr.ID))
				}
			}
		}
		if t.Failed() {
			return
		}
	}
}

// A list is as at one moment, has the rows and columns in sight, and says in words why it is not to be had.
func TestListOut(t *testing.T) {
	d := at(t)
	frozen(t, d, true)
	_, file := out(t, d, lists.Asking{List: "stock", House: 1, Columns: []string{"hand", "item", "nonsense"}, Filter: desk.Filter{Text: "SHK"}})
	assert.Equal(t, "Warehouse,Bin,SKU,Lot,Serial,Holding,Record id,Reserved,Recorded at,On hand,Description,Wobin list\n"+
		"W,A-1-2,SHK,,,,r2,0,2026-11-20T06:00:00Z,40,Shackle,Recorded stock W\nW,B-1-1,SHK,,,,r3,0,2026-11-20T06:00:00Z,25,Shackle,Recorded stock W\n", string(file))

	_, file = out(t, d, lists.Asking{List: "record", Columns: []string{"what", "number"}, Record: safety.RecordFilter{What: "intake"}})
	assert.Equal(t, "What,Number\nintake,2\nintake,1\n", string(file))
	_, file = out(t, d, lists.Asking{List: "variances", Count: 1, Columns: []string{"exp"}, Filter: desk.Filter{Show: "all"}})
	assert.Equal(t, "Row code,Warehouse,Bin,SKU,Lot,Serial,Holding,Expected,Wobin list\n", string(file), "nothing is counted yet")
	_, file = out(t, d, lists.Asking{List: "stock-by-item", House: 1, Columns: []string{"hand"}, Filter: desk.Filter{Text: "SHK"}})
	assert.Equal(t, "Warehouse,SKU,Recorded at,On hand,Wobin list\nW,SHK,2026-11-20T06:00:00Z,65,Recorded stock W by item\n", string(file))

	f, err := d.Lists.Open(ctx, nell, lists.Asking{List: "stock", House: 1})
	require.NoError(t, err)
	take(t, d, "more.csv", strings.Replace(strings.ReplaceAll(stockText, "2026-11-20T06", "2026-11-21T06"), "ROPE,,10,2", "ROPE,,99,2", 1))
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	assert.NotContains(t, b.String(), "99", "what came meanwhile is not in it")

	many := "sku,description\n"
	for i := range 2500 {
		many += fmt.Sprintf("M-%04d,one of many\n", i)
	}
	take(t, d, "many.csv", many)
	f, err = d.Lists.Open(ctx, nell, lists.Asking{List: "items", Filter: desk.Filter{Text: "many"}})
	require.NoError(t, err)
	take(t, d, "one more.csv", "sku,description\nM-1500b,one of many\nM-9999,one of many\n")
	b.Reset()
	require.NoError(t, f.Write(&b))
	assert.Equal(t, 2501, strings.Count(b.String(), "\n"), "page by page, and yet as at one moment")

	// Cancelled midway, by whoever asked going away or on the page of work, it is no file, and lets go of all that it held.
	for n := range 6 {
		gone, end := context.WithCancel(ctx)
		f, err = d.Lists.Open(gone, nell, lists.Asking{List: "items", Form: []lists.Form{"csv", "xlsx"}[n%2]})
		require.NoError(t, err)
		err = f.Write(writing(func(p []byte) (int, error) {
			if n < 3 {
				end()
			} else if jobs, err := d.Running(nell); err == nil && len(jobs) > 0 && jobs[0].Stops {
				_ = d.Stop(nell, jobs[0].ID)
			}
			return len(p), gone.Err()
		}))
		if n%2 == 0 && n < 3 {
			require.ErrorIs(t, err, context.Canceled)
		}
		end()
	}
	left, err := d.Running(nell)
	require.NoError(t, err)
	for _, j := range left {
		assert.NotNil(t, j.Ended, j.Text)
	}
	counter := desk.Person{ID: 9, Name: "Cap", Role: "counter"}
	for list, a := range map[string]lists.Asking{"stock": {House: 1}, "variances": {Count: 1}, "movements": {}, "record": {}} {
		a.List = list
		_, err := d.Lists.Open(ctx, counter, a)
		require.ErrorIs(t, err, desk.ErrMayNot, list)
	}
	for _, a := range []lists.Asking{{List: "boats"}, {List: "stock", House: 9}, {List: "variances", Count: 9}} {
		_, err := d.Lists.Open(ctx, nell, a)
		require.ErrorIs(t, err, desk.ErrNotFound)
	}
	_, err = d.Lists.Open(ctx, nell, lists.Asking{List: "items", Form: "pdf"})
	require.ErrorContains(t, err, "csv or xlsx")
}

// The variances of a count go out as they stand in the queue, and come in again as counts that say nothing new; one that was corrected
// elsewhere is a revision.
func TestVariancesOut(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", "warehouse,bin,sku,description,on hand,unit cost,as at\nW,A-1,ROPE,Rope,10,2,2026-11-20T06:00:00Z\n"+
		"W,A-2,NET,Net,10,,2026-11-20T06:00:00Z\nW,A-3,OAR,Oar,10,3,2026-11-20T06:00:00Z\n",
		"row code,bin,sku,counted,counted at\nW1S1R12,A-1,ROPE,7,2026-11-20T09:00:00Z\nW1S1R2Z,A-2,NET,9,2026-11-20T09:00:00Z\n"+
			"W1S1R3X,A-3,OAR,11,2026-11-20T09:00:00Z\n", "", "")
	for _, form := range []lists.Form{"csv", "xlsx"} {
		for _, columns := range [][]string{nil, {"cnt", "var", "value", "counter"}} {
			name, file := out(t, d, lists.Asking{List: "variances", Form: form, Count: id, Columns: columns, Filter: desk.Filter{Show: "open", Order: "place"}})
			if columns != nil && form == "csv" {
				assert.Equal(t, "Row code,Warehouse,Bin,SKU,Lot,Serial,Holding,Counted,Variance,Value,Counter,Counted at,Wobin list\n"+
					"W1S1R12,W,A-1,ROPE,,,,7,-3,-6.00,,2026-11-20T09:00:00Z,Variances of first\n"+
					"W1S1R2Z,W,A-2,NET,,,,9,-1,,,2026-11-20T09:00:00Z,Variances of first\n"+
					"W1S1R3X,W,A-3,OAR,,,,11,1,3.00,,2026-11-20T09:00:00Z,Variances of first\n", string(file))
			}
			dr, err := d.Intake.Upload(ctx, nell, name, bytes.NewReader(file), intake.Choices{Zone: "UTC"})
			require.NoError(t, err)
			e := &dr.Effect
			assert.Equal(t, [5]any{"counts", "", 0, 0, 3}, [5]any{string(dr.Kind), dr.Blocked, e.Added, e.Changed + e.Refused, e.Unchanged},
				"%s %v %+v", name, columns, dr.Problems)
			require.NoError(t, d.Intake.Discard(ctx, nell, dr.ID))
		}
	}
	_, file := out(t, d, lists.Asking{List: "variances", Count: id, Filter: desk.Filter{Show: "open", Text: "rope"}})
	dr, err := d.Intake.Upload(ctx, nell, "corrected.csv", strings.NewReader(strings.Replace(string(file), ",7,", ",8,", 1)), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	assert.Equal(t, [3]any{"", 1, 0}, [3]any{dr.Blocked, dr.Effect.Changed, dr.Effect.Added}, "%+v", dr.Problems)
}
