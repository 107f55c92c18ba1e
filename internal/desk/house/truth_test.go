package house_test

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A plain model of a count, against which the records are held after every event: whole pieces, cents, hours after the
// freeze.
type countModel struct {
	t         *testing.T
	rt        *rapid.T
	d         *house.House
	id        int64
	partly    bool // the shackles are not in the scope
	tolerance int
	tolerated bool // tolerated ones want a decision too
	lines     map[string]*countedLine
	moves     map[int64][]countMove // by intake
	returns   []modelReturn
	code      map[string]string // row codes as they are now
	first     map[string]string // and as they were at first
	pos       map[string]int64
	file      int
	restart   func() *house.House
	given     bool            // it was given the shackles
	again     map[string]bool // keys whose recount is not back
	rounds    map[string]int  // of recounts, by key
	priced    []modelPrices   // what the item costs by which lines go that bring no cost: the last list that stands
}

// modelPrices is a list of item costs.
type modelPrices struct {
	intake int64
	paint  int // in cents
}

// countedLine is a key: what is recorded, what stands in its slots, what went out of it.
type countedLine struct {
	row, zeroed bool
	beside      bool // recorded, and not in the scope
	made        bool // it was counted once
	recorded    int
	frozen      int                   // the hour of its freeze
	slots       map[string]modelCount // "own" for its row on the sheet, "free" for files without row codes
	sent, posts int
	sentCents   int
	sentCost    int // what one of it cost when some of it went out
	decision    string
}

type modelCount struct {
	quantity, at, born int
	file               bool
}

type countMove struct {
	key          string
	quantity, at int
}

type modelReturn struct {
	id     int64
	before map[string]map[string]modelCount // by key: its slots as they were
	born   map[string]map[string]int        // by key and slot: the birth that the return gave it, 0 where it withdrew
	undone bool
}

var (
	modelFreeze = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	modelCosts  = map[string]int{"ROPE": 250, "SHK": 99, "PAINT": 0} // in cents; paint has none
	births      int
)

func modelHour(h int) string {
	return modelFreeze.Add(time.Duration(h) * time.Hour).Format(time.RFC3339)
}

func cents(c int) string {
	return fmt.Sprintf("%s%d.%02d", map[bool]string{true: "-"}[c < 0], max(c, -c)/100, max(c, -c)%100)
}

// cost is what one of a key costs: paint by what the item costs by now, or did when some of it went out.
func (m *countModel) cost(key string) int {
	if l := m.lines[key]; strings.HasSuffix(key, " PAINT") {
		if l.posts > 0 {
			return l.sentCost
		}
		if n := len(m.priced); n > 0 {
			return m.priced[n-1].paint
		}
	}
	return costOfKey(key)
}

func costOfKey(key string) int {
	_, sku, _ := strings.Cut(key, " ")
	return modelCosts[sku]
}

// worked is what follows for a key.
type modelWorked struct {
	expected, counted, variance, rest int
	status                            string
	wants                             bool
}

func (m *countModel) latest() int {
	latest := 0
	for _, l := range m.lines {
		for _, s := range l.slots {
			latest = max(latest, s.at)
		}
	}
	return latest
}

func (m *countModel) work(key string) (w modelWorked) {
	l := m.lines[key]
	upTo, any, moved := m.latest(), false, 0
	slots := l.standing()
	if len(slots) > 0 {
		upTo = 0
		for _, s := range slots {
			upTo = max(upTo, s.at)
			w.counted += s.quantity
		}
	}
	first := upTo
	for _, s := range slots {
		first = min(first, s.at)
	}
	meanwhile := false
	for _, list := range m.moves {
		for _, x := range list {
			if x.key != key {
				continue
			}
			any = true
			if x.at > l.frozen && x.at <= upTo {
				moved += x.quantity
			}
			meanwhile = meanwhile || x.at > first && x.at <= upTo && len(l.slots) > 0
		}
	}
	w.expected = l.recorded + moved
	switch {
	case len(l.slots) == 0:
		w.status = "uncounted"
		if l.zeroed {
			w.variance = -w.expected
		}
	default:
		w.variance = w.counted - w.expected
		switch {
		case w.variance == 0:
			w.status = "match"
		case !meanwhile && max(w.variance, -w.variance) <= m.tolerance:
			w.status = "tolerated"
		case !l.row && !any && w.counted > 0:
			w.status = "found"
		case w.variance > 0:
			w.status = "over"
		default:
			w.status = "short"
		}
	}
	w.rest = w.variance - l.sent
	switch {
	case w.rest == 0:
	case l.posts > 0:
		w.wants = true
	case w.status == "tolerated":
		w.wants = m.tolerated
	default:
		w.wants = w.status != "uncounted" || l.zeroed
	}
	return w
}

