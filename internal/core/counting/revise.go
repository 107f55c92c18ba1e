package counting

import (
	"cmp"
	"slices"
	"strconv"

	"wobin/internal/core/quantity"
)

// Parcel is the slot of the nth row of a key that was added by hand to a sheet; nth counts from 1. The row of the line's own
// sheet is parcel 0.
func Parcel(sheet, nth int) int64 { return int64(sheet)<<20 | int64(nth) }

// Standing is an entry that stands, or the withdrawal that does.
type Standing struct {
	ID        int64
	Pos       int64
	Round     int
	Parcel    int64
	Sheet     int // the number of the sheet whose row it is, 0 for none
	Quantity  quantity.Quantity
	At        int64
	Since     int64 // where it was counted some time between this and At; else 0
	Counter   string
	Withdrawn bool
	FromFile  bool // it came with a file, not by typing
}

// Revised is a count that replaces another.
type Revised struct {
	Count  *Count
	Before Standing
}

// Revision is what a file of counts changes of what stands.
type Revision struct {
	Added     []*Count // of slots where nothing stands
	Revised   []Revised
	Unchanged int
	// Again are those of Added whose line has a count in another slot already, which the file does not touch: they may be
	// the same stock counted twice, or two parcels of it.
	Again []Doubled
	// Missing are counts of the file's sheets that stand and that the file has no more: rows that it leaves empty, or does
	// not have.
	Missing []Standing
	// Revises: the file has rows of which an earlier file had counts, so it is a later version of the same sheets. Then
	// what is missing may be meant to be taken back.
	Revises bool
}

// Doubled is a count whose line is counted already.
type Doubled struct {
	Count  *Count
	Before []Standing
}

// Revise holds the counts of a file against the entries that stand: those of the lines that it counts, and those of the
// sheets that it holds rows of, withdrawals included. timed is false where one time was given for all of them by hand, which
// is no change by itself. It sets the parcel of each count, and what each replaces. The order of standing does not matter.
//
// Rows added by hand have no code. Those of one line, round and sheet are matched to those that stand: equal quantities
// first, then in their order, so that a row that was taken out is missing, and no other row seems changed by that.
func Revise(back *Back, standing []Standing, timed bool) (r Revision) {
	type at struct {
		pos   int64
		round int
	}
	stands := make(map[at][]*Standing, len(standing))
	touched := make(map[int64]bool, len(standing)) // entries that the file replaces or repeats
	for i := range standing {
		s := &standing[i]
		k := at{s.Pos, s.Round}
		stands[k] = append(stands[k], s)
	}
	for _, list := range stands {
		slices.SortFunc(list, func(a, b *Standing) int { return cmp.Compare(a.Parcel, b.Parcel) })
	}
	take := func(c *Count, s *Standing) {
		if s == nil {
			r.Added = append(r.Added, c)
			return
		}
		c.Parcel, c.Replaces = s.Parcel, s.ID
		touched[s.ID] = true
		r.Revises = r.Revises || s.FromFile && !s.Withdrawn
		switch {
		case s.Withdrawn:
			r.Added = append(r.Added, c)
		case s.Quantity == c.Quantity && (!timed || !c.Timed || c.At == s.At && (s.Since == 0 || c.From == s.Since)):
			r.Unchanged++
			c.Replaces = -1
		default:
			r.Revised = append(r.Revised, Revised{c, *s})
		}
	}
	type group struct {
		at
		key   string // of a line that the count does not have
		sheet int
	}
	byHand, order := map[group][]*Count{}, []group{}
	for i := range back.Counts {
		c := &back.Counts[i]
		if !c.ByHand {
			var own *Standing
			if list := stands[at{c.Pos, c.Round}]; len(list) > 0 && list[0].Parcel == 0 {
				own = list[0]
			}
			take(c, own)
			continue
		}
		g := group{at{c.Pos, c.Round}, "", c.Sheet}
		if c.Pos < 0 {
			for _, t := range *c.Key {
				g.key += strconv.Itoa(len(t)) + ":" + t
			}
		}
		if byHand[g] == nil {
			order = append(order, g)
		}
		byHand[g] = append(byHand[g], c)
	}
	for _, g := range order {
		var list []*Standing
		last := 0
		if g.pos >= 0 {
			for _, s := range stands[g.at] {
				if s.Parcel != 0 && s.Parcel>>20 == int64(g.sheet) {
					list, last = append(list, s), max(last, int(s.Parcel&(1<<20-1)))
				}
			}
		}
		rows := byHand[g]
		left := match(rows, list, func(c *Count, s *Standing) {
			if s == nil {
				last++
				c.Parcel = Parcel(g.sheet, last)
			}
			take(c, s)
		})
		for _, s := range left {
			r.Revises = r.Revises || s.FromFile
			r.Missing = append(r.Missing, *s)
			touched[s.ID] = true
		}
	}
	sheets := map[int]bool{}
	for _, n := range back.Sheets {
		sheets[n] = true
	}
	again := map[int64]bool{}
	for _, c := range r.Added {
		var others []Standing
		if c.Pos >= 0 {
			for _, s := range stands[at{c.Pos, c.Round}] {
				switch {
				case s.Withdrawn || touched[s.ID]:
				case s.Sheet != 0 && sheets[s.Sheet]: // of this very sheet: missing, and in its stead there is another row now
					r.Revises = r.Revises || s.FromFile
				default:
					others = append(others, *s)
					again[s.ID] = true
				}
			}
		}
		if len(others) > 0 {
			r.Again = append(r.Again, Doubled{c, others})
		}
	}
	for _, s := range standing {
		if !s.Withdrawn && !touched[s.ID] && !again[s.ID] && s.Sheet != 0 && sheets[s.Sheet] {
			r.Missing = append(r.Missing, s)
		}
	}
	return r
}

// match pairs the rows of one line that were added by hand with what stands of them, and gives those counts that no row is
// left for.
func match(rows []*Count, list []*Standing, pair func(c *Count, s *Standing)) (left []*Standing) {
	free, paired := slices.Clone(list), make([]*Standing, len(rows))
	give := func(i int, fits func(s *Standing) bool) {
		if paired[i] != nil {
			return
		}
		if n := slices.IndexFunc(free, fits); n >= 0 {
			paired[i] = free[n]
			free = slices.Delete(free, n, n+1)
		}
	}
	for i, c := range rows {
		give(i, func(s *Standing) bool { return !s.Withdrawn && s.Quantity == c.Quantity })
	}
	for i := range rows {
		give(i, func(s *Standing) bool { return !s.Withdrawn })
	}
	for i := range rows {
		give(i, func(*Standing) bool { return true })
	}
	for i, c := range rows {
		pair(c, paired[i])
	}
	return slices.DeleteFunc(free, func(s *Standing) bool { return s.Withdrawn })
}
