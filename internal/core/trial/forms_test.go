package trial_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// grouped writes a number as a country does.
func grouped(q quantity.Quantity, decimal, thousands string) string {
	s := q.String()
	sign := ""
	if strings.HasPrefix(s, "-") {
		sign, s = "-", s[1:]
	}
	whole, places, _ := strings.Cut(s, ".")
	for i := len(whole) - 3; i > 0 && thousands != ""; i -= 3 {
		whole = whole[:i] + thousands + whole[i:]
	}
	if places != "" {
		whole += decimal + places
	}
	return sign + whole
}

// Numbers written by any custom are read back exactly, the whole column by one form.
func TestNumbersOfAnyCustom(t *testing.T) {
	customs := [][2]string{
		{".", ","},
		{",", "."},
		{".", "'"},
		{",", " "},
		{",", "\u00a0"},
		{",", "\u202f"},
		{".", "’"},
		{".", ""},
		{",", ""},
	}
	rapid.Check(t, func(t *rapid.T) {
		custom := rapid.SampledFrom(customs).Draw(t, "custom")
		// One number that tells the custom, then any others.
		numbers := []quantity.Quantity{1_234_500_000}
		for range rapid.IntRange(1, 20).Draw(t, "n") {
			q := quantity.Quantity(rapid.Int64Range(-99_999_999_999, 99_999_999_999).Draw(t, "q"))
			if rapid.Bool().Draw(t, "whole") {
				q = q / quantity.Scale * quantity.Scale
			}
			numbers = append(numbers, q)
		}
		var b strings.Builder
		b.WriteString("SKU\tOn hand\n")
		for i, q := range numbers {
			fmt.Fprintf(&b, "S%d\t%s\n", i, grouped(q, custom[0], custom[1]))
		}
		f := open(t, b.String())
		m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
		require.NoError(t, err)
		p := &problem.Problems{}
		s, err := read.Reading{Zone: time.UTC}.Stock(f, m, p)
		require.NoError(t, err)
		require.Empty(t, p.List)
		require.Empty(t, m.Asks)
		for i := range s.Book.Lines {
			require.Equal(t, numbers[i], s.Book.Lines[i].Recorded, "%s", b.String())
		}
	})
}

// The sample tells one form, the whole file another: the whole decides.
func TestTheWholeColumnDecides(t *testing.T) {
	var b strings.Builder
	b.WriteString("sku\tquantity\n")
	for i := range 6000 {
		n := "1.234"
		if i > 5000 {
			n = "7,5"
		}
		fmt.Fprintf(&b, "S%d\t%s\n", i, n)
	}
	f := open(t, b.String())
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
	require.NoError(t, err)
	p := &problem.Problems{}
	s, err := read.Reading{Zone: time.UTC}.Stock(f, m, p)
	require.NoError(t, err)
	assert.Empty(t, p.List)
	assert.Empty(t, s.Mapping.Asks, "what was even in the sample is plain in the whole")
	assert.Len(t, m.Asks, 1, "what was recognised does not change by being read")
	assert.Equal(t, "1234", s.Book.Lines[0].Recorded.String())
	assert.Equal(t, "7.5", s.Book.Lines[5999].Recorded.String())
}

// settled reads a file of the folder with answers, as the screen gives them one after the other.
func settled(t *testing.T, name string, answers ...layout.Layout) (*read.StockFile, *problem.Problems, *recognise.Mapping) {
	l := &layout.Layout{}
	for i := range answers {
		l.Settle(&answers[i])
	}
	require.NoError(t, l.Valid())
	f := openFile(t, name)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}, Given: l, Known: fixture()})
	require.NoError(t, err)
	p := &problem.Problems{}
	s, err := read.Reading{Zone: time.UTC, Known: fixture(), Layout: l}.Stock(f, m, p)
	require.NoError(t, err)
	return s, p, s.Mapping
}

func lines(s *read.StockFile) (out []string) {
	for i := range s.Book.Lines {
		l := &s.Book.Lines[i]
		out = append(out, strings.Trim(strings.Join(sliceOf(s.Book.Codes.Texts(l.Key)), " "), " ")+" = "+l.Recorded.String())
	}
	return out
}

