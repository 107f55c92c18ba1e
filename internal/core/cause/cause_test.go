package cause_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

const minute = int64(60) * 1_000_000_000

// given makes an input of lines "bin sku lot expected counted", - for no lot; several counts are entries, apart by +. With found: in front
// the line has no recorded row. "open bin sku lot quantity" is an uncounted place. Lines stand below one another on one sheet.
func given(t testing.TB, text string) *cause.Input {
	t.Helper()
	in := &cause.Input{Codes: &stock.Codes{}, Counted: 1000}
	id := func(p stock.Part, s string) stock.ID {
		if s == "-" {
			return 0
		}
		return in.Codes[p].Intern([]byte(s))
	}
	q := func(s string) quantity.Quantity {
		n, err := quantity.Parse(s)
		require.NoError(t, err)
		return n
	}
	for b := range 40 { // bins that nothing is said of
		id(stock.Bin, fmt.Sprintf("Z-%02d-1", b))
	}
	var rows []cause.Row
	for _, line := range strings.Split(strings.TrimSpace(text), "\n") {
		f := strings.Fields(line)
		found := f[0] == "found:"
		if found || f[0] == "open" {
			f = f[1:]
		}
		key := stock.Key{
			stock.Warehouse: id(stock.Warehouse, "W"),
			stock.Bin:       id(stock.Bin, f[0]),
			stock.SKU:       id(stock.SKU, f[1]),
			stock.Lot:       id(stock.Lot, f[2]),
		}
		if strings.HasPrefix(strings.TrimSpace(line), "open") {
			in.Places = append(in.Places, cause.Place{Key: key, Expected: q(f[3])})
			continue
		}
		if f[4] == "-" {
			rows = append(rows, cause.Row{Line: -1, Expected: q(f[3])})
			continue
		}
		l := cause.Line{Key: key, Row: !found, Expected: q(f[3]), CountedAt: 600 * minute, First: 600 * minute, Cost: 1_000_000}
		for i, c := range strings.Split(f[4], "+") {
			l.Entries = append(l.Entries, cause.Entry{Quantity: q(c), At: 600 * minute, Counter: stock.ID(1 + i)})
			l.Counted += q(c)
		}
		l.Variance = l.Counted - l.Expected
		at := int32(-1)
		if l.Variance != 0 {
			at = int32(len(in.Lines))
			in.Lines = append(in.Lines, l)
		}
		rows = append(rows, cause.Row{Line: at, Expected: l.Expected, Counted: l.Counted, Given: true})
	}
	var off []int32
	for i, r := range rows {
		if r.Line >= 0 {
			off = append(off, int32(i))
		}
	}
	in.Sheets = []cause.Sheet{{Len: len(rows), Off: off, Row: func(i int) cause.Row { return rows[i] }}}
	return in
}

// said tells what was found: cause, grade, bin, item, quantity, and the other bin, item and lot.
func said(in *cause.Input) []string {
	out := []string{}
	for _, x := range cause.Find(in) {
		k := in.Lines[x.Line].Key
		bin, sku, lot := x.Others(in)
		out = append(
			out,
			strings.Join(strings.Fields(fmt.Sprintf("%s %s %s %s %s %s %s %s", x.Cause, x.Grade, in.Codes[stock.Bin].Text(k[stock.Bin]),
				in.Codes[stock.SKU].Text(k[stock.SKU]), x.Quantity, bin, sku, lot)), " "),
		)
	}
	return out
}

