package house_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	codes "wobin/internal/core/counting"
	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

func (m *countModel) draw(name string, from, to int) int {
	return rapid.IntRange(from, to).Draw(m.rt, name)
}

func (m *countModel) pick(name string, from []string) string {
	return rapid.SampledFrom(from).Draw(m.rt, name)
}

// typed types one row, or withdraws what stands in it.
func (m *countModel) typed(key string) {
	l, q, at := m.lines[key], m.draw("quantity", 0, 9), m.draw("hour", 1, 4)
	if m.code[key] == "" {
		return
	}
	own, had := l.slots["own"]
	if had && m.draw("withdraw", 0, 3) == 0 {
		_, err := m.d.Counting.TypeIn(ctx, nell, m.id, "", "UTC", []counting.Typed{{RowCode: m.code[key], Withdraw: true}})
		require.NoError(m.rt, err)
		m.change(func() { delete(l.slots, "own") })
		return
	}
	n, when := quantity.Quantity(q)*quantity.Scale, modelHour(at)
	if had && m.draw("same hour", 0, 1) == 0 {
		at, when = own.at, ""
	}
	again := ""
	if _, free := l.slots["free"]; free && !had {
		_, err := m.d.Counting.TypeIn(ctx, nell, m.id, "", "UTC", []counting.Typed{{RowCode: m.code[key], Quantity: &n, CountedAt: when}})
		require.ErrorContains(m.rt, err, "counted already")
		again = m.pick("again", []string{count.AddUp, count.Replace})
	}
	_, err := m.d.Counting.TypeIn(
		ctx,
		nell,
		m.id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: m.code[key], Quantity: &n, CountedAt: when, Again: again}},
	)
	require.NoError(m.rt, err)
	m.change(func() {
		if !had || own.quantity != q || own.at != at {
			l.put("own", q, at, false)
		}
		if again == count.Replace {
			delete(l.slots, "free")
		}
	})
}

// taken drops a file of counts and answers what it asks. coded: a sheet with row codes.
func (m *countModel) taken(coded bool) {
	slot, at := "free", m.draw("hour", 1, 4)
	text := "bin,sku,counted,counted at\n"
	if coded {
		slot, text = "own", "row code,bin,sku,counted,counted at\n"
	}
	counts := map[string]int{}
	for _, key := range slices.Sorted(maps.Keys(m.lines)) {
		if coded && m.code[key] == "" || m.draw("in the file", 0, 2) == 0 {
			continue
		}
		bin, sku, _ := strings.Cut(key, " ")
		q := m.draw("counted", 0, 9)
		counts[key] = q
		row := fmt.Sprintf("%s,%s,%d,%s\n", bin, sku, q, modelHour(at))
		if coded { // the paper of a sheet before it was cut anew says the same
			row = rapid.SampledFrom([]string{m.code[key], m.first[key]}).Draw(m.rt, "code") + "," + row
		}
		text += row
	}
	if len(counts) == 0 {
		return
	}
	m.file++
	dr, err := m.d.Intake.Upload(
		ctx,
		nell,
		fmt.Sprintf("counts-%d.csv", m.file),
		strings.NewReader(text),
		intake.Choices{Count: m.id, Zone: "UTC"},
	)
	require.NoError(m.rt, err)
	require.Empty(m.rt, dr.Problems)
	asked, missing, again := map[string]bool{}, "", ""
	for _, c := range dr.Sheets[0].Checks {
		answer := rapid.SampledFrom(c.Options).Draw(m.rt, c.What).Value
		asked[c.What] = true
		if c.What == "missing" {
			missing = answer
		} else {
			again = answer
		}
		dr, err = m.d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: c.What, Value: answer})
		require.NoError(m.rt, err)
	}
	if (again == "leave" || again == "tray") && dr.Effect.Added+dr.Effect.Changed+dr.Effect.Unchanged+dr.Effect.Gone == 0 {
		return // nothing is left to be done
	}
	require.Empty(m.rt, dr.Blocked)
	// What should have been asked.
	wantAgain, revises, gone, sheets := false, false, map[string]bool{}, map[int]bool{}
	for key := range counts {
		sheets[m.sheet(key)] = true
	}
	other := map[string]string{"own": "free", "free": "own"}[slot]
	for key, l := range m.lines {
		_, in := counts[key]
		s, had := l.slots[slot]
		switch _, elsewhere := l.slots[other]; {
		case in && had:
			revises = revises || s.file
		case in && elsewhere:
			wantAgain = true
		case !in && had && coded && sheets[m.sheet(key)]: // of the sheets that it has rows of
			gone[key] = true
		}
	}
	require.Equal(m.rt, wantAgain, asked["again"], "counted elsewhere already")
	require.Equal(m.rt, revises && len(gone) > 0, asked["missing"], "no more in a later version")
	out, err := m.d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(m.rt, err)
	r := modelReturn{id: out.Return, before: map[string]map[string]modelCount{}, born: map[string]map[string]int{}}
	m.change(func() {
		touch := func(key string) *countedLine {
			l := m.lines[key]
			if r.before[key] == nil {
				r.before[key], r.born[key] = maps.Clone(l.slots), map[string]int{}
			}
			return l
		}
		for key, q := range counts {
			s, had := m.lines[key].slots[slot]
			if had && s.quantity == q && s.at == at {
				continue
			}
			_, elsewhere := m.lines[key].slots[other]
			if !had && elsewhere && (again == "leave" || again == "tray") { // what waits counts for nothing
				continue
			}
			l := touch(key)
			if !had && elsewhere && again == count.Replace {
				delete(l.slots, other)
				r.born[key][other] = 0
			}
			l.put(slot, q, at, true)
			r.born[key][slot] = births
		}
		if missing == "withdraw" {
			for key := range gone {
				delete(touch(key).slots, slot)
				r.born[key][slot] = 0
			}
		}
	})
	m.returns = append(m.returns, r)
}

