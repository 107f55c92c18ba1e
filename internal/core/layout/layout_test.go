package layout

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"wobin/internal/core/tabular"
)

func open(t require.TestingT, text string) *tabular.File {
	f, err := tabular.Open("f.csv", bytes.NewReader([]byte(text)), int64(len(text)), tabular.Options{})
	require.NoError(t, err)
	return f
}

var all = []Kind{Stock, Counts, Movements, Items, Places}

func TestRecognise(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		kind Kind
		row  int
		want map[string]Field // header to field
	}{
		"an export with everything": {"Stock list\n\nWhse;Bin Location;Item No.;Item Name;Colour;QTY ON HAND;Allocated;Available;Avg. Cost;As of\nW;A;X;y;z;1;0;1;2;\n", Stock, 3,
			map[string]Field{"Whse": Warehouse, "Bin Location": Bin, "Item No.": SKU, "Item Name": Description, "Colour": "",
				"QTY ON HAND": Quantity, "Allocated": Reserved, "Available": Available, "Avg. Cost": UnitCost, "As of": RecordedAt}},
		"available is not on hand": {"sku,available stock\nX,1\n", Stock, 1, map[string]Field{"available stock": Available}},
		"the same meaning twice":   {"sku,quantity,qty\nX,1,2\n", Stock, 1, map[string]Field{"quantity": Quantity, "qty": ""}},
		"location alone is a bin": {"warehouse,location,sku,quantity\nW,A,X,1\n", Stock, 1, map[string]Field{"location": Bin,
			"warehouse": Warehouse}},
		"counts of other making": {"Bin,SKU,Count,Counted by,Count date\nA,X,1,Bo,\n", Counts, 1, map[string]Field{"Count": Counted,
			"Counted by": Counter, "Count date": CountedAt}},
		"recorded beside counted": {"Row code,Bin,SKU,Recorded,Counted\n,A,X,1,\n", Counts, 1, map[string]Field{"Recorded": Recorded,
			"Counted": Counted}},
		"movements": {"Posting date;Doc No;Item code;Qty change;Whse\n;;X;1;W\n", Movements, 1,
			map[string]Field{"Posting date": At, "Doc No": Reference, "Qty change": Quantity}},
		"items": {"Item code,Title,Base unit,Item group,Barcode,Active,Type\nX,y,ea,g,1,yes,stocked\n", Items, 1,
			map[string]Field{"Item code": SKU, "Title": Description, "Item group": Category, "Active": Active, "Type": Nature}},
	} {
		f := open(t, c.text)
		m, err := Recognise(f, Want{Kinds: all})
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
		given  Kind
		header int
		want   map[int]Field
	}{
		{"SKU,Shelf\n00411,\nR-8,high\n00413,\n00412,high\n", Items, 1, map[int]Field{0: SKU, 1: ""}},
		{"SKU,Shelf\n00411,4\nR-8,1\n00413,1\n00412,2\n", "", 1, map[int]Field{0: SKU}},
		{"Title,,\n\nSKU,Shelf\n00411,\nR-8,high\n00413,\n00412,\n", Items, 3, map[int]Field{0: SKU}},
		{"00411,high\nR-8,high\n00413,\n00412,high\n", Items, 0, map[int]Field{0: SKU}},
		{"QUAY,A-01-1,00411,4\nQUAY,A-01-2,R-8,1\nQUAY,A-01-3,00413,6\n", "", 0, map[int]Field{0: Warehouse, 1: Bin, 2: SKU, 3: Quantity}},
		{"Shelf,Ref\nhigh,00411\nhigh,R-8\nlow,00413\nlow,00412\nlow,00414\n", Items, 1, map[int]Field{0: "", 1: SKU}},
		{"Thing,Pieces of it\n00411,4\nR-8,1\n00413,1\n00412,2\n00414,3\n", "", 1, map[int]Field{0: SKU, 1: Quantity}},
		{"NEW,high\n00411,high\nR-8,high\n00413,\n00412,high\n00414,low\n", Items, 0, map[int]Field{0: SKU}}, // "high" stands again below
	} {
		m, err := Recognise(open(t, c.text), Want{Kinds: all, Known: fixture(), Given: &Layout{Kind: c.given}})
		require.NoError(t, err)
		assert.Equal(t, c.header, m.HeaderRow, "%s: %s", c.text, m.WhyHeader)
		for at, f := range c.want {
			assert.Equal(t, f, m.Columns[at].Field, "%s column %d: %s", c.text, at, m.Columns[at].Why)
		}
	}
}

