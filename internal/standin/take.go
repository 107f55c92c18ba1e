package standin

import (
	"encoding/csv"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/outfile"
	"wobin/internal/core/quantity"
)

// The limits of its format.
const (
	MostRows     = 200 // of a file
	MostDocument = 50  // rows of a document
	MostText     = 12  // characters of a reason
)

// headers are the first rows of the files that it takes, by what they say.
var headers = map[adjust.Mode][]string{
	adjust.Difference: {"DOC", "ROW", "DATE", "SITE", "BIN", "ITEM", "LOT", "QTY", "REASON"},
	adjust.InOut:      {"DOC", "ROW", "DATE", "SITE", "BIN", "ITEM", "LOT", "IN", "OUT", "REASON"},
	adjust.Balance:    {"DOC", "ROW", "DATE", "SITE", "BIN", "ITEM", "LOT", "BALANCE", "REASON"},
	adjust.Counted:    {"DOC", "ROW", "DATE", "SITE", "BIN", "ITEM", "LOT", "COUNTED", "AT", "REASON"},
}

// Layout is its format as a layout of files out.
func Layout(m adjust.Mode) outfile.Layout {
	places := 3
	l := outfile.Layout{Name: "Stand-in, " + string(m), Delimiter: ";", LineEnd: "crlf", Decimal: "comma", Per: []string{"document"}, DocumentRows: MostDocument,
		FileRows: MostRows, FileName: "ADJ-{document}.csv"}
	number := func(header string, f outfile.Field) outfile.Column {
		return outfile.Column{Header: header, Field: f, Places: &places}
	}
	how := map[adjust.Mode][]outfile.Column{
		adjust.Difference: {number("QTY", outfile.Difference)},
		adjust.InOut:      {number("IN", outfile.QuantityIn), number("OUT", outfile.QuantityOut)},
		adjust.Balance:    {number("BALANCE", outfile.Balance)},
		adjust.Counted:    {number("COUNTED", outfile.Counted), {Header: "AT", Field: outfile.CountedAt}},
	}
	l.Columns = slices.Concat([]outfile.Column{{Header: "DOC", Field: outfile.Document, Needed: true}, {Header: "ROW", Field: outfile.Row},
		{Header: "DATE", Field: outfile.PostingDate, Date: "DD.MM.YYYY"}, {Header: "SITE", Field: outfile.Warehouse}, {Header: "BIN", Field: outfile.Bin, Needed: true},
		{Header: "ITEM", Field: outfile.SKU, Needed: true}, {Header: "LOT", Field: outfile.Lot}}, how[m],
		[]outfile.Column{{Header: "REASON", Field: outfile.Reason, Longest: MostText}})
	return l
}

// Answer is what it says of a file: of each wrong row why, or that all of it was taken in.
type Answer struct {
	Taken bool
	Rows  int
	Wrong []string // "row 7: no such item"
}

// Text is the answer as a file.
func (a Answer) Text() string {
	if a.Taken {
		return fmt.Sprintf("OK;%d\r\n", a.Rows)
	}
	return "REFUSED;0\r\n" + strings.Join(a.Wrong, "\r\n") + "\r\n"
}