// sheet is the number of the sheet that a line is on; 0 for none.
func (m *countModel) sheet(key string) int {
	_, n, _, _ := codes.ParseCode(m.code[key])
	return n
}

// recut cuts sheets anew, or parts one, which changes nothing about any figure.
func (m *countModel) recut() {
	sheets, err := allSheets(m.d, m.id)
	require.NoError(m.rt, err)
	sheets = slices.DeleteFunc(sheets, func(s counting.SheetView) bool { return s.Recount > 0 })
	s := sheets[m.draw("sheet", 0, len(sheets)-1)]
	bins, err := m.d.Plan.SheetBins(ctx, nell, m.id, s.Number)
	require.NoError(m.rt, err)
	switch {
	case s.State == "with us" && s.Counted == 0 && rapid.Bool().Draw(m.rt, "anew"):
		_, err = m.d.Plan.CutAnew(
			ctx,
			nell,
			m.id,
			plan.Recut{Sheets: []int{s.Number}, Cut: plan.Cut{By: "size", Rows: m.draw("rows", 1, 3)}},
		)
	case s.State != "back" && len(bins) > 1:
		_, err = m.d.Plan.Part(ctx, nell, m.id, s.Number, bins[1].Bin, m.pick("who", []string{"", "Ada"}))
	}
	require.NoError(m.rt, err)
}

// more gives a count of a part the rest: as it was at the freeze, or as newer stock has it, which is a freeze of its own.
func (m *countModel) more() {
	if !m.partly || m.given {
		return
	}
	m.given = true
	later, hour := rapid.Bool().Draw(m.rt, "later"), 0
	now := map[string]int{}
	if later {
		hour = 1
		text := "warehouse,bin,sku,quantity,unit cost,as at\n"
		for _, key := range slices.Sorted(maps.Keys(m.lines)) {
			l := m.lines[key]
			bin, sku, _ := strings.Cut(key, " ")
			q, cost := l.recorded, ""
			if sku == "SHK" && (l.row || rapid.Bool().Draw(m.rt, "new")) {
				q = m.draw("recorded now", 0, 9)
				now[key] = q
			} else if !l.row {
				continue
			}
			if c := modelCosts[sku]; c > 0 {
				cost = cents(c)
			}
			text += fmt.Sprintf("W,%s,%s,%d,%s,%s\n", bin, sku, q, cost, modelHour(hour))
		}
		take(m.t, m.d, "newer.csv", text)
	} else {
		for key, l := range m.lines {
			if l.row && strings.HasSuffix(key, " SHK") {
				now[key] = l.recorded
			}
		}
	}
	maps.DeleteFunc(now, func(key string, _ int) bool { return m.lines[key].made }) // it has these, beside
	x, err := m.d.Plan.AddMore(ctx, nell, m.id, plan.More{Later: later, Cut: plan.Cut{Rows: 50},
		Scope: count.Scope{Rules: []scope.Rule{{What: scope.SKU, Values: []string{"SHK"}}}}})
	if len(now) == 0 {
		require.ErrorContains(m.rt, err, "has all of it already")
		return
	}
	require.NoError(m.rt, err)
	require.Equal(m.rt, len(now), x.Lines)
	m.change(func() {
		for key, q := range now {
			l := m.lines[key]
			l.row, l.beside, l.recorded, l.frozen = true, false, q, hour
		}
	})
}

