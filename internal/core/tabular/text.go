package tabular

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// Encoding is how a text's characters stand in its bytes.
type Encoding string

// The encodings that are read.
const (
	UTF8        Encoding = "UTF-8"
	UTF8Mark    Encoding = "UTF-8 with mark"
	UTF16LE     Encoding = "UTF-16 little-endian"
	UTF16BE     Encoding = "UTF-16 big-endian"
	Windows1252 Encoding = "Windows-1252"
)

// further are encodings that nothing in a file tells; they are for the person to choose.
var further = map[Encoding]*charmap.Charmap{
	"Windows-1250": charmap.Windows1250, "Windows-1251": charmap.Windows1251, "Windows-1253": charmap.Windows1253,
	"Windows-1254": charmap.Windows1254,
	"ISO 8859-2":   charmap.ISO8859_2, "ISO 8859-15": charmap.ISO8859_15, "Code page 437": charmap.CodePage437,
	"Code page 850": charmap.CodePage850, "Macintosh": charmap.Macintosh,
}

// Encodings lists all encodings that are read, those that are found out first.
func Encodings() []Encoding {
	out := []Encoding{UTF8, UTF8Mark, UTF16LE, UTF16BE, Windows1252}
	return append(out, slices.Sorted(maps.Keys(further))...)
}

// Charmap gives the table of an encoding that nothing in a file tells; nil where there is none.
func Charmap(e Encoding) *charmap.Charmap { return further[e] }

// Dialect is what was found out about delimited text.
type Dialect struct {
	Encoding  Encoding
	Delimiter byte
}

// DelimiterName is the delimiter in words.
func (d Dialect) DelimiterName() string {
	switch d.Delimiter {
	case ',':
		return "comma"
	case ';':
		return "semicolon"
	case '\t':
		return "tab"
	case '|':
		return "bar"
	}
	return string(d.Delimiter)
}

func detectDialect(at io.ReaderAt, size int64, head []byte, opt Options) (d Dialect, err error) {
	d.Encoding = opt.Encoding
	if d.Encoding == "" {
		if d.Encoding, err = detectEncoding(at, size, head); err != nil {
			return d, err
		}
	}
	d.Delimiter = opt.Delimiter
	if d.Delimiter == 0 {
		sample := make([]byte, 64<<10)
		n, rerr := io.ReadFull(decoded(io.NewSectionReader(at, 0, size), d.Encoding), sample)
		if rerr != nil && !errors.Is(rerr, io.EOF) && !errors.Is(rerr, io.ErrUnexpectedEOF) {
			return d, rerr
		}
		d.Delimiter = detectDelimiter(sample[:n])
	}
	return d, nil
}

// markOrZeros finds the encoding that a mark, or the zero bytes of UTF-16, tell; "" where there are neither.
func markOrZeros(head []byte) (Encoding, error) {
	switch {
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		return UTF8Mark, nil
	case bytes.HasPrefix(head, []byte("\xff\xfe")):
		return UTF16LE, nil
	case bytes.HasPrefix(head, []byte("\xfe\xff")):
		return UTF16BE, nil
	}
	var even, odd int
	for i, c := range head {
		if c == 0 {
			if i%2 == 0 {
				even++
			} else {
				odd++
			}
		}
	}
	switch half := len(head) / 2; {
	case even+odd == 0:
	case odd > half*6/10 && even < half/10:
		return UTF16LE, nil
	case even > half*6/10 && odd < half/10:
		return UTF16BE, nil
	default:
		return "", errors.New(
			"is not a table: it holds zero bytes, as no text does. Export it again as delimited text or as a workbook (.xlsx)",
		)
	}
	return "", nil
}

func detectEncoding(at io.ReaderAt, size int64, head []byte) (Encoding, error) {
	if e, err := markOrZeros(head); e != "" || err != nil {
		return e, err
	}
	// The whole file decides: one letter in the last row may be the only one that is not ASCII.
	buf, carry := make([]byte, 256<<10), 0
	for off := int64(0); off < size; {
		n, err := at.ReadAt(buf[carry:], off)
		if n == 0 && err != nil {
			break
		}
		off += int64(n)
		part := buf[:carry+n]
		valid := part
		if off < size { // a character may be cut at the end of the part
			for k := 1; k <= 3 && k <= len(part); k++ {
				if c := part[len(part)-k]; c >= 0xc0 {
					valid = part[:len(part)-k]
					break
				} else if c < 0x80 {
					break
				}
			}
		}
		if !utf8.Valid(valid) {
			return Windows1252, nil
		}
		carry = copy(buf, part[len(valid):])
	}
	return UTF8, nil
}

