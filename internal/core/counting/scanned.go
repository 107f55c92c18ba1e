package counting

import (
	"fmt"
	"strings"

	"wobin/internal/core/barcode"
	"wobin/internal/core/stock"
)

// Scanned understands a SKU that is what a scanner sent: the lot and the serial in it are put into the key where it has none, and codes are
// the forms in which its GTIN may be recorded as a barcode. is is false where the SKU is no such text. It errs with words that follow the
// quoted text.
func Scanned(key *[stock.Parts]string, year int) (codes []string, scan barcode.Scan, is bool, err error) {
	scan, is, err = barcode.Read(key[stock.SKU], year)
	if !is || err != nil {
		return nil, scan, is, err
	}
	if scan.GTIN == "" {
		return nil, scan, true, fmt.Errorf("names no item: it has no GTIN")
	}
	for part, value := range map[stock.Part]string{stock.Lot: scan.Lot, stock.Serial: scan.Serial} {
		switch {
		case value == "" || key[part] == value:
		case key[part] != "":
			return nil, scan, true, fmt.Errorf("says %s %s, and %s stands beside it", wordOf[part][0], value, key[part])
		default:
			key[part] = value
		}
	}
	for _, length := range []int{14, 13, 12, 8} {
		if lead := scan.GTIN[:14-length]; strings.Trim(lead, "0") == "" {
			codes = append(codes, scan.GTIN[14-length:])
		}
	}
	return codes, scan, true, nil
}
