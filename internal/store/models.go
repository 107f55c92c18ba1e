package store

import (
	"encoding/json"
	"slices"

	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
)

// The rows of the tables. Quantities and costs are millionths, values hundredths, times Unix nanoseconds.

// Person may sign in.
type Person struct {
	ID     int64
	Name   string
	SignIn string
	Role   string
	Secret string // argon2id, encoded
	Demo   bool
	Owner  bool // may add people and change them
	// Suspended: is not let in, and what was done stays under the name.
	Suspended bool
}

// TableName is people.
func (Person) TableName() string { return "people" }

// Invitation lets somebody sign up, or take a new password, once.
type Invitation struct {
	ID               int64
	Hash, Name, Role string
	PersonID         int64
	ByPerson         string
	ByPersonID       int64 // 0: made on the command line
	At, Until        int64
	UsedAt, GoneAt   int64
}

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
	Crew     string // who counts there, JSON
	ID       int64
	Code     string
	Name     string
	SetID    int64
	IntakeID int64
	Rotation string // how often its lines are counted a year, as plan.Rotation has it in JSON; "" where nothing was said
	Walk     string // how its aisles are walked, as cutting.Way has it; "" where nothing was said
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
	SetID                                               int64  // the recorded stock that was frozen
	PostTolerated                                       bool   // variances that are let pass go out too
	Tolerances                                          string // JSON: by class of item
	Rounds                                              int    // 2: two rounds by different people must agree
	Together                                            string // the name that counts of several warehouses stand under; "" where it is by itself
	Stands                                              string // which round stands, as variance.Rule has it
	Stale                                               bool   // its lines are to be worked out again before anything else
}

// States of a count.
const (
	Freezing = "freezing" // its lines are being written; nobody sees it, and a start sweeps it
	Running  = "running"
	Finished = "finished"

	Discarded = "discarded" // frozen by mistake: nothing was done in it, and it is shown nowhere; its number and sheets are not given again
)

// Shown are the states of counts that people see.
var Shown = []string{Running, Finished}

// Sheet is the part of a count handed to one person.
type Sheet struct {
	ID, CountID       int64
	Number            int
	Code, Zone        string
	FirstBin, LastBin string
	First             int64 // the line of its first row; its rows follow one another
	Lines, Counted    int   // rows, and those of them with a count
	Empty             int   // of a first count: rows to fill in for each of its empty bins; else they have one
	Seconds           int64 // what it is expected to take
	State             string
	OutAt, BackAt     int64
	Counter           string
	Revisions         int
	Round             int    // 2 for one of the second round
	Coded             int    // rows that its row codes stand for, where it was longer once; they are on other sheets now
	Let               int    // let go: the lines that it had then
	Due               int64  // when it is to be back; 0 where that was not said
	Picked            string // JSON: of a recount, the positions of its rows, in order; its First is below zero, where no line is
	Why               string // of a recount: why somebody counts again who counted first
	CheckedBy         string // who typed it a second time and found the same; "" where nobody did, or something was changed since
	CheckedAt         int64
}

// InRound is the round that the sheet is of. Recounts have rounds from FirstRecount on, in whatever count.
func (s *Sheet) InRound() int { return max(s.Round, 1) }

// FirstRecount is the round of the first recount of a line.
const FirstRecount = variance.FirstRecount

// Recount tells whether the sheet is of chosen lines that are counted again.
func (s *Sheet) Recount() bool { return s.Picked != "" }

// picks are the positions of the rows of a recount.
func (s *Sheet) picks() (list []int64) {
	_ = json.Unmarshal([]byte(s.Picked), &list) // it was written by us
	return list
}

// PosOf gives the position of a row that the sheet's codes stand for, counted from 1; 0 where there is no such row.
func (s *Sheet) PosOf(row int) int64 {
	if row < 1 || row > s.Rows() {
		return 0
	}
	if s.Recount() {
		if list := s.picks(); row <= len(list) {
			return list[row-1]
		}
		return 0
	}
	return s.First + int64(row) - 1
}

// RowOf gives the row of a position, 0 where it has none on the sheet.
func (s *Sheet) RowOf(pos int64) int {
	if s.Recount() {
		if i, has := slices.BinarySearch(s.picks(), pos); has {
			return i + 1
		}
		return 0
	}
	if pos < s.First || pos >= s.First+int64(s.Lines) {
		return 0
	}
	return int(pos-s.First) + 1
}