// Every remedy does what it says: with all of them taken, nothing is wrong any more.
func TestRemediesMendTheFile(t *testing.T) {
	for name, want := range map[string][]string{
		"damaged-codes.csv": nil,
		"signs-beside-numbers.csv": {"QUAY A-01-1 00411 = 12", "QUAY A-01-2 00412 = -4", "QUAY A-01-3 00413 = -5", "LOFT C01 00414 = 10",
			"LOFT C02 00415 = 7", "LOFT C03 00416 = -3"},
		"two-spellings.csv":    nil,
		"several-together.csv": nil,
	} {
		var answers []layout.Layout
		for range 12 {
			_, p, m := settled(t, name, answers...)
			before := len(answers)
			for _, a := range m.Asks {
				c := a.Options[0].Set
				c.Column, c.Header = a.Column, m.Columns[strings.IndexByte("ABCDEFGH", a.Column[0])].Header
				answers = append(answers, layout.Layout{Columns: []layout.Choice{c}})
			}
			s, _, _ := settled(t, name, answers...)
			for g := range p.Groups {
				for _, r := range remedy.Of(m, p, g, s.Values) {
					if r.Certain {
						answers = append(answers, r.Set)
					}
				}
			}
			for _, v := range s.Values {
				if v.Refused && len(v.Near) > 0 {
					answers = append(
						answers,
						layout.Layout{Matches: []layout.Match{{Field: v.Field, From: v.Text, Do: "match", To: v.Near[0]}}},
					)
				} else if v.Refused && len(v.Originals) != 1 {
					answers = append(answers, layout.Layout{Matches: []layout.Match{{Field: v.Field, From: v.Text, Do: "new", To: ""}}})
				}
			}
			if len(answers) == before {
				break
			}
		}
		s, p, m := settled(t, name, answers...)
		assert.Empty(t, p.List, name)
		assert.Empty(t, m.Asks, name)
		if want != nil {
			assert.Equal(t, want, lines(s), name)
		}
		assert.Positive(t, takenIsWhatWasRead(t, name, s, m), name)
	}
}

// takenIsWhatWasRead holds what is shown that each cell was taken for against the lines that were read. It gives the
// number of cells that were taken for something else than they say.
func takenIsWhatWasRead(t *testing.T, name string, s *read.StockFile, m *recognise.Mapping) (other int) {
	data := contentOf(t, "testdata/files/"+name)
	f, err := tabular.Open(name, bytes.NewReader(data), int64(len(data)), tabular.Options{})
	require.NoError(t, err)
	rows, err := f.Rows(m.Sheet)
	require.NoError(t, err)
	defer rows.Close()
	by := map[int]*stock.Line{}
	for i := range s.Book.Lines {
		by[int(s.Book.Lines[i].Row)] = &s.Book.Lines[i]
	}
	taken := read.NewTakenFor(m, s.Values)
	for n, cells, ok := rows.Next(); ok; n, cells, ok = rows.Next() {
		var row []string
		for _, c := range cells {
			row = append(row, string(c))
		}
		l := by[n]
		if l == nil {
			continue
		}
		is := map[string]string{}
		for _, x := range taken.Row(row) {
			is[x.Column] = x.Text
			other++
		}
		for f, part := range map[field.Field]stock.Part{field.Warehouse: stock.Warehouse, field.Bin: stock.Bin, field.SKU: stock.SKU} {
			at := m.At(f)
			if at < 0 || row[at] == "" {
				continue
			}
			text, some := is[tabular.ColumnName(at)]
			if !some {
				text = code.Trim(row[at])
			}
			assert.Equal(t, s.Book.Codes[part].Text(l.Key[part]), text, "%s %s%d", name, tabular.ColumnName(at), n)
		}
		if text, some := is[tabular.ColumnName(m.At(field.Quantity))]; some {
			q, err := quantity.Parse([]byte(text))
			require.NoError(t, err)
			assert.Equal(t, l.Recorded, q, "%s row %d", name, n)
		}
	}
	return other
}

