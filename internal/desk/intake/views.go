package intake

import (
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// What the screen shows of a dropped file.

// DraftColumn is one column of the file and what it was taken for.
type DraftColumn struct {
	Letter string      `json:"letter"`
	Header string      `json:"header"`
	Field  field.Field `json:"field"`
	Why    string      `json:"why"`
	Lines  bool        `json:"lines" doc:"no field by itself: each of its cells becomes a line of its own"`
}

// WorkedColumn is a field that is worked out, or the same in every row.
type WorkedColumn struct {
	Field   field.Field `json:"field"`
	Formula string      `json:"formula"`
	Fixed   string      `json:"fixed"`
	Wrong   string      `json:"wrong"`
}

// FieldChoice is a field that a column can be taken for.
type FieldChoice struct {
	Field    field.Field `json:"field"`
	Title    string      `json:"title"`
	Required bool        `json:"required"`
	About    string      `json:"about"`
	Form     field.Form  `json:"form"`
	Clears   bool        `json:"clears" doc:"an empty cell can be said to clear what is recorded"`
}

// Question is something that the file does not answer.
type Question struct {
	What     string           `json:"what"`
	Column   string           `json:"column"`
	Field    field.Field      `json:"field"`
	Text     string           `json:"text"`
	Options  []QuestionOption `json:"options"`
	Optional bool             `json:"optional" doc:"the intake goes on without an answer"`
}

// QuestionOption is one answer to a question.
type QuestionOption struct {
	Label string        `json:"label"`
	Set   layout.Layout `json:"set"`
}

// ProblemView is one problem with its place.
type ProblemView struct {
	Row    int    `json:"row"`
	Column string `json:"column"`
	Field  string `json:"field"`
	Value  string `json:"value"`
	Text   string `json:"text" doc:"the whole message, with file, sheet and row"`
	Brief  string `json:"brief" doc:"the message behind the place"`
}

// RemedyView settles a group of problems alike.
type RemedyView struct {
	Label  string        `json:"label"`
	Before string        `json:"before"`
	After  string        `json:"after"`
	Set    layout.Layout `json:"set"`
}

// ProblemGroup is all problems of one kind.
type ProblemGroup struct {
	Kind     string        `json:"kind"`
	Field    string        `json:"field"`
	Count    int           `json:"count"`
	List     []ProblemView `json:"list" doc:"the first of them"`
	Remedies []RemedyView  `json:"remedies"`
}

// ValueView is a value that the records do not know, or that was settled.
type ValueView struct {
	Field     field.Field `json:"field"`
	Text      string      `json:"text"`
	Rows      int         `json:"rows"`
	Row       int         `json:"row" doc:"the first of them"`
	Originals []string    `json:"originals" doc:"known values that it may have been before it was damaged"`
	Damage    string      `json:"damage"`
	Near      []string    `json:"near" doc:"known values written much like it"`
	Do        string      `json:"do" enum:"match,new,skip,repair," doc:"what becomes of it; empty: it has to be settled"`
	To        string      `json:"to"`
	Open      bool        `json:"open" doc:"its rows are refused until it is settled"`
	MayBeNew  bool        `json:"may_be_new"`
}

// SkippedView is rows that are no lines.
type SkippedView struct {
	Why  recognise.Skip `json:"why" enum:"totals,notes,headers,blocks,hidden,filtered"`
	Text string         `json:"text" doc:"how many, and what they are"`
	Rows []int          `json:"rows" doc:"the first of them"`
}

// Made is what an intake will make of one sort: how many, and the first of their codes.
type Made struct {
	What  string   `json:"what"`
	Codes []string `json:"codes"`
	More  int      `json:"more" doc:"how many are not listed"`
}

// listedMade is how many codes of what is made are listed.
const listedMade = 200

// making tells what will be made.
func (e *Effect) making(n int, one, many string, code func(i int) string) {
	if n == 0 {
		return
	}
	e.New = append(e.New, desk.Plural(n, one, many))
	m := Made{What: desk.Plural(n, one, many), More: max(n-listedMade, 0)}
	for i := range min(n, listedMade) {
		m.Codes = append(m.Codes, code(i))
	}
	e.Made = append(e.Made, m)
}

// Effect is what taking the file in would do.
type Effect struct {
	count.Outcome
	Doubt     int             `json:"doubt" doc:"recorded lines whose rows could not be read; they stay as they are"`
	Tray      int             `json:"tray" doc:"counts that wait in the tray by an answer; rows that were refused wait there beside them"`
	Recorded  int             `json:"recorded" doc:"lines recorded before in the warehouses of the file"`
	GoneValue string          `json:"gone_value" doc:"what those gone are worth in the records"`
	Places    []EffectPlace   `json:"places"`
	Examples  []EffectExample `json:"examples"`
	New       []string        `json:"new" doc:"what will be made: warehouses, bins, items"`
	Made      []Made          `json:"made" doc:"the same, by name"`

	goneMoney    quantity.Money
	changes      []byte // of items: each as it was and will be, so that what somebody changed meanwhile is noticed
	goneUnvalued int
}

// EffectPlace is the effect on one warehouse.
type EffectPlace struct {
	Warehouse string `json:"warehouse"`
	Added     int    `json:"added"`
	Changed   int    `json:"changed"`
	Unchanged int    `json:"unchanged"`
	Gone      int    `json:"gone"`
}

// EffectExample is one line before and after.
type EffectExample struct {
	What   string `json:"what" enum:"added,changed,gone"`
	Line   string `json:"line"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// SheetOfFile is what was made of one sheet of a dropped file.
type SheetOfFile struct {
	Number       int            `json:"number"`
	Name         string         `json:"name"`
	Use          bool           `json:"use"`
	WhyUse       string         `json:"why_use"`
	Kind         field.Kind     `json:"kind"`
	WhyKind      string         `json:"why_kind"`
	HeaderRow    int            `json:"header_row" doc:"0 where there is none; the last of them where there are several"`
	HeaderRows   int            `json:"header_rows" doc:"how many rows the header has"`
	NamesRow     int            `json:"names_row" doc:"the lowest row of the header that names columns; units may stand below it"`
	WhyHeader    string         `json:"why_header"`
	Layout       string         `json:"layout" doc:"the saved layout that it was read by"`
	Identity     field.Field    `json:"identity" doc:"what identifies the item"`
	Columns      []DraftColumn  `json:"columns"`
	Worked       []WorkedColumn `json:"worked"`
	Fields       []FieldChoice  `json:"fields"`
	Questions    []Question     `json:"questions"`
	Checks       []Check        `json:"checks" doc:"what could be meant or be a mistake, and is asked first"`
	Skipped      []SkippedView  `json:"skipped"`
	Rows         int            `json:"rows"`
	Shown        int            `json:"shown" doc:"about how many rows there are to look at, titles and notes included"`
	Effect       Effect         `json:"effect"`
	Problems     []ProblemGroup `json:"problems"`
	Culprit      string         `json:"culprit" doc:"the one column that causes all problems"`
	CulpritSpare bool           `json:"culprit_spare" doc:"without that column everything is fine"`
	Values       []ValueView    `json:"values"`
	Blocked      string         `json:"blocked"`
	Given        layout.Layout  `json:"given" doc:"the layout in force: what was settled over a saved layout"`
	Assumed      []string       `json:"assumed"`
	Held         *Held          `json:"held,omitempty" doc:"items: how the list differs from those that are recorded"`
	Backs        []*BackView    `json:"backs" doc:"counts: what it does to each count that its rows belong to"`
}

// Draft is what was made of a dropped file.
type Draft struct {
	ID        string        `json:"id"`
	Name      string        `json:"name"`
	Size      int64         `json:"size"`
	Form      string        `json:"form" doc:"delimited text or workbook"`
	Delimiter string        `json:"delimiter"`
	Encoding  string        `json:"encoding"`
	Encodings []string      `json:"encodings"`
	Sheets    []SheetOfFile `json:"sheets"`
	Kind      field.Kind    `json:"kind" doc:"of the first sheet that is taken in"`
	Rows      int           `json:"rows" doc:"of all sheets that are taken in"`
	Taking    int           `json:"taking" doc:"rows that would be taken in"`
	Effect    Effect        `json:"effect" doc:"of all sheets together"`
	Blocked   string        `json:"blocked" doc:"why nothing can be taken in yet; empty where it can"`
	Asks      string        `json:"asks" doc:"what has to be answered first: recorded_at, counted_at, count; checks stand with their sheet"`
	Assumed   []string      `json:"assumed" doc:"what was taken for granted, a sentence each"`
	Choices   Choices       `json:"choices"`
	Mended    int           `json:"mended" doc:"cells put right by hand"`
	CanBack   bool          `json:"can_back" doc:"there is an answer to take back"`
	Wrong     string        `json:"wrong" doc:"why the file cannot be read at all"`

	Problems []ProblemGroup `json:"-"` // of all sheets
	Back     *BackView      `json:"-"`
}
