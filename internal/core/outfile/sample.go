package outfile

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"wobin/internal/core/form"
	"wobin/internal/core/tabular"
)

// Ask is something that a sample cannot answer.
type Ask struct {
	Column   int      `json:"column" doc:"counted from 0; -1 for the file as a whole"`
	Header   string   `json:"header"`
	Question string   `json:"question"`
	Examples []string `json:"examples" doc:"what stands in the sample there"`
}

// sampleRows is how many rows of a sample are looked at.
const sampleRows = 300

// Propose makes a layout of a sample of a file that the record system takes in, or of an empty template of one, and says what it cannot
// answer. It errs with *tabular.Error where the file is no table.
func Propose(name string, content []byte) (l Layout, asks []Ask, err error) {
	f, err := tabular.Open(name, bytes.NewReader(content), int64(len(content)), tabular.Options{})
	if err != nil {
		return l, nil, err
	}
	asks = []Ask{}
	l.Name = strings.TrimSuffix(name, name[max(0, strings.LastIndexByte(name, '.')):])
	sheet := max(0, slices.Index(f.Hidden, false))
	if f.Kind == tabular.Workbook {
		l.Form, l.Sheet = "workbook", f.Sheets[sheet]
	} else {
		l.ofText(f, content)
	}
	rows, kinds, err := sampled(f, sheet)
	if err != nil {
		return l, nil, err
	}
	if len(rows) == 0 {
		return l, nil, &tabular.Error{File: name, Text: "is empty. Drop a file that the record system takes in, or a template with its header"}
	}
	head := headerOf(rows)
	width := 0
	for _, r := range rows {
		width = max(width, len(r))
	}
	var header []string
	if head < 0 {
		l.NoHeader = true
		asks = append(asks, Ask{-1, "", "No row of the sample reads as a header. Say of each column what goes into it, and whether the file has a header.", []string{}})
	} else {
		header = rows[head]
		width = len(header)
		for _, r := range rows[:head] {
			l.Titles = append(l.Titles, strings.TrimRight(strings.Join(r, " "), " "))
		}
		rows, kinds = rows[head+1:], kinds[head+1:]
	}
	for n := range width {
		var c Column
		if n < len(header) {
			c.Header = strings.TrimSpace(header[n])
		}
		var texts []string
		var are []tabular.CellKind
		for i, r := range rows {
			if n < len(r) && r[n] != "" {
				texts = append(texts, r[n])
				if n < len(kinds[i]) {
					are = append(are, kinds[i][n])
				}
			}
		}
		asks = append(asks, l.column(&c, n, texts, are, len(rows))...)
		l.Columns = append(l.Columns, c)
	}
	return l, asks, nil
}

// ofText settles the form of delimited text.
func (l *Layout) ofText(f *tabular.File, content []byte) {
	l.Form, l.Delimiter = "text", string(f.Dialect.Delimiter)
	switch l.Encoding = string(f.Dialect.Encoding); f.Dialect.Encoding {
	case tabular.UTF8Mark:
		l.Encoding, l.Mark = string(tabular.UTF8), true
	case tabular.UTF16LE, tabular.UTF16BE:
		l.Mark = bytes.HasPrefix(content, []byte("\xff\xfe")) || bytes.HasPrefix(content, []byte("\xfe\xff"))
	}
	bare := bytes.ReplaceAll(content, []byte{0}, nil) // of UTF-16 the signs that matter stay
	l.LineEnd = "lf"
	if bytes.Contains(bare, []byte("\r\n")) {
		l.LineEnd = "crlf"
	}
	l.OpenEnd = len(bare) > 0 && bare[len(bare)-1] != '\n'
	always, some := true, false
	for _, line := range bytes.Split(bytes.TrimPrefix(bare, []byte("\xef\xbb\xbf")), []byte("\n")) {
		line = bytes.TrimSpace(line)
		if len(line) == 0 || !bytes.Contains(line, []byte(l.Delimiter)) {
			continue
		}
		some = true
		always = always && line[0] == '"' && line[len(line)-1] == '"' && !bytes.Contains(line, []byte(l.Delimiter+l.Delimiter))
	}
	if always && some {
		l.Quotes = "always"
	}
}

// sampled gives the first rows of a sheet that hold anything.
func sampled(f *tabular.File, sheet int) (rows [][]string, kinds [][]tabular.CellKind, err error) {
	r, err := f.Rows(sheet)
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	for len(rows) < sampleRows {
		_, cells, ok := r.Next()
		if !ok {
			break
		}
		row, some := make([]string, len(cells)), false
		for i, c := range cells {
			row[i] = strings.TrimSpace(string(c))
			some = some || row[i] != ""
		}
		if some {
			rows, kinds = append(rows, row), append(kinds, slices.Clone(r.Kinds()))
		}
	}
	return rows, kinds, r.Err()
}

// headerOf finds the row of the header: the one among the first in which most cells are the names of fields; -1 for none.
func headerOf(rows [][]string) int {
	best, most := -1, 0
	for i, r := range rows[:min(len(rows), 15)] {
		known, figures := 0, false
		for _, c := range r {
			if ByHeader(c) != "" {
				known++
			}
			figures = figures || form.Figure(c)
		}
		if known > most && !figures {
			best, most = i, known
		}
	}
	if most == 0 && len(rows) > 0 && len(rows[0]) > 1 && !slices.ContainsFunc(rows[0], func(c string) bool { return c == "" || form.Figure(c) }) {
		return 0 // words above nothing, or above other things: a template in words of its own
	}
	return best
}

