package outfile

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

func line(bin, sku string, difference string, reason string) Line {
	q, err := quantity.Parse(difference)
	if err != nil {
		panic(err)
	}
	l := Line{
		Line: adjust.Line{Variance: q, Counted: q + 10*quantity.Scale, Cost: 2_500_000, Costed: true, Reason: reason, Unit: "pcs", Counter: "Ada",
			CountedAt: time.Date(2026, 11, 20, 10, 0, 0, 0, time.UTC).UnixNano(), RecordID: "r-" + sku},
		Expected:    10 * quantity.Scale,
		Description: "Rope " + sku,
		Barcode:     "4006381333931",
		Packs:       map[string]quantity.Quantity{"BOX": 6 * quantity.Scale},
	}
	l.Key[stock.Warehouse], l.Key[stock.Bin], l.Key[stock.SKU] = "W", bin, sku
	if l.Value, err = quantity.Value(q, l.Cost); err == nil {
		l.Valued = true
	}
	return l
}

func places(n int) *int { return &n }

var facts = Facts{At: time.Date(2026, 11, 21, 0, 0, 0, 0, time.UTC).UnixNano(), Reference: "C1-1", Count: "1"}

func written(t *testing.T, l Layout, lines ...Line) []File {
	t.Helper()
	w, err := l.Write(lines, facts)
	require.NoError(t, err)
	require.Empty(t, w.Problems)
	return w.Files
}

// The ready-made layouts write just what the files of the same meaning always were.
func TestReadyOnesAreAsEver(t *testing.T) {
	lines := []Line{line("A-1", "X", "-2.5", "LOSS"), line("A,2", "Y", "3", "FOUND")}
	lines[1].Costed, lines[1].Valued = false, false
	plain := []adjust.Line{lines[0].Line, lines[1].Line}
	ready := map[string]Layout{}
	for _, l := range Ready() {
		require.NoError(t, l.Valid(), l.Name)
		ready[l.Name] = l
		b, err := json.Marshal(l)
		require.NoError(t, err)
		again, err := Decode(b)
		require.NoError(t, err)
		assert.Equal(t, l, *again, "a layout comes back from JSON as it was")
	}
	for name, mode := range map[string]adjust.Mode{"Signed differences": adjust.Difference, "New balances": adjust.Balance, "In and out": adjust.InOut, "What was counted": adjust.Counted} {
		want, _, err := adjust.Write(plain, mode)
		require.NoError(t, err)
		f := written(t, ready[name], lines...)
		require.Len(t, f, 1)
		assert.Equal(t, []any{"adjustments.csv", string(want)}, []any{f[0].Name, string(f[0].Body)}, name)
	}
	f := written(t, ready["Opening balances"], lines...)
	assert.Equal(t, []any{"opening-balances.csv", `warehouse,bin,sku,lot,serial,quantity,balance_date,unit_cost,value,account
W,A-1,X,,,7.5,2026-11-21,2.5,18.75,
W,"A,2",Y,,,13,2026-11-21,,,
`}, []any{f[0].Name, string(f[0].Body)})
}

// A transfer goes out as an out and an in, as one row, alone, or not at all.
func TestTransfers(t *testing.T) {
	lines := []Line{line("A-1", "X", "-2", "TRANSFER"), line("A-9", "Z", "1", "FOUND"), line("A-2", "X", "2", "TRANSFER")}
	lines[0].Partner, lines[2].Partner = 3, 1
	l := Layout{
		Columns: []Column{
			{Header: "from", Field: Bin},
			{Header: "to", Field: ToBin},
			{Header: "sku", Field: SKU},
			{Header: "qty", Field: Difference},
			{Header: "value", Field: Value},
		},
	}
	for how, want := range map[string]string{
		"":         "A-1,,X,-2,-5.00\nA-9,,Z,1,2.50\nA-2,,X,2,5.00\n",
		"two rows": "A-1,,X,-2,-5.00\nA-9,,Z,1,2.50\nA-2,,X,2,5.00\n",
		"one row":  "A-1,A-2,X,2,\nA-9,,Z,1,2.50\n",
		"alone":    "A-1,A-2,X,2,\n",
		"left":     "A-9,,Z,1,2.50\n",
	} {
		l.Transfers = how
		assert.Equal(t, "from,to,sku,qty,value\n"+want, string(written(t, l, lines...)[0].Body), how)
	}
	w, err := l.Write(lines, facts)
	require.NoError(t, err)
	assert.Positive(t, w.Left+w.Rows)
	l.Transfers = "one row"
	l.Columns[1].Field = Lot
	require.ErrorContains(t, l.Valid(), "says where it goes")
}

