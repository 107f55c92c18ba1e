package counting

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/known"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
)

// Count is one count found on a sheet that came back, or in a file of other making.
type Count struct {
	Pos      int64                // the line's number in the count; -1 where the count has no such line
	Key      *[stock.Parts]string // of a line that the count does not have: as the records have it, or as the row says
	Sheet    int                  // the sheet's number, 0 for none
	Round    int
	Parcel   int64 // 0 for the row of the line's own sheet; rows added by hand get theirs when they are held against what stands
	Row      int   // of the file
	Quantity quantity.Quantity
	At       int64 // Unix nanoseconds
	From     int64 // where the head of the sheet says from when to when it was counted: from when; else 0
	Timed    bool
	Counter  string
	ByHand   bool // it is no row of the line's own sheet
	Replaces int64

	key stock.Key // in the file's own codes
}

// Back is a sheet that came back, understood.
type Back struct {
	Sheets  []int   // the numbers of the sheets whose rows it holds
	Counts  []Count // rows with a count
	Empty   int     // rows without one
	ByHand  int     // rows added by hand
	From    int64   // the head's times, 0 where there are none
	To      int64
	By      string
	Untimed int // counts whose time is not known yet
	Held    int // counts that name nobody and are by whoever has their sheet

	file *read.CountFile
}

// Name is the line of a count as people call it: as its row says.
func (b *Back) Name(c *Count) string {
	if c.Key != nil {
		return (&Line{Key: *c.Key}).String()
	}
	return (&Line{Key: b.file.Codes.Texts(c.key)}).String()
}

// Frozen is what the rows of a sheet are proved against: the lines of the sheets concerned, and how to find others.
type Frozen struct {
	Count     int         // the count's number
	Book      *stock.Book // the lines of the sheets concerned, as names and keys
	Positions []int64     // of its lines
	// RowAt gives the pos in Book of a sheet's row, -1 where there is no such row.
	RowAt func(sheet, row int) int
	// SheetOf gives the sheet that a row is on now, where sheets were cut anew since they went out; nil where none was.
	SheetOf func(sheet, row int) int
	// RoundOf gives the round that a sheet is of; nil where all are of the first.
	RoundOf func(sheet int) int
	// Holder gives who has a sheet, or is to have it, as it was planned; nil where nobody is known to have any.
	Holder func(sheet int) string
	// Elsewhere finds the line that a key means where no line of Book has it. Where the count has no such line its pos is
	// -1 and the key holds the codes as the records have them; what they lack, or what the key leaves open, is an error
	// about the field.
	Elsewhere func(key [stock.Parts]string) (pos int64, is [stock.Parts]string, field field.Field, err error)
}

// RowsIn tells how many different rows of which counts a file has, from their row codes alone.
func RowsIn(f *read.CountFile) map[int]int {
	out := map[int]int{}
	for id := 1; id < f.RowCodes.Len(); id++ {
		if c, _, row, ok := ParseCode(f.RowCodes.Text(stock.ID(id))); ok && row > 0 {
			out[c]++
		}
	}
	return out
}

// SheetsIn tells which sheets of which counts a file's rows belong to, from their row codes alone.
func SheetsIn(f *read.CountFile) map[int][]int {
	found := map[int]map[int]bool{}
	for id := 1; id < f.RowCodes.Len(); id++ {
		if c, s, row, ok := ParseCode(f.RowCodes.Text(stock.ID(id))); ok && row > 0 {
			if found[c] == nil {
				found[c] = map[int]bool{}
			}
			found[c][s] = true
		}
	}
	out := map[int][]int{}
	for c, sheets := range found {
		for s := range sheets {
			out[c] = append(out[c], s)
		}
		sort.Ints(out[c])
	}
	return out
}

// sheet gives the sheet that a row is on now.
func (f *Frozen) sheet(sheet, row int) int {
	if f.SheetOf == nil || sheet == 0 {
		return sheet
	}
	return f.SheetOf(sheet, row)
}

