package reference

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// ItemChange is what an intake, or somebody by hand, changed of an item.
type ItemChange struct {
	At     time.Time `json:"at"`
	Person string    `json:"person"`
	File   string    `json:"file" doc:"that it came in"`
	What   []string  `json:"what" doc:"what changed, each as name: before → after"`
}

// changes fills in what changed of an item, the latest first.
func (v *Item) changes(tx *store.Tx, now *store.Item) error {
	rows, err := store.ItemHistory(tx, now.ID, listed)
	if err != nil {
		return err
	}
	after := *now
	for _, r := range rows {
		var before store.Item
		if err := json.Unmarshal([]byte(r.Was), &before); err != nil {
			return err
		}
		if what := differences(&before, &after); len(what) > 0 {
			v.Changes = append(v.Changes, ItemChange{desk.Instant(r.At), r.Person, r.FileName, what})
		}
		after = before
	}
	return nil
}

// differences tells in what an item differs before and after.
func differences(a, b *store.Item) (out []string) {
	x, y := facts(a), facts(b)
	var names []string
	for n := range x {
		names = append(names, n)
	}
	for n := range y {
		if _, both := x[n]; !both {
			names = append(names, n)
		}
	}
	code.Sort(names)
	for _, n := range names {
		if x[n] != y[n] {
			out = append(out, fmt.Sprintf("%s: %s → %s", n, orNone(x[n]), orNone(y[n])))
		}
	}
	return out
}

func orNone(t string) string {
	if t == "" {
		return "none"
	}
	return t
}

// facts are what is known of an item, by what it is called.
func facts(i *store.Item) map[string]string {
	out := map[string]string{"description": i.Description, "unit": i.Unit, "category": i.Category, "class": i.Class, "it is": i.Nature,
		"kept by": i.Tracking, "parent": i.Parent, "record id": i.RecordID, "further SKU": i.FurtherSKU,
		"barcodes": strings.Join(count.Barcodes(i.Barcode, i.Barcodes), " "), "active": map[bool]string{true: "yes", false: "no"}[i.Active]}
	if i.Cost != nil {
		out["unit cost"] = quantity.Cost(*i.Cost).String()
	}
	var v Item
	v.Attributes = map[string]string{}
	if v.known(i) == nil {
		for n, t := range v.Attributes {
			out[n] = t
		}
		packs := []string{}
		for _, p := range v.Packs {
			packs = append(packs, fmt.Sprintf("%s of %s", p.Unit, p.Holds))
		}
		slices.Sort(packs)
		out["packs"] = strings.Join(packs, ", ")
	}
	return out
}
