package desk

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/store"
)

// countedKey is a key of the model's count: whole pieces, cents, hours after the freeze.
type countedKey struct {
	row      bool
	recorded int
	entry    *modelEntry
	decision string
}

type modelEntry struct {
	quantity, at int
	typed        bool
}

type modelMove struct {
	key          string
	quantity, at int
}

// countModel is a count as plain figures, against which the records are held after every step.
type countModel struct {
	lines     map[string]*countedKey // by bin and SKU
	moves     []modelMove
	tolerance int
}

var modelCosts = map[string]int{"ROPE": 250, "SHK": 99, "PAINT": 0} // in cents; paint has none

// figures works a key out: what moved and is expected, and where it was counted the variance and its status.
func (m *countModel) figures(key string) (moved, expected, variance int, status string) {
	l, latest := m.lines[key], 0
	for _, o := range m.lines {
		if o.entry != nil {
			latest = max(latest, o.entry.at)
		}
	}
	upTo, any := latest, false
	if l.entry != nil {
		upTo = l.entry.at
	}
	for _, x := range m.moves {
		if x.key != key || x.at <= 0 {
			continue
		}
		any = true
		if x.at <= upTo {
			moved += x.quantity
		}
	}
	expected = l.recorded + moved
	if l.entry == nil {
		return moved, expected, 0, "uncounted"
	}
	variance = l.entry.quantity - expected
	switch {
	case variance == 0:
		status = "match"
	case max(variance, -variance) <= m.tolerance:
		status = "tolerated"
	case !l.row && !any && l.entry.quantity > 0:
		status = "found"
	case variance > 0:
		status = "over"
	default:
		status = "short"
	}
	return moved, expected, variance, status
}

func isOff(status string) bool { return status == "over" || status == "short" || status == "found" }

func cents(c int) string {
	return fmt.Sprintf("%s%d.%02d", map[bool]string{true: "-"}[c < 0], max(c, -c)/100, max(c, -c)%100)
}

func costOf(key string) (int, bool) {
	_, sku, _ := strings.Cut(key, " ")
	return modelCosts[sku], modelCosts[sku] > 0
}

// told is how all lines should be told.
func (m *countModel) told() map[string]string {
	out := map[string]string{}
	for key, l := range m.lines {
		moved, expected, variance, status := m.figures(key)
		text := fmt.Sprintf("%d %+d = %d, %s", l.recorded, moved, expected, status)
		if l.entry != nil {
			text += fmt.Sprintf(" %d: %+d", l.entry.quantity, variance)
			if cost, known := costOf(key); known {
				text += " worth " + cents(variance*cost)
			}
		}
		out[key] = text + " " + l.decision
	}
	return out
}

// settle lets decisions fall whose figures changed.
func (m *countModel) settle(change func()) {
	before := map[string]int{}
	for key := range m.lines {
		_, _, before[key], _ = m.figures(key)
	}
	change()
	for key, l := range m.lines {
		if _, _, v, status := m.figures(key); l.decision == store.Accept && (v != before[key] || !isOff(status)) {
			l.decision = ""
		}
	}
}

