package cutting_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/code"
	. "wobin/internal/core/cutting"
)

// Cutting covers each bin once and splits none; no sheet has more rows than it may but one of a single bin; zones are not mixed where
// sheets are cut by zone; as few sheets as possible where rows are limited.
func TestCut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var bins []Bin
		zone := int32(0)
		for range rapid.IntRange(0, 60).Draw(t, "bins") {
			if rapid.IntRange(0, 9).Draw(t, "next zone") == 0 {
				zone++
			}
			n := rapid.IntRange(1, 12).Draw(t, "lines")
			bins = append(bins, Bin{Zone: zone, Lines: n, Seconds: int64(8 + 15*n)})
		}
		how := How{
			By:     rapid.SampledFrom(Ways).Draw(t, "by"),
			Rows:   rapid.IntRange(0, 30).Draw(t, "rows"),
			People: rapid.IntRange(1, 9).Draw(t, "people"),
		}
		if how.By == Size && how.Rows == 0 {
			how.Rows = 1
		}
		require.Empty(t, how.Wrong())
		sheets := Cut(bins, how)
		at, people := 0, map[int]bool{}
		for _, s := range sheets {
			require.Equal(t, at, s.From)
			require.Greater(t, s.To, s.From)
			at = s.To
			lines, seconds := 0, int64(0)
			for _, b := range bins[s.From:s.To] {
				lines, seconds = lines+b.Lines, seconds+b.Seconds
				if how.By == Zone {
					require.Equal(t, bins[s.From].Zone, b.Zone)
				}
			}
			require.Equal(t, []int64{int64(lines), seconds}, []int64{int64(s.Lines), s.Seconds})
			if how.Rows > 0 && s.To > s.From+1 {
				require.LessOrEqual(t, lines, how.Rows)
			}
			people[s.Person] = true
		}
		require.Equal(t, len(bins), at)
		if how.By == People {
			require.Len(t, people, min(how.People, len(bins)))
		}
		if how.By == Size {
			require.Len(t, sheets, fewest(bins, how.Rows))
		}
	})
}

// fewest fills one sheet after the other, which is known to need the fewest.
func fewest(bins []Bin, rows int) (n int) {
	left := -1
	for _, b := range bins {
		if left < 0 || b.Lines > left {
			n, left = n+1, max(rows, b.Lines)
		}
		left -= b.Lines
	}
	return n
}

// Loads are within a tenth of one another where bins are small against them.
func TestCutByPeopleIsFair(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		people := rapid.IntRange(1, 12).Draw(t, "people")
		var bins []Bin
		for range people * rapid.IntRange(60, 120).Draw(t, "bins each") {
			n := rapid.IntRange(1, 5).Draw(t, "lines")
			bins = append(bins, Bin{Lines: n, Seconds: int64(8 + 15*n)})
		}
		sheets := Cut(bins, How{By: People, People: people})
		require.Len(t, sheets, people)
		least, most := sheets[0].Seconds, sheets[0].Seconds
		for _, s := range sheets {
			least, most = min(least, s.Seconds), max(most, s.Seconds)
		}
		require.LessOrEqual(t, most*10, least*11)
	})
}

