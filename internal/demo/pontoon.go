package demo

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
	"wobin/internal/desk/intake"
)

// The pontoon is a part of the yard that came to the chandler with the harbour kiosk: its items have numbers with
// leading zeros, its bins are called 3-12, and its people send what a spreadsheet program made of them.

type fastening struct {
	sku, name, barcode string
	cost               int // hundredths
	bins               []string
	quantity           []int // hundredths
}

func fastenings() (out []fastening) {
	kinds := []string{"Hex bolt", "Wood screw", "Split pin", "Wing nut", "Rigging pin", "Washer"}
	sizes := []string{"M5 A4", "M6 A4", "M8 A4", "M10 A4"}
	for i := range 24 {
		f := fastening{
			sku:     fmt.Sprintf("00%03d", 412+i*7),
			name:    kinds[i%6] + " " + sizes[i/6],
			cost:    8 + i*11%170,
			barcode: fmt.Sprintf("%d", 7_310_000_000_017+int64(i)*4_100_000_000),
		}
		for k := range 1 + i%2 {
			f.bins = append(f.bins, fmt.Sprintf("%d-%d", i/6+1, (i+k*5)%12+1))
			f.quantity = append(f.quantity, (120+i*37%900)*100+k*50)
		}
		out = append(out, f)
	}
	return out
}

// pontoonBook is the workbook that the kiosk's places, items and stock came in.
func (s *Scenario) pontoonBook() ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	places := [][]string{{"Warehouse", "Zone", "Bin"}}
	for row := 1; row <= 4; row++ {
		for berth := 1; berth <= 12; berth++ {
			places = append(places, []string{"YARD", "Pontoon", fmt.Sprintf("%d-%d", row, berth)})
		}
	}
	items := [][]string{{"Item code", "Description", "Base unit", "Unit cost", "Item group", "Barcode", "Pack", "Pack size"}}
	stock := [][]string{{"Warehouse", "Bin", "Item code", "On hand", "As at", "Shelf label"}}
	for i, x := range fastenings() {
		items = append(
			items,
			[]string{x.sku, x.name, "ea", fmt.Sprintf("%d.%02d", x.cost/100, x.cost%100), "Fastenings", x.barcode, "BX", "100"},
		)
		for k, b := range x.bins {
			stock = append(
				stock,
				[]string{"YARD", b, x.sku, fmt.Sprint(x.quantity[k] / 100), s.newExport.Add(45 * time.Minute).Format(time.RFC3339), fmt.Sprintf("blue %d", i+1)},
			)
		}
	}
	cover := [][]string{{"Harbour kiosk, handed over to the chandlery"}, {"Places, items and stock of the pontoon"}}
	for n, part := range []struct {
		name string
		rows [][]string
	}{{"Read me", cover}, {"Stock", stock}, {"Items", items}, {"Places", places}} {
		if n == 0 {
			if err := f.SetSheetName("Sheet1", part.name); err != nil {
				return nil, err
			}
		} else if _, err := f.NewSheet(part.name); err != nil {
			return nil, err
		}
		for r, cells := range part.rows {
			for c, v := range cells {
				at, err := excelize.CoordinatesToCellName(c+1, r+1)
				if err != nil {
					return nil, err
				}
				if err := f.SetCellStr(part.name, at, v); err != nil {
					return nil, err
				}
			}
		}
	}
	var b bytes.Buffer
	err := f.Write(&b)
	return b.Bytes(), err
}

