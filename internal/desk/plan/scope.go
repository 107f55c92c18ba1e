package plan

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// KeptTally is an attribute that lines of a warehouse have, with its values.
type KeptTally struct {
	Attribute string      `json:"attribute"`
	Values    []ZoneTally `json:"values" doc:"the most frequent first, up to fifty"`
	More      int         `json:"more" doc:"values that are not listed"`
}

// keptTally lists attributes with how many lines have which value.
func keptTally(counts map[string]map[string]int) []KeptTally {
	out := []KeptTally{}
	for _, name := range slices.Sorted(maps.Keys(counts)) {
		t := KeptTally{Attribute: name, Values: []ZoneTally{}}
		for v, n := range counts[name] {
			t.Values = append(t.Values, ZoneTally{v, n})
		}
		slices.SortFunc(t.Values, func(a, b ZoneTally) int {
			return cmp.Or(b.Lines-a.Lines, code.Compare(a.Zone, b.Zone))
		})
		if n := len(t.Values); n > 50 {
			t.More, t.Values = n-50, t.Values[:50]
		}
		out = append(out, t)
	}
	return out
}

// scoped is what a scope picks: the lines of a set that are to be counted, in walking order, and what was left out.
type scoped struct {
	*recorded.SetLines
	where *recorded.Bins
	lines []int32 // positions in the set
	empty []int64 // where nothing is recorded: the bins to look into, in walking order
	left  count.LeftOut
	read  map[string]map[string]string // attributes by their text
}

// scope finds the recorded lines in scope that are to be counted, in walking order (zone by zone where bins have zones).
func (d *Room) scope(ctx context.Context, tx *gorm.DB, h *store.Warehouse, sc count.Scope) (*scoped, error) {
	set, err := d.recorded.SetOf(ctx, tx, h.SetID)
	if err != nil {
		return nil, err
	}
	where, err := d.recorded.BinsOf(tx, h.ID)
	if err != nil {
		return nil, err
	}
	s := &scoped{SetLines: set, where: where, read: map[string]map[string]string{}}
	in := func(bin int64) bool { return true }
	switch {
	case len(sc.Bins) > 0:
		some := map[int64]bool{}
		for _, b := range sc.Bins {
			some[b] = true
		}
		in = func(bin int64) bool { return some[bin] }
	case len(sc.Zones) > 0:
		some := map[int32]bool{}
		for i, z := range where.Names {
			some[int32(i)] = slices.Contains(sc.Zones, z)
		}
		in = func(bin int64) bool { return some[where.Zones[bin]] }
	}
	if h.SetID == 0 {
		for zone := range where.Names {
			for _, bin := range where.Order {
				if int(where.Zones[bin]) == zone && in(bin) {
					s.empty = append(s.empty, bin)
				}
			}
		}
		return s, nil
	}
	last, is := int64(-1), false // lines of a bin stand together
	var zone int32
	byZone := make([][]int32, len(where.Names))
	for i, bin := range set.Bins {
		if bin != last {
			last, is, zone = bin, in(bin), where.Zones[bin]
		}
		if !is {
			continue
		}
		if len(sc.Kept) > 0 {
			fits, err := s.fits(i, sc.Kept)
			if err != nil {
				return nil, err
			}
			if !fits {
				continue
			}
		}
		item := set.Items[i]
		switch nature := where.Natures[item]; {
		case nature == "service":
			s.left.Services++
		case nature == "parent":
			s.left.Parents++
		case set.Zero[i] && where.Inactive[item]:
			s.left.Inactive++
		default:
			byZone[zone] = append(byZone[zone], int32(i))
		}
	}
	if len(byZone) == 1 {
		s.lines = byZone[0]
		return s, nil
	}
	for _, z := range byZone {
		s.lines = append(s.lines, z...)
	}
	return s, nil
}

// attributesOf gives a line's attributes, those of the item first, by their names in layouts.
func (s *scoped) attributesOf(line int) (map[string]string, error) {
	own, item := "", s.where.Kept[s.Items[line]]
	if line < len(s.Attributes) {
		own = s.Texts[s.Attributes[line]]
	}
	if own == "" && item == "" {
		return nil, nil
	}
	both := item + "\x00" + own
	if out, had := s.read[both]; had {
		return out, nil
	}
	out := map[string]string{}
	for of, text := range map[string]string{field.ItemAttribute: item, field.LineAttribute: own} {
		if text == "" {
			continue
		}
		var kept map[string]string
		if err := json.Unmarshal([]byte(text), &kept); err != nil {
			return nil, err
		}
		for name, v := range kept {
			out[of+name] = v
		}
	}
	s.read[both] = out
	return out, nil
}

