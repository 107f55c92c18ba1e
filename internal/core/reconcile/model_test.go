package reconcile

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/code"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

func table(t require.TestingT, name string, rows [][]string) *tabular.File {
	var b []byte
	for _, r := range rows {
		b = tabular.AppendRow(b, ',', r...)
	}
	f, err := tabular.Open(name, bytes.NewReader(b), int64(len(b)), tabular.Options{Delimiter: ',', Encoding: tabular.UTF8})
	require.NoError(t, err)
	return f
}

type modelEntry struct {
	qty, at int64
	round   int
}

type modelLine struct {
	recorded int64
	row      bool
	cost     *int64
	moves    [][2]int64 // quantity, time
	entries  []modelEntry
}

// The command agrees with the plainest possible reckoning over maps of text, on exact fractions, whatever the order of
// the rows in any file.
func TestAgainstModel(t *testing.T) {
	start := time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	stamp := func(minute int64) string { return start.Add(time.Duration(minute) * time.Minute).Format(time.RFC3339) }
	rapid.Check(t, func(t *rapid.T) {
		lines := map[[3]string]*modelLine{}
		at := func(k [3]string) *modelLine {
			if lines[k] == nil {
				lines[k] = &modelLine{}
			}
			return lines[k]
		}
		key := rapid.Custom(func(t *rapid.T) [3]string {
			return [3]string{
				rapid.SampledFrom([]string{"W1", "W2"}).Draw(t, "w"),
				rapid.SampledFrom([]string{"A-2", "A-10", "B, \"x\""}).Draw(t, "b"),
				rapid.SampledFrom([]string{"X", "Y10", "Y9"}).Draw(t, "s"),
			}
		})
		qty := rapid.Int64Range(0, 20_000_000)
		stockRows := [][]string{}
		for _, k := range rapid.SliceOfNDistinct(key, 0, 10, func(k [3]string) [3]string { return k }).Draw(t, "stock") {
			l := at(k)
			l.recorded, l.row = rapid.Int64Range(-5_000_000, 20_000_000).Draw(t, "recorded"), true
			cost := ""
			if rapid.Bool().Draw(t, "costed") {
				c := rapid.SampledFrom([]int64{1_500_000, 333_333, 10}).Draw(t, "cost")
				l.cost, cost = &c, quantity.Cost(c).String()
			}
			stockRows = append(stockRows, []string{k[0], k[1], k[2], quantity.Quantity(l.recorded).String(), cost, stamp(0)})
		}
		moveRows := [][]string{}
		for n := range rapid.IntRange(0, 8).Draw(t, "moves") {
			k, q, m := key.Draw(t, "k"), rapid.Int64Range(-3_000_000, 3_000_000).Draw(t, "q"), rapid.Int64Range(-5, 60).Draw(t, "m")
			at(k).moves = append(at(k).moves, [2]int64{q, m})
			moveRows = append(moveRows, []string{k[0], k[1], k[2], quantity.Quantity(q).String(), stamp(m), fmt.Sprint(n)})
		}
		countRows := [][]string{}
		latest := int64(-1 << 40)
		for range rapid.IntRange(0, 12).Draw(t, "counts") {
			k, e := key.Draw(
				t,
				"k",
			), modelEntry{
				qty.Draw(t, "q"),
				rapid.Int64Range(1, 50).Draw(t, "at"),
				rapid.IntRange(1, 4).Draw(t, "round"),
			}
			at(k).entries = append(at(k).entries, e)
			latest = max(latest, e.at)
			countRows = append(countRows, []string{k[0], k[1], k[2], quantity.Quantity(e.qty).String(), stamp(e.at), fmt.Sprint(e.round)})
		}
		if latest < 0 {
			latest = 0
		}
		for _, rows := range [][][]string{stockRows, moveRows, countRows} {
			perm := rapid.Permutation(rows).Draw(t, "order")
			copy(rows, perm)
		}
		// Some items have a cost of their own, which is that of lines that bring none.
		itemCosts, itemRows := map[string]*int64{}, [][]string{}
		for _, sku := range []string{"X", "Y10", "Y9"} {
			cost := ""
			if rapid.Bool().Draw(t, "item costed") {
				c := rapid.SampledFrom([]int64{2_500_000, 666_667}).Draw(t, "item cost")
				itemCosts[sku], cost = &c, quantity.Cost(c).String()
			}
			itemRows = append(itemRows, []string{sku, "of " + sku, cost})
		}
		header := func(rows [][]string, names ...string) [][]string { return append([][]string{names}, rows...) }
		run := func(addUp bool) (*Result, *problem.Problems, error) {
			return Run(context.Background(), Input{
				Stock: table(t, "stock", header(stockRows, "warehouse", "bin", "sku", "quantity", "unit_cost", "recorded_at")),
				Counts: []*tabular.File{
					table(t, "counts", header(countRows, "warehouse", "bin", "sku", "counted", "counted_at", "round")),
				},
				Movements: table(t, "moves", header(moveRows, "warehouse", "bin", "sku", "quantity", "at", "reference")),
				Items:     table(t, "items", header(itemRows, "sku", "description", "unit_cost")),
			}, Options{Zone: time.UTC, Mode: adjust.Difference, Uncounted: Leave, AddUp: addUp, FrozenAt: ptr(start.UnixNano())})
		}
		// Counts that are equal in everything are named, each with the row it repeats, until they are to be summed.
		repeats := modelRepeats(countRows)
		res, problems, err := run(false)
		require.NoError(t, err)
		named := map[int]string{}
		for _, p := range problems.List {
			named[p.Row] = p.Text
		}
		require.Len(t, named, len(repeats))
		for row, first := range repeats {
			require.Contains(t, named[row], fmt.Sprintf("first in row %d.", first))
		}
		if len(repeats) > 0 {
			res, problems, err = run(true)
			require.NoError(t, err)
			require.Empty(t, problems.List)
		}

		keys := [][3]string{}
		for k := range lines {
			keys = append(keys, k)
		}
		slices.SortFunc(keys, func(a, b [3]string) int {
			for i := range a {
				if c := code.Compare(a[i], b[i]); c != 0 {
					return c
				}
			}
			return 0
		})
		want := [][]string{strings.Split(strings.TrimSpace(VariancesHeader), ",")}
		for _, k := range keys {
			want = append(want, modelRow(lines, itemCosts, k, latest))
		}
		var out bytes.Buffer
		require.NoError(t, res.WriteVariances(&out))
		got, err := csv.NewReader(&out).ReadAll()
		require.NoError(t, err)
		assert.Equal(t, want, got)

		// What goes out is exactly the lines that are off, with the same figures.
		out.Reset()
		require.NoError(t, res.WriteAdjustments(&out))
		sent, err := csv.NewReader(&out).ReadAll()
		require.NoError(t, err)
		var off [][]string
		for _, w := range want[1:] {
			if w[16] == "over" || w[16] == "short" || w[16] == "found" {
				off = append(off, []string{w[0], w[1], w[2], "", "", "", "", "", w[13], w[14], w[15], w[16]})
			}
		}
		assert.Equal(t, off, append([][]string(nil), sent[1:]...))
		assert.Equal(t, len(off), res.AdjustmentLines)
	})
}