// Take takes an adjustment file in, all of it or nothing. A document that was taken in already is refused.
func (w *World) Take(name string, content []byte) (a Answer) {
	wrong := func(row int, format string, args ...any) {
		text := fmt.Sprintf(format, args...)
		if row > 0 {
			text = fmt.Sprintf("row %d: %s", row, text)
		}
		a.Wrong = append(a.Wrong, text)
	}
	if !strings.HasPrefix(name, "ADJ-") || !strings.HasSuffix(name, ".csv") {
		wrong(0, "the file is not called ADJ-….csv")
		return a
	}
	if text := string(content); strings.Count(text, "\n") != strings.Count(text, "\r\n") || !strings.HasSuffix(text, "\r\n") {
		wrong(0, "a row does not end in CR LF")
		return a
	}
	r := csv.NewReader(strings.NewReader(string(content)))
	r.Comma, r.FieldsPerRecord = ';', -1
	rows, err := r.ReadAll()
	if err != nil || len(rows) == 0 {
		wrong(0, "it is no table: %v", err)
		return a
	}
	mode := adjust.Mode("")
	for m, h := range headers {
		if slices.Equal(rows[0], h) {
			mode = m
		}
	}
	if mode == "" {
		wrong(1, "the header is none that is known")
		return a
	}
	if len(rows)-1 > MostRows {
		wrong(0, "%d rows, and a file has at most %d", len(rows)-1, MostRows)
	}
	type change struct {
		line          *Line
		record        int64
		bin, sku, lot string
	}
	var changes []change
	documents, keys := map[string]int{}, map[[3]string]int{}
	for n, cells := range rows[1:] {
		row := n + 2
		if len(cells) != len(headers[mode]) {
			wrong(row, "%d cells, not %d", len(cells), len(headers[mode]))
			continue
		}
		before := len(a.Wrong)
		at := func(column string) string { return cells[slices.Index(headers[mode], column)] }
		number := func(column string) int64 {
			whole, part, some := strings.Cut(at(column), ",")
			q, err := quantity.Parse(whole + "." + part)
			if err != nil || !some || len(part) != 3 || strings.Contains(whole, ".") {
				wrong(row, "%s: %q is no number with three decimals after a comma", column, at(column))
			}
			return int64(q)
		}
		doc := at("DOC")
		if w.Documents[doc] {
			wrong(row, "document %s was taken in already", doc)
		}
		documents[doc]++
		if at("ROW") != strconv.Itoa(documents[doc]) {
			wrong(row, "ROW is %s, and %d is expected", at("ROW"), documents[doc])
		}
		if documents[doc] > MostDocument {
			wrong(row, "document %s has more than %d rows", doc, MostDocument)
		}
		if _, err := time.Parse("02.01.2006", at("DATE")); err != nil {
			wrong(row, "DATE: %q is no day such as 21.11.2026", at("DATE"))
		}
		if at("SITE") != Site {
			wrong(row, "SITE: %q is not known", at("SITE"))
		}
		if !slices.Contains(w.Bins, at("BIN")) {
			wrong(row, "BIN: %q is not known", at("BIN"))
		}
		i := slices.IndexFunc(w.Items, func(it Item) bool { return it.SKU == at("ITEM") })
		if i < 0 {
			wrong(row, "ITEM: %q is not known", at("ITEM"))
		} else if (w.Items[i].Lots == nil) != (at("LOT") == "") {
			wrong(row, "LOT: %q does not fit the item", at("LOT"))
		}
		if len([]rune(at("REASON"))) > MostText || at("REASON") == "" && mode != adjust.Counted {
			wrong(row, "REASON: %q has not 1 to %d characters", at("REASON"), MostText)
		}
		key := [3]string{at("BIN"), at("ITEM"), at("LOT")}
		if keys[key]++; keys[key] > 1 {
			wrong(row, "the line comes twice")
		}
		c := change{bin: key[0], sku: key[1], lot: key[2]}
		record := int64(0)
		if i, had := w.find(key[0], key[1], key[2]); had {
			c.line, record = w.Lines[i], w.Lines[i].Record
		}
		switch mode {
		case adjust.InOut:
			in, out := number("IN"), number("OUT")
			if in < 0 || out < 0 || (in == 0) == (out == 0) {
				wrong(row, "one of IN and OUT is above zero")
			}
			c.record = record + in - out
		case adjust.Balance:
			if c.record = number("BALANCE"); c.record < 0 {
				wrong(row, "a balance is not below zero")
			}
		case adjust.Counted:
			when, err := time.Parse(time.RFC3339, at("AT"))
			if err != nil {
				wrong(row, "AT: %q is no time", at("AT"))
			}
			// It works the difference out by what its records said then.
			then := record
			for _, m := range w.Movements {
				if l := w.Lines[m.Line]; l == c.line && m.At > when.UnixNano() {
					then -= m.Quantity
				}
			}
			c.record = record + number("COUNTED") - then
		default:
			c.record = record + number("QTY")
		}
		if len(a.Wrong) == before {
			changes = append(changes, c)
		}
	}
	if len(a.Wrong) > 0 {
		return a
	}
	for _, c := range changes {
		if c.line == nil {
			c.line = w.line(c.bin, c.sku, c.lot)
		}
		c.line.Record = c.record
	}
	for d := range documents {
		w.Documents[d] = true
	}
	a.Taken, a.Rows = true, len(changes)
	return a
}