// The walk visits every bin once, zone by zone, and within an aisle it never turns back.
func TestWalk(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom([]string{"%c-%02d-%d", "%c%d.%d", "FLOOR%[3]d%.0[1]s%.0[2]s"}).Draw(t, "form")
		var codes []string
		for a := range rapid.IntRange(1, 5).Draw(t, "aisles") {
			for b := range rapid.IntRange(1, 12).Draw(t, "bays") {
				for l := range rapid.IntRange(1, 4).Draw(t, "levels") {
					codes = append(codes, fmt.Sprintf(form, 'A'+rune(a), b+1, l+1))
				}
			}
		}
		code.Sort(codes)
		addresses, _ := code.Addresses(codes)
		stops := make([]Stop, len(codes))
		zones := rapid.IntRange(1, 3).Draw(t, "zones")
		for i := range stops {
			stops[i] = Stop{int32(rapid.IntRange(0, zones-1).Draw(t, "zone")), addresses[i]}
		}
		order := Walk(stops, rapid.SampledFrom([]Way{UpAndDown, EachAisle}).Draw(t, "way"))
		require.Len(t, order, len(stops))
		seen := map[int32]bool{}
		type aisle struct {
			zone int32
			name string
		}
		left := map[aisle]bool{}
		var direction int
		for i, n := range order {
			require.False(t, seen[n])
			seen[n] = true
			if i == 0 {
				continue
			}
			was, is := &stops[order[i-1]], &stops[n]
			require.LessOrEqual(t, was.Zone, is.Zone)
			if was.Zone != is.Zone || was.Address.Aisle != is.Address.Aisle {
				left[aisle{was.Zone, was.Address.Aisle}] = true
				require.False(t, left[aisle{is.Zone, is.Address.Aisle}] && is.Address.Aisle != "", "nobody comes back to an aisle")
				direction = 0
				continue
			}
			step := code.Compare(is.Address.Bay, was.Address.Bay)
			if step == 0 {
				require.Positive(t, code.Compare(is.Address.Level, was.Address.Level), "levels from below")
				continue
			}
			if is.Address.Aisle != "" {
				require.NotEqual(t, -step, direction, "the walk turned back")
				direction = step
			}
		}
	})
}

func ExampleWalk() {
	codes := []string{"A-1", "A-2", "A-3", "B-1", "B-2", "B-3"}
	addresses, _ := code.Addresses(codes)
	stops := make([]Stop, len(codes))
	for i, a := range addresses {
		stops[i].Address = a
	}
	for _, n := range Walk(stops, UpAndDown) {
		fmt.Print(codes[n], " ")
	}
	// Output: A-1 A-2 A-3 B-3 B-2 B-1
}

func TestPace(t *testing.T) {
	assert.Equal(t, Pace{30, 16, 6, 40}, Usual.At(200, 100))
	assert.Equal(t, Usual, Usual.At(0, 100), "nothing is known")
	assert.Equal(t, Usual.At(1000, 100), Usual.At(100000, 100), "no count says that a line takes an hour")
	a, b := &Stop{0, code.Address{Aisle: "A", Bay: "1", Level: "1"}}, &Stop{0, code.Address{Aisle: "A", Bay: "2", Level: "1"}}
	assert.Equal(
		t,
		[]int64{58, 41, 38, 58},
		[]int64{Usual.Seconds(nil, a, 2), Usual.Seconds(a, b, 2), Usual.Seconds(a, a, 2), Usual.Seconds(&Stop{Zone: 1}, a, 2)},
	)
	other := &Stop{0, code.Address{Aisle: "B", Bay: "1", Level: "1"}}
	assert.Equal(t, int64(58), Usual.Seconds(other, a, 2), "another aisle of the same zone")
	assert.Equal(t, []string{"0", "0.1", "1", "1.5", "10.3"}, []string{Minutes(2), Minutes(3), Minutes(60), Minutes(90), Minutes(620)})
}

// A way of cutting that cannot be used says why, and no other does.
func TestWaysThatCannotBeUsed(t *testing.T) {
	for how, want := range map[How]string{
		{By: Zone}: "", {By: Zone, Rows: 1}: "", {By: Size, Rows: 1}: "", {By: People, People: 1}: "",
		{By: "colour"}: "none of", {By: Size}: "largest number of rows", {By: People}: "how many people",
		{By: Zone, Rows: -1}: "below zero", {By: People, People: 2, Rows: -1}: "below zero",
	} {
		if got := how.Wrong(); want == "" {
			assert.Empty(t, got, how)
		} else {
			assert.Contains(t, got, want, how)
		}
	}
}

// The rows of a place without a name take together what the place takes.
func TestRowsShareWhatTheirPlaceTakes(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		n, seconds := rapid.IntRange(1, 200).Draw(rt, "rows"), rapid.Int64Range(0, 100_000).Draw(rt, "seconds")
		rows, sum := Rows(n, 3, seconds), int64(0)
		for _, r := range rows {
			require.Equal(rt, []any{1, int32(3)}, []any{r.Lines, r.Zone})
			require.InDelta(rt, float64(seconds)/float64(n), float64(r.Seconds), 1)
			sum += r.Seconds
		}
		require.Equal(rt, seconds, sum)
		require.Len(rt, rows, n)
	})
}