// Whatever is typed, taken in, moved, decided and undone in whatever order, the records hold what a plain model of the
// count holds; the tallies foot; and what goes out is what was accepted.
func TestCountAgainstModel(t *testing.T) {
	frozenAt := time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	hour := func(h int) string { return frozenAt.Add(time.Duration(h) * time.Hour).Format(time.RFC3339) }
	rapid.Check(t, func(rt *rapid.T) {
		d := at(t)
		m := &countModel{lines: map[string]*countedKey{}, tolerance: rapid.IntRange(0, 2).Draw(rt, "tolerance")}
		stock := "warehouse,bin,sku,quantity,unit cost,as at\n"
		var keys, found []string
		for _, bin := range []string{"A-1", "A-2", "B-1"} {
			for _, sku := range []string{"ROPE", "SHK", "PAINT"} {
				key := bin + " " + sku
				if key != "A-1 ROPE" && key != "A-2 SHK" && key != "B-1 PAINT" && rapid.Bool().Draw(rt, key) {
					found = append(found, key)
					continue
				}
				n, cost := rapid.IntRange(0, 9).Draw(rt, key), ""
				if c, known := costOf(key); known {
					cost = cents(c)
				}
				stock += fmt.Sprintf("W,%s,%s,%d,%s,%s\n", bin, sku, n, cost, hour(0))
				m.lines[key], keys = &countedKey{row: true, recorded: n}, append(keys, key)
			}
		}
		take(t, d, "stock.csv", stock)
		limit := quantity.Quantity(m.tolerance) * quantity.Scale
		c, err := d.Freeze(ctx, nell, NewCount{Name: "x", Scope: Scope{Warehouse: 1}, Rows: 50, ToleranceQuantity: &limit})
		require.NoError(rt, err)
		pos, code := map[string]int64{}, map[string]string{}
		compare := func() {
			page, err := d.CountLines(ctx, nell, c.ID, Filter{Limit: 1000})
			require.NoError(rt, err)
			got := map[string]string{}
			for _, l := range page.Lines {
				key := l.Bin + " " + l.SKU
				pos[key], code[key] = l.Pos, l.RowCode
				moved := l.Moved.String()
				if l.Moved >= 0 {
					moved = "+" + moved
				}
				text := fmt.Sprintf("%s %s = %s, %s", l.Recorded, moved, l.Expected, l.Status)
				if l.Counted != nil {
					sign := ""
					if *l.Variance >= 0 {
						sign = "+"
					}
					text += fmt.Sprintf(" %s: %s%s", l.Counted, sign, l.Variance)
					if l.Value != nil {
						text += " worth " + l.Value.String()
					}
				}
				got[key] = text + " " + l.Decision
			}
			require.Equal(rt, m.told(), got)
			m.foots(rt, d, c.ID)
		}
		compare()
		var moved [][2]int64 // intakes of movements, and how many there were before
		for step := range rapid.IntRange(3, 14).Draw(rt, "steps") {
			key := rapid.SampledFrom(keys).Draw(rt, "key")
			q, at := rapid.IntRange(0, 9).Draw(rt, "quantity"), rapid.IntRange(1, 3).Draw(rt, "hour")
			switch what := rapid.IntRange(0, 5).Draw(rt, "what"); {
			case what == 0: // movements, before and after the freeze
				file := "warehouse,bin,sku,quantity,at,reference\n"
				moved = append(moved, [2]int64{0, int64(len(m.moves))})
				m.settle(func() {
					for i := range rapid.IntRange(1, 3).Draw(rt, "movements") {
						x := modelMove{rapid.SampledFrom(keys).Draw(rt, "moved"), rapid.SampledFrom([]int{-3, -1, 2, 4}).Draw(rt, "by"), rapid.IntRange(-1, 4).Draw(rt, "at")}
						bin, sku, _ := strings.Cut(x.key, " ")
						file += fmt.Sprintf("W,%s,%s,%d,%s,M%d-%d\n", bin, sku, x.quantity, hour(x.at), step, i)
						m.moves = append(m.moves, x)
					}
				})
				moved[len(moved)-1][0] = take(t, d, "moves.csv", file).Intake
			case what == 1 && len(moved) > 0:
				last := moved[len(moved)-1]
				require.NoError(rt, d.Undo(ctx, nell, last[0], true))
				m.settle(func() { m.moves = m.moves[:last[1]] })
				moved = moved[:len(moved)-1]
			case what == 2 && len(found) > 0: // what no record knows to be there
				key, found = found[0], found[1:]
				m.settle(func() { m.lines[key] = &countedKey{entry: &modelEntry{quantity: q, at: at}} })
				bin, sku, _ := strings.Cut(key, " ")
				takeCounts(t, d, c.ID, fmt.Sprintf("W,%s,%s,,%d,%s\n", bin, sku, q, hour(at)))
			case what == 3:
				_, _, _, status := m.figures(key)
				kind := rapid.SampledFrom([]string{store.Accept, store.Hold, ""}).Draw(rt, "decision")
				_, err := d.Decide(ctx, nell, c.ID, []int64{pos[key]}, kind, "")
				if require.Equal(rt, isOff(status), err == nil, "%v", err); err == nil {
					m.lines[key].decision = kind
				}
			case m.lines[key].entry == nil && rapid.Bool().Draw(rt, "by file"):
				m.settle(func() { m.lines[key].entry = &modelEntry{quantity: q, at: at} })
				bin, sku, _ := strings.Cut(key, " ")
				takeCounts(t, d, c.ID, fmt.Sprintf("W,%s,%s,,%d,%s\n", bin, sku, q, hour(at)))
			case m.lines[key].entry == nil || m.lines[key].entry.typed: // a second time replaces, and keeps its hour unless it says another
				n, when := quantity.Quantity(q)*quantity.Scale, hour(at)
				if e := m.lines[key].entry; e != nil && rapid.Bool().Draw(rt, "same hour") {
					at, when = e.at, ""
				}
				m.settle(func() { m.lines[key].entry = &modelEntry{q, at, true} })
				_, err := d.TypeIn(ctx, nell, c.ID, fmt.Sprint("typed ", step), "UTC", []Typed{{RowCode: code[key], Quantity: &n, CountedAt: when}})
				require.NoError(rt, err)
			}
			compare()
		}
		m.goesOut(rt, d, c.ID)
	})
}

