package house_test

import (
	"fmt"
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
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
	id     int64
	rounds int
	frozen int
	sample bool
	lines  map[string]*worldLine
	sheets map[int][]string // keys by sheet of the first round
	done   bool
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

// clocked lets the program's clock be the world's.
func (w *world) clocked() {
	w.d.Now = func() time.Time { return worldTime(w.now) }
}

// Whatever is traded while people count, in whatever order it is told, by however many counts over the same lines, in whichever form
// it goes out and whether it arrives or not: every line and figure is as a plain model has it, every form brings the record system
// to what lies there, and at the end the records are the truth.
func TestWorldsEndAsTheTruth(t *testing.T) {
	property(t, 100, func(rt *rapid.T) {
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
		c.lines[key] = &worldLine{base: from.has[key], pos: l.Pos, codes: [3]string{1: l.RowCode},
			entries: map[int]worldEntry{1: {w.floor[key], w.now}},
			rowOf:   map[int]string{}}
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
