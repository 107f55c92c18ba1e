package trial_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

func open(t require.TestingT, text string) *tabular.File {
	f, err := tabular.Open("f.csv", bytes.NewReader([]byte(text)), int64(len(text)), tabular.Options{})
	require.NoError(t, err)
	return f
}

var all = []field.Kind{field.Stock, field.Counts, field.Movements, field.Items, field.Places}

func TestRecognise(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		kind field.Kind
		row  int
		want map[string]field.Field // header to field
	}{
		"an export with everything": {"Stock list\n\nWhse;Bin Location;Item No.;Item Name;Colour;QTY ON HAND;Allocated;Available;Avg. Cost;As of\nW;A;X;y;z;1;0;1;2;\n", field.Stock, 3,
			map[string]field.Field{"Whse": field.Warehouse, "Bin Location": field.Bin, "Item No.": field.SKU, "Item Name": field.Description, "Colour": "",
				"QTY ON HAND": field.Quantity, "Allocated": field.Reserved, "Available": field.Available, "Avg. Cost": field.UnitCost, "As of": field.RecordedAt}},
		"available is not on hand": {"sku,available stock\nX,1\n", field.Stock, 1, map[string]field.Field{"available stock": field.Available}},
		"the same meaning twice":   {"sku,quantity,qty\nX,1,2\n", field.Stock, 1, map[string]field.Field{"quantity": field.Quantity, "qty": ""}},
		"location alone is a bin": {"warehouse,location,sku,quantity\nW,A,X,1\n", field.Stock, 1, map[string]field.Field{"location": field.Bin,
			"warehouse": field.Warehouse}},
		"counts of other making": {"Bin,SKU,Count,Counted by,Count date\nA,X,1,Bo,\n", field.Counts, 1, map[string]field.Field{"Count": field.Counted,
			"Counted by": field.Counter, "Count date": field.CountedAt}},
		"recorded beside counted": {"Row code,Bin,SKU,Recorded,Counted\n,A,X,1,\n", field.Counts, 1, map[string]field.Field{"Recorded": field.Recorded,
			"Counted": field.Counted}},
		"movements": {"Posting date;Doc No;Item code;Qty change;Whse\n;;X;1;W\n", field.Movements, 1,
			map[string]field.Field{"Posting date": field.At, "Doc No": field.Reference, "Qty change": field.Quantity}},
		"items": {"Item code,Title,Base unit,Item group,Barcode,Active,Type\nX,y,ea,g,1,yes,stocked\n", field.Items, 1,
			map[string]field.Field{"Item code": field.SKU, "Title": field.Description, "Item group": field.Category, "Active": field.Active, "Type": field.Nature}},
	} {
		f := open(t, c.text)
		m, err := recognise.File(f, recognise.Want{Kinds: all})
		require.NoError(t, err, name)
		assert.Equal(t, c.kind, m.Kind, name)
		assert.Equal(t, c.row, m.HeaderRow, name)
		for _, col := range m.Columns {
			assert.NotEmpty(t, col.Why, "%s: %s", name, col.Header)
			if want, asked := c.want[col.Header]; asked {
				assert.Equal(t, want, col.Field, "%s: %s (%s)", name, col.Header, col.Why)
			}
		}
	}
}

