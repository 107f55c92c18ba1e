package outfile

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"wobin/internal/core/formula"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// File is one file of a posting, whole.
type File struct {
	Name string
	Body []byte
	Rows int // without titles and header
}

// Problem is something that a layout cannot say of a line.
type Problem struct {
	Line   int    // its position among the lines; -1 for the files as a whole
	Column string // its header
	Kind   string
	Text   string // a sentence: what is wrong, and what to do
}

// Written is what a layout makes of lines.
type Written struct {
	Files    []File
	Rows     int
	Left     int // lines that the layout leaves out
	Problems []Problem
}

// cell is what stands in a row.
type cell struct {
	text   string // as it is written
	number bool   // of a workbook: a number, as a plain decimal in text
	at     int64  // of a workbook: a date
	date   bool
}

// row is a line, or a transfer of two.
type row struct {
	line     *Line
	pos      int
	document string
	number   int // in its document
	cells    []cell
}

// group is the rows of one file.
type group struct {
	warehouse, reason, document string
	part                        int
	rows                        []*row
	zone                        *time.Location
}

// Write writes lines as a layout says. Where there are problems there are no files. Rows come in the order of the lines.
func (l *Layout) Write(lines []Line, facts Facts) (w Written, err error) {
	if err := l.Valid(); err != nil {
		return w, err
	}
	if facts.Zone == nil {
		facts.Zone = time.UTC
	}
	columns, err := l.compile()
	if err != nil {
		return w, err
	}
	rows := l.rows(lines, &w)
	groups := l.groups(rows, &facts)
	for _, g := range groups {
		for _, r := range g.rows {
			for n := range columns {
				c, problem := columns[n].cell(l, r, &facts)
				if problem != nil {
					problem.Line, problem.Column = r.pos, l.Columns[n].Header
					w.Problems = append(w.Problems, *problem)
				}
				r.cells = append(r.cells, c)
			}
		}
	}
	w.Rows = len(rows)
	if len(w.Problems) > 0 {
		return w, nil
	}
	names := map[string]int{}
	for _, g := range groups {
		f := File{Name: l.name(g, &facts, len(groups)), Rows: len(g.rows)}
		if names[strings.ToLower(f.Name)]++; names[strings.ToLower(f.Name)] > 1 { // the pattern tells them not apart
			dot := strings.LastIndexByte(f.Name, '.')
			f.Name = f.Name[:dot] + "-" + strconv.Itoa(names[strings.ToLower(f.Name)]) + f.Name[dot:]
		}
		if l.Workbook() {
			f.Body, err = l.workbook(g)
		} else {
			f.Body, err = l.text(g, &w)
		}
		if err != nil {
			return w, err
		}
		w.Files = append(w.Files, f)
	}
	if len(w.Problems) > 0 {
		w.Files = nil
	}
	return w, nil
}

// rows gives the rows of the lines: of each one, of two that are one transfer as the layout says.
func (l *Layout) rows(lines []Line, w *Written) (rows []*row) {
	for i := range lines {
		x := &lines[i]
		pair := x.Partner > 0 && x.Partner <= len(lines) && lines[x.Partner-1].Partner == i+1
		switch {
		case !pair && l.Transfers == "alone", pair && l.Transfers == "left":
			w.Left++
		case !pair || l.Transfers == "" || l.Transfers == "two rows":
			rows = append(rows, &row{line: x, pos: i})
		case x.Variance < 0: // the one that it leaves stands for both
			one := *x
			one.to = &lines[x.Partner-1]
			rows = append(rows, &row{line: &one, pos: i})
		}
	}
	return rows
}

// groups parts rows into files and documents.
func (l *Layout) groups(rows []*row, facts *Facts) (out []*group) {
	type part struct{ warehouse, reason string }
	var order []part
	by := map[part][]*row{}
	for _, r := range rows {
		var p part
		if slices.Contains(l.Per, "warehouse") {
			p.warehouse = r.line.Key[stock.Warehouse]
		}
		if slices.Contains(l.Per, "reason") {
			p.reason = r.line.Reason
		}
		if by[p] == nil {
			order = append(order, p)
		}
		by[p] = append(by[p], r)
	}
	documents := 0
	for _, p := range order {
		rows, parts := by[p], 0
		var g *group
		for first := 0; first < len(rows); {
			n := len(rows) - first
			if l.DocumentRows > 0 {
				n = min(n, l.DocumentRows)
			}
			documents++
			document := rows[first : first+n]
			for i, r := range document {
				r.number, r.document = i+1, strconv.Itoa(documents)
				if facts.Reference != "" {
					r.document = facts.Reference + "-" + r.document
				}
			}
			first += n
			for len(document) > 0 {
				whole := slices.Contains(l.Per, "document") && document[0].number == 1
				// A document stays in one file, where it fits into one.
				full := g != nil && l.FileRows > 0 && len(g.rows)+min(len(document), l.FileRows) > l.FileRows
				if g == nil || whole || full {
					parts++
					g = &group{warehouse: p.warehouse, reason: p.reason, document: document[0].document, part: parts,
						zone: facts.Zone}
					out = append(out, g)
				}
				take := len(document)
				if l.FileRows > 0 {
					take = min(take, l.FileRows-len(g.rows))
				}
				g.rows = append(g.rows, document[:take]...)
				document = document[take:]
			}
		}
	}
	return out
}

