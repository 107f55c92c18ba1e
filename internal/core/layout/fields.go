// Package layout makes sense of tables: which fields a kind of file has, which column is which field, and what
// the cells say. It turns rows into typed records and problems. It knows files only through package tabular.
package layout

import (
	"strings"
	"unicode"
)

// Kind is what a file is about.
type Kind string

// The kinds of file.
const (
	Stock     Kind = "stock"
	Counts    Kind = "counts"
	Movements Kind = "movements"
	Items     Kind = "items"
)

// Field is a meaning that a column can have.
type Field string

// The fields of all kinds.
const (
	Warehouse   Field = "warehouse"
	Zone        Field = "zone"
	Bin         Field = "bin"
	SKU         Field = "sku"
	Lot         Field = "lot"
	Serial      Field = "serial"
	Holding     Field = "holding"
	RecordID    Field = "record_id"
	Description Field = "description"
	Unit        Field = "unit"
	Quantity    Field = "quantity"
	Reserved    Field = "reserved"
	Available   Field = "available"
	UnitCost    Field = "unit_cost"
	RecordedAt  Field = "recorded_at"
	Recorded    Field = "recorded"
	RowCode     Field = "row_code"
	Counted     Field = "counted"
	CountedAt   Field = "counted_at"
	Counter     Field = "counter"
	Round       Field = "round"
	Remark      Field = "remark"
	At          Field = "at"
	Reference   Field = "reference"
	Category    Field = "category"
	Class       Field = "class"
	Nature      Field = "nature"
	Active      Field = "active"
	Barcode     Field = "barcode"
)

// Spec describes one field of a kind of file. Words are the headers that it goes by, without case, spaces and
// punctuation; Weak ones count only where no other column fits better.
type Spec struct {
	Field    Field
	Title    string
	Required bool
	Words    []string
	Weak     []string
	About    string
}

var (
	warehouse = Spec{Warehouse, "Warehouse", false, words("warehouse, whse, wh, warehouse code, warehouse id, warehouse no, warehouse name, site, depot, store, stock site"), words("location code, location, branch"), "where the stock is kept"}
	zone      = Spec{Zone, "Zone", false, words("zone, zone code, area, storage area, section"), nil, "a part of the warehouse"}
	bin       = Spec{Bin, "Bin", false, words("bin, bin code, bin no, bin number, bin location, binloc, shelf, storage bin, storage location, slot, bin id, rack"), words("location, location code, loc, position, place"), "the smallest place that stock is recorded in"}
	sku       = Spec{SKU, "SKU", true, words("sku, sku code, sku no, item, item code, item no, item number, item id, product, product code, product no, product number, product id, part, part no, part number, article, article no, article number, article code, stock code, stock no, material, material no, material number"), words("code, number, no, id"), "what identifies the item"}
	lot       = Spec{Lot, "Lot", false, words("lot, lot no, lot number, lot code, batch, batch no, batch number, batch code, charge"), nil, "the lot of a tracked item"}
	serial    = Spec{Serial, "Serial", false, words("serial, serial no, serial number, sn"), nil, "the serial number of a tracked item"}
	holding   = Spec{Holding, "Holding", false, words("holding, ownership, owner, stock type, stock status, stock category"), nil, "goods kept apart in the records: own, consigned, blocked"}
	recordID  = Spec{RecordID, "Record id", false, words("record id, row id, line id, system id, record no, internal id"), words("id"), "the record system's own identifier, given back unchanged"}
	descr     = Spec{Description, "Description", false, words("description, item description, item name, product name, product description, name, desc, article name, designation"), words("title, text"), "the item in words"}
	unit      = Spec{Unit, "Unit", false, words("unit, uom, unit of measure, base unit, base uom, units, measure"), nil, "the unit that the quantity is in"}
	unitCost  = Spec{UnitCost, "Unit cost", false, words("unit cost, cost, average cost, avg cost, cost price, standard cost, std cost, unit value, moving average, purchase price, cost per unit, unit cost price"), words("price, unit price"), "the cost of one unit"}
	onHand    = Spec{Quantity, "On hand", true, words("quantity, qty, on hand, onhand, qty on hand, quantity on hand, stock on hand, soh, qoh, physical, physical qty, physical quantity, physical stock, recorded, recorded qty, recorded quantity, on hand qty, on hand quantity, in stock, quantity recorded, book quantity, book qty, balance"), words("stock, stock level, current stock, stock qty, stock quantity, count, total"), "the physical quantity in the records, reserved pieces included"}
)