// Positions picks the lines of the sheet.
func (s *Sheet) Positions() Positions {
	if s.Recount() {
		return Positions{Some: s.picks()}
	}
	return Positions{From: s.First, To: s.First + int64(s.Lines)}
}

// Where is the condition that picks the lines of the sheet by a column of positions, and its values.
func (s *Sheet) Where(column string) (where string, args []any) {
	if s.Recount() {
		return column + " IN (SELECT value FROM json_each(?))", []any{s.Picked}
	}
	return column + " >= ? AND " + column + " < ?", []any{s.First, s.First + int64(s.Lines)}
}

// InRound tells whether the line has a count of a round.
func (l *CountLine) InRound(round int) bool {
	if round == 2 {
		return l.Second > 0
	}
	return l.Entries > l.Second
}

// Rows is how many rows the row codes of a sheet stand for.
func (s *Sheet) Rows() int { return max(s.Lines, s.Coded) }

// EmptyBin is a bin of a sheet in which nothing is recorded: somebody must look. It stands behind the line at position After, and among
// several there by its Place.
type EmptyBin struct{ CountID, SheetID, After, Place, BinID int64 }

// States of a sheet.
const (
	WithUs  = "with us"
	Out     = "out"
	Back    = "back"
	CutAnew = "cut anew" // its rows are on other sheets now, and it stands only for its row codes
	LetGo   = "let go"   // its rows are out of the count
)

// Void are the states of sheets that nobody counts by.
var Void = []string{CutAnew, LetGo}

// Void tells whether nobody counts by the sheet.
func (s *Sheet) Void() bool { return slices.Contains(Void, s.State) }

// CountLine is one line of a count and what was worked out about it.
type CountLine struct {
	CountID, Pos, BinID, ItemID        int64
	Lot, Serial, Holding, RecordID     string
	Attributes                         string // JSON
	HasRow                             bool   // it has a row on a sheet
	Beside                             bool   // it has none, as the count is not about it, but it was recorded
	Recorded                           int64
	Frozen                             int64 // the moment of a freeze of its own, later than its count's; 0: that of its count
	Cost                               *int64
	CostOf                             stock.CostSource // where the cost comes from
	SheetID                            int64
	RowCode                            string // of counts frozen before row codes were worked out
	Entries                            int
	Moved, Expected, Counted, Variance int64
	Value                              *int64
	Status                             string
	Meanwhile                          bool
	CountedAt                          int64
	Counter                            string
	Stake                              int64 // what is at stake in the rest, or in the variance where none is left; 0 where it has none
	Decision, Reason                   string
	PostingID                          int64 // the last one that it was in
	Postings                           int
	Sent, SentValue                    int64
	Rest                               int64
	RestValue                          *int64
	Queue                              int
	Zeroed                             bool // it was settled that uncounted means zero here
	Second                             int  // how many of its entries are of the second round
	Pending                            int  // why it is not counted though it has entries, as variance.Pending has it
}

// Where a line stands in the queue of decisions.
const (
	NotQueued = iota
	QueueOpen
	QueueHeld
	QueueAccepted
)

// Row tells whether the line is one that was recorded when the count was frozen.
func (l *CountLine) Row() bool { return l.HasRow || l.Beside }

// IsCounted tells whether a count of the line stands: it has entries, and no round of it is missing or differs.
func (l *CountLine) IsCounted() bool { return l.Entries > 0 && l.Pending == 0 }

// FrozenAt is the moment at which what is recorded of the line was true.
func (l *CountLine) FrozenAt(c *Count) int64 {
	if l.Frozen != 0 {
		return l.Frozen
	}
	return c.FrozenAt
}

// Gone is the status of a line that was found and is no more: its counts were withdrawn, and nothing else is known of it.
const Gone = "gone"

// Unvalued is the stake of a variance that has no value: it goes before all that have one.
const Unvalued = int64(1) << 62

// Disputed is the stake of a line that is disputed (variance.Result): it goes before all others.
const Disputed = Unvalued + 1

// Parts of a count that have tallies. The name of a bin's is its number, that of all is empty.
const (
	PartAll      = "all"
	PartBin      = "bin"
	PartZone     = "zone"
	PartCategory = "category"
	PartCounter  = "counter"
	PartReason   = "reason" // accepted lines that wait, by reason
)