// name is what the file of a group is called.
func (l *Layout) name(g *group, facts *Facts, files int) string {
	pattern := l.FileName
	if pattern == "" {
		pattern = "adjustments"
		for _, p := range l.Per {
			pattern += "-{" + p + "}"
		}
	}
	if files > 1 && !strings.Contains(pattern, "{part}") && l.FileRows > 0 && !slices.Contains(l.Per, "document") {
		if dot := strings.LastIndexByte(pattern, '.'); dot > 0 {
			pattern = pattern[:dot] + "-{part}" + pattern[dot:]
		} else {
			pattern += "-{part}"
		}
	}
	date := ""
	if facts.At != 0 {
		date = time.Unix(0, facts.At).In(facts.Zone).Format(time.DateOnly)
	}
	reason, warehouse := g.reason, g.warehouse
	if len(g.rows) > 0 {
		warehouse = g.rows[0].line.Key[stock.Warehouse]
	}
	name := strings.NewReplacer("{count}", facts.Count, "{warehouse}", warehouse, "{reason}", reason, "{document}", g.document,
		"{reference}", facts.Reference, "{date}", date, "{part}", strconv.Itoa(g.part)).Replace(pattern)
	name = strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '_'
		}
		return r
	}, strings.TrimLeft(name, ". "))
	ending := ".csv"
	if l.Workbook() {
		ending = ".xlsx"
	}
	if dot := strings.LastIndexByte(name, '.'); name == "" || dot <= 0 || l.Workbook() && !strings.EqualFold(name[dot:], ending) {
		name += ending
	}
	return name
}

// compiled is a column with its formula read.
type compiled struct {
	*Column
	formula *formula.Formula
	fields  []Field // by label of the formula
	date    string
}

