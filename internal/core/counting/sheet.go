package counting

import (
	"io"

	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Sheet is what is handed to one person.
type Sheet struct {
	Code  string
	Count string // the count's name
	Zone  string
	Blind bool // the recorded quantity is not shown
	Lines []Line
	Extra []string // titles of further columns, behind the unit
	// Where nothing is recorded: the bins to look into, each with so many rows to fill in.
	House string
	Bins  []string
	Rows  int
	// Reasons may be written as a remark: their codes and names.
	Reasons []string
}

// LookHere stands as a remark in the row of a bin in which nothing is recorded.
const LookHere = "recorded as empty: look"

// table gives the rows of the sheet as it goes out: the head, an empty row, the header, the lines. header is the
// pos of the header row, counted the column of the counts, both from 0.
func (s *Sheet) table() (rows [][]string, header, counted int) {
	rows = [][]string{
		{"Sheet", s.Code}, {"Count", s.Count}, {"Zone", s.Zone},
		{"Counted from", ""}, {"Counted to", ""}, {"Counted by", ""}, {""},
	}
	header = len(rows)
	used := [stock.Parts]bool{
		stock.Warehouse: true,
		stock.Bin:       true,
		stock.SKU:       true,
		stock.Lot:       len(s.Bins) > 0,
		stock.Serial:    len(s.Bins) > 0,
	}
	for i := range s.Lines {
		for p, t := range s.Lines[i].Key {
			used[p] = used[p] || t != ""
		}
	}
	titles := [stock.Parts]string{"Warehouse", "Bin", "SKU", "Lot", "Serial", "Holding"}
	row := func(rowCode string, key [stock.Parts]string, description, unit string, extra []string, recorded, count, at,
		remark string) []string {
		r := []string{rowCode}
		for p := range key {
			if used[p] {
				r = append(r, key[p])
			}
		}
		r = append(r, description, unit)
		for i := range s.Extra {
			if i < len(extra) {
				r = append(r, extra[i])
			} else {
				r = append(r, "")
			}
		}
		if !s.Blind {
			r = append(r, recorded)
		}
		return append(r, count, at, remark)
	}
	top := row("Row code", titles, "Description", "Unit", s.Extra, "Recorded", "Counted", "Counted at", "Remark")
	rows = append(rows, top)
	for i := range s.Lines {
		l := &s.Lines[i]
		recorded, remark := l.Recorded.String(), ""
		if l.Look {
			recorded, remark = "", LookHere
		}
		rows = append(rows, row(l.RowCode, l.Key, l.Description, l.Unit, l.Extra, recorded, "", "", remark))
	}
	for _, bin := range s.Bins {
		for range s.Rows {
			rows = append(rows, row("", [stock.Parts]string{stock.Warehouse: s.House, stock.Bin: bin}, "", "", nil, "", "", "", ""))
		}
	}
	return rows, header, len(top) - 3
}

// WriteText writes the sheet as delimited text for people: UTF-8 with a mark, so that spreadsheets read every
// letter, and texts that a spreadsheet would run as a formula marked as text.
func (s *Sheet) WriteText(w io.Writer) error {
	rows, _, _ := s.table()
	b := []byte("\ufeff")
	for _, r := range rows {
		for i := range r {
			r[i] = tabular.Safe(r[i])
		}
		b = tabular.AppendRow(b, ',', r...)
	}
	_, err := w.Write(b)
	return err
}
