package house_test

import (
	"encoding/csv"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A world that trades while people count: what lies on the floor, what a record system has of it, and what the program was told.
// All of it is reckoned here anew, in whole pieces and minutes, and nothing of it calls the core.
type world struct {
	t       *testing.T
	rt      *rapid.T
	d       *house.House
	restart func() *house.House

	now     int // the minute, since the beginning
	floor   map[string]int
	start   map[string]int // what the record system had at the beginning
	trades  []worldTrade
	booked  []worldBooking // adjustments that the record system has taken in
	queue   []worldBooking // and those that are on their way to it
	lost    []worldBooking // and those that never came
	said    map[int64][]int
	exports []worldExport
	counts  []*worldCount
	file    int
}

type worldTrade struct {
	key          string
	quantity, at int
}

type worldBooking struct {
	count    *worldCount
	posting  int
	id       int64
	key      string
	quantity int
	at       int // when it was sent
	noted    bool
}

type worldExport struct {
	intake int64
	at     int
	has    map[string]int
}

type worldCount struct {
	id         int64
	rounds     int
	frozen     int
	sample     bool
	lines      map[string]*worldLine
	sheets     map[int][]string // keys by sheet of the first round
	done       bool
	unanswered bool
}

type worldLine struct {
	base      int // recorded at the freeze
	pos       int64
	codes     [3]string          // row codes by round
	entries   map[int]worldEntry // what stands, by round
	rowOf     map[int]string     // of recounts: the row code
	zeroed    bool
	gone      bool // let go
	touched   bool
	sent      int
	posts     int
	reckoned  int
	elsewhere []*worldBooking // what other counts sent, and is not answered
}

type worldEntry struct{ quantity, at int }

var worldKeys = []string{"A-1 ROPE", "A-1 SHK", "A-2 ROPE", "A-2 PAINT", "A-3 SHK"}

func (w *world) draw(name string, from, to int) int { return rapid.IntRange(from, to).Draw(w.rt, name) }

var worldBegin = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)

func worldTime(minute int) time.Time { return worldBegin.Add(time.Duration(minute) * time.Minute) }

func (w *world) pass() { w.now += w.draw("minutes", 1, 9) }

// book is what the record system has of a key at a minute, of trades and of what it took in.
func (w *world) book(key string, at int) int {
	n := w.start[key]
	for _, x := range w.trades {
		if x.key == key && x.at <= at {
			n += x.quantity
		}
	}
	for _, x := range w.booked {
		if x.key == key {
			n += x.quantity
		}
	}
	return n
}

// coming is what it will have once it has taken all that is on its way.
func (w *world) coming(key string) int {
	n := w.book(key, w.now)
	for _, x := range w.queue {
		if x.key == key {
			n += x.quantity
		}
	}
	return n
}

// known tells whether a trade was taken in with a file that stands.
func (w *world) known(i int) bool {
	for _, list := range w.said {
		if slices.Contains(list, i) {
			return true
		}
	}
	return false
}

func (w *world) tradesBetween(key string, from, to int, known bool) (n int) {
	for i, x := range w.trades {
		if x.key == key && x.at > from && x.at <= to && (!known || w.known(i)) {
			n += x.quantity
		}
	}
	return n
}

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

// delivered lets the record system take in what is on its way.
func (w *world) delivered() {
	w.booked = append(w.booked, w.queue...)
	w.queue = nil
}

