// Package template makes empty files to fill in, one for each kind: the headers, one example row, and a page on what goes where, all from
// the catalogue of fields.
package template

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
)

// columns are the fields that the template of a kind has, each with what the example row says. The other fields are told of on the page.
var columns = map[field.Kind][][2]string{
	field.Places: {
		{
			string(field.Warehouse),
			"QUAY",
		}, {string(field.HouseName), "Quay store"}, {string(field.Zone), "Hardware"}, {string(field.Bin), "C-01-1"},
	},
	field.Items: {
		{
			string(field.SKU),
			"BLK-0300",
		}, {string(field.Description), "Single block 40 mm"}, {string(field.Unit), "ea"}, {string(field.UnitCost), "12.50"},
		{string(field.Category), "Blocks"}, {string(field.Class), "B"}, {string(field.Barcode), "2941000305253"}, {string(field.PackUnit), "bx"},
		{string(field.PackSize), "12"}, {string(field.Tracking), "none"},
	},
	field.Stock: {
		{string(field.Warehouse), "QUAY"}, {string(field.Zone), "Hardware"}, {string(field.Bin), "C-01-1"}, {string(field.SKU), "BLK-0300"},
		{string(field.Description), "Single block 40 mm"}, {string(field.Lot), ""}, {string(field.Serial), ""}, {string(field.Quantity), "48"},
		{string(field.Unit), "ea"}, {string(field.UnitCost), "12.50"}, {string(field.RecordedAt), "2026-11-20 06:00"},
	},
	field.Movements: {
		{
			string(field.Warehouse),
			"QUAY",
		}, {string(field.Bin), "C-01-1"}, {string(field.SKU), "BLK-0300"}, {string(field.Lot), ""}, {string(field.Serial), ""},
		{string(field.Quantity), "-3"}, {string(field.At), "2026-11-20 14:30"}, {string(field.Reference), "SO-1044"},
	},
	field.Counts: {
		{
			string(field.Warehouse),
			"QUAY",
		}, {string(field.Bin), "C-01-1"}, {string(field.SKU), "BLK-0300"}, {string(field.Lot), ""}, {string(field.Serial), ""},
		{string(field.Counted), "47"}, {string(field.CountedAt), "2026-11-20 15:10"}, {string(field.Counter), "Wren"},
	},
}

// Name is the name of the file of a kind.
func Name(k field.Kind) string { return "Template " + string(k) + ".xlsx" }

// Columns are the fields of the template of a kind, in their order.
func Columns(k field.Kind) (out []field.Field) {
	for _, c := range columns[k] {
		out = append(out, field.Field(c[0]))
	}
	return out
}

// Example is what the example row of the template of a kind says, in the order of its columns.
func Example(k field.Kind) (out []string) {
	for _, c := range columns[k] {
		out = append(out, c[1])
	}
	return out
}

// ExampleFor gives the example row where a file has just the columns of the template of its kind; else nil.
func ExampleFor(k field.Kind, fields []field.Field) []string {
	if !slices.Equal(fields, Columns(k)) {
		return nil
	}
	return Example(k)
}

// Write writes the template of a kind as a workbook, all of whose cells are text but those of numbers.
func Write(w io.Writer, k field.Kind) error {
	if !slices.Contains(field.Kinds, k) {
		return fmt.Errorf("there is no kind of file %q", k)
	}
	b := excelize.NewFile()
	defer b.Close()
	name := strings.ToUpper(string(k[:1])) + string(k[1:])
	var header, example []any
	for _, c := range columns[k] {
		s := field.SpecOf(k, field.Field(c[0]))
		header, example = append(header, s.Heading()), append(example, c[1])
	}
	page := [][]any{
		{
			"Row 2 is an example: write over it; as it stands it is refused. Columns may be left out or moved, and others added. Nothing is stored before you have seen what it would change.",
		},
		{"What each column is for, also of those that the template has not:"},
	}
	for _, s := range field.Fields(k) {
		needed := ""
		if s.Required {
			needed = "needed, "
		}
		page = append(page, []any{fmt.Sprintf("%s – %s (%s%s).", s.Heading(), s.About, needed, s.Form)}) // in one cell: it is no table
	}
	text, err := b.NewStyle(&excelize.Style{NumFmt: 49})
	if err != nil {
		return err
	}
	bold, err := b.NewStyle(&excelize.Style{NumFmt: 49, Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	if _, err := b.NewSheet(aboutName); err != nil {
		return err
	}
	steps := []error{
		b.SetSheetName("Sheet1", name),
		b.SetSheetRow(name, "A1", &header),
		b.SetSheetRow(name, "A2", &example),
		b.SetColStyle(name, "A:Z", text),
		b.SetRowStyle(name, 1, 1, bold),
		b.SetColWidth(name, "A", "Z", 18),
		b.SetPanes(name, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}),
		b.SetColWidth(aboutName, "A", "A", 110),
	}
	for n, row := range page {
		steps = append(steps, b.SetSheetRow(aboutName, fmt.Sprintf("A%d", n+1), &row))
	}
	for _, err := range steps {
		if err != nil {
			return err
		}
	}
	return b.Write(w)
}

// aboutName is the name of the page.
const aboutName = "What goes where"
