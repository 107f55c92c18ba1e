package counting

import (
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
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
}

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
		rows = append(rows, row(l.RowCode, l.Key, l.Description, l.Unit, l.Extra, l.Recorded.String(), "", "", ""))
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

// WriteWorkbook writes the sheet as a workbook: codes as text, the header frozen, a filter on, nothing locked,
// and a warning but no refusal where a count is not a number.
func (s *Sheet) WriteWorkbook(w io.Writer) error {
	rows, header, counted := s.table()
	f := excelize.NewFile()
	defer f.Close()
	const name = "Sheet"
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	text, err := f.NewStyle(&excelize.Style{NumFmt: 49})
	if err != nil {
		return err
	}
	bold, err := f.NewStyle(
		&excelize.Style{
			NumFmt: 49,
			Font:   &excelize.Font{Bold: true},
			Border: []excelize.Border{{Type: "bottom", Style: 1, Color: "211E1A"}},
		},
	)
	if err != nil {
		return err
	}
	input, err := f.NewStyle(
		&excelize.Style{
			Border: []excelize.Border{
				{Type: "left", Style: 1, Color: "211E1A"},
				{Type: "right", Style: 1, Color: "211E1A"},
				{Type: "bottom", Style: 4, Color: "8D8471"},
			},
		},
	)
	if err != nil {
		return err
	}
	widths := map[int]float64{}
	recorded := counted - 1
	for r, cells := range rows {
		for c, v := range cells {
			at, _ := excelize.CoordinatesToCellName(c+1, r+1)
			if !s.Blind && r > header && c == recorded && v != "" {
				q, err := quantity.Parse(v)
				if err != nil {
					return err
				}
				// A number cell is written from its decimal text, which a workbook keeps at 15 digits.
				if err := f.SetCellDefault(name, at, q.String()); err != nil {
					return err
				}
			} else if v != "" {
				if err := f.SetCellStr(name, at, v); err != nil {
					return err
				}
			}
			if r >= header {
				widths[c] = min(max(widths[c], float64(len([]rune(v)))+2), 48)
			}
		}
	}
	last, _ := excelize.ColumnNumberToName(len(rows[header]))
	end := len(rows)
	for c, width := range widths {
		col, _ := excelize.ColumnNumberToName(c + 1)
		if err := f.SetColWidth(name, col, col, max(width, 9)); err != nil {
			return err
		}
	}
	countCol, _ := excelize.ColumnNumberToName(counted + 1)
	firstRow := header + 2
	steps := []error{
		f.SetCellStyle(name, "A1", fmt.Sprintf("%s%d", last, end), text),
		f.SetCellStyle(name, fmt.Sprintf("A%d", header+1), fmt.Sprintf("%s%d", last, header+1), bold),
		f.SetPanes(
			name,
			&excelize.Panes{Freeze: true, YSplit: header + 1, TopLeftCell: fmt.Sprintf("A%d", firstRow), ActivePane: "bottomLeft"},
		),
		f.AutoFilter(name, fmt.Sprintf("A%d:%s%d", header+1, last, end), nil),
	}
	if end >= firstRow {
		span := fmt.Sprintf("%s%d:%s%d", countCol, firstRow, countCol, end)
		v := excelize.NewDataValidation(true)
		v.Sqref = span
		if err := v.SetRange(0, 999999999999, excelize.DataValidationTypeDecimal, excelize.DataValidationOperatorBetween); err != nil {
			return err
		}
		v.SetError(
			excelize.DataValidationErrorStyleWarning,
			"Not a number",
			"A count is a number from 0 up. Leave the cell empty where nothing was counted.",
		)
		steps = append(
			steps,
			f.SetCellStyle(name, fmt.Sprintf("%s%d", countCol, firstRow), fmt.Sprintf("%s%d", countCol, end), input),
			f.AddDataValidation(name, v),
		)
		if !s.Blind {
			c, _ := excelize.ColumnNumberToName(recorded + 1)
			plain, err := f.NewStyle(&excelize.Style{NumFmt: 0})
			if err != nil {
				return err
			}
			steps = append(steps, f.SetCellStyle(name, fmt.Sprintf("%s%d", c, firstRow), fmt.Sprintf("%s%d", c, end), plain))
		}
	}
	for _, err := range steps {
		if err != nil {
			return err
		}
	}
	return f.Write(w)
}
