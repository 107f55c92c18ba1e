package intake

import (
	"context"

	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/core/read"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// content is what a sheet of a dropped file holds, read and held against the records: what of a draft differs by kind of file.
type content interface {
	// unknown are the values that the records do not know.
	unknown() []read.Value
	// made are the items that taking the sheet in makes, and those that it changes, as they will be.
	made() (added, changed []store.Item)
	// write writes the sheet within the work of an intake, after the sheets that it builds on.
	write(w *desk.Work, intake int64) error
}

// kind is what intakes do in another way for each kind of file.
type kind struct {
	// look reads a sheet and holds it against the records. It leaves the content with the part.
	look func(d *Room, ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, out *Draft) error
	// standing tells what undoing an intake puts back, which later intakes stand on it, and what else is in the way. Empty for
	// counts, which are returns of a count and are undone there.
	standing func(tx *gorm.DB, r *store.Intake) (standing, error)
	// undo takes back what an intake wrote.
	undo func(w *desk.Work, intake int64) error
}

// standing is what there is to say before an intake is undone.
type standing struct {
	puts    string // what undoing puts back
	later   []store.Intake
	blocked string
}

var kinds map[field.Kind]kind

func init() { // the functions get at the table, which the compiler takes for a circle
	kinds = map[field.Kind]kind{
		field.Places:    {(*Room).lookPlaces, placesStanding, undoPlaces},
		field.Items:     {(*Room).lookItems, itemsStanding, undoItems},
		field.Stock:     {(*Room).lookStock, stockStanding, undoStock},
		field.Movements: {(*Room).lookMovements, movementsStanding, count.MoveOut},
		field.Counts:    {look: (*Room).lookBack},
	}
}

// stock is the part's content where it is recorded stock, else nil.
func (pt *part) stock() *stockDraft { s, _ := pt.content.(*stockDraft); return s }

// back is the part's content where it is counts, else nil.
func (pt *part) back() *backDraft { b, _ := pt.content.(*backDraft); return b }

func (x *placesDraft) unknown() []read.Value { return x.values }
func (x *itemsDraft) unknown() []read.Value  { return x.values }
func (s *stockDraft) unknown() []read.Value  { return s.file.Values }
func (x *movesDraft) unknown() []read.Value  { return x.values }
func (b *backDraft) unknown() []read.Value   { return b.values }

func (x *placesDraft) made() (added, changed []store.Item) { return nil, nil }
func (x *itemsDraft) made() (added, changed []store.Item)  { return x.added, x.after }
func (s *stockDraft) made() (added, changed []store.Item)  { return s.newItems, s.items.after }
func (x *movesDraft) made() (added, changed []store.Item)  { return nil, nil }
func (b *backDraft) made() (added, changed []store.Item)   { return nil, nil }

// write of counts is takeBack: they are no part of an intake.
func (b *backDraft) write(*desk.Work, int64) error { return nil }
