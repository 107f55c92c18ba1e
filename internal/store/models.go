package store

// The rows of the tables. Quantities and costs are millionths, values hundredths, times Unix nanoseconds.

// Person may sign in.
type Person struct {
	ID     int64
	Name   string
	SignIn string
	Role   string
	Secret string // argon2id, encoded
	Demo   bool
}

// TableName is people.
func (Person) TableName() string { return "people" }

// Intake is one taking-in of a file.
type Intake struct {
	ID                                       int64
	Kind, State, FileSha, FileName, Person   string
	At, RecordedAt                           int64
	Added, Changed, Unchanged, Gone, Refused int
	Backup                                   string
	UndoneAt                                 int64
	UndoneBy                                 string
	Parts                                    string // JSON: what each sheet came to
}

// States of an intake.
const (
	Taken  = "taken in"
	Undone = "undone"
)

// Warehouse points to its published stock.
type Warehouse struct {
	ID       int64
	Code     string
	Name     string
	SetID    int64
	IntakeID int64
}

// Bin is the smallest place.
type Bin struct {
	ID          int64
	WarehouseID int64
	Code, Zone  string
	SortKey     []byte
	IntakeID    int64
}

// Item is what is stocked.
type Item struct {
	ID                      int64
	SKU                     string `gorm:"column:sku"`
	SortKey                 []byte
	Description, Unit       string
	Cost                    *int64
	Category, Class, Nature string
	Active                  bool
	Barcode, RecordID       string
	FurtherSKU              string `gorm:"column:further_sku"`
	Tracking, Parent        string
	Packs                   string // JSON
	Barcodes                string // JSON, where there are several
	Attributes              string // JSON
	IntakeID                int64
}

// ItemBefore is an item as it was before an intake changed it, as JSON.
type ItemBefore struct {
	IntakeID, ItemID int64
	Was              string
}

// TableName is item_before.
func (ItemBefore) TableName() string { return "item_before" }

// PlaceBefore is a warehouse or bin as it was before an intake changed it, as JSON. Sort is "warehouse" or "bin".
type PlaceBefore struct {
	IntakeID int64
	Sort     string
	PlaceID  int64
	Was      string
}

// TableName is place_before.
func (PlaceBefore) TableName() string { return "place_before" }

// Layout is a saved layout.
type Layout struct {
	ID                       int64
	Name, Kind, Body, Person string
	At, UsedAt               int64
}

// StockSet is the recorded stock of a warehouse after an intake.
type StockSet struct {
	ID, WarehouseID, IntakeID, PreviousID, RecordedAt int64
	Lines                                             int
	Value                                             int64
	Unvalued                                          int
	Published                                         bool
}

// StockLine is one line of a set.
type StockLine struct {
	SetID, Pos, BinID, ItemID      int64
	Lot, Serial, Holding, RecordID string
	Quantity                       int64
	Reserved, Cost                 *int64
	Attributes                     string // JSON
}

// Movement is one change of stock with its time.
type Movement struct {
	ID, IntakeID, WarehouseID, BinID, ItemID int64
	Lot, Serial, Holding                     string
	Quantity, At                             int64
	Reference                                string
}

// Count is one counting event.
type Count struct {
	ID                                                  int64
	Name                                                string
	WarehouseID                                         int64
	State                                               string
	Blind                                               bool
	FrozenAt, RecordedAt                                int64
	Person                                              string
	At                                                  int64
	ToleranceQuantity, TolerancePercent, ToleranceValue *int64
	Scope, LeftOut                                      string // JSON
	Columns                                             string // JSON: attributes that stand on sheets and in files out
	Latest                                              int64  // the latest counting time, 0 where nothing is counted
}

// States of a count.
const (
	Running  = "running"
	Finished = "finished"
)

// Sheet is the part of a count handed to one person.
type Sheet struct {
	ID, CountID       int64
	Number            int
	Code, Zone        string
	FirstBin, LastBin string
	Lines, Counted    int
	State             string
	OutAt, BackAt     int64
	Counter           string
	Revisions         int
}

// States of a sheet.
const (
	WithUs = "with us"
	Out    = "out"
	Back   = "back"
)

// CountLine is one frozen line and what was worked out about it.
type CountLine struct {
	CountID, Pos, BinID, ItemID        int64
	Lot, Serial, Holding, RecordID     string
	Attributes                         string // JSON
	HasRow                             bool
	Recorded                           int64
	Cost                               *int64
	SheetID                            int64
	RowCode                            string
	Entries                            int
	Moved, Expected, Counted, Variance int64
	Value                              *int64
	Status                             string
	Meanwhile                          bool
	CountedAt                          int64
	Counter                            string
	Stake                              int64
	Decision, Reason                   string
	PostingID                          int64
}

// Unvalued is the stake of a variance that has no value: it goes before all that have one.
const Unvalued = int64(1) << 62

// CountBin is the tally of a count's lines in one bin.
type CountBin struct {
	CountID, BinID, SheetID                                                                int64
	Lines, RecordedLines, RecordedCounted, Counted, Matched, Tolerated, Over, Short, Found int
	Unvalued                                                                               int
	OverValue, ShortValue, GrossValue                                                      int64
	Open                                                                                   int
	OpenOver, OpenShort, OpenGross                                                         int64
	Accepted, Held, Posted                                                                 int
}

// Return is one file of counts taken in.
type Return struct {
	ID, CountID                      int64
	FileSha, FileName, Person        string
	At                               int64
	Added, Revised, Unchanged, Empty int
}

// Entry is one counted quantity.
type Entry struct {
	ID, CountID, Pos, SheetID int64
	Slot                      string
	Round                     int
	Quantity, CountedAt       int64
	Counter, Person           string
	At, Replaces, ReturnID    int64
	FileRow                   int
}

// Decision is what was decided about a line.
type Decision struct {
	ID, CountID, Pos     int64
	Kind, Reason, Person string
	At                   int64
}

// Kinds of decision; "" takes an earlier one back.
const (
	Accept = "accept"
	Hold   = "hold"
)

// Reason explains a decision.
type Reason struct {
	Code    string `gorm:"primaryKey"`
	Name    string
	Account string
}

// Posting is what went out together.
type Posting struct {
	ID, CountID             int64
	Number                  int
	Mode, FileSha, FileName string
	Lines                   int
	Over, Short, Gross      int64
	Unvalued                int
	Person                  string
	At                      int64
}

// PostingLine is one line of a posting.
type PostingLine struct {
	PostingID, Pos, Variance int64
	Value                    *int64
	Reason                   string
}
