// Package adjust turns decided variances into adjustment lines and writes them as the text that a record
// system takes in. It knows nothing of how the decisions came about.
package adjust

import (
	"errors"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
)

// Mode is what an adjustment file says of a line; the zero Mode says the difference.
type Mode string

// The modes of an adjustment file.
const (
	Difference Mode = "difference" // the variance
	Balance    Mode = "balance"    // what the record should then say
	InOut      Mode = "in-out"     // the variance in two columns, both at least 0
	Counted    Mode = "counted"    // what was counted, and when, by whom
)

// Modes lists them.
var Modes = []Mode{Difference, Balance, InOut, Counted}

// Rules say which lines of a count go out.
type Rules struct {
	Mode          Mode
	PostTolerated bool // variances that are let pass go out too
}

// Goes tells whether a line of this status goes out: those over, short or found, tolerated ones where the rules say so,
// uncounted ones that were settled to be zero, and in Counted mode, where the record system works out the difference
// itself, all lines with an entry.
func (r Rules) Goes(s variance.Status, zeroed bool) bool {
	switch s {
	case variance.Over, variance.Short, variance.Found:
		return true
	case variance.Tolerated:
		return r.PostTolerated || r.Mode == Counted
	case variance.Match:
		return r.Mode == Counted
	}
	return zeroed
}

// ErrBelowZero is a balance that no record can have.
var ErrBelowZero = errors.New("would be below zero")

// Line is one adjustment.
type Line struct {
	Key       [stock.Parts]string // warehouse, bin, SKU, lot, serial, holding
	RecordID  string
	Unit      string
	Counted   quantity.Quantity
	Variance  quantity.Quantity
	After     quantity.Quantity // movements after the counting time
	Cost      quantity.Cost
	Costed    bool
	Value     quantity.Money // the variance's, in every mode
	Valued    bool
	Reason    string
	CountedAt int64 // Unix nanoseconds, 0 where it is not known
	Counter   string
	Extra     []string // further cells, at the end of the row
}

// Balance is the quantity that the record should have now: counted plus all movements since. It errs with
// ErrBelowZero.
func (l *Line) Balance() (quantity.Quantity, error) {
	b, ok := quantity.Add(l.Counted, l.After)
	if !ok {
		return 0, quantity.ErrTooLarge
	}
	if b < 0 {
		return b, ErrBelowZero
	}
	return b, nil
}

// Reason is the word that goes out for a line: over, short or found; a tolerated one by its sign, an uncounted
// one that is set to zero as uncounted, a match with none.
func Reason(s variance.Status, v quantity.Quantity) string {
	if s == variance.Tolerated {
		if v > 0 {
			return string(variance.Over)
		}
		return string(variance.Short)
	}
	if s == variance.Match {
		return ""
	}
	return string(s)
}

// Header gives the first row of a file in this mode, with further columns at its end.
func Header(m Mode, extra ...string) string {
	b := []byte(header(m))
	for _, e := range extra {
		b = tabular.AppendCell(append(b[:len(b)-1], ','), e, ',')
		b = append(b, '\n')
	}
	return string(b)
}

func header(m Mode) string {
	switch m {
	case InOut:
		return "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity_in,quantity_out,unit_cost,value,reason\n"
	case Counted:
		return "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,counted_at,counter,unit_cost,value,reason\n"
	}
	return "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason\n"
}

// Append appends the line as a row of comma-separated text. In Balance mode the line's balance must be sound.
func (l *Line) Append(b []byte, m Mode) []byte {
	for _, t := range l.Key {
		b = append(tabular.AppendCell(b, t, ','), ',')
	}
	b = append(tabular.AppendCell(b, l.RecordID, ','), ',')
	b = append(tabular.AppendCell(b, l.Unit, ','), ',')
	switch m {
	default:
		b = quantity.AppendDecimal(b, int64(l.Variance))
	case Balance:
		b = quantity.AppendDecimal(b, int64(l.Counted+l.After))
	case InOut:
		b = quantity.AppendDecimal(b, int64(max(l.Variance, 0)))
		b = append(b, ',')
		b = quantity.AppendDecimal(b, int64(max(-l.Variance, 0)))
	case Counted:
		b = quantity.AppendDecimal(b, int64(l.Counted))
		b = append(b, ',')
		if l.CountedAt != 0 {
			b = time.Unix(0, l.CountedAt).UTC().AppendFormat(b, time.RFC3339Nano) // parts of a second where something moved in them
		}
		b = append(b, ',')
		b = tabular.AppendCell(b, l.Counter, ',')
	}
	b = append(b, ',')
	if l.Costed {
		b = quantity.AppendDecimal(b, int64(l.Cost))
	}
	b = append(b, ',')
	if l.Valued {
		b = l.Value.Append(b)
	}
	b = append(b, ',')
	b = tabular.AppendCell(b, l.Reason, ',')
	for _, e := range l.Extra {
		b = tabular.AppendCell(append(b, ','), e, ',')
	}
	return append(b, '\n')
}

// Write gives a whole file, with further columns at the end of its rows. It errs where a line's balance is unsound in
// Balance mode, naming the line's place.
func Write(lines []Line, m Mode, extra ...string) (file []byte, failed int, err error) {
	file = []byte(Header(m, extra...))
	for i := range lines {
		if m == Balance {
			if _, err := lines[i].Balance(); err != nil {
				return nil, i, err
			}
		}
		file = lines[i].Append(file, m)
	}
	return file, -1, nil
}