func decoded(r io.Reader, e Encoding) io.Reader {
	switch e {
	case UTF16LE:
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(r)
	case UTF16BE:
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewDecoder().Reader(r)
	case Windows1252:
		return charmap.Windows1252.NewDecoder().Reader(r)
	case UTF8, "":
	case UTF8Mark:
		mark := make([]byte, 3)
		if n, _ := io.ReadFull(r, mark); n < 3 || mark[0] != 0xef {
			return io.MultiReader(bytes.NewReader(mark[:n]), r)
		}
	default:
		if c := further[e]; c != nil {
			return c.NewDecoder().Reader(r)
		}
	}
	return r
}

// detectDelimiter takes the sign that cuts the first rows into the same number of cells, more than one, most
// often; a comma where none does.
func detectDelimiter(sample []byte) byte {
	best, bestScore := byte(','), 0
	for _, d := range []byte{',', ';', '\t', '|'} {
		counts, rows := map[int]int{}, 0
		for rest := sample; len(rest) > 0 && rows < 40; rows++ {
			end, _, ok := recordEnd(rest, d)
			if !ok && rows > 0 {
				break // the last one may be cut
			}
			if n := cellCount(rest[:end], d); n > 1 {
				counts[n]++
			}
			rest = rest[end:]
			for len(rest) > 0 && (rest[0] == '\n' || rest[0] == '\r') {
				rest = rest[1:]
			}
		}
		for n, rows := range counts {
			if score := rows*1000 + min(n, 900); score > bestScore {
				best, bestScore = d, score
			}
		}
	}
	return best
}

// recordEnd finds where the first record of b ends (before its line end) and where the next begins. ok is
// false where b holds no whole record. Quotes count only where a cell begins with one.
func recordEnd(b []byte, delimiter byte) (end, next int, ok bool) {
	i := 0
	for i < len(b) {
		if b[i] == '"' { // a quoted cell
			i++
			for {
				j := bytes.IndexByte(b[i:], '"')
				if j < 0 {
					return len(b), len(b), false
				}
				i += j + 1
				if i < len(b) && b[i] == '"' {
					i++
					continue
				}
				break
			}
		}
		for ; i < len(b) && b[i] != delimiter; i++ {
			if b[i] == '\n' {
				return i, i + 1, true
			}
			if b[i] == '\r' {
				if i+1 == len(b) {
					return i, i + 1, false
				}
				if b[i+1] == '\n' {
					return i, i + 2, true
				}
				return i, i + 1, true
			}
		}
		i++ // past the delimiter
	}
	return len(b), len(b), false
}

func cellCount(record []byte, delimiter byte) int {
	n, quoted := 1, false
	for _, c := range record {
		if c == '"' {
			quoted = !quoted
		} else if c == delimiter && !quoted {
			n++
		}
	}
	return n
}

// textReader reads delimited text in large pieces and cuts it without copying where no quotes stand.
type textReader struct {
	r         io.Reader
	count     *counting
	delimiter byte
	buf       []byte
	from, to  int
	eof       bool
	until     int64 // where the last row ends, 0 at the end of the text
	row       int
	cells     [][]byte
	spare     []byte
}

type counting struct {
	r io.Reader
	n int64
}

func (c *counting) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

func (f *File) textRows() (rowSource, error) {
	t := f.textFrom(0, 512<<10)
	t.r = decoded(t.count, f.Dialect.Encoding)
	return t, nil
}

// textFrom reads text in UTF-8 from a place on, where a row begins.
func (f *File) textFrom(at int64, buffer int) *textReader {
	c := &counting{r: io.NewSectionReader(f.at, at, f.size-at)}
	return &textReader{r: c, count: c, delimiter: f.Dialect.Delimiter, buf: make([]byte, buffer)}
}

// read leaves out what is in the buffer still.
func (t *textReader) read() int64 { return max(t.count.n-int64(t.to-t.from), 0) }

func (t *textReader) close() error { return nil }

func (t *textReader) kinds() []CellKind { return nil }

// fill reads more; it moves what is left to the front, and grows the buffer up to the longest row.
func (t *textReader) fill() error {
	if t.from > 0 {
		t.to = copy(t.buf, t.buf[t.from:t.to])
		t.from = 0
	}
	if t.to == len(t.buf) {
		if len(t.buf) > MaxRow {
			return fmt.Errorf("a row is longer than %d bytes. Is a quotation mark left open in it, or is this no table?", MaxRow)
		}
		t.buf = append(t.buf, make([]byte, len(t.buf))...)
	}
	n, err := t.r.Read(t.buf[t.to:])
	t.to += n
	if err == io.EOF {
		t.eof, err = true, nil
	}
	return err
}

