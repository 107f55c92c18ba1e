package document

import (
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
)

// reportBook is a workbook being written, sheet by sheet.
type reportBook struct {
	*excelize.File
	sheet  string
	row    int
	styles map[string]int
	err    error
}

func (b *reportBook) do(err error) {
	if b.err == nil {
		b.err = err
	}
}

// begin begins a sheet with columns of these widths.
func (b *reportBook) begin(name string, widths ...float64) {
	if b.sheet == "" {
		b.do(b.SetSheetName("Sheet1", name))
	} else {
		_, err := b.NewSheet(name)
		b.do(err)
	}
	b.sheet, b.row = name, 0
	for i, w := range widths {
		col, err := excelize.ColumnNumberToName(i + 1)
		b.do(err)
		b.do(b.SetColWidth(name, col, col, w))
	}
	b.do(b.SetPageLayout(name, &excelize.PageLayoutOptions{Orientation: ptr("landscape"), FitToWidth: ptr(1), FitToHeight: ptr(0)}))
	b.do(b.SetSheetProps(name, &excelize.SheetPropsOptions{FitToPage: ptr(true)}))
	b.do(b.SetHeaderFooter(name, &excelize.HeaderFooterOptions{OddFooter: "&R&P / &N"}))
}

func ptr[T any](v T) *T { return &v }

func (b *reportBook) style(name string) int {
	if n, had := b.styles[name]; had {
		return n
	}
	s := &excelize.Style{}
	switch name {
	case "head":
		s.Font, s.Border = &excelize.Font{Bold: true}, []excelize.Border{{Type: "bottom", Style: 1, Color: ink}}
	case "title":
		s.Font = &excelize.Font{Bold: true, Size: 14}
	case "money":
		s.CustomNumFmt = ptr("#,##0.00;-#,##0.00;0.00")
	case "percent":
		s.CustomNumFmt = ptr(`0.00" %"`)
	case "text":
		s.NumFmt = 49
	}
	n, err := b.NewStyle(s)
	b.do(err)
	b.styles[name] = n
	return n
}

const ink = "211E1A"

// blank stands for a cell that holds nothing.
type blank struct{}

// share is percent, with two places.
type share struct {
	quantity.Money
	known bool
}

// add adds a row: money, quantities and numbers as numbers, texts as texts that never run as formulas.
func (b *reportBook) add(cells ...any) {
	b.row++
	for i, c := range cells {
		at, err := excelize.CoordinatesToCellName(i+1, b.row)
		b.do(err)
		style := ""
		switch x := c.(type) {
		case blank:
			continue
		case quantity.Money:
			c, style = number(x.String()), "money"
		case share:
			if c, style = number(x.String()), "percent"; !x.known {
				continue
			}
		case quantity.Quantity:
			c = number(x.String())
		case string:
			c, style = tabular.Safe(x), "text"
		}
		if n, is := c.(decimal); is {
			b.do(b.SetCellDefault(b.sheet, at, string(n)))
		} else {
			b.do(b.SetCellValue(b.sheet, at, c))
		}
		if style != "" {
			b.do(b.SetCellStyle(b.sheet, at, at, b.style(style)))
		}
	}
}

// decimal is a number that is written from its decimal text, never by way of a float.
type decimal string

// number is a plain decimal as a workbook keeps it; one that it would round stays a text.
func number(text string) any {
	digits := 0
	for _, r := range text {
		if r >= '0' && r <= '9' {
			digits++
		}
	}
	if digits == 0 || digits > 15 {
		return text
	}
	return decimal(text)
}

// heading adds a row of a style of its own.
func (b *reportBook) heading(style string, cells ...any) {
	b.add(cells...)
	for i := range cells {
		at, err := excelize.CoordinatesToCellName(i+1, b.row)
		b.do(err)
		b.do(b.SetCellStyle(b.sheet, at, at, b.style(style)))
	}
}

func (b *reportBook) freeze() {
	b.do(b.SetPanes(b.sheet, &excelize.Panes{Freeze: true, YSplit: b.row, TopLeftCell: fmt.Sprintf("A%d", b.row+1), ActivePane: "bottomLeft"}))
}

