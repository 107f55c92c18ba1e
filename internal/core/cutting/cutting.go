// Package cutting divides a count among the people who count: the order in which they walk, how long it takes them, and where
// one sheet ends and the next begins. It works on bins as plain numbers and knows nothing of codes, records or files.
package cutting

import (
	"fmt"
	"math"
	"slices"
)

// Bin is a bin in walking order.
type Bin struct {
	Zone    int32 // any number that tells zones apart
	Lines   int   // rows that it has on its sheet
	Seconds int64 // what it takes, the way to it included
}

// By is what sheets are cut by.
type By string

// The ways to cut.
const (
	Zone   By = "zone"   // each zone by itself
	Size   By = "size"   // so many rows on a sheet, whatever the zone
	People By = "people" // a stretch of about the same time for each person
)

// Ways lists them.
var Ways = []By{Zone, Size, People}

// How says how a count is cut.
type How struct {
	By     By
	Rows   int // no sheet has more rows than these, but one of a single bin; 0 for no limit
	People int // by people: how many
}

// Sheet is a run of bins that go to one person together.
type Sheet struct {
	From, To int // bins, To not included
	Person   int // by people: whose it is, from 0; else -1
	Lines    int
	Seconds  int64
}

// Wrong tells what keeps a way of cutting from being used, in a sentence; "" where nothing does.
func (h How) Wrong() string {
	switch {
	case !slices.Contains(Ways, h.By):
		return fmt.Sprintf("%q is none of zone, size and people", h.By)
	case h.By == People && h.People < 1:
		return "sheets by people need to know how many people there are"
	case h.By == Size && h.Rows < 1:
		return "sheets by size need the largest number of rows on one"
	case h.Rows < 0:
		return "a number of rows is not below zero"
	}
	return ""
}

// Cut divides bins, which stand in walking order, into sheets. Each bin is on one sheet, whole. Sheets that belong together (of a
// zone, or of a person) are about equally long: by their rows, or where they are cut by people by their time.
func Cut(bins []Bin, how How) (sheets []Sheet) {
	c := cut{bins: bins, rows: how.Rows}
	if c.rows == 0 {
		c.rows = math.MaxInt
	}
	switch how.By {
	case People:
		c.weigh = func(b *Bin) int64 { return b.Seconds }
		for person, s := range c.shares(0, len(bins), min(how.People, len(bins)), math.MaxInt) {
			for _, part := range c.pieces(s.From, s.To) {
				part.Person = person
				sheets = append(sheets, part)
			}
		}
	case Size:
		c.weigh = func(b *Bin) int64 { return int64(b.Lines) }
		sheets = c.pieces(0, len(bins))
	default:
		c.weigh = func(b *Bin) int64 { return int64(b.Lines) }
		for from := 0; from < len(bins); {
			to := from
			for to < len(bins) && bins[to].Zone == bins[from].Zone {
				to++
			}
			sheets = append(sheets, c.pieces(from, to)...)
			from = to
		}
	}
	for i := range sheets {
		if how.By != People {
			sheets[i].Person = -1
		}
		for _, b := range bins[sheets[i].From:sheets[i].To] {
			sheets[i].Lines += b.Lines
			sheets[i].Seconds += b.Seconds
		}
	}
	return sheets
}

// Rows gives the rows of a place that has no name each by itself: such a place is a whole warehouse without bins, and goes on as many
// sheets as it takes. What it takes is shared among them, so that it comes to the same.
func Rows(lines int, zone int32, seconds int64) []Bin {
	out := make([]Bin, lines)
	for i := range out {
		share := seconds / int64(lines-i)
		out[i] = Bin{Zone: zone, Lines: 1, Seconds: share}
		seconds -= share
	}
	return out
}

type cut struct {
	bins  []Bin
	rows  int
	weigh func(*Bin) int64
}

// pieces cuts a run of bins into as few sheets as hold it.
func (c *cut) pieces(from, to int) []Sheet {
	if from == to {
		return nil
	}
	return c.shares(from, to, c.least(from, to)[0], c.rows)
}

// least gives, for each bin of a run, how many sheets at least hold it and those behind it.
func (c *cut) least(from, to int) []int {
	n := to - from
	least := make([]int, n+1)
	end, lines := n, 0 // of the sheet that begins with the bin in hand and takes as many as it can
	for i := n - 1; i >= 0; i-- {
		lines += c.bins[from+i].Lines
		for end > i+1 && lines > c.rows {
			end--
			lines -= c.bins[from+end].Lines
		}
		least[i] = least[end] + 1
	}
	return least
}

// shares cuts a run of bins into n sheets of about the same weight, each with a bin at least and with so many rows at most, where
// n sheets hold them. Each border is the one nearest to an equal share of what is left.
func (c *cut) shares(from, to, n, rows int) (out []Sheet) {
	least := func(int) int { return 0 }
	if rows != math.MaxInt {
		of, first := c.least(from, to), from
		least = func(bin int) int { return of[bin-first] }
	}
	var left int64
	for i := from; i < to; i++ {
		left += c.weigh(&c.bins[i])
	}
	for ; n > 0; n-- {
		s := Sheet{From: from, To: to}
		if n > 1 {
			best, share := int64(math.MaxInt64), left/int64(n)
			lines, weight := 0, int64(0)
			taken := int64(0)
			for end := from + 1; end <= to-(n-1); end++ {
				b := &c.bins[end-1]
				lines, weight = lines+b.Lines, weight+c.weigh(b)
				if end > from+1 && lines > rows {
					break
				}
				if least(end) > n-1 { // what is left would not go on as many sheets as are left
					continue
				}
				off := weight - share
				if off < 0 {
					off = -off
				}
				if off >= best {
					break
				}
				best, s.To, taken = off, end, weight
			}
			left -= taken
		}
		out = append(out, s)
		from = s.To
	}
	return out
}
