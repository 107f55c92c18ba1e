package layout

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/tabular"
)

// readWhole is all that a reading gives, in words.
func readWhole(t require.TestingT, data []byte, r Reading, given *Layout) string {
	var b strings.Builder
	f, err := tabular.Open("stock.csv", bytes.NewReader(data), int64(len(data)), tabular.Options{Encoding: tabular.UTF8, Delimiter: ','})
	require.NoError(t, err)
	m, err := Recognise(f, Want{Kinds: []Kind{Stock}, Given: given, Known: r.Known})
	require.NoError(t, err)
	r.Layout, r.Zone = given, time.UTC
	p := &Problems{Most: 40}
	s, err := r.Stock(f, m, p)
	fmt.Fprintln(&b, "error", err)
	for i := range s.Book.Lines {
		l := &s.Book.Lines[i]
		fmt.Fprintln(
			&b,
			l.Row,
			l.Key,
			s.Book.Codes.Texts(l.Key),
			l.Recorded,
			l.Reserved,
			l.HasReserved,
			l.Cost,
			l.Costed,
			s.Book.Units.Text(l.Unit),
			s.Book.Descriptions.Text(l.Description),
			s.Book.RecordID(l),
			s.Book.Kept(l),
		)
	}
	fmt.Fprintln(
		&b,
		s.Rows,
		s.HasAt,
		s.At,
		s.AtRow,
		s.OtherAtRow,
		s.NoAtRow,
		s.CostsRounded,
		s.Zones,
		s.Barcodes,
		s.ItemKept,
		s.Left,
		s.Packed,
	)
	for _, v := range s.Values {
		fmt.Fprintf(&b, "%+v\n", v)
	}
	fmt.Fprintln(&b, p.Rows, p.More, p.Groups)
	for _, x := range p.List {
		fmt.Fprintf(&b, "%s (%+v)\n", x, x)
	}
	for row := range 400 {
		if g, refused := p.Refused(row); refused {
			fmt.Fprintln(&b, "refused", row, g)
		}
	}
	fmt.Fprintf(&b, "%+v\n%+v\n", s.Aside, s.Mapping.Asks)
	for _, c := range s.Mapping.Columns {
		fmt.Fprintln(&b, c.Field, c.Why)
	}
	for _, f := range []Field{Quantity, UnitCost, RecordedAt} {
		if src := s.Mapping.sources[f]; src != nil {
			fmt.Fprintf(&b, "%s %+v %+v\n", f, src.numbers, src.dates)
		}
	}
	return b.String()
}

// A file read in halves is read as in one, whatever stands where it is cut: quoted line ends, lone carriage returns,
// units that the first half settles, problems, totals, times.
func TestHalves(t *testing.T) {
	defer func(n int64) { worthHalves = n }(worthHalves)
	worthHalves = 0
	pick := func(t *rapid.T, label string, of ...string) string { return rapid.SampledFrom(of).Draw(t, label) }
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		head := "warehouse,zone,bin,sku,barcode,description,unit,on hand,reserved,unit cost,recorded at,record id,remark,grade"
		b.WriteString(head + "\n")
		for range rapid.IntRange(1, 60).Draw(t, "rows") {
			switch pick(t, "sort", "line", "line", "line", "line", "line", "line", "empty", "total", "note", "head", "short") {
			case "empty":
				b.WriteString(pick(t, "end", "\n", "\r\n", ",,,\n"))
				continue
			case "total":
				b.WriteString("Total,,,,,,,12\n")
				continue
			case "note":
				b.WriteString("printed by night\n")
				continue
			case "head":
				b.WriteString(head + "\n")
				continue
			case "short":
				b.WriteString("QUAY,N\n")
				continue
			}
			fmt.Fprintf(
				&b,
				"%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s%s",
				pick(
					t,
					"warehouse",
					"QUAY",
					"LOFT",
					"quay",
					"PIER",
				),
				pick(t, "zone", "", "North", "Nort", "South"),
				pick(t, "bin", "A-01-1", "A-01-2", "C01", "12-Mar", "new"),
				pick(t, "sku", "ROPE", "00411", "411", "00412", "R-8", "X-1", "X-2", ""),
				pick(t, "barcode", "", "", "4006381333931", "77"),
				pick(t, "description", "Rope", `"Rope, 8 mm"`, "\"two\nlines\"", `12" rope`, `"a ""b"" c"`),
				pick(
					t,
					"unit",
					"",
					"M",
					"M",
					"BX",
					"ea",
					"PCS",
				),
				pick(t, "on hand", "1", "12", "12.5", "1,5", "1.234", "x", "", "3 pcs"),
				pick(t, "reserved", "", "", "0", "1"),
				pick(
					t,
					"cost",
					"",
					"2",
					"0.3333333",
					"€4",
				),
				pick(t, "at", "2026-11-20T06:00:00Z", "2026-11-20T06:00:00Z", "", "20/11/2026", "03/04/2026", "soon"),
				pick(t, "id", "", "r1", "r22"),
				pick(t, "remark", "", "torn", "wet"),
				pick(t, "grade", "", "a", "b"),
				pick(t, "end", "\n", "\n", "\n", "\r\n", "\r"),
			)
		}
		given := &Layout{}
		for _, x := range []struct{ header, field string }{{"remark", LineAttribute + "Remark"}, {"grade", ItemAttribute + "Grade"}} {
			if rapid.Bool().Draw(t, x.header) {
				given.Columns = append(given.Columns, Choice{Header: x.header, Field: Field(x.field)})
			}
		}
		if rapid.Bool().Draw(t, "filter") {
			given.Filter = "'on hand' <> 12"
		}
		if rapid.Bool().Draw(t, "repair") {
			given.Repairs = []Repair{{SKU, "lost its leading zeros", ""}}
			given.Matches = []Match{{Field: Zone, From: "Nort", Do: "match", To: "North"}, {Field: Unit, From: "PCS", Do: "skip"}}
		}
		var r Reading
		if rapid.Bool().Draw(t, "known") {
			r.Known = fixture()
			r.Known.Measure = measured(25).Measure
		}
		whole := readWhole(t, []byte(b.String()), r, given)
		r.Halves = true
		require.Equal(t, whole, readWhole(t, []byte(b.String()), r, given))
	})
}

// The second half is given up with the reading, and what cannot be read in it is told as of its own row.
func TestHalvesEnd(t *testing.T) {
	defer func(n int64) { worthHalves = n }(worthHalves)
	worthHalves = 0
	rows := "warehouse,bin,sku,on hand\n" + strings.Repeat("QUAY,A-01-1,00411,1\n", 50_000)
	f, err := tabular.Open("stock.csv", strings.NewReader(rows), int64(len(rows)), tabular.Options{})
	require.NoError(t, err)
	m, err := Recognise(f, Want{Kinds: []Kind{Stock}})
	require.NoError(t, err)
	half := Reading{Halves: true, Zone: time.UTC}.pass(f, m, &Problems{}).second()
	require.NotNil(t, half)
	require.NoError(t, half.wait())
	half.end()
	assert.InDelta(t, 25_000, len(half.x.Book.Lines), 2)
	ctx, stop := context.WithCancel(t.Context())
	stop()
	_, err = Reading{Halves: true, Context: ctx, Zone: time.UTC}.Stock(f, m, &Problems{})
	require.ErrorIs(t, err, context.Canceled)
	broken := rows + "QUAY,A-01-1,\"00411,1\n"
	assert.Equal(t, readWhole(t, []byte(broken), Reading{}, &Layout{}), readWhole(t, []byte(broken), Reading{Halves: true}, &Layout{}))
}
