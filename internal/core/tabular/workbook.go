package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/quantity"
)

// workbook is an Office Open XML workbook (ECMA-376, part 1), read as a stream: only the shared texts are held.
// The reading is our own because cells must keep their kind (a date is not the number it is stored as) and
// their true position, and because what unpacks without end must stop early.
type workbook struct {
	names  []string
	parts  []string
	hidden []bool
	shared []string
	forms  []cellForm // by cell format
	epoch  time.Time
	packed int64
	budget *budget
	byName map[string]*zip.File
}

// errLongRow is that a row is longer than MaxRow.
var errLongRow = fmt.Errorf("a row is longer than %d bytes", MaxRow)

// errLongCell is that a cell is longer than MaxCell.
var errLongCell = errors.New("a cell is too long")

func openWorkbook(z *zip.Reader, packed int64, budget *budget) (*workbook, error) {
	w := &workbook{packed: packed, budget: budget, byName: byName(z), epoch: time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)}
	var doc struct {
		Pr struct {
			Date1904 string `xml:"date1904,attr"`
		} `xml:"workbookPr"`
		Sheets []struct {
			Name  string `xml:"name,attr"`
			State string `xml:"state,attr"`
			ID    string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
			ID2   string `xml:"http://purl.oclc.org/ooxml/officeDocument/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	if w.find("xl/workbook.xml") == nil {
		if w.find("xl/workbook.bin") != nil {
			return nil, errors.New("is a binary workbook (.xlsb). Save it as .xlsx or as delimited text")
		}
		return nil, errors.New("is no workbook")
	}
	if err := w.decode("xl/workbook.xml", &doc); err != nil {
		return nil, err
	}
	if doc.Pr.Date1904 == "1" || doc.Pr.Date1904 == "true" {
		w.epoch = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	var rels struct {
		Rel []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
			Type   string `xml:"Type,attr"`
		} `xml:"Relationship"`
	}
	if err := w.decode("xl/_rels/workbook.xml.rels", &rels); err != nil {
		return nil, err
	}
	target := map[string]string{}
	sharedPart, stylePart := "", ""
	for _, r := range rels.Rel {
		p := path.Join("xl", r.Target)
		if strings.HasPrefix(r.Target, "/") {
			p = r.Target[1:]
		}
		switch {
		case strings.HasSuffix(r.Type, "/worksheet"):
			target[r.ID] = p
		case strings.HasSuffix(r.Type, "/sharedStrings"):
			sharedPart = p
		case strings.HasSuffix(r.Type, "/styles"):
			stylePart = p
		}
	}
	taken := map[string]bool{}
	for _, s := range doc.Sheets {
		if p := target[s.ID+s.ID2]; p != "" && w.find(p) != nil {
			if taken[strings.ToLower(p)] {
				return nil, fmt.Errorf("is a damaged workbook: two of its sheets are one part of it (%s). Save or export it again", p)
			}
			taken[strings.ToLower(p)] = true
			w.names, w.parts = append(w.names, s.Name), append(w.parts, p)
			w.hidden = append(w.hidden, s.State == "hidden" || s.State == "veryHidden")
		}
	}
	if len(w.names) > MaxSheets {
		return nil, fmt.Errorf("has %d sheets, and %d are the most that a workbook may have. Divide it", len(w.names), MaxSheets)
	}
	if len(w.names) == 0 {
		return nil, errors.New("is a workbook without a sheet. Export it again")
	}
	if err := w.readStyles(stylePart); err != nil {
		return nil, err
	}
	return w, w.readShared(sharedPart)
}

func (w *workbook) find(name string) *zip.File {
	return w.byName[strings.ToLower(name)]
}

// byName gives the parts of a workbook by their names in small letters, the first of each.
func byName(z *zip.Reader) map[string]*zip.File {
	out := make(map[string]*zip.File, len(z.File))
	for _, f := range z.File {
		name := strings.ToLower(f.Name)
		if _, twice := out[name]; !twice {
			out[name] = f
		}
	}
	return out
}

// open unpacks a part, refusing one that grows out of all proportion.
func (w *workbook) open(name string) (io.ReadCloser, error) {
	f := w.find(name)
	if f == nil {
		return nil, fmt.Errorf("is a damaged workbook: it lacks its part %s", name)
	}
	if f.UncompressedSize64 > uint64(w.budget.bytes) {
		return nil, w.budget.unpacks()
	}
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("is a damaged workbook: %w", err)
	}
	return &bounded{r, w.budget.bytes, w.budget}, nil
}

type bounded struct {
	io.ReadCloser
	left   int64
	budget *budget
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, b.budget.unpacks()
	}
	if int64(len(p)) > b.left {
		p = p[:b.left]
	}
	n, err := b.ReadCloser.Read(p)
	b.left -= int64(n)
	return n, err
}

func (w *workbook) decode(name string, into any) error {
	r, err := w.open(name)
	if err != nil {
		return err
	}
	defer r.Close()
	if err := xml.NewDecoder(io.LimitReader(r, 64<<20)).Decode(into); err != nil {
		return fmt.Errorf("is a damaged workbook: %s: %w", name, err)
	}
	return nil
}

// cellForm is what matters of the number format of a cell: whether it shows a date, with the time of day or without, and how many
// digits it shows at least, where it shows digits alone.
type cellForm struct {
	date, clock bool
	digits      int
}

// builtIn are the number formats that a workbook does not spell out (ECMA-376, part 1, 18.8.30).
func builtIn(id int) cellForm {
	return cellForm{
		date:  id >= 14 && id <= 22 || id >= 27 && id <= 36 || id >= 45 && id <= 47 || id >= 50 && id <= 58,
		clock: id >= 18 && id <= 22 || id >= 45 && id <= 47,
	}
}

// formOf reads a number format.
func formOf(code string) (f cellForm) {
	if f.date, f.clock = isDateFormat(code); !f.date && len(code) > 1 && strings.Trim(code, "0") == "" {
		f.digits = len(code)
	}
	return f
}

// mostFormat is how much of a number format is looked at. Spreadsheet programs take 255 characters at most.
const mostFormat = 1000

func (w *workbook) readStyles(part string) error {
	if part == "" || w.find(part) == nil {
		return nil
	}
	var doc struct {
		Formats []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Cells []struct {
			ID int `xml:"numFmtId,attr"`
		} `xml:"cellXfs>xf"`
	}
	if err := w.decode(part, &doc); err != nil {
		return err
	}
	custom := map[int]cellForm{}
	for _, f := range doc.Formats {
		custom[f.ID] = formOf(f.Code[:min(len(f.Code), mostFormat)])
	}
	for _, c := range doc.Cells {
		f, known := custom[c.ID]
		if !known {
			f = builtIn(c.ID)
		}
		w.forms = append(w.forms, f)
	}
	return nil
}

// form gives the form of a cell by the number of its format.
func (w *workbook) form(style int) cellForm {
	if style < 0 || style >= len(w.forms) {
		return cellForm{}
	}
	return w.forms[style]
}

// isDateFormat tells whether a number format shows a date or time, and whether hours or seconds are among it: one of their letters
// outside of quotes, brackets and escapes.
func isDateFormat(f string) (date, clock bool) {
	for i := 0; i < len(f); i++ {
		switch c := f[i]; c {
		case '\\', '_', '*':
			i++
		case '"':
			if j := strings.IndexByte(f[i+1:], '"'); j >= 0 {
				i += j + 1
			}
		case '[':
			if j := strings.IndexByte(f[i:], ']'); j >= 0 {
				switch strings.ToLower(f[i+1 : i+j]) {
				case "h", "hh", "m", "mm", "s", "ss":
					return true, true
				}
				i += j
			}
		case 'h', 'H', 's', 'S':
			date, clock = true, true
		case 'd', 'D', 'm', 'M', 'y', 'Y':
			date = true
		}
	}
	return date, clock
}

func (w *workbook) readShared(part string) error {
	if part == "" || w.find(part) == nil {
		return nil
	}
	r, err := w.open(part)
	if err != nil {
		return err
	}
	defer r.Close()
	x := newScanner(r)
	var text []byte
	total, take, phonetic := 0, false, false
	for {
		name, _, end, err := x.tag()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		switch string(name) {
		case "si":
			if end {
				if total += len(text) + 16; int64(total) > w.budget.bytes || int64(len(w.shared)) >= w.budget.cells {
					return w.budget.unpacks()
				}
				w.shared, text = append(w.shared, unescaped(string(text))), text[:0]
			}
		case "rPh":
			phonetic = !end
		case "t":
			take = !end && !phonetic
			if take {
				if text, err = x.text(text); err != nil {
					return err
				}
				if len(text) > 2*MaxCell { // what is over the limit of a cell is refused where it stands in one
					text = text[:2*MaxCell]
				}
			}
		}
	}
}

// sheetReader walks over the cells of one sheet.
type sheetReader struct {
	book  *workbook
	body  io.ReadCloser
	x     *scanner
	row   int
	cells [][]byte
	arena []byte
	spans []span
	sorts []CellKind

	lent int64 // bytes of shared texts that were given so far

	hidden  bool // the row in hand
	columns []bool
	told    int // how often something was said of columns
}

type span struct {
	column, from, to int
	kind             CellKind
}

func (w *workbook) rows(sheet int) (rowSource, error) {
	body, err := w.open(w.parts[sheet])
	if err != nil {
		return nil, err
	}
	return &sheetReader{book: w, body: body, x: newScanner(body)}, nil
}

func (s *sheetReader) isHidden() bool        { return s.hidden }
func (s *sheetReader) hiddenColumns() []bool { return s.columns }

func (s *sheetReader) close() error { return s.body.Close() }

func (s *sheetReader) kinds() []CellKind { return s.sorts }

// read guesses the packed bytes from the unpacked ones; it only feeds the progress.
func (s *sheetReader) read() int64 { return min(s.x.taken/8, s.book.packed) }

func (s *sheetReader) next() (int, [][]byte, error) {
	for {
		name, attrs, end, err := s.x.tag()
		if err != nil {
			return s.row + 1, nil, err
		}
		if !end && string(name) == "col" {
			s.hide(attrs)
		}
		if end || string(name) != "row" {
			continue
		}
		s.row++
		s.hidden = truth(attribute(attrs, "hidden"))
		if v := attribute(attrs, "r"); v != nil {
			if n, err := strconv.Atoi(string(v)); err == nil && n >= s.row {
				s.row = n
			}
		}
		if attrs != nil && bytes.HasSuffix(attrs, []byte("/")) {
			continue
		}
		if err := s.readCells(); err != nil {
			return s.row, nil, err
		}
		if len(s.cells) > 0 {
			return s.row, s.cells, nil
		}
	}
}

// hide notes columns that are hidden.
func (s *sheetReader) hide(attrs []byte) {
	if s.told++; s.told > MaxColumns || !truth(attribute(attrs, "hidden")) { // each stands for one column at least
		return
	}
	from, _ := strconv.Atoi(string(attribute(attrs, "min")))
	to, _ := strconv.Atoi(string(attribute(attrs, "max")))
	for n := max(from, 1); n <= min(to, MaxColumns); n++ {
		for len(s.columns) < n {
			s.columns = append(s.columns, false)
		}
		s.columns[n-1] = true
	}
}

func truth(b []byte) bool { return string(b) == "1" || string(b) == "true" }

func (s *sheetReader) readCells() error {
	s.arena, s.spans = s.arena[:0], s.spans[:0]
	column := -1
	for {
		name, attrs, end, err := s.x.tag()
		if err == io.EOF {
			return errors.New("the workbook breaks off in this row. Save or export it again")
		}
		if err != nil {
			return err
		}
		if end && string(name) == "row" {
			break
		}
		if end || string(name) != "c" {
			continue
		}
		column++
		if ref := attribute(attrs, "r"); ref != nil {
			if n := columnOf(ref); n >= column {
				column = n
			}
		}
		if column >= MaxColumns {
			return fmt.Errorf("has more than %d columns", MaxColumns)
		}
		if bytes.HasSuffix(attrs, []byte("/")) {
			continue
		}
		kind := string(attribute(attrs, "t"))
		style, _ := strconv.Atoi(string(attribute(attrs, "s")))
		from := len(s.arena)
		open, err := s.readValue(kind, style)
		if err == errLongCell || err == nil && len(s.arena)-from > MaxCell {
			return fmt.Errorf("the cell in column %s is longer than %d bytes", ColumnName(column), MaxCell)
		}
		if err != nil {
			return err
		}
		if len(s.arena) > MaxRow {
			return errLongRow
		}
		sort := TextCell
		if open {
			sort = FormulaCell
		} else if kind == "" || kind == "n" {
			switch form := s.book.form(style); {
			case form.date:
				sort = DateCell
			case form.digits == 0:
				sort = NumberCell
			}
		}
		if len(s.arena) > from {
			s.spans = append(s.spans, span{column, from, len(s.arena), sort})
		}
	}
	s.cells, s.sorts = s.cells[:0], s.sorts[:0]
	for _, sp := range s.spans {
		for len(s.cells) < sp.column {
			s.cells, s.sorts = append(s.cells, nil), append(s.sorts, TextCell)
		}
		s.cells, s.sorts = append(s.cells, s.arena[sp.from:sp.to:sp.to]), append(s.sorts, sp.kind)
	}
	return nil
}

// readValue reads up to the end of the cell and appends its text to the arena. open is true for a formula whose result
// the workbook does not hold; the formula itself is given then.
func (s *sheetReader) readValue(kind string, style int) (open bool, err error) {
	start := len(s.arena)
	var formula []byte
	for {
		name, attrs, end, err := s.x.tag()
		if err == io.EOF {
			return false, errors.New("the workbook breaks off in this row. Save or export it again")
		}
		if err != nil {
			return false, err
		}
		if end && string(name) == "c" {
			if len(s.arena) == start && len(formula) > 0 {
				s.arena = append(append(s.arena, '='), formula...)
				return true, nil
			}
			return false, nil
		}
		if len(s.arena)-start > MaxCell {
			return false, errLongCell // before the rest of it is read
		}
		if end || bytes.HasSuffix(attrs, []byte("/")) {
			continue
		}
		switch string(name) {
		case "v":
			formula = nil
			from := len(s.arena)
			if s.arena, err = s.x.text(s.arena); err != nil {
				return false, err
			}
			v := string(s.arena[from:])
			text := s.book.shown(v, kind, style)
			if kind == "s" { // a text that is kept once may stand in every cell
				if s.lent += int64(len(text)); s.lent > s.book.budget.bytes {
					return false, s.book.budget.unpacks()
				}
			}
			s.arena = append(s.arena[:from], text...)
		case "t": // inline text
			from := len(s.arena)
			if s.arena, err = s.x.text(s.arena); err != nil {
				return false, err
			}
			if bytes.Contains(s.arena[from:], []byte("_x")) {
				s.arena = append(s.arena[:from], unescaped(string(s.arena[from:]))...)
			}
		case "f":
			if formula, err = s.x.text(formula[:0]); err != nil {
				return false, err
			}
		}
	}
}

// shown gives the text of a stored value: shared texts by their number, dates as dates, numbers at 15 digits.
func (w *workbook) shown(v, kind string, style int) string {
	switch kind {
	case "s":
		n, err := strconv.Atoi(v)
		if err != nil || n < 0 || n >= len(w.shared) {
			return "#REF!"
		}
		return w.shared[n]
	case "str", "inlineStr":
		return unescaped(v)
	case "e", "d":
		return v
	case "b":
		if v == "1" {
			return "TRUE"
		}
		return "FALSE"
	}
	form := w.form(style)
	if form.date {
		if f, err := strconv.ParseFloat(v, 64); err == nil && f >= 0 && f < 2_958_466 {
			t := time.Unix(w.epoch.Unix()+int64(f*86_400+0.5), 0).UTC() // a Duration holds only 292 years
			if f < 1 {                                                  // a time of day without a date
				return t.Format("15:04:05")
			}
			if t.Hour() == 0 && t.Minute() == 0 && t.Second() == 0 && !form.clock {
				return t.Format("2006-01-02")
			}
			return t.Format("2006-01-02 15:04:05")
		}
	}
	text, ok := quantity.FromFloatText(v)
	if !ok {
		return v
	}
	if n := form.digits - len(text); n > 0 && !strings.ContainsAny(text, ".-") { // it is that text for whoever looks at it
		return strings.Repeat("0", n) + text
	}
	return text
}

var escape = regexp.MustCompile(`_x[0-9A-Fa-f]{4}_`)

// unescaped gives a text with its escaped signs (ECMA-376, part 1, 22.9.2.19).
func unescaped(s string) string {
	if !strings.Contains(s, "_x") {
		return s
	}
	return escape.ReplaceAllStringFunc(s, func(e string) string {
		n, err := strconv.ParseUint(e[2:6], 16, 16)
		if err != nil || n >= 0xd800 && n < 0xe000 {
			return e
		}
		return string(rune(n))
	})
}

func columnOf(ref []byte) int {
	n := 0
	for _, c := range ref {
		if c < 'A' || c > 'Z' || n > 1<<20 {
			break
		}
		n = n*26 + int(c-'A') + 1
	}
	return n - 1
}