// recounted counts one or two lines again, wholly or in part.
func (m *countModel) recounted() {
	var keys []string
	for _, key := range slices.Sorted(maps.Keys(m.lines)) {
		if m.there(key) && m.pos[key] != 0 {
			keys = append(keys, key)
		}
	}
	if len(keys) == 0 {
		return
	}
	some := []string{m.pick("again", keys)}
	if other := m.pick("and", keys); other != some[0] {
		some = append(some, other)
	}
	var positions []int64
	round, blocked := store.FirstRecount, false
	for _, key := range some {
		positions = append(positions, m.pos[key])
		round, blocked = max(round, m.rounds[key]+1), blocked || m.again[key]
	}
	made, err := m.d.Plan.Recount(ctx, nell, m.id, plan.Again{Lines: positions})
	if blocked {
		require.ErrorContains(m.rt, err, "counted again already")
		return
	}
	require.NoError(m.rt, err)
	require.Equal(m.rt, round, made.Round+store.FirstRecount-1)
	page, err := m.d.Counting.CountLines(ctx, nell, m.id, desk.Filter{Sheet: made.Sheets[0], Limit: 10})
	require.NoError(m.rt, err)
	require.Len(m.rt, page.Lines, len(some))
	whole := true
	for _, l := range page.Lines {
		key := l.Bin + " " + l.SKU
		m.rounds[key] = round
		if m.draw("left out", 0, 3) == 0 {
			whole = false
			continue
		}
		q, at := m.draw("quantity", 0, 9), m.draw("hour", 1, 4)
		n := quantity.Quantity(q) * quantity.Scale
		_, err := m.d.Counting.TypeIn(ctx, nell, m.id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: &n, CountedAt: modelHour(at),
			Counter: fmt.Sprint("P", round)}})
		require.NoError(m.rt, err)
		m.change(func() { m.lines[key].put(fmt.Sprint("r", round), q, at, false) })
	}
	for _, key := range some {
		m.again[key] = !whole
	}
}

// undone takes a file of counts back: each of its counts gives way to what stood before, unless it was changed since.
func (m *countModel) undone() {
	if len(m.returns) == 0 {
		return
	}
	r := &m.returns[m.draw("return", 0, len(m.returns)-1)]
	blocked := r.undone
	for key, slots := range r.born {
		for slot, born := range slots {
			s, stands := m.lines[key].slots[slot]
			blocked = blocked || born != 0 && (!stands || s.born != born)
			if born == 0 { // whatever came into it since replaced the withdrawal
				blocked = blocked || stands
			}
		}
	}
	err := m.d.Counting.UndoReturn(ctx, nell, m.id, r.id)
	if blocked {
		require.Error(m.rt, err)
		return
	}
	if err != nil { // a slot may have been filled and emptied again meanwhile, which the model does not remember
		require.ErrorContains(m.rt, err, "changed since")
		return
	}
	r.undone = true
	m.change(func() {
		for key, slots := range r.born {
			l := m.lines[key]
			for slot := range slots {
				if was, had := r.before[key][slot]; had {
					l.put(slot, was.quantity, was.at, was.file)
					x := l.slots[slot]
					x.file = false // what an undo puts back came with no file
					l.slots[slot] = x
				} else {
					delete(l.slots, slot)
				}
			}
		}
	})
}

func (m *countModel) moved() {
	file := "warehouse,bin,sku,quantity,at,reference\n"
	m.file++
	var list []countMove
	for i := range m.draw("movements", 1, 3) {
		x := countMove{
			m.pick("key", slices.Sorted(maps.Keys(m.lines))),
			rapid.SampledFrom([]int{-3, -1, 2, 4}).Draw(m.rt, "by"),
			m.draw("at", -1, 5),
		}
		bin, sku, _ := strings.Cut(x.key, " ")
		file += fmt.Sprintf("W,%s,%s,%d,%s,M%d-%d\n", bin, sku, x.quantity, modelHour(x.at), m.file, i)
		list = append(list, x)
	}
	dr, err := m.d.Intake.Upload(ctx, nell, "moves.csv", strings.NewReader(file), intake.Choices{Zone: "UTC"})
	require.NoError(m.rt, err)
	require.Empty(m.rt, dr.Blocked)
	out, err := m.d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(m.rt, err)
	m.change(func() { m.moves[out.Intake] = list })
}