// Numbers, dates and texts in the forms that a column says.
func TestForms(t *testing.T) {
	for name, c := range map[string]struct {
		column Column
		want   string
		wrong  string
	}{
		"shortest":              {Column{Field: Difference}, "-12.5", ""},
		"places":                {Column{Field: Difference, Places: places(3)}, "-12.500", ""},
		"no more places":        {Column{Field: Difference, Places: places(0)}, "", "has more than 0 decimals"},
		"comma":                 {Column{Field: Difference, Decimal: "comma"}, `"-12,5"`, ""},
		"minus behind":          {Column{Field: Difference, Minus: "behind"}, "12.5-", ""},
		"brackets":              {Column{Field: Difference, Minus: "brackets"}, "(12.5)", ""},
		"plus":                  {Column{Field: Amount, Plus: true}, "+12.5", ""},
		"nothing in":            {Column{Field: QuantityIn, Plus: true}, "0", ""},
		"out":                   {Column{Field: QuantityOut}, "12.5", ""},
		"below zero":            {Column{Field: Balance}, "", "is -2.5, below zero"},
		"date":                  {Column{Field: PostingDate, Date: "DD.MM.YY"}, "21.11.26", ""},
		"time":                  {Column{Field: CountedAt, Date: "YYYY-MM-DD hh:mm"}, "2026-11-20 10:00", ""},
		"formula":               {Column{Formula: "'Difference' * -2"}, "25", ""},
		"formula of texts":      {Column{Formula: "'bin' & \"/\" & 'sku'", Longest: 5}, "A-1/X", ""},
		"too long":              {Column{Formula: "'bin' & \"/\" & 'sku'", Longest: 4}, "", `"A-1/X" has 5 characters, and the record system takes 4`},
		"formula that fails":    {Column{Formula: "'sku' * 2"}, "", "the formula fails"},
		"fixed":                 {Column{Fixed: "00"}, "00", ""},
		"empty":                 {Column{Field: Lot, Empty: "-"}, "-", ""},
		"needed":                {Column{Field: Lot, Needed: true}, "", "A-1 · X has nothing here"},
		"values":                {Column{Field: Reason, Values: map[string]string{"LOSS": "51"}}, "51", ""},
		"direction":             {Column{Field: Direction, Values: map[string]string{"out": "H", "in": "S"}}, "H", ""},
		"packs":                 {Column{Field: Expected, Pack: "box"}, "", "10 of A-1 · X are no whole packs of 6"},
		"no such pack":          {Column{Field: Expected, Pack: "pallet"}, "", `has no pack "pallet"`},
		"no quotes where never": {Column{Fixed: "a,b"}, `"a,b"`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			c.column.Header = "this"
			l := Layout{
				NoHeader: true,
				OpenEnd:  true,
				Columns:  []Column{c.column, {Field: SKU}, {Field: Difference}, {Field: Direction}, {Field: QuantityIn}, {Field: QuantityOut}},
			}
			x := line("A-1", "X", "-12.5", "LOSS")
			x.Expected = 10 * quantity.Scale
			w, err := l.Write([]Line{x}, facts)
			require.NoError(t, err)
			if c.wrong != "" {
				require.Len(t, w.Problems, 1)
				assert.Empty(t, w.Files, "nothing is written")
				assert.Equal(t, []any{0, "this"}, []any{w.Problems[0].Line, w.Problems[0].Column})
				assert.Contains(t, w.Problems[0].Text, c.wrong)
				return
			}
			require.Empty(t, w.Problems)
			assert.Equal(t, c.want+",X,-12.5,out,0,12.5", string(w.Files[0].Body))
		})
	}
	whole := line("A-1", "X", "12", "")
	l := Layout{NoHeader: true, Columns: []Column{{Field: SKU}, {Field: Difference, Pack: "Box"}}}
	assert.Equal(t, "X,2\n", string(written(t, l, whole)[0].Body))
}

