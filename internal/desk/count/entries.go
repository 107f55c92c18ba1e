package count

import (
	"cmp"
	"database/sql/driver"
	"encoding/json"
	"maps"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// StandingOf gives the entries of a count that stand on some lines, for holding others against them.
func StandingOf(w *desk.Work, c *store.Count, p store.Positions, sheets map[int64]int) (out []counting.Standing, err error) {
	err = store.Standing(w.Tx, c.ID, p, func(e *store.Entry) error {
		out = append(
			out,
			counting.Standing{
				ID:        e.ID,
				Pos:       e.Pos,
				Round:     e.Round,
				Parcel:    e.Parcel,
				Sheet:     sheets[e.SheetID],
				Quantity:  quantity.Quantity(e.Quantity),
				At:        e.CountedAt,
				Since:     e.Since,
				Counter:   e.Counter,
				Withdrawn: e.Withdrawn,
				FromFile:  e.ReturnID != 0,
			},
		)
		return nil
	})
	return out, err
}

// FoundKey is a key that the count has no line for: bin and item as the records number them.
type FoundKey struct {
	Bin, Item            int64
	Lot, Serial, Holding string
}

// AddLines makes lines for keys that the count has none for, with the unit costs that found stock has, and finds them the
// movements since the freeze. It gives their positions.
func AddLines(w *desk.Work, c *store.Count, keys []FoundKey, sheets map[FoundKey]int64) (map[FoundKey]int64, error) {
	if len(keys) == 0 {
		return nil, nil
	}
	last, err := store.LastLine(w.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	items := make([]int64, len(keys))
	for i, k := range keys {
		items[i] = k.Item
	}
	costs, err := foundCosts(w, c, items)
	if err != nil {
		return nil, err
	}
	recorded, err := recordedOf(w, c, keys)
	if err != nil {
		return nil, err
	}
	own, err := store.ItemCosts(w.Tx, items...)
	if err != nil {
		return nil, err
	}
	columns := ColumnsOf(c)
	lines, positions, made := make([]store.CountLine, len(keys)), map[FoundKey]int64{}, make([]int64, len(keys))
	for i, k := range keys {
		last++
		lines[i] = store.CountLine{
			CountID: c.ID,
			Pos:     last,
			BinID:   k.Bin,
			ItemID:  k.Item,
			Lot:     k.Lot,
			Serial:  k.Serial,
			Holding: k.Holding,
			SheetID: sheets[k],
		}
		cost := costs[k.Item]
		if r := recorded[k]; r != nil { // it is not in the scope, but no find either
			l := &lines[i]
			l.Beside, l.Recorded, l.RecordID = true, r.Quantity, r.RecordID
			item, known := own[k.Item]
			cost = stock.LineCost(store.CostingOf(r.Cost, stock.CostOfLine), stock.Costing{Cost: item, Known: known})
			if len(columns) > 0 && r.Attributes != "" {
				kept := map[string]string{}
				if err := json.Unmarshal([]byte(r.Attributes), &kept); err != nil {
					return nil, err
				}
				own := map[string]string{}
				for name, v := range kept {
					own[field.LineAttribute+name] = v
				}
				if l.Attributes, err = KeepColumns(own, columns); err != nil {
					return nil, err
				}
			}
		}
		lines[i].Cost, lines[i].CostOf = store.Stored(cost)
		positions[k], made[i] = last, last
	}
	return positions, put(w, c, lines, made)
}

// put adds lines with what a count knows of their items, and finds them the movements since the freeze.
func put(w *desk.Work, c *store.Count, lines []store.CountLine, positions []int64) error {
	if err := store.AddCountLines(w.Tx, c.ID, lines); err != nil {
		return err
	}
	items := make([]int64, len(lines))
	for i := range lines {
		items[i] = lines[i].ItemID
	}
	list, err := json.Marshal(items)
	if err != nil {
		return err
	}
	if err := w.Exec(`INSERT OR IGNORE INTO count_items SELECT ?, id, category, class FROM items WHERE id IN (SELECT value FROM json_each(?))`, c.ID, string(list)).Error; err != nil {
		return err
	}
	if _, err := NoteElsewhere(w, c, positions, 0); err != nil {
		return err
	}
	return findMoves(w, c, ofSomeLines, positions)
}

// AddRows adds recorded lines with rows on sheets to a count that runs, uncounted, and works them out. frozen is the moment of
// their freeze, where it is a later one than the count's; else 0.
func AddRows(w *desk.Work, c *store.Count, lines []store.CountLine, frozen int64) error {
	positions := make([]int64, len(lines))
	for i := range lines {
		positions[i], lines[i].Frozen = lines[i].Pos, frozen
	}
	if err := put(w, c, lines, positions); err != nil {
		return err
	}
	return WorkOut(w, c, positions, false)
}

// TakeOut takes lines off their sheet, of which nothing was counted: they are beside the count from then on, and count for nothing.
func TakeOut(w *desk.Work, c *store.Count, positions []int64) error {
	return Alter(w, c, positions, func(l *store.CountLine) { l.HasRow, l.Beside, l.Zeroed = false, true, false })
}

// TakeIn puts the lines of a sheet that was let go on it again.
func TakeIn(w *desk.Work, c *store.Count, s *store.Sheet) error {
	to := s.First + int64(s.Let)
	var positions []int64
	if err := w.Raw("SELECT pos FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ?", c.ID, s.First, to).Scan(&positions).Error; err != nil {
		return err
	}
	return Alter(w, c, positions, func(l *store.CountLine) { l.HasRow, l.Beside = true, false })
}

// CountedOn sets how many rows of a sheet have a count in its round.
func CountedOn(w *desk.Work, c *store.Count, s *store.Sheet) error {
	has := "entries > second"
	if s.InRound() == 2 {
		has = "second > 0"
	}
	if s.Recount() {
		n := map[int64]bool{}
		err := store.Standing(w.Tx, c.ID, s.Positions(), func(e *store.Entry) error {
			if e.Round == s.Round && !e.Withdrawn {
				n[e.Pos] = true
			}
			return nil
		})
		s.Counted = len(n)
		return err
	}
	return w.Raw("SELECT count(*) FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ? AND "+has, c.ID, s.First, s.First+int64(s.Lines)).
		Scan(&s.Counted).
		Error
}

// recordedOf gives what was recorded of keys when the count was frozen.
func recordedOf(w *desk.Work, c *store.Count, keys []FoundKey) (map[FoundKey]*store.StockLine, error) {
	out := make(map[FoundKey]*store.StockLine, len(keys))
	if c.SetID == 0 {
		return out, nil
	}
	in := map[int64]bool{}
	for _, k := range keys {
		in[k.Bin], out[k] = true, nil
	}
	return out, store.RecordedIn(w.Tx, c.SetID, slices.Sorted(maps.Keys(in)), func(l *store.StockLine) error {
		k := FoundKey{Bin: l.BinID, Item: l.ItemID, Lot: l.Lot, Serial: l.Serial, Holding: l.Holding}
		if _, wanted := out[k]; wanted {
			out[k] = l
		}
		return nil
	})
}

// What findMoves looks through, each beside an index by which the other side is found: lines and movements are both many.
const (
	ofLines     = "count_lines l CROSS JOIN movements m INDEXED BY movements_key WHERE ?1 = 'null'" // all of them
	ofSomeLines = "json_each(?1) j CROSS JOIN count_lines l ON l.pos = j.value CROSS JOIN movements m INDEXED BY movements_key WHERE true"
	ofMovements = "json_each(?1) j CROSS JOIN movements m ON m.id = j.value CROSS JOIN count_lines l INDEXED BY count_lines_bin WHERE true"
)

// findMoves finds movements since the freeze their lines, for the lines or the movements of some numbers.
func findMoves(w *desk.Work, c *store.Count, of string, numbers []int64) error {
	b, err := json.Marshal(numbers)
	if err != nil {
		return err
	}
	return w.Exec(
		`INSERT OR IGNORE INTO count_moves (count_id, pos, at, movement_id, quantity) SELECT l.count_id, l.pos, m.at, m.id, m.quantity FROM `+of+`
			AND l.count_id = ?2 AND m.item_id = l.item_id AND m.bin_id = l.bin_id AND m.lot = l.lot AND m.serial = l.serial AND m.holding = l.holding
			AND m.warehouse_id = ?3 AND m.at > CASE l.frozen WHEN 0 THEN ?4 ELSE l.frozen END`,
		string(b),
		c.ID,
		c.WarehouseID,
		c.FrozenAt,
	).Error
}

// foundCosts finds the unit costs of items for keys without a recorded row, by the core's rule: of the frozen set, of what
// the other warehouses have recorded, and of the items themselves.
func foundCosts(w *desk.Work, c *store.Count, items []int64) (map[int64]stock.Costing, error) {
	b, err := json.Marshal(items)
	if err != nil {
		return nil, err
	}
	type known struct {
		here, anywhere stock.Agreed
		own            *int64
	}
	all := map[int64]*known{}
	of := func(item int64) *known {
		if all[item] == nil {
			all[item] = &known{}
		}
		return all[item]
	}
	number := func(v driver.Value) *int64 {
		if n, ok := v.(int64); ok {
			return &n
		}
		return nil
	}
	err = store.Each(
		w.Tx,
		`SELECT s.item_id, w.id, s.cost FROM warehouses w JOIN set_items s ON s.set_id = CASE WHEN w.id = ? THEN ? ELSE w.set_id END
		WHERE s.item_id IN (SELECT value FROM json_each(?))`,
		[]driver.Value{c.WarehouseID, c.SetID, string(b)},
		func(v []driver.Value) error {
			cost, k := number(v[2]), of(v[0].(int64))
			rows := stock.Agreed{Any: true}
			if cost != nil {
				rows = stock.AgreedOf(quantity.Cost(*cost), true)
			}
			if k.anywhere = k.anywhere.With(rows); v[1].(int64) == c.WarehouseID {
				k.here = rows
			}
			return nil
		},
	)
	if err != nil {
		return nil, err
	}
	err = store.Each(
		w.Tx,
		"SELECT id, cost FROM items WHERE id IN (SELECT value FROM json_each(?))",
		[]driver.Value{string(b)},
		func(v []driver.Value) error {
			of(v[0].(int64)).own = number(v[1])
			return nil
		},
	)
	out := map[int64]stock.Costing{}
	for item, k := range all {
		out[item] = stock.FoundCost(k.here, k.anywhere, store.CostingOf(k.own, stock.CostOfItem))
	}
	return out, err
}

// Enter appends entries and works out what follows. Entries that replace others stand in for them; the database refuses
// one whose slot has another standing entry than it replaces. more are further lines to be worked out.
func Enter(w *desk.Work, c *store.Count, entries []store.Entry, more []int64) (first, last int64, err error) {
	if len(entries) > 0 {
		slices.SortStableFunc(entries, func(a, b store.Entry) int {
			if a.Pos != b.Pos {
				return int(a.Pos - b.Pos)
			}
			return int(a.Parcel - b.Parcel)
		})
		if first, last, err = store.AddEntries(w.Tx, entries); err != nil {
			return 0, 0, err
		}
		if err := w.Cover("entries", first, last); err != nil {
			return 0, 0, err
		}
		if err := onePieceEach(w, c, entries); err != nil {
			return 0, 0, err
		}
		if err := asBookedAgain(w, c, entries); err != nil {
			return 0, 0, err
		}
		if err := choicesEnd(w, c, entries); err != nil {
			return 0, 0, err
		}
	}
	positions, latest := more, int64(0)
	var replaced []int64
	for i := range entries {
		e := &entries[i]
		if positions = append(positions, e.Pos); !e.Withdrawn {
			latest = max(latest, e.CountedAt)
		}
		if e.Replaces != 0 {
			replaced = append(replaced, e.Replaces)
		}
	}
	if latest < c.Latest || c.Latest == 0 {
		if latest, err = latestEntry(w, c, latest, replaced); err != nil {
			return 0, 0, err
		}
	}
	moved, err := setLatest(w, c, latest)
	if err != nil {
		return 0, 0, err
	}
	if err := recounted(w, c, entries); err != nil {
		return 0, 0, err
	}
	if positions = append(positions, moved...); len(positions) == 0 {
		return first, last, nil
	}
	return first, last, WorkOut(w, c, positions, false)
}

// choicesEnd ends choices of the round that stands where a later round comes, for good: they do not come back where that is withdrawn.
func choicesEnd(w *desk.Work, c *store.Count, entries []store.Entry) error {
	var any bool
	if err := w.Raw("SELECT EXISTS (SELECT 1 FROM round_choices WHERE count_id = ?)", c.ID).Scan(&any).Error; err != nil || !any {
		return err
	}
	latest := map[int64]int{}
	for i := range entries {
		if e := &entries[i]; !e.Withdrawn {
			latest[e.Pos] = max(latest[e.Pos], e.Round)
		}
	}
	var ended []store.RoundChoice
	err := store.EachChoice(w.Tx, c.ID, store.Positions{Some: slices.Sorted(maps.Keys(latest))}, func(x store.RoundChoice) error {
		if x.Round != 0 && latest[x.Pos] > x.Last {
			ended = append(ended, store.RoundChoice{CountID: c.ID, Pos: x.Pos, Last: latest[x.Pos], Person: w.Person.Name, At: w.Now})
		}
		return nil
	})
	if err != nil || len(ended) == 0 {
		return err
	}
	if err := store.Batch(w.Tx, ended); err != nil {
		return err
	}
	return w.Cover("round_choices", ended[0].ID, ended[len(ended)-1].ID)
}

// onePieceEach refuses counts by which a serial would be anything else than one piece or none in a round.
func onePieceEach(w *desk.Work, c *store.Count, entries []store.Entry) error {
	var any bool
	if err := w.Raw("SELECT EXISTS (SELECT 1 FROM count_lines INDEXED BY count_lines_serial WHERE count_id = ? AND serial <> '')", c.ID).Scan(&any).Error; err != nil || !any {
		return err
	}
	counted := map[int64]bool{}
	for i := range entries {
		counted[entries[i].Pos] = true
	}
	var serials []int64
	err := store.Each(w.Tx, "SELECT pos FROM count_lines INDEXED BY count_lines_serial WHERE count_id = ? AND serial <> '' ORDER BY pos", []driver.Value{c.ID},
		func(v []driver.Value) error {
			if pos := v[0].(int64); counted[pos] {
				serials = append(serials, pos)
			}
			return nil
		})
	if err != nil || len(serials) == 0 {
		return err
	}
	type round struct {
		pos   int64
		round int
	}
	sums := map[round]int64{}
	return store.Standing(w.Tx, c.ID, store.Positions{Some: serials}, func(e *store.Entry) error {
		if e.Withdrawn {
			return nil
		}
		k := round{e.Pos, e.Round}
		if sums[k] += e.Quantity; sums[k] != 0 && sums[k] != quantity.Scale {
			return desk.RefuseAs(desk.Invalid, "quantity", "%s: it would come to %s pieces, and one serial is one piece. Write 1, or 0 where it is not there.",
				LineName(w.Tx, c, e.Pos), quantity.Quantity(sums[k]))
		}
		return nil
	})
}

// BeingRecounted gives the lines that stand on recounts which are not back, each with the number of the sheet.
func BeingRecounted(tx *gorm.DB, countID int64) (map[int64]int, error) {
	var sheets []store.Sheet
	err := tx.Where("count_id = ? AND picked <> '' AND state IN ?", countID, []string{store.WithUs, store.Out}).Find(&sheets).Error
	out := map[int64]int{}
	for i := range sheets {
		for _, pos := range sheets[i].Positions().Some {
			out[pos] = sheets[i].Number
		}
	}
	return out, err
}

// recounted brings how many rows of recounts have counts after what came in.
func recounted(w *desk.Work, c *store.Count, entries []store.Entry) error {
	rounds := map[int]bool{}
	for i := range entries {
		if entries[i].Round >= store.FirstRecount {
			rounds[entries[i].Round] = true
		}
	}
	for round := range rounds {
		var sheets []store.Sheet
		if err := w.Where("count_id = ? AND round = ? AND picked <> ''", c.ID, round).Find(&sheets).Error; err != nil {
			return err
		}
		for i := range sheets {
			if err := CountedOn(w, c, &sheets[i]); err != nil {
				return err
			}
			const q = "UPDATE sheets SET counted = ?, checked_by = '', checked_at = 0 WHERE id = ?"
			if err := w.Exec(q, sheets[i].Counted, sheets[i].ID).Error; err != nil {
				return err
			}
		}
	}
	return nil
}

// Withdrawal gives the entry that withdraws one of a line that stands.
func Withdrawal(w *desk.Work, c *store.Count, pos, entry int64) (gone store.Entry, err error) {
	all, err := Withdrawals(w, c, map[int64]int64{pos: entry})
	if err != nil {
		return gone, err
	}
	return all[0], nil
}

// Withdrawals gives the entries that withdraw one of each of some lines, by their positions.
func Withdrawals(w *desk.Work, c *store.Count, entries map[int64]int64) (gone []store.Entry, err error) {
	for some := range slices.Chunk(slices.Sorted(maps.Keys(entries)), Stretch) {
		err := store.Standing(w.Tx, c.ID, store.Positions{Some: some}, func(e *store.Entry) error {
			if e.ID == entries[e.Pos] && !e.Withdrawn {
				gone = append(gone, store.Entry{CountID: c.ID, Pos: e.Pos, SheetID: e.SheetID, Round: e.Round, Parcel: e.Parcel,
					Replaces: e.ID, Withdrawn: true, CountedAt: e.CountedAt, Counter: w.Person.Name, Person: w.Person.Name, At: w.Now})
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	if len(gone) != len(entries) {
		return nil, desk.RefuseAs(desk.Changed, "entry", "This count does not stand any more.")
	}
	return gone, nil
}

// asBookedAgain lets movements of lines that are counted anew have happened when they were booked: what was settled about them was
// about the count of before.
func asBookedAgain(w *desk.Work, c *store.Count, entries []store.Entry) error {
	var some bool
	if err := w.Raw("SELECT EXISTS (SELECT 1 FROM count_moves WHERE count_id = ? AND as_at <> 0)", c.ID).Scan(&some).Error; err != nil ||
		!some {
		return err
	}
	positions := make([]int64, len(entries))
	for i := range entries {
		positions[i] = entries[i].Pos
	}
	list, err := json.Marshal(positions)
	if err != nil {
		return err
	}
	return w.Exec("UPDATE count_moves SET as_at = 0 WHERE count_id = ? AND as_at <> 0 AND pos IN (SELECT value FROM json_each(?))", c.ID,
		string(list)).Error
}

// latestEntry gives the latest counting time of the entries that stand, 0 for none: that of before, unless what was counted
// then was among those that were replaced.
func latestEntry(w *desk.Work, c *store.Count, latest int64, replaced []int64) (int64, error) {
	if c.Latest == 0 {
		return latest, nil
	}
	b, err := json.Marshal(replaced)
	if err != nil {
		return 0, err
	}
	var was int64
	if err := w.Raw("SELECT count(*) FROM entries WHERE id IN (SELECT value FROM json_each(?)) AND counted_at = ? AND withdrawn = 0",
		string(b), c.Latest).Scan(&was).Error; err != nil ||
		was == 0 {
		return c.Latest, err
	}
	err = w.Raw(`SELECT coalesce(max(counted_at), 0) FROM entries e WHERE count_id = ? AND withdrawn = 0
		AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos AND r.round = e.round AND r.parcel = e.parcel AND r.replaces = e.id)`, c.ID).Scan(&latest).Error
	return latest, err
}

// setLatest notes the latest counting time of a count. Uncounted lines are reckoned as at it, so it gives those whose
// movements lie between it and the one before.
func setLatest(w *desk.Work, c *store.Count, latest int64) (positions []int64, err error) {
	if latest == c.Latest {
		return nil, nil
	}
	reckoned := func(t int64) int64 {
		if t == 0 {
			return c.FrozenAt
		}
		return t
	}
	a, b := reckoned(c.Latest), reckoned(latest)
	if err := w.Exec("UPDATE counts SET latest = ? WHERE id = ?", latest, c.ID).Error; err != nil {
		return nil, err
	}
	c.Latest = latest
	return positions, w.Raw("SELECT DISTINCT pos FROM count_moves WHERE count_id = ? AND at > ? AND at <= ?", c.ID, min(a, b), max(a, b)).
		Scan(&positions).
		Error
}

// OnSheet gives the sheet that a line is on now in a round, of all sheets of a count; ok is false where it is on none.
func OnSheet(sheets map[int]store.Sheet, round int) func(pos int64) (s store.Sheet, ok bool) {
	list := make([]store.Sheet, 0, len(sheets))
	for _, s := range sheets {
		if s.Lines > 0 && s.InRound() == round {
			list = append(list, s)
		}
	}
	slices.SortFunc(list, func(a, b store.Sheet) int { return cmp.Compare(a.First, b.First) })
	return func(pos int64) (store.Sheet, bool) {
		i, has := slices.BinarySearchFunc(list, pos, func(s store.Sheet, pos int64) int {
			switch {
			case s.First+int64(s.Lines) <= pos:
				return -1
			case s.First > pos:
				return 1
			}
			return 0
		})
		if !has {
			return store.Sheet{}, false
		}
		return list[i], true
	}
}

// SheetsOf gives a count's sheets by their numbers, and the numbers by their ids.
func SheetsOf(w *desk.Work, c *store.Count) (byNumber map[int]store.Sheet, numbers map[int64]int, err error) {
	byNumber, numbers = map[int]store.Sheet{}, map[int64]int{}
	text := func(v driver.Value) string { t, _ := v.(string); return t }
	err = store.Each(
		w.Tx,
		`SELECT id, number, code, zone, first_bin, last_bin, first, lines, counted, empty, seconds, state, out_at, back_at, counter,
			revisions, coded, due, round, picked
		FROM sheets WHERE count_id = ?`,
		[]driver.Value{c.ID},
		func(v []driver.Value) error {
			n := func(at int) int64 { i, _ := v[at].(int64); return i }
			s := store.Sheet{
				ID:       n(0),
				CountID:  c.ID,
				Number:   int(n(1)),
				Code:     text(v[2]),
				Zone:     text(v[3]),
				FirstBin: text(v[4]),
				LastBin:  text(v[5]),
				First: n(
					6,
				),
				Lines:     int(n(7)),
				Counted:   int(n(8)),
				Empty:     int(n(9)),
				Seconds:   n(10),
				State:     text(v[11]),
				OutAt:     n(12),
				BackAt:    n(13),
				Counter:   text(v[14]),
				Revisions: int(n(15)),
				Coded:     int(n(16)),
				Due:       n(17),
				Round:     int(n(18)),
				Picked:    text(v[19]),
			}
			byNumber[s.Number], numbers[s.ID] = s, s.Number
			return nil
		},
	)
	if err != nil {
		return nil, nil, err
	}
	return byNumber, numbers, nil
}
