package demo

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// counted says what somebody writes down for a row that holds want, as people do: mostly right, now and then not. Of a serial there is
// one or none.
func (s *Scenario) counted(l *line, want quantity.Quantity) string {
	text := s.written(l, want)
	if l.serial != "" && text != "" && text != want.String() {
		return "0"
	}
	return text
}

func (s *Scenario) written(l *line, want quantity.Quantity) (text string) {
	switch s.rng.IntN(100) {
	case 0, 1: // a few gone
		want -= whole(1 + s.rng.IntN(3))
	case 2: // a few too many
		want += whole(1 + s.rng.IntN(4))
	case 3: // digits swapped
		if d := want.String(); len(d) == 2 && d[0] != d[1] && d[1] != '0' {
			return d[1:] + d[:1]
		}
	case 4: // boxes counted for pieces
		if l.item.pack > 1 && want%(whole(int(l.item.pack))) == 0 {
			return (want / quantity.Quantity(l.item.pack)).String()
		}
	case 5: // a digit too many
		if s.rng.IntN(6) == 0 {
			return want.String() + "0"
		}
	case 6, 7, 8:
		if s.rng.IntN(2) == 0 {
			return "" // not reached
		}
	case 9:
		if l.item.decimal {
			want += quantity.Quantity(s.rng.IntN(30)-15) * 100_000
		}
	}
	if want < 0 {
		want = 0
	}
	return want.String()
}

// Fill writes counts into a sheet's text as a counter would: the times and the name in the head, a quantity in
// most rows. moved is how far the stock has moved since the freeze, by record id of bin, SKU, lot and serial.
func (s *Scenario) Fill(sheet []byte, from, to time.Time, who string, moved map[string]quantity.Quantity) ([]byte, error) {
	f, err := tabular.Open("sheet", bytes.NewReader(sheet), int64(len(sheet)), tabular.Options{})
	if err != nil {
		return nil, err
	}
	rows, err := f.Rows(0)
	if err != nil {
		return nil, err
	}
	known := map[string]*line{}
	for i := range s.lines {
		l := &s.lines[i]
		known[l.house+"|"+l.key()] = l
	}
	var out []byte
	at := map[string]int{}
	for {
		_, cells, ok := rows.Next()
		if !ok {
			break
		}
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = string(c)
		}
		cell := func(name string) string {
			if i, there := at[name]; there && i < len(row) {
				return row[i]
			}
			return ""
		}
		switch {
		case len(at) == 0 && row[0] == "Counted from":
			row[1] = from.Format(time.RFC3339)
		case len(at) == 0 && row[0] == "Counted to":
			row[1] = to.Format(time.RFC3339)
		case len(at) == 0 && row[0] == "Counted by":
			row[1] = who
		case len(at) == 0 && row[0] == "Row code":
			for i, h := range row {
				at[h] = i
			}
		case len(at) > 0:
			key := strings.Join([]string{cell("Bin"), cell("SKU"), cell("Lot"), cell("Serial")}, "|")
			l := known[cell("Warehouse")+"|"+key]
			if l == nil {
				return nil, fmt.Errorf("the sheet has a row that the scenario does not know: %s", key)
			}
			row[at["Counted"]] = s.counted(l, l.quantity+moved[key])
		}
		out = tabular.AppendRow(out, ',', row...)
	}
	return out, rows.Err()
}

func (l *line) key() string {
	return strings.Join([]string{l.bin, l.item.sku, l.lot, l.serial}, "|")
}

type move struct {
	line      *line
	quantity  quantity.Quantity
	at        time.Time
	reference string
}

// moves makes movements of a warehouse over some days, on working hours.
func (s *Scenario) moves(house string, from time.Time, days, perDay int) (out []move) {
	lines := s.of(house)
	for d := range days {
		for n := range perDay {
			l := &lines[s.rng.IntN(len(lines))]
			if l.item.nature != "stocked" || l.serial != "" {
				continue
			}
			q := -whole(1 + s.rng.IntN(4))
			ref := fmt.Sprintf("ISS-%05d", 40_000+d*100+n)
			if s.rng.IntN(5) == 0 {
				q, ref = whole(5*(1+s.rng.IntN(5))), fmt.Sprintf("REC-%05d", 7_000+d*100+n)
			}
			if l.quantity+q < 0 {
				continue
			}
			at := from.Truncate(24*time.Hour).AddDate(0, 0, d).Add(7*time.Hour + time.Duration(s.rng.IntN(9*60))*time.Minute)
			if at.After(from) {
				out = append(out, move{l, q, at, ref})
			}
		}
	}
	return out
}

// MovementFile is the export of movements.
func (s *Scenario) MovementFile(moves []move) []byte {
	b := tabular.AppendRow(nil, ';', "Posted at", "Document", "Warehouse", "Bin", "Item code", "Lot", "Qty change")
	for _, m := range moves {
		b = tabular.AppendRow(
			b,
			';',
			m.at.Format(time.RFC3339),
			m.reference,
			m.line.house,
			m.line.bin,
			m.line.item.sku,
			m.line.lot,
			m.quantity.String(),
		)
	}
	return b
}

// workbook turns the text of a sheet into a workbook as people return it, codes as text.
func workbook(text []byte) ([]byte, error) {
	f, err := tabular.Open("sheet", bytes.NewReader(text), int64(len(text)), tabular.Options{})
	if err != nil {
		return nil, err
	}
	rows, err := f.Rows(0)
	if err != nil {
		return nil, err
	}
	x := excelize.NewFile()
	defer x.Close()
	for {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		for i, c := range cells {
			if len(c) > 0 {
				at, _ := excelize.CoordinatesToCellName(i+1, n)
				if err := x.SetCellStr("Sheet1", at, string(c)); err != nil {
					return nil, err
				}
			}
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = x.Write(&b)
	return b.Bytes(), err
}
