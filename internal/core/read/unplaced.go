package read

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/problem"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
)

// Unplaced is the kind of problem of a row whose warehouse or bin is empty where other rows of the file name theirs: it would
// become a place without a name.
const Unplaced = "place not named"

// mostOffered is how many places are offered for an empty cell: beyond that nobody means all of the rows.
const mostOffered = 4

// placed refuses rows that lack a part of their place which other rows of the file name. It gives the rows to keep, nil for
// all of them. An empty bin that was said to mean no bin is kept; a warehouse always has a name. Where nobody can be asked, as by
// the commands on files alone, an empty bin is none.
func placed[R any](
	r *pass,
	rows []R,
	codes *stock.Codes,
	at func(*R) (k *stock.Key, row int, exempt bool),
	parts ...stock.Part,
) (keep []bool) {
	for _, part := range parts {
		f := recognise.KeyFields[part]
		if r.sources[f] == nil && !r.m.Transfers() || part == stock.Bin && (r.m.Stays[f] || r.Known == nil) {
			continue
		}
		empty, named := 0, 0
		var offers []string
		seen := map[stock.ID]bool{}
		for i := range rows {
			k, _, exempt := at(&rows[i])
			switch id := k[part]; {
			case id == 0 && !exempt:
				empty++
			case id != 0:
				if named++; len(seen) <= mostOffered && !seen[id] {
					seen[id] = true
					offers = append(offers, codes[part].Text(id))
				}
			}
		}
		if empty == 0 || named == 0 {
			continue
		}
		if len(offers) > mostOffered {
			offers = nil
		}
		slices.Sort(offers)
		if keep == nil {
			keep = make([]bool, len(rows))
			for i := range keep {
				keep[i] = true
			}
		}
		for i := range rows {
			k, row, exempt := at(&rows[i])
			if k[part] != 0 || exempt || !keep[i] {
				continue
			}
			text := "is empty where other rows name theirs. Write it in, or say what an empty cell means"
			if part == stock.Bin {
				text = "is empty where other rows name theirs. Write it in, or say that these rows lie in no bin"
			}
			x := r.m.Problem(r.file.Name, row, f, Unplaced, "", text)
			if part == stock.Warehouse { // of bins hardly one is meant for all rows
				x.Offers = offers
			}
			r.problems.Add(x)
			keep[i] = false
		}
	}
	return keep
}

// TwoDescriptions is the kind of problem of a row whose item has another description in an earlier row of the file: they may
// be two items under one code.
const TwoDescriptions = "two descriptions"

// describedAlike refuses rows of stock that describe their item otherwise than the first row of it does.
func (s *StockFile) describedAlike(r *pass) {
	if r.Known == nil || !r.m.Has(field.Description) || r.m.Identity == field.Description || r.m.Given(r.Layout).Describes == "first" {
		return
	}
	first := make([]int32, s.Book.Codes[stock.SKU].Len()) // the line that described it first, from 1
	var keep []bool
	for i := range s.Book.Lines {
		l := &s.Book.Lines[i]
		if l.Description == 0 {
			continue
		}
		f := &first[l.Key[stock.SKU]]
		if *f == 0 {
			*f = int32(i + 1)
			continue
		}
		o := &s.Book.Lines[*f-1]
		if o.Description == l.Description || sameWords(s.Book.Descriptions.Text(o.Description), s.Book.Descriptions.Text(l.Description)) {
			continue
		}
		if keep == nil {
			keep = make([]bool, len(s.Book.Lines))
			for k := range keep {
				keep[k] = true
			}
		}
		keep[i] = false
		text := s.Book.Descriptions.Text(l.Description)
		r.problems.Add(r.m.Problem(r.file.Name, int(l.Row), field.Description, TwoDescriptions, text,
			fmt.Sprintf("%q is not what row %d says of %s: %q. Say whether they are one item", problem.Short([]byte(text)), o.Row,
				s.Book.Codes[stock.SKU].Text(l.Key[stock.SKU]), problem.Short([]byte(s.Book.Descriptions.Text(o.Description))))).
			With(int(o.Row)))
	}
	if keep != nil {
		s.doubt(keep, r.problems)
		s.Book.Lines = keepRows(s.Book.Lines, keep)
	}
}

// sameWords tells whether two texts are the same but for case and spaces.
func sameWords(a, b string) bool {
	return code.Fold(strings.Join(strings.Fields(a), " ")) == code.Fold(strings.Join(strings.Fields(b), " "))
}

// CountedTwice is the kind of problem of a count that comes twice in a file, equal in everything and without a row code that
// would tell a second parcel from a second copy.
const CountedTwice = "counted twice alike"

// countsTwice refuses, keeps or leaves out counts without row codes that are equal in everything to an earlier one of the file.
func (s *CountFile) countsTwice(r *pass, judge *settler) {
	doubles := r.m.Given(r.Layout).Doubles
	if r.Known == nil || doubles == "keep" || doubles == "sum" {
		return
	}
	type same struct {
		key      stock.Key
		quantity int64
		at       int64
		counter  stock.ID
		round    int32
	}
	seen := map[same]int32{}
	var keep []bool
	for i := range s.Counts {
		n := &s.Counts[i]
		if n.RowCode != 0 || !n.Given {
			continue
		}
		k := same{n.Key, int64(n.Quantity), n.At, n.Counter, n.Round}
		first, twice := seen[k]
		if !twice {
			seen[k] = n.Row
			continue
		}
		if keep == nil {
			keep = make([]bool, len(s.Counts))
			for j := range keep {
				keep[j] = true
			}
		}
		keep[i] = false
		if doubles == "skip" {
			judge.left++
			continue
		}
		r.problems.Add(r.m.Problem(r.file.Name, int(n.Row), field.Counted, CountedTwice, n.Quantity.String(),
			fmt.Sprintf("%s of %s comes twice, equal in everything, first in row %d. Say whether these are two parcels or one count",
				n.Quantity, s.Codes[stock.SKU].Text(n.Key[stock.SKU]), first)).With(int(first)))
	}
	if keep != nil {
		s.Counts = keepRows(s.Counts, keep)
	}
}
