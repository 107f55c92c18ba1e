// Package tabular reads and writes tables with true positions: delimited text and workbooks.
//
// A File says what was taken for granted about it (kind, encoding, delimiter, sheets); its Rows give cells with
// the row numbers that a spreadsheet shows. The package does not know what the columns mean.
package tabular

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Limits on what is read. A file beyond them is refused with a clear word rather than cut.
const (
	MaxColumns = 2_000
	MaxCell    = 1 << 16 // bytes in one cell
	MaxSheets  = 370     // sheets of a workbook: one for each day of a year, and some
	MaxRow     = 1 << 20 // bytes in one row
)

// Kind is the sort of file.
type Kind string

// The kinds of file that are read.
const (
	Text     Kind = "delimited text"
	Workbook Kind = "workbook"
	Archive  Kind = "archive of several files"
)

// File is a table file whose form is known. It reads from an io.ReaderAt and holds no rows.
type File struct {
	Name    string   // as it stands in messages
	Kind    Kind     //
	Dialect Dialect  // of delimited text
	Sheets  []string // of a workbook, in their order, or those of the files in an archive; one empty name for delimited text
	Hidden  []bool   // which of a workbook's sheets are hidden; nil for delimited text

	at     io.ReaderAt
	size   int64
	budget *budget // nil for text that is not packed, which is as long as it is
	book   interface {
		rows(sheet int) (rowSource, error)
	}
}

// Error is a file that cannot be read as a table: what is wrong and what to do.
type Error struct {
	File, Sheet string
	Row         int // 0 where it is the file as a whole
	Text        string
}

// Error gives file, sheet and row in front of the text.
func (e *Error) Error() string { return Where(e.File, e.Sheet, e.Row) + " " + e.Text }

// Where prints a position as messages do: "stock.csv:17:", "book.xlsx:Sheet2:17:", "stock.csv:".
func Where(file, sheet string, row int) string {
	s := file
	if sheet != "" {
		s += ":" + sheet
	}
	if row > 0 {
		s += fmt.Sprintf(":%d", row)
	}
	return s + ":"
}

// Options say what the person settled about a file; zero values are found out.
type Options struct {
	Delimiter byte
	Encoding  Encoding

	within *budget // of the archive that the file is in
}

var signatures = []struct{ start, text string }{
	{"%PDF", "is a PDF. Export the table as delimited text or as a workbook (.xlsx) and drop that"},
	{
		"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1",
		"is a workbook in the old binary form or locked by a password. Save it as .xlsx without a password, or as delimited text",
	},
	{"\x89PNG", "is a picture, not a table"},
	{"\xff\xd8\xff", "is a picture, not a table"},
	{"\x1f\x8b", "is packed with gzip. Unpack it and drop the file inside"},
	{"Rar!", "is an archive. Unpack it and drop the file inside"},
	{"7z\xbc\xaf", "is an archive. Unpack it and drop the file inside"},
	{"SQLite format 3\x00", "is a database, not a table. Export the table as delimited text"},
	{"{\\rtf", "is a text document, not a table"},
	{"\x7fELF", "is a program, not a table"},
}

const page = "is a web page, whatever its name says. Open it in a spreadsheet program and save it as a workbook (.xlsx), or export delimited text"

// markups are how texts begin that are no tables.
var markups = []struct{ start, text string }{
	{"<html", page}, {"<!doctype html", page}, {"<table", page}, {"<head", page}, {"<meta", page},
	{"<?xml", "is XML, not a table. Export delimited text or a workbook (.xlsx)"},
	{
		`{"`,
		"is JSON, not a table. Export delimited text or a workbook (.xlsx)",
	}, {`[{`, "is JSON, not a table. Export delimited text or a workbook (.xlsx)"},
}

// HeadSize is how much of a file Sniff looks at.
const HeadSize = 64 << 10

