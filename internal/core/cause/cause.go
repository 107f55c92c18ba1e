// Package cause says why variances are likely there: what stands behind each, how strong the evidence is, and what to do about it.
// It works on plain values only. All variances of a count are explained in one pass, so that no line is used by two explanations.
package cause

import (
	"cmp"
	"runtime"
	"slices"
	"sync"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Cause is what may stand behind a variance.
type Cause string

// The causes.
const (
	Misplaced      Cause = "misplaced"       // put in another bin: short here, over or found there
	MistakenItem   Cause = "mistaken-item"   // taken for another item of the same bin
	WrongLot       Cause = "wrong-lot"       // put down under another lot of the same item and bin
	PackSlip       Cause = "pack-slip"       // a pack counted as single, or single ones as packs
	KeySlip        Cause = "key-slip"        // digits swapped, missing, doubled or wrong, or the decimal sign moved
	RowSlip        Cause = "row-slip"        // written beside the row above or below
	CountedTwice   Cause = "counted-twice"   // entered twice
	CutOff         Cause = "cut-off"         // a movement near the time of counting, on the other side of it
	PlaceUncounted Cause = "place-uncounted" // another bin that holds the item was not counted
	NegativeRecord Cause = "negative-record" // the records expect less than nothing
)

// Causes lists them.
var Causes = []Cause{Misplaced, MistakenItem, WrongLot, PackSlip, KeySlip, RowSlip, CountedTwice, CutOff, PlaceUncounted, NegativeRecord}

// Grade is how strong the evidence for a cause is.
type Grade int

// The grades.
const (
	None Grade = iota
	Weak
	Fair
	Strong
)

// String is the grade as it is written in files.
func (g Grade) String() string { return [...]string{"", "weak", "fair", "strong"}[g] }

// Remedy is what to do about a cause.
type Remedy string

// The remedies.
const (
	Transfer    Remedy = "transfer"
	CorrectBoth Remedy = "correct both"
	Recount     Remedy = "recount"
	DropOne     Remedy = "drop one"
	MoveCutOff  Remedy = "move the cut-off"
	CountBin    Remedy = "count that bin"
	FindReceipt Remedy = "look for an unposted receipt"
)

// weight is what an explanation is worth for each unit of value that it explains, by its grade, and what is done about it.
type weight struct {
	points [4]int64 // by grade
	remedy Remedy
}

// table is the order of the causes: the strongest explanation of a line is the one with the most points. Those that explain two lines at
// once explain twice the value. Pairs get up to 60 points more where they are near or alike.
var table = map[Cause]weight{
	CountedTwice:   {[4]int64{0, 170, 560, 960}, DropOne},
	WrongLot:       {[4]int64{0, 160, 520, 930}, CorrectBoth},
	RowSlip:        {[4]int64{0, 150, 620, 1900}, Recount},
	NegativeRecord: {[4]int64{0, 150, 500, 920}, FindReceipt},
	MistakenItem:   {[4]int64{0, 130, 430, 900}, CorrectBoth},
	Misplaced:      {[4]int64{0, 140, 470, 900}, Transfer},
	PackSlip:       {[4]int64{0, 150, 540, 950}, Recount},
	CutOff:         {[4]int64{0, 140, 510, 940}, MoveCutOff},
	KeySlip:        {[4]int64{0, 120, 480, 910}, Recount},
	PlaceUncounted: {[4]int64{0, 110, 440, 800}, CountBin},
}

// RemedyOf is what to do about a cause.
func RemedyOf(c Cause) Remedy { return table[c].remedy }

// Entry is one count of a line that stands.
type Entry struct {
	Quantity quantity.Quantity
	At       int64    // Unix nanoseconds; 0 where it is not known
	Counter  stock.ID // among the counters; 0 where nobody is named
}

// Line is a line with a variance.
type Line struct {
	Key                         stock.Key
	Expected, Counted, Variance quantity.Quantity
	Row                         bool          // it has a recorded row
	Cost                        quantity.Cost // 0 where it has none
	CountedAt, First            int64         // the time of its last entry and of its first; 0 where they are not known
	Entries                     []Entry       // of the round that stands
	Movements                   []stock.Movement
	Description                 string // of its item, where its own row has one
	Order                       int32  // with Ordered: its position in the order of keys
}

// Place is a line with stock that was not counted.
type Place struct {
	Key      stock.Key
	Expected quantity.Quantity
	Order    int32 // with Ordered: its position in the order of keys, among lines and places together
}

// Row is one row of a sheet, in the order in which it was counted.
type Row struct {
	Line              int32 // the position among the lines; -1 where it has no variance
	Expected, Counted quantity.Quantity
	Given             bool // it was counted
}

// Sheet is rows that stand one below the other.
type Sheet struct {
	Len int
	Row func(i int) Row
	Off []int32 // the rows of lines with a variance, in order
}

// Item is what is known of an item.
type Item struct {
	Description, Category string
	Barcodes              []string
}

// Input is all that the causes of a count follow from. Lines have to differ by their keys; in which order they come does not matter.
type Input struct {
	Codes  *stock.Codes
	Lines  []Line
	Places []Place // uncounted, with stock
	Sheets []Sheet
	// Item and Packs tell what is known of items, the base units in each of their packs; nil where nothing is. Several may ask at the
	// same time.
	Item  func(sku stock.ID) Item
	Packs func(sku stock.ID) []quantity.Quantity
	// Ordered: the lines and places say in which order their keys stand; else it is worked out.
	Ordered bool
	Frozen  int64
	// How many lines were counted, and how many were not.
	Counted, Uncounted int
	// Before tells how often a cause was accepted in earlier counts for the bin, the item or the counter of a line, and for which
	// of them, in words. nil: there were none.
	Before func(c Cause, l *Line) (times int, of string)
}

// Explanation is the likely cause of a variance.
type Explanation struct {
	Cause    Cause
	Grade    Grade
	Line     int               // the position of the line; of a pair the short one
	Other    int               // the position of the line that is over, of a pair; else -1
	Quantity quantity.Quantity // what it explains of the variance of Line, with its sign
	// Offered is what the count may be in truth, where Offers; it is not shown to who counts again.
	Offered quantity.Quantity
	Offers  bool
	Place   *Place          // the bin that was not counted
	Move    *stock.Movement // the movement on the other side of the count
	Drop    int             // the position of the entry that is one too many; -1 for none
	How     string          // what exactly, in words, as the evidence has it
	Habit   string          // what was accepted in earlier counts, in words
	points  int64
}

// Remedy is what to do about it.
func (x *Explanation) Remedy() Remedy { return table[x.Cause].remedy }

// finder holds what the rules share.
type finder struct {
	*Input
	order  []int32 // the lines in the order of their keys
	rank   []int32 // the reverse of it
	ranks  [stock.Parts][]uint32
	near   func() *distances
	places map[ItemIn][]int32 // uncounted places, by item and lot
	anyLot map[inOf][]int32   // and by item alone
}

// ItemIn is an item in a warehouse, with what has to be the same for one line to explain another.
type ItemIn struct{ warehouse, sku, lot, serial, holding stock.ID }

// ItemOf gives it of a key.
func ItemOf(k stock.Key) ItemIn {
	return ItemIn{k[stock.Warehouse], k[stock.SKU], k[stock.Lot], k[stock.Serial], k[stock.Holding]}
}

// Find explains the variances of a count. Each line is in one explanation at most; they come in the order of the keys of their lines.
func Find(in *Input) []Explanation {
	f := newFinder(in)
	singles := make([]Explanation, len(in.Lines)) // the best by itself, of each line
	pieces := runtime.GOMAXPROCS(0)
	var wg sync.WaitGroup
	for p := range pieces {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for _, n := range f.order[p*len(f.order)/pieces : (p+1)*len(f.order)/pieces] {
				most := int64(0)
				f.alone(int(n), func(x *Explanation) {
					if w := f.weigh(x); w > most {
						singles[n], most = *x, w
					}
				})
			}
		}()
	}
	var slips []slip
	wg.Add(1)
	go func() { defer wg.Done(); slips = f.slippedRows() }()
	pairs := f.pairs()
	wg.Wait()
	return f.assign(singles, pairs, slips)
}

