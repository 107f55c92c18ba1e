package document

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
)

// WriteReport writes a count summed up as PDF, made to be printed and signed: figures, a curve of how the value is spread, tables whose
// heads are repeated, page x of y, places to sign.
func WriteReport(size Paper, s *statement.Statement, w io.Writer) error {
	draft := drawReport(size, s, 0) // the first time tells how many pages there are
	if err := draft.Error(); err != nil {
		return fmt.Errorf("the paper could not be drawn: %w", err)
	}
	return drawReport(size, s, draft.PageNo()).finish(w)
}

// reported is a report being drawn.
type reported struct {
	*page
	*statement.Statement
	y     float64
	pages int
	head  func() // what is repeated at the top of the next page
}

const bottom = 16.0

func drawReport(size Paper, s *statement.Statement, pages int) *reported {
	r := &reported{page: newPage(size, s.Title), Statement: s, pages: pages}
	r.next()
	r.top()
	r.figures()
	r.curve()
	for i := range s.Parts {
		r.parts(&s.Parts[i])
	}
	r.sums("By reason: accepted and sent out", s.Reasons)
	r.sums("By likely cause", s.Causes)
	r.heaviest()
	r.postings()
	r.earlier()
	r.notes()
	r.sign()
	return r
}

// next begins a page.
func (r *reported) next() {
	r.AddPage()
	r.y = margin + 4
	if r.PageNo() > 1 {
		r.write(boldFace, 9, margin, r.y, r.shortened(boldFace, 9, 120, r.Title))
		r.y += 2
		r.rule(margin, r.y, r.width-margin, 0.2)
		r.y += 6
	}
	if r.pages > 0 {
		r.writeRight(textFace, 8, r.width-margin, r.height-8, fmt.Sprintf("page %d of %d", r.PageNo(), r.pages))
	}
	if r.head != nil {
		r.head()
	}
}

// need makes sure that there is so much room on the page.
func (r *reported) need(h float64) {
	if r.y+h > r.height-bottom {
		r.next()
	}
}

func (r *reported) title(text string, room float64) {
	r.head = nil
	r.need(12 + room)
	r.y += 6
	r.write(boldFace, 10.5, margin, r.y, text)
	r.y += 1.6
	r.rule(margin, r.y, r.width-margin, 0.3)
	r.y += 4.2
}

func (r *reported) top() {
	for _, line := range r.wrap(boldFace, 18, r.width-2*margin, r.Title) {
		r.y += 5
		r.write(boldFace, 18, margin, r.y, line)
		r.y += 3
	}
	r.y += 1
	r.rule(margin, r.y, r.width-margin, 0.6)
	r.y += 5
	for _, f := range r.Facts {
		lines := r.wrap(textFace, 9, r.width-2*margin-34, f[1])
		r.write(textFace, 9, margin, r.y, f[0])
		for _, line := range lines {
			r.write(textFace, 9, margin+34, r.y, line)
			r.y += 4.2
		}
	}
}

// signed is money with its sign, thousands apart.
func signed(m quantity.Money) string {
	t := grouped(m.String())
	if m > 0 {
		return "+" + t
	}
	return t
}

// grouped puts the thousands of a plain decimal apart, with a true minus sign.
func grouped(text string) string {
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign, text = "−", text[1:]
	}
	whole, part, some := strings.Cut(text, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if some {
		whole += "." + part
	}
	return sign + whole
}

func percent(m quantity.Money, ok bool) string {
	if !ok {
		return "–"
	}
	return m.String() + " %"
}

// figures draws the large ones, and lines and values below.
func (r *reported) figures() {
	f := &r.Figures
	r.y += 9
	accuracy, known := f.Accuracy()
	coverage, covered := f.Coverage()
	step := (r.width - 2*margin) / 4
	for i, x := range [][2]string{{percent(accuracy, known), "accuracy (IRA)"}, {percent(coverage, covered), "coverage"}, {signed(f.Values.Net), "net value"},
		{grouped(f.Values.Gross.String()), "gross value"}} {
		at := margin + float64(i)*step
		r.write(codeBold, 15, at, r.y, x[0])
		r.write(textFace, 8.5, at, r.y+4.4, x[1])
	}
	r.y += 8
	n := func(i int) string { return grouped(strconv.Itoa(i)) }
	left := [][2]string{
		{"recorded lines", n(f.RecordedLines)},
		{"counted", n(f.Counted)},
		{"uncounted", n(f.Uncounted)},
		{"match", n(f.Match)},
		{"tolerated", n(f.Tolerated)},
		{"over", n(f.Over)},
		{"short", n(f.Short)},
		{"found", n(f.Found)},
		{"without a cost", n(f.Unvalued)},
	}
	middle := [][2]string{
		{"over", signed(f.Values.Over)},
		{"short", signed(f.Values.Short)},
		{"net", signed(f.Values.Net)},
		{"gross", grouped(f.Values.Gross.String())},
	}
	right := [][2]string{
		{"over", signed(r.Posted.Over)},
		{"short", signed(r.Posted.Short)},
		{"net", signed(r.Posted.Net)},
		{"gross", grouped(r.Posted.Gross.String())},
		{"lines", n(r.PostedN)},
	}
	if r.Recounts.Lines > 0 {
		right = append(right, [2]string{"counted again", n(r.Recounts.Lines)}, [2]string{"right at first", n(r.Recounts.Right)})
	}
	for _, x := range r.Left {
		middle = append(middle, [2]string{x[0], grouped(x[1])})
	}
	width := (r.width - 2*margin - 16) / 3
	top := r.y + 4
	low := top
	for i, c := range []struct {
		title string
		rows  [][2]string
	}{{"Lines", left}, {"Value of all counted lines", middle}, {"Sent out", right}} {
		x := margin + float64(i)*(width+8)
		y := top
		r.write(boldFace, 9.5, x, y, c.title)
		r.rule(x, y+1.5, x+width, 0.3)
		y += 5.6
		for _, row := range c.rows {
			r.write(textFace, 9, x, y, row[0])
			r.writeRight(codeFace, 9, x+width, y, row[1])
			r.rule(x, y+1.3, x+width, 0.05)
			y += 4.7
		}
		low = max(low, y)
	}
	r.y = low
}

