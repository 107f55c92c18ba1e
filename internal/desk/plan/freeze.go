package plan

import (
	"cmp"
	"context"
	"database/sql/driver"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/counting"
	"wobin/internal/core/cutting"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// writeFrozen writes a count that nobody sees yet: its row, its sheets, its lines and its tallies.
func (d *Room) writeFrozen(ctx context.Context, c *store.Count, s *scoped, cut Cut) (sheets int, err error) {
	cuts := s.cut(cut)
	list, made := make([]store.Sheet, len(cuts)), 0
	err = d.Store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(c).Error; err != nil {
			return err
		}
		for n := range cuts {
			list[n] = s.sheet(&cuts[n], cut, c.ID, n+1)
			if s.first {
				list[n].First, list[n].Empty = 1, cut.Empty
			}
		}
		all, err := inRounds(list, c, cut)
		if err != nil {
			return err
		}
		if err := store.Batch(tx, all); err != nil {
			return err
		}
		copy(list, all)
		made = len(all)
		var empty []store.EmptyBin
		for n := range all {
			x := &cuts[n%len(cuts)]
			for i := x.From; i < x.To; i++ {
				if b := &s.bins[i]; b.empty() {
					empty = append(
						empty,
						store.EmptyBin{CountID: c.ID, SheetID: all[n].ID, After: int64(b.from), Place: int64(i), BinID: b.bin},
					)
				}
			}
		}
		return store.Batch(tx, empty)
	})
	if err != nil {
		return 0, err
	}
	tx := d.Store.Read(ctx)
	items, err := d.countItems(tx, c, s)
	if err != nil {
		return 0, err
	}
	t := freezing{
		count:      c,
		scope:      s,
		sheets:     list,
		categories: items,
		parts:      map[store.Part]*store.PartTally{},
		columns:    count.ColumnsOf(c),
	}
	job := d.Begin(desk.Person{Name: c.Person}, "Freezing "+c.Name, nil).About("", c.ID)
	defer func() { job.End(desk.Plural(len(s.lines), "line", "lines")+" frozen.", err, false) }()
	// One piece is written while the next one is made.
	written := make(chan error, 1)
	written <- nil
	for from := 0; from < len(s.lines) && err == nil; from += store.Piece {
		var piece []store.CountLine
		piece, err = t.piece(tx, from, min(from+store.Piece, len(s.lines)))
		if last := <-written; err == nil {
			err = last
		}
		if err != nil {
			return 0, err
		}
		go func() { written <- d.Store.WriteFrozen(ctx, c.ID, piece) }()
		job.Progress(from+len(piece), len(s.lines), from+len(piece))
	}
	if err := <-written; err != nil {
		return 0, err
	}
	known := make([]store.CountItem, 0, len(items))
	for _, id := range slices.Sorted(maps.Keys(items)) {
		known = append(known, items[id])
	}
	if err := d.Store.WriteCountItems(ctx, known); err != nil {
		return 0, err
	}
	return made, d.Store.WriteCountTallies(ctx, c.ID, t.tallies())
}

// inRounds adds the sheets of a second round, where there is one, over the same lines: each is for somebody else than that of the first.
func inRounds(list []store.Sheet, c *store.Count, cut Cut) ([]store.Sheet, error) {
	if c.Rounds != 2 {
		return list, nil
	}
	if cut.By == string(cutting.People) && len(cut.For) < 2 {
		return nil, desk.RefuseAs(desk.Invalid, "for", "Two rounds are counted by different people. Name at least two.")
	}
	last := 0
	for i := range list {
		last = max(last, list[i].Number)
	}
	all := slices.Clone(list)
	for _, s := range list {
		last++
		s.Round, s.Number, s.Code = 2, last, counting.SheetCode(int(c.ID), last)
		if i := slices.Index(cut.For, s.Counter); i >= 0 {
			s.Counter = cut.For[(i+1)%len(cut.For)]
		}
		all = append(all, s)
	}
	return all, nil
}