// A layout of a file without a header is known again by what its columns hold, and by nothing else.
func TestLayoutWithoutHeader(t *testing.T) {
	l := &Layout{
		Name:   "Scanner",
		Kind:   Stock,
		Header: -1,
		Columns: []Choice{
			{Column: "A", Field: Warehouse},
			{Column: "B", Field: Bin},
			{Column: "C", Field: SKU},
			{Column: "D", Field: Quantity},
			{Column: "E", Field: UnitCost},
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
		m, err := Recognise(open(t, text), Want{Kinds: all, Known: fixture(), Layouts: []*Layout{l}})
		require.NoError(t, err)
		assert.Equal(t, fits, m.Layout == l, "%s: %s", text, m.WhyKind)
		if fits {
			assert.Equal(t, UnitCost, m.Columns[4].Field)
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
	m, err := Recognise(f, Want{Kinds: all})
	require.NoError(t, err)
	assert.Equal(t, "Lager", m.SheetName)
	p := &Problems{}
	_, err = Reading{Zone: time.UTC}.Stock(f, m, p)
	require.NoError(t, err)
	require.Len(t, p.List, 1)
	assert.Equal(t, `b.xlsx:Lager:5: quantity: "twelve" is not a number`, p.List[0].String())
	assert.Equal(t, "D", p.List[0].Column)
}

// On hand is available plus reserved where it has no column; where all three stand they have to agree.
func TestOnHandReservedAvailable(t *testing.T) {
	read := func(text string) (*StockFile, *Problems) {
		f := open(t, text)
		m, err := Recognise(f, Want{Kinds: []Kind{Stock}})
		require.NoError(t, err)
		require.Empty(t, m.Check("f.csv"))
		p := &Problems{}
		s, err := Reading{Zone: time.UTC}.Stock(f, m, p)
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
	set := func(c ...Choice) *Mapping {
		m, err := Recognise(open(t, "sku,quantity,count\nX,1,2\n"), Want{Kinds: []Kind{Stock}, Given: &Layout{Columns: c}})
		require.NoError(t, err)
		return m
	}
	m := set(Choice{Column: "C", Field: Quantity})
	assert.Equal(t, 2, m.At(Quantity))
	assert.Equal(t, Field(""), m.Columns[1].Field)
	assert.Empty(t, m.Check("f.csv"))
	m = set(Choice{Column: "B", Field: PassedOver})
	assert.Len(t, m.Check("f.csv"), 1)
}

func TestParseTime(t *testing.T) {
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	for in, want := range map[string]string{
		"2026-11-20 06:00": "2026-11-20T05:00:00Z", "2026-07-01T06:00:30": "2026-07-01T04:00:30Z",
		"2026-11-20T06:00:00+05:00": "2026-11-20T01:00:00Z", "2026-03-29 03:00": "2026-03-29T01:00:00Z",
	} {
		at, err := ParseTime(in, berlin)
		require.NoError(t, err, in)
		assert.Equal(t, want, time.Unix(0, at).UTC().Format(time.RFC3339), in)
	}
	for in, want := range map[string]error{"20.11.2026": ErrNotTime, "": ErrNotTime, "2026-11-20": ErrNotTime,
		"2026-03-29 02:30": ErrNoTime, "2026-10-25 02:30": ErrTwoTimes, "1066-01-01 00:00": ErrTimeRange} {
		_, err := ParseTime(in, berlin)
		assert.Equal(t, want, err, in)
	}
	// Every moment printed in the zone reads back as itself, unless the clock had that hour twice.
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(0, 4_000_000_000).Draw(t, "at"), 0)
		got, err := ParseTime(at.In(berlin).Format("2006-01-02 15:04:05"), berlin)
		if err != ErrTwoTimes {
			require.NoError(t, err)
			assert.Equal(t, at.UnixNano(), got)
		}
	})
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
		m, err := Recognise(file, Want{Kinds: all})
		if err != nil {
			return
		}
		p := &Problems{Most: 50}
		for _, x := range m.Check("f") {
			p.Add(x)
		}
		r := Reading{Zone: time.UTC}
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

func TestAsideSaid(t *testing.T) {
	for _, c := range []struct {
		n    int
		what string
		want string
	}{{1, "totals", "1 total"}, {3, "totals", "3 totals"}, {1, "headers that come again", "1 header that comes again"}, {2,
		"headers that come again", "2 headers that come again"}, {1, filtered, "1 row that the row filter leaves out"}} {
		assert.Equal(t, c.want, Aside{What: c.what, N: c.n}.Said())
	}
}