// curve draws how the value is spread over the lines.
func (r *reported) curve() {
	if len(r.Spread.Curve) < 2 {
		return
	}
	r.title("How the value is spread", 34)
	last := r.Spread.Curve[len(r.Spread.Curve)-1]
	x0, w, h := margin, 90.0, 28.0
	y0 := r.y + h
	at := func(p statement.SpreadAt) (x, y float64) {
		return x0 + w*float64(p.Lines)/float64(last.Lines), y0 - h*float64(quantity.Share(int64(p.Gross), int64(last.Gross)))/1000
	}
	r.rule(x0, y0, x0+w, 0.3)
	r.SetLineWidth(0.4)
	x, y := x0, y0
	for _, p := range r.Spread.Curve {
		nx, ny := at(p)
		r.Line(x, y, nx, ny)
		x, y = nx, ny
	}
	mx, _ := at(statement.SpreadAt{Lines: r.Spread.Most})
	r.SetDashPattern([]float64{1, 1}, 0)
	r.SetLineWidth(0.2)
	r.Line(mx, y0-h, mx, y0)
	r.SetDashPattern(nil, 0)
	r.write(
		textFace,
		9.5,
		x0+w+8,
		r.y+8,
		fmt.Sprintf("%s of %s lines hold 80 %% of %s.", grouped(strconv.Itoa(r.Spread.Most)), grouped(strconv.Itoa(last.Lines)),
			grouped(last.Gross.String())),
	)
	r.write(textFace, 9.5, x0+w+8, r.y+13, fmt.Sprintf("Each of them is worth %s or more.", grouped(r.Spread.Least.String())))
	r.y = y0 + 4
}

// column of a table: where it ends or begins, and whether it is of figures.
type reportColumn struct {
	title string
	width float64
	right bool
	code  bool
}

// table draws rows below a head that is repeated on every page.
func (r *reported) table(title string, columns []reportColumn, rows [][]string) {
	if len(rows) == 0 {
		return
	}
	r.title(title, 14)
	free := r.width - 2*margin
	for _, c := range columns {
		free -= c.width
	}
	at := make([][2]float64, len(columns))
	x := margin
	for i, c := range columns {
		w := c.width
		if w == 0 {
			w = free // the one column that takes what is left
		}
		at[i] = [2]float64{x, x + w - 2}
		x += w
	}
	r.head = func() {
		for i, c := range columns {
			if c.right {
				r.writeRight(textFace, 8, at[i][1], r.y, c.title)
			} else {
				r.write(textFace, 8, at[i][0], r.y, c.title)
			}
		}
		r.rule(margin, r.y+1.4, r.width-margin, 0.15)
		r.y += 4.8
	}
	r.head()
	for _, row := range rows {
		r.need(4.6)
		for i, c := range columns {
			f := textFace
			if c.code || c.right {
				f = codeFace
			}
			text := r.shortened(f, 8.5, at[i][1]-at[i][0], row[i])
			if c.right {
				r.writeRight(f, 8.5, at[i][1], r.y, text)
			} else {
				r.write(f, 8.5, at[i][0], r.y, text)
			}
		}
		r.rule(margin, r.y+1.3, r.width-margin, 0.05)
		r.y += 4.6
	}
	r.head = nil
}

