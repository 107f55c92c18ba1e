// Package rotation spreads counting over the year: each line of a group is counted so often, a portion of about the same
// size on every working day, what was counted longest ago first. It knows nothing of what lines are or who counts.
package rotation

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Group is lines that are counted equally often: those of a class, or of a zone.
type Group struct {
	Name  string `json:"name" maxLength:"200" doc:"A, B or C, or a zone"`
	Times int    `json:"times" minimum:"0" maximum:"366" doc:"counts a year of each line; 0 for never"`
}

// Plan says how often lines are counted a year, and on which days of the week people count.
type Plan struct {
	By     string  `json:"by" enum:"value,movement,zone" doc:"what the groups are: classes by value or by movement, or zones"`
	Groups []Group `json:"groups" maxItems:"500"`
	A      int     `json:"a,omitempty" minimum:"0" maximum:"100" doc:"limits of the classes, as rules have them"`
	B      int     `json:"b,omitempty" minimum:"0" maximum:"100"`
	Days   [7]bool `json:"days" doc:"whether people count on Sunday, Monday and so on"`
}

// Check tells what keeps a plan from being used, in a sentence; "" where nothing does.
func (p *Plan) Check() string {
	if p.Days == [7]bool{} {
		return "A rotation needs a day of the week on which people count."
	}
	if p.By != "zone" && p.A != 0 && p.B != 0 && p.A >= p.B {
		return fmt.Sprintf("A makes up less than A and B together: %d %% is not below %d %%.", p.A, p.B)
	}
	some := false
	seen := map[string]bool{}
	for _, g := range p.Groups {
		if g.Times < 0 || g.Times > 366 {
			return fmt.Sprintf("%s is counted between 0 and 366 times a year, not %d times.", g.Name, g.Times)
		}
		if seen[g.Name] {
			return fmt.Sprintf("%q is named twice.", g.Name)
		}
		seen[g.Name] = true
		some = some || g.Times > 0
	}
	if !some {
		return "A rotation counts something at least once a year."
	}
	return ""
}

// Line is what is known of a line.
type Line struct {
	Group   int   // its position among the groups of the plan; -1 for none of them
	Counted int64 // when it was last counted, Unix nanoseconds; 0 for never
	Times   int   // how often it was counted within the year before
	Waits   bool  // it is on a sheet that is not back, so it needs no other one
}

// Late says how far behind the rotation is.
type Late struct {
	Lines int `json:"lines" doc:"lines that were counted longer ago than their group allows, or never since the rotation began"`
	Days  int `json:"days" doc:"by how many days at most"`
}

// Works tells whether people count on a day.
func (p *Plan) Works(day time.Time) bool { return p.Days[day.Weekday()] }

// workdays gives how many days of a year people count on, and the how-manieth of them a day is, from 1.
func (p *Plan) workdays(day time.Time) (all, at int64) {
	for d := time.Date(day.Year(), 1, 1, 0, 0, 0, 0, time.UTC); d.Year() == day.Year(); d = d.AddDate(0, 0, 1) {
		if p.Works(d) {
			if all++; d.YearDay() <= day.YearDay() {
				at++
			}
		}
	}
	return all, at
}

// Quota is how many of n lines of a group are counted on a day, so that over the year every line has its turn as often as it is to have it.
func (p *Plan) Quota(group, n int, day time.Time) int {
	if !p.Works(day) {
		return 0
	}
	all, at := p.workdays(day)
	upTo := func(days int64) int64 { return int64(n) * int64(p.Groups[group].Times) * days / all }
	return int(upTo(at) - upTo(at-1))
}

// Portion gives the lines that are to be counted on a day, as positions among lines, which stand in walking
// order, in their order; and how late the rotation is, which began at a moment. What was counted on the day, or is
// on its way, is part of the day's portion already. What is late comes first, and up to as much again as a day has
// is added for it, so that days that were left out are made up for without one day having it all.
func (p *Plan) Portion(lines []Line, day, began time.Time) (portion []int, late Late) {
	start := midnight(day)
	for group := range p.Groups {
		times := p.Groups[group].Times
		if times == 0 {
			continue
		}
		n, done, behind := 0, 0, 0
		var open []int
		for i := range lines {
			l := &lines[i]
			if l.Group != group {
				continue
			}
			n++
			if l.Waits || l.Counted >= start.UnixNano() {
				done++
				continue
			}
			open = append(open, i)
			if days := p.behind(l, times, start, began); days > 0 {
				behind, late.Days = behind+1, max(late.Days, days)
			}
		}
		late.Lines += behind
		// Lines of one day have no order among them that means anything; those that had fewer turns go first, so that none
		// falls behind the others year by year.
		const days = 24 * int64(time.Hour)
		slices.SortStableFunc(open, func(a, b int) int {
			return cmp.Or(cmp.Compare(lines[a].Counted/days, lines[b].Counted/days), cmp.Compare(lines[a].Times, lines[b].Times))
		})
		day := p.Quota(group, n, start)
		portion = append(portion, open[:min(max(day+min(day, behind)-done, 0), len(open))]...)
	}
	slices.Sort(portion)
	return portion, late
}

// behind gives by how many days the turn of a line is late at the beginning of a day; none or fewer where it is not.
// A turn may come a day of the week earlier or later than the last one did.
func (p *Plan) behind(l *Line, times int, start, began time.Time) int {
	last := began
	if l.Counted > last.UnixNano() {
		last = time.Unix(0, l.Counted)
	}
	// Rounded, for a day when clocks are changed has 23 or 25 hours.
	return int(start.Sub(midnight(last.In(start.Location()))).Hours()/24+0.5) - (365+times-1)/times - 7
}

// midnight gives the beginning of a day.
func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// Month is what a month of the rotation comes to.
type Month struct {
	Month time.Month `json:"month"`
	Days  int        `json:"days" doc:"working days"`
	Lines int        `json:"lines"`
}

// Year gives the months of a year, for so many lines of each group; before the day on which the rotation began it has
// nothing.
func (p *Plan) Year(year int, lines []int, began time.Time) []Month {
	out := make([]Month, 12)
	for d := time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC); d.Year() == year; d = d.AddDate(0, 0, 1) {
		m := &out[d.Month()-1]
		if m.Month = d.Month(); !p.Works(d) {
			continue
		}
		m.Days++
		if d.Before(time.Date(began.Year(), began.Month(), began.Day(), 0, 0, 0, 0, time.UTC)) {
			continue
		}
		for i, n := range lines {
			m.Lines += p.Quota(i, n, d)
		}
	}
	return out
}