func newFinder(in *Input) *finder {
	f := &finder{Input: in, near: sync.OnceValue(func() *distances { return newDistances(in) })}
	go f.near()
	f.sort()
	f.findPlaces()
	return f
}

// sort puts the lines in the order of their keys.
func (f *finder) sort() {
	if !f.Ordered {
		for p := range f.ranks {
			f.ranks[p] = f.Codes[p].Ranks()
		}
	}
	f.order = make([]int32, len(f.Lines))
	for i := range f.order {
		f.order[i] = int32(i)
	}
	slices.SortFunc(f.order, func(a, b int32) int {
		x, y := &f.Lines[a], &f.Lines[b]
		return f.compare(x.Key, x.Order, y.Key, y.Order)
	})
	f.rank = make([]int32, len(f.Lines))
	for r, n := range f.order {
		f.rank[n] = int32(r)
	}
}

// compare tells which of two lines or places comes first.
func (f *finder) compare(a stock.Key, first int32, b stock.Key, second int32) int {
	if f.Ordered {
		return cmp.Compare(first, second)
	}
	for p := range a {
		if a[p] != b[p] {
			return int(f.ranks[p][a[p]]) - int(f.ranks[p][b[p]])
		}
	}
	return 0
}

// item gives what is known of the item of a line.
func (f *finder) item(l *Line) (x Item) {
	if f.Item != nil {
		x = f.Item(l.Key[stock.SKU])
	}
	if x.Description == "" {
		x.Description = l.Description
	}
	return x
}

// stake is what a quantity of a line is worth, in hundredths, for weighing; a line without a cost counts 1 for each unit. It is
// held between 1 and a limit that sums of many do not pass.
func (l *Line) stake(q quantity.Quantity) int64 {
	const most = 1_000_000_000
	cost := max(l.Cost, -l.Cost)
	if cost == 0 {
		cost = quantity.Scale
	}
	v, err := quantity.Value(q.Abs(), cost)
	if err != nil || v > most {
		return most
	}
	return max(int64(v), 1)
}

// weigh is the worth of an explanation.
func (f *finder) weigh(x *Explanation) int64 {
	if x.Grade == None {
		return 0
	}
	l := &f.Lines[x.Line]
	w := x.points * l.stake(x.Quantity)
	if x.Other >= 0 {
		w += x.points * f.Lines[x.Other].stake(x.Quantity)
	}
	return w
}

// made fills in the points of an explanation, and raises it by what was accepted in earlier counts.
func (f *finder) made(x *Explanation, more int64) {
	if f.Before != nil && x.Grade != None {
		if n, of := f.Before(x.Cause, &f.Lines[x.Line]); n > 0 {
			x.Habit = of
			if more += 40; x.Grade < Strong {
				x.Grade++
			}
		}
	}
	x.points = table[x.Cause].points[x.Grade] + more
}

// Possible lists all that may explain a line by itself, the weightiest first: what there is to say beside the likely cause.
func Possible(in *Input, line int) (out []Explanation) {
	newFinder(in).alone(line, func(x *Explanation) { out = append(out, *x) })
	slices.SortStableFunc(out, func(a, b Explanation) int { return int(b.points - a.points) })
	return out
}