// plan begins a count of what was recorded last.
func (w *world) plan() {
	if len(w.counts) > 2 {
		return
	}
	from := w.exports[len(w.exports)-1]
	c := &worldCount{rounds: w.draw("rounds", 1, 2), frozen: from.at, lines: map[string]*worldLine{}, sheets: map[int][]string{}}
	n := plan.NewCount{Name: fmt.Sprintf("count %d", len(w.counts)+1), Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{By: "size", Rows: w.draw("rows", 1, 3)},
		Rounds: c.rounds}
	keys := worldKeys
	switch w.draw("scope", 0, 3) {
	case 0:
		keys = []string{"A-1 ROPE", "A-1 SHK"}
		n.Scope.Bins = []int64{w.bin("A-1")}
	case 1:
		c.sample = true
		n.Scope.Sample = &count.Sample{By: "lines", Lines: 3, Confidence: 900, Accuracy: 5000, Seed: 7}
	}
	made, err := w.d.Plan.Freeze(ctx, nell, n)
	require.NoError(w.rt, err)
	c.id = made.ID
	w.counts = append(w.counts, c)
	sheets, err := allSheets(w.d, c.id)
	require.NoError(w.rt, err)
	for _, s := range sheets {
		page, err := w.d.Counting.CountLines(ctx, nell, c.id, desk.Filter{Sheet: s.Number, Limit: 100})
		require.NoError(w.rt, err)
		for _, l := range page.Lines {
			key := l.Bin + " " + l.SKU
			if c.sample {
				keys = worldKeys
			}
			require.Contains(w.rt, keys, key)
			x := c.lines[key]
			if x == nil {
				x = &worldLine{base: from.has[key], pos: l.Pos, entries: map[int]worldEntry{}, rowOf: map[int]string{}}
				c.lines[key] = x
			}
			x.codes[s.Round] = l.RowCode
			if s.Round == 1 {
				c.sheets[s.Number] = append(c.sheets[s.Number], key)
			}
		}
	}
	if !c.sample {
		require.Len(w.rt, c.lines, len(keys))
	}
	// What other counts sent since the stock was recorded.
	for _, list := range [][]worldBooking{w.booked, w.queue, w.lost} {
		for i := range list {
			c.hears(&list[i])
		}
	}
}

// hears notes what another count sent of a line.
func (c *worldCount) hears(b *worldBooking) {
	if l := c.lines[b.key]; l != nil && b.count != c && b.at > c.frozen && !c.done && !b.noted {
		x := *b
		l.elsewhere = append(l.elsewhere, &x)
	}
}

func (w *world) bin(code string) (id int64) {
	require.NoError(w.rt, w.d.Store.Read(ctx).Raw("SELECT id FROM bins WHERE code = ?", code).Scan(&id).Error)
	return id
}

// count draws one that runs; nil where none does.
func (w *world) count() *worldCount {
	var running []*worldCount
	for _, c := range w.counts {
		if !c.done {
			running = append(running, c)
		}
	}
	if len(running) == 0 {
		return nil
	}
	return rapid.SampledFrom(running).Draw(w.rt, "count")
}

func (c *worldCount) keys() []string { return slices.Sorted(maps.Keys(c.lines)) }

// latest is the latest counting time of what stands in the count.
func (c *worldCount) latest() int {
	at := 0
	for _, l := range c.lines {
		for _, e := range l.entries {
			at = max(at, e.at)
		}
	}
	if at == 0 {
		return c.frozen
	}
	return at
}

// worldOutcome is what follows for a line.
type worldOutcome struct {
	expected, counted, variance, rest, at int
	isCounted, pending, zero, wants       bool
}

func (w *world) expected(c *worldCount, l *worldLine, key string, at int) int {
	return l.base + l.reckoned + w.tradesBetween(key, c.frozen, at, true)
}

// outcome works a line out by the rules as they are written, not as they are coded.
func (w *world) outcome(c *worldCount, key string) (o worldOutcome) {
	l := c.lines[key]
	stands, last := worldEntry{}, 0
	for round := range l.entries {
		last = max(last, round)
	}
	switch {
	case last >= store.FirstRecount:
		stands, o.isCounted = l.entries[last], true
	case c.rounds == 1 && last == 1:
		stands, o.isCounted = l.entries[1], true
	case last > 0:
		one, first := l.entries[1]
		two, second := l.entries[2]
		if first && second && one.quantity-w.expected(c, l, key, one.at) == two.quantity-w.expected(c, l, key, two.at) {
			stands, o.isCounted = two, true
		} else {
			o.pending = true
		}
	}
	if o.isCounted {
		o.at, o.counted = stands.at, stands.quantity
		o.expected = w.expected(c, l, key, stands.at)
		o.variance = o.counted - o.expected
	} else {
		o.expected = w.expected(c, l, key, c.latest())
		if o.zero = l.zeroed && len(l.entries) == 0 && o.expected != 0; o.zero {
			o.variance, o.at = -o.expected, c.latest()
		}
	}
	o.rest = o.variance - l.sent
	o.wants = o.rest != 0 && !o.pending && (l.posts > 0 || o.isCounted || o.zero)
	return o
}

// there tells whether the count has the line still.
func (l *worldLine) there() bool { return !l.gone || len(l.entries) > 0 || l.posts > 0 }

