package outfile

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/quantity"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"wobin/internal/core/tabular"
)

// text writes a group as delimited text. What cannot be written so goes to the problems.
func (l *Layout) text(g *group, w *Written) ([]byte, error) {
	end := "\n"
	if l.LineEnd == "crlf" {
		end = "\r\n"
	}
	var b []byte
	line := func(pos int, cells []string, headers bool) {
		for n, t := range cells {
			if n > 0 {
				b = append(b, l.delimiter())
			}
			header := ""
			if !headers && n < len(l.Columns) {
				header = l.Columns[n].Header
			}
			b = l.quoted(b, t, pos, header, w)
		}
		b = append(b, end...)
	}
	for _, t := range l.Titles {
		line(-1, []string{t}, true)
	}
	if !l.NoHeader {
		cells := make([]string, len(l.Columns))
		for n := range l.Columns {
			cells[n] = l.Columns[n].Header
		}
		line(-1, cells, true)
	}
	cells := make([]string, len(l.Columns))
	for _, r := range g.rows {
		for n := range r.cells {
			cells[n] = r.cells[n].text
		}
		line(r.pos, cells, false)
	}
	if l.OpenEnd {
		b = bytes.TrimSuffix(b, []byte(end))
	}
	return l.encoded(b, g, w)
}

// quoted appends a cell as the layout quotes.
func (l *Layout) quoted(b []byte, t string, pos int, header string, w *Written) []byte {
	switch l.quotes() {
	case "never":
		if strings.IndexByte(t, l.delimiter()) >= 0 || strings.ContainsAny(t, "\r\n") {
			w.Problems = append(w.Problems, Problem{pos, header, "needs quotes",
				fmt.Sprintf("%q holds the sign between cells, and nothing stands in quotes. Let cells be quoted where needed, or take another sign", t)})
		}
		return append(b, t...)
	case "always":
		return append(append(append(b, '"'), strings.ReplaceAll(t, `"`, `""`)...), '"')
	}
	return tabular.AppendCell(b, t, l.delimiter())
}

// encoder is how letters stand in bytes.
func (l *Layout) encoder() encoding.Encoding {
	mark := unicode.IgnoreBOM
	if l.Mark {
		mark = unicode.UseBOM
	}
	switch e := tabular.Encoding(l.Encoding); e {
	case "", tabular.UTF8, tabular.UTF8Mark:
		return nil
	case tabular.UTF16LE:
		return unicode.UTF16(unicode.LittleEndian, mark)
	case tabular.UTF16BE:
		return unicode.UTF16(unicode.BigEndian, mark)
	case tabular.Windows1252:
		return charmap.Windows1252
	default:
		return tabular.Charmap(e)
	}
}

// encoded gives the bytes of a text. A letter that the encoding does not have is a problem of its line.
func (l *Layout) encoded(b []byte, g *group, w *Written) ([]byte, error) {
	enc := l.encoder()
	if enc == nil {
		if l.Mark || tabular.Encoding(l.Encoding) == tabular.UTF8Mark {
			b = append([]byte("\xef\xbb\xbf"), b...)
		}
		return b, nil
	}
	out, err := enc.NewEncoder().Bytes(b)
	if err == nil {
		return out, nil
	}
	told := false
	for _, r := range g.rows {
		for n := range r.cells {
			if _, err := enc.NewEncoder().String(r.cells[n].text); err != nil {
				told = true
				w.Problems = append(w.Problems, Problem{r.pos, l.Columns[n].Header, "letters",
					fmt.Sprintf("%q has letters that %s does not have. Write the file in UTF-8, or change them in the reference", r.cells[n].text, l.Encoding)})
			}
		}
	}
	if !told {
		w.Problems = append(w.Problems, Problem{-1, "", "letters", fmt.Sprintf("a title or header has letters that %s does not have", l.Encoding)})
	}
	return nil, nil
}

// workbook writes a group as a workbook: codes as text, so that no program changes them.
func (l *Layout) workbook(g *group) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	sheet := l.Sheet
	if sheet == "" {
		sheet = "Adjustments"
	}
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return nil, err
	}
	asText, err := f.NewStyle(&excelize.Style{NumFmt: 49})
	if err != nil {
		return nil, err
	}
	dates := map[string]int{}
	for n := range l.Columns {
		p := sheetDate(l.Columns[n].Date)
		if _, had := dates[p]; !had {
			if dates[p], err = f.NewStyle(&excelize.Style{CustomNumFmt: &p}); err != nil {
				return nil, err
			}
		}
	}
	s, err := f.NewStreamWriter(sheet)
	if err != nil {
		return nil, err
	}
	at := 0
	put := func(cells []any) error {
		at++
		return s.SetRow(fmt.Sprintf("A%d", at), cells)
	}
	text := func(t string) any { return excelize.Cell{StyleID: asText, Value: t} }
	for _, t := range l.Titles {
		if err := put([]any{text(t)}); err != nil {
			return nil, err
		}
	}
	if !l.NoHeader {
		cells := make([]any, len(l.Columns))
		for n := range l.Columns {
			cells[n] = text(l.Columns[n].Header)
		}
		if err := put(cells); err != nil {
			return nil, err
		}
	}
	for _, r := range g.rows {
		cells := make([]any, len(r.cells))
		for n := range r.cells {
			switch c := &r.cells[n]; {
			case c.date:
				cells[n] = excelize.Cell{StyleID: dates[sheetDate(l.Columns[n].Date)], Value: serial(c.at, g.zone)}
			case c.number && quantity.KeptByWorkbook(c.text):
				cells[n] = excelize.Cell{Value: quantity.ForWorkbook(c.text)}
			case c.text == "":
				cells[n] = nil
			default:
				cells[n] = text(c.text)
			}
		}
		if err := put(cells); err != nil {
			return nil, err
		}
	}
	if err := s.Flush(); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = f.Write(&b)
	return b.Bytes(), err
}

// sheetDate is a date pattern as a workbook has it.
func sheetDate(p string) string {
	if p == "" {
		p = "YYYY-MM-DD hh:mm:ss"
	}
	return strings.NewReplacer("YYYY", "yyyy", "YY", "yy", "MM", "mm", "DD", "dd").Replace(p)
}

// serial is a time as a workbook keeps it: days since 1899-12-30, without a zone.
func serial(at int64, zone *time.Location) float64 {
	t := time.Unix(0, at).In(zone)
	_, off := t.Zone()
	seconds := t.Unix() + int64(off) + 25569*86400
	return float64(seconds) / 86400
}