// round gives the round of a row: what the file says, else that of its sheet.
func (f *Frozen) round(said int32, sheet int) int {
	if f.RoundOf == nil || sheet == 0 || said > 1 {
		return int(said)
	}
	return f.RoundOf(sheet)
}

// sheetsIn tells which sheets of the count the rows of a file are on now, in order.
func (f *Frozen) sheetsIn(file *read.CountFile) []int {
	if f.SheetOf == nil {
		return SheetsIn(file)[f.Count]
	}
	found := map[int]bool{}
	for id := 1; id < file.RowCodes.Len(); id++ {
		if c, s, row, ok := ParseCode(file.RowCodes.Text(stock.ID(id))); ok && row > 0 && c == f.Count {
			found[f.SheetOf(s, row)] = true
		}
	}
	return slices.Sorted(maps.Keys(found))
}

var partOf = map[field.Field]stock.Part{
	field.Warehouse: stock.Warehouse,
	field.Bin:       stock.Bin,
	field.SKU:       stock.SKU,
	field.Lot:       stock.Lot,
	field.Serial:    stock.Serial,
	field.Holding:   stock.Holding,
}

// TakeBack matches the rows of a returned file to the lines of a count. Each row is found by its row code and
// proved by bin and SKU; a row without a code is found by its key. Problems go to p; rows with one are not in
// the result.
func TakeBack(file, sheetName string, m *recognise.Mapping, f *read.CountFile, frozen *Frozen, head Head, p *problem.Problems) *Back {
	b := &Back{From: head.From, To: head.To, By: head.By, file: f}
	to := frozen.Book.Codes.Adopt(&f.Codes)
	frozen.Book.Index()
	warehouse := stock.ID(0)
	if len(frozen.Book.Lines) > 0 {
		warehouse = frozen.Book.Lines[0].Key[stock.Warehouse]
	}
	b.Sheets = frozen.sheetsIn(f)
	if head.Sheet != 0 && head.Count == frozen.Count && !slices.Contains(b.Sheets, frozen.sheet(head.Sheet, 1)) &&
		!slices.Contains(SheetsIn(f)[frozen.Count], head.Sheet) { // a sheet without row codes
		b.Sheets = append(slices.Clone(b.Sheets), frozen.sheet(head.Sheet, 1))
		slices.Sort(b.Sheets)
	}
	home := frozen.sheet(head.Sheet, 1)
	if home == 0 && len(b.Sheets) > 0 {
		home = b.Sheets[0]
	}
	parsed := make([]rowCode, f.RowCodes.Len())
	for id := 1; id < len(parsed); id++ {
		parsed[id].count, parsed[id].sheet, parsed[id].row, parsed[id].ok = ParseCode(f.RowCodes.Text(stock.ID(id)))
	}
	type coded struct {
		line, round int32
	}
	seen := make(map[coded]int32, len(f.Counts))
	names := func(n *read.Count) [stock.Parts]string { return f.Codes.Texts(n.Key) }
	b.Counts = make([]Count, 0, len(f.Counts))
	for i := range f.Counts {
		n := &f.Counts[i]
		wrong := func(field field.Field, kind, value, format string, args ...any) {
			p.Add(
				problem.Problem{
					File:  file,
					Sheet: sheetName,
					Row:   int(n.Row),
					Field: field,
					Kind:  kind,
					Value: value,
					Text:  fmt.Sprintf(format, args...),
				},
			)
		}
		c := Count{
			key:      n.Key,
			Row:      int(n.Row),
			Round:    int(n.Round),
			Quantity: n.Quantity,
			At:       n.At,
			Timed:    n.Timed,
			Counter:  f.Counters.Text(n.Counter),
		}
		if c.Counter == "" {
			c.Counter = head.By
		}
		serial := "" // of the line that is counted
		if !c.Timed && n.Given {
			c.At, c.From, c.Timed = head.When()
		}
		if n.RowCode != 0 {
			code, text := parsed[n.RowCode], f.RowCodes.Text(n.RowCode)
			line := -1
			if code.ok && code.row > 0 && code.count == frozen.Count {
				line = frozen.RowAt(code.sheet, code.row)
			}
			switch {
			case !code.ok || code.row == 0:
				wrong(
					field.RowCode,
					"no row code of ours",
					text,
					"%q is not a row code. Copy it from the sheet again, or empty the cell to go by bin and SKU",
					text,
				)
				continue
			case code.count != frozen.Count:
				wrong(
					field.RowCode,
					"sheet of another count",
					text,
					"%q belongs to another count (number %d). Drop this file there",
					text,
					code.count,
				)
				continue
			case line < 0:
				wrong(field.RowCode, "no such row", text, "%q is on no sheet of this count", text)
				continue
			}
			c.Round = frozen.round(n.Round, code.sheet)
			if first, twice := seen[coded{int32(line), int32(c.Round)}]; twice {
				wrong(
					field.RowCode,
					"row code twice",
					text,
					"%q comes twice in this file, first in row %d. Take one out, or empty its code if it is another pallet",
					text,
					first,
				)
				continue
			}
			seen[coded{int32(line), int32(c.Round)}] = n.Row
			key, is := to.Key(n.Key), frozen.Book.Lines[line].Key
			if d := Proved(m, key, is, func(part stock.Part) (text, should string) {
				return f.Codes[part].Text(n.Key[part]), frozen.Book.Codes[part].Text(is[part])
			}); d.Differs && (d.Damage == "" || !m.RowCodesProve) {
				f, kind, say := d.Problem(text, frozen.name(line))
				wrong(f, kind, d.Value, "%s", say)
				continue
			}
			c.Pos, c.Sheet = frozen.Positions[line], frozen.sheet(code.sheet, code.row)
			serial = frozen.Book.Codes[stock.Serial].Text(is[stock.Serial])
			if !n.Given {
				b.Empty++
				continue
			}
		} else {
			if !n.Given {
				b.Empty++
				continue
			}
			c.ByHand, c.Sheet, c.Round = true, home, frozen.round(n.Round, home)
			key := to.Key(n.Key)
			if key[stock.Warehouse] == 0 { // a count is of one warehouse
				key[stock.Warehouse] = warehouse
			}
			if line := frozen.Book.Find(key); line >= 0 {
				c.Pos = frozen.Positions[line]
				serial = frozen.Book.Codes[stock.Serial].Text(key[stock.Serial])
			} else {
				pos, is, field, err := frozen.Elsewhere(names(n))
				if err != nil {
					if value := names(n)[partOf[field]]; value == "" {
						wrong(field, "empty", "", "is empty. %v", err)
					} else {
						wrong(field, "unknown "+string(field), value, "%q %v", value, err)
					}
					continue
				}
				if serial = is[stock.Serial]; pos < 0 {
					c.Key = &is
				}
				c.Pos = pos
			}
			b.ByHand++
		}
		if serial != "" && c.Quantity != 0 && c.Quantity != quantity.Scale {
			wrong(field.Counted, SerialQuantity, c.Quantity.String(), "%s of serial %s. One serial is one piece: write 1, or 0 where it is not there",
				c.Quantity, serial)
			continue
		}
		if !c.Timed {
			b.Untimed++
		}
		if c.Counter == "" && frozen.Holder != nil {
			if c.Counter = CountedBy("", frozen.Holder(c.Sheet), ""); c.Counter != "" {
				b.Held++
			}
		}
		b.Counts = append(b.Counts, c)
	}
	return b
}

