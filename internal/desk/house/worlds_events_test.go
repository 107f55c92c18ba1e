package house_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// trade moves something on the floor, and the record system books it at once.
func (w *world) trade() {
	for range w.draw("trades", 1, 3) {
		key := rapid.SampledFrom(worldKeys).Draw(w.rt, "traded")
		q := rapid.SampledFrom([]int{-2, -1, -1, 1, 3}).Draw(w.rt, "by")
		if w.floor[key]+q < 0 {
			q = -q
		}
		w.floor[key] += q
		w.trades = append(w.trades, worldTrade{key, q, w.now})
	}
}

// moves takes in a file of the trades of a stretch of time, which overlaps with others.
func (w *world) moves(from int) {
	text := "warehouse,bin,sku,quantity,at\n"
	var list []int
	for i, x := range w.trades {
		if x.at < from {
			continue
		}
		bin, sku, _ := strings.Cut(x.key, " ")
		text += fmt.Sprintf("W,%s,%s,%d,%s\n", bin, sku, x.quantity, worldTime(x.at).Format(time.RFC3339))
		list = append(list, i)
	}
	if len(list) == 0 {
		return
	}
	w.file++
	fresh := slices.ContainsFunc(list, func(i int) bool { return !w.known(i) })
	dr, err := w.d.Intake.Upload(ctx, nell, fmt.Sprintf("moves-%d.csv", w.file), strings.NewReader(text), intake.Choices{Zone: "UTC"})
	require.NoError(w.rt, err)
	require.Empty(w.rt, dr.Problems)
	added := 0
	for _, i := range list {
		if !w.known(i) {
			added++
		}
	}
	require.Equal(w.rt, added, dr.Effect.Added, "what another file says already is not added again")
	if !fresh && dr.Blocked != "" {
		return
	}
	require.Empty(w.rt, dr.Blocked)
	out, err := w.d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(w.rt, err)
	w.said[out.Intake] = list
}

// undoMoves takes one of these files back: what another one says stays.
func (w *world) undoMoves() {
	ids := slices.Sorted(maps.Keys(w.said))
	if len(ids) == 0 {
		return
	}
	id := rapid.SampledFrom(ids).Draw(w.rt, "undone")
	require.NoError(w.rt, w.d.Intake.Undo(ctx, nell, id, true))
	delete(w.said, id)
}

// export takes in what the record system has now.
func (w *world) export() {
	w.delivered()
	w.pass()
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	has := map[string]int{}
	for _, key := range worldKeys {
		bin, sku, _ := strings.Cut(key, " ")
		has[key] = w.book(key, w.now)
		cost := ""
		if c := modelCosts[sku]; c > 0 {
			cost = cents(c)
		}
		text += fmt.Sprintf("W,%s,%s,%d,%s,%s\n", bin, sku, has[key], cost, worldTime(w.now).Format(time.RFC3339))
	}
	w.file++
	dr, err := w.d.Intake.Upload(ctx, nell, fmt.Sprintf("stock-%d.csv", w.file), strings.NewReader(text), intake.Choices{Zone: "UTC"})
	require.NoError(w.rt, err)
	require.Empty(w.rt, dr.Problems)
	require.Empty(w.rt, dr.Blocked)
	out, err := w.d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(w.rt, err)
	w.exports = append(w.exports, worldExport{out.Intake, w.now, has})
}

// undoExport takes the last export back, which a count may have been frozen from.
func (w *world) undoExport() {
	if len(w.exports) < 2 {
		return
	}
	last := w.exports[len(w.exports)-1]
	require.NoError(w.rt, w.d.Intake.Undo(ctx, nell, last.intake, true))
	w.exports = w.exports[:len(w.exports)-1]
}

// counted counts a line: as it lies there, or wrongly. A correction without a time keeps that of what it corrects.
func (w *world) counted(c *worldCount, round int, true_ bool) {
	key := rapid.SampledFrom(c.keys()).Draw(w.rt, "line")
	l := c.lines[key]
	if l.gone || l.codes[round] == "" {
		return
	}
	q := w.floor[key]
	if !true_ {
		q += w.draw("off by", 0, 3)
	}
	e, had := l.entries[round]
	if had && w.draw("withdraw", 0, 4) == 0 {
		_, err := w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{{RowCode: l.codes[round], Withdraw: true}})
		require.NoError(w.rt, err)
		delete(l.entries, round)
		return
	}
	n := quantity.Quantity(q) * quantity.Scale
	typed := counting.Typed{RowCode: l.codes[round], Quantity: &n, Counter: fmt.Sprint("P", round), CountedAt: worldTime(w.now).Format(time.RFC3339)}
	at := w.now
	if had && rapid.Bool().Draw(w.rt, "keeps its time") {
		typed.CountedAt, at = "", e.at
	}
	_, err := w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{typed})
	require.NoError(w.rt, err)
	l.entries[round], l.touched, l.zeroed = worldEntry{q, at}, true, false
}