// compare holds all counts that run against the model.
func (w *world) compare() {
	for _, c := range w.counts {
		page, err := w.d.Counting.CountLines(ctx, nell, c.id, desk.Filter{Limit: 100})
		require.NoError(w.rt, err)
		if c.done {
			continue
		}
		got, want := map[string]string{}, map[string]string{}
		say := func(expected, counted, variance, rest, sent any, at string, wants bool) string {
			return fmt.Sprintf("expected %v counted %v variance %v rest %v sent %v at %s wants %v", expected, counted, variance, rest, sent, at, wants)
		}
		for _, l := range page.Lines {
			counted, variance, at := "-", "0", "-"
			if l.Counted != nil {
				counted = l.Counted.String()
			}
			if l.Variance != nil {
				variance = l.Variance.String()
			}
			if l.CountedAt != nil {
				at = l.CountedAt.Format(time.RFC3339)
			}
			got[l.Bin+" "+l.SKU] = say(l.Expected, counted, variance, *l.Rest, l.Sent, at, l.Queue != "")
		}
		counted, zeroed, open := 0, 0, 0
		for key, l := range c.lines {
			if !l.there() {
				continue
			}
			o := w.outcome(c, key)
			n, at := "-", "-"
			if o.isCounted {
				n = fmt.Sprint(o.counted)
				counted++
			}
			if o.at != 0 {
				at = worldTime(o.at).Format(time.RFC3339)
			}
			if o.zero {
				zeroed++
			}
			if o.wants {
				open++
			}
			want[key] = say(o.expected, n, o.variance, o.rest, l.sent, at, o.wants)
		}
		if fmt.Sprint(want) != fmt.Sprint(got) {
			var latest, frozen int64
			w.d.Store.Read(ctx).Raw("SELECT latest FROM counts WHERE id = ?", c.id).Scan(&latest)
			w.d.Store.Read(ctx).Raw("SELECT frozen_at FROM counts WHERE id = ?", c.id).Scan(&frozen)
			fmt.Println("DEBUG count", c.id, "rounds", c.rounds, "frozen", c.frozen, "latest", c.latest(), time.Unix(0, latest).UTC(), time.Unix(0, frozen).UTC())
			for k, l := range c.lines {
				fmt.Printf("  %s %+v\n", k, *l)
			}
		}
		require.Equal(w.rt, want, got, "count %d", c.id)
		s, err := w.d.Today.Count(ctx, nell, c.id)
		require.NoError(w.rt, err)
		require.Equal(w.rt, []int{counted, zeroed, open}, []int{s.Counted, s.Zeroed, s.Open + s.Held + s.Accepted}, "count %d", c.id)
		w.reported(c, counted)
	}
}

