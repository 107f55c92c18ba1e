package outfile

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Line is an adjustment with what else a file out may say of it.
type Line struct {
	adjust.Line
	Expected                    quantity.Quantity
	Zone, Description, Category string
	FurtherSKU, Barcode, ItemID string
	Attributes                  map[Field]string // of the line and its item, by their fields
	ReasonName, Account         string
	Packs                       map[string]quantity.Quantity // base units in a pack, by its name
	Partner                     int                          // of a transfer: the position of the other line + 1; 0 for none
	to                          *Line                        // in a row of a transfer: the line that it goes to
}

// Facts are what is the same for all lines of a posting.
type Facts struct {
	At        int64 // Unix nanoseconds: the day that it is booked on
	Zone      *time.Location
	Reference string
	Count     string
}

// value is what a field of a line is: a text, a number as a plain decimal, or a time.
type value struct {
	text   string
	number bool
	time   bool
	at     int64
}

func (v value) nothing() bool { return v.text == "" && !v.time }

// of gives what a field of a line is. document and row say where it stands.
func (l *Line) of(f Field, facts *Facts, document string, row int) (value, error) {
	text := func(t string) (value, error) { return value{text: t}, nil }
	number := func(q quantity.Quantity) (value, error) { return value{text: q.String(), number: true}, nil }
	key := func(l *Line, p stock.Part) string {
		if l == nil {
			return ""
		}
		return l.Key[p]
	}
	moved := l.Variance
	if l.to != nil { // a transfer says what goes over, without a sign
		moved = -moved
	}
	switch f {
	case Warehouse:
		return text(l.Key[stock.Warehouse])
	case Zone:
		return text(l.Zone)
	case Bin:
		return text(l.Key[stock.Bin])
	case ToWarehouse:
		return text(key(l.to, stock.Warehouse))
	case ToBin:
		return text(key(l.to, stock.Bin))
	case SKU:
		return text(l.Key[stock.SKU])
	case FurtherSKU:
		return text(l.FurtherSKU)
	case Barcode:
		return text(l.Barcode)
	case Description:
		return text(l.Description)
	case Category:
		return text(l.Category)
	case RecordID:
		return text(l.RecordID)
	case ItemID:
		return text(l.ItemID)
	case Lot:
		return text(l.Key[stock.Lot])
	case Serial:
		return text(l.Key[stock.Serial])
	case Holding:
		return text(l.Key[stock.Holding])
	case Unit:
		return text(l.Unit)
	case Difference:
		return number(moved)
	case QuantityIn:
		return number(max(moved, 0))
	case QuantityOut:
		return number(max(-moved, 0))
	case Amount:
		return number(moved.Abs())
	case Direction:
		if moved < 0 {
			return text("out")
		}
		return text("in")
	case Balance:
		b, err := l.Balance()
		if errors.Is(err, adjust.ErrBelowZero) {
			err = fmt.Errorf("the new balance is %s, below zero. Send the difference, or look what moved since it was counted", b)
		}
		if err != nil {
			return value{}, err
		}
		return number(b)
	case Counted:
		return number(l.Counted)
	case Expected:
		return number(l.Expected)
	case UnitCost:
		if !l.Costed {
			return value{}, nil
		}
		return value{text: l.Cost.String(), number: true}, nil
	case Value:
		if !l.Valued || l.to != nil { // what goes over from bin to bin is worth what it was
			return value{}, nil
		}
		return value{text: l.Line.Value.String(), number: true}, nil
	case Reason:
		return text(l.Reason)
	case ReasonName:
		return text(l.ReasonName)
	case Account:
		return text(l.Account)
	case CountedAt:
		return value{time: l.CountedAt != 0, at: l.CountedAt}, nil
	case Counter:
		return text(l.Counter)
	case PostingDate:
		return value{time: facts.At != 0, at: facts.At}, nil
	case Reference:
		return text(facts.Reference)
	case Document:
		return text(document)
	case Row:
		return value{text: strconv.Itoa(row), number: true}, nil
	}
	if _, is := field.Field(f).Attribute(); is {
		return text(l.Attributes[f])
	}
	return value{}, fmt.Errorf("%q is no field", f)
}

// datePattern makes a pattern such as DD.MM.YYYY one of the time package; empty: RFC 3339.
func datePattern(p string) (string, error) {
	if p == "" {
		return time.RFC3339, nil
	}
	out := strings.NewReplacer("YYYY", "2006", "YY", "06", "MM", "01", "DD", "02", "hh", "15", "mm", "04", "ss", "05").Replace(p)
	if out == p {
		return "", fmt.Errorf("date: %q has none of YYYY, YY, MM, DD, hh, mm and ss in it", p)
	}
	return out, nil
}
