// Package field is the catalogue: the kinds of file, the fields that each of them has, and the headers by which they go in five
// languages. It knows nothing of files, of values or of what is recorded.
package field

import (
	"slices"
	"strings"
)

// Kind is what a file is about.
type Kind string

// The kinds of file.
const (
	Stock     Kind = "stock"
	Counts    Kind = "counts"
	Movements Kind = "movements"
	Items     Kind = "items"
	Places    Kind = "places"
)

// Kinds lists the kinds in the order in which the sheets of one workbook are taken in.
var Kinds = []Kind{Places, Items, Stock, Movements, Counts}

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
	FurtherSKU  Field = "further_sku"
	ItemID      Field = "item_id"
	Tracking    Field = "tracking"
	Parent      Field = "parent"
	PackUnit    Field = "pack"
	PackSize    Field = "pack_size"
	HouseName   Field = "warehouse_name"
	QuantityIn  Field = "quantity_in"
	QuantityOut Field = "quantity_out"
	FromHouse   Field = "from_warehouse"
	FromBin     Field = "from_bin"
	ToHouse     Field = "to_warehouse"
	ToBin       Field = "to_bin"
)

// PassedOver is said of a column that is to be no field, in a layout.
const PassedOver Field = "-"

// Beginnings of the fields that keep a column as an attribute of the item or of the line: line.Shelf label.
const (
	ItemAttribute = "item."
	LineAttribute = "line."
)

// Attribute tells whether a field is an attribute, and gives its name.
func (f Field) Attribute() (name string, is bool) {
	for _, of := range []string{ItemAttribute, LineAttribute} {
		if name, is = strings.CutPrefix(string(f), of); is && name != "" {
			return name, true
		}
	}
	return "", false
}

// Spec describes one field of a kind of file. Words are the headers that it goes by, without case, spaces and
// punctuation; Weak ones count only where no other column fits better.
type Spec struct {
	Field    Field
	Title    string
	Required bool
	Words    []string
	Weak     []string
	Unclear  []string // headers that may mean this or something else: taken, and asked about
	About    string
	Form     Form

	AsWords, AsWeak, AsUnclear []Heading // the same as they are compared
}

// Form is what the cells of a field hold.
type Form string

// The forms of cells.
const (
	Text   Form = "text"
	Code   Form = "code" // a text that the records may know
	Number Form = "number"
	Time   Form = "time"
)

// Heading is the header by which the field goes in files that we write: its title, where it is known by that, else its first header.
func (s *Spec) Heading() string {
	for _, w := range s.Words {
		if Squeeze(w) == Squeeze(s.Title) {
			return s.Title
		}
	}
	if len(s.Words) == 0 {
		return s.Title
	}
	return strings.ToUpper(s.Words[0][:1]) + s.Words[0][1:]
}

// Limited tells whether the cells of the field are looked up or compared, so that they have to be short: all texts but descriptions,
// remarks, lists of barcodes and what is carried along under a name of its own.
func (s *Spec) Limited() bool {
	switch s.Field {
	case Description, Remark, Barcode, Serial:
		return false
	}
	return (s.Form == Code || s.Form == Text) && !strings.Contains(string(s.Field), ".")
}

// field makes a spec, its parts in the order of the struct.
func field(f Field, title string, required bool, words, weak, unclear []string, about string, form Form) Spec {
	return Spec{Field: f, Title: title, Required: required, Words: words, Weak: weak, Unclear: unclear, About: about, Form: form}
}