// pontoon takes the kiosk's workbook in, all three sheets as one intake, and leaves the files to try with.
func (b *builder) pontoon() error {
	book, err := b.s.pontoonBook()
	if err != nil {
		return err
	}
	d, err := b.desk.Intake.Upload(b.ctx, b.ida, "kiosk handover.xlsx", bytes.NewReader(book), intake.Choices{Zone: "UTC"})
	if err != nil {
		return err
	}
	for _, s := range d.Sheets {
		if s.Kind == "stock" && s.Use {
			if d, err = b.desk.Intake.Settle(b.ctx, b.ida, d.ID, intake.Answer{Sheet: s.Number, Set: &intake.Layout{Extent: "only",
				Columns: []layout.Choice{{Column: "F", Header: "Shelf label", Field: "line.Shelf label"}}}}); err != nil {
				return err
			}
		}
	}
	if d.Blocked != "" || d.Effect.Refused > 0 {
		return fmt.Errorf("kiosk handover.xlsx: %s %v", d.Blocked, d.Problems)
	}
	if _, err := b.desk.Intake.TakeIn(b.ctx, b.ida, d.ID, "demo-kiosk-handover", 0); err != nil {
		return err
	}
	b.try["pontoon stock via a spreadsheet.csv"], b.try["kiosk handover.xlsx"] = b.s.pontoonMess(), book
	// The weekly export is known by a layout, so that it needs no question.
	if d, err = b.desk.Intake.Upload(b.ctx, b.ida, "export.csv", bytes.NewReader(b.try["stock-export.csv"]),
		intake.Choices{Zone: "UTC"}); err != nil {
		return err
	}
	if _, err := b.desk.Intake.SaveDraftLayout(b.ctx, b.ida, d.ID, 0, "Chandlery, weekly stock"); err != nil {
		return err
	}
	return b.desk.Intake.Discard(b.ctx, b.ida, d.ID)
}

// pontoonMess is the pontoon's stock after a spreadsheet program had it: semicolons, decimal commas, a title, totals,
// only the first row of a group filled in, zeros and codes lost, signs beside numbers, a warehouse misspelt.
func (s *Scenario) pontoonMess() []byte {
	row := func(b []byte, cells ...string) []byte { return tabular.AppendRow(b, ';', cells...) }
	b := []byte("\ufeff")
	b = row(b, "Pontoon, counted over by the kiosk")
	b = row(b, "printed", s.newExport.AddDate(0, 0, 1).Format("02.01.2006"))
	b = row(b)
	b = row(b, "Whse", "Place", "Item", "Name", "Stock", "Cost each", "As of", "Shelf label")
	months := strings.Fields("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec")
	n := 0
	for i, x := range fastenings() {
		for k, bin := range x.bins {
			var aisle, berth int
			fmt.Sscanf(bin, "%d-%d", &aisle, &berth)
			place := fmt.Sprintf("%d-%s", aisle, months[berth-1]) // 3-12 became 3-Dec
			house := ""
			if n%8 == 0 {
				house = "YARD"
			}
			sku := strings.TrimLeft(x.sku, "0")
			q := x.quantity[k] + i%5*100
			amount := fmt.Sprintf("%d,%02d", q/100, q%100)
			if q >= 100_000 {
				amount = fmt.Sprintf("%d.%03d,%02d", q/100_000, q/100%1000, q%100)
			}
			switch n {
			case 3:
				amount += " pcs"
			case 6:
				amount = "(" + amount + ")"
			case 9:
				amount = "12O,00"
			case 11:
				sku = "ОО" + sku // Cyrillic letters for zeros
			case 14:
				sku = "\u00a0" + x.sku + " "
			case 17:
				amount = "about 40"
			}
			b = row(
				b,
				house,
				place,
				sku,
				x.name,
				amount,
				fmt.Sprintf("€ %d,%02d", x.cost/100, x.cost%100),
				s.newExport.Format("02.01.2006"),
				fmt.Sprintf("blue %d", i+1),
			)
			if n++; n == 20 {
				b = row(b) // an empty row in the middle
			}
		}
	}
	b = row(b, "YRAD", "4-Nov", "412", "Hex bolt M5 A4", "12,00", "€ 0,08", s.newExport.Format("02.01.2006"), "")
	b = row(b, "Total", "", "", "", "21.240,50")
	return b
}