// reported holds the report of a count against the model.
func (w *world) reported(c *worldCount, counted int) {
	r, err := w.d.Report.Report(ctx, nell, c.id)
	require.NoError(w.rt, err)
	gross := 0
	again, right := 0, 0
	drawn := 0
	for key, l := range c.lines {
		o := w.outcome(c, key)
		if o.isCounted && l.there() {
			drawn++
			gross += max(o.variance, -o.variance) * costOfKey(key)
		}
		first, last := 0, 0
		for round := range l.entries {
			if round < store.FirstRecount && (first == 0 || round < first) {
				first = round
			}
			if round >= store.FirstRecount {
				last = max(last, round)
			}
		}
		if first == 0 || last == 0 {
			continue
		}
		a, b := l.entries[first], l.entries[last]
		again++
		if a.quantity-w.expected(c, l, key, a.at) == b.quantity-w.expected(c, l, key, b.at) {
			right++
		}
	}
	require.Equal(w.rt, counted, r.Figures.Counted)
	require.Equal(w.rt, cents(gross), r.Figures.Values.Gross.String())
	sum := quantity.Money(0)
	for _, x := range r.Causes {
		sum += x.Sums.Gross
	}
	zeroed := quantity.Money(0) // what was settled to be zero is no counted variance
	require.Equal(w.rt, r.Figures.Values.Gross, sum-zeroed, "the causes come to the whole")
	require.Equal(w.rt, []int{again, right}, []int{r.Recounts.Lines, r.Recounts.Right}, "counted again")
	if c.sample {
		require.Equal(w.rt, []int{len(c.lines), drawn}, []int{r.Sample.Drawn, r.Sample.Counted}, "the sample, by the rule of the count")
	}
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

// answered says of what other counts sent whether the records had it: they take in what did not get lost, and have no export of
// before the posting with it.
func (w *world) answered(c *worldCount) {
	list, err := w.d.Variances.Elsewhere(ctx, nell, c.id)
	require.NoError(w.rt, err)
	lines := map[int64]int{}
	for _, l := range c.lines {
		for _, b := range l.elsewhere {
			lines[b.id]++
		}
	}
	open := map[int64]int{}
	for _, x := range list {
		if x.Answer == "" {
			open[x.Posting] = x.Lines
		}
	}
	require.Equal(w.rt, lines, open, "what other counts sent of its lines since its stock was recorded")
	for _, id := range slices.Sorted(maps.Keys(lines)) {
		isLost := slices.ContainsFunc(w.lost, func(b worldBooking) bool { return b.id == id })
		answer := map[bool]string{true: count.Had, false: count.Takes}[isLost]
		require.NoError(w.rt, w.d.Variances.AnswerElsewhere(ctx, nell, c.id, []int64{id}, answer))
		for _, l := range c.lines {
			for _, b := range l.elsewhere {
				if b.id == id && !isLost {
					l.reckoned += b.quantity
				}
			}
			l.elsewhere = slices.DeleteFunc(l.elsewhere, func(b *worldBooking) bool { return b.id == id })
		}
	}
}

// fileOf gives the rows of a preview by key: the quantity, and when it was counted.
func (w *world) fileOf(v adjustments.PostingPreview) map[string][2]string {
	rows, err := csv.NewReader(strings.NewReader(v.Text)).ReadAll()
	require.NoError(w.rt, err)
	out := map[string][2]string{}
	at := func(name string) int { return slices.Index(rows[0], name) }
	for _, r := range rows[1:] {
		q := ""
		if in := at("quantity_in"); in >= 0 {
			q = r[in]
			if r[in+1] != "0" {
				q = "-" + r[in+1]
			}
		} else {
			q = r[at("quantity")]
		}
		when := ""
		if i := at("counted_at"); i >= 0 {
			when = r[i]
		}
		out[r[1]+" "+r[2]] = [2]string{q, when}
	}
	return out
}

// number reads a whole number.
func (w *world) number(text string) (n int) {
	_, err := fmt.Sscan(text, &n)
	require.NoError(w.rt, err, text)
	return n
}

// post accepts all that is open of a count and sends it out in some form, once all four were held against what the record system
// makes of them.
func (w *world) post(c *worldCount) {
	w.moves(0)
	w.compare()
	waits := false
	accepted := map[string]bool{}
	page, err := w.d.Variances.Variances(ctx, nell, c.id, desk.Filter{Show: "open", Limit: 100})
	require.NoError(w.rt, err)
	for _, l := range page.Lines {
		_, err := w.d.Variances.Decide(ctx, nell, c.id, []int64{l.Pos}, store.Accept, "MISCOUNT")
		require.NoError(w.rt, err)
	}
	for key := range c.lines {
		if o := w.outcome(c, key); o.wants {
			accepted[key] = true
			waits = waits || len(c.lines[key].elsewhere) > 0
		}
	}
	if waits {
		v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, "difference")
		require.NoError(w.rt, err)
		require.Contains(w.rt, v.Blocked, "another count sent something")
	}
	w.answered(c)
	w.compare()
	// What was reckoned in may have settled some, and what was decided on other figures is open again.
	page, err = w.d.Variances.Variances(ctx, nell, c.id, desk.Filter{Show: "open", Limit: 100})
	require.NoError(w.rt, err)
	for _, l := range page.Lines {
		_, err := w.d.Variances.Decide(ctx, nell, c.id, []int64{l.Pos}, store.Accept, "MISCOUNT")
		require.NoError(w.rt, err)
	}
	clear(accepted)
	for key := range c.lines {
		if w.outcome(c, key).wants {
			accepted[key] = true
		}
	}
	newer := len(w.exports) > 0 && w.exports[len(w.exports)-1].at > c.frozen
	var can []string
	for _, mode := range []string{"difference", "in-out", "balance", "counted"} {
		v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, mode)
		require.NoError(w.rt, err)
		blocked := false
		goes := maps.Clone(accepted)
		for key, l := range c.lines {
			o := w.outcome(c, key)
			if mode == "counted" {
				blocked = blocked || accepted[key] && !o.isCounted && !o.zero
				if o.isCounted && o.variance == 0 && l.posts == 0 {
					goes[key] = true
				}
			}
			if mode == "balance" && accepted[key] {
				blocked = blocked || w.target(c, key) < 0
			}
		}
		blocked = blocked || mode == "balance" && newer
		require.Equal(w.rt, blocked, v.Blocked != "", "%s: %s", mode, v.Blocked)
		if blocked || v.Lines == 0 {
			continue
		}
		can = append(can, mode)
		file := w.fileOf(v)
		require.Equal(w.rt, slices.Sorted(maps.Keys(goes)), slices.Sorted(maps.Keys(file)), mode)
		for key, row := range file {
			if slices.ContainsFunc(w.lost, func(b worldBooking) bool { return b.key == key && b.count == c && !b.noted }) {
				continue // what was sent never came, and nobody has noticed yet
			}
			o, ends := w.outcome(c, key), w.coming(key)
			switch q := w.number(row[0]); mode {
			case "balance":
				ends = q
			case "counted":
				at, err := time.Parse(time.RFC3339, row[1])
				require.NoError(w.rt, err)
				after := w.tradesBetween(key, int(at.Sub(worldBegin)/time.Minute), w.now, false)
				ends += q - (ends - after)
			default:
				require.Equal(w.rt, o.rest, q)
				ends += q
			}
			require.Equal(w.rt, w.target(c, key), ends, "%s of %s: what the records end at", mode, key)
		}
	}
	if len(can) == 0 {
		return
	}
	mode := rapid.SampledFrom(can).Draw(w.rt, "mode")
	v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, mode)
	require.NoError(w.rt, err)
	rests := map[string]int{}
	for key := range w.fileOf(v) {
		rests[key] = w.outcome(c, key).rest
	}
	sent, err := w.d.Adjustments.Post(ctx, nell, c.id, mode, "", v.Lines, v.Sha)
	require.NoError(w.rt, err)
	isLost := w.draw("lost", 0, 5) == 0
	for _, key := range slices.Sorted(maps.Keys(rests)) {
		l := c.lines[key]
		l.sent, l.posts = l.sent+rests[key], l.posts+1
		if rests[key] == 0 {
			continue
		}
		b := worldBooking{count: c, posting: sent.Number, id: sent.ID, key: key, quantity: rests[key], at: w.now}
		if isLost {
			w.lost = append(w.lost, b)
		} else {
			w.queue = append(w.queue, b)
		}
		for _, other := range w.counts {
			other.hears(&b)
		}
	}
}