// standing are the counts that stand: those of the last recount, or of the first round.
func (l *countedLine) standing() map[string]modelCount {
	for round := 9; round >= store.FirstRecount; round-- {
		if s, is := l.slots[fmt.Sprint("r", round)]; is {
			return map[string]modelCount{"": s}
		}
	}
	return l.slots
}

// there tells whether anything is known of a key.
func (m *countModel) there(key string) bool {
	l := m.lines[key]
	if l.row && !l.beside || len(l.slots) > 0 || l.posts > 0 {
		return true
	}
	if l.beside || m.partly && !l.made { // what is not in the scope is there as long as it is counted
		return false
	}
	for _, list := range m.moves {
		for _, x := range list {
			if x.key == key && x.at > 0 {
				return true
			}
		}
	}
	return false
}

// change does something to the model, and lets decisions fall whose figures changed by it.
func (m *countModel) change(do func()) {
	before := map[string]int{}
	for key := range m.lines {
		before[key] = m.work(key).rest
	}
	do()
	for key, l := range m.lines {
		if len(l.slots) > 0 {
			l.zeroed = false
		}
		w := m.work(key)
		if !w.wants || l.decision == store.Accept && w.rest != before[key] {
			l.decision = ""
		}
	}
}

func (l *countedLine) put(slot string, q, at int, file bool) {
	births++
	l.made = true
	l.slots[slot] = modelCount{q, at, births, file}
}

// compare holds every line, the tallies, the sheets and the slots against the model.
func (m *countModel) compare() {
	page, err := m.d.Counting.CountLines(ctx, nell, m.id, desk.Filter{Limit: 1000})
	require.NoError(m.rt, err)
	got, want := map[string]string{}, map[string]string{}
	text := func(expected, counted, variance, rest, sent any, status, queue string) string {
		return fmt.Sprintf("expected %v, counted %v: %v; sent %v, rest %v; %s %s", expected, counted, variance, sent, rest, status, queue)
	}
	for _, l := range page.Lines {
		key := l.Bin + " " + l.SKU
		m.pos[key] = l.Pos
		m.code[key] = l.RowCode
		if m.first[key] == "" {
			m.first[key] = l.RowCode
		}
		counted, variance := "-", "0"
		if l.Counted != nil {
			counted = l.Counted.String()
		}
		if l.Variance != nil {
			variance = l.Variance.String()
		}
		sum, ok := quantity.Add(l.Sent, *l.Rest)
		require.True(m.rt, ok)
		require.Equal(m.rt, variance, sum.String(), "sent and what is open are what was counted less what was expected")
		got[key] = text(l.Expected, counted, variance, l.Rest, l.Sent, l.Status, l.Queue)
	}
	all := map[string]int{}
	openOver, openShort, gross := 0, 0, 0
	for key, l := range m.lines {
		if !m.there(key) {
			continue
		}
		w, counted := m.work(key), "-"
		if len(l.slots) > 0 {
			counted = fmt.Sprint(w.counted)
			all["counted"]++
		}
		queue := ""
		if w.wants {
			queue = map[string]string{"": "open", store.Accept: "accepted", store.Hold: "held"}[l.decision]
			all[queue]++
		}
		all["lines"]++
		all[w.status]++
		if l.posts > 0 {
			all["posted"]++
		}
		cost := m.cost(key)
		if queue == "open" {
			v := w.variance*cost - l.sentCents
			openOver, openShort = openOver+map[bool]int{true: v}[w.rest > 0], openShort+map[bool]int{true: v}[w.rest < 0]
			gross += max(v, -v)
		}
		want[key] = text(w.expected, counted, w.variance, w.rest, l.sent, w.status, queue)
	}
	require.Equal(m.rt, want, got)
	s, err := m.d.Today.Count(ctx, nell, m.id)
	require.NoError(m.rt, err)
	require.Equal(
		m.rt,
		[]any{
			all["lines"],
			all["counted"],
			all["open"],
			all["accepted"],
			all["held"],
			all["posted"],
			all["over"] + all["short"] + all["found"],
			cents(openOver),
			cents(openShort),
			cents(gross),
		},
		[]any{
			s.Lines,
			s.Counted,
			s.Open,
			s.Accepted,
			s.Held,
			s.Posted,
			s.Variances,
			s.OpenOver.String(),
			s.OpenShort.String(),
			s.OpenValue.String(),
		},
	)
	queue, err := m.d.Variances.Variances(ctx, nell, m.id, desk.Filter{Show: "open", Limit: 1000})
	require.NoError(m.rt, err)
	require.Len(m.rt, queue.Lines, all["open"], "what is open is on the queue")
	foots(m.rt, m.d, m.id)
}

