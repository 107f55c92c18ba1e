package cutting

import (
	"fmt"
	"slices"
	"strconv"

	"wobin/internal/core/code"
)

// Way is how people walk through the aisles of a warehouse.
type Way string

// The ways.
const (
	UpAndDown Way = "up and down" // one aisle up, the next one down
	EachAisle Way = "each aisle"  // every aisle from its first bay
)

// Stop is where a bin is: its zone, as any number that sorts as zones are walked, and its address.
type Stop struct {
	Zone    int32
	Address code.Address
}

// Walk gives the order in which bins are visited, as positions among stops, which stand in natural order of their codes: zone after
// zone, aisle after aisle, bay after bay, levels from below. Within an aisle it never turns back. Bins whose codes have no aisle
// stand in their natural order.
func Walk(stops []Stop, way Way) []int32 {
	order := make([]int32, len(stops))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return int(stops[a].Zone) - int(stops[b].Zone) })
	if way == EachAisle {
		return order
	}
	out := make([]int32, 0, len(order))
	down := false
	for from := 0; from < len(order); {
		first := &stops[order[from]]
		to := from
		for to < len(order) && stops[order[to]].Zone == first.Zone && stops[order[to]].Address.Aisle == first.Address.Aisle {
			to++
		}
		if from > 0 && stops[order[from-1]].Zone != first.Zone {
			down = false // a zone begins at its beginning
		}
		if first.Address.Aisle == "" {
			out = append(out, order[from:to]...)
			from = to
			continue
		}
		out = append(out, bays(stops, order[from:to], down)...)
		down = !down
		from = to
	}
	return out
}

// bays gives the bins of an aisle bay by bay, from the last one where they are walked down; within a bay their order stays.
func bays(stops []Stop, aisle []int32, down bool) []int32 {
	if !down {
		return aisle
	}
	out := make([]int32, 0, len(aisle))
	for to := len(aisle); to > 0; {
		from := to - 1
		for from > 0 && stops[aisle[from-1]].Address.Bay == stops[aisle[from]].Address.Bay {
			from--
		}
		out = append(out, aisle[from:to]...)
		to = from
	}
	return out
}

// Pace is how long counting takes, in seconds.
type Pace struct {
	Line  int64 // to count and write down one line
	Bin   int64 // to find and open a bin
	Bay   int64 // to go on to another bay
	Aisle int64 // to go on to another aisle
}

// Usual is the pace that is reckoned with where no count has shown another one.
var Usual = Pace{Line: 15, Bin: 8, Bay: 3, Aisle: 20}

// At gives the pace at which work that took so many seconds at the usual pace takes so many, within a tenth of it and ten times it.
func (p Pace) At(took, usual int64) Pace {
	if took <= 0 || usual <= 0 {
		return p
	}
	took = max(min(took, usual*10), (usual+9)/10)
	by := func(s int64) int64 { return max((s*took+usual/2)/usual, 1) }
	return Pace{by(p.Line), by(p.Bin), by(p.Bay), by(p.Aisle)}
}

// Seconds gives what a bin with so many lines takes, coming from another one, which is nil for the first.
func (p Pace) Seconds(from, to *Stop, lines int) int64 {
	s := p.Bin + p.Line*int64(lines)
	switch {
	case from == nil || from.Zone != to.Zone || from.Address.Aisle != to.Address.Aisle:
		s += p.Aisle
	case from.Address.Bay != to.Address.Bay:
		s += p.Bay
	}
	return s
}

// Minutes writes seconds as minutes with one place, rounded half up.
func Minutes(seconds int64) string {
	tenths := (seconds + 3) / 6
	if tenths%10 == 0 {
		return strconv.FormatInt(tenths/10, 10)
	}
	return fmt.Sprintf("%d.%d", tenths/10, tenths%10)
}