// Every rule finds what it is for, and leaves alone what is nearly that.
func TestRules(t *testing.T) {
	for name, c := range map[string]struct {
		lines string
		items map[string]cause.Item
		packs []quantity.Quantity
		want  []string
	}{
		"another bin": {"A-01-1 S1 - 30 18\nA-03-1 S1 - 5 17", nil, nil, []string{"misplaced strong A-01-1 S1 -12 A-03-1"}},
		"another bin, where nothing was recorded": {"A-01-1 S1 - 30 18\nfound: A-03-1 S1 - 0 9", nil, nil,
			[]string{"misplaced fair A-01-1 S1 -9 A-03-1"}},
		"the nearer of two": {"A-01-1 S1 - 30 18\nA-02-1 S1 - 5 17\nA-30-1 S1 - 5 17", nil, nil,
			[]string{"misplaced strong A-01-1 S1 -12 A-02-1"}},
		"both pairs rather than one": {"A-01-1 S1 - 30 18\nA-02-1 S1 - 5 17\nA-04-1 S1 - 40 28\nA-05-1 S1 - 6 18", nil, nil,
			[]string{"misplaced strong A-01-1 S1 -12 A-02-1", "misplaced strong A-04-1 S1 -12 A-05-1"}},
		"another lot is other goods":    {"A-01-1 S1 L1 30 22\nA-03-1 S1 L2 5 13", nil, nil, []string{}},
		"two bins short are two losses": {"A-01-1 S1 - 30 22\nA-03-1 S1 - 25 17", nil, nil, []string{}},
		"one piece far away proves little": {"A-01-1 S1 - 30 29\nB-03-1 S1 - 5 6\nB-04-1 X - 3 3\nB-05-1 X - 3 3\nB-06-1 X - 3 3", nil, nil,
			[]string{"misplaced fair A-01-1 S1 -1 B-03-1"}},
		"taken for one that is called nearly so": {"A-01-1 ROPE12 - 30 23\nA-01-1 ROPE14 - 20 27", nil, nil,
			[]string{"mistaken-item strong A-01-1 ROPE12 -7 ROPE14"}},
		"taken for one that is described so": {"A-01-1 AB - 30 26\nA-01-1 XYZ - 20 24",
			map[string]cause.Item{"AB": {Description: "Rope white 12 mm"}, "XYZ": {Description: "Rope white 14 mm"}}, nil,
			[]string{"mistaken-item strong A-01-1 AB -4 XYZ"}},
		"two that have nothing in common": {"A-01-1 AB - 30 28\nA-01-1 XYZ - 20 22", nil, nil, []string{"mistaken-item fair A-01-1 AB -2 XYZ"}},
		"and of which one piece is off":   {"A-01-1 AB - 9 8\nA-01-1 XYZ - 7 8", nil, nil, []string{"mistaken-item weak A-01-1 AB -1 XYZ"}},
		"the first digit missing":         {"A-01-1 S1 - 105 5", nil, nil, []string{"key-slip strong A-01-1 S1 -100"}},
		"other quantities": {"A-01-1 ROPE12 - 30 28\nA-01-1 ROPE14 - 20 21", nil, nil,
			[]string{"key-slip weak A-01-1 ROPE14 1"}},
		"another lot":                      {"A-01-1 S1 L1 30 22\nA-01-1 S1 L2 5 13", nil, nil, []string{"wrong-lot strong A-01-1 S1 -8 L2"}},
		"more of another lot":              {"A-01-1 S1 L1 30 22\nA-01-1 S1 L2 5 15", nil, nil, []string{"wrong-lot fair A-01-1 S1 -8 L2"}},
		"packs for pieces":                 {"A-01-1 S1 - 144 12", nil, packs(6, 12), []string{"pack-slip strong A-01-1 S1 -132"}},
		"pieces for packs":                 {"A-01-1 S1 - 7 168", nil, packs(24), []string{"pack-slip strong A-01-1 S1 161"}},
		"packs and loose ones":             {"A-01-1 S1 - 77 11", nil, packs(12), []string{"pack-slip fair A-01-1 S1 -66"}},
		"nearly packs":                     {"A-01-1 S1 - 146 12", nil, packs(12), []string{}},
		"swapped":                          {"A-01-1 S1 - 63 36", nil, nil, []string{"key-slip strong A-01-1 S1 -27"}},
		"one missing":                      {"A-01-1 S1 - 125 15", nil, nil, []string{"key-slip strong A-01-1 S1 -110"}},
		"one doubled":                      {"A-01-1 S1 - 12 122", nil, nil, []string{"key-slip strong A-01-1 S1 110"}},
		"the decimal place":                {"A-01-1 S1 - 12.5 125", nil, nil, []string{"key-slip strong A-01-1 S1 112.5"}},
		"the hundreds":                     {"A-01-1 S1 - 345 745", nil, nil, []string{"key-slip strong A-01-1 S1 400"}},
		"the last digit, by one":           {"A-01-1 S1 - 45 46", nil, nil, []string{"key-slip weak A-01-1 S1 1"}},
		"some are missing":                 {"A-01-1 S1 - 58 39", nil, nil, []string{}},
		"entered twice":                    {"A-01-1 S1 - 25 25+25", nil, nil, []string{"counted-twice strong A-01-1 S1 25"}},
		"one of two pallets entered twice": {"A-01-1 S1 - 25 10+15+15", nil, nil, []string{"counted-twice strong A-01-1 S1 15"}},
		"together twice as many":           {"A-01-1 S1 - 25 20+30", nil, nil, []string{"counted-twice fair A-01-1 S1 25"}},
		"two pallets":                      {"A-01-1 S1 - 36 25+25", nil, nil, []string{}},
		"less than nothing":                {"A-01-1 S1 - -4 3", nil, nil, []string{"negative-record strong A-01-1 S1 7"}},
		"another bin is uncounted": {"A-01-1 S1 - 58 39\nopen A-02-1 S1 - 7\nopen A-20-1 S1 - 9", nil, nil,
			[]string{"place-uncounted fair A-01-1 S1 -19 A-02-1"}},
		"over, and another bin uncounted": {"A-01-1 S1 - 39 58\nopen A-02-1 S1 - 7", nil, nil, []string{}},
		"rows slipped": {"A-01-1 S1 - 11 25\nA-02-1 S2 - 25 37\nA-03-1 S3 - 37 52\nA-04-1 S4 - 52 -", nil, nil,
			[]string{"row-slip strong A-01-1 S1 14", "row-slip strong A-02-1 S2 12", "row-slip strong A-03-1 S3 15"}},
		"rows slipped down, one of them short": {"A-01-1 S1 - 11 -\nA-02-1 S2 - 25 11\nA-03-1 S3 - 37 25\n" +
			"A-04-1 S4 - 52 35\nA-05-1 S5 - 71 52\nA-06-1 S6 - 80 71", nil, nil,
			[]string{"row-slip strong A-02-1 S2 -14", "row-slip strong A-03-1 S3 -12", "row-slip strong A-04-1 S4 -15",
				"row-slip strong A-05-1 S5 -19", "row-slip strong A-06-1 S6 -9"}},
		"two rows are no slip":         {"A-01-1 S1 - 11 25\nA-02-1 S2 - 25 39\nA-03-1 S3 - 39 39", nil, nil, []string{}},
		"rows that are all of a piece": {"A-01-1 S1 - 9 5\nA-02-1 S2 - 5 5\nA-03-1 S3 - 5 5\nA-04-1 S4 - 5 5", nil, nil, []string{}},
	} {
		in := given(t, c.lines)
		if c.packs != nil {
			in.Packs = func(stock.ID) []quantity.Quantity { return c.packs }
		}
		if c.items != nil {
			in.Item = func(sku stock.ID) cause.Item { return c.items[in.Codes[stock.SKU].Text(sku)] }
		}
		assert.Equal(t, c.want, said(in), name)
	}
}

func packs(sizes ...int) (out []quantity.Quantity) {
	for _, n := range sizes {
		out = append(out, quantity.Quantity(n)*quantity.Scale)
	}
	return out
}

// A movement of just the variance, on either side of the count, is the cut-off where it lies near.
func TestCutOff(t *testing.T) {
	for _, c := range []struct {
		expected, counted string
		at, quantity      int64 // minutes after the freeze
		want              string
	}{
		{"50", "70", 640, 20, "cut-off strong A-01-1 S1 20"},     // came in before it was booked
		{"50", "42", 640, -8, "cut-off strong A-01-1 S1 -8"},     // left before
		{"50", "42", 580, 8, "cut-off strong A-01-1 S1 -8"},      // booked in before it came
		{"50", "58", 580, -8, "cut-off strong A-01-1 S1 8"},      // booked out before it left
		{"50", "51", 640, 1, "cut-off fair A-01-1 S1 1"},         // a single piece comes and goes all day
		{"50", "58", 600 + 20*60, 8, "cut-off fair A-01-1 S1 8"}, // the next morning
		{"50", "52", 600 + 60*60, 2, "cut-off weak A-01-1 S1 2"},
		{"50", "58", 600 + 90*60, 8, ""},
		{"50", "68", 640, 17, ""}, // another quantity
		{"50", "67", 580, 17, ""}, // it is in what is expected, and came
	} {
		in := given(t, "A-01-1 S1 - "+c.expected+" "+c.counted)
		in.Lines[0].Movements = []stock.Movement{{At: c.at * minute, Quantity: quantity.Quantity(c.quantity) * quantity.Scale}}
		got := strings.Join(said(in), "; ")
		if c.want == "" {
			assert.NotContains(t, got, "cut-off", "%+v", c)
		} else {
			assert.Equal(t, c.want, got, "%+v", c)
		}
	}
	in := given(t, "A-01-1 S1 - 50 42")
	in.Frozen = 590 * minute
	in.Lines[0].Movements = []stock.Movement{{At: 580 * minute, Quantity: 8 * quantity.Scale}}
	assert.Empty(t, said(in), "before the freeze it is recorded")
}

// The evidence has the figures in it, and says what was accepted before.
func TestEvidence(t *testing.T) {
	in := given(t, "A-01-1 S1 L1 30 18\nA-03-1 S1 L1 5 17\nA-07-1 S2 - 58 59")
	in.Before = func(c cause.Cause, l *cause.Line) (int, string) {
		if c == cause.KeySlip && in.Codes[stock.SKU].Text(l.Key[stock.SKU]) == "S2" {
			return 2, "accepted twice before for S2"
		}
		return 0, ""
	}
	found := cause.Find(in)
	require.Len(t, found, 2)
	assert.Equal(t, "12 short here, 12 over in A-03-1, 2 bays away, the same lot.", found[0].Evidence(in))
	assert.Equal(t, cause.Transfer, found[0].Remedy())
	assert.Equal(t, "59 for 58: one digit is another; accepted twice before for S2.", found[1].Evidence(in))
	assert.Equal(t, cause.Fair, found[1].Grade, "raised by what was accepted before")
	assert.Equal(t, "58", found[1].Offered.String())
	row := string(found[0].Append(nil, in))
	assert.Equal(
		t,
		"misplaced,strong,W,A-01-1,S1,L1,,-12,A-03-1,,,transfer,\"12 short here, 12 over in A-03-1, 2 bays away, the same lot.\"\n",
		row,
	)
	in = given(t, "A-01-1 S1 - -4 3")
	assert.Equal(t, "The records expect −4 here.", cause.Find(in)[0].Evidence(in))
}
