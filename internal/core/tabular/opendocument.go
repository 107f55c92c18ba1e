package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"wobin/internal/core/quantity"
)

// openDocument is an OpenDocument spreadsheet (OASIS Open Document Format 1.3, part 3), read as a stream of its content.
type openDocument struct {
	pack   *workbook // for its unpacking alone
	names  []string
	hidden []bool
}

const (
	tableSpace  = "urn:oasis:names:tc:opendocument:xmlns:table:1.0"
	officeSpace = "urn:oasis:names:tc:opendocument:xmlns:office:1.0"
	textSpace   = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"
	styleSpace  = "urn:oasis:names:tc:opendocument:xmlns:style:1.0"
)

const contentPart = "content.xml"

// What is passed over, at most, on the way to all tables of a document, which lie one behind the other.
const freePassed, passedTimes = 256 << 20, 300

// openOpenDocument lists the tables of a spreadsheet. It errs where the archive is a document of another sort.
func openOpenDocument(z *zip.Reader, packed int64, budget *budget) (*openDocument, error) {
	d := &openDocument{pack: &workbook{byName: byName(z), packed: packed, budget: budget}}
	r, err := d.pack.open(contentPart)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	unseen := map[string]bool{} // styles of tables that are not shown
	style, sheets := "", false
	x := xml.NewDecoder(r)
	for {
		t, err := x.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, damagedDocument(err)
		}
		e, ok := t.(xml.StartElement)
		if !ok {
			continue
		}
		switch e.Name {
		case xml.Name{Space: officeSpace, Local: "spreadsheet"}:
			sheets = true
		case xml.Name{Space: styleSpace, Local: "style"}:
			style = attr(e, styleSpace, "name")
		case xml.Name{Space: styleSpace, Local: "table-properties"}:
			unseen[style] = attr(e, tableSpace, "display") == "false"
		case xml.Name{Space: tableSpace, Local: "table"}:
			d.names = append(d.names, attr(e, tableSpace, "name"))
			d.hidden = append(d.hidden, unseen[attr(e, tableSpace, "style-name")])
		}
	}
	if size := x.InputOffset(); len(d.names) > MaxSheets || int64(len(d.names))*size > freePassed+packed*passedTimes {
		return nil, fmt.Errorf("has %d sheets, too many for a file of its size. Divide it, or save its tables as delimited text", len(d.names))
	}
	if !sheets || len(d.names) == 0 {
		return nil, errors.New("is an OpenDocument file without a table. Save its table as .ods, .xlsx or delimited text")
	}
	return d, nil
}

func damagedDocument(err error) error {
	var much *unpacksError
	if errors.As(err, &much) {
		return much
	}
	return fmt.Errorf("is a damaged OpenDocument file (%w). Save or export it again", err)
}

