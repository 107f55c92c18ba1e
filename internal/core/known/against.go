package known

import (
	"slices"
	"strings"

	"wobin/internal/core/code"
)

// Listed is an item of a list, as another list is held against it.
type Listed struct {
	SKU, Description string
	Others           []string // what else it goes by: barcodes, further SKUs
	ID               string   // its number in the record system, which stays when its code changes
}

// Difference is one item in which two lists differ.
type Difference struct {
	What    string // OnlyHere, OnlyThere or OtherCode
	Here    *Listed
	There   *Listed
	Because string // what an item under another code is known by
}

// How two lists differ in an item.
const (
	OnlyHere  = "only in the file"
	OnlyThere = "only in the records"
	OtherCode = "under another code"
)

// Against holds a list of items against another one and gives those that one of them lacks, and those that both have
// under other codes: known by a barcode or a further code that they share, or by a name that one item alone has in each
// list. Codes are the same without regard to case. The order is that of what they are, then that of their codes.
func Against(here, there []Listed) (out []Difference) {
	bySKU := map[string]int{}
	for i := range there {
		bySKU[code.Fold(there[i].SKU)] = i
	}
	met := make([]bool, len(there))
	var left []int
	for i := range here {
		if at, ok := bySKU[code.Fold(here[i].SKU)]; ok {
			met[at] = true
			continue
		}
		left = append(left, i)
	}
	marks := func(x *Listed, name bool) (out []string) {
		if name {
			if n := nameOf(x.Description); n != "" {
				out = append(out, "name "+n)
			}
			return out
		}
		if x.ID != "" {
			out = append(out, "number "+x.ID)
		}
		for _, o := range append([]string{x.SKU}, x.Others...) {
			if o = code.Fold(code.Trim(o)); o != "" {
				out = append(out, "code "+o)
			}
		}
		return out
	}
	for _, name := range []bool{false, true} {
		owners := map[string]int{} // of a mark: the item there, -1 where several have it
		for i := range there {
			if met[i] {
				continue
			}
			for _, m := range marks(&there[i], name) {
				if at, had := owners[m]; had && at != i {
					owners[m] = -1
				} else {
					owners[m] = i
				}
			}
		}
		claims := map[int]int{} // how many items here lead to one there
		leads := func(i int) (at int, by string) {
			at = -1
			for _, m := range marks(&here[i], name) {
				if to, ok := owners[m]; ok && to >= 0 {
					if at >= 0 && at != to {
						return -1, ""
					}
					at, by = to, m
				}
			}
			return at, by
		}
		for _, i := range left {
			if at, _ := leads(i); at >= 0 {
				claims[at]++
			}
		}
		rest := left[:0:0]
		for _, i := range left {
			at, by := leads(i)
			if at < 0 || claims[at] > 1 || met[at] {
				rest = append(rest, i)
				continue
			}
			met[at] = true
			out = append(out, Difference{OtherCode, &here[i], &there[at], by})
		}
		left = rest
	}
	for _, i := range left {
		out = append(out, Difference{What: OnlyHere, Here: &here[i]})
	}
	for i := range there {
		if !met[i] {
			out = append(out, Difference{What: OnlyThere, There: &there[i]})
		}
	}
	key := func(d *Difference) string {
		if d.Here != nil {
			return d.Here.SKU
		}
		return d.There.SKU
	}
	order := []string{OtherCode, OnlyHere, OnlyThere}
	slices.SortStableFunc(out, func(a, b Difference) int {
		if x := slices.Index(order, a.What) - slices.Index(order, b.What); x != 0 {
			return x
		}
		return code.Compare(key(&a), key(&b))
	})
	return out
}

// nameOf is a name as names are compared: its words without case and signs.
func nameOf(s string) string {
	return strings.Join(strings.FieldsFunc(code.Fold(s), func(r rune) bool {
		return !(r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || r > 0x7f)
	}), " ")
}
