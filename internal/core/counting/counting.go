// Package counting cuts a count into sheets, gives sheets and rows their codes, writes sheets for people and
// understands them when they come back. It works on plain values and knows nothing of where they are kept.
package counting

import (
	"fmt"
	"strconv"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Line is one frozen line of a count.
type Line struct {
	Pos         int                 // the line's number in the count
	Key         [stock.Parts]string // warehouse, bin, SKU, lot, serial, holding
	Zone        string
	Description string
	Unit        string
	Recorded    quantity.Quantity
	RowCode     string
	Extra       []string // further cells, as the sheet's Extra names them
	Look        bool     // a bin in which nothing is recorded: somebody must look
}

// SheetCode is the code of a count's sheet: a letter, the count, the sheet, and a check character. It begins
// with a letter so that no spreadsheet takes it for a number or a date.
func SheetCode(count, sheet int) string {
	return code.WithCheck(fmt.Sprintf("W%dS%d", count, sheet))
}

// RowCode is the code of a sheet's row.
func RowCode(count, sheet, row int) string {
	return code.WithCheck(fmt.Sprintf("W%dS%dR%d", count, sheet, row))
}

// ParseCode reads a sheet code (row is 0) or a row code. ok is false where it is neither or fails its check.
func ParseCode(s string) (count, sheet, row int, ok bool) {
	s = strings.ToUpper(code.Trim(s))
	if !code.Checked(s) || s[0] != 'W' {
		return 0, 0, 0, false
	}
	head, rest, ok := strings.Cut(s[1:len(s)-1], "S")
	body, tail, isRow := strings.Cut(rest, "R")
	number := func(text string) (n int) {
		n, err := strconv.Atoi(text)
		ok = ok && err == nil && n > 0 && text[0] != '+'
		return n
	}
	count, sheet = number(head), number(body)
	if isRow {
		row = number(tail)
	}
	return count, sheet, row, ok
}

// String names a line as people do.
func (l *Line) String() string {
	s := fmt.Sprintf("%s · %s", l.Key[stock.Bin], l.Key[stock.SKU])
	for _, p := range []stock.Part{stock.Lot, stock.Serial} {
		if l.Key[p] != "" {
			s += " · " + l.Key[p]
		}
	}
	return s
}