var dateParts = regexp.MustCompile(`\d+`)

// column settles what a column holds and in what form, from its header and from what stands in it.
func (l *Layout) column(c *Column, n int, texts []string, kinds []tabular.CellKind, rows int) (asks []Ask) {
	ask := func(format string, args ...any) {
		asks = append(asks, Ask{n, c.Header, fmt.Sprintf(format, args...), slices.Clone(texts[:min(len(texts), 3)])})
	}
	c.Field = ByHeader(c.Header)
	if l.has(c.Field) && c.Field != "" && len(l.Columns) > 0 { // a second one of the same meaning
		ask("The sample has another column for %s. What goes into this one?", strings.ToLower(SpecOf(c.Field).Title))
		c.Field = ""
		return asks
	}
	same := len(texts) > 1 && len(texts) == rows && len(slices.Compact(slices.Clone(texts))) == 1
	if c.Field == "" {
		switch {
		case same:
			c.Fixed = texts[0]
			ask("Every row has %q here. Does it stand in every row, or is it something of the line?", texts[0])
		case len(texts) == 0 && rows > 0:
			ask("Nothing stands here in the sample. Does it stay empty?")
		default:
			ask("What goes into this column?")
		}
		return asks
	}
	text := len(kinds) > 0 && !slices.ContainsFunc(kinds, func(k tabular.CellKind) bool { return k != tabular.TextCell })
	switch spec := SpecOf(c.Field); spec.Sort {
	case Quantity, Money:
		if l.Workbook() && text {
			c.Cell = "text"
		}
		below := l.numbers(c, texts, ask)
		if c.Field == Difference && !below && strings.Contains("quantity qty menge quantité cantidad", strings.ToLower(c.Header)) {
			ask("Does it say the difference, the new balance or what was counted? No number in the sample is below zero.")
		}
	case Time:
		l.date(c, texts, ask)
	case Code, Text:
		if l.Workbook() && !text && len(kinds) > 0 {
			c.Cell = "number"
		}
	}
	return asks
}

// numbers settles the form of numbers, and tells whether one is below zero.
func (l *Layout) numbers(c *Column, texts []string, ask func(format string, args ...any)) (below bool) {
	if l.Workbook() && c.Cell == "" {
		return slices.ContainsFunc(texts, func(t string) bool { return strings.HasPrefix(t, "-") })
	}
	var votes form.Evidence
	places, fixed, some := 0, true, 0
	for _, t := range texts {
		w, ok := form.TakeApart(t)
		if !ok {
			continue
		}
		switch {
		case strings.HasSuffix(t, "-"):
			c.Minus, below = "behind", true
		case strings.HasPrefix(t, "("):
			c.Minus, below = "brackets", true
		case w.Negative:
			below = true
		case strings.HasPrefix(t, "+"):
			c.Plus = true
		}
		votes.Add([]byte(strings.Trim(t, "+-() ")))
		n := 0
		if at := strings.LastIndexAny(t, ".,"); at >= 0 {
			n = len(strings.TrimRight(t[at+1:], "-) "))
		}
		if some++; some > 1 && n != places {
			fixed = false
		}
		places = n
	}
	if sign, _, sure := votes.Decide(); sure && votes.Point+votes.Comma > 0 {
		c.Decimal = map[string]string{".": "point", ",": "comma"}[sign]
	} else if votes.Example != "" {
		ask("%s may have thousands or decimals. Is the sign before decimals a point or a comma?", votes.Example)
	} else if votes.Point+votes.Comma == 0 {
		if l.Delimiter == ";" || l.Delimiter == "\t" {
			ask("No number in the sample has decimals. Is their sign a point or a comma?")
		}
	} else {
		ask("Is the sign before decimals a point or a comma?")
	}
	if fixed && some > 1 && places > 0 && places <= 6 {
		c.Places = &places
	}
	return below
}

// date settles the form of dates.
func (l *Layout) date(c *Column, texts []string, ask func(format string, args ...any)) {
	if l.Workbook() {
		c.Cell, c.Date = "date", "YYYY-MM-DD"
		return
	}
	var votes form.DateEvidence
	for _, t := range texts {
		votes.Add(t)
	}
	order, _, sure := votes.Decide()
	if len(texts) == 0 {
		c.Date = "YYYY-MM-DD"
		ask("The sample has no date here. In what form does it stand? Written YYYY-MM-DD so far.")
		return
	}
	c.Date = patternOf(texts[0], order)
	if c.Date == "" {
		c.Date = "YYYY-MM-DD"
		ask("%q is no date in a form that is known. In what form does it stand?", texts[0])
	} else if !sure {
		ask("%s may be day first or month first. Which is it?", votes.Example)
	}
}

// patternOf gives the pattern of a date as it is written; empty where it is none.
func patternOf(text, order string) string {
	parts := dateParts.FindAllStringIndex(text, -1)
	if len(parts) == 1 && len(text) == 8 {
		return "YYYYMMDD"
	}
	if len(parts) < 3 {
		return ""
	}
	letters := strings.Split(map[string]string{"ymd": "Y M D", "dmy": "D M Y", "mdy": "M D Y"}[order], " ")
	if len(letters) != 3 {
		return ""
	}
	letters = append(letters, "h", "m", "s")
	out, at := "", 0
	for i, p := range parts {
		if i >= len(letters) {
			return ""
		}
		width := 2
		if letters[i] == "Y" && p[1]-p[0] == 4 {
			width = 4
		}
		out += text[at:p[0]] + strings.Repeat(letters[i], width)
		at = p[1]
	}
	return out + text[at:]
}
