package cause

import (
	"unicode"
	"unicode/utf8"

	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Header is the first row of causes.csv.
const Header = "cause,grade,warehouse,bin,sku,lot,serial,quantity,other_bin,other_sku,other_lot,remedy,evidence\n"

// Evidence is what speaks for an explanation, in one sentence with the figures in it.
func (x *Explanation) Evidence(in *Input) string {
	how := x.How
	if l := &in.Lines[x.Line]; x.Cause == KeySlip { // put together here, as it is said of many and read of few
		how = l.Counted.String() + " for " + l.Expected.String() + ": " + how
	}
	first, size := utf8.DecodeRuneInString(how)
	text := string(unicode.ToUpper(first)) + how[size:]
	if x.Habit != "" {
		text += "; " + x.Habit
	}
	return text + "."
}

// Others names the other bin, item and lot of an explanation, each empty where it has none that is another one.
func (x *Explanation) Others(in *Input) (bin, sku, lot string) {
	var other stock.Key
	switch {
	case x.Place != nil:
		other = x.Place.Key
	case x.Other >= 0:
		other = in.Lines[x.Other].Key
	default:
		return "", "", ""
	}
	own := in.Lines[x.Line].Key
	name := func(p stock.Part) string {
		if other[p] == own[p] {
			return ""
		}
		return in.Codes[p].Text(other[p])
	}
	return name(stock.Bin), name(stock.SKU), name(stock.Lot)
}

// Append writes an explanation as a row of causes.csv.
func (x *Explanation) Append(b []byte, in *Input) []byte {
	cell := func(text string) { b = append(tabular.AppendCell(b, text, ','), ',') }
	cell(string(x.Cause))
	cell(x.Grade.String())
	own := in.Lines[x.Line].Key
	for _, p := range []stock.Part{stock.Warehouse, stock.Bin, stock.SKU, stock.Lot, stock.Serial} {
		cell(in.Codes[p].Text(own[p]))
	}
	cell(x.Quantity.String())
	bin, sku, lot := x.Others(in)
	cell(bin)
	cell(sku)
	cell(lot)
	cell(string(x.Remedy()))
	return append(tabular.AppendCell(b, x.Evidence(in), ','), '\n')
}