// Bytes as the layout says: delimiters, quotes, line ends, encodings, marks, titles.
func TestBytes(t *testing.T) {
	x := line("Süd", "X", "1", "")
	columns := []Column{{Header: "Büro", Field: Bin}, {Header: "sku", Field: SKU}, {Header: "qty", Field: Difference}}
	for want, l := range map[string]Layout{
		"Büro;sku;qty\r\nSüd;X;1\r\n":                          {Delimiter: ";", LineEnd: "crlf"},
		"\xef\xbb\xbfBüro,sku,qty\nSüd,X,1\n":                  {Mark: true},
		"B\xfcro,sku,qty\nS\xfcd,X,1\n":                        {Encoding: "Windows-1252"},
		"B\x81ro,sku,qty\nS\x81d,X,1\n":                        {Encoding: "Code page 850"},
		"\"Büro\"\t\"sku\"\t\"qty\"\n\"Süd\"\t\"X\"\t\"1\"":    {Delimiter: "\t", Quotes: "always", OpenEnd: true},
		"STOCK\nBüro,sku,qty\nSüd,X,1\n":                       {Titles: []string{"STOCK"}},
		"S\x00\xfc\x00d\x00,\x00X\x00,\x001\x00\n\x00":         {Encoding: "UTF-16 little-endian", NoHeader: true},
		"\xfe\xff\x00S\x00\xfc\x00d\x00,\x00X\x00,\x001\x00\n": {Encoding: "UTF-16 big-endian", Mark: true, NoHeader: true},
	} {
		l.Columns = columns
		assert.Equal(t, want, string(written(t, l, x)[0].Body))
	}
	x.Key[stock.Bin] = "Łódź;1"
	for _, l := range []Layout{{Encoding: "Windows-1252", Columns: columns}, {Quotes: "never", Delimiter: ";", Columns: columns}} {
		w, err := l.Write([]Line{x}, facts)
		require.NoError(t, err)
		require.Len(t, w.Problems, 1)
		assert.Equal(t, []any{0, "Büro"}, []any{w.Problems[0].Line, w.Problems[0].Column})
		assert.Empty(t, w.Files)
	}
}

// Files and documents: one for each warehouse and reason, no more rows than they may have, a document in one file where it fits.
func TestFilesAndDocuments(t *testing.T) {
	lines := []Line{
		line("A-1", "A", "1", "FOUND"),
		line("A-2", "B", "-1", "LOSS"),
		line("A-3", "C", "1", "FOUND"),
		line("A-4", "D", "1", "FOUND"),
		line("A-5", "E", "1", "FOUND"),
	}
	lines[4].Key[stock.Warehouse] = "V/2"
	columns := []Column{
		{Header: "doc", Field: Document},
		{Header: "row", Field: Row},
		{Header: "sku", Field: SKU},
		{Header: "qty", Field: Difference},
	}
	names := func(l Layout) (out []string) {
		l.Columns, l.NoHeader = columns, true
		for _, f := range written(t, l, lines...) {
			out = append(out, f.Name+": "+strings.ReplaceAll(strings.TrimSpace(string(f.Body)), "\n", " "))
		}
		return out
	}
	assert.Equal(t, []string{"adjustments.csv: C1-1-1,1,A,1 C1-1-1,2,B,-1 C1-1-1,3,C,1 C1-1-1,4,D,1 C1-1-1,5,E,1"}, names(Layout{}))
	assert.Equal(
		t,
		[]string{
			"adjustments-W-FOUND.csv: C1-1-1,1,A,1 C1-1-1,2,C,1 C1-1-1,3,D,1",
			"adjustments-W-LOSS.csv: C1-1-2,1,B,-1",
			"adjustments-V_2-FOUND.csv: C1-1-3,1,E,1",
		},
		names(Layout{Per: []string{"warehouse", "reason"}}),
	)
	assert.Equal(t, []string{"C1-1-1.txt: C1-1-1,1,A,1 C1-1-1,2,B,-1", "C1-1-2.txt: C1-1-2,1,C,1 C1-1-2,2,D,1", "C1-1-3.txt: C1-1-3,1,E,1"},
		names(Layout{Per: []string{"document"}, DocumentRows: 2, FileName: "{document}.txt"}))
	assert.Equal(t, []string{"2026-11-21-1.csv: C1-1-1,1,A,1 C1-1-1,2,B,-1", "2026-11-21-2.csv: C1-1-2,1,C,1 C1-1-2,2,D,1 C1-1-3,1,E,1"},
		names(Layout{DocumentRows: 2, FileRows: 3, FileName: "{date}"}))
	assert.Equal(
		t,
		[]string{"x.csv: C1-1-1,1,A,1 C1-1-1,2,C,1 C1-1-1,3,D,1 C1-1-1,4,E,1", "x-2.csv: C1-1-2,1,B,-1"},
		names(Layout{Per: []string{"reason"}, FileName: "x.csv"}),
	)
}