var (
	further = field(
		FurtherSKU,
		"Further SKU",
		false,
		Words(
			"further sku, alternative sku, alternate sku, second sku, second item no, second code, second no, other sku, old sku, supplier sku, vendor sku, manufacturer part number, mpn, supplier item no, alternative item no, alias",
		),
		nil,
		nil,
		"a second code of the item",
		Code,
	)
	barcode = field(
		Barcode,
		"Barcode",
		false,
		Words("barcode, barcodes, bar code, ean, ean code, gtin, upc, upc code, scan code"),
		nil,
		nil,
		"what the scanner reads",
		Code,
	)
	itemID = field(
		ItemID,
		"Item's record id",
		false,
		Words("item record id, item system id, item internal id, product record id, product system id, variant id, item guid"),
		nil,
		nil,
		"the record system's own identifier of the item",
		Code,
	)
	warehouse = field(
		Warehouse,
		"Warehouse",
		false,
		Words("warehouse, whse, wh, warehouse code, warehouse id, warehouse no, site, depot, store, stock site"),
		Words("warehouse name, location code, location, branch"),
		nil,
		"where the stock is kept",
		Code,
	)
	zone = field(Zone, "Zone", false, Words("zone, zone code, area, storage area, section"), nil, nil, "a part of the warehouse", Code)
	bin  = field(
		Bin,
		"Bin",
		false,
		Words("bin, bin code, bin no, bin number, bin location, binloc, shelf, storage bin, storage location, slot, bin id, rack"),
		Words("location, location code, loc, position, place"),
		nil,
		"the smallest place that stock is recorded in",
		Code,
	)
	sku = field(
		SKU,
		"SKU",
		true,
		Words(
			"sku, sku code, sku no, variant sku, item, item code, item no, item number, item id, product, product code, product no, product number, product id, part, part no, part number, article, article no, article number, article code, stock code, stock no, material, material no, material number",
		),
		Words("code, number, no, id"),
		nil,
		"what identifies the item",
		Code,
	)
	lot = field(
		Lot,
		"Lot",
		false,
		Words("lot, lot no, lot number, lot code, batch, batch no, batch number, batch code, charge"),
		nil,
		nil,
		"the lot of a tracked item",
		Code,
	)
	serial = field(
		Serial,
		"Serial",
		false,
		Words("serial, serial no, serial number, sn"),
		nil,
		nil,
		"the serial number of a tracked item",
		Code,
	)
	holding = field(
		Holding,
		"Holding",
		false,
		Words("holding, ownership, owner, stock type, stock status, stock category"),
		nil,
		nil,
		"goods kept apart in the records: own, consigned, blocked",
		Code,
	)
	recordID = field(
		RecordID,
		"Record id",
		false,
		Words("record id, row id, line id, system id, record no, internal id"),
		Words("id"),
		nil,
		"the record system's own identifier, given back unchanged",
		Text,
	)
	descr = field(
		Description,
		"Description",
		false,
		Words("description, item description, item name, product name, product description, name, desc, article name, designation"),
		Words("title, text"),
		nil,
		"the item in words",
		Text,
	)
	unit = field(
		Unit,
		"Unit",
		false,
		Words("unit, uom, unit of measure, base unit, base uom, units, measure"),
		nil,
		nil,
		"the unit that the quantity is in",
		Code,
	)
	unitCost = field(
		UnitCost,
		"Unit cost",
		false,
		Words(
			"unit cost, cost, average cost, avg cost, cost price, standard cost, std cost, unit value, moving average, purchase price, cost per unit, cost per item, cost each, historical cost, historical unit cost, opening cost, unit cost price",
		),
		Words("price, unit price"),
		nil,
		"the cost of one unit",
		Number,
	)
	onHand = field(
		Quantity,
		"On hand",
		true,
		Words(
			"quantity, qty, on hand, onhand, qty on hand, quantity on hand, stock on hand, soh, qoh, physical, physical qty, physical quantity, physical stock, physical stock qty, recorded, recorded qty, recorded quantity, on hand qty, on hand quantity, quantity recorded, book quantity, book qty, balance",
		),
		Words("count"),
		Words("stock, in stock, stock level, current stock, total stock, stock qty, stock quantity, total, level, inventory"),
		"the physical quantity in the records, reserved pieces included",
		Number,
	)
)

