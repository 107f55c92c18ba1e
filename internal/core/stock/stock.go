// Package stock holds items' recorded stock and movements as plain values: the key that stock is known by, the
// lines of a stock file, and how they are found, sorted and rolled forward. It knows nothing of files or records.
package stock

import (
	"math"
	"math/bits"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unsafe"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
)

// Part is one of the six parts of a key.
type Part int

// The parts of a key, in the order in which lines are sorted (holding last).
const (
	Warehouse Part = iota
	Bin
	SKU
	Lot
	Serial
	Holding
	Parts
)

// Key says which stock is meant: a name's number for each part.
type Key [Parts]ID

// Codes holds the names of each part of the keys.
type Codes [Parts]Names

// Texts gives the key's parts as text.
func (c *Codes) Texts(k Key) (t [Parts]string) {
	for p := range t {
		t[p] = c[p].Text(k[p])
	}
	return t
}

// Adopt takes the names of other in and gives how its numbers read here. Each part is resolved for itself.
func (c *Codes) Adopt(other *Codes) (m Mapping) {
	var done sync.WaitGroup
	for p := range c {
		done.Add(1)
		go func() { m[p] = c[p].Adopt(&other[p]); done.Done() }()
	}
	done.Wait()
	return m
}

// Mapping turns the numbers of one Codes into those of another.
type Mapping [Parts][]ID

// Key turns a key.
func (m *Mapping) Key(k Key) (out Key) {
	for p := range k {
		if k[p] != 0 {
			out[p] = m[p][k[p]]
		}
	}
	return out
}

// Line is one recorded row, or a key that only movements or entries know (Row is 0 then).
type Line struct {
	Key         Key
	Recorded    quantity.Quantity
	Reserved    quantity.Quantity
	Cost        quantity.Cost
	Unit        ID
	Description ID
	recordID    uint32
	recordLen   uint32
	kept        uint32 // of the attributes, in records too
	keptLen     uint32
	Row         int32 // of the file, 0 where there is none
	Costed      bool  // Cost is known
	HasReserved bool
}

// Book is the recorded stock of one file, or of one frozen count.
type Book struct {
	Codes        Codes
	Units        Names
	Descriptions Names
	Lines        []Line

	records []byte
	slots   []uint64 // the hash of a key, and its line + 1
	last    int      // the line found last
}

// SetRecordID keeps the record system's own identifier with a line.
func (b *Book) SetRecordID(l *Line, id []byte) {
	l.recordID, l.recordLen = uint32(len(b.records)), uint32(len(id))
	b.records = append(b.records, id...)
}

// RecordID gives it back.
func (b *Book) RecordID(l *Line) string {
	return bytesAsString(b.records[l.recordID : l.recordID+l.recordLen])
}

// SetKept keeps a line's attributes with it, as JSON.
func (b *Book) SetKept(l *Line, attributes []byte) {
	l.kept, l.keptLen = uint32(len(b.records)), uint32(len(attributes))
	b.records = append(b.records, attributes...)
}

// Kept gives a line's attributes back, as JSON; empty where it has none.
func (b *Book) Kept(l *Line) string { return bytesAsString(b.records[l.kept : l.kept+l.keptLen]) }

// Join takes the lines of another book in behind those here, as if they had been read one after the other: codes are
// taken as the texts that they are, and rows are counted on from those before. It gives how the other's codes read here.
func (b *Book) Join(other *Book, before int) (to Mapping) {
	for part := range to {
		to[part] = b.Codes[part].Take(&other.Codes[part])
	}
	units, descriptions := b.Units.Take(&other.Units), b.Descriptions.Take(&other.Descriptions)
	start := uint32(len(b.records))
	b.records = append(b.records, other.records...)
	b.Lines = slices.Grow(b.Lines, len(other.Lines))
	for i := range other.Lines {
		l := other.Lines[i]
		l.Key, l.Unit, l.Description = to.Key(l.Key), units[l.Unit], descriptions[l.Description]
		l.recordID, l.kept, l.Row = l.recordID+start, l.kept+start, l.Row+int32(before)
		b.Lines = append(b.Lines, l)
	}
	return to
}

