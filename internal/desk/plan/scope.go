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
	"wobin/internal/core/cutting"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/core/sample"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
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

// scoped is what a scope picks: the lines of a set that are to be counted, bin by bin in walking order, and what was left out.
type scoped struct {
	*recorded.SetLines
	where *recorded.Bins
	first bool    // nothing is recorded: all bins are to be looked into
	lines []int32 // positions in the set
	bins  []binIn // in walking order
	left  count.LeftOut
	// sampleOf is how many lines a sample was drawn from.
	sampleOf int
	turned   *turned // what the rotation says of its lines, where it picks them
	// SKUs, categories and so on that a rule names and nobody has, the first of them.
	unknown []string
	read    map[string]map[string]string // attributes by their text
	order   map[int32]string             // by line: what the lines of a place without a name stand by; nil for the SKU
	skus    map[int64]string             // of the items of such a place
}

// binIn is a bin with its lines among those of the scope. One without has rows to fill in.
type binIn struct {
	bin      int64
	from, to int32
	seconds  int64
}

// empty tells whether nothing is recorded in the bin.
func (b *binIn) empty() bool { return b.from == b.to }

// scope finds what is to be counted, in walking order: the recorded lines that the rules pick and, unless they are to be left out, the bins
// in which nothing is recorded: somebody must look.
// keep, where given, lets some of the lines through.
func (d *Room) scoped(
	ctx context.Context,
	tx *gorm.DB,
	h *store.Warehouse,
	sc count.Scope,
	cut Cut,
	keep func(*scoped, []int32) ([]int32, error),
) (*scoped, error) {
	if err := scope.Check(sc.Rules); err != nil {
		return nil, desk.RefuseAs(desk.Invalid, "rules", "%s", err.Error())
	}
	set, err := d.recorded.SetOf(ctx, tx, h.SetID)
	if err != nil {
		return nil, err
	}
	where, err := d.recorded.BinsOf(tx, h.ID)
	if err != nil {
		return nil, err
	}
	s := &scoped{SetLines: set, where: where, first: h.SetID == 0, read: map[string]map[string]string{}}
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
	rules, err := d.rules(ctx, tx, h, s, sc.Rules)
	if err != nil {
		return nil, err
	}
	runs := map[int64][2]int32{} // of the lines that are picked, by bin; none: something is recorded, but not to be counted
	last, is := int64(-1), false // lines of a bin stand together
	picked := make([]int32, 0, len(set.Bins))
	for i, bin := range set.Bins {
		if bin != last {
			last, is = bin, in(bin)
			runs[bin] = [2]int32{int32(len(picked)), int32(len(picked))}
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
		if !rules.hold(i) {
			continue
		}
		item := set.Items[i]
		switch nature := where.Natures[item]; {
		case nature == "service":
			s.left.Services++
		case nature == "parent":
			s.left.Parents++
		case set.Zero[i] && where.Inactive[item]:
			s.left.Inactive++
		case set.Zero[i] && sc.LeaveZero:
			s.left.Zero++
		default:
			picked = append(picked, int32(i))
			runs[bin] = [2]int32{runs[bin][0], int32(len(picked))}
		}
	}
	if sc.Rotation {
		if picked, err = d.turn(ctx, tx, h, s, picked); err != nil {
			return nil, err
		}
	}
	if sc.Sample != nil {
		if picked, err = s.draw(sc.Sample, picked); err != nil {
			return nil, err
		}
	}
	if keep != nil {
		if picked, err = keep(s, picked); err != nil {
			return nil, err
		}
	}
	if sc.Rotation || sc.Sample != nil || keep != nil {
		runs = map[int64][2]int32{}
		for _, bin := range set.Bins { // where something is recorded nobody looks for what is not
			runs[bin] = [2]int32{}
		}
		for i, n := range picked {
			run, bin := runs[set.Bins[n]], set.Bins[n]
			if run[0] == run[1] {
				run[0] = int32(i)
			}
			run[1] = int32(i + 1)
			runs[bin] = run
		}
	}
	// Rules about lines say nothing of bins that have none, and neither does what picks among them.
	look := !sc.LeaveEmpty && len(sc.Kept) == 0 && len(sc.Rules) == 0 && sc.Sample == nil && !sc.Rotation
	if err := s.orderBy(tx, cut.Order); err != nil {
		return nil, err
	}
	s.walk(cut, runs, picked, func(bin int64) bool { return look && in(bin) })
	if slices.ContainsFunc(s.bins, func(b binIn) bool { return where.Codes[b.bin] == "" }) {
		s.skus, err = store.SKUs(tx)
	}
	return s, err
}

// draw draws a sample of lines.
func (s *scoped) draw(x *count.Sample, picked []int32) ([]int32, error) {
	want := x.Want()
	if wrong := want.Check(); wrong != "" {
		return nil, desk.RefuseAs(desk.Invalid, "sample", "%s", wrong)
	}
	worth := make([]int64, len(picked))
	some := 0
	for i, n := range picked {
		if v := s.Values[n]; v != recorded.NoValue {
			worth[i] = max(v, -v)
		}
		if worth[i] > 0 {
			some++
		}
	}
	s.sampleOf = len(picked)
	n := x.Lines
	if n == 0 {
		n = want.Size(len(picked))
	}
	switch {
	case n > len(picked):
		return nil, desk.RefuseAs(desk.Invalid, "sample", "A sample of %d lines is more than there is: the scope has %d.", n, len(picked))
	case x.By == "value" && n > some:
		return nil, desk.RefuseAs(desk.Invalid, "sample",
			"A sample by value takes lines that are worth something: the scope has %d of them, and %d are to be drawn.", some, n)
	}
	var at []int
	if x.By == "value" {
		at = sample.DrawByWorth(uint64(x.Seed), n, worth)
	} else {
		at = sample.Draw(uint64(x.Seed), n, len(picked))
	}
	out := make([]int32, len(at))
	for i, a := range at {
		out[i] = picked[a]
	}
	return out, nil
}

// walk puts bins and lines into walking order.
func (s *scoped) walk(cut Cut, runs map[int64][2]int32, picked []int32, look func(bin int64) bool) {
	stops := make([]cutting.Stop, len(s.where.Order))
	for i, bin := range s.where.Order {
		stops[i] = cutting.Stop{Zone: s.where.Zones[bin], Address: s.where.Addresses[i]}
	}
	s.lines = make([]int32, 0, len(picked))
	var before *cutting.Stop
	pace := cut.pace
	for _, n := range cutting.Walk(stops, cut.way()) {
		bin := s.where.Order[n]
		run, recorded := runs[bin]
		if recorded && run[0] == run[1] || !recorded && !look(bin) {
			continue
		}
		b := binIn{bin: bin, from: int32(len(s.lines))}
		s.lines = append(s.lines, picked[run[0]:run[1]]...)
		b.to = int32(len(s.lines))
		b.seconds = pace.Seconds(before, &stops[n], int(b.to-b.from))
		before = &stops[n]
		if s.where.Codes[bin] == "" && !b.empty() {
			s.byRow(&b)
			continue
		}
		s.bins = append(s.bins, b)
	}
}

// byRow divides the lines of a place that has no name: each may be on another sheet. They stand by what the cut says, else by SKU.
func (s *scoped) byRow(b *binIn) {
	lines := s.lines[b.from:b.to]
	if s.order != nil {
		slices.SortStableFunc(lines, func(x, y int32) int { return code.Compare(s.order[x], s.order[y]) })
	}
	for i, row := range cutting.Rows(len(lines), 0, b.seconds) {
		s.bins = append(s.bins, binIn{bin: b.bin, from: b.from + int32(i), to: b.from + int32(i) + 1, seconds: row.Seconds})
	}
}

// orderBy finds what the lines of a place without a name stand by.
func (s *scoped) orderBy(tx *store.Tx, by string) error {
	if by == "" || !slices.ContainsFunc(s.where.Ordered, func(code string) bool { return code == "" }) {
		return nil
	}
	s.order = make(map[int32]string, len(s.Items))
	if by == "category" {
		categories, err := store.Categories(tx)
		for i, item := range s.Items {
			s.order[int32(i)] = categories[item]
		}
		return err
	}
	for i := range s.Items {
		all, err := s.attributesOf(i)
		if err != nil {
			return err
		}
		s.order[int32(i)] = all[by]
	}
	return nil
}

// places is how many bins the sheets go by, and which these are.
func (s *scoped) places() (ids []int64) {
	for i := range s.bins {
		if i == 0 || s.bins[i].bin != s.bins[i-1].bin {
			ids = append(ids, s.bins[i].bin)
		}
	}
	return ids
}

// binsOn is how many bins a sheet has.
func (s *scoped) binsOn(x *cutting.Sheet) (n int) {
	for i := x.From; i < x.To; i++ {
		if i == x.From || s.bins[i].bin != s.bins[i-1].bin {
			n++
		}
	}
	return n
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

// cut gives the sheets.
func (s *scoped) cut(c Cut) []cutting.Sheet {
	bins := make([]cutting.Bin, len(s.bins))
	for i := range s.bins {
		b := &s.bins[i]
		bins[i] = cutting.Bin{Zone: s.where.Zones[b.bin], Lines: s.rows(b, c.Empty), Seconds: b.seconds}
	}
	return cutting.Cut(bins, c.how())
}

// rows is how many rows a bin has on its sheet. Where something is recorded elsewhere, one is enough for a bin that is empty.
func (s *scoped) rows(b *binIn, empty int) int {
	switch {
	case !b.empty():
		return int(b.to - b.from)
	case s.first:
		return empty
	}
	return 1
}

// zones names those of a sheet's bins, in the order in which they are walked.
func (s *scoped) zones(x *cutting.Sheet) string {
	names, last := []string{}, int32(-1)
	if s.order != nil { // what its rows stand by
		for _, n := range s.lines[s.bins[x.From].from:s.bins[x.To-1].to] {
			if name := s.order[n]; name != "" && !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		return strings.Join(names, ", ")
	}
	for _, b := range s.bins[x.From:x.To] {
		if z := s.where.Zones[b.bin]; z != last {
			last = z
			if name := s.where.Names[z]; name != "" {
				names = append(names, name)
			}
		}
	}
	return strings.Join(names, ", ")
}

// code tells where a sheet begins or ends: the bin, or the item where nothing says bins.
func (s *scoped) code(bin int) string {
	b := &s.bins[bin]
	if code := s.where.Codes[b.bin]; code != "" || b.empty() {
		return code
	}
	return s.skus[s.Items[s.lines[b.from]]]
}

// drawnBins is how many bins are drawn one by one.
const drawnBins = 3000

// listedSheets is how many of the sheets that would be cut are listed.
const listedSheets = 500

// tally sums a scope up.
func (s *scoped) tally(cut Cut) (t Tally, err error) {
	t = Tally{Lines: len(s.lines), LeftOut: s.left, Sheets: []SheetTally{}, Zones: []ZoneTally{}, Unknown: s.unknown,
		SampleOf: s.sampleOf, BinIDs: []int64{}}
	places := s.places()
	if t.Bins = len(places); t.Bins <= drawnBins {
		t.BinIDs = append(t.BinIDs, places...)
	}
	var most int64
	for _, i := range s.Items {
		most = max(most, i)
	}
	seen := make([]bool, most+1)
	counts := map[string]map[string]int{}
	for i := range s.bins {
		b := &s.bins[i]
		z := s.where.Names[s.where.Zones[b.bin]]
		if n := len(t.Zones); n == 0 || t.Zones[n-1].Zone != z {
			t.Zones = append(t.Zones, ZoneTally{Zone: z})
		}
		t.Zones[len(t.Zones)-1].Lines += int(b.to - b.from)
		if b.empty() {
			t.Empty++
		}
	}
	for _, n := range s.lines {
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
	sheets := s.cut(cut)
	t.SheetsN = len(sheets)
	for i := range sheets {
		x := &sheets[i]
		t.Seconds += x.Seconds
		if i < listedSheets {
			t.Sheets = append(t.Sheets, SheetTally{Zone: s.zones(x), From: s.code(x.From), To: s.code(x.To - 1), Lines: x.Lines,
				Bins: s.binsOn(x), Minutes: cutting.Minutes(x.Seconds), Seconds: x.Seconds, For: cut.who(x.Person)})
		}
	}
	return t, nil
}