// prices takes in a list of what items cost, or undoes the last one.
func (m *countModel) prices() {
	if n := len(m.priced); n > 0 && rapid.Bool().Draw(m.rt, "undo the list") {
		require.NoError(m.rt, m.d.Intake.Undo(ctx, nell, m.priced[n-1].intake, true))
		m.priced = m.priced[:n-1]
		return
	}
	paint := m.draw("paint costs", 1, 300)
	m.file++
	dr, err := m.d.Intake.Upload(ctx, nell, "costs.csv", strings.NewReader(fmt.Sprintf("SKU,Description,Unit cost\nPAINT,Paint %d,%s\n", m.file, cents(paint))),
		intake.Choices{})
	require.NoError(m.rt, err)
	require.Empty(m.rt, dr.Blocked)
	out, err := m.d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(m.rt, err)
	m.priced = append(m.priced, modelPrices{out.Intake, paint})
}

func (m *countModel) decided() {
	key := m.pick("key", slices.Sorted(maps.Keys(m.pos)))
	if !m.there(key) {
		return
	}
	kind := m.pick("decision", []string{store.Accept, store.Accept, store.Hold, ""})
	_, err := m.d.Variances.Decide(ctx, nell, m.id, []int64{m.pos[key]}, kind, "")
	require.Equal(m.rt, m.work(key).wants, err == nil, "%s: %v", key, err)
	if err == nil {
		m.lines[key].decision = kind
	}
}

func (m *countModel) posted() {
	mode := m.pick("mode", []string{"difference", "difference", "in-out", "counted"})
	v, err := m.d.Adjustments.PreviewPosting(ctx, nell, m.id, mode)
	require.NoError(m.rt, err)
	if v.Blocked != "" {
		require.Equal(m.rt, "counted", mode, v.Blocked)
		return
	}
	want := 0
	for key, l := range m.lines {
		w := m.work(key)
		goes := w.wants && l.decision == store.Accept ||
			mode == "counted" && !w.wants && l.posts == 0 && (w.status == "match" || w.status == "tolerated")
		if m.there(key) && goes {
			want++
		}
	}
	require.Equal(m.rt, want, v.Lines)
	if want == 0 {
		return
	}
	_, err = m.d.Adjustments.Post(ctx, nell, m.id, mode, "", v.Lines+1)
	require.ErrorContains(m.rt, err, "Look at the file again")
	_, err = m.d.Adjustments.Post(ctx, nell, m.id, mode, "", v.Lines)
	require.NoError(m.rt, err)
	for key, l := range m.lines {
		w := m.work(key)
		if m.there(key) &&
			(w.wants && l.decision == store.Accept || mode == "counted" && !w.wants && l.posts == 0 && (w.status == "match" ||
				w.status == "tolerated")) {
			l.sentCost = m.cost(key)
			l.sentCents = w.variance * l.sentCost
			l.sent, l.decision = l.sent+w.rest, ""
			l.posts++
		}
	}
}

func (m *countModel) zeroed() {
	zero := m.draw("zero", 0, 1) == 1
	u, err := m.d.Variances.SeeUncounted(ctx, nell, m.id, count.UncountedPart{})
	require.NoError(m.rt, err)
	n, value := u.Zeroed, 0
	wantLines, wantZeroed := 0, 0
	for key, l := range m.lines {
		if !m.there(key) || len(l.slots) > 0 {
			continue
		}
		switch w := m.work(key); {
		case l.zeroed:
			wantZeroed++
		case w.expected != 0:
			wantLines++
			value -= w.expected * m.cost(key)
		}
	}
	require.Equal(m.rt, []any{wantLines, wantZeroed, cents(value)}, []any{u.Lines, u.Zeroed, u.Value.String()})
	if zero {
		n = u.Lines
	}
	_, err = m.d.Variances.SetZero(ctx, nell, m.id, count.UncountedPart{}, zero, n)
	require.Equal(m.rt, n > 0, err == nil, "%v", err)
	if err != nil {
		return
	}
	m.change(func() {
		for key, l := range m.lines {
			if m.there(key) && len(l.slots) == 0 && (!zero || m.work(key).expected != 0) {
				l.zeroed = zero
			}
		}
	})
}