// Find gives the position of the line with this key, -1 where there is none.
func (b *Book) Find(k Key) int {
	if len(b.slots) == 0 {
		return -1
	}
	// Sheets follow the stock's own order, so the line behind the one found last is mostly the next one wanted.
	if b.last++; b.last < len(b.Lines) && b.Lines[b.last].Key == k {
		return b.last
	}
	h, mask := k.hash(), uint32(len(b.slots)-1)
	for i := h & mask; b.slots[i] != 0; i = (i + 1) & mask {
		if s := b.slots[i]; uint32(s>>32) == h && b.Lines[uint32(s)-1].Key == k {
			b.last = int(uint32(s) - 1)
			return b.last
		}
	}
	return -1
}

func slotOf(hash uint32, line int) uint64 { return uint64(hash)<<32 | uint64(line+1) }

// Index makes the lines findable. It gives, for each line whose key an earlier one has, both positions.
func (b *Book) Index() (doubles [][2]int) {
	size := 64
	for size < len(b.Lines)*2 {
		size *= 2
	}
	b.slots = make([]uint64, size)
	clear(b.slots) // as in Names.grow
	if len(b.Lines) >= 1<<16 && b.indexTogether() {
		return nil
	}
	clear(b.slots)
	mask := uint32(size - 1)
	for n := range b.Lines {
		k := b.Lines[n].Key
		h := k.hash()
		i := h & mask
		for ; b.slots[i] != 0; i = (i + 1) & mask {
			if s := b.slots[i]; uint32(s>>32) == h && b.Lines[uint32(s)-1].Key == k {
				doubles = append(doubles, [2]int{int(uint32(s) - 1), n})
				break
			}
		}
		if b.slots[i] == 0 {
			b.slots[i] = slotOf(h, n)
		}
	}
	return doubles
}

// indexTogether lets two workers put the lines into their slots at the same time. ok is false where a key comes twice:
// then the lines have to be gone through in their order.
func (b *Book) indexTogether() (ok bool) {
	mask := uint32(len(b.slots) - 1)
	var twice atomic.Bool
	var done sync.WaitGroup
	half := len(b.Lines) / 2
	for _, part := range [][2]int{{0, half}, {half, len(b.Lines)}} {
		done.Add(1)
		go func() {
			defer done.Done()
			for n := part[0]; n < part[1] && !twice.Load(); n++ {
				k := &b.Lines[n].Key
				h := k.hash()
				for i := h & mask; ; i = (i + 1) & mask {
					s := atomic.LoadUint64(&b.slots[i])
					if s == 0 {
						if atomic.CompareAndSwapUint64(&b.slots[i], 0, slotOf(h, n)) {
							break
						}
						s = atomic.LoadUint64(&b.slots[i])
					}
					if uint32(s>>32) == h && b.Lines[uint32(s)-1].Key == *k {
						twice.Store(true)
						return
					}
				}
			}
		}()
	}
	done.Wait()
	return !twice.Load()
}

// Ensure gives the position of the line with this key; where there is none it adds one that has no recorded row.
func (b *Book) Ensure(k Key) int {
	if n := b.Find(k); n >= 0 {
		return n
	}
	b.Lines = append(b.Lines, Line{Key: k})
	if len(b.Lines)*2 > len(b.slots) {
		b.Index()
	} else {
		h, mask := k.hash(), uint32(len(b.slots)-1)
		i := h & mask
		for b.slots[i] != 0 {
			i = (i + 1) & mask
		}
		b.slots[i] = slotOf(h, len(b.Lines)-1)
	}
	return len(b.Lines) - 1
}

func (k Key) hash() uint32 {
	h := uint64(k[0])<<32 | uint64(k[1])
	h = (h ^ uint64(k[2])<<20 ^ uint64(k[3])<<7) * 0x9e3779b97f4a7c15
	h ^= h >> 29
	h = (h ^ uint64(k[4])<<32 ^ uint64(k[5])) * 0xbf58476d1ce4e5b9
	return uint32(h >> 32)
}