func (t *textReader) next() (int, [][]byte, error) {
	for {
		if t.until > 0 && t.read() >= t.until {
			return 0, nil, io.EOF
		}
		b := t.buf[t.from:t.to]
		nl := bytes.IndexByte(b, '\n')
		if nl < 0 && !t.eof {
			if err := t.fill(); err != nil {
				return t.row + 1, nil, err
			}
			continue
		}
		if nl < 0 && len(b) == 0 {
			return 0, nil, io.EOF
		}
		line, next := b, len(b)
		if nl >= 0 {
			line, next = b[:nl], nl+1
		}
		// The plain case, by far the most frequent: no quotes, no lone carriage return.
		if bytes.IndexByte(line, '"') < 0 {
			if cr := bytes.IndexByte(line, '\r'); cr >= 0 {
				if cr < len(line)-1 {
					line, next = line[:cr], cr+1
				} else {
					line = line[:cr]
				}
			}
			t.from += next
			t.row++
			if len(line) == 0 {
				continue
			}
			if err := t.cut(line); err != nil {
				return t.row, nil, err
			}
			return t.row, t.cells, nil
		}
		end, next, ok := recordEnd(b, t.delimiter)
		if !ok && !t.eof {
			if err := t.fill(); err != nil {
				return t.row + 1, nil, err
			}
			continue
		}
		t.row++
		if !ok && end == len(b) && openQuote(b, t.delimiter) {
			return t.row, nil, errors.New(
				"a quotation mark is opened in this row and never closed. Close it, or double the quotation marks inside the text",
			)
		}
		t.from += next
		if err := t.cutQuoted(b[:end]); err != nil {
			return t.row, nil, err
		}
		return t.row, t.cells, nil
	}
}

func openQuote(b []byte, delimiter byte) bool {
	i := 0
	for i < len(b) {
		if b[i] == '"' {
			i++
			for {
				j := bytes.IndexByte(b[i:], '"')
				if j < 0 {
					return true
				}
				i += j + 1
				if i < len(b) && b[i] == '"' {
					i++
					continue
				}
				break
			}
		}
		j := bytes.IndexByte(b[i:], delimiter)
		if j < 0 {
			return false
		}
		i += j + 1
	}
	return false
}

func (t *textReader) cut(line []byte) error {
	t.cells = t.cells[:0]
	start := 0
	for i, c := range line {
		if c == t.delimiter {
			t.cells = append(t.cells, line[start:i])
			start = i + 1
		}
	}
	t.cells = append(t.cells, line[start:])
	return t.bounds(len(line))
}

func (t *textReader) bounds(length int) error {
	if len(t.cells) > MaxColumns {
		return fmt.Errorf("has %d columns; at most %d are read. Is the delimiter right?", len(t.cells), MaxColumns)
	}
	if length > MaxCell {
		for i, c := range t.cells {
			if len(c) > MaxCell {
				return fmt.Errorf("the cell in column %s is longer than %d bytes", ColumnName(i), MaxCell)
			}
		}
	}
	return nil
}

func (t *textReader) cutQuoted(record []byte) error {
	t.cells = t.cells[:0]
	if cap(t.spare) < len(record) {
		t.spare = make([]byte, 0, len(record)*2)
	}
	out := t.spare[:0]
	i := 0
	for {
		start := len(out)
		if i < len(record) && record[i] == '"' {
			i++
			for i < len(record) {
				if record[i] == '"' {
					if i+1 < len(record) && record[i+1] == '"' {
						out = append(out, '"')
						i += 2
						continue
					}
					i++
					break
				}
				out = append(out, record[i])
				i++
			}
		}
		for i < len(record) && record[i] != t.delimiter {
			out = append(out, record[i])
			i++
		}
		t.cells = append(t.cells, out[start:len(out):len(out)])
		if i >= len(record) {
			break
		}
		i++
	}
	return t.bounds(len(record))
}

// ColumnAt is the position of a column by its letter, from 0; -1 where it is none.
func ColumnAt(letter string) int {
	n := 0
	for _, r := range letter {
		if r < 'A' || r > 'Z' || n > MaxColumns {
			return -1
		}
		n = n*26 + int(r-'A') + 1
	}
	return n - 1
}

// ColumnName is the letter name of a column, from 0: A, B, … Z, AA.
func ColumnName(i int) string {
	s := ""
	for i++; i > 0; i = (i - 1) / 26 {
		s = string(rune('A'+(i-1)%26)) + s
	}
	return s
}