// foots holds the tallies of a count against its lines, and the slots of its entries against what the database is to guard.
func foots(t require.TestingT, d *house.House, id int64) {
	tx := d.Store.Read(ctx)
	one := func(q string, args ...any) (n int64) {
		require.NoError(t, tx.Raw(q, args...).Scan(&n).Error, q)
		return n
	}
	for part, by := range map[string]string{store.PartAll: "''", store.PartBin: "l.bin_id", store.PartZone: "b.zone",
		store.PartCategory: "c.category"} {
		require.Zero(
			t,
			one(
				fmt.Sprintf(
					`SELECT count(*) FROM (SELECT %s AS name, count(*) AS lines, sum(l.entries > 0) AS counted, sum(l.queue = 1) AS open, sum(l.queue = 2) AS held, sum(l.queue = 3) AS accepted,
			coalesce(sum(CASE WHEN l.queue = 1 THEN abs(l.rest_value) END), 0) AS gross, sum(l.postings > 0) AS posted
			FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN count_items c ON c.count_id = l.count_id AND c.item_id = l.item_id
				WHERE l.count_id = ? AND l.status <> 'gone' GROUP BY 1) x
			LEFT JOIN count_tallies t ON t.count_id = ? AND t.part = ? AND t.name = x.name
			WHERE t.lines IS NOT x.lines OR t.counted <> x.counted OR t.open <> x.open OR t.held <> x.held OR t.accepted <> x.accepted OR t.open_gross <> x.gross OR t.posted <> x.posted`,
					by,
				),
				id,
				id,
				part,
			),
			part,
		)
	}
	require.Zero(
		t,
		one(
			`SELECT count(*) FROM sheets s WHERE s.count_id = ? AND s.picked = '' AND s.counted <> (SELECT count(*) FROM count_lines l WHERE l.count_id = s.count_id AND l.pos >= s.first AND l.pos < s.first + s.lines AND l.entries > 0)`,
			id,
		),
		"sheets",
	)
	require.Zero(
		t,
		one(
			`SELECT count(*) FROM (SELECT 1 FROM entries e WHERE e.count_id = ? AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.replaces = e.id AND r.count_id = e.count_id) GROUP BY e.pos, e.round, e.parcel HAVING count(*) > 1)`,
			id,
		),
		"a slot has one standing entry",
	)
}