// sheet makes a sheet of what was cut; its lines are counted from the first of the scope.
func (s *scoped) sheet(x *cutting.Sheet, cut Cut, countID int64, number int) store.Sheet {
	from, to := s.bins[x.From].from, s.bins[x.To-1].to
	return store.Sheet{
		CountID:  countID,
		Number:   number,
		Code:     counting.SheetCode(int(countID), number),
		Zone:     s.zones(x),
		FirstBin: s.code(x.From),
		LastBin: s.code(
			x.To - 1,
		),
		First:   int64(from + 1),
		Lines:   int(to - from),
		Counter: cut.who(x.Person),
		Seconds: x.Seconds,
		State:   store.WithUs,
		Round:   1,
	}
}

// countItems gives what a count knows of the items in its scope.
func (d *Room) countItems(tx *gorm.DB, c *store.Count, s *scoped) (map[int64]store.CountItem, error) {
	in := make(map[int64]bool)
	for _, n := range s.lines {
		in[s.Items[n]] = true
	}
	out := make(map[int64]store.CountItem, len(in))
	return out, store.Each(tx, "SELECT id, category, class FROM items", nil, func(v []driver.Value) error {
		if id := v[0].(int64); in[id] {
			category, _ := v[1].(string)
			class, _ := v[2].(string)
			out[id] = store.CountItem{CountID: c.ID, ItemID: id, Category: category, Class: class}
		}
		return nil
	})
}

// freezing makes the lines of a count and gathers their tallies.
type freezing struct {
	count      *store.Count
	scope      *scoped
	sheets     []store.Sheet
	sheet      int   // the one in hand
	base       int64 // the position behind which the lines stand, in a count that runs
	categories map[int64]store.CountItem
	columns    []string
	costs      map[int64]quantity.Cost     // of items that have one
	own        map[int64]map[string]string // by item of the piece in hand: what of itself stands on sheets
	parts      map[store.Part]*store.PartTally
	bin        *store.PartTally
	zone, all  *store.PartTally
}

func (t *freezing) part(p store.Part) *store.PartTally {
	x := t.parts[p]
	if x == nil {
		x = &store.PartTally{Part: p}
		t.parts[p] = x
	}
	return x
}

