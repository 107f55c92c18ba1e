package count

import (
	"encoding/json"
	"strings"

	"wobin/internal/core/read"
)

// PackBarcodes gives the barcodes that packs have by themselves, from an item's packs in JSON, each with its pack in words: bx of 25.
func PackBarcodes(packs string) map[string]string {
	if !strings.Contains(packs, `"barcode"`) {
		return nil
	}
	var list []read.Pack
	if json.Unmarshal([]byte(packs), &list) != nil { // they were written by us
		return nil
	}
	out := map[string]string{}
	for _, x := range list {
		if x.Barcode != "" {
			out[x.Barcode] = x.Unit + " of " + x.Size.String()
		}
	}
	return out
}

// Barcodes gives the barcodes of an item, which stand in two columns: the first, and in JSON all of them where they are several.
func Barcodes(first, several string) []string {
	var out []string
	if several != "" && json.Unmarshal([]byte(several), &out) == nil {
		return out
	}
	if first != "" {
		out = append(out, first)
	}
	return out
}
