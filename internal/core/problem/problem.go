// Package problem is what is wrong with a file: where, what, and of what group, so that all of a group can be settled alike. How
// people are told of it in words is here too.
package problem

import (
	"slices"
	"strings"

	"wobin/internal/core/field"
	"wobin/internal/core/tabular"
)

// DamagedByCode is the kind of problem of a code that is damaged, beside a row code that says what it should be.
const DamagedByCode = "damaged beside its row code"

// With names another row that the problem is about, to be shown beside it.
func (p Problem) With(row int) Problem {
	p.Also = row
	return p
}

// Problem is one thing wrong with a file: where it is, what it is and what to do.
type Problem struct {
	File   string
	Sheet  string
	Row    int    // as a spreadsheet shows it; 0 where it is the file as a whole
	Column string // letter name, where a column is meant
	Field  field.Field
	Value  string
	Kind   string // problems of one kind have one remedy
	Text   string // the message behind the field
	Also   int    // another row that it is about: the first of two with one key
	Remedy string
	Offers []string // what may stand in the cell, to be offered for the whole group
}

// String is the problem in one line: stock.csv:17: quantity: "12 pcs" is not a number.
func (p Problem) String() string {
	s := tabular.Where(p.File, p.Sheet, p.Row) + " "
	if p.Field != "" {
		s += string(p.Field) + ": "
	}
	return s + p.Text
}

// Problems gathers what is wrong. It keeps the first Most in full and counts the rest, so that a file wrong in
// every row costs no more than another; which rows are refused, and by what group first, it knows of all.
type Problems struct {
	Most    int // 0 is 10,000
	List    []Problem
	More    int
	Groups  map[Group]int // how many of each kind and field
	Rows    int           // rows with a problem
	refused []uint16      // by row: the group's number in order, from 1
	order   []Group
	numbers map[Group]uint16
}

// Group is what problems are put together by.
type Group struct {
	Kind  string
	Field field.Field
}

// Add takes a problem.
func (p *Problems) Add(x Problem) {
	if p.Groups == nil {
		p.Groups = map[Group]int{}
	}
	p.Groups[Group{x.Kind, x.Field}]++
	if x.Kind != "column missing" { // told of the header row, which is no line
		p.refuse(x.Row, Group{x.Kind, x.Field})
	}
	most := p.Most
	if most == 0 {
		most = 10_000
	}
	if len(p.List) >= most {
		p.More++
		return
	}
	p.List = append(p.List, x)
}

func (p *Problems) refuse(row int, g Group) {
	if row <= 0 {
		return
	}
	if p.numbers[g] == 0 {
		if p.numbers == nil {
			p.numbers = map[Group]uint16{}
		}
		p.order = append(p.order, g)
		p.numbers[g] = uint16(len(p.order))
	}
	if row >= len(p.refused) {
		p.refused = slices.Grow(p.refused, row+1-len(p.refused))[:max(row+1, min(cap(p.refused), row*2))]
	}
	if p.refused[row] == 0 {
		p.refused[row] = p.numbers[g]
		p.Rows++
	}
}

// Refused tells whether a row has a problem, and of which group its first one is.
func (p *Problems) Refused(row int) (Group, bool) {
	if row <= 0 || row >= len(p.refused) || p.refused[row] == 0 {
		return Group{}, false
	}
	return p.order[p.refused[row]-1], true
}

// RowsOf gives the rows with a problem of a group: up to most of them, after the first skip. Where the group is larger
// than what is kept in full, it gives the rows whose first problem is of it.
func (p *Problems) RowsOf(g Group, skip, most int) (rows []int) {
	if kept := p.kept(g); kept != nil {
		return kept[min(skip, len(kept)):min(skip+most, len(kept))]
	}
	n := p.numbers[g]
	for row := 1; n > 0 && row < len(p.refused) && len(rows) < most; row++ {
		if p.refused[row] == n {
			if skip--; skip < 0 {
				rows = append(rows, row)
			}
		}
	}
	return rows
}

// CountRows is how many rows RowsOf gives in all.
func (p *Problems) CountRows(g Group) (n int) {
	if kept := p.kept(g); kept != nil {
		return len(kept)
	}
	for _, x := range p.refused {
		if x != 0 && x == p.numbers[g] {
			n++
		}
	}
	return n
}

// kept gives the rows of a group in order, where all of its problems are kept in full.
func (p *Problems) kept(g Group) (rows []int) {
	n := 0
	for _, x := range p.List {
		if x.Kind == g.Kind && x.Field == g.Field {
			if n++; x.Row > 0 {
				rows = append(rows, x.Row)
			}
			if x.Also > 0 { // shown beside it
				rows = append(rows, x.Also)
			}
		}
	}
	if n < p.Groups[g] {
		return nil
	}
	slices.Sort(rows)
	return slices.Compact(rows)
}

// At gives the problems of rows that are kept in full.
func (p *Problems) At(rows []tabular.Row) map[int][]Problem {
	out := map[int][]Problem{}
	wanted := map[int]bool{}
	for _, r := range rows {
		wanted[r.Number] = true
	}
	for _, x := range p.List {
		if wanted[x.Row] {
			out[x.Row] = append(out[x.Row], x)
		}
	}
	return out
}

// Append takes all problems of another gathering.
func (p *Problems) Append(other *Problems) { p.Behind(other, 0) }

// Behind takes all problems of another gathering, whose rows are counted from those before.
func (p *Problems) Behind(other *Problems, before int) {
	listed := map[Group]int{}
	for _, x := range other.List {
		if x.Row > 0 {
			x.Row += before
		}
		if x.Also > 0 {
			x.Also += before
		}
		p.Add(x)
		listed[Group{x.Kind, x.Field}]++
	}
	p.More += other.More
	for g, n := range other.Groups {
		if more := n - listed[g]; more > 0 {
			if p.Groups == nil {
				p.Groups = map[Group]int{}
			}
			p.Groups[g] += more
		}
	}
	for row, n := range other.refused {
		if n > 0 {
			p.refuse(row+before, other.order[n-1])
		}
	}
}

// Any tells whether there is a problem.
func (p *Problems) Any() bool { return len(p.List)+p.More > 0 }

// Len is how many there are.
func (p *Problems) Len() int { return len(p.List) + p.More }

// Short cuts a value for a message; the file has the whole of it.
func Short(b []byte) string {
	s := strings.ToValidUTF8(string(b), "\ufffd")
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}
