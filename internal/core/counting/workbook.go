package counting

import (
	"fmt"
	"io"
	"math"
	"slices"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// The names of the workbook's sheets.
const (
	sheetName = "Sheet"
	aboutName = "How to fill it in"
)

// about is what the second sheet of a workbook says.
var about = []string{
	"Write what you count into the column Counted: numbers from 0 up, also sums such as 12*24+7 and packs such as 3bx+5.",
	"Leave a cell empty where nobody looked. Write 0 where there is nothing.",
	"What is there and not on the list: add a row below with its bin and its SKU or barcode, without a row code.",
	"Rows may be sorted and filtered, columns moved. The row codes say which line is which: leave them as they are.",
	"Counted from, counted to and counted by stand above the list; without them nobody knows what moved meanwhile.",
}

// book is a workbook being written.
type book struct {
	*excelize.File
	err error
}

// do keeps the first error.
func (b *book) do(err error) {
	if b.err == nil {
		b.err = err
	}
}

func (b *book) style(s *excelize.Style) int {
	n, err := b.NewStyle(s)
	b.do(err)
	return n
}

const ink, pale = "211E1A", "8D8471"

// WriteWorkbook writes the sheet as a workbook: codes as text, the header frozen, a filter on, nothing locked, and a warning but no refusal
// where a count is not a number. Printed, it is a sheet for a pen: landscape, one page wide, the header on each page, lines to write on,
// its code and the page in the foot. A second sheet says how it is filled in, and lists its bins and the reasons that may be written.
func (s *Sheet) WriteWorkbook(w io.Writer) error {
	rows, header, counted := s.table()
	b := &book{File: excelize.NewFile()}
	defer b.Close()
	b.do(b.SetSheetName("Sheet1", sheetName))
	line := excelize.Border{Type: "bottom", Style: 4, Color: pale}
	text := b.style(&excelize.Style{NumFmt: 49})
	cell := b.style(
		&excelize.Style{NumFmt: 49, Border: []excelize.Border{line}, Alignment: &excelize.Alignment{Vertical: "center", WrapText: true}},
	)
	number := b.style(&excelize.Style{Border: []excelize.Border{line}, Alignment: &excelize.Alignment{Vertical: "center"}})
	bold := b.style(
		&excelize.Style{
			NumFmt: 49,
			Font:   &excelize.Font{Bold: true, Family: "Calibri", Size: 11},
			Border: []excelize.Border{{Type: "bottom", Style: 1, Color: ink}},
		},
	)
	input := b.style(
		&excelize.Style{Border: []excelize.Border{{Type: "left", Style: 1, Color: ink}, {Type: "right", Style: 1, Color: ink}, line},
			Alignment: &excelize.Alignment{Vertical: "center"}},
	)
	const widest = 40.0
	widths := map[int]float64{}
	recorded := counted - 1
	for r, cells := range rows {
		longest := 0
		for c, v := range cells {
			at, _ := excelize.CoordinatesToCellName(c+1, r+1)
			if !s.Blind && r > header && c == recorded && v != "" {
				q, err := quantity.Parse(v)
				b.do(err)
				b.do(b.SetCellDefault(sheetName, at, q.String())) // from its decimal text, which a workbook keeps at 15 digits
			} else if v != "" {
				b.do(b.SetCellStr(sheetName, at, v))
			}
			if r >= header {
				n := len([]rune(v))
				widths[c], longest = min(max(widths[c], float64(n)+2), widest), max(longest, n)
			}
		}
		if lines := float64(longest) / (widest - 4); r > header && lines > 1 { // a text that goes on several lines
			b.do(b.SetRowHeight(sheetName, r+1, min(15*math.Ceil(lines)+9, 400)))
		}
	}
	last, end := len(rows[header]), len(rows)
	widths[counted] = max(widths[counted], 14) // for a pen
	for c, width := range widths {
		b.do(b.SetColWidth(sheetName, name(c+1), name(c+1), max(width, 9)))
	}
	firstRow := header + 2
	span := func(fromCol, fromRow, toCol, toRow int) (from, to string) {
		return fmt.Sprintf("%s%d", name(fromCol), fromRow), fmt.Sprintf("%s%d", name(toCol), toRow)
	}
	dress := func(fromCol, fromRow, toCol, toRow, style int) {
		from, to := span(fromCol, fromRow, toCol, toRow)
		b.do(b.SetCellStyle(sheetName, from, to, style))
	}
	dress(1, 1, last, header, text)
	dress(1, header+1, last, header+1, bold)
	b.do(
		b.SetPanes(
			sheetName,
			&excelize.Panes{Freeze: true, YSplit: header + 1, TopLeftCell: fmt.Sprintf("A%d", firstRow), ActivePane: "bottomLeft"},
		),
	)
	b.do(b.AutoFilter(sheetName, fmt.Sprintf("A%d:%s%d", header+1, name(last), end), nil))
	if end >= firstRow {
		dress(1, firstRow, last, end, cell)
		dress(counted+1, firstRow, counted+1, end, input)
		if !s.Blind {
			dress(recorded+1, firstRow, recorded+1, end, number)
		}
		v := excelize.NewDataValidation(true)
		from, to := span(counted+1, firstRow, counted+1, end)
		v.Sqref = from + ":" + to
		b.do(v.SetRange(0, 999999999999, excelize.DataValidationTypeDecimal, excelize.DataValidationOperatorBetween))
		v.SetError(excelize.DataValidationErrorStyleWarning, "Not a number",
			"A count is a number from 0 up, or a sum such as 12*24+7. Leave the cell empty where nothing was counted.")
		b.do(b.AddDataValidation(sheetName, v))
	}
	s.forPrint(b, header)
	s.writeAbout(b)
	if b.err != nil {
		return b.err
	}
	return b.Write(w)
}

func name(column int) string {
	s, _ := excelize.ColumnNumberToName(column)
	return s
}

// forPrint sets up the paper.
func (s *Sheet) forPrint(b *book, header int) {
	landscape, a4, wide, any, fit := "landscape", 9, 1, 0, true
	b.do(b.SetPageLayout(sheetName, &excelize.PageLayoutOptions{Size: &a4, Orientation: &landscape, FitToWidth: &wide, FitToHeight: &any}))
	b.do(b.SetSheetProps(sheetName, &excelize.SheetPropsOptions{FitToPage: &fit}))
	side, top := 0.4, 0.5
	b.do(b.SetPageMargins(sheetName, &excelize.PageLayoutMarginsOptions{Left: &side, Right: &side, Top: &top, Bottom: &top}))
	b.do(b.SetHeaderFooter(sheetName, &excelize.HeaderFooterOptions{OddFooter: "&L" + s.Code + "&R&P / &N"}))
	height := 24.0 // room for a pen
	b.do(b.SetSheetProps(sheetName, &excelize.SheetPropsOptions{DefaultRowHeight: &height, CustomHeight: &fit}))
	b.do(
		b.SetDefinedName(
			&excelize.DefinedName{Name: "_xlnm.Print_Titles", RefersTo: fmt.Sprintf("'%s'!$%d:$%d", sheetName, header+1, header+1),
				Scope: sheetName},
		),
	)
}

// writeAbout writes the second sheet.
func (s *Sheet) writeAbout(b *book) {
	_, err := b.NewSheet(aboutName)
	b.do(err)
	wrap := b.style(&excelize.Style{NumFmt: 49, Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}})
	b.do(b.SetColWidth(aboutName, "A", "A", 90))
	var bins []string
	for i := range s.Lines {
		if at := s.Lines[i].Key[stock.Bin]; len(bins) == 0 || bins[len(bins)-1] != at {
			bins = append(bins, at)
		}
	}
	lines := slices.Concat(
		about,
		[]string{"", fmt.Sprintf("The bins of this sheet, as they are walked (%d):", max(len(bins), len(s.Bins)))},
		bins,
		s.Bins,
	)
	if len(s.Reasons) > 0 {
		lines = append(lines, "", "Reasons that may be written as a remark:")
		lines = append(lines, s.Reasons...)
	}
	for i, t := range lines {
		if t != "" {
			b.do(b.SetCellStr(aboutName, fmt.Sprintf("A%d", i+1), t))
		}
	}
	b.do(b.SetCellStyle(aboutName, "A1", fmt.Sprintf("A%d", len(lines)), wrap))
}