// A first row is a header where its words say so, and data where they do not, however much else is known of the file.
func TestHeaderOrData(t *testing.T) {
	for _, c := range []struct {
		text   string
		given  field.Kind
		header int
		want   map[int]field.Field
	}{
		{"SKU,Shelf\n00411,\nR-8,high\n00413,\n00412,high\n", field.Items, 1, map[int]field.Field{0: field.SKU, 1: ""}},
		{"SKU,Shelf\n00411,4\nR-8,1\n00413,1\n00412,2\n", "", 1, map[int]field.Field{0: field.SKU}},
		{"Title,,\n\nSKU,Shelf\n00411,\nR-8,high\n00413,\n00412,\n", field.Items, 3, map[int]field.Field{0: field.SKU}},
		{"00411,high\nR-8,high\n00413,\n00412,high\n", field.Items, 0, map[int]field.Field{0: field.SKU}},
		{"QUAY,A-01-1,00411,4\nQUAY,A-01-2,R-8,1\nQUAY,A-01-3,00413,6\n", "", 0, map[int]field.Field{0: field.Warehouse, 1: field.Bin, 2: field.SKU, 3: field.Quantity}},
		{"Shelf,Ref\nhigh,00411\nhigh,R-8\nlow,00413\nlow,00412\nlow,00414\n", field.Items, 1, map[int]field.Field{0: "", 1: field.SKU}},
		{"Thing,Pieces of it\n00411,4\nR-8,1\n00413,1\n00412,2\n00414,3\n", "", 1, map[int]field.Field{0: field.SKU, 1: field.Quantity}},
		{"NEW,high\n00411,high\nR-8,high\n00413,\n00412,high\n00414,low\n", field.Items, 0, map[int]field.Field{0: field.SKU}}, // "high" stands again below
	} {
		m, err := recognise.File(open(t, c.text), recognise.Want{Kinds: all, Known: fixture(), Given: &layout.Layout{Kind: c.given}})
		require.NoError(t, err)
		assert.Equal(t, c.header, m.HeaderRow, "%s: %s", c.text, m.WhyHeader)
		for at, f := range c.want {
			assert.Equal(t, f, m.Columns[at].Field, "%s column %d: %s", c.text, at, m.Columns[at].Why)
		}
	}
}

// A layout of a file without a header is known again by what its columns hold, and by nothing else.
func TestLayoutWithoutHeader(t *testing.T) {
	l := &layout.Layout{
		Name:   "Scanner",
		Kind:   field.Stock,
		Header: -1,
		Columns: []layout.Choice{
			{Column: "A", Field: field.Warehouse},
			{Column: "B", Field: field.Bin},
			{Column: "C", Field: field.SKU},
			{Column: "D", Field: field.Quantity},
			{Column: "E", Field: field.UnitCost},
		},
	}
	for text, fits := range map[string]bool{
		"QUAY,A-01-1,00411,4,2\nQUAY,A-01-2,R-8,1,3\nQUAY,A-01-3,00413,6,4\n":               true,
		"LOFT,C01,00412,9,1\nNEW,C02,00414,8,\nLOFT,C03,NEW,7,2\nLOFT,C03,00416,7,2\n":      true,
		"A-01-1,QUAY,00411,4,2\nA-01-2,QUAY,R-8,1,3\nA-01-3,QUAY,00413,6,4\n":               false, // other columns
		"QUAY,A-01-1,00411,4,red\nQUAY,A-01-2,R-8,1,blue\nQUAY,A-01-3,00413,6,red\n":        false, // words for a cost
		"QUAY,A-01-1,00411,4\nQUAY,A-01-2,R-8,1\nQUAY,A-01-3,00413,6\n":                     false, // a column is missing
		"Warehouse,Bin,SKU,On hand,Unit cost\nQUAY,A-01-1,00411,4,2\nQUAY,A-01-2,R-8,1,3\n": false, // it has a header
		"x,y,z,1,2\nx,y,z,1,2\nx,y,z,1,2\n":                                                 false, // nothing of it is known
	} {
		m, err := recognise.File(open(t, text), recognise.Want{Kinds: all, Known: fixture(), Layouts: []*layout.Layout{l}})
		require.NoError(t, err)
		assert.Equal(t, fits, m.Layout == l, "%s: %s", text, m.WhyKind)
		if fits {
			assert.Equal(t, field.UnitCost, m.Columns[4].Field)
			assert.True(t, m.NoHeader)
		}
	}
}

// Of several sheets the one that reads best is taken, whatever its place.
func TestRecogniseSheet(t *testing.T) {
	x := excelize.NewFile()
	require.NoError(t, x.SetSheetRow("Sheet1", "A1", &[]any{"Remarks", "Date"}))
	_, err := x.NewSheet("Lager")
	require.NoError(t, err)
	require.NoError(t, x.SetSheetRow("Lager", "A4", &[]any{"Warehouse", "Bin", "SKU", "On hand"}))
	require.NoError(t, x.SetSheetRow("Lager", "A5", &[]any{"W", "A", "X", "twelve"}))
	var b bytes.Buffer
	require.NoError(t, x.Write(&b))
	f, err := tabular.Open("b.xlsx", bytes.NewReader(b.Bytes()), int64(b.Len()), tabular.Options{})
	require.NoError(t, err)
	m, err := recognise.File(f, recognise.Want{Kinds: all})
	require.NoError(t, err)
	assert.Equal(t, "Lager", m.SheetName)
	p := &problem.Problems{}
	_, err = read.Reading{Zone: time.UTC}.Stock(f, m, p)
	require.NoError(t, err)
	require.Len(t, p.List, 1)
	assert.Equal(t, `b.xlsx:Lager:5: quantity: "twelve" is not a number`, p.List[0].String())
	assert.Equal(t, "D", p.List[0].Column)
}