func ptr(n int64) *int64 { return &n }

// modelRepeats is the rows, numbered as in the file, that say what an earlier row said, each with the first that said it.
func modelRepeats(rows [][]string) map[int]int {
	first, repeats := map[string]int{}, map[int]int{}
	for i, r := range rows {
		said := strings.Join(r, "\x00")
		if f, again := first[said]; again {
			repeats[i+2] = f
		} else {
			first[said] = i + 2
		}
	}
	return repeats
}

// modelRow reckons one line as engine and words have it, with nothing shared with the program but how decimals print.
func modelRow(lines map[[3]string]*modelLine, items map[string]*int64, k [3]string, latest int64) []string {
	l := lines[k]
	cost := l.cost
	if !l.row {
		cost = modelCost(lines, k)
	}
	if cost == nil {
		cost = items[k[2]]
	}
	round, counted, first, last := 0, int64(0), int64(0), int64(0)
	for _, e := range l.entries {
		round = max(round, e.round)
	}
	for _, e := range l.entries {
		if e.round != round {
			continue
		}
		if first == 0 || e.at < first {
			first = e.at
		}
		last = max(last, e.at)
		counted += e.qty
	}
	upTo := last
	if round == 0 {
		upTo = latest
	}
	moved, meanwhile := int64(0), ""
	for _, m := range l.moves {
		if m[1] > 0 && m[1] <= upTo {
			moved += m[0]
		}
		if round > 0 && m[1] > first && m[1] <= last {
			meanwhile = "yes"
		}
	}
	expected := l.recorded + moved
	show := func(n int64) string { return quantity.Quantity(n).String() }
	row := []string{
		k[0],
		k[1],
		k[2],
		"",
		"",
		"",
		"",
		"",
		"",
		show(l.recorded),
		show(moved),
		show(expected),
		"",
		"",
		"",
		"",
		"uncounted",
		"",
	}
	if cost != nil {
		row[14] = quantity.Cost(*cost).String()
	}
	if round == 0 {
		return row
	}
	variance := counted - expected
	row[12], row[13], row[17] = show(counted), show(variance), meanwhile
	if cost != nil {
		v := new(big.Rat).SetFrac(new(big.Int).Mul(big.NewInt(variance), big.NewInt(*cost)), big.NewInt(1_000_000_000_000))
		row[15] = v.FloatString(2) // halves away from zero, as big.Rat rounds
		if row[15] == "-0.00" {
			row[15] = "0.00"
		}
	}
	switch {
	case variance == 0:
		row[16] = "match"
	case !l.row && len(l.moves) == 0 && counted > 0:
		row[16] = "found"
	case variance > 0:
		row[16] = "over"
	default:
		row[16] = "short"
	}
	return row
}

func modelCost(lines map[[3]string]*modelLine, k [3]string) *int64 {
	for _, sameHouse := range []bool{true, false} {
		seen := map[int64]bool{}
		for o, l := range lines {
			if o[2] == k[2] && l.row && (!sameHouse || o[0] == k[0]) {
				if l.cost == nil {
					seen[-1] = true
				} else {
					seen[*l.cost] = true
				}
			}
		}
		if len(seen) == 1 {
			for c := range seen {
				if c >= 0 {
					return &c
				}
			}
		}
	}
	return nil
}