// However rows are parted, each line is in one file once, no file and document has too many, rows are numbered through.
func TestPartsHoldAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []Line
		for n := range rapid.IntRange(1, 20).Draw(t, "lines") {
			x := line("A", fmt.Sprint("S", n), "1", rapid.SampledFrom([]string{"", "LOSS", "FOUND"}).Draw(t, "reason"))
			x.Key[stock.Warehouse] = rapid.SampledFrom([]string{"W", "V"}).Draw(t, "warehouse")
			lines = append(lines, x)
		}
		l := Layout{
			NoHeader:     true,
			Columns:      []Column{{Field: SKU}, {Field: Difference}, {Field: Document}, {Field: Row}, {Field: Warehouse}, {Field: Reason}},
			DocumentRows: rapid.IntRange(0, 4).Draw(t, "document rows"),
			FileRows:     rapid.IntRange(0, 4).Draw(t, "file rows"),
		}
		for _, p := range []string{"warehouse", "reason", "document"} {
			if rapid.Bool().Draw(t, p) {
				l.Per = append(l.Per, p)
			}
		}
		w, err := l.Write(lines, facts)
		require.NoError(t, err)
		seen, names, documents := map[string]bool{}, map[string]bool{}, map[string]int{}
		for _, f := range w.Files {
			require.False(t, names[f.Name], f.Name)
			names[f.Name] = true
			rows, err := csv.NewReader(bytes.NewReader(f.Body)).ReadAll()
			require.NoError(t, err)
			require.NotEmpty(t, rows)
			assert.Len(t, rows, f.Rows)
			if l.FileRows > 0 {
				assert.LessOrEqual(t, len(rows), l.FileRows)
			}
			for _, r := range rows {
				require.False(t, seen[r[0]])
				seen[r[0]] = true
				documents[r[2]]++
				assert.Equal(t, fmt.Sprint(documents[r[2]]), r[3])
				for i, p := range []string{"warehouse", "reason"} {
					for _, per := range l.Per {
						if per == p {
							assert.Equal(t, rows[0][4+i], r[4+i])
						}
					}
				}
			}
		}
		assert.Len(t, seen, len(lines))
		for _, n := range documents {
			if l.DocumentRows > 0 {
				assert.LessOrEqual(t, n, l.DocumentRows)
			}
		}
	})
}