var catalogue = map[Kind][]Spec{
	Stock: {
		warehouse, zone, bin, sku, further, barcode, itemID, lot, serial, holding, recordID, descr, unit, onHand,
		field(
			Reserved,
			"Reserved",
			false,
			Words(
				"reserved, allocated, committed, qty reserved, reserved qty, reserved quantity, allocated qty, quantity allocated, quantity reserved, committed qty, on order by customers",
			),
			nil,
			nil,
			"set aside for orders, still on hand",
			Number,
		),
		field(
			Available,
			"Available",
			false,
			Words(
				"available, free, free stock, qty available, available qty, available quantity, quantity available, available stock, free qty, available to sell, available to promise",
			),
			nil,
			nil,
			"on hand less reserved",
			Number,
		),
		unitCost,
		field(
			RecordedAt,
			"Recorded at",
			false,
			Words(
				"recorded at, as at, as of, balance date, stock date, snapshot, snapshot time, export time, exported at, recorded, date recorded",
			),
			Words("date, time, timestamp, datetime"),
			nil,
			"when the figures were true",
			Time,
		),
	},
	Counts: {
		field(RowCode, "Row code", false, Words("row code, rowcode"), Words("row, line code"), nil, "the code of the sheet's row", Text),
		warehouse, zone, bin, sku, further, barcode, itemID, lot, serial, holding, descr, unit,
		field(
			Recorded,
			"Recorded",
			false,
			Words(
				"recorded, recorded qty, recorded quantity, expected, system qty, system quantity, book qty, book quantity, on hand, qty on hand",
			),
			nil,
			nil,
			"what the records say; not used",
			Number,
		),
		field(
			Counted,
			"Counted",
			true,
			Words(
				"counted, counted qty, counted quantity, qty counted, quantity counted, actual, actual qty, actual quantity, physical count, count qty, count quantity, counted amount",
			),
			Words("count, quantity, qty, physical, found, amount"),
			nil,
			"what was counted; empty is not counted, 0 is a count",
			Number,
		),
		field(
			CountedAt,
			"Counted at",
			false,
			Words("counted at, count time, counted on, time counted, date counted, when counted, count date, counting time"),
			Words("time, at, date, when, timestamp, datetime"),
			nil,
			"when this row was counted",
			Time,
		),
		field(
			Counter,
			"Counter",
			false,
			Words("counter, counted by, counter name, who counted, count by"),
			Words("by, who, person, user, name, employee, initials"),
			nil,
			"who counted",
			Text,
		),
		field(
			Round,
			"Round",
			false,
			Words("round, count round, counting round, pass, round no"),
			nil,
			nil,
			"1 for the first count, 2 for the recount",
			Text,
		),
		field(Remark, "Remark", false, Words("remark, remarks, comment, comments, note, notes"), nil, nil, "what the counter noted", Text),
	},
	Movements: {
		warehouse, zone, bin, sku, further, barcode, itemID, lot, serial, holding, descr, unit,
		field(
			Quantity,
			"Quantity",
			true,
			Words(
				"quantity, qty, change, moved, delta, difference, movement qty, movement quantity, qty moved, quantity moved, qty change, quantity change, signed quantity",
			),
			Words("movement, amount"),
			nil,
			"signed: receipts above zero, issues below",
			Number,
		),
		field(
			QuantityIn,
			"Quantity in",
			false,
			Words(
				"quantity in, qty in, in, in qty, received, receipts, incoming qty, zugang, eingang, entrée, entrées, quantité entrée, inkomend, entrada, entradas",
			),
			nil,
			nil,
			"what came in, in a column of its own",
			Number,
		),
		field(
			QuantityOut,
			"Quantity out",
			false,
			Words(
				"quantity out, qty out, out, out qty, issued, issues, outgoing qty, abgang, ausgang, sortie, sorties, quantité sortie, uitgaand, salida, salidas",
			),
			nil,
			nil,
			"what went out, above zero, in a column of its own",
			Number,
		),
		field(
			FromHouse,
			"From warehouse",
			false,
			Words(
				"from warehouse, source warehouse, from whse, from site, from depot, from store, warehouse from, von lager, de entrepôt, van magazijn, de almacén",
			),
			nil,
			nil,
			"a transfer's warehouse of origin",
			Code,
		),
		field(
			FromBin,
			"From bin",
			false,
			Words(
				"from bin, source bin, from location, from loc, source location, bin from, location from, von lagerplatz, von platz, emplacement source, van locatie, ubicación origen",
			),
			Words("from, source, von, van, desde"),
			nil,
			"a transfer's bin of origin",
			Code,
		),
		field(
			ToHouse,
			"To warehouse",
			false,
			Words(
				"to warehouse, destination warehouse, target warehouse, to whse, to site, to depot, to store, warehouse to, nach lager, naar magazijn, a almacén",
			),
			nil,
			nil,
			"a transfer's warehouse of destination",
			Code,
		),
		field(
			ToBin,
			"To bin",
			false,
			Words(
				"to bin, destination bin, target bin, to location, to loc, destination location, bin to, location to, nach lagerplatz, nach platz, emplacement destination, naar locatie, ubicación destino",
			),
			Words("to, destination, nach, naar, hasta"),
			nil,
			"a transfer's bin of destination",
			Code,
		),
		field(
			At,
			"At",
			true,
			Words(
				"at, posted, moved at, movement time, movement date, posted at, posting time, transaction time, transaction date, date and time, datetime, timestamp, happened at, when, booked at",
			),
			Words("date, time, posting date"),
			nil,
			"when it happened",
			Time,
		),
		field(
			Reference,
			"Reference",
			false,
			Words(
				"reference, ref, reference no, document, document no, document number, doc no, voucher, transaction no, transaction id, movement id",
			),
			Words("order, order no, id"),
			nil,
			"the document's number",
			Text,
		),
	},
	Items: {
		sku,
		field(Description, "Description", false, append(Words("title"), descr.Words...), nil, nil, "the item in words", Text),
		unit, unitCost,
		field(
			Category,
			"Category",
			false,
			Words("category, item category, product category, item group, product group, group, family"),
			nil,
			nil,
			"what sort of item it is",
			Code,
		),
		field(Class, "Class", false, Words("class, abc, abc class, count class, item class"), nil, nil, "how closely it is counted", Text),
		field(
			Nature,
			"Stocked",
			false,
			Words("nature, stocked, item type, item kind, kind, stocked or service, product type, type, stock item, is stocked"),
			nil,
			nil,
			"stocked, service or parent",
			Text,
		),
		field(Active, "Active", false, Words("active, is active, status, enabled"), nil, nil, "no for items that are no longer kept", Text),
		further, barcode,
		field(
			Tracking,
			"Tracking",
			false,
			Words("tracking, tracked by, tracked, trace, lot tracked, serial tracked, batch tracked, tracking type"),
			nil,
			nil,
			"lot, serial or none",
			Text,
		),
		field(
			Parent,
			"Parent",
			false,
			Words("parent, parent sku, parent item, variant of, parent code, group sku"),
			nil,
			nil,
			"the grouping item that this is a variant of",
			Text,
		),
		field(
			PackUnit,
			"Pack",
			false,
			Words("pack, pack unit, packing unit, pack uom, outer, pack type, package, case, case unit, case uom, box unit"),
			nil,
			nil,
			"a unit worth a whole number of base units",
			Code,
		),
		field(
			PackSize,
			"Pack size",
			false,
			Words(
				"pack size, pack qty, pack quantity, units per pack, pieces per pack, per pack, qty per pack, conversion, pack factor, case size, case qty, case quantity, units per case, pieces per case, box size, units per box",
			),
			nil,
			nil,
			"how many base units a pack holds",
			Number,
		),
		recordID,
	},
	Places: {
		field(
			Warehouse,
			"Warehouse",
			true,
			warehouse.Words,
			Words("location code, location, branch, code, name"),
			nil,
			"where stock is kept",
			Code,
		),
		field(
			HouseName,
			"Warehouse name",
			false,
			Words("warehouse name, warehouse description, site name, depot name, name of warehouse"),
			Words("name, description"),
			nil,
			"the warehouse in words",
			Text,
		),
		zone, bin,
	},
}