// WriteReportBook writes a count summed up as a workbook with real numbers.
func WriteReportBook(s *statement.Statement, w io.Writer) error {
	b := &reportBook{File: excelize.NewFile(), styles: map[string]int{}}
	defer b.Close()
	f := &s.Figures
	accuracy, known := f.Accuracy()
	coverage, covered := f.Coverage()
	b.begin("Summary", 30, 22, 22, 22, 22)
	b.heading("title", s.Title)
	for _, x := range s.Facts {
		b.add(x[0], x[1])
	}
	b.row++
	b.add("accuracy (IRA)", share{accuracy, known})
	b.add("coverage", share{coverage, covered})
	for _, x := range []struct {
		name string
		n    int
	}{{"recorded lines", f.RecordedLines}, {"counted", f.Counted}, {"uncounted", f.Uncounted}, {"match", f.Match}, {"tolerated", f.Tolerated}, {"over", f.Over},
		{"short", f.Short}, {"found", f.Found}, {"without a cost", f.Unvalued}, {"counted again", s.Recounts.Lines}, {"right at first", s.Recounts.Right}} {
		b.add(x.name, x.n)
	}
	b.row++
	b.heading("head", "Value", "over", "short", "net", "gross")
	sums := func(v variance.Sums) []any { return []any{v.Over, v.Short, v.Net, v.Gross} }
	b.add(append([]any{"all counted lines"}, sums(f.Values)...)...)
	b.add(append([]any{"sent out"}, sums(s.Posted)...)...)
	b.row++
	for _, x := range s.Left {
		b.add(x[0], x[1])
	}
	for _, n := range s.Notes {
		b.add(n)
	}
	b.begin("Parts", 18, 30, 12, 12, 12, 12, 14, 16, 16, 16, 16)
	b.heading("head", "by", "part", "counted", "IRA %", "over, found", "short", "uncounted", "value over", "value short", "net", "gross")
	b.freeze()
	for _, p := range s.Parts {
		for _, x := range p.List {
			a, ok := x.Figures.Accuracy()
			b.add(
				append([]any{p.Title, x.Name, x.Figures.Counted, share{a, ok}, x.Figures.Over + x.Figures.Found, x.Figures.Short, x.Figures.Uncounted},
					sums(x.Figures.Values)...)...)
		}
	}
	b.begin("Reasons and causes", 12, 16, 34, 14, 10, 16, 16, 16, 16)
	b.heading("head", "by", "code", "name", "account", "lines", "over", "short", "net", "gross")
	b.freeze()
	for _, x := range []struct {
		by   string
		list []statement.Sum
	}{{"reason", s.Reasons}, {"cause", s.Causes}} {
		for _, r := range x.list {
			b.add(append([]any{x.by, r.Code, r.Name, r.Account, r.Lines}, sums(r.Sums)...)...)
		}
	}
	b.begin("Heaviest lines", 14, 16, 36, 14, 12, 12, 12, 12, 16, 20, 20, 18)
	b.heading("head", "bin", "SKU", "item", "lot", "recorded", "expected", "counted", "variance", "value", "likely", "decided", "by")
	b.freeze()
	for _, x := range s.Heaviest {
		var value any = blank{}
		if x.Valued {
			value = x.Value
		}
		b.add(x.Bin, x.SKU, x.Description, x.Lot, x.Recorded, x.Expected, x.Counted, x.Variance, value, x.Cause, x.Decision, x.By)
	}
	b.begin("Spread", 16, 20)
	b.heading("head", "heaviest lines", "value together")
	b.freeze()
	for _, x := range s.Spread.Curve {
		b.add(x.Lines, x.Gross)
	}
	if len(s.Postings) > 0 {
		b.begin("Postings", 8, 12, 20, 10, 16, 16, 16, 16, 20, 20, 36)
		b.heading("head", "posting", "on", "reference", "lines", "over", "short", "net", "gross", "by", "agreed by", "proof")
		b.freeze()
		for _, x := range s.Postings {
			b.add(append(append([]any{x.Number, x.Day, x.Reference, x.Lines}, sums(x.Sums)...), x.By, x.Agreed, x.Proof)...)
		}
	}
	if len(s.Earlier) > 1 {
		b.begin("Counts", 34, 14, 12, 16, 16)
		b.heading("head", "count", "frozen", "IRA %", "net", "gross")
		b.freeze()
		for _, x := range s.Earlier {
			b.add(x.Name, x.Day, share{x.Accuracy, x.Known}, x.Net, x.Gross)
		}
	}
	b.SetActiveSheet(0)
	if b.err != nil {
		return fmt.Errorf("the workbook could not be written: %w", b.err)
	}
	return b.Write(w)
}
