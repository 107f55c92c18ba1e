package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"strings"

	sqlite3 "github.com/mattn/go-sqlite3"
	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

// Part is a part of a count's lines that has a tally: a bin by its number, a zone or the like by its name.
type Part struct {
	Sort string
	Bin  int64
	Name string
}

// PartTally is a part with its tally. Sheet and zone are those of a bin.
type PartTally struct {
	Part
	SheetID int64
	Zone    string
	variance.Tally
}

var tallyColumns = []string{
	"lines",
	"recorded_lines",
	"recorded_counted",
	"counted",
	"matched",
	"tolerated",
	"over",
	"short",
	"found",
	"unvalued",
	"over_value",
	"short_value",
	"gross_value",
	"open",
	"open_over",
	"open_short",
	"open_gross",
	"accepted",
	"held",
	"zeroed",
	"posted",
	"accepted_over",
	"accepted_short",
	"accepted_gross",
}

func (r *reader) tally() (t variance.Tally) {
	n := func() int { return int(r.number()) }
	money := func() quantity.Money { return quantity.Money(r.number()) }
	sums := func() (s variance.Sums) {
		s.Over, s.Short, s.Gross = money(), money(), money()
		s.Net = s.Over + s.Short
		return s
	}
	f := &t.Figures
	t.Lines, f.RecordedLines, f.RecordedCounted, f.Counted, f.Match, f.Tolerated, f.Over, f.Short, f.Found, f.Unvalued = n(), n(), n(), n(),
		n(), n(), n(), n(), n(), n()
	f.Uncounted = t.Lines - f.Counted
	f.Values = sums()
	t.Open, t.OpenSums = n(), sums()
	t.Accepted, t.Held, t.Zeroed, t.Posted, t.AcceptedSums = n(), n(), n(), n(), sums()
	return t
}

func (b *binder) tally(t *variance.Tally) {
	f := &t.Figures
	for _, n := range []int{t.Lines, f.RecordedLines, f.RecordedCounted, f.Counted, f.Match, f.Tolerated, f.Over, f.Short, f.Found,
		f.Unvalued} {
		b.put(int64(n))
	}
	sums := func(s *variance.Sums) { b.put(int64(s.Over), int64(s.Short), int64(s.Gross)) }
	sums(&f.Values)
	b.put(int64(t.Open))
	sums(&t.OpenSums)
	b.put(int64(t.Accepted), int64(t.Held), int64(t.Zeroed), int64(t.Posted))
	sums(&t.AcceptedSums)
}

// EachTally gives the tallies of the parts of a sort, in the order of their names. bins picks some; nil for all.
func EachTally(tx *gorm.DB, count int64, sort string, bins []int64, take func(t *PartTally) error) error {
	q, args := "SELECT name, sheet_id, zone, "+strings.Join(
		tallyColumns,
		", ",
	)+" FROM count_tallies WHERE count_id = ? AND part = ?", []driver.Value{
		count,
		sort,
	}
	if bins != nil {
		b, err := json.Marshal(bins)
		if err != nil {
			return err
		}
		q, args = q+" AND name IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	return Each(tx, q+" ORDER BY name", args, func(v []driver.Value) error {
		r := reader{v: v}
		t := &PartTally{Part: Part{Sort: sort}}
		if sort == PartBin {
			t.Bin = r.number()
		} else {
			t.Name = r.text()
		}
		t.SheetID, t.Zone = r.number(), r.text()
		t.Tally = r.tally()
		return take(t)
	})
}

// MoveBins notes that bins of a count are on another sheet now.
func MoveBins(tx *gorm.DB, count int64, bins []int64, sheet int64) error {
	b, err := json.Marshal(bins)
	if err != nil {
		return err
	}
	return tx.Exec(
		"UPDATE count_tallies SET sheet_id = ? WHERE count_id = ? AND part = ? AND name IN (SELECT value FROM json_each(?))",
		sheet,
		count,
		PartBin,
		string(b),
	).Error
}

func tallyTable(count int64) table {
	return table{
		head: "INSERT OR REPLACE INTO count_tallies (count_id, part, name, sheet_id, zone, " + strings.Join(
			tallyColumns,
			", ",
		) + ") VALUES ",
		row:   "(?,?,?,?,?," + marks(len(tallyColumns)) + ")",
		width: 5 + len(tallyColumns),
	}
}

func fillTallies(count int64, tallies []PartTally) func(i int, v []driver.NamedValue) {
	return func(i int, v []driver.NamedValue) {
		t, b := &tallies[i], binder{v: v}
		b.put(count, t.Sort)
		if t.Sort == PartBin {
			b.put(t.Bin)
		} else {
			b.put(t.Name)
		}
		b.put(t.SheetID, t.Zone)
		b.tally(&t.Tally)
	}
}

// PutTallies writes tallies in the place of those that were there, within the transaction of a Write.
func PutTallies(tx *gorm.DB, count int64, tallies []PartTally) error {
	return withConn(tx, func(c *sqlite3.SQLiteConn) error {
		return inserted(tx.Statement.Context, c, tallyTable(count), len(tallies), fillTallies(count, tallies))
	})
}

// WriteCountTallies writes the tallies of a count that nobody sees yet, in a transaction of its own.
func (s *Store) WriteCountTallies(ctx context.Context, count int64, tallies []PartTally) error {
	return s.bulk(ctx, tallyTable(count), len(tallies), fillTallies(count, tallies))
}

// LinesByBin gives how many lines each bin of a set has.
func LinesByBin(tx *gorm.DB, set int64, take func(bin int64, lines int)) error {
	return Each(tx, "SELECT bin_id, lines FROM set_bins WHERE set_id = ?", []driver.Value{set}, func(v []driver.Value) error {
		take(v[0].(int64), int(v[1].(int64)))
		return nil
	})
}