// Fields lists the fields of a kind of file, in the order in which they are shown.
func Fields(k Kind) []Spec { return catalogue[k] }

// Clears tells whether an empty cell of a field can be said to clear what is recorded.
func Clears(k Kind, f Field) bool {
	switch k {
	case Items:
		return slices.Contains([]Field{Description, Unit, UnitCost, Category, Class, RecordID, FurtherSKU, Parent, Tracking, Barcode}, f)
	case Places:
		return f == Zone
	case Stock:
		return f == UnitCost
	}
	return false
}

// SpecOf describes a field of a kind of file; nil where the kind has no such field.
func SpecOf(k Kind, f Field) *Spec {
	for i := range catalogue[k] {
		if catalogue[k][i].Field == f {
			return &catalogue[k][i]
		}
	}
	return nil
}

// Words parts a list of words at its commas.
func Words(list string) []string { return strings.Split(list, ", ") }

func init() {
	for _, specs := range catalogue {
		for i := range specs {
			s := &specs[i]
			s.AsWords, s.AsWeak, s.AsUnclear = headings(s.Words), headings(s.Weak), headings(s.Unclear)
			s.speak()
		}
	}
}

// SqueezeAll squeezes each text of a list.
func SqueezeAll(list []string) []string {
	out := make([]string, len(list))
	for i, w := range list {
		out[i] = Squeeze(w)
	}
	return out
}