// Whatever comes, in whatever order — typing, files, revisions, withdrawals, movements early and late, decisions, postings,
// undo, restarts, the end — for every line what was sent and what is open are what was counted less what was expected; every
// slot has one standing entry; the tallies foot; and after the end nothing changes any more.
func TestTruthUnderEveryOrder(t *testing.T) {
	property(t, 40, func(rt *rapid.T) {
		d, restart := restartable(t)
		m := &countModel{
			t:         t,
			rt:        rt,
			d:         d,
			restart:   restart,
			lines:     map[string]*countedLine{},
			moves:     map[int64][]countMove{},
			again:     map[string]bool{},
			rounds:    map[string]int{},
			code:      map[string]string{},
			first:     map[string]string{},
			pos:       map[string]int64{},
			tolerance: rapid.IntRange(0, 2).Draw(rt, "tolerance"),
			tolerated: rapid.Bool().Draw(rt, "tolerated go out"),
		}
		stock := "warehouse,bin,sku,quantity,unit cost,as at\n"
		for _, bin := range []string{"A-1", "A-2"} {
			for _, sku := range []string{"ROPE", "SHK", "PAINT"} {
				key := bin + " " + sku
				l := &countedLine{slots: map[string]modelCount{}}
				m.lines[key] = l
				if key != "A-1 ROPE" && key != "A-2 SHK" && key != "A-1 PAINT" && rapid.Bool().Draw(rt, key+" found") {
					continue
				}
				l.row, l.recorded = true, rapid.IntRange(0, 9).Draw(rt, key)
				cost := ""
				if c := modelCosts[sku]; c > 0 {
					cost = cents(c)
				}
				stock += fmt.Sprintf("W,%s,%s,%d,%s,%s\n", bin, sku, l.recorded, cost, modelHour(0))
			}
		}
		take(t, d, "stock.csv", stock)
		limit := quantity.Quantity(m.tolerance) * quantity.Scale
		if rapid.Bool().Draw(rt, "movements before the freeze") {
			m.moved()
		}
		scoped := count.Scope{Warehouse: 1}
		if m.partly = rapid.Bool().Draw(rt, "partly"); m.partly {
			scoped.Rules = []scope.Rule{{What: scope.SKU, Values: []string{"SHK"}, Not: true}}
			for key, l := range m.lines {
				l.beside = l.row && strings.HasSuffix(key, " SHK")
			}
		}
		c, err := d.Plan.Freeze(
			ctx,
			nell,
			plan.NewCount{Name: "x", Scope: scoped, Cut: plan.Cut{Rows: 50}, ToleranceQuantity: &limit, PostTolerated: m.tolerated},
		)
		require.NoError(rt, err)
		m.id = c.ID
		m.compare()
		for range rapid.IntRange(3, 16).Draw(rt, "events") {
			switch rapid.IntRange(0, 16).Draw(rt, "event") {
			case 0, 1, 2:
				m.typed(m.pick("key", slices.Sorted(maps.Keys(m.lines))))
			case 3:
				m.taken(true)
			case 4:
				m.taken(false)
			case 5:
				m.undone()
			case 6:
				m.moved()
			case 13:
				m.more()
			case 16:
				m.prices()
			case 14, 15:
				m.recounted()
			case 7:
				for _, id := range slices.Sorted(maps.Keys(m.moves)) {
					require.NoError(rt, m.d.Intake.Undo(ctx, nell, id, true))
					m.change(func() { delete(m.moves, id) })
					break
				}
			case 8, 9:
				for range 3 {
					m.decided()
				}
			case 10:
				m.posted()
			case 12:
				m.recut()
			case 11:
				if rapid.Bool().Draw(rt, "restart") {
					m.d = m.restart()
				} else {
					m.zeroed()
				}
			}
			m.compare()
		}
		m.ends()
	})
}