// target is what the records have to end at: what was counted, and what was traded since; nothing where it was settled to be zero;
// of a line that is counted no more what they would have without this count.
func (w *world) target(c *worldCount, key string) int {
	switch o := w.outcome(c, key); {
	case o.isCounted, o.zero:
		return o.counted + w.tradesBetween(key, o.at, w.now, false)
	}
	n := w.coming(key)
	for _, list := range [][]worldBooking{w.booked, w.queue} {
		for _, b := range list {
			if b.count == c && b.key == key {
				n -= b.quantity
			}
		}
	}
	return n
}

// noticed holds what was sent against a newer export, and notes what is missing.
func (w *world) noticed() {
	for i := range w.lost {
		b := w.lost[i]
		if b.noted || b.count.done {
			continue
		}
		proof, err := w.d.Adjustments.Proof(ctx, nell, b.count.id)
		require.NoError(w.rt, err)
		for _, x := range proof {
			if x.Number != b.posting || x.Tally.Missing == 0 || x.Tally.Missing != x.Tally.Sent || x.Noted > 0 {
				continue
			}
			zeroes := 0 // lines that went out as they are have nothing to miss
			for _, o := range w.lost {
				if o.id == b.id {
					zeroes++
				}
			}
			if zeroes != x.Tally.Missing {
				continue
			}
			_, err := w.d.Adjustments.Unlanded(ctx, nell, b.count.id, b.posting, x.Tally.Missing, "")
			require.NoError(w.rt, err)
			for k := range w.lost {
				if o := &w.lost[k]; o.id == b.id {
					o.noted = true
					l := o.count.lines[o.key]
					l.sent, l.posts = l.sent-o.quantity, l.posts+1
				}
			}
			for _, c := range w.counts {
				for _, l := range c.lines {
					l.elsewhere = slices.DeleteFunc(l.elsewhere, func(e *worldBooking) bool { return e.id == b.id })
				}
			}
			after, err := w.d.Adjustments.Proof(ctx, nell, b.count.id)
			require.NoError(w.rt, err)
			for _, y := range after {
				if y.Number == b.posting {
					require.Equal(w.rt, []int{0, x.Tally.Missing, x.Tally.Missing}, []int{y.Tally.Landed, y.Tally.Missing, y.Noted}, "it never lands")
				}
			}
		}
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

// clocked lets the program's clock be the world's.
func (w *world) clocked() {
	w.d.Now = func() time.Time { return worldTime(w.now) }
}

// Whatever is traded while people count, in whatever order it is told, by however many counts over the same lines, in whichever form
// it goes out and whether it arrives or not: every line and figure is as a plain model has it, every form brings the record system
// to what lies there, and at the end the records are the truth.
func TestWorldsEndAsTheTruth(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		w := &world{t: t, rt: rt, floor: map[string]int{}, start: map[string]int{}, said: map[int64][]int{}}
		w.d, w.restart = restartable(t)
		w.clocked()
		for _, key := range worldKeys {
			w.floor[key] = w.draw("on the floor", 0, 9)
			w.start[key] = max(w.floor[key]+w.draw("off", -2, 2), 0)
		}
		w.export()
		for range w.draw("events", 6, 24) {
			w.pass()
			c := w.count()
			switch event := w.draw("event", 0, 19); {
			case event < 4:
				w.trade()
			case event == 4:
				w.moves(w.draw("from", 0, w.now))
			case event == 5:
				w.undoMoves()
			case event == 6:
				w.export()
				w.noticed()
			case event == 7:
				w.plan()
			case event == 8:
				w.delivered()
			case c == nil:
				w.plan()
			case event < 14:
				for range w.draw("counts", 1, 4) {
					w.counted(c, w.draw("round", 1, c.rounds), w.draw("rightly", 0, 3) > 0)
				}
			case event == 14:
				w.zero(c)
			case event == 15:
				w.again(c)
			case event == 16:
				w.letGo(c)
			case event < 19:
				w.post(c)
			default:
				switch w.draw("seldom", 0, 3) {
				case 0:
					w.restored()
				case 1:
					w.d = w.restart()
					w.clocked()
				case 2:
					w.undoExport()
				case 3:
					w.answered(c)
				}
			}
			w.compare()
		}
		w.ends()
	})
}

