package layout

import (
	"fmt"

	"wobin/internal/core/tabular"
)

// Problem is one thing wrong with a file: where it is, what it is and what to do.
type Problem struct {
	File   string
	Sheet  string
	Row    int    // as a spreadsheet shows it; 0 where it is the file as a whole
	Column string // letter name, where a column is meant
	Field  Field
	Value  string
	Kind   string // problems of one kind have one remedy
	Text   string // the message behind the field
	Remedy string
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
// every row costs no more than another.
type Problems struct {
	Most   int // 0 is 10,000
	List   []Problem
	More   int
	Groups map[Group]int // how many of each kind and field
	Rows   int           // rows with a problem, where problems come in the order of rows
	last   int
}

// Group is what problems are put together by.
type Group struct {
	Kind  string
	Field Field
}

// Add takes a problem.
func (p *Problems) Add(x Problem) {
	if p.Groups == nil {
		p.Groups = map[Group]int{}
	}
	p.Groups[Group{x.Kind, x.Field}]++
	if x.Row > 0 && x.Row != p.last {
		p.Rows++
		p.last = x.Row
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

// Addf takes a problem of a file as a whole.
func (p *Problems) Addf(file, kind, format string, args ...any) {
	p.Add(Problem{File: file, Kind: kind, Text: fmt.Sprintf(format, args...)})
}

// Append takes all problems of another gathering.
func (p *Problems) Append(other *Problems) {
	for _, x := range other.List {
		p.Add(x)
	}
	p.More += other.More
}

// Any tells whether there is a problem.
func (p *Problems) Any() bool { return len(p.List)+p.More > 0 }

// Len is how many there are.
func (p *Problems) Len() int { return len(p.List) + p.More }