func TestSettledColumns(t *testing.T) {
	s, p, _ := settled(
		t,
		"first-row-of-a-group.csv",
		layout.Layout{
			Columns: []layout.Choice{{Column: "A", Header: "Warehouse", Fill: "down"}, {Column: "B", Header: "Bin", Fill: "down"}},
		},
	)
	assert.Empty(t, p.List)
	assert.Equal(
		t,
		[]string{
			"QUAY A-01-1 00411 = 10",
			"QUAY A-01-1 00412 = 4",
			"QUAY A-01-3 00413 = 6",
			"LOFT C01 00414 = 7",
			"LOFT C01 00415 = 1",
			"LOFT C02 00416 = 9",
		},
		lines(s),
	)

	s, p, _ = settled(
		t,
		"only-stock.csv",
		layout.Layout{
			Columns: []layout.Choice{{Column: "D", Header: "Stock", Field: field.Available}, {Field: field.Reserved, Fixed: "3"}},
		},
		layout.Layout{Filter: "'Stock' > 5"},
	)
	assert.Empty(t, p.List)
	assert.Equal(t, []string{"QUAY A-01-1 00411 = 13"}, lines(s), "available and reserved give what is on hand")
	assert.Equal(t, []read.Skipped{{Why: recognise.Filtered, N: 1, Rows: []int{3}}}, s.Skipped)

	s, _, _ = settled(t, "title-and-totals.csv", layout.Layout{Aside: "take"})
	assert.Len(t, s.Book.Lines, 4, "a total without an item is a problem then, not a line")

	s, p, _ = settled(
		t,
		"decimal-commas.csv",
		layout.Layout{Columns: []layout.Choice{{Field: field.Quantity, Formula: "ROUND('On hand' * 2; 0) + LEN('SKU')"}}},
	)
	assert.Empty(t, p.List)
	assert.Equal(
		t,
		[]string{"QUAY A-01-1 00411 = 2474", "QUAY A-01-2 00412 = 30", "QUAY A-01-3 00413 = 11"},
		lines(s),
		"a formula reads the column by its own form",
	)

	s, p, _ = settled(
		t,
		"damaged-codes.csv",
		layout.Layout{
			Repairs: []layout.Repair{{Field: field.SKU, Damage: "leading zeros lost", Way: ""}},
			Matches: []layout.Match{
				{Field: field.Bin, From: "3-Dec", Do: "skip", To: ""},
				{Field: field.Bin, From: "2026-11-03", Do: "match", To: "3-11"},
			},
		},
	)
	assert.Equal(t, 1, s.Left)
	assert.Contains(t, lines(s), "YARD 3-11 00412 = 4")
	assert.Equal(t, 4, p.Rows)
}

// A time that stands beside its date is put to it, and the order of the days is still found out.
func TestDateAndTimeApart(t *testing.T) {
	f := openFile(t, "date-and-time-apart.csv")
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Movements}, Known: fixture()})
	require.NoError(t, err)
	require.Len(t, m.Asks, 1)
	require.Equal(t, "The time stands in column B", m.Asks[0].Options[0].Label)
	given := &layout.Layout{Columns: []layout.Choice{m.Asks[0].Options[0].Set}}
	m, err = recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Movements}, Given: given, Known: fixture()})
	require.NoError(t, err)
	p := &problem.Problems{}
	s, err := read.Reading{Zone: time.UTC, Known: fixture(), Layout: given}.Movements(f, m, p)
	require.NoError(t, err)
	assert.Empty(t, p.List)
	assert.Empty(t, m.Asks)
	assert.Equal(t, "2026-11-24T09:30:00Z", time.Unix(0, s.Movements[1].At).UTC().Format(time.RFC3339))
}

// Movements of which none is below zero are not taken for receipts where a column says that some are issues.
func TestDirection(t *testing.T) {
	f := open(
		t,
		"Posted at,Item,Site,Type,Qty\n2026-11-20T08:00:00Z,00411,QUAY,Issue,2\n2026-11-20T09:00:00Z,00412,QUAY,Receipt,5\n2026-11-20T09:00:00Z,00413,QUAY,Scrap,1\n",
	)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Movements}})
	require.NoError(t, err)
	require.Len(t, m.Asks, 1)
	assert.Equal(t, "No quantity is below zero, and column D says Issue or Scrap. Do these take stock out?", m.Asks[0].Text)
	for i, want := range [][]string{{"-2", "5", "-1"}, {"2", "5", "1"}} {
		c := m.Asks[0].Options[i].Set
		if c.Formula == "" {
			c.Column, c.Header = "E", "Qty"
		}
		given := &layout.Layout{Columns: []layout.Choice{c}}
		m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Movements}, Given: given})
		require.NoError(t, err)
		assert.Empty(t, m.Asks)
		s, err := read.Reading{Zone: time.UTC, Layout: given}.Movements(f, m, &problem.Problems{})
		require.NoError(t, err)
		for k, x := range s.Movements {
			assert.Equal(t, want[k], x.Quantity.String())
		}
	}
}

// A mend counts only while the cell still says what it said.
func TestMends(t *testing.T) {
	f := open(t, "sku,quantity\nX,12 pcs\nY,\nZ,4\n")
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
	require.NoError(t, err)
	p := &problem.Problems{}
	s, err := read.Reading{
		Zone:  time.UTC,
		Mends: read.Mends{2: {1: {Was: "12 pcs", Is: "12"}}, 3: {1: {Was: "", Is: "5"}}, 4: {1: {Was: "40", Is: "9"}}},
	}.Stock(
		f,
		m,
		p,
	)
	require.NoError(t, err)
	assert.Empty(t, p.List)
	assert.Equal(t, []string{"X = 12", "Y = 5", "Z = 4"}, lines(s))
}