var catalogue = map[Kind][]Spec{
	Stock: {
		warehouse, zone, bin, sku, lot, serial, holding, recordID, descr, unit, onHand,
		{Reserved, "Reserved", false, words("reserved, allocated, committed, qty reserved, reserved qty, reserved quantity, allocated qty, quantity allocated, quantity reserved, committed qty, on order by customers"), nil, "set aside for orders, still on hand"},
		{Available, "Available", false, words("available, free, free stock, qty available, available qty, available quantity, quantity available, available stock, free qty, available to sell, available to promise"), nil, "on hand less reserved"},
		unitCost,
		{RecordedAt, "Recorded at", false, words("recorded at, as at, as of, balance date, stock date, snapshot, snapshot time, export time, exported at, recorded, date recorded"), words("date, time, timestamp, datetime"), "when the figures were true"},
	},
	Counts: {
		{RowCode, "Row code", false, words("row code, rowcode"), words("row, line code"), "the code of the sheet's row"},
		warehouse, zone, bin, sku, lot, serial, holding, descr, unit,
		{Recorded, "Recorded", false, words("recorded, recorded qty, recorded quantity, expected, system qty, system quantity, book qty, book quantity, on hand, qty on hand"), nil, "what the records say; not used"},
		{Counted, "Counted", true, words("counted, counted qty, counted quantity, qty counted, quantity counted, actual, actual qty, actual quantity, physical count, count qty, count quantity, counted amount"), words("count, quantity, qty, physical, found, amount"), "what was counted; empty is not counted, 0 is a count"},
		{CountedAt, "Counted at", false, words("counted at, count time, counted on, time counted, date counted, when counted, count date, counting time"), words("time, at, date, when, timestamp, datetime"), "when this row was counted"},
		{Counter, "Counter", false, words("counter, counted by, counter name, who counted, count by"), words("by, who, person, user, name, employee, initials"), "who counted"},
		{Round, "Round", false, words("round, count round, counting round, pass, round no"), nil, "1 for the first count, 2 for the recount"},
		{Remark, "Remark", false, words("remark, remarks, comment, comments, note, notes"), nil, "what the counter noted"},
	},
	Movements: {
		warehouse, zone, bin, sku, lot, serial, holding, descr, unit,
		{Quantity, "Quantity", true, words("quantity, qty, change, moved, delta, difference, movement qty, movement quantity, qty moved, quantity moved, qty change, quantity change, signed quantity"), words("movement, amount"), "signed: receipts above zero, issues below"},
		{At, "At", true, words("at, moved at, movement time, movement date, posted at, posting time, transaction time, transaction date, date and time, datetime, timestamp, happened at, when, booked at"), words("date, time, posting date"), "when it happened"},
		{Reference, "Reference", false, words("reference, ref, reference no, document, document no, document number, doc no, voucher, transaction no, transaction id, movement id"), words("order, order no, id"), "the document's number"},
	},
	Items: {
		sku,
		{Description, "Description", false, append(words("title"), descr.Words...), nil, "the item in words"},
		unit, unitCost,
		{Category, "Category", false, words("category, item category, product category, item group, product group, group, family"), nil, "what sort of item it is"},
		{Class, "Class", false, words("class, abc, abc class, count class, item class"), nil, "how closely it is counted"},
		{Nature, "Stocked", false, words("nature, stocked, item type, product type, type, stock item, is stocked"), nil, "stocked, service or parent"},
		{Active, "Active", false, words("active, is active, status, enabled"), nil, "no for items that are no longer kept"},
		{Barcode, "Barcode", false, words("barcode, bar code, ean, gtin, upc, ean code"), nil, "what the scanner reads"},
		recordID,
	},
}

// Fields lists the fields of a kind of file, in the order in which they are shown.
func Fields(k Kind) []Spec { return catalogue[k] }

func spec(k Kind, f Field) *Spec {
	for i := range catalogue[k] {
		if catalogue[k][i].Field == f {
			return &catalogue[k][i]
		}
	}
	return nil
}

func words(list string) []string {
	var out []string
	for w := range strings.SplitSeq(list, ",") {
		out = append(out, squeeze(w))
	}
	return out
}

// squeeze leaves the letters and digits of a header, in lower case.
func squeeze(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}