func attr(e xml.StartElement, space, name string) string {
	for _, a := range e.Attr {
		if a.Name.Space == space && a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// documentReader walks over the cells of one table.
type documentReader struct {
	body    io.ReadCloser
	x       *xml.Decoder
	packed  int64
	row     int
	again   int // how often the row in hand is still to come
	cells   [][]byte
	sorts   []CellKind
	unseen  bool
	columns []bool
}

func (d *openDocument) rows(sheet int) (rowSource, error) {
	body, err := d.pack.open(contentPart)
	if err != nil {
		return nil, err
	}
	rest, err := tableAt(body, sheet)
	if err != nil {
		body.Close()
		return nil, err
	}
	return &documentReader{body: body, x: xml.NewDecoder(rest), packed: d.pack.packed}, nil
}

// tableAt passes over the tables before one, without reading what is in them, and gives what follows: the beginning of the document,
// so that its names are known, and then that table.
func tableAt(content io.Reader, sheet int) (io.Reader, error) {
	x := newScanner(content)
	var root, prefix []byte
	for n := -1; ; {
		name, attrs, end, err := x.tag()
		if err == io.EOF {
			return nil, damagedDocument(io.ErrUnexpectedEOF)
		}
		if err != nil {
			return nil, err
		}
		if root == nil {
			root = bytes.Clone(x.raw)
			for rest := attrs; ; { // under which prefix it tells of tables
				at := bytes.Index(rest, []byte("xmlns:"))
				if at < 0 {
					return nil, errors.New("is an OpenDocument file whose tables are under no name of its own. Save it again as .ods")
				}
				named := at > 0 && bytes.IndexByte([]byte(" \t\r\n"), rest[at-1]) >= 0 // the names of spaces hold it, too
				rest = rest[at+len("xmlns:"):]
				if is := bytes.IndexByte(rest, '='); named && is > 0 && string(attribute(rest, string(rest[:is]))) == tableSpace {
					prefix = append(bytes.Clone(rest[:is]), ':')
					break
				}
			}
			continue
		}
		if !end && string(name) == "table" && bytes.Equal(x.prefix, prefix) {
			if n++; n == sheet {
				begin := "<" + string(root) + "><" + string(x.raw) + ">"
				return io.MultiReader(strings.NewReader(begin), x.r), nil
			}
		}
	}
}

func (r *documentReader) close() error          { return r.body.Close() }
func (r *documentReader) kinds() []CellKind     { return r.sorts }
func (r *documentReader) isHidden() bool        { return r.unseen }
func (r *documentReader) hiddenColumns() []bool { return r.columns }

// read guesses the packed bytes from the unpacked ones; it only feeds the progress.
func (r *documentReader) read() int64 { return min(r.x.InputOffset()/8, r.packed) }

// mostRepeated is how often a row with something in it may be repeated.
const mostRepeated = 1 << 20

func (r *documentReader) next() (int, [][]byte, error) {
	if r.again > 0 {
		r.again--
		r.row++
		return r.row, r.cells, nil
	}
	for {
		t, err := r.x.Token()
		if err != nil {
			if err == io.EOF {
				err = errors.New("the file breaks off")
			}
			return r.row + 1, nil, damagedDocument(err)
		}
		switch e := t.(type) {
		case xml.EndElement:
			if e.Name == (xml.Name{Space: tableSpace, Local: "table"}) {
				return 0, nil, io.EOF
			}
		case xml.StartElement:
			switch e.Name {
			case xml.Name{Space: tableSpace, Local: "table-column"}:
				for range repeated(e, "number-columns-repeated", MaxColumns-len(r.columns)) {
					r.columns = append(r.columns, unseen(e))
				}
			case xml.Name{Space: tableSpace, Local: "table-row"}:
				n := repeated(e, "number-rows-repeated", 1<<30)
				r.unseen = unseen(e)
				if err := r.readCells(); err != nil {
					return r.row + 1, nil, err
				}
				if len(r.cells) == 0 {
					r.row += n
					continue
				}
				if n > mostRepeated {
					return r.row + 1, nil, fmt.Errorf("a row with something in it is repeated %d times. Export the table as delimited text", n)
				}
				r.again = n - 1
				r.row++
				return r.row, r.cells, nil
			}
		}
	}
}

func repeated(e xml.StartElement, name string, most int) int {
	n, err := strconv.Atoi(attr(e, tableSpace, name))
	if err != nil || n < 1 {
		n = 1
	}
	return min(n, max(most, 0))
}

func unseen(e xml.StartElement) bool {
	v := attr(e, tableSpace, "visibility")
	return v == "collapse" || v == "filter"
}

// readCells reads the cells of the row in hand to its end.
func (r *documentReader) readCells() error {
	r.cells, r.sorts = nil, nil
	long := 0  // bytes of the row
	empty := 0 // cells with nothing in them, which count only where something follows
	for {
		t, err := r.x.Token()
		if err != nil {
			return damagedDocument(err)
		}
		switch e := t.(type) {
		case xml.EndElement:
			if e.Name == (xml.Name{Space: tableSpace, Local: "table-row"}) {
				return nil
			}
		case xml.StartElement:
			if e.Name.Space != tableSpace || e.Name.Local != "table-cell" && e.Name.Local != "covered-table-cell" {
				continue
			}
			text, err := r.text()
			if err != nil {
				return err
			}
			value, sort := cellOf(e, text)
			n := repeated(e, "number-columns-repeated", MaxColumns+1)
			if value == "" {
				empty += n
				continue
			}
			if len(value) > MaxCell {
				return fmt.Errorf("the cell in column %s is longer than %d bytes", ColumnName(len(r.cells)+empty), MaxCell)
			}
			if len(r.cells)+empty+n > MaxColumns {
				return fmt.Errorf("has more than %d columns", MaxColumns)
			}
			if long += n * len(value); long > MaxRow {
				return errLongRow
			}
			for ; empty > 0; empty-- {
				r.cells, r.sorts = append(r.cells, nil), append(r.sorts, TextCell)
			}
			cell := []byte(value) // which nobody writes into
			for range n {
				r.cells, r.sorts = append(r.cells, cell), append(r.sorts, sort)
			}
		}
	}
}

// text reads a cell to its end and gives its paragraphs; notes that hang on it are none of it.
func (r *documentReader) text() (string, error) {
	var b strings.Builder
	paragraphs := 0
	for depth := 1; depth > 0; {
		t, err := r.x.Token()
		if err != nil {
			return "", damagedDocument(err)
		}
		switch e := t.(type) {
		case xml.EndElement:
			depth--
		case xml.CharData:
			if paragraphs > 0 && depth > 1 {
				b.Write(e)
			}
		case xml.StartElement:
			if e.Name == (xml.Name{Space: officeSpace, Local: "annotation"}) {
				if err := r.x.Skip(); err != nil {
					return "", damagedDocument(err)
				}
				continue
			}
			depth++
			if e.Name.Space != textSpace {
				continue
			}
			switch e.Name.Local {
			case "p":
				if paragraphs++; paragraphs > 1 {
					b.WriteByte('\n')
				}
			case "s":
				n, err := strconv.Atoi(attr(e, textSpace, "c"))
				if err != nil || n < 1 {
					n = 1
				}
				b.WriteString(strings.Repeat(" ", min(n, MaxCell)))
			case "tab":
				b.WriteByte('\t')
			case "line-break":
				b.WriteByte('\n')
			}
		}
		if b.Len() > 2*MaxCell {
			return "", fmt.Errorf("a cell is longer than %d bytes", MaxCell)
		}
	}
	return b.String(), nil
}

// cellOf gives what a cell holds: numbers as they are stored, at 15 digits, but those that show zeros in front as that text; dates and
// times as they are written in all files.
func cellOf(e xml.StartElement, text string) (value string, sort CellKind) {
	switch attr(e, officeSpace, "value-type") {
	case "float", "currency", "percentage":
		n, ok := quantity.FromFloatText(attr(e, officeSpace, "value"))
		if !ok {
			return attr(e, officeSpace, "value"), TextCell
		}
		if len(text) > len(n) && strings.TrimLeft(text, "0") == n && text[0] == '0' {
			return text, TextCell
		}
		return n, NumberCell
	case "date":
		return strings.Replace(attr(e, officeSpace, "date-value"), "T", " ", 1), DateCell
	case "time":
		var h, m, s int
		if n, _ := fmt.Sscanf(attr(e, officeSpace, "time-value"), "PT%dH%dM%dS", &h, &m, &s); n == 3 {
			return fmt.Sprintf("%02d:%02d:%02d", h, m, s), DateCell
		}
		return text, TextCell
	case "boolean":
		return strings.ToUpper(attr(e, officeSpace, "boolean-value")), TextCell
	}
	if formula := attr(e, tableSpace, "formula"); text == "" && formula != "" && attr(e, officeSpace, "value-type") == "" {
		_, plain, _ := strings.Cut(formula, ":")
		return plain, FormulaCell
	}
	return text, TextCell
}
