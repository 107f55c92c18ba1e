package outfile

import (
	"slices"
	"strings"

	"wobin/internal/core/field"
)

// Field is what a column of a file out can hold.
type Field string

// The fields.
const (
	Warehouse   Field = "warehouse"
	Zone        Field = "zone"
	Bin         Field = "bin"
	ToWarehouse Field = "to_warehouse"
	ToBin       Field = "to_bin"
	SKU         Field = "sku"
	FurtherSKU  Field = "further_sku"
	Barcode     Field = "barcode"
	Description Field = "description"
	Category    Field = "category"
	RecordID    Field = "record_id"
	ItemID      Field = "item_id"
	Lot         Field = "lot"
	Serial      Field = "serial"
	Holding     Field = "holding"
	Unit        Field = "unit"
	Difference  Field = "difference"
	QuantityIn  Field = "quantity_in"
	QuantityOut Field = "quantity_out"
	Amount      Field = "amount"
	Direction   Field = "direction"
	Balance     Field = "balance"
	Counted     Field = "counted"
	Expected    Field = "expected"
	UnitCost    Field = "unit_cost"
	Value       Field = "value"
	Reason      Field = "reason"
	ReasonName  Field = "reason_name"
	Account     Field = "account"
	CountedAt   Field = "counted_at"
	Counter     Field = "counter"
	PostingDate Field = "posting_date"
	Reference   Field = "reference"
	Document    Field = "document"
	Row         Field = "row"
)

// Sort is what a field's values are.
type Sort string

// The sorts of values.
const (
	Text     Sort = "text"
	Code     Sort = "code"
	Quantity Sort = "quantity"
	Money    Sort = "money"
	Time     Sort = "time"
	Whole    Sort = "whole"
)

// Spec describes a field.
type Spec struct {
	Field      Field    `json:"field"`
	Title      string   `json:"title"`
	Sort       Sort     `json:"sort"`
	About      string   `json:"about"`
	Identifies bool     `json:"identifies" doc:"it names the item"`
	Quantifies bool     `json:"quantifies" doc:"it says by how much, or how much there is"`
	words      []string // headers that it goes by, beside those under which the same is read
	read       field.Field
}

