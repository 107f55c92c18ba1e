package stock

import "wobin/internal/core/quantity"

// Taking says how a file's lines are laid over what is recorded.
type Taking struct {
	Only     bool   // lines that the file does not have stay; else they go
	Rows     string // "both" or "", "add": only new lines are taken, "change": only lines that are there
	Quantity string // "replace" or "", "add": added to what is there, "take": taken from it
	Clear    bool   // an empty unit cost clears the one that is there
	InDoubt  []Key  // of rows that could not be read: refused is not gone, so recorded lines with these keys stay
}

// What became of a line.
type What int

// Added to Gone say what becomes of a recorded line; Passed is a line of the file that the taking leaves out, Clash one
// whose key an earlier line of the file had already in another spelling, TooLarge one whose sum is out of range.
const (
	Added What = iota
	Changed
	Unchanged
	Gone
	Passed
	Clash
	TooLarge
	InDoubt // a recorded line that stays because its row could not be read; without a line, a row that names none that is recorded
)

// Merge lays the lines of a file over a book of recorded lines, whose lines have Row 1 (any but 0), and changes that
// book into what follows. tell is told of every line: what becomes of it, as it was (nil where it is new) and as it
// is (nil where it goes), both by the numbers of before; of is the file's line, nil for one that goes, and first the
// row of the earlier line for a clash. Costs, record ids and attributes that the file leaves empty stay.
func Merge(before, file *Book, t Taking, tell func(what What, was, is, of *Line, first int32)) {
	before.Index()
	recorded := len(before.Lines)
	kept := make([]bool, recorded)
	to := before.Codes.Adopt(&file.Codes)
	descriptions, units := before.Descriptions.Adopt(&file.Descriptions), before.Units.Adopt(&file.Units)
	rows := make([]int32, recorded, recorded+len(file.Lines)) // of the file, by line; 0 where it has none
	var left []Key                                            // lines that Ensure made and the taking leaves out
	var l, old Line                                           // the one in hand, as it will be and as it was
	for i := range file.Lines {
		of := &file.Lines[i]
		l = *of
		record, attributes := file.RecordID(of), file.Kept(of)
		l.Key = to.Key(l.Key)
		l.Description, l.Unit = descriptions[l.Description], units[l.Unit]
		n := before.Ensure(l.Key)
		if n == len(rows) {
			rows = append(rows, 0)
		}
		if rows[n] > 0 {
			tell(Clash, nil, nil, of, rows[n])
			continue
		}
		rows[n], old = l.Row, before.Lines[n]
		if n < recorded {
			kept[n] = true
		}
		if t.Rows == "add" && n < recorded || t.Rows == "change" && n >= recorded {
			if n >= recorded {
				left = append(left, l.Key)
			}
			tell(Passed, nil, &l, of, 0)
			continue
		}
		if n < recorded {
			fits := true
			switch t.Quantity {
			case "add":
				l.Recorded, fits = quantity.Add(old.Recorded, l.Recorded)
			case "take":
				l.Recorded, fits = quantity.Add(old.Recorded, -l.Recorded)
			}
			if !fits {
				tell(TooLarge, &old, nil, of, 0)
				continue
			}
			if (t.Quantity == "add" || t.Quantity == "take") && !l.HasReserved {
				l.Reserved, l.HasReserved = old.Reserved, old.HasReserved
			}
			if !l.Costed && !t.Clear {
				l.Cost, l.Costed = old.Cost, old.Costed
			}
			if record == "" {
				record = before.RecordID(&old)
			}
			if attributes == "" {
				attributes = before.Kept(&old)
			}
		} else if t.Quantity == "take" {
			l.Recorded = -l.Recorded
		}
		same := n < recorded && sameStock(&old, &l) && before.RecordID(&old) == record && before.Kept(&old) == attributes
		before.Lines[n] = l
		before.SetRecordID(&before.Lines[n], []byte(record))
		before.SetKept(&before.Lines[n], []byte(attributes))
		switch {
		case n >= recorded:
			tell(Added, nil, &before.Lines[n], of, 0)
		case same:
			tell(Unchanged, &old, &before.Lines[n], of, 0)
		default:
			tell(Changed, &old, &before.Lines[n], of, 0)
		}
	}
	goes := make(map[int]bool, len(left))
	for _, k := range left {
		goes[before.Find(k)] = true
	}
	if t.Only && len(goes) == 0 {
		return
	}
	doubt := map[int]bool{}
	for _, k := range t.InDoubt {
		if n := before.Find(to.Key(k)); n >= 0 && n < recorded {
			doubt[n] = true
		} else {
			tell(InDoubt, nil, nil, nil, 0)
		}
	}
	lines, all := before.Lines[:0], len(before.Lines)
	for n := range before.Lines {
		if n < recorded && !kept[n] && doubt[n] {
			l := before.Lines[n]
			tell(InDoubt, &l, &l, nil, 0)
		} else if n < recorded && !kept[n] && !t.Only {
			l := before.Lines[n]
			tell(Gone, &l, nil, nil, 0)
			continue
		}
		if len(goes) == 0 || !goes[n] {
			lines = append(lines, before.Lines[n])
		}
	}
	if before.Lines = lines; len(lines) < all {
		before.Index()
	}
}

func sameStock(a, b *Line) bool {
	return a.Recorded == b.Recorded && a.Costed == b.Costed && a.Cost == b.Cost && a.HasReserved == b.HasReserved &&
		a.Reserved == b.Reserved
}
