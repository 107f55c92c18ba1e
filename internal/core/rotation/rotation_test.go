package rotation_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	. "wobin/internal/core/rotation"
)

// abc is a plan that counts classes so often a year.
func abc(a, b, c int) Plan { return Plan{By: "value", Groups: []Group{{"A", a}, {"B", b}, {"C", c}}} }

// Over a simulated year a class is counted exactly as often as the plan says, each of its lines to within one,
// portions differ by a line a class at most, and the rotation is never late.
func TestYear(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := abc(rapid.IntRange(0, 12).Draw(t, "A"), rapid.IntRange(0, 6).Draw(t, "B"), rapid.IntRange(0, 2).Draw(t, "C"))
		for d := range p.Days {
			p.Days[d] = rapid.Bool().Draw(t, "day")
		}
		if p.Check() != "" {
			return
		}
		var lines []Line
		n := make([]int, 3)
		for range rapid.IntRange(0, 120).Draw(t, "lines") {
			class := rapid.IntRange(0, 2).Draw(t, "class")
			lines, n[class] = append(lines, Line{Group: class}), n[class]+1
		}
		began := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
		times := make([]int, len(lines))
		least, most := map[int]int{}, map[int]int{}
		months := make([]int, 12)
		for day := began; day.Year() == 2026; day = day.AddDate(0, 0, 1) {
			portion, late := p.Portion(lines, day.Add(6*time.Hour), began)
			require.Zero(t, late.Lines, "%s: %d days", day, late.Days)
			if !p.Works(day) {
				require.Empty(t, portion)
				continue
			}
			today := map[int]int{}
			for i, at := range portion {
				require.True(t, i == 0 || at > portion[i-1])
				times[at]++
				lines[at].Times++
				lines[at].Counted = day.Add(12 * time.Hour).UnixNano()
				today[lines[at].Group]++
				months[day.Month()-1]++
			}
			for class := range n {
				if _, had := least[class]; !had {
					least[class] = today[class]
				}
				least[class], most[class] = min(least[class], today[class]), max(most[class], today[class])
			}
			again, _ := p.Portion(lines, day.Add(18*time.Hour), began)
			require.Empty(t, again, "the day's portion is counted")
		}
		all := map[int]int{}
		for i, l := range lines {
			// Lines of one day have no order among them, so one may have its turn before the year's end and another after it.
			require.InDelta(t, p.Groups[l.Group].Times, times[i], 1, "a line of class %d", l.Group)
			all[l.Group] += times[i]
		}
		for class := range n {
			require.Equal(t, n[class]*p.Groups[class].Times, all[class], "class %d as a whole", class)
		}
		for class := range n {
			require.LessOrEqual(t, most[class]-least[class], 1, "portions of class %d", class)
		}
		for i, m := range p.Year(2026, n, began) {
			require.Equal(t, months[i], m.Lines, "the calendar says what was done")
		}
	})
}

// Weeks in which nobody counted are made up for, a day at a time.
func TestMadeUp(t *testing.T) {
	p := abc(12, 0, 0)
	p.Days = [7]bool{1: true, 2: true, 3: true, 4: true, 5: true}
	lines := make([]Line, 200)
	began := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	worst, most := 0, 0
	for day := began; day.Year() == 2026; day = day.AddDate(0, 0, 1) {
		if day.Month() == time.July {
			continue
		}
		portion, late := p.Portion(lines, day, began)
		for _, i := range portion {
			lines[i].Counted = day.UnixNano()
		}
		worst, most = max(worst, late.Lines), max(most, len(portion))
		if day.Month() == time.July+2 {
			require.Zero(t, late.Lines, day)
		}
	}
	assert.Greater(t, worst, 100, "a month without counting leaves lines late")
	assert.LessOrEqual(t, most, 20, "no day has more than twice its own")
}

// Of lines that were counted on one day those go first that had fewer turns, and of different days the older ones.
func TestFewerTurnsFirst(t *testing.T) {
	p := abc(365, 0, 0)
	p.Days = [7]bool{true, true, true, true, true, true, true}
	p.Groups[0].Times = 120 // of three lines one a day
	day := time.Date(2026, 7, 1, 9, 0, 0, 0, time.UTC)
	at := func(ago int, hours int) int64 {
		return day.AddDate(0, 0, -ago).Add(time.Duration(hours) * time.Hour).UnixNano()
	}
	for want, lines := range [][]Line{
		{{0, at(2, 3), 1, false}, {0, at(2, 0), 2, false}, {0, at(2, 1), 3, false}},
		{{0, at(2, 0), 2, false}, {0, at(2, 3), 1, false}, {0, at(2, 1), 3, false}},
		{{0, at(2, 0), 1, false}, {0, at(2, 0), 1, false}, {0, at(3, 0), 9, false}},
	} {
		portion, _ := p.Portion(lines, day, day.AddDate(-1, 0, 0))
		assert.Equal(t, []int{want}, portion)
	}
}

func TestLate(t *testing.T) {
	p := abc(12, 4, 1)
	p.Days = [7]bool{1: true, 2: true, 3: true, 4: true, 5: true}
	day := time.Date(2026, 7, 1, 9, 0, 0, 0, time.UTC)
	ago := func(days int) int64 { return day.AddDate(0, 0, -days).UnixNano() }
	lines := []Line{
		{0, ago(20), 5, false},
		{0, ago(60), 0, false},
		{0, ago(90), 1, true},
		{1, ago(60), 2, false},
		{2, 0, 0, false},
		{-1, ago(700), 0, false},
	}
	_, late := p.Portion(lines, day, day.AddDate(0, 0, -100))
	assert.Equal(t, Late{1, 60 - 31 - 7}, late, "what is on a sheet is not late, and what was never counted has its time")
	_, late = p.Portion(lines, day, day.AddDate(-2, 0, 0))
	assert.Equal(t, 2, late.Lines)
	monday := [7]bool{1: true}
	year := p.Year(2026, []int{261, 0, 0}, time.Date(2026, 12, 21, 15, 0, 0, 0, time.UTC))
	assert.Equal(t, []Month{{11, 21, 0}, {12, 23, 9 * 12}}, year[10:], "nine working days are left of the year in which it began")
	for says, p := range map[string]Plan{
		"a day of the week": {Groups: []Group{{"A", 1}}},
		"at least once":     {Groups: []Group{{"A", 0}}, Days: monday},
		"B is counted":      {Groups: []Group{{"A", 1}, {"B", 400}}, Days: monday},
		"not below":         {By: "value", A: 95, B: 80, Groups: []Group{{"A", 1}}, Days: monday},
		"named twice":       {Groups: []Group{{"R", 1}, {"R", 4}}, Days: monday},
	} {
		assert.Contains(t, p.Check(), says)
	}
}