// A workbook keeps codes as text, numbers as numbers, dates as dates; the same lines give the same bytes.
func TestWorkbook(t *testing.T) {
	x := line("0012", "3-4", "-12.5", "=1+1")
	l := Layout{
		Form:   "workbook",
		Sheet:  "Import",
		Titles: []string{"Stock"},
		Columns: []Column{{Header: "Bin", Field: Bin}, {Header: "SKU", Field: SKU},
			{
				Header: "Qty",
				Field:  Difference,
			}, {Header: "When", Field: PostingDate, Date: "DD.MM.YYYY", Cell: "date"}, {Header: "Reason", Field: Reason}, {Header: "As text", Field: Difference, Cell: "text"}},
	}
	f := written(t, l, x)
	assert.Equal(t, "adjustments.xlsx", f[0].Name)
	assert.Equal(t, f[0].Body, written(t, l, x)[0].Body)
	book, err := excelize.OpenReader(bytes.NewReader(f[0].Body))
	require.NoError(t, err)
	rows, err := book.GetRows("Import")
	require.NoError(t, err)
	assert.Equal(
		t,
		[][]string{{"Stock"}, {"Bin", "SKU", "Qty", "When", "Reason", "As text"}, {"0012", "3-4", "-12.5", "21.11.2026", "=1+1", "-12.5"}},
		rows,
	)
	for at, want := range map[string]excelize.CellType{"A3": excelize.CellTypeInlineString, "C3": excelize.CellTypeUnset, "E3": excelize.CellTypeInlineString, "F3": excelize.CellTypeInlineString} {
		is, err := book.GetCellType("Import", at)
		require.NoError(t, err)
		assert.Equal(t, want, is, at)
	}
	formula, err := book.GetCellFormula("Import", "E3")
	require.NoError(t, err)
	assert.Empty(t, formula, "a text never runs as a formula")
	assert.Empty(t, l.Harms([]Line{x}, facts))
}

// What a spreadsheet program would do to codes is named beforehand.
func TestHarms(t *testing.T) {
	l := Layout{
		Columns: []Column{
			{Header: "bin", Field: Bin},
			{Header: "sku", Field: SKU},
			{Header: "qty", Field: Difference},
			{Header: "id", Field: RecordID},
		},
	}
	a, b := line("0012", "12E5", "1", ""), line("3-4", "MAR1", "1", "")
	a.RecordID, b.RecordID = "1234567890123456", "X-17"
	assert.Equal(
		t,
		[]Harm{
			{"bin", "zeros in front", "0012", 1},
			{"bin", "dates", "3-4", 1},
			{"sku", "exponents", "12E5", 1},
			{"sku", "dates", "MAR1", 1},
			{"id", "16 digits", "1234567890123456", 1},
		},
		l.Harms([]Line{a, b}, facts),
	)
	for _, text := range []string{"A-02-1", "ROPE12", "0", "12", "1.5", "Q-17", "E5", "12E", "W1S2R3", "99-99"} {
		assert.Empty(t, harm(text), text)
	}
}

func TestValid(t *testing.T) {
	sku, qty := Column{Header: "sku", Field: SKU}, Column{Header: "qty", Field: Difference}
	for want, l := range map[string]Layout{
		"there is no column yet":                 {},
		"no column names the item":               {Columns: []Column{qty}},
		"no column says how much":                {Columns: []Column{sku}},
		"go together":                            {Columns: []Column{sku, {Field: QuantityIn}}},
		"has no sign":                            {Columns: []Column{sku, {Field: Amount}}},
		`names "colour", which is no field`:      {Columns: []Column{sku, qty, {Formula: "'colour'"}}},
		"cannot be read":                         {Columns: []Column{sku, qty, {Formula: "1 +"}}},
		`"colour" is no field`:                   {Columns: []Column{sku, qty, {Field: "colour"}}},
		"not several of them":                    {Columns: []Column{sku, {Field: Difference, Fixed: "1"}}},
		"0 to 6 decimals":                        {Columns: []Column{sku, {Field: Difference, Places: places(7)}}},
		"has none of YYYY":                       {Columns: []Column{sku, qty, {Field: PostingDate, Date: "today"}}},
		`encoding: "EBCDIC" is not known`:        {Encoding: "EBCDIC", Columns: []Column{sku, qty}},
		"cannot stand between cells":             {Delimiter: "\"", Columns: []Column{sku, qty}},
		"is no name of a sheet":                  {Sheet: "a/b", Columns: []Column{sku, qty}},
		`per: "colour" is none of warehouse`:     {Per: []string{"colour"}, Columns: []Column{sku, qty}},
		`transfers: "up" is none of two rows`:    {Transfers: "up", Columns: []Column{sku, qty}},
		"take the difference or the amount, not": {Transfers: "alone", Columns: []Column{sku, {Field: ToBin}, {Field: Balance}}},
	} {
		require.ErrorContains(t, l.Valid(), want)
	}
	_, err := Decode([]byte(`{"name":"x","colour":1}`))
	require.ErrorContains(t, err, "it is no adjustment layout")
}
