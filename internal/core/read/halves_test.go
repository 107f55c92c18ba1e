package read

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// readWhole is all that a reading gives, in words.
func readWhole(t require.TestingT, data []byte, r Reading, given *layout.Layout) string {
	var b strings.Builder
	f, err := tabular.Open("stock.csv", bytes.NewReader(data), int64(len(data)), tabular.Options{Encoding: tabular.UTF8, Delimiter: ','})
	require.NoError(t, err)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}, Given: given, Known: r.Known})
	require.NoError(t, err)
	r.Layout, r.Zone = given, time.UTC
	p := &problem.Problems{Most: 40}
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
	fmt.Fprintf(&b, "%+v\n%+v\n", s.Skipped, s.Mapping.Asks)
	for _, c := range s.Mapping.Columns {
		fmt.Fprintln(&b, c.Field, c.Why)
	}
	for _, f := range []field.Field{field.Quantity, field.UnitCost, field.RecordedAt} {
		if src := s.Mapping.Sources[f]; src != nil {
			fmt.Fprintf(&b, "%s %+v %+v\n", f, src.Numbers, src.Dates)
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
		given := &layout.Layout{}
		for _, x := range []struct{ header, field string }{{"remark", field.LineAttribute + "Remark"}, {"grade", field.ItemAttribute + "Grade"}} {
			if rapid.Bool().Draw(t, x.header) {
				given.Columns = append(given.Columns, layout.Choice{Header: x.header, Field: field.Field(x.field)})
			}
		}
		if rapid.Bool().Draw(t, "filter") {
			given.Filter = "'on hand' <> 12"
		}
		if rapid.Bool().Draw(t, "repair") {
			given.Repairs = []layout.Repair{{Field: field.SKU, Damage: "lost its leading zeros", Way: ""}}
			given.Matches = []layout.Match{
				{Field: field.Zone, From: "Nort", Do: "match", To: "North"},
				{Field: field.Unit, From: "PCS", Do: "skip"},
			}
		}
		var r Reading
		if rapid.Bool().Draw(t, "known") {
			r.Known = halfKnown()
			r.Known.Measure = inMetres
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
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}})
	require.NoError(t, err)
	half := Reading{Halves: true, Zone: time.UTC}.pass(f, m, &problem.Problems{}).second()
	require.NotNil(t, half)
	require.NoError(t, half.wait())
	half.end()
	assert.InDelta(t, 25_000, len(half.x.Book.Lines), 2)
	ctx, stop := context.WithCancel(t.Context())
	stop()
	_, err = Reading{Halves: true, Context: ctx, Zone: time.UTC}.Stock(f, m, &problem.Problems{})
	require.ErrorIs(t, err, context.Canceled)
	broken := rows + "QUAY,A-01-1,\"00411,1\n"
	assert.Equal(
		t,
		readWhole(t, []byte(broken), Reading{}, &layout.Layout{}),
		readWhole(t, []byte(broken), Reading{Halves: true}, &layout.Layout{}),
	)
}

// halfKnown knows some of what the drawn files hold.
func halfKnown() *recognise.Known {
	k := &recognise.Known{Sets: map[field.Field]*known.Set{}}
	for f, list := range map[field.Field]string{
		field.Warehouse: "QUAY LOFT", field.SKU: "00411 00412 00413 R-8", field.Barcode: "4006381333931", field.Unit: "m ea", field.Bin: "A-01-1 A-01-2 C01 3-12",
	} {
		k.Sets[f] = &known.Set{}
		for t := range strings.FieldsSeq(list) {
			k.Sets[f].Add(t)
		}
	}
	bins := map[string]string{"QUAY": "A-01-1 A-01-2 3-12", "LOFT": "C01"}
	k.Bins = func(house string) *known.Set {
		if bins[house] == "" {
			return nil
		}
		s := &known.Set{}
		for t := range strings.FieldsSeq(bins[house]) {
			s.Add(t)
		}
		return s
	}
	k.Lead = func(by field.Field, text string) (string, bool) {
		if by == field.Barcode && text == "4006381333931" {
			return "00412", false
		}
		return "", false
	}
	return k
}

// inMetres knows that rope is kept in metres, 25 of them to a box.
func inMetres(sku, unit string) (int64, string, bool) {
	switch {
	case sku != "ROPE":
		return 1, "", false
	case unit == "M":
		return 1, "M", true
	case unit == "BX":
		return 25, "M", true
	}
	return 0, "M", true
}

// One mapping can be read by several at the same time, by each with its own answers, and stays as it is.
func TestOneMappingManyReadings(t *testing.T) {
	rows := "warehouse,bin,sku,on hand,unit cost\n" + strings.Repeat(
		"QUAY,A-01-1,00411,\"1.234\",3\n",
		300,
	) + "QUAY,A-01-1,00411,\"7,5\",3\n"
	f, err := tabular.Open("stock.csv", strings.NewReader(rows), int64(len(rows)), tabular.Options{})
	require.NoError(t, err)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}, Given: &layout.Layout{Filter: "'on hand' > 0"}})
	require.NoError(t, err)
	before := fmt.Sprintf("%+v %+v %+v", m, m.Sources[field.Quantity], m.Filter)
	told := make([]string, 4)
	var all sync.WaitGroup
	for i := range told {
		all.Go(func() {
			p := &problem.Problems{}
			s, err := Reading{Zone: time.UTC, Layout: &layout.Layout{Filter: "'on hand' > 0"}}.Stock(f, m, p)
			told[i] = fmt.Sprintf("%v %v %v %+v", len(s.Book.Lines), err, p.List, s.Mapping.Asks)
		})
	}
	all.Wait()
	for _, x := range told {
		require.Equal(t, told[0], x)
	}
	require.Equal(t, before, fmt.Sprintf("%+v %+v %+v", m, m.Sources[field.Quantity], m.Filter))
}
