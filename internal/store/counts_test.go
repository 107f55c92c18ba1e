package store

import (
	"context"
	"errors"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

var (
	wholes = rapid.Int64Range(-999_999_999_999_999_999, 999_999_999_999_999_999)
	texts  = rapid.StringMatching(`[a-zé"', ]{0,4}`)
)

func perhaps(t *rapid.T, name string) *int64 {
	if rapid.Bool().Draw(t, name+" empty") {
		return nil
	}
	n := wholes.Draw(t, name)
	return &n
}

// workedOut gives a line values in all columns that are worked out.
func workedOut(t *rapid.T, l CountLine) CountLine {
	l.Entries, l.Moved, l.Expected = rapid.IntRange(0, 9).Draw(t, "entries"), wholes.Draw(t, "moved"), wholes.Draw(t, "expected")
	l.Counted, l.Variance, l.Value = wholes.Draw(t, "counted"), wholes.Draw(t, "variance"), perhaps(t, "value")
	l.Status, l.Meanwhile = rapid.SampledFrom([]string{"uncounted", "short", "over", "gone"}).
		Draw(t, "status"),
		rapid.Bool().
			Draw(t, "meanwhile")
	l.CountedAt, l.Counter, l.Stake = wholes.Draw(t, "counted at"), texts.Draw(t, "counter"), rapid.Int64Range(0, 99).Draw(t, "stake")
	l.Decision, l.Reason = rapid.SampledFrom([]string{"", Accept, Hold}).Draw(t, "decision"), texts.Draw(t, "reason")
	l.PostingID, l.Postings = rapid.Int64Range(0, 9).Draw(t, "posting"), rapid.IntRange(0, 9).Draw(t, "postings")
	l.Sent, l.SentValue, l.Rest, l.RestValue = wholes.Draw(
		t,
		"sent",
	), wholes.Draw(
		t,
		"sent value",
	), wholes.Draw(
		t,
		"rest",
	), perhaps(
		t,
		"rest value",
	)
	l.Queue, l.Zeroed = rapid.IntRange(0, 3).Draw(t, "queue"), rapid.Bool().Draw(t, "zeroed")
	return l
}

// Lines of a count are read as they were frozen or added; what was worked out about some of them is read as it was written,
// and changes neither the others nor the texts of their keys.
func TestCountLinesThereAndBack(t *testing.T) {
	s, ctx, count := opened(t), context.Background(), int64(0)
	require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
	rapid.Check(t, func(t *rapid.T) {
		count++
		withTexts := rapid.Bool().Draw(t, "texts")
		var frozen, found []CountLine
		for i := range rapid.IntRange(1, 120).Draw(t, "lines") {
			l := CountLine{
				CountID: count, Pos: int64(i), BinID: rapid.Int64Range(1, 1<<30).Draw(t, "bin"), ItemID: rapid.Int64Range(1, 1<<30).Draw(t, "item"),
				HasRow: true, Recorded: wholes.Draw(t, "recorded"), Cost: perhaps(t, "cost"), SheetID: rapid.Int64Range(0, 9).Draw(t, "sheet"),
			}
			if withTexts {
				l.Lot, l.Serial, l.Holding, l.RecordID = texts.Draw(
					t,
					"lot",
				), texts.Draw(
					t,
					"serial",
				), texts.Draw(
					t,
					"holding",
				), texts.Draw(
					t,
					"record id",
				)
			}
			frozen = append(frozen, l)
		}
		cut := rapid.IntRange(0, len(frozen)).Draw(t, "found")
		frozen, found = frozen[:cut], slices.Clone(frozen[cut:])
		for i := range found {
			found[i].HasRow, found[i].Recorded = false, 0
		}
		if err := s.WriteFrozen(ctx, count, frozen); err != nil {
			t.Fatalf("%v", err)
		}
		if err := s.Write(ctx, func(tx *gorm.DB) error { return AddCountLines(tx, count, found) }); err != nil {
			t.Fatalf("%v", err)
		}
		want := slices.Concat(frozen, found)
		for i := range want {
			want[i].Expected, want[i].Status = want[i].Recorded, "uncounted"
			if i >= cut {
				want[i].Status = Gone // until it is worked out
			}
		}
		same := func(what string, p Positions, of []CountLine) {
			bare := slices.Clone(of)
			for i := range bare {
				bare[i].Lot, bare[i].Serial, bare[i].Holding, bare[i].RecordID = "", "", "", ""
			}
			got := []CountLine{}
			if err := EachCountLine(s.Read(ctx), count, p, func(l *CountLine) error {
				got = append(got, *l)
				return nil
			}); err != nil {
				t.Fatalf("%v", err)
			}
			assert.Equal(t, bare, got, what)
		}
		all := Positions{To: int64(len(want))}
		same("as written", all, want)

		var some []CountLine
		var places []int64
		for i := range want {
			if rapid.Bool().Draw(t, "worked out") {
				want[i] = workedOut(t, want[i])
				some, places = append(some, want[i]), append(places, want[i].Pos)
			}
		}
		if err := s.Write(ctx, func(tx *gorm.DB) error { return UpdateCountLines(tx, &Count{ID: count}, some) }); err != nil {
			t.Fatalf("%v", err)
		}
		same("worked out", all, want)
		same("those alone", Positions{Some: slices.Clip(append([]int64{}, places...))}, append([]CountLine{}, some...))
		var keys []string
		assert.NoError(
			t,
			s.Read(ctx).
				Raw("SELECT lot || '|' || serial || '|' || holding || '|' || record_id FROM count_lines WHERE count_id = ? ORDER BY pos", count).
				Scan(&keys).
				Error,
		)
		for i, k := range keys {
			assert.Equal(t, want[i].Lot+"|"+want[i].Serial+"|"+want[i].Holding+"|"+want[i].RecordID, k)
		}
	})
}

// Tallies are read as they were put, each part once, the later in the place of the earlier.
func TestTalliesThereAndBack(t *testing.T) {
	s, ctx, count := opened(t), context.Background(), int64(0)
	require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
	number := rapid.IntRange(0, 1<<40)
	sums := rapid.Custom(func(t *rapid.T) variance.Sums {
		over, short := rapid.Int64Range(0, 1<<50).Draw(t, "over"), rapid.Int64Range(-1<<50, 0).Draw(t, "short")
		s := variance.Sums{Over: quantity.Money(over), Short: quantity.Money(short)}
		s.Net, s.Gross = s.Over+s.Short, s.Over-s.Short
		return s
	})
	rapid.Check(t, func(t *rapid.T) {
		count++
		want := map[Part]PartTally{}
		for range rapid.IntRange(1, 3).Draw(t, "times") {
			var put []PartTally
			for k := range rapid.MapOfN(rapid.IntRange(1, 20), rapid.Bool(), 1, 12).Draw(t, "parts") {
				p := PartTally{Part: Part{Sort: PartZone, Name: "Zone " + strconv.Itoa(k)}}
				if k%2 == 0 {
					p = PartTally{Part: Part{Sort: PartBin, Bin: int64(k)}, SheetID: int64(k) * 3, Zone: "Front"}
				}
				f := &p.Figures
				p.Lines, f.Counted = number.Draw(t, "lines"), number.Draw(t, "counted")
				f.Uncounted = p.Lines - f.Counted
				for _, n := range []*int{&f.RecordedLines, &f.RecordedCounted, &f.Match, &f.Tolerated, &f.Over, &f.Short, &f.Found, &f.Unvalued,
					&p.Open, &p.Accepted, &p.Held, &p.Zeroed, &p.Posted} {
					*n = number.Draw(t, "n")
				}
				f.Values, p.OpenSums, p.AcceptedSums = sums.Draw(t, "values"), sums.Draw(t, "open"), sums.Draw(t, "accepted")
				put, want[p.Part] = append(put, p), p
			}
			if err := s.Write(ctx, func(tx *gorm.DB) error { return PutTallies(tx, count, put) }); err != nil {
				t.Fatalf("%v", err)
			}
		}
		got := map[Part]PartTally{}
		for _, sort := range []string{PartBin, PartZone} {
			err := EachTally(s.Read(ctx), count, sort, nil, func(x *PartTally) error { got[x.Part] = *x; return nil })
			assert.NoError(t, err)
		}
		assert.Equal(t, want, got)
		some := []int64{}
		err := EachTally(
			s.Read(ctx),
			count,
			PartBin,
			[]int64{2, 4, 400},
			func(x *PartTally) error { some = append(some, x.Bin); return nil },
		)
		assert.NoError(t, err)
		for _, b := range []int64{2, 4} {
			_, is := want[Part{Sort: PartBin, Bin: b}]
			assert.Equal(t, is, slices.Contains(some, b))
		}
	})
}

// What a reader of rows refuses is told as it is, and reading ends there.
func TestReadingEndsWhereItIsRefused(t *testing.T) {
	s, ctx := opened(t), context.Background()
	require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
	require.NoError(t, s.WriteFrozen(ctx, 1, []CountLine{{Pos: 1}, {Pos: 2}, {Pos: 3}}))
	enough, n := errors.New("enough"), 0
	err := EachCountLine(s.Read(ctx), 1, Positions{To: 9}, func(*CountLine) error {
		if n++; n == 2 {
			return enough
		}
		return nil
	})
	assert.ErrorIs(t, err, enough)
	assert.Equal(t, 2, n)
	stopped, stop := context.WithCancel(ctx)
	stop()
	assert.Error(t, EachCountLine(s.Read(stopped), 1, Positions{To: 9}, func(*CountLine) error { return nil }))
}

// Many places that stand close are read as one stretch, few or far ones by themselves.
func TestNear(t *testing.T) {
	run := func(n, step int64) (out []int64) {
		for i := range n {
			out = append(out, 5+i*step)
		}
		return out
	}
	assert.Equal(t, Positions{Some: run(10, 1)}, Near(run(10, 1)))
	assert.Equal(t, Positions{From: 5, To: 2005}, Near(run(2000, 1)))
	assert.Equal(t, Positions{Some: run(2000, 9)}, Near(run(2000, 9)))
}