// again has lines counted once more, and withdraws a recount now and then.
func (w *world) again(c *worldCount) {
	key := rapid.SampledFrom(c.keys()).Draw(w.rt, "again")
	l := c.lines[key]
	last := 0
	for round := range l.rowOf {
		last = max(last, round)
	}
	if last > 0 && w.draw("withdraw the recount", 0, 1) == 0 {
		if _, stands := l.entries[last]; stands {
			_, err := w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{{RowCode: l.rowOf[last], Withdraw: true}})
			require.NoError(w.rt, err)
			delete(l.entries, last)
		}
		return
	}
	if !l.there() {
		return
	}
	made, err := w.d.Plan.Recount(ctx, nell, c.id, plan.Again{Lines: []int64{l.pos}})
	require.NoError(w.rt, err)
	page, err := w.d.Counting.CountLines(ctx, nell, c.id, desk.Filter{Sheet: made.Sheets[0], Limit: 10})
	require.NoError(w.rt, err)
	require.Len(w.rt, page.Lines, 1)
	round := store.FirstRecount + made.Round - 1
	l.rowOf[round] = page.Lines[0].RowCode
	n := quantity.Quantity(w.floor[key]) * quantity.Scale
	_, err = w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{{RowCode: l.rowOf[round], Quantity: &n, Counter: fmt.Sprint("P", round),
		CountedAt: worldTime(w.now).Format(time.RFC3339)}})
	require.NoError(w.rt, err)
	l.entries[round], l.touched, l.zeroed = worldEntry{w.floor[key], w.now}, true, false
}

// zero settles that uncounted means zero, or takes it back.
func (w *world) zero(c *worldCount) {
	u, err := w.d.Variances.SeeUncounted(ctx, nell, c.id, count.UncountedPart{})
	require.NoError(w.rt, err)
	lines, zeroed := 0, 0
	for key, l := range c.lines {
		o := w.outcome(c, key)
		if l.gone || len(l.entries) > 0 {
			continue
		}
		if l.zeroed {
			zeroed++
		} else if o.expected != 0 {
			lines++
		}
	}
	require.Equal(w.rt, []int{lines, zeroed}, []int{u.Lines, u.Zeroed}, "what it would come to")
	zero := rapid.Bool().Draw(w.rt, "zero")
	n := map[bool]int{true: lines, false: zeroed}[zero]
	if n == 0 {
		return
	}
	_, err = w.d.Variances.SetZero(ctx, nell, c.id, count.UncountedPart{}, zero, n)
	require.NoError(w.rt, err)
	for key, l := range c.lines {
		if l.gone || len(l.entries) > 0 || zero && w.outcome(c, key).expected == 0 {
			continue
		}
		l.zeroed = zero
	}
}

// letGo lets a sheet of which nothing was counted go, or takes it up again.
func (w *world) letGo(c *worldCount) {
	numbers := slices.Sorted(maps.Keys(c.sheets))
	n := rapid.SampledFrom(numbers).Draw(w.rt, "sheet")
	keys := c.sheets[n]
	if c.lines[keys[0]].gone {
		require.NoError(w.rt, w.d.Plan.TakeUp(ctx, nell, c.id, []int{n}))
		for _, key := range keys {
			c.lines[key].gone = false
		}
		return
	}
	for _, key := range keys {
		if c.lines[key].touched {
			return
		}
	}
	left := 0
	for _, l := range c.lines {
		if !l.gone {
			left++
		}
	}
	if left == len(keys) {
		return
	}
	require.NoError(w.rt, w.d.Plan.LetGo(ctx, nell, c.id, []int{n}))
	for _, key := range keys {
		c.lines[key].gone, c.lines[key].zeroed = true, false
	}
}

// restored spoils the records behind the model's back, looks at all that is kept of them in memory, and puts a backup back.
func (w *world) restored() {
	b, err := w.d.Safety.BackUp(ctx, nell)
	require.NoError(w.rt, err)
	n := quantity.Quantity(99) * quantity.Scale
	for _, c := range w.counts {
		for _, key := range c.keys() {
			if l := c.lines[key]; !c.done && !l.gone {
				_, err := w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{{RowCode: l.codes[1], Quantity: &n, Counter: "P1"}})
				require.NoError(w.rt, err)
			}
		}
		_, err := w.d.Report.Report(ctx, nell, c.id)
		require.NoError(w.rt, err)
		_, err = w.d.Variances.Groups(ctx, nell, c.id, desk.Filter{By: "item"})
		require.NoError(w.rt, err)
	}
	t, err := w.d.Safety.SeeRestore(ctx, nell, b.Name)
	require.NoError(w.rt, err)
	require.NoError(w.rt, w.d.Safety.Restore(ctx, nell, b.Name, len(t.Words)+t.More))
}