// CountedBy tells who counted a row: whom the sheet or whoever types it names, else who has the sheet, else who types it.
func CountedBy(said, holder, typist string) string { return cmp.Or(said, holder, typist) }

// SerialQuantity is the kind of problem of a count of a serial that is neither one piece nor none.
const SerialQuantity = "serial with a quantity"

type rowCode struct {
	count, sheet, row int
	ok                bool
}

var fieldOf = map[stock.Part]field.Field{stock.Warehouse: field.Warehouse, stock.Bin: field.Bin, stock.SKU: field.SKU, stock.Lot: field.Lot,
	stock.Serial: field.Serial, stock.Holding: field.Holding}

var wordOf = map[stock.Part][2]string{stock.Warehouse: {"warehouse", "warehouse"}, stock.Bin: {"bin", "bin"}, stock.SKU: {"SKU", "item"},
	stock.Lot: {"lot", "lot"}, stock.Serial: {"serial", "serial"}, stock.Holding: {"holding", "holding"}}

// Difference is what of a row is not what its row code stands for.
type Difference struct {
	Differs bool
	Part    stock.Part
	Value   string // as the row has it
	Should  string
	Damage  known.Damage // where it is damage alone, such as zeros that were lost, through which the row code is still seen to be right
}

// Proved holds a row against the line that its row code stands for. Columns that the file lacks say nothing, and neither do cells that
// are empty but for those of SKU and bin; names that are the same but for their case are the same.
func Proved(m *recognise.Mapping, key, is stock.Key, texts func(stock.Part) (text, should string)) (d Difference) {
	for _, p := range []stock.Part{stock.SKU, stock.Bin, stock.Lot, stock.Warehouse, stock.Serial, stock.Holding} {
		if key[p] == is[p] || p == stock.SKU && m.Identity != field.SKU || p != stock.SKU && !m.Has(fieldOf[p]) ||
			p != stock.SKU && p != stock.Bin && key[p] == 0 {
			continue
		}
		text, should := texts(p)
		if fold(text) == fold(should) {
			continue
		}
		var one known.Set
		one.Add(should)
		o := one.Originals(text)
		if len(o) == 0 {
			return Difference{Differs: true, Part: p, Value: text, Should: should}
		}
		if d.Damage == "" {
			d = Difference{true, p, text, should, o[0].Damage}
		}
	}
	return d
}