// piece makes a stretch of the lines.
func (t *freezing) piece(tx *gorm.DB, from, to int) ([]store.CountLine, error) {
	s := t.scope
	positions, at := make([]int64, to-from), make([]int32, to-from)
	for i := range positions {
		at[i] = int32(from + i)
	}
	slices.SortFunc(at, func(a, b int32) int { return cmp.Compare(s.lines[a], s.lines[b]) }) // as they stand in the set
	for i, n := range at {
		positions[i] = int64(s.lines[n])
	}
	if err := t.loadOwn(tx, from, to); err != nil {
		return nil, err
	}
	if t.costs == nil {
		var err error
		if t.costs, err = store.ItemCosts(tx); err != nil {
			return nil, err
		}
	}
	piece, next := make([]store.CountLine, to-from), 0
	err := store.StockLinesAt(tx, s.Set, positions, func(l *store.StockLine) error {
		n := int(at[next])
		next++
		line := &piece[n-from]
		*line = store.CountLine{
			Pos:      t.base + int64(n+1),
			BinID:    l.BinID,
			ItemID:   l.ItemID,
			Lot:      l.Lot,
			Serial:   l.Serial,
			Holding:  l.Holding,
			RecordID: l.RecordID,
			HasRow:   true,
			Recorded: l.Quantity,
		}
		cost := store.CostingOf(l.Cost, stock.CostOfLine)
		if !cost.Known {
			item, known := t.costs[l.ItemID]
			cost = stock.LineCost(cost, stock.Costing{Cost: item, Known: known})
		}
		line.Cost, line.CostOf = store.Stored(cost)
		if len(t.columns) == 0 {
			return nil
		}
		all, err := s.attributesOf(int(s.lines[n]))
		if own := t.own[l.ItemID]; err == nil && own != nil {
			both := maps.Clone(own)
			maps.Copy(both, all)
			all = both
		}
		if err == nil {
			line.Attributes, err = count.KeepColumns(all, t.columns)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	for i := range piece {
		l := &piece[i]
		for int64(t.sheets[t.sheet].First)+int64(t.sheets[t.sheet].Lines) <= l.Pos {
			t.sheet++
		}
		if l.SheetID = t.sheets[t.sheet].ID; t.parts != nil { // else they are worked out
			t.tally(l)
		}
	}
	return piece, nil
}

// ownColumns are columns of what an item has by itself, by their names among those of a count.
var ownColumns = map[string]string{
	field.ItemAttribute + "Barcode":     "barcode",
	field.ItemAttribute + "Further SKU": "further_sku",
	field.ItemAttribute + "Category":    "category",
	field.ItemAttribute + "Class":       "class",
	field.ItemAttribute + "Packs": `(SELECT group_concat(json_extract(value, '$.unit') || ' of ' || json_extract(value, '$.size'), ', ')
		FROM json_each(CASE packs WHEN '' THEN '[]' ELSE packs END))`,
}

// loadOwn reads what columns ask of the items of a stretch of lines.
func (t *freezing) loadOwn(tx *gorm.DB, from, to int) error {
	var names, columns []string
	for _, c := range t.columns {
		if column, is := ownColumns[c]; is {
			names, columns = append(names, c), append(columns, "coalesce("+column+", '')")
		}
	}
	if len(names) == 0 {
		return nil
	}
	ids := map[int64]bool{}
	for _, n := range t.scope.lines[from:to] {
		ids[t.scope.Items[n]] = true
	}
	list, err := json.Marshal(slices.Sorted(maps.Keys(ids)))
	if err != nil {
		return err
	}
	t.own = make(map[int64]map[string]string, len(ids))
	return store.Each(
		tx,
		"SELECT id, "+strings.Join(columns, ", ")+" FROM items WHERE id IN (SELECT value FROM json_each(?))",
		[]driver.Value{string(list)},
		func(v []driver.Value) error {
			own := make(map[string]string, len(names))
			for i, name := range names {
				if text, _ := v[i+1].(string); text != "" {
					own[name] = text
				}
			}
			t.own[v[0].(int64)] = own
			return nil
		},
	)
}

// tally takes a line, which is uncounted, into those of its parts.
func (t *freezing) tally(l *store.CountLine) {
	if t.bin == nil || t.bin.Bin != l.BinID {
		name := t.scope.where.Names[t.scope.where.Zones[l.BinID]]
		t.bin = t.part(store.Part{Sort: store.PartBin, Bin: l.BinID})
		t.bin.SheetID, t.bin.Zone = l.SheetID, name
		t.zone, t.all = t.part(store.Part{Sort: store.PartZone, Name: name}), t.part(store.Part{Sort: store.PartAll})
	}
	for _, p := range []*store.PartTally{t.bin, t.zone, t.all, t.part(store.Part{Sort: store.PartCategory,
		Name: t.categories[l.ItemID].Category})} {
		p.Lines++
		p.RecordedLines++
		p.Uncounted++
		if l.Cost == nil {
			p.Unvalued++
		}
	}
}

// tallies gives them in the order in which they are stored.
func (t *freezing) tallies() []store.PartTally {
	out := make([]store.PartTally, 0, len(t.parts))
	for _, p := range t.parts {
		out = append(out, *p)
	}
	slices.SortFunc(out, func(a, b store.PartTally) int {
		return cmp.Or(cmp.Compare(a.Sort, b.Sort), cmp.Compare(a.Bin, b.Bin), cmp.Compare(a.Name, b.Name))
	})
	return out
}