func (s *scoped) fits(line int, rules []count.KeptRule) (bool, error) {
	all, err := s.attributesOf(line)
	if err != nil {
		return false, err
	}
	for _, k := range rules {
		name := k.Attribute
		if !strings.HasPrefix(name, field.ItemAttribute) && !strings.HasPrefix(name, field.LineAttribute) {
			name = field.LineAttribute + name
		}
		if v, has := all[name]; !has || !slices.Contains(k.Values, v) {
			return false, nil
		}
	}
	return true, nil
}

// cut gives the ends of the sheets among the lines, or, where nothing is recorded, among the bins, each of which has some rows to fill in.
func (s *scoped) cut(rows, empty int) []int {
	n := len(s.lines)
	if len(s.empty) > 0 {
		n, rows = len(s.empty), max(rows/max(empty, 1), 1)
	}
	return counting.Cut(n, rows, func(i int) int64 { return int64(s.where.Zones[s.binAt(i)]) }, s.binAt)
}

// binAt is the bin of a line, or of some rows to fill in.
func (s *scoped) binAt(i int) int64 {
	if len(s.empty) > 0 {
		return s.empty[i]
	}
	return s.Bins[s.lines[i]]
}

func (s *scoped) zone(i int) string { return s.where.Names[s.where.Zones[s.binAt(i)]] }

func (s *scoped) bin(i int) string { return s.where.Codes[s.binAt(i)] }

// rows is how many rows a sheet has.
func (s *scoped) rows(n, empty int) int {
	if len(s.empty) > 0 {
		return n * empty
	}
	return n
}

// listedSheets is how many of the sheets that would be cut are listed.
const listedSheets = 500

// tally sums a scope up.
func (s *scoped) tally(rows, empty int) (t Tally, err error) {
	t = Tally{Lines: len(s.lines), Empty: len(s.empty), LeftOut: s.left, Sheets: []SheetTally{}, Zones: []ZoneTally{}}
	var most int64
	for _, i := range s.Items {
		most = max(most, i)
	}
	seen := make([]bool, most+1)
	lastBin, lastZone := int64(-1), int32(-1)
	counts := map[string]map[string]int{}
	for _, n := range s.lines {
		if bin := s.Bins[n]; bin != lastBin {
			lastBin = bin
			t.Bins++
			if z := s.where.Zones[bin]; z != lastZone {
				lastZone = z
				t.Zones = append(t.Zones, ZoneTally{Zone: s.where.Names[z]})
			}
		}
		t.Zones[len(t.Zones)-1].Lines++
		if item := s.Items[n]; !seen[item] {
			seen[item] = true
			t.Items++
		}
		if v := s.Values[n]; v == recorded.NoValue {
			t.Unvalued++
		} else if sum, ok := quantity.AddMoney(t.Value, quantity.Money(v)); ok {
			t.Value = sum
		} else {
			return t, count.TooMuch()
		}
		if len(s.Attributes) > 0 || len(s.where.Kept) > 0 {
			kept, err := s.attributesOf(int(n))
			if err != nil {
				return t, err
			}
			for name, v := range kept {
				if counts[name] == nil {
					counts[name] = map[string]int{}
				}
				counts[name][v]++
			}
		}
	}
	t.Kept = keptTally(counts)
	for _, bin := range s.empty {
		z := s.where.Names[s.where.Zones[bin]]
		if n := len(t.Zones); n == 0 || t.Zones[n-1].Zone != z {
			t.Zones = append(t.Zones, ZoneTally{Zone: z})
		}
		t.Bins++
	}
	from, ends := 0, s.cut(rows, empty)
	t.SheetsN = len(ends)
	for _, end := range ends[:min(len(ends), listedSheets)] {
		t.Sheets = append(t.Sheets, SheetTally{s.zone(from), s.bin(from), s.bin(end - 1), s.rows(end-from, empty)})
		from = end
	}
	return t, nil
}