// Order gives the positions of the lines sorted by warehouse, bin, SKU, lot, serial and holding in natural order.
// Codes are ranked once, then lines are sorted by counting, the last part first.
func (b *Book) Order() []uint32 {
	order := make([]uint32, len(b.Lines))
	for i := range order {
		order[i] = uint32(i)
	}
	var ranks [Parts][]uint32
	done := make(chan struct{}, Parts)
	for p := range ranks {
		go func() {
			if b.Codes[p].Len() > 1 {
				ranks[p] = b.Codes[p].Ranks()
			}
			done <- struct{}{}
		}()
	}
	for range ranks {
		<-done
	}
	// Mostly all ranks of a key fit one number, which is then sorted without looking at the lines again, digit
	// by digit at worst; else part by part.
	type packed struct {
		key  uint64
		line uint32
	}
	parts := []Part{Warehouse, Bin, SKU, Lot, Serial, Holding}
	for len(parts) > 0 {
		var take []Part // from the last part forward, as many as fit
		width := 0
		for len(parts) > 0 {
			p := parts[len(parts)-1]
			if ranks[p] != nil {
				w := bits.Len(uint(len(ranks[p]) - 1))
				if width+w > 64 {
					break
				}
				width += w
				take = append(take, p)
			}
			parts = parts[:len(parts)-1]
		}
		now, then := make([]packed, len(order)), make([]packed, len(order))
		for i, n := range order {
			k, shift := uint64(0), 0
			for _, p := range take {
				k |= uint64(ranks[p][b.Lines[n].Key[p]]) << shift
				shift += bits.Len(uint(len(ranks[p]) - 1))
			}
			now[i] = packed{k, n}
		}
		// Lines mostly come in nearly that order, and then each has few positions to go.
		steps := 4 * len(now)
		for i := 1; i < len(now) && steps >= 0; i++ {
			x, to := now[i], i
			for ; to > 0 && now[to-1].key > x.key && steps >= 0; to-- {
				now[to] = now[to-1]
				steps--
			}
			now[to] = x
		}
		for shift := 0; shift < width && steps < 0; shift += 11 {
			var starts [2049]uint32
			for i := range now {
				starts[now[i].key>>shift&2047+1]++
			}
			for i := 1; i < len(starts); i++ {
				starts[i] += starts[i-1]
			}
			for i := range now {
				d := now[i].key >> shift & 2047
				then[starts[d]] = now[i]
				starts[d]++
			}
			now, then = then, now
		}
		for i := range now {
			order[i] = now[i].line
		}
	}
	return order
}

// Twice tells whether a key comes twice, from the lines in their order.
func (b *Book) Twice(order []uint32) bool {
	for i := 1; i < len(order); i++ {
		if b.Lines[order[i-1]].Key == b.Lines[order[i]].Key {
			return true
		}
	}
	return false
}

// Agreed is the unit cost of several rows of an item, where all of them have the same one. The zero value is that of no
// rows.
type Agreed struct {
	Cost  quantity.Cost
	Known bool // they have it in common
	Any   bool // there are rows
}

// AgreedOf is that of one row.
func AgreedOf(cost quantity.Cost, costed bool) Agreed {
	if !costed {
		cost = 0
	}
	return Agreed{cost, costed, true}
}

// With is that of these rows and others together.
func (a Agreed) With(o Agreed) Agreed {
	switch {
	case !a.Any:
		return o
	case !o.Any || a == o:
		return a
	}
	return Agreed{Any: true}
}

// CostSource tells where the unit cost of a line comes from.
type CostSource int

// The sources of unit costs. They are stored, so each keeps its number.
const (
	CostOfLine CostSource = iota // its recorded row says so, or no cost is known
	CostOfItem                   // the item
	CostOfRows                   // recorded rows of the same SKU, of a key that has none
	CostByHand                   // somebody gave it in the count
)

// String is the source in a word; empty for the line's own.
func (s CostSource) String() string { return [...]string{"", "item", "rows", "hand"}[s] }

// Costing is a unit cost with where it comes from; the zero value is that none is known.
type Costing struct {
	Cost  quantity.Cost
	Known bool
	From  CostSource
}

// LineCost is the unit cost of a recorded row: its own, else its item's.
func LineCost(row, item Costing) Costing {
	if row.Known || !item.Known {
		return row
	}
	return Costing{item.Cost, true, CostOfItem}
}

// FoundCost is the unit cost for a key without a recorded row: the SKU's where it is the same on all its rows in that
// warehouse, else where it is the same on all its rows, else the item's.
func FoundCost(inWarehouse, anywhere Agreed, item Costing) Costing {
	switch {
	case inWarehouse.Known:
		return Costing{inWarehouse.Cost, true, CostOfRows}
	case anywhere.Known:
		return Costing{anywhere.Cost, true, CostOfRows}
	}
	return LineCost(Costing{}, item)
}