// Sniff tells from a file's first bytes whether it can be a table at all; the *Error says what it is instead. It
// spares taking aside the rest of an upload that is none.
func Sniff(name string, head []byte) error {
	for _, s := range signatures {
		if bytes.HasPrefix(head, []byte(s.start)) {
			return &Error{File: name, Text: s.text}
		}
	}
	start := strings.ToLower(string(bytes.TrimLeft(bytes.TrimPrefix(head[:min(len(head), 512)], []byte("\xef\xbb\xbf")), " \t\r\n")))
	for _, s := range markups {
		if strings.HasPrefix(start, s.start) {
			return &Error{File: name, Text: s.text}
		}
	}
	if !bytes.HasPrefix(head, []byte("PK")) {
		if _, err := markOrZeros(head); err != nil {
			return &Error{File: name, Text: err.Error()}
		}
	}
	return nil
}

// Open finds out what a file is. It errs with *Error where the file is no table, empty, or of a form that is
// not read; the error says what to do.
func Open(name string, at io.ReaderAt, size int64, opt Options) (*File, error) {
	f := &File{Name: name, at: at, size: size}
	if size == 0 {
		return nil, &Error{File: name, Text: "is empty. There is nothing to read"}
	}
	head := make([]byte, min(size, HeadSize))
	n, err := at.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, &Error{File: name, Text: "could not be read: " + err.Error()}
	}
	head = head[:n]
	if err := Sniff(name, head); err != nil {
		return nil, err
	}
	if bytes.HasPrefix(head, []byte("PK\x03\x04")) || bytes.HasPrefix(head, []byte("PK\x05\x06")) {
		z, err := zip.NewReader(at, size)
		if err != nil {
			return nil, &Error{File: name, Text: "is a damaged workbook or archive (" + err.Error() + "). Save or export it again"}
		}
		f.Kind = Workbook
		if f.budget = opt.within; f.budget == nil {
			f.budget = budgetOf(size)
		}
		parts := &workbook{byName: byName(z)}
		switch {
		case parts.find("xl/workbook.xml") != nil, parts.find("xl/workbook.bin") != nil:
			var w *workbook
			if w, err = openWorkbook(z, size, f.budget); err == nil {
				f.book, f.Sheets, f.Hidden = w, w.names, w.hidden
			}
		case parts.find(contentPart) != nil:
			var d *openDocument
			if d, err = openOpenDocument(z, size, f.budget); err == nil {
				f.book, f.Sheets, f.Hidden = d, d.names, d.hidden
			}
		case parts.find("[Content_Types].xml") != nil, parts.find("mimetype") != nil:
			err = errors.New("is the document of another program, no workbook. Export the table as delimited text or as a workbook (.xlsx)")
		default:
			var a *archive
			f.Kind = Archive
			if a, err = openArchive(name, z, f.budget, opt); err == nil {
				if len(a.files) == 1 { // the one file is what was packed
					in := a.files[0]
					in.Name, in.budget = name+"/"+in.Name, f.budget
					return in, nil
				}
				f.book, f.Sheets, f.Hidden = a, a.names, a.hidden
			}
		}
		if err != nil {
			return nil, &Error{File: name, Text: err.Error()}
		}
		return f, nil
	}
	f.Kind, f.Sheets = Text, []string{""}
	if f.Dialect, err = detectDialect(at, size, head, opt); err != nil {
		return nil, &Error{File: name, Text: err.Error()}
	}
	return f, nil
}

// Rows reads the rows of a sheet (0 for delimited text) from the top. Close it after use.
func (f *File) Rows(sheet int) (*Rows, error) {
	if sheet < 0 || sheet >= len(f.Sheets) {
		return nil, &Error{File: f.Name, Text: fmt.Sprintf("has no sheet number %d", sheet+1)}
	}
	r := &Rows{file: f.Name, size: f.size, budget: f.budget, of: spentOn{f, sheet}, sheet: f.Sheets[sheet]}
	var err error
	if f.Kind != Text {
		r.src, err = f.book.rows(sheet)
	} else {
		r.src, err = f.textRows()
	}
	if err != nil {
		return nil, &Error{File: f.Name, Sheet: r.sheet, Text: err.Error()}
	}
	return r, nil
}