// Fields is the catalogue of fields, in the order in which they are offered.
var Fields = []Spec{
	{Field: Warehouse, Title: "Warehouse", Sort: Code, About: "where it lies", read: field.Warehouse},
	{Field: Zone, Title: "Zone", Sort: Text, About: "the zone of the bin", read: field.Zone},
	{Field: Bin, Title: "Bin", Sort: Code, About: "the bin; of a transfer the one that it leaves", read: field.Bin, words: []string{"from bin"}},
	{Field: ToWarehouse, Title: "To warehouse", Sort: Code, About: "of a transfer: where it goes", read: field.ToHouse},
	{Field: ToBin, Title: "To bin", Sort: Code, About: "of a transfer: the bin that it goes to", read: field.ToBin},
	{Field: SKU, Title: "SKU", Sort: Code, About: "the item", Identifies: true, read: field.SKU},
	{Field: FurtherSKU, Title: "Further SKU", Sort: Code, About: "another number of the item", Identifies: true, read: field.FurtherSKU},
	{Field: Barcode, Title: "Barcode", Sort: Code, About: "the item's first barcode", Identifies: true, read: field.Barcode},
	{Field: Description, Title: "Description", Sort: Text, About: "what the item is called", Identifies: true, read: field.Description},
	{Field: Category, Title: "Category", Sort: Text, About: "the item's category", read: field.Category},
	{Field: RecordID, Title: "Record id", Sort: Code, About: "the number of the line in the record system", Identifies: true, read: field.RecordID},
	{Field: ItemID, Title: "Item's record id", Sort: Code, About: "the number of the item in the record system", Identifies: true, read: field.ItemID},
	{Field: Lot, Title: "Lot", Sort: Code, About: "the lot", read: field.Lot},
	{Field: Serial, Title: "Serial", Sort: Code, About: "the serial number", read: field.Serial},
	{Field: Holding, Title: "Holding", Sort: Code, About: "whose it is, or what state it is in", read: field.Holding},
	{Field: Unit, Title: "Unit", Sort: Text, About: "the unit that quantities are in", read: field.Unit},
	{Field: Difference, Title: "Difference", Sort: Quantity, About: "by how much the record changes, with its sign", Quantifies: true,
		words: []string{"difference", "quantity", "qty", "adjustment", "adjustment quantity", "adjust by", "change", "quantity change", "variance", "delta",
			"differenz", "menge", "différence", "quantité", "diferencia", "cantidad", "differenza"}},
	{Field: QuantityIn, Title: "Quantity in", Sort: Quantity, About: "what comes in; 0 where it goes out", Quantifies: true,
		words: []string{"in", "increase", "plus", "zugang"}, read: field.QuantityIn},
	{Field: QuantityOut, Title: "Quantity out", Sort: Quantity, About: "what goes out; 0 where it comes in", Quantifies: true,
		words: []string{"out", "decrease", "minus", "abgang"}, read: field.QuantityOut},
	{Field: Amount, Title: "Amount", Sort: Quantity, About: "by how much the record changes, without its sign", Quantifies: true,
		words: []string{"amount", "absolute quantity"}},
	{Field: Direction, Title: "Direction", Sort: Text, About: "in or out", words: []string{"direction", "sign", "movement type", "type", "in out"}},
	{Field: Balance, Title: "New balance", Sort: Quantity, About: "what the record should say then", Quantifies: true,
		words: []string{"balance", "new balance", "new quantity", "on hand", "quantity on hand", "opening balance", "bestand", "new on hand"}},
	{Field: Counted, Title: "Counted", Sort: Quantity, About: "what was counted", Quantifies: true, read: field.Counted},
	{Field: Expected, Title: "Expected", Sort: Quantity, About: "what was expected when it was counted", words: []string{"expected", "book quantity"}},
	{Field: UnitCost, Title: "Unit cost", Sort: Money, About: "what one is worth", read: field.UnitCost},
	{Field: Value, Title: "Value", Sort: Money, About: "what the difference is worth", words: []string{"value", "amount of money", "total", "total value", "wert", "valeur", "valor", "valore"}},
	{Field: Reason, Title: "Reason", Sort: Code, About: "the reason code", words: []string{"reason", "reason code", "adjustment reason", "grund", "motif", "motivo", "razón"}},
	{Field: ReasonName, Title: "Reason in words", Sort: Text, About: "what the reason is called", words: []string{"reason text", "comment", "remark", "note", "memo"}},
	{Field: Account, Title: "Account", Sort: Code, About: "the account of the reason", words: []string{"account", "ledger account", "gl account", "konto", "compte", "cuenta", "conto"}},
	{Field: CountedAt, Title: "Counted at", Sort: Time, About: "when it was counted", read: field.CountedAt},
	{Field: Counter, Title: "Counter", Sort: Text, About: "who counted it", read: field.Counter},
	{Field: PostingDate, Title: "Posting date", Sort: Time, About: "the day that it is booked on",
		words: []string{"posting date", "date", "document date", "balance date", "effective date", "buchungsdatum", "datum", "fecha", "data"}},
	{Field: Reference, Title: "Reference", Sort: Text, About: "the posting's own reference", read: field.Reference, words: []string{"reference", "ref"}},
	{Field: Document, Title: "Document", Sort: Text, About: "the number of the document, where there are several", words: []string{"document", "document number", "document no", "beleg"}},
	{Field: Row, Title: "Row", Sort: Whole, About: "the number of the row in its document", words: []string{"row", "line", "line number", "line no", "position", "pos"}},
}

// SpecOf gives the spec of a field, be it an attribute of lines or items; nil for none.
func SpecOf(f Field) *Spec {
	if name, is := field.Field(f).Attribute(); is {
		return &Spec{Field: f, Title: name, Sort: Text, About: "an attribute"}
	}
	i := slices.IndexFunc(Fields, func(s Spec) bool { return s.Field == f })
	if i < 0 {
		return nil
	}
	return &Fields[i]
}

// kinds are those under whose words a field of files out is looked for.
var kinds = []field.Kind{field.Stock, field.Counts, field.Movements, field.Items}

// ByHeader gives the field that a header is of; empty where none is, or several are.
func ByHeader(text string) Field {
	h := field.Squeeze(text)
	if h == "" {
		return ""
	}
	heading := field.NewHeading(text)
	for i := range Fields {
		s := &Fields[i]
		if slices.Contains(field.SqueezeAll(s.words), h) || field.Squeeze(string(s.Field)) == h || field.Squeeze(s.Title) == h {
			return s.Field
		}
	}
	for i := range Fields {
		s := &Fields[i]
		if s.read == "" {
			continue
		}
		for _, k := range kinds {
			if spec := field.SpecOf(k, s.read); spec != nil && heading.Exactly(spec.AsWords) {
				return s.Field
			}
		}
	}
	return ""
}

// named gives the field that a formula calls by a label.
func named(label string) Field {
	l := strings.ToLower(strings.TrimSpace(label))
	for i := range Fields {
		if string(Fields[i].Field) == l || strings.ToLower(Fields[i].Title) == l {
			return Fields[i].Field
		}
	}
	if _, is := field.Field(strings.TrimSpace(label)).Attribute(); is {
		return Field(strings.TrimSpace(label))
	}
	return ""
}