// A saved layout reads a file of the same shape without a question, whatever the order of its columns.
func TestLayoutKnowsItsShape(t *testing.T) {
	text := "Whse;Item;Qty;Cost each;Junk\nYARD;411;1,5;€ 2;x\nYARD;412;2,25;€ 3;y\n"
	f := open(t, text)
	given := &layout.Layout{}
	given.Settle(
		&layout.Layout{
			Columns: []layout.Choice{
				{Column: "D", Header: "Cost each", Numbers: form.Numbers{Signs: []string{"€"}}},
				{Column: "E", Header: "Junk", Field: "line.Junk"},
			},
			Repairs: []layout.Repair{{Field: field.SKU, Damage: "leading zeros lost", Way: ""}},
		},
	)
	m, err := recognise.File(f, recognise.Want{Kinds: field.Kinds, Given: given, Known: fixture()})
	require.NoError(t, err)
	saved := m.Whole(m.Given(given))
	saved.Name = "Yard"
	b, err := json.Marshal(saved)
	require.NoError(t, err)
	again, err := layout.Decode(b)
	require.NoError(t, err)
	moved := open(t, "Title\n\nJunk;Cost each;Item;Qty;Whse\nx;€ 2;411;1,5;YARD\n")
	m, err = recognise.File(
		moved,
		recognise.Want{
			Kinds:   field.Kinds,
			Layouts: []*layout.Layout{{Name: "Other", Kind: field.Items, Headers: []string{"SKU", "Title"}}, again},
			Known:   fixture(),
		},
	)
	require.NoError(t, err)
	require.NotNil(t, m.Layout)
	assert.Equal(t, "Yard", m.Layout.Name)
	assert.Equal(t, 3, m.HeaderRow)
	p := &problem.Problems{}
	s, err := read.Reading{Zone: time.UTC, Known: fixture(), Layout: &layout.Layout{}}.Stock(moved, m, p)
	require.NoError(t, err)
	assert.Empty(t, p.List)
	assert.Empty(t, m.Asks)
	assert.Equal(t, []string{"YARD  00411 = 1.5"}, lines(s))
	assert.Equal(t, `{"Junk":"x"}`, s.Book.Kept(&s.Book.Lines[0]))
	assert.Equal(t, "2", s.Book.Lines[0].Cost.String())
}

func TestLayoutErrors(t *testing.T) {
	for text, want := range map[string]string{
		`{"kind":"boats"}`: `kind: "boats"`, `{"kind":"stock","columns":[{"header":"X","field":"colour"}]}`: `a stock file has no field "colour"`, `{"colour":1}`: "unknown field", `[`: "it is no layout",
		`{"filter":"1+"}`: "filter: at character 3", `{"columns":[{"field":"sku","formula":"FOO(1)"}]}`: "no function FOO",
		`{"columns":[{"header":"A","order":"dym"}]}`: "dym", `{"matches":[{"field":"sku","from":"x","do":"guess"}]}`: "guess",
		`{"columns":[{"header":"A","time":"25:61"}]}`: "25:61", `{"columns":[{"formula":"1"}]}`: "needs a field", `{"rows":"some"}`: "rows",
	} {
		_, err := layout.Decode([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
}

func openFile(t *testing.T, name string) *tabular.File {
	b := contentOf(t, "testdata/files/"+name)
	f, err := tabular.Open(name, bytes.NewReader(b), int64(len(b)), tabular.Options{})
	require.NoError(t, err)
	return f
}

// stockOf reads a text as recorded stock, with what is known and what was settled.
func stockOf(t *testing.T, text string, k *recognise.Known, given *layout.Layout) (*read.StockFile, *problem.Problems, *recognise.Mapping) {
	t.Helper()
	f := open(t, text)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}, Known: k, Given: given})
	require.NoError(t, err)
	p := &problem.Problems{}
	s, err := read.Reading{Zone: time.UTC, Known: k, Layout: given}.Stock(f, m, p)
	require.NoError(t, err)
	return s, p, s.Mapping
}