// Middle is a place near the middle of a large delimited text where a row seems to begin, for reading both halves at the
// same time; 0 where the text is shorter than least bytes, or is in an encoding that has to be turned first. Whether a
// row does begin there is known once the rows before it are read: then At gives the same place.
func (f *File) Middle(least int64) int64 {
	if f.Kind != Text || f.size < least || f.Dialect.Encoding != UTF8 && f.Dialect.Encoding != UTF8Mark {
		return 0
	}
	b := make([]byte, min(MaxRow, f.size/2))
	n, _ := f.at.ReadAt(b, f.size/2)
	if end := bytes.IndexByte(b[:n], '\n'); end >= 0 && f.size/2+int64(end)+1 < f.size {
		return f.size/2 + int64(end) + 1
	}
	return 0
}

// RowsFrom reads the rows of delimited text in UTF-8 from a place in it on; they are numbered from there.
func (f *File) RowsFrom(at int64) *Rows {
	return &Rows{file: f.Name, size: f.size - at, src: f.textFrom(at, 512<<10)}
}

// Until ends the rows of delimited text where one begins at the place or behind it; 0 lets them go on to the end.
func (r *Rows) Until(at int64) {
	if t, ok := r.src.(*textReader); ok {
		t.until = at
	}
	if r.err == io.EOF {
		r.err = nil
	}
}

// At is the place in delimited text where the next row begins, in bytes, and the number of the row before it.
func (r *Rows) At() (place int64, row int) {
	if t, ok := r.src.(*textReader); ok {
		row = t.row
	}
	return r.src.read(), row
}

// Rows walks over the rows of a sheet. Rows that hold nothing at all are passed over, but counted.
type Rows struct {
	file, sheet string
	size        int64
	src         rowSource
	err         error

	budget      *budget
	of          spentOn
	rows, cells int64
}

// CellKind is what a workbook says of a cell.
type CellKind uint8

// The kinds of cell. Delimited text knows only text.
const (
	TextCell CellKind = iota
	NumberCell
	DateCell
	FormulaCell // whose result the workbook does not hold; the cell is the formula itself
)

// Kinds gives the kind of each cell of the row that Next gave last; nil where all are text, as in delimited text.
func (r *Rows) Kinds() []CellKind { return r.src.kinds() }

// Hidden tells whether the row that Next gave last is hidden in the workbook.
func (r *Rows) Hidden() bool {
	s, ok := r.src.(hider)
	return ok && s.isHidden()
}

// HiddenColumns tells which columns are hidden in the workbook, once a row was read; it may be shorter than a row.
func (r *Rows) HiddenColumns() []bool {
	if s, ok := r.src.(hider); ok {
		return s.hiddenColumns()
	}
	return nil
}

// hider is a source of rows of which some may be hidden.
type hider interface {
	isHidden() bool
	hiddenColumns() []bool
}

type rowSource interface {
	// kinds gives the kinds of the cells that next gave last.
	kinds() []CellKind

	// next gives the number of the row and its cells, valid until the next call; io.EOF at the end.
	next() (row int, cells [][]byte, err error)
	// read tells how many bytes of the file were taken so far.
	read() int64
	close() error
}

// Next gives the next row: its number as a spreadsheet shows it, from 1, and its cells, which are valid until
// the next call. ok is false at the end or after an error, which Err gives.
func (r *Rows) Next() (row int, cells [][]byte, ok bool) {
	if r.err != nil {
		return 0, nil, false
	}
	row, cells, err := r.src.next()
	if err == nil && r.budget != nil {
		r.rows, r.cells = r.rows+1, r.cells+int64(len(cells))
		err = r.budget.spend(r.of, r.rows, r.cells)
	}
	if err != nil {
		if err != io.EOF {
			var e *Error
			if !errors.As(err, &e) {
				e = &Error{Row: row, Text: err.Error()}
			}
			e.File, e.Sheet = r.file, r.sheet
			r.err = e
		} else {
			r.err = io.EOF
		}
		return 0, nil, false
	}
	return row, cells, true
}

// Err is the *Error that ended the rows, nil at their proper end.
func (r *Rows) Err() error {
	if r.err == io.EOF {
		return nil
	}
	return r.err
}

// Progress is the part of the file that was read, from 0 to 1.
func (r *Rows) Progress() float64 { return float64(r.src.read()) / float64(max(r.size, 1)) }

// Close ends the reading.
func (r *Rows) Close() error { return r.src.close() }