// ends finishes the count and shows that nothing goes through afterwards.
func (m *countModel) ends() {
	s, err := m.d.Today.Count(ctx, nell, m.id)
	require.NoError(m.rt, err)
	err = m.d.Adjustments.Finish(ctx, nell, m.id, adjustments.Left{})
	if s.Open > 0 {
		require.ErrorContains(m.rt, err, "not decided")
		return
	}
	left := adjustments.Left{Held: s.Held, Accepted: s.Accepted, Uncounted: s.Uncounted - s.Zeroed, Doubts: s.Doubts, Recounts: s.Recounts}
	if left != (adjustments.Left{}) {
		var asks *desk.Refusal
		require.ErrorAs(m.rt, err, &asks)
		require.Equal(m.rt, desk.Asks, asks.Kind)
		err = m.d.Adjustments.Finish(ctx, nell, m.id, left)
	}
	require.NoError(m.rt, err)
	n, before := quantity.Quantity(quantity.Scale), m.rows()
	for what, do := range map[string]func() error{
		"typing": func() error {
			_, err := m.d.Counting.TypeIn(ctx, nell, m.id, "", "", []counting.Typed{{RowCode: "x", Quantity: &n}})
			return err
		},
		"decisions": func() error {
			_, err := m.d.Variances.Decide(ctx, nell, m.id, []int64{1}, store.Accept, "")
			return err
		},
		"zeroing": func() error {
			_, err := m.d.Variances.SetZero(ctx, nell, m.id, count.UncountedPart{}, true, 0)
			return err
		},
		"hand-outs": func() error {
			return m.d.Counting.HandOut(ctx, nell, m.id, counting.Handing{Sheets: []int{1}, Counter: "x"})
		},
		"postings":    func() error { _, err := m.d.Adjustments.Post(ctx, nell, m.id, "difference", "", 0); return err },
		"undo":        func() error { return m.d.Counting.UndoReturn(ctx, nell, m.id, 1) },
		"finishing":   func() error { return m.d.Adjustments.Finish(ctx, nell, m.id, adjustments.Left{}) },
		"withdrawals": func() error { return m.d.Counting.WithdrawEntry(ctx, nell, m.id, 1, 1) },
	} {
		var r *desk.Refusal
		require.ErrorAs(m.rt, do(), &r, what)
		require.Equal(m.rt, desk.Ended, r.Kind, what)
	}
	dr, err := m.d.Intake.Upload(
		ctx,
		nell,
		"late.csv",
		strings.NewReader("bin,sku,counted,counted at\nA-1,ROPE,5,"+modelHour(2)+"\n"),
		intake.Choices{Count: m.id, Zone: "UTC"},
	)
	require.NoError(m.rt, err)
	require.Contains(m.rt, dr.Blocked, "finished")
	m.moved() // what comes late changes the records, and nothing of what was signed
	require.Equal(m.rt, before, m.rows())
}

func (m *countModel) rows() (out []store.CountLine) {
	require.NoError(m.rt, m.d.Store.Read(ctx).Where("count_id = ?", m.id).Order("pos").Find(&out).Error)
	return out
}

// Two windows, and files beside them: whatever goes on at the same time, nothing of a row is counted twice.
func TestRacesAddNothingUp(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	rows := page.Lines
	for round := range 12 {
		text := "row code,bin,sku,lot,counted,counted at\n"
		for _, l := range rows {
			text += fmt.Sprintf("%s,%s,%s,%s,%d,2026-11-20T10:00:00Z\n", l.RowCode, l.Bin, l.SKU, l.Lot, round+5)
		}
		done := make(chan error, 8)
		for who := range 3 {
			go func() {
				q := quantity.Quantity(round+who) * quantity.Scale
				for _, l := range rows {
					if _, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &q}}); err != nil {
						done <- err
						return
					}
				}
				done <- nil
			}()
			go func() {
				dr, err := d.Intake.Upload(
					ctx,
					nell,
					fmt.Sprintf("sheet %d.csv", who),
					strings.NewReader(text),
					intake.Choices{Zone: "UTC"},
				)
				if err == nil {
					_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
				}
				var r *desk.Refusal
				if errors.As(err, &r) && (r.Kind == desk.Changed || strings.Contains(r.Error(), "later version")) {
					err = nil
				}
				done <- err
			}()
		}
		for range 6 {
			require.NoError(t, <-done)
		}
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			require.Equal(t, 1, l.Entries, "%s %s", l.Bin, l.SKU)
			require.LessOrEqual(t, int64(*l.Counted), int64(round+5)*quantity.Scale)
		}
		foots(t, d, id)
	}
}