// Two spellings of something new would make it twice; the later one is asked about, also where nothing is known yet.
func TestTwoNewSpellings(t *testing.T) {
	text := "warehouse,zone,bin,sku,on hand\nNORTHPIER,Front,A,X,1\nNORTHPEIR,Frnot,B,X,1\nYARD1,Back,C,X,1\nYARD2,Back,D,X,1\n"
	for _, k := range []*recognise.Known{{}, fixture()} {
		s, p, _ := stockOf(t, text, k, nil)
		assert.Len(t, s.Book.Lines, 3)
		require.Equal(t, 2, p.Len(), "%v", p.List)
		assert.ElementsMatch(
			t,
			[]problem.Group{{Kind: "unknown warehouse", Field: field.Warehouse}, {Kind: "unknown zone", Field: field.Zone}},
			[]problem.Group{{Kind: p.List[0].Kind, Field: p.List[0].Field}, {Kind: p.List[1].Kind, Field: p.List[1].Field}},
		)
		given := &layout.Layout{
			Matches: []layout.Match{
				{Field: field.Warehouse, From: "NORTHPEIR", Do: "match", To: "NORTHPIER"},
				{Field: field.Zone, From: "Frnot", Do: "new"},
			},
		}
		s, p, _ = stockOf(t, text, k, given)
		assert.Zero(t, p.Len(), "%v", p.List)
		require.Len(t, s.Book.Lines, 4)
		assert.Equal(t, s.Book.Lines[0].Key[stock.Warehouse], s.Book.Lines[1].Key[stock.Warehouse])
	}
}

// Movements alike in all that is known of them are refused, kept, or left out, as was settled.
func TestMovementsAlike(t *testing.T) {
	text := "warehouse,sku,quantity,at,reference\nQUAY,00411,-1,2026-11-20T06:00:00Z,D1\nQUAY,00411,-1,2026-11-20T06:00:00Z,D1\n"
	for doubles, want := range map[string][3]int{"": {1, 1, 0}, "keep": {2, 0, 0}, "skip": {1, 0, 1}} {
		f := open(t, text)
		given := &layout.Layout{Doubles: doubles}
		m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Movements}, Given: given})
		require.NoError(t, err)
		p := &problem.Problems{}
		s, err := read.Reading{Zone: time.UTC, Layout: given}.Movements(f, m, p)
		require.NoError(t, err)
		assert.Equal(t, want, [3]int{len(s.Movements), p.Len(), s.Left}, doubles)
	}
}

// What a formula cannot work out is told once, not as an empty cell too.
func TestFormulaThatFails(t *testing.T) {
	s, p, _ := stockOf(
		t,
		"warehouse,bin,sku,boxes\nQUAY,A,X,2\nQUAY,A,Y,x\n",
		nil,
		&layout.Layout{Columns: []layout.Choice{{Field: field.Quantity, Formula: "'boxes' * 12"}}},
	)
	assert.Len(t, s.Book.Lines, 1)
	require.Equal(t, 1, p.Len(), "%v", p.List)
	assert.Equal(t, "formula", p.List[0].Kind)
}

// What makes a text of a cell for a spreadsheet program is taken off; what its formulas went wrong with is told, once.
func TestCellsOfSpreadsheets(t *testing.T) {
	s, p, _ := stockOf(
		t,
		"=\"warehouse\",bin,sku,qty,description\nQUAY,\"=\"\"3-12\"\"\",\"=\"\"00412\"\"\",=\"5\",#N/A\nQUAY,#N/A,#REF!,#DIV/0!\nQUAY,A,'00412,7\nQUAY,A,=X,8\n",
		nil,
		nil,
	)
	var got []string
	for _, l := range s.Book.Lines {
		k := s.Book.Codes.Texts(l.Key)
		got = append(got, k[stock.Bin]+" "+k[stock.SKU]+" "+l.Recorded.String())
	}
	assert.Equal(t, []string{"3-12 00412 5", "A 00412 7", "A =X 8"}, got)
	assert.Equal(t, 1, s.AsText)
	require.Equal(t, 3, p.Len(), "%v", p.List)
	for _, x := range p.List {
		assert.Equal(t, "formula in the file", x.Kind)
		assert.Equal(t, 3, x.Row)
	}
}

// Where not all problems of a group are kept in full, a remedy says that it reaches more rows.
func TestRemedyOfMany(t *testing.T) {
	f := open(t, "sku,on hand\n"+strings.Repeat("X,5 pcs\n", 30))
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
	require.NoError(t, err)
	for most, want := range map[int]string{10: `Leave "pcs" away in column B, 10 rows or more`, 100: `Leave "pcs" away in column B, 30 rows`} {
		p := &problem.Problems{Most: most}
		_, err = read.Reading{Zone: time.UTC}.Stock(f, m, p)
		require.NoError(t, err)
		assert.Equal(t, want, remedy.Of(m, p, problem.Group{Kind: "unit or currency sign", Field: field.Quantity}, nil)[0].Label)
	}
}