func (r *reported) parts(p *statement.Parts) {
	rows := make([][]string, 0, len(p.List)+1)
	for _, x := range p.List {
		f := &x.Figures
		accuracy, known := f.Accuracy()
		name := x.Name
		if name == "" {
			name = "none given"
		}
		rows = append(
			rows,
			[]string{
				name,
				grouped(strconv.Itoa(f.Counted)),
				percent(accuracy, known),
				grouped(strconv.Itoa(f.Over + f.Found)),
				grouped(strconv.Itoa(f.Short)),
				signed(f.Values.Over),
				signed(f.Values.Short),
				signed(f.Values.Net),
				grouped(f.Values.Gross.String()),
			},
		)
	}
	if p.More > 0 {
		rows = append(rows, []string{fmt.Sprintf("and %d more", p.More), "", "", "", "", "", "", "", ""})
	}
	r.table(
		p.Title,
		[]reportColumn{
			{"", 0, false, false},
			{"counted", 16, true, false},
			{"IRA", 18, true, false},
			{"over", 12, true, false},
			{"short", 12, true, false},
			{"value over", 24, true, false},
			{"value short", 24, true, false},
			{"net", 24, true, false},
			{"gross", 22, true, false},
		},
		rows,
	)
}

func (r *reported) sums(title string, list []statement.Sum) {
	rows := make([][]string, 0, len(list))
	for _, x := range list {
		rows = append(
			rows,
			[]string{x.Name, x.Account, grouped(strconv.Itoa(x.Lines)), signed(x.Sums.Over), signed(x.Sums.Short), signed(x.Sums.Net),
				grouped(x.Sums.Gross.String())},
		)
	}
	account := reportColumn{"", 1, false, true}
	if slices.ContainsFunc(list, func(x statement.Sum) bool { return x.Account != "" }) {
		account = reportColumn{"account", 24, false, true}
	}
	r.table(
		title,
		[]reportColumn{{"", 0, false, false}, account, {"lines", 16, true, false}, {"over", 26, true, false}, {"short", 26, true, false},
			{"net", 26, true, false}, {"gross", 26, true, false}},
		rows,
	)
}

func (r *reported) heaviest() {
	rows := make([][]string, 0, len(r.Heaviest))
	for _, x := range r.Heaviest {
		value := "no cost"
		if x.Valued {
			value = signed(x.Value)
		}
		what := strings.TrimSuffix(x.Decision+", "+x.By, ", ")
		rows = append(
			rows,
			[]string{x.Bin, x.SKU, strings.TrimSpace(x.Description + " " + x.Lot), grouped(x.Expected.String()), grouped(x.Counted.String()),
				grouped(x.Variance.String()), value, x.Cause, what},
		)
	}
	r.table(
		"The heaviest variances",
		[]reportColumn{{"bin", 18, false, true}, {"SKU", 20, false, true}, {"item", 0, false, false}, {"expected", 16, true, false},
			{
				"counted",
				16,
				true,
				false,
			}, {"variance", 16, true, false}, {"value", 22, true, false}, {"likely", 19, false, false}, {"decided", 34, false, false}},
		rows,
	)
}

func (r *reported) postings() {
	rows := make([][]string, 0, len(r.Postings))
	for _, x := range r.Postings {
		by := x.By
		if x.Agreed != "" {
			by += ", agreed by " + x.Agreed
		}
		rows = append(
			rows,
			[]string{
				strconv.Itoa(x.Number),
				x.Day,
				x.Reference,
				grouped(strconv.Itoa(x.Lines)),
				signed(x.Sums.Short),
				signed(x.Sums.Over),
				by,
				x.Proof,
			},
		)
	}
	r.table(
		"Postings",
		[]reportColumn{
			{"", 8, false, true},
			{"on", 20, false, true},
			{"reference", 24, false, true},
			{"lines", 14, true, false},
			{"short", 24, true, false},
			{"over", 24, true, false},
			{"by", 0, false, false},
			{"proof", 36, false, false},
		},
		rows,
	)
}

func (r *reported) earlier() {
	if len(r.Earlier) < 2 {
		return
	}
	rows := make([][]string, 0, len(r.Earlier))
	for _, x := range r.Earlier {
		rows = append(rows, []string{x.Name, x.Day, percent(x.Accuracy, x.Known), signed(x.Net), grouped(x.Gross.String())})
	}
	r.table(
		"Counts of this warehouse",
		[]reportColumn{{"", 0, false, false}, {"frozen", 24, false, true}, {"IRA", 22, true, false}, {"net", 30, true, false},
			{"gross", 30, true, false}},
		rows,
	)
}

func (r *reported) notes() {
	if len(r.Notes) == 0 {
		return
	}
	r.title("Notes", 6)
	for _, n := range r.Notes {
		for _, line := range r.wrap(textFace, 9, r.width-2*margin, n) {
			r.need(4.4)
			r.write(textFace, 9, margin, r.y, line)
			r.y += 4.4
		}
	}
}

// sign leaves places to sign.
func (r *reported) sign() {
	r.head = nil
	r.need(26)
	r.y += 18
	step := (r.width - 2*margin - 16) / 3
	for i, who := range []string{"counted and decided", "approved", "place, day"} {
		x := margin + float64(i)*(step+8)
		r.rule(x, r.y, x+step, 0.2)
		r.write(textFace, 8, x, r.y+3.6, who)
	}
}