// Problem words a difference under a row code, whose line has a name.
func (d Difference) Problem(rowCode, line string) (f field.Field, kind, text string) {
	if d.Damage != "" {
		return fieldOf[d.Part], problem.DamagedByCode,
			fmt.Sprintf("%q stands under row code %s, whose row has %q: %s", d.Value, rowCode, d.Should, d.Damage)
	}
	name, word := wordOf[d.Part][0], wordOf[d.Part][1]
	return fieldOf[d.Part], name + " changed", fmt.Sprintf(
		"%q stands under row code %s, which is for %s. Put the %s back, or empty the row code if another %s was counted",
		d.Value, rowCode, line, name, word)
}

// name is a line of the book as people call it.
func (f *Frozen) name(line int) string {
	return (&Line{Key: f.Book.Codes.Texts(f.Book.Lines[line].Key)}).String()
}

// Head is what stands above the header of a sheet that came back.
type Head struct {
	Sheet    int // the sheet's number, 0 where the head does not say
	Count    int
	From, To int64
	By       string
}

// When is the counting time of rows that have none of their own: up to when the sheet was counted, and from when where both are said.
func (h *Head) When() (at, from int64, ok bool) {
	switch {
	case h.To == 0:
		return h.From, 0, h.From != 0
	case h.From > h.To: // one of the two is wrong, so neither says how long it took
		return h.To, 0, true
	}
	return h.To, h.From, true
}

// ReadHead reads the labels above the header. Problems with times go to p.
func ReadHead(file string, m *recognise.Mapping, r read.Reading, p *problem.Problems) (h Head) {
	if c, s, _, ok := ParseCode(m.Head["sheet"]); ok {
		h.Count, h.Sheet = c, s
	}
	h.By = m.Head["countedby"]
	for label, into := range map[string]*int64{"countedfrom": &h.From, "countedto": &h.To} {
		text := m.Head[label]
		if text == "" {
			continue
		}
		at, err := form.ReadTime(text, "", r.Zone)
		if err != nil {
			p.Add(
				problem.Problem{
					File:  file,
					Sheet: m.SheetName,
					Field: field.CountedAt,
					Kind:  "not a time",
					Value: text,
					Text:  fmt.Sprintf("%q in the head %v", text, err),
				},
			)
			continue
		}
		*into = at
	}
	return h
}

func fold(t string) string { return code.Fold(strings.TrimSpace(t)) }
