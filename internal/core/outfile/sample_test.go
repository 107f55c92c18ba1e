package outfile

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func sampleLines() []Line {
	lines := []Line{line("A-1", "X", "-2.5", "LOSS"), line("A-2", "Y", "3", "FOUND"), line("A-3", "Z", "-4.75", "LOSS")}
	lines[1].Reason = "FOUND"
	return lines
}

// A layout that is proposed from what a layout has written writes the very same again, whatever its form, and asks nothing that the sample
// answers.
func TestProposedFromItsOwnFile(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := Layout{
			Delimiter: rapid.SampledFrom([]string{",", ";", "\t", "|"}).Draw(t, "delimiter"),
			Quotes:    rapid.SampledFrom([]string{"", "needed", "always"}).Draw(t, "quotes"),
			LineEnd:   rapid.SampledFrom([]string{"lf", "crlf"}).Draw(t, "line end"),
			OpenEnd:   rapid.Bool().Draw(t, "open end"), Mark: rapid.Bool().Draw(t, "mark"),
			Decimal: rapid.SampledFrom([]string{"point", "comma"}).Draw(t, "decimal"),
		}
		if l.Delimiter == "," && l.Quotes != "always" {
			l.Decimal = "point"
		}
		date := rapid.SampledFrom([]string{"YYYY-MM-DD", "DD.MM.YYYY", "MM/DD/YYYY", "YYYYMMDD", "DD-MM-YYYY hh:mm"}).Draw(t, "date")
		minus := rapid.SampledFrom([]string{"", "behind"}).Draw(t, "minus")
		l.Columns = []Column{{Header: "Warehouse", Field: Warehouse}, {Header: "Bin", Field: Bin}, {Header: "SKU", Field: SKU},
			{Header: "Adjustment quantity", Field: Difference, Minus: minus, Places: places(rapid.SampledFrom([]int{2, 4, 6}).Draw(t, "places"))},
			{Header: "Reason code", Field: Reason}, {Header: "Posting date", Field: PostingDate, Date: date}, {Header: "Counter", Field: Counter}}
		w, err := l.Write(sampleLines(), facts)
		require.NoError(t, err)
		require.Empty(t, w.Problems)
		p, asks, err := Propose("sample.csv", w.Files[0].Body)
		require.NoError(t, err)
		require.Empty(t, asks)
		again, err := p.Write(sampleLines(), facts)
		require.NoError(t, err)
		require.Empty(t, again.Problems)
		assert.Equal(t, string(w.Files[0].Body), string(again.Files[0].Body))
	})
	for _, l := range Ready()[:4] {
		want := written(t, l, sampleLines()...)[0]
		p, _, err := Propose("sample.csv", want.Body)
		require.NoError(t, err)
		if strings.Contains(l.Name, "balances") {
			p.Columns[8].Field = Balance // "quantity" may be either, and is asked about
		} else if l.Name == "What was counted" {
			p.Columns[8].Field = Counted
		}
		assert.Equal(t, string(want.Body), string(written(t, p, sampleLines()...)[0].Body), l.Name)
	}
}

// An empty template gives its columns; what it cannot tell is asked.
func TestProposedFromATemplate(t *testing.T) {
	l, asks, err := Propose("ADJ_IMPORT.csv", []byte("Stock import\r\nItem No;Bin;Qty;Colour;Posting Date;Location\r\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{"ADJ_IMPORT", ";", "crlf", []string{"Stock import"}, false}, []any{l.Name, l.Delimiter, l.LineEnd, l.Titles, l.NoHeader})
	fields := []Field{}
	for _, c := range l.Columns {
		fields = append(fields, c.Field)
	}
	assert.Equal(t, []Field{SKU, Bin, Difference, "", PostingDate}, fields[:5])
	said := ""
	for _, a := range asks {
		said += a.Header + ": " + a.Question + "\n"
	}
	assert.Contains(t, said, "Qty: Does it say the difference, the new balance or what was counted?")
	assert.Contains(t, said, "Colour: What goes into this column?")
	assert.Contains(t, said, "Location: What goes into this column?")
	assert.Contains(t, said, "Qty: No number in the sample has decimals")
	assert.Contains(t, said, "Posting Date: The sample has no date here")
	require.NoError(t, l.Valid())

	// A column that is the same in every row, a second one of one meaning, dates of which nothing tells the order.
	l, asks, err = Propose("s.csv", []byte("type,item,sku,qty change,date\nADJ,X,X,-1,03/04/2026\nADJ,Y,Y,2,05/06/2026\n"))
	require.NoError(t, err)
	said = ""
	for _, a := range asks {
		said += a.Header + ": " + a.Question + "\n"
	}
	assert.Contains(t, said, "sku: The sample has another column for sku. What goes into this one?")
	assert.Contains(t, said, "may be day first or month first")
	assert.Equal(t, "DD/MM/YYYY", l.Columns[4].Date)

	for name, body := range map[string]string{"is a picture": "\x89PNG\r\n\x1a\n0000", "is empty": "", "is a PDF": "%PDF-1.7"} {
		_, _, err := Propose("x.csv", []byte(body))
		require.ErrorContains(t, err, name)
	}
}

// A workbook of a layout gives the layout back.
func TestProposedFromAWorkbook(t *testing.T) {
	l := Layout{Form: "workbook", Sheet: "Import", Columns: []Column{{Header: "Bin", Field: Bin}, {Header: "SKU", Field: SKU}, {Header: "Adjustment", Field: Difference},
		{Header: "Date", Field: PostingDate, Date: "YYYY-MM-DD", Cell: "date"}, {Header: "Unit cost", Field: UnitCost, Cell: "text"}}}
	want := written(t, l, sampleLines()...)[0]
	p, asks, err := Propose("sample.xlsx", want.Body)
	require.NoError(t, err)
	assert.Empty(t, asks)
	assert.Equal(t, want.Body, written(t, p, sampleLines()...)[0].Body)
}

// Whether a column of quantities says differences is asked where no number in the sample is below zero, however minus is written.
func TestWhetherQuantitiesAreDifferences(t *testing.T) {
	for numbers, asked := range map[string]bool{"1,2": true, "1,-2": false, "1,2-": false, "1,(2)": false, "+1,+2": true} {
		from, to, _ := strings.Cut(numbers, ",")
		_, asks, err := Propose("s.csv", []byte("item,qty\nX,"+from+"\nY,"+to+"\n"))
		require.NoError(t, err)
		is := false
		for _, a := range asks {
			is = is || strings.HasPrefix(a.Question, "Does it say the difference")
		}
		assert.Equal(t, asked, is, numbers)
	}
}