// ends counts all that lies there once more, and sends it out: then the records have what lies there.
func (w *world) ends() {
	w.export()
	w.counts = append(w.counts[:0:0], w.counts...)
	for _, c := range w.counts {
		c.done = true // nothing more is done in them
	}
	from := w.exports[len(w.exports)-1]
	made, err := w.d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "all", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(w.rt, err)
	c := &worldCount{id: made.ID, rounds: 1, frozen: from.at, lines: map[string]*worldLine{}}
	w.counts = append(w.counts, c)
	page, err := w.d.Counting.CountLines(ctx, nell, c.id, desk.Filter{Limit: 100})
	require.NoError(w.rt, err)
	for _, l := range page.Lines {
		key := l.Bin + " " + l.SKU
		w.pass()
		if w.draw("trades go on", 0, 1) == 0 {
			w.trade()
			w.pass()
		}
		n := quantity.Quantity(w.floor[key]) * quantity.Scale
		_, err := w.d.Counting.TypeIn(ctx, nell, c.id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &n, CountedAt: worldTime(w.now).Format(time.RFC3339)}})
		require.NoError(w.rt, err)
		c.lines[key] = &worldLine{base: from.has[key], pos: l.Pos, codes: [3]string{1: l.RowCode}, entries: map[int]worldEntry{1: {w.floor[key], w.now}},
			rowOf: map[int]string{}}
	}
	w.pass()
	w.moves(0)
	w.compare()
	lost := len(w.lost)
	w.post(c)
	if len(w.lost) > lost { // it is sent once more, by hand
		w.queue = append(w.queue, w.lost[lost:]...)
	}
	w.delivered()
	for _, key := range worldKeys {
		require.Equal(w.rt, w.floor[key], w.book(key, w.now), "%s: the records are what lies there", key)
	}
	proof, err := w.d.Safety.VerifyChain(ctx)
	require.NoError(w.rt, err)
	require.Zero(w.rt, proof.Broken, proof.Text)
}