// On hand is available plus reserved where it has no column; where all three stand they have to agree.
func TestOnHandReservedAvailable(t *testing.T) {
	read := func(text string) (*read.StockFile, *problem.Problems) {
		f := open(t, text)
		m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
		require.NoError(t, err)
		require.Empty(t, m.Check("f.csv"))
		p := &problem.Problems{}
		s, err := read.Reading{Zone: time.UTC}.Stock(f, m, p)
		require.NoError(t, err)
		return s, p
	}
	s, p := read("sku,available,reserved\nX,7,3\n")
	assert.Empty(t, p.List)
	assert.Equal(t, "10", s.Book.Lines[0].Recorded.String())
	s, p = read("sku,on hand,available\nX,7,3\n")
	assert.Empty(t, p.List)
	assert.Equal(t, "4", s.Book.Lines[0].Reserved.String())
	_, p = read("sku,on hand,available,reserved\nX,7,3,3\n")
	require.Len(t, p.List, 1)
	assert.Contains(t, p.List[0].Text, "on hand 7 is not available 3 plus reserved 3")
}

// What is settled by hand goes before what the header says.
func TestColumnsByHand(t *testing.T) {
	set := func(c ...layout.Choice) *recognise.Mapping {
		m, err := recognise.File(
			open(t, "sku,quantity,count\nX,1,2\n"),
			recognise.Want{Kinds: []field.Kind{field.Stock}, Given: &layout.Layout{Columns: c}},
		)
		require.NoError(t, err)
		return m
	}
	m := set(layout.Choice{Column: "C", Field: field.Quantity})
	assert.Equal(t, 2, m.At(field.Quantity))
	assert.Equal(t, field.Field(""), m.Columns[1].Field)
	assert.Empty(t, m.Check("f.csv"))
	m = set(layout.Choice{Column: "B", Field: field.PassedOver})
	assert.Len(t, m.Check("f.csv"), 1)
}

// Whatever a file holds, reading it ends with records and problems, never with a panic.
func FuzzReading(f *testing.F) {
	f.Add([]byte("sku,quantity,unit_cost,recorded_at\nX,1,2,2026-01-01 10:00\n"))
	f.Add([]byte("row code;bin;sku;counted;round\nW1S1R1A;A;X;-1;0\n"))
	f.Add([]byte("Posted at,sku,qty change\n,,\n\xff,X,1e9\n"))
	f.Add([]byte("Item code,Type,Active\nX,boat,perhaps\nX,service,no\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := tabular.Open("f", bytes.NewReader(data), int64(len(data)), tabular.Options{})
		if err != nil {
			return
		}
		m, err := recognise.File(file, recognise.Want{Kinds: all})
		if err != nil {
			return
		}
		p := &problem.Problems{Most: 50}
		for _, x := range m.Check("f") {
			p.Add(x)
		}
		r := read.Reading{Zone: time.UTC}
		_, _ = r.Stock(file, m, p)
		_, _ = r.Counts(file, m, p)
		_, _ = r.Movements(file, m, p)
		_, _ = r.Items(file, m, p)
		_, _ = r.Places(file, m, p)
		for _, x := range p.List {
			if x.Text == "" {
				t.Fatal("a problem without words")
			}
		}
	})
}

func TestSkippedRowsInWords(t *testing.T) {
	for why, want := range map[recognise.Skip]string{recognise.Totals: "1 total, 3 totals", recognise.Notes: "1 note, 3 notes",
		recognise.HeadersAgain: "1 header that comes again, 3 headers that come again", recognise.BlockHeads: "1 heading of a block, 3 headings of blocks",
		recognise.Hidden: "1 hidden row, 3 hidden rows", recognise.Filtered: "1 row that the row filter leaves out, 3 rows that the row filter leaves out"} {
		assert.Equal(t, want, why.Words(1)+", "+read.Skipped{Why: why, N: 3}.Words())
		assert.Contains(t, recognise.Skips, why)
	}
}