// CostOf finds the unit cost for keys without a recorded row.
type CostOf struct {
	inWarehouse map[[2]ID]Agreed
	anywhere    map[ID]Agreed
	items       map[ID]quantity.Cost
}

// Costs gathers the costs of the recorded rows of the SKUs that are asked for. items are the items' own costs.
func (b *Book) Costs(wanted map[ID]bool, items map[ID]quantity.Cost) CostOf {
	c := CostOf{map[[2]ID]Agreed{}, map[ID]Agreed{}, items}
	if len(wanted) == 0 {
		return c
	}
	for i := range b.Lines {
		l := &b.Lines[i]
		if l.Row == 0 || !wanted[l.Key[SKU]] {
			continue
		}
		now, at := AgreedOf(l.Cost, l.Costed), [2]ID{l.Key[Warehouse], l.Key[SKU]}
		c.inWarehouse[at] = c.inWarehouse[at].With(now)
		c.anywhere[l.Key[SKU]] = c.anywhere[l.Key[SKU]].With(now)
	}
	return c
}

// For gives the cost for a key without a row.
func (c CostOf) For(k Key) Costing {
	return FoundCost(c.inWarehouse[[2]ID{k[Warehouse], k[SKU]}], c.anywhere[k[SKU]], c.item(k[SKU]))
}

func (c CostOf) item(sku ID) Costing {
	cost, known := c.items[sku]
	return Costing{cost, known, CostOfItem}
}

// Of gives the cost of a line, be it recorded or not.
func (c CostOf) Of(l *Line) Costing {
	if l.Row == 0 {
		return c.For(l.Key)
	}
	return LineCost(Costing{l.Cost, l.Costed, CostOfLine}, c.item(l.Key[SKU]))
}

// Movement is a change of recorded stock at a time.
type Movement struct {
	Quantity quantity.Quantity // signed
	At       int64             // Unix time in nanoseconds
}

// Moved sums the movements with after < time ≤ upTo. The order of the movements does not matter; ok is false where the
// sum is out of range.
func Moved(m []Movement, after, upTo int64) (sum quantity.Quantity, ok bool) {
	var all wide
	for _, x := range m {
		if x.At > after && x.At <= upTo {
			all.add(int64(x.Quantity))
		}
	}
	return all.quantity()
}

// After sums the movements after a time.
func After(m []Movement, at int64) (sum quantity.Quantity, ok bool) {
	return Moved(m, at, math.MaxInt64)
}

// wide is a sum that does not wrap on its way, so that the order of what is summed does not matter.
type wide struct{ hi, lo int64 }

const wideHalf = 1 << 31

func (w *wide) add(n int64) { w.hi, w.lo = w.hi+n/wideHalf, w.lo+n%wideHalf }

func (w *wide) quantity() (quantity.Quantity, bool) {
	hi := w.hi + w.lo/wideHalf
	if most := int64(quantity.Limit / wideHalf); hi > most || hi < -most {
		return 0, false
	}
	return quantity.Add(quantity.Quantity(hi*wideHalf), quantity.Quantity(w.lo%wideHalf))
}

// Holders gives, for keys without a bin, the positions of the lines that hold the rest of the key in that warehouse:
// recorded rows alone where there are any. A movement without a bin belongs to the only one.
func (b *Book) Holders(binless map[Key]bool) map[Key][]int {
	held := map[Key][]int{}
	if len(binless) == 0 {
		return held
	}
	for i := range b.Lines {
		key := b.Lines[i].Key
		if key[Bin] = 0; binless[key] {
			held[key] = append(held[key], i)
		}
	}
	for key, lines := range held {
		if recorded := slices.DeleteFunc(slices.Clone(lines), func(n int) bool { return b.Lines[n].Row == 0 }); len(recorded) > 0 {
			held[key] = recorded
		}
	}
	return held
}

func sortIDs(ids []ID, n *Names) {
	keys := make([]string, n.Len())
	for i := 1; i < n.Len(); i++ {
		keys[i] = code.SortKey(n.texts[i])
	}
	slices.SortFunc(ids, func(a, b ID) int { return strings.Compare(keys[a], keys[b]) })
}

func textAsBytes(s string) []byte { return unsafe.Slice(unsafe.StringData(s), len(s)) }

// bytesAsString gives bytes that are never written again as a string without copying them.
func bytesAsString(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }
