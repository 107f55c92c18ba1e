package house_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// drawn are files of a count as they come: with lots in any case of letters, unit costs of lines and items that agree or not, rounds,
// movements with and without bins, before the freeze and after.
type drawn struct {
	stock, counts, moves string
	items                string
	moved                int
	have                 map[string]bool
}

func draw(rt *rapid.T) (d drawn) {
	d.have = map[string]bool{}
	bins, lots := []string{"A-1", "A-2", "A-10"}, []string{"L-10", "L-2"}
	key := func(label string) (bin, sku, lot string) {
		sku = rapid.SampledFrom([]string{"ROPE", "SHK", "PAINT"}).Draw(rt, label)
		if sku == "PAINT" {
			lot = rapid.SampledFrom(lots).Draw(rt, label+" lot")
		}
		return rapid.SampledFrom(bins).Draw(rt, label+" bin"), sku, lot
	}
	anyCase := func(s string) string {
		if rapid.Bool().Draw(rt, "small letters") {
			return strings.ToLower(s)
		}
		return s
	}
	when := func(label string, from, to int) string {
		return fmt.Sprintf("2026-11-20T%02d:30:00Z", rapid.IntRange(from, to).Draw(rt, label))
	}
	d.stock, d.counts, d.moves = "warehouse,bin,sku,lot,quantity,unit_cost,recorded_at\n",
		"warehouse,bin,sku,lot,counted,counted_at,counter,round\n", "warehouse,bin,sku,lot,quantity,at,reference\n"
	line := func(bin, sku, lot string) {
		if d.have[bin+","+sku+","+lot] {
			return
		}
		d.have[bin+","+sku+","+lot] = true
		cost := rapid.SampledFrom([]string{"2", "2", "3.5", ""}).Draw(rt, "cost")
		d.stock += fmt.Sprintf("W,%s,%s,%s,%d,%s,2026-11-20T06:00:00Z\n", bin, sku, lot, rapid.IntRange(0, 20).Draw(rt, "recorded"), cost)
	}
	d.items = "SKU,Description,Unit cost\n"
	for _, sku := range []string{"ROPE", "SHK", "PAINT"} {
		d.items += fmt.Sprintf("%s,Of %s,%s\n", sku, sku, rapid.SampledFrom([]string{"4.25", "1.999999", "", ""}).Draw(rt, sku+" costs"))
	}
	for i, k := range [][2]string{{"ROPE", ""}, {"SHK", ""}, {"PAINT", "L-10"}, {"PAINT", "L-2"}} { // every bin, item and lot is known
		line(bins[i%3], k[0], k[1])
	}
	for range rapid.IntRange(0, 4).Draw(rt, "more lines") {
		line(key("line"))
	}
	for i := range rapid.IntRange(1, 8).Draw(rt, "counts") {
		bin, sku, lot := key("count")
		row := fmt.Sprintf(
			"W,%s,%s,%s,%d,%s,%s,%d\n",
			anyCase(bin),
			anyCase(sku),
			anyCase(lot),
			rapid.IntRange(0, 20).Draw(rt, "counted"),
			when("counted at", 8, 12),
			[]string{"Bram", "Ida"}[i%2],
			rapid.SampledFrom([]int{1, 1, 2}).Draw(rt, "round"),
		)
		if !strings.Contains(strings.ToLower(d.counts), strings.ToLower(row)) { // one that is equal in everything is asked about
			d.counts += row
		}
	}
	for range rapid.IntRange(0, 6).Draw(rt, "movements") {
		bin, sku, lot := key("movement")
		holders := 0
		for k := range d.have {
			if strings.HasSuffix(k, ","+sku+","+lot) {
				holders++
			}
		}
		if holders == 1 && rapid.Bool().Draw(rt, "without a bin") {
			bin = ""
		}
		d.moves += fmt.Sprintf(
			"W,%s,%s,%s,%d,%s,M%d\n",
			anyCase(bin),
			anyCase(sku),
			anyCase(lot),
			rapid.IntRange(-9, 9).Draw(rt, "moved"),
			when("moved at", 4, 14),
			d.moved,
		)
		d.moved++
	}
	return d
}

// The desk, which keeps lines, entries and movements in the records and works each line out as they come, agrees with
// the computation on files alone, to the letter of the file that goes out, in whatever order counts and movements arrive.
func TestDeskAgreesWithCore(t *testing.T) {
	property(t, 40, func(rt *rapid.T) {
		f := draw(rt)
		opt := reconcile.Options{
			Mode:          rapid.SampledFrom(adjust.Modes).Draw(rt, "mode"),
			Uncounted:     reconcile.Leave,
			PostTolerated: rapid.Bool().Draw(rt, "tolerated go out"),
		}
		if rapid.Bool().Draw(rt, "uncounted means zero") && opt.Mode != adjust.Counted {
			opt.Uncounted = reconcile.ZeroAll
		}
		limit := quantity.Quantity(rapid.IntRange(0, 3).Draw(rt, "tolerance")) * quantity.Scale
		opt.Tolerance = variance.Tolerance{Quantity: &limit}
		open := func(name, text string) *tabular.File {
			f, err := tabular.Open(name, strings.NewReader(text), int64(len(text)), tabular.Options{})
			require.NoError(rt, err)
			return f
		}
		in := reconcile.Input{Stock: open("stock.csv", f.stock), Counts: []*tabular.File{open("counts.csv", f.counts)},
			Items: open("items.csv", f.items)}
		if f.moved > 0 {
			in.Movements = open("moves.csv", f.moves)
		}
		core, problems, err := reconcile.Run(ctx, in, opt)
		require.NoError(rt, err)
		below := problems.Len() > 0
		want, adjustments := map[string]string{}, bytes.Buffer{}
		if below {
			require.Equal(rt, "balance below zero", problems.List[0].Kind)
		} else {
			require.NoError(rt, core.WriteAdjustments(&adjustments))
			want = told(rt, core, f.have)
		}

		d := at(t)
		take := func(name, text string, c intake.Choices) {
			c.Zone = "UTC"
			dr, err := d.Intake.Upload(ctx, nell, name, strings.NewReader(text), c)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems)
			require.Empty(rt, dr.Blocked)
			_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
		}
		costs := rapid.IntRange(0, 3).Draw(rt, "costs come") // before the stock, behind it, behind the freeze, behind the counts
		bring := func(now int) {
			if costs == now {
				take("items.csv", f.items, intake.Choices{})
			}
		}
		bring(0)
		take("stock.csv", f.stock, intake.Choices{})
		bring(1)
		early := rapid.Bool().Draw(rt, "movements before the freeze")
		if early && f.moved > 0 {
			take("moves.csv", f.moves, intake.Choices{})
		}
		c, err := d.Plan.Freeze(
			ctx,
			nell,
			plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}, ToleranceQuantity: &limit, PostTolerated: opt.PostTolerated},
		)
		require.NoError(rt, err)
		bring(2)
		first := rapid.Bool().Draw(rt, "movements first")
		for _, movements := range []bool{first, !first} {
			if !movements {
				take("counts.csv", f.counts, intake.Choices{Count: c.ID})
			} else if f.moved > 0 && !early {
				take("moves.csv", f.moves, intake.Choices{})
			}
		}
		bring(3)
		if !below {
			require.Equal(rt, want, shownLinesOf(rt, d, c.ID), "%s%s%s", f.stock, f.counts, f.moves)
		}
		foots(rt, d, c.ID)
		goesOutAs(d, rt, c.ID, opt, below, adjustments.String())
	})
}

// told is what the computation on files says of every line.
func told(rt *rapid.T, core *reconcile.Result, have map[string]bool) map[string]string {
	var out bytes.Buffer
	require.NoError(rt, core.WriteVariances(&out))
	rows, err := csv.NewReader(&out).ReadAll()
	require.NoError(rt, err)
	want := map[string]string{}
	for _, r := range rows[1:] {
		c := map[string]string{}
		for i, h := range rows[0] {
			c[h] = r[i]
		}
		if c["recorded"] == "0" && c["counted"] == "" && c["moved"] == "0" && !have[strings.Join(r[1:4], ",")] {
			continue // a key that only movements know of, which are all from before the freeze or cancel out
		}
		want[strings.Join(r[1:4], " ")] = fmt.Sprint(
			c["moved"],
			" ",
			c["expected"],
			" ",
			c["counted"],
			" ",
			c["variance"],
			" ",
			c["unit_cost"],
			" ",
			c["value"],
			" ",
			c["status"],
			" ",
			c["moved_while_counting"],
		)
	}
	return want
}

// shownLinesOf is what the screen says of every line.
func shownLinesOf(rt *rapid.T, d *house.House, id int64) map[string]string {
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Limit: 100})
	require.NoError(rt, err)
	got := map[string]string{}
	text := func(v any) string {
		s := fmt.Sprint(v)
		if s == "<nil>" {
			return ""
		}
		return s
	}
	for _, l := range page.Lines {
		while, cost := "", ""
		if l.Meanwhile {
			while = "yes"
		}
		if l.Cost != nil {
			cost = l.Cost.String()
		}
		if l.Counted == nil && l.Moved == 0 && !l.Zeroed && *l.Recorded == 0 && l.RowCode == "" {
			continue
		}
		got[l.Bin+" "+l.SKU+" "+l.Lot] = fmt.Sprint(
			l.Moved.String(),
			" ",
			l.Expected.String(),
			" ",
			text(l.Counted),
			" ",
			text(l.Variance),
			" ",
			cost,
			" ",
			text(l.Value),
			" ",
			l.Status,
			" ",
			while,
		)
	}
	return got
}

// goesOutAs accepts all that is open, sends it out, and holds the file against the other.
func goesOutAs(d *house.House, rt *rapid.T, id int64, opt reconcile.Options, below bool, want string) {
	if opt.Uncounted == reconcile.ZeroAll {
		u, err := d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{})
		require.NoError(rt, err)
		if u.Lines > 0 {
			_, err = d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, true, u.Lines)
			require.NoError(rt, err)
		}
	}
	queue, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "open", Limit: 1000})
	require.NoError(rt, err)
	var places []int64
	for _, l := range queue.Lines {
		places = append(places, l.Pos)
	}
	if len(places) > 0 {
		slices.Reverse(places)
		_, err = d.Variances.Decide(ctx, nell, id, places, "accept", "")
		require.NoError(rt, err)
	}
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, string(opt.Mode))
	require.NoError(rt, err)
	require.Equal(rt, below, v.Blocked != "", v.Blocked)
	if below {
		return
	}
	require.Equal(rt, want, v.Text)
	if v.Lines == 0 {
		return
	}
	p, err := d.Adjustments.Post(ctx, nell, id, string(opt.Mode), "", v.Lines)
	require.NoError(rt, err)
	_, kept, err := d.Adjustments.PostingFile(ctx, nell, id, p.Number, 1)
	require.NoError(rt, err)
	require.Equal(rt, want, string(readAll(rt, kept)))
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(rt, err)
	require.Zero(rt, s.Open+s.Accepted)
}