// CountMove is a movement of a line since the freeze. AsAt is when it happened for this line, where somebody settled that; 0: as it
// was booked, At.
type CountMove struct{ CountID, Pos, At, MovementID, Quantity, AsAt int64 }

// Happened is when the movement counts as having happened.
func (m *CountMove) Happened() int64 {
	if m.AsAt != 0 {
		return m.AsAt
	}
	return m.At
}

// ElsewhereAnswer says whether the records had a posting of another count when the stock of a count was recorded.
type ElsewhereAnswer struct {
	ID, CountID, PostingID int64
	Answer, Person         string
	At                     int64
}

// CauseAccepted is a likely cause that somebody accepted for a line, and, of a pair, for another one.
type CauseAccepted struct {
	ID, CountID, Pos, Other, WarehouseID int64
	Cause, Grade                         string
	BinID, ItemID                        int64
	Counter                              string
	Quantity                             int64
	Evidence, Person                     string
	At                                   int64
}

// TableName is its table.
func (CauseAccepted) TableName() string { return "causes_accepted" }

// CountItem is what a count knows of an item, as at the freeze.
type CountItem struct {
	CountID, ItemID int64
	Category, Class string
}

// Return is one file of counts taken in.
type Return struct {
	ID, CountID                      int64
	FileSha, FileName, Person        string
	At                               int64
	Added, Revised, Unchanged, Empty int
	Withdrawn                        int
	State                            string
	UndoneAt                         int64
	UndoneBy                         string
	FirstEntry, LastEntry            int64 // its entries follow one another; 0 where it has none
}

// Entry is one counted quantity, or the withdrawal of one. Count, line, round and parcel are its slot.
type Entry struct {
	ID, CountID, Pos, SheetID int64
	Slot                      string // of entries before parcels
	Round                     int
	Parcel                    int64
	Withdrawn                 bool  // nothing is counted in its slot any more; the quantity says nothing
	Undoes                    int64 // the return that it takes back, 0 for none
	Quantity, CountedAt       int64
	Counter, Person           string
	At, Replaces, ReturnID    int64
	FileRow                   int
	Since                     int64 // where it was counted some time between this and CountedAt; else 0
}

// Doubt is a row or a find that could not be taken as a count, until somebody says what it is.
type Doubt struct {
	ID, CountID, ReturnID, SheetID int64
	FileRow                        int
	Kind, Wrong                    string // what is wrong, as a group and in a sentence
	Written                        string // JSON: what was written, by field
	Cells                          string // JSON: the cells of the row as they stood in the file
	Person                         string
	At                             int64
	State, Word                    string
	SettledBy                      string
	SettledAt, Pos                 int64 // Pos is the line that it was entered as
}

// States of a doubt.
const (
	Waits    = "waits"
	Entered  = "entered"
	Dropped  = "dropped"
	Replaced = "replaced" // a later version of its file has the row right
)

// Decision is what was decided about a line.
type Decision struct {
	ID, CountID, Pos     int64
	Kind, Reason, Person string
	At                   int64
	Quantity             *int64 // the rest that it was about
	Rule                 string // the name of the rule that decided; "" for a person
}

// Kinds of decision; "" takes an earlier one back. Zero says that uncounted means zero, Leave takes that back.
const (
	Accept = "accept"
	Hold   = "hold"
	Zero   = "zero"
	Leave  = "leave"
	Lapse  = "lapse" // it fell, since the figures of its line changed
)

// Note is what somebody noted of a line.
type Note struct {
	ID, CountID, Pos int64
	Text, Person     string
	At               int64
}

// RoundChoice is a round that was chosen to stand of a line; 0 takes a choice back. It ends where a round later than Last comes.
type RoundChoice struct {
	ID, CountID, Pos int64
	Round, Last      int
	Person           string
	At               int64
}

// DecisionRule is a rule that decides variances by itself while it is on.
type DecisionRule struct {
	ID         int64
	Name, Body string // Body is JSON, as ruling.Rule has it
	Person     string
	At         int64
	IsOn       bool
	OnBy       string
	OnAt       int64
}

// Evidence is a photo or file that belongs to a line of a count.
type Evidence struct {
	ID, CountID, Pos        int64
	FileSha, FileName, Sort string
	Size                    int64
	Person                  string
	At                      int64
}

// TableName is evidence.
func (Evidence) TableName() string { return "evidence" }