// foots holds the tallies of a count against its lines.
func (m *countModel) foots(rt *rapid.T, d *Desk, id int64) {
	s, err := d.Count(ctx, nell, id)
	require.NoError(rt, err)
	want, counted, exact, rows, rowsCounted, over, short := StageLine{Lines: len(m.lines)}, 0, 0, 0, 0, 0, 0
	for key, l := range m.lines {
		_, _, v, status := m.figures(key)
		cost, _ := costOf(key)
		if l.row {
			rows++
		}
		if l.entry == nil {
			want.Uncounted++
			continue
		}
		if counted++; l.row {
			rowsCounted++
		}
		if !isOff(status) {
			exact++
			continue
		}
		want.Variances++
		switch l.decision {
		case store.Accept:
			want.Accepted++
			continue
		case store.Hold:
			want.Held++
			continue
		}
		want.Open++
		over, short = over+max(v, 0)*cost, short+min(v, 0)*cost
	}
	got := []any{s.RecordedLines, s.Lines, s.Counted, s.Uncounted, s.Variances, s.Open, s.Accepted, s.Held, s.Posted, s.OpenOver.String(), s.OpenShort.String(), s.OpenValue.String()}
	require.Equal(rt, []any{rows, want.Lines, counted, want.Uncounted, want.Variances, want.Open, want.Accepted, want.Held, 0, cents(over), cents(short), cents(over - short)}, got)
	percent := func(n, of int) string { // rounded half up, which is half away from zero here
		c := (n*10000*2 + of) / (2 * of)
		return fmt.Sprintf("%d.%02d", c/100, c%100)
	}
	if counted == 0 {
		require.Nil(rt, s.Accuracy)
	} else {
		require.Equal(rt, percent(exact, counted), s.Accuracy.String())
	}
	require.Equal(rt, percent(rowsCounted, rows), s.Coverage.String())
}

// goesOut sends out what was accepted, as differences; a balance counts what moved since, and is refused below zero.
func (m *countModel) goesOut(rt *rapid.T, d *Desk, id int64) {
	differences, balances, below := []string{}, []string{}, false
	for _, key := range slices.Sorted(maps.Keys(m.lines)) {
		l := m.lines[key]
		if l.decision != store.Accept {
			continue
		}
		_, _, v, _ := m.figures(key)
		balance := l.entry.quantity
		for _, x := range m.moves {
			if x.key == key && x.at > l.entry.at {
				balance += x.quantity
			}
		}
		below = below || balance < 0
		differences, balances = append(differences, fmt.Sprintf("%s %d", key, v)), append(balances, fmt.Sprintf("%s %d", key, balance))
	}
	rows := func(text string) []string {
		out := []string{}
		for _, line := range strings.Split(strings.TrimSpace(text), "\n")[1:] {
			c := strings.Split(line, ",")
			out = append(out, strings.Join([]string{c[1], c[2], c[8]}, " "))
		}
		slices.Sort(out)
		return out
	}
	v, err := d.PreviewPosting(ctx, nell, id, "balance")
	require.NoError(rt, err)
	if require.Equal(rt, below, v.Blocked != "", v.Blocked); !below {
		require.Equal(rt, balances, rows(v.Text))
	}
	p, err := d.Post(ctx, nell, id, "difference", "", len(differences))
	if len(differences) == 0 {
		require.ErrorContains(rt, err, "No accepted line")
		return
	}
	require.NoError(rt, err)
	_, kept, err := d.PostingFile(ctx, nell, id, p.Number)
	require.NoError(rt, err)
	file := readAll(rt, kept)
	require.Equal(rt, differences, rows(string(file)))
	_, err = d.Post(ctx, nell, id, "difference", "", len(differences))
	require.ErrorContains(rt, err, "No accepted line", "a line goes out once")
	s, err := d.Count(ctx, nell, id)
	require.NoError(rt, err)
	require.Equal(rt, []int{0, len(differences)}, []int{s.Accepted, s.Posted})
	proof, err := d.VerifyChain(ctx)
	require.NoError(rt, err)
	require.Zero(rt, proof.Broken, proof.Text)
	require.Positive(rt, proof.Links)
}
