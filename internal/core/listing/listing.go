// Package listing writes a list as a file for people: the columns that are in sight, in their order, behind the key that brings its rows
// back in. Codes are text, so that no program changes them; what a spreadsheet program would run as a formula is marked as text, and
// reading a table takes the mark off again. Headers are those of the catalogue of fields, so that the file is known when it comes back.
package listing

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf16"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Column is a column of a list. Key is what it is called by; Number tells that its cells are plain decimals, all others are text.
type Column struct {
	Key, Header string
	Number      bool
	// Always: it is part of the key of the row, without which the row could not be found again, so it is in every file.
	Always bool
}

// Chosen gives the places of the columns that a file has: those that are always there, unless they are wanted elsewhere, then those that
// are wanted, in their order. Nothing wanted: all. What is wanted and is no column of the list is passed over, for a screen has columns
// that are no part of a file.
func Chosen(all []Column, wanted []string) (out []int) {
	if len(wanted) == 0 {
		for i := range all {
			out = append(out, i)
		}
		return out
	}
	for i := range all {
		if all[i].Always && !slices.Contains(wanted, all[i].Key) {
			out = append(out, i)
		}
	}
	for _, key := range wanted {
		for i := range all { // a column of a screen may be several of a file
			if all[i].Key == key && !slices.Contains(out, i) {
				out = append(out, i)
			}
		}
	}
	return out
}

// Form is the form of a file.
type Form string

// The forms of files.
const (
	Text Form = "csv"
	Book Form = "xlsx"
)

// Writer takes the rows of a list one by one. What was taken is whole when Close gave no error; Drop lets go of a file that is not to be.
type Writer interface {
	Row(cells []string) error
	Close() error
	Drop()
}

// New begins a file of a form and writes its header. name is that of the sheet of a workbook.
func New(w io.Writer, form Form, name string, columns []Column) (Writer, error) {
	if form == Book {
		return newBook(w, name, columns)
	}
	t := &text{w: bufio.NewWriterSize(w, 64<<10)}
	header := make([]string, len(columns))
	for i, c := range columns {
		header[i] = c.Header
	}
	return t, t.Row(header)
}

// text is delimited text: commas, UTF-8, RFC 4180.
type text struct {
	w    *bufio.Writer
	line []byte
	safe []string
}

func (t *text) Row(cells []string) error {
	t.safe = t.safe[:0]
	for _, c := range cells {
		t.safe = append(t.safe, tabular.Safe(c))
	}
	t.line = tabular.AppendRow(t.line[:0], ',', t.safe...)
	_, err := t.w.Write(t.line)
	return err
}

func (t *text) Close() error { return t.w.Flush() }

func (t *text) Drop() {}

// mostRows is how many rows a sheet of a workbook has at most (ECMA-376); what is beyond goes onto a further sheet.
var mostRows = 1 << 20

// book is a workbook, written as a stream: what is large waits in a file of the system, not in memory.
type book struct {
	to      io.Writer
	f       *excelize.File
	s       *excelize.StreamWriter
	name    string
	columns []Column
	asText  int
	sheets  int
	row     int
	cells   []any
}

func newBook(w io.Writer, name string, columns []Column) (*book, error) {
	b := &book{to: w, f: excelize.NewFile(), name: sheetName(name), columns: columns}
	var err error
	if b.asText, err = b.f.NewStyle(&excelize.Style{NumFmt: 49}); err == nil {
		err = b.sheet()
	}
	if err != nil {
		b.f.Close()
	}
	return b, err
}

// sheetName is a name that a sheet may have.
func sheetName(name string) string {
	name = strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\'`, r) {
			return '-'
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 24 {
		name = string(r[:24])
	}
	return name
}

// sheet begins a sheet with the header.
func (b *book) sheet() (err error) {
	name := b.name
	if b.sheets++; b.sheets > 1 {
		if err := b.s.Flush(); err != nil {
			return err
		}
		name = fmt.Sprintf("%s (%d)", b.name, b.sheets)
		if _, err := b.f.NewSheet(name); err != nil {
			return err
		}
	} else if err := b.f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	if b.s, err = b.f.NewStreamWriter(name); err != nil {
		return err
	}
	if err := b.s.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	b.row, b.cells = 1, b.cells[:0]
	for _, c := range b.columns {
		b.cells = append(b.cells, excelize.Cell{StyleID: b.asText, Value: c.Header})
	}
	return b.s.SetRow("A1", b.cells)
}

func (b *book) Row(cells []string) error {
	if b.row == mostRows {
		if err := b.sheet(); err != nil {
			return err
		}
	}
	b.row++
	b.cells = b.cells[:0]
	for i, c := range cells {
		if strings.HasPrefix(c, "'") { // reading takes one off
			c = tabular.Safe(c)
		}
		switch {
		case c == "":
			b.cells = append(b.cells, nil)
		case len(utf16.Encode([]rune(c))) > excelize.TotalCellChars: // it would be cut
			return fmt.Errorf("a text in the column %s is longer than a cell of a workbook can be. Take the list out as text", b.columns[i].Header)
		case b.columns[i].Number && quantity.KeptByWorkbook(c):
			b.cells = append(b.cells, quantity.ForWorkbook(c))
		default:
			b.cells = append(b.cells, excelize.Cell{StyleID: b.asText, Value: c})
		}
	}
	return b.s.SetRow(fmt.Sprintf("A%d", b.row), b.cells)
}

func (b *book) Drop() { b.f.Close() }

func (b *book) Close() error {
	defer b.f.Close()
	if err := b.s.Flush(); err != nil {
		return err
	}
	return b.f.Write(b.to)
}