// Reason explains a decision.
type Reason struct {
	Code    string `gorm:"primaryKey"`
	Name    string
	Account string
	Sign    string // over or short: the variances that it explains; empty: both
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

// PostingFacts is what else is said of a posting.
type PostingFacts struct {
	PostingID    int64  `gorm:"primaryKey"`
	Kind         string // what it is; "" for what was accepted
	Of           int64  // the posting that it takes back
	Layout, Body string // the name of its layout, and the layout as it was, as JSON; "" for a form of ours
	OnDay        int64
	Reference    string
	Reasons      string // JSON: those that went out; "" for all
	SetID        int64  // the recorded stock that was in force then
	AgreedBy     string
	AgreedAt     int64
}

// TableName is posting_facts.
func (PostingFacts) TableName() string { return "posting_facts" }

// The kinds of postings beside those of what was accepted.
const (
	Reversal = "reversal" // takes back what another one said
	Unlanded = "missing"  // notes that lines of another one did not land, so that they are open again; its file is for people alone
)

// PostingFile is one of the files of a posting.
type PostingFile struct {
	PostingID         int64
	N                 int
	FileSha, FileName string
	Lines             int
	Size              int64
}

// Approval is a posting that somebody else has to agree to.
type Approval struct {
	ID, CountID int64
	Person      string
	PersonID    int64
	At          int64
	Body        string // JSON: what is to go out
	Lines       int
	Gross       int64
	Sha, Word   string
	State       string
	SettledBy   string
	SettledAt   int64
	Answer      string
	Posting     int
}

// The states of an approval that waits no more; one that does is Waits.
const (
	Agreed    = "agreed"
	SentBack  = "sent back"
	TakenBack = "taken back"
)

// Delivery is a try to write the files of a posting into a folder.
type Delivery struct {
	ID, PostingID, At int64
	Folder, Wrong     string // Wrong is empty where they were written
}

// OutLayout is a kept layout of files out.
type OutLayout struct {
	ID                 int64
	Name, Body, Person string
	At                 int64
}

// PostingReason is what went out for one reason.
type PostingReason struct {
	PostingID          int64
	Reason             string
	Lines              int
	Over, Short, Gross int64
}

// PostingLine is one line of a posting.
type PostingLine struct {
	PostingID, Pos, Variance int64
	Value                    *int64
	Reason                   string
}

// Settle lays what was worked out over the line. A decision was made about a figure: where what is open has changed since
// (kept is false), acceptance has to be said again; and where nothing is open, nothing is decided.
func (l *CountLine) Settle(counters []string, entries []variance.Entry, now variance.Line, kept bool) {
	r, rest := &now.Result, &now.Rest
	l.Entries, l.Moved, l.Expected, l.Counted, l.Variance = len(entries), int64(r.Moved), int64(r.Expected), int64(
		r.Counted,
	), int64(r.Variance)
	l.Status, l.Meanwhile, l.CountedAt, l.Value, l.Counter = string(r.Status), r.MovedMeanwhile, r.CountedAt, nil, ""
	if now.Gone {
		l.Status = Gone
	}
	l.Pending, l.Second = int(r.Pending), 0
	for i, e := range entries {
		if e.Round == 2 {
			l.Second++
		}
		if e.Round == r.Round && e.At == r.CountedAt {
			l.Counter = counters[i]
		}
	}
	l.Zeroed = l.Zeroed && len(entries) == 0
	if r.Valued && (r.Status != variance.Uncounted || r.Zeroed) {
		v := int64(r.Value)
		l.Value = &v
	}
	l.Rest, l.RestValue = int64(rest.Quantity), nil
	if rest.Valued && rest.Quantity != 0 {
		v := int64(rest.Value)
		l.RestValue = &v
	}
	if !rest.Wants || l.Decision == Accept && !kept {
		l.Decision, l.Reason = "", ""
	}
	l.Enqueue(now)
}

// Enqueue puts the line where it belongs in the queue, by its decision.
func (l *CountLine) Enqueue(now variance.Line) {
	stake, known := now.Stake()
	if l.Stake = int64(stake); stake != 0 && !known {
		l.Stake = Unvalued
	}
	if stake != 0 && now.Result.Disputed {
		l.Stake = Disputed
	}
	switch {
	case !now.Rest.Wants:
		l.Queue = NotQueued
	case l.Decision == Accept:
		l.Queue = QueueAccepted
	case l.Decision == Hold:
		l.Queue = QueueHeld
	default:
		l.Queue = QueueOpen
	}
}
