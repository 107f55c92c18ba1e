package cause

import (
	"fmt"
	"slices"
	"strconv"

	"wobin/internal/core/code"
	"wobin/internal/core/stock"
)

// Distances between bins. far is that of different aisles.
const (
	sameBay = 1
	far     = 1000
)

// distances tells how far bins are apart: as their codes say where they stand or, where these follow no pattern, by their order.
type distances struct {
	at    []address // by bin
	loose []uint32  // by bin: its place in natural order, where some follow no pattern
}

type address struct {
	aisle, bay int32
	known      bool
}

// inPlay gives the bins of which it may be asked how far they are apart: those of items that have several lines. Where they are few, all
// bins are looked at for how they are called.
func inPlay(in *Input) (ids []stock.ID, texts []string) {
	names := &in.Codes[stock.Bin]
	times := make([]uint8, in.Codes[stock.SKU].Len())
	each := func(do func(k *stock.Key)) {
		for i := range in.Lines {
			do(&in.Lines[i].Key)
		}
		for i := range in.Places {
			do(&in.Places[i].Key)
		}
	}
	each(func(k *stock.Key) { times[k[stock.SKU]] = min(times[k[stock.SKU]]+1, 2) })
	wanted, n := make([]bool, names.Len()), 0
	each(func(k *stock.Key) {
		if b := k[stock.Bin]; times[k[stock.SKU]] > 1 && !wanted[b] {
			wanted[b] = true
			n++
		}
	})
	for id := range wanted {
		if wanted[id] || n < 5000 {
			ids, texts = append(ids, stock.ID(id)), append(texts, names.Text(stock.ID(id)))
		}
	}
	return ids, texts
}

func newDistances(in *Input) *distances {
	names := &in.Codes[stock.Bin]
	d := &distances{at: make([]address, names.Len())}
	ids, texts := inPlay(in)
	named, regular := code.Addresses(texts)
	aisles, bays := map[string]int32{}, []map[string]bool{}
	for i, a := range named {
		if !regular[i] || a.Bay == "" {
			continue
		}
		n, had := aisles[a.Aisle]
		if !had {
			n = int32(len(bays))
			aisles[a.Aisle] = n
			bays = append(bays, map[string]bool{})
		}
		bays[n][a.Bay] = true
	}
	order := make([]map[string]int32, len(bays))
	for n, some := range bays {
		list := make([]string, 0, len(some))
		for b := range some {
			list = append(list, b)
		}
		code.Sort(list)
		order[n] = map[string]int32{}
		for i, b := range list {
			order[n][b] = int32(i)
			if number, err := strconv.Atoi(b); err == nil && number < 1<<20 {
				order[n][b] = int32(number) // bays of which nothing is known are counted along
			}
		}
	}
	for i, a := range named {
		if regular[i] && a.Bay != "" {
			n := aisles[a.Aisle]
			d.at[ids[i]] = address{aisle: n, bay: order[n][a.Bay], known: true}
		}
	}
	if slices.Contains(regular, false) {
		d.loose = names.Ranks()
	}
	return d
}

// between is how far the bins of two keys are apart: 0 the same bin, 1 the same bay, then the bays between.
func (d *distances) between(a, b stock.Key) int {
	x, y := a[stock.Bin], b[stock.Bin]
	if a[stock.Warehouse] != b[stock.Warehouse] {
		return 10 * far
	}
	if x == y {
		return 0
	}
	p, q := d.at[x], d.at[y]
	switch {
	case p.known && q.known && p.aisle == q.aisle:
		return sameBay + int(max(p.bay-q.bay, q.bay-p.bay))
	case !p.known && !q.known && d.loose != nil:
		return min(sameBay+int(max(d.loose[x], d.loose[y])-min(d.loose[x], d.loose[y])), far-1)
	}
	return far
}

// words says it.
func (d *distances) words(a, b stock.Key) string {
	n := d.between(a, b)
	switch {
	case n == 0:
		return "the same bin"
	case n >= far:
		return "in another aisle"
	case !d.at[a[stock.Bin]].known:
		return "near it"
	case n == sameBay:
		return "the same bay"
	case n == sameBay+1:
		return "the next bay"
	}
	return fmt.Sprintf("%d bays away", n-sameBay)
}

// SameAisle gives a function that tells whether the bins of two keys stand in one aisle of one warehouse, as their codes say; where these
// follow no pattern nothing is said of it.
func SameAisle(in *Input) func(a, b stock.Key) bool {
	d := newDistances(in)
	return func(a, b stock.Key) bool {
		x, y := d.at[a[stock.Bin]], d.at[b[stock.Bin]]
		return a[stock.Warehouse] == b[stock.Warehouse] && (a[stock.Bin] == b[stock.Bin] || x.known && y.known && x.aisle == y.aisle)
	}
}