func (l *Layout) compile() (out []compiled, err error) {
	for n := range l.Columns {
		c := compiled{Column: &l.Columns[n]}
		if c.date, err = datePattern(c.Date); err != nil {
			return nil, err
		}
		if c.Formula != "" {
			if c.formula, err = formula.Parse(c.Formula); err != nil {
				return nil, err
			}
			for _, label := range c.formula.Labels {
				c.fields = append(c.fields, named(label))
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// cells gives a formula the fields of a line.
type cells struct {
	c     *compiled
	r     *row
	facts *Facts
	err   error
}

func (x *cells) value(label int) value {
	v, err := x.r.line.of(x.c.fields[label], x.facts, x.r.document, x.r.number)
	if err != nil && x.err == nil {
		x.err = err
	}
	return v
}

// Text is a field as a text.
func (x *cells) Text(label int) string {
	v := x.value(label)
	if v.time {
		return time.Unix(0, v.at).In(x.facts.Zone).Format(time.RFC3339Nano)
	}
	return v.text
}

// Number is a field as a plain decimal.
func (x *cells) Number(label int) (string, bool) {
	v := x.value(label)
	return v.text, v.number
}

// Date is a field as a time.
func (x *cells) Date(label int) (time.Time, bool) {
	v := x.value(label)
	return time.Unix(0, v.at).In(x.facts.Zone), v.time
}

// raw gives what a column holds of a row.
func (c *compiled) raw(r *row, facts *Facts) (v value, p *Problem) {
	switch {
	case c.formula != nil:
		x := &cells{c: c, r: r, facts: facts}
		text, err := c.formula.Text(x)
		if x.err != nil {
			err = x.err
		}
		if err != nil {
			return v, &Problem{Kind: "formula", Text: fmt.Sprintf("the formula fails: %v", err)}
		}
		_, err = quantity.Parse(text)
		return value{text: text, number: err == nil && text != "" && !strings.HasPrefix(text, "+")}, nil
	case c.Field != "":
		v, err := r.line.of(c.Field, facts, r.document, r.number)
		if err != nil {
			return v, &Problem{Kind: "no value", Text: err.Error()}
		}
		return v, nil
	}
	return value{text: c.Fixed}, nil
}

// cell gives what stands in a column of a row, or what is wrong with it.
func (c *compiled) cell(l *Layout, r *row, facts *Facts) (out cell, p *Problem) {
	v, p := c.raw(r, facts)
	if p != nil {
		return out, p
	}
	if to, is := c.Values[v.text]; is && !v.time {
		if v.text = to; v.number {
			_, err := quantity.Parse(to)
			v.number = err == nil
		}
	}
	if v.nothing() {
		if c.Needed {
			return out, &Problem{Kind: "empty", Text: fmt.Sprintf("%s has nothing here, which the record system needs. Fill it in the reference, or let the column be empty",
				r.line.name())}
		}
		return cell{text: c.Empty}, nil
	}
	switch {
	case v.time:
		out = cell{text: time.Unix(0, v.at).In(facts.Zone).Format(c.date), date: c.Cell == "date" || c.Cell == "" && c.Date == "", at: v.at}
	case v.number && (c.Field == "" || SpecOf(c.Field).Sort != Whole):
		if c.Pack != "" {
			if v.text, p = c.inPacks(r, v.text); p != nil {
				return out, p
			}
		}
		if c.Places != nil {
			if v.text, p = withPlaces(v.text, *c.Places); p != nil {
				return out, p
			}
		}
		out = cell{text: c.signed(v.text, l.decimal(c.Column)), number: c.Cell == "" || c.Cell == "number"}
		if out.number && l.Workbook() {
			out.text = v.text
		}
	default:
		out = cell{text: v.text, number: v.number && (c.Cell == "" || c.Cell == "number")}
	}
	if c.Cell == "text" {
		out.number, out.date = false, false
	}
	if n := utf8.RuneCountInString(out.text); c.Longest > 0 && n > c.Longest {
		return out, &Problem{Kind: "too long", Text: fmt.Sprintf("%q has %d characters, and the record system takes %d. Shorten it in the reference, or let a formula say which part goes out",
			out.text, n, c.Longest)}
	}
	return out, nil
}

// inPacks gives a quantity in packs of the column's name.
func (c *compiled) inPacks(r *row, text string) (string, *Problem) {
	var size quantity.Quantity
	for name, s := range r.line.Packs {
		if strings.EqualFold(name, c.Pack) {
			size = s
		}
	}
	if size <= 0 {
		return "", &Problem{Kind: "no pack", Text: fmt.Sprintf("%s has no pack %q. Add it in the reference, or send base units", r.line.name(), c.Pack)}
	}
	q, err := quantity.Parse(text)
	if err != nil {
		return "", &Problem{Kind: "no number", Text: fmt.Sprintf("%q %v", text, err)}
	}
	if q%size != 0 {
		return "", &Problem{Kind: "part of a pack", Text: fmt.Sprintf("%s of %s are no whole packs of %s. Send base units", text, r.line.name(), size)}
	}
	return (q / size * quantity.Scale).String(), nil
}

// withPlaces writes a plain decimal with so many places, where it has no more.
func withPlaces(text string, places int) (string, *Problem) {
	whole, part, _ := strings.Cut(text, ".")
	if len(part) > places {
		return "", &Problem{Kind: "more decimals", Text: fmt.Sprintf("%s has more than %d decimals. Let the column have more, or let a formula round it", text, places)}
	}
	if places == 0 {
		return whole, nil
	}
	return whole + "." + part + strings.Repeat("0", places-len(part)), nil
}

// signed writes a plain decimal with the column's signs.
func (c *compiled) signed(text, decimal string) string {
	below := strings.HasPrefix(text, "-")
	bare := strings.Replace(strings.TrimPrefix(text, "-"), ".", decimal, 1)
	switch {
	case below && c.Minus == "behind":
		return bare + "-"
	case below && c.Minus == "brackets":
		return "(" + bare + ")"
	case below:
		return "-" + bare
	case c.Plus && strings.Trim(bare, "0"+decimal) != "":
		return "+" + bare
	}
	return bare
}

// name is how a line is called in a sentence.
func (l *Line) name() string {
	parts := []string{}
	for _, p := range []stock.Part{stock.Bin, stock.SKU, stock.Lot, stock.Serial} {
		if l.Key[p] != "" {
			parts = append(parts, l.Key[p])
		}
	}
	return strings.Join(parts, " · ")
}
