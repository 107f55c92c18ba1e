package document

import (
	"fmt"
	"io"
	"iter"
	"strings"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/code128"
	"github.com/boombuler/barcode/qr"

	"wobin/internal/core/counting"
	"wobin/internal/core/stock"
)

// WriteSheet writes a sheet as PDF on A4, to be filled in with a pen.
func WriteSheet(s *counting.Sheet, w io.Writer) error { return WriteSheetOn(A4, s, w) }

// WriteSheetOn writes a sheet as PDF on a size of paper: bins grouped, each line with its row code and room to write, the head repeated on
// every page, the sheet's code as Code 128 and as QR.
func WriteSheetOn(size Paper, s *counting.Sheet, w io.Writer) error {
	return WriteSheets(size, "Sheet "+s.Code, func(yield func(*counting.Sheet, error) bool) { yield(s, nil) }, w)
}

// WriteSheets writes sheets into one PDF, one behind the other, each with its own pages. An error among the sheets ends it.
func WriteSheets(size Paper, title string, sheets iter.Seq2[*counting.Sheet, error], w io.Writer) error {
	doc := newPage(size, title)
	for s, err := range sheets {
		if err != nil {
			return err
		}
		p := &sheet{page: doc, Sheet: s}
		p.columns()
		p.layOut()
		for n := range p.pages {
			p.AddPage()
			if err := p.head(n); err != nil {
				return err
			}
			for i := range p.pages[n] {
				b := &p.pages[n][i]
				if i > 0 && b.row() && p.pages[n][i-1].row() {
					p.rule(margin, b.y, p.width-margin, 0.1)
				}
				p.block(b)
			}
			p.foot(n)
		}
	}
	return doc.finish(w)
}

// sheet is a sheet being drawn.
type sheet struct {
	*page
	*counting.Sheet
	code, sku, descr, unit, recorded, count, remark [2]float64 // columns: from where to where
	pages                                           [][]block
}

// block is what stands on a page, one under the other: the name of a bin, or a line with room to write.
type block struct {
	y, height float64
	bin       string // a bin begins
	again     bool   // it began on the page before
	line      *counting.Line
	names     []string // its description, wrapped
	more      []string // lot, serial and further cells
	codes     []string // its SKU, wrapped
	empty     bool     // a row to fill in
	found     bool     // the head of the rows for what is not on the list
}

// row tells whether it is a line, or a row to fill in.
func (b *block) row() bool { return b.line != nil || b.empty }

const (
	textSize, codeSize = 8.5, 9.0
	lineHeight         = 3.9
	rowHeight          = 8.6 // room for a pen
	binHeight          = 7.5
	firstHead          = 50.0 // to the first line
	nextHead           = 21.0
	footHeight         = 11.0
	foundRows          = 4
)

func (p *sheet) columns() {
	right := p.width - margin
	at := margin
	take := func(c *[2]float64, width float64) { *c = [2]float64{at, at + width}; at += width }
	longest := 17.0
	for i := range p.Lines {
		if n := len(p.Lines[i].RowCode); i == 0 || n > len(p.Lines[i-1].RowCode) {
			longest = max(longest, p.wide(codeFace, codeSize, p.Lines[i].RowCode))
		}
	}
	take(&p.code, min(longest+3, 34))
	take(&p.sku, 36)
	rest := right - at - 11 - 30 - 27
	if !p.Blind {
		rest -= 17
	}
	take(&p.descr, rest)
	take(&p.unit, 11)
	if !p.Blind {
		take(&p.recorded, 17)
	}
	take(&p.count, 30)
	take(&p.remark, 27)
}

// layOut divides what is to be drawn into pages.
func (p *sheet) layOut() {
	p.pages = [][]block{nil}
	y := firstHead
	bottom := p.height - footHeight
	put := func(b block) {
		b.y = y
		p.pages[len(p.pages)-1] = append(p.pages[len(p.pages)-1], b)
		y += b.height
	}
	turn := func() {
		p.pages = append(p.pages, nil)
		y = nextHead
	}
	room := func(height float64) bool { return y+height <= bottom }
	bin, first := "", true
	row := func(at string, b block) {
		if first || at != bin {
			if !room(binHeight + b.height) { // a bin's name is not left alone at the end of a page
				turn()
			}
			bin, first = at, false
			put(block{height: binHeight, bin: at})
		} else if !room(b.height) {
			turn()
			put(block{height: binHeight, bin: at, again: true})
		}
		put(b)
	}
	several := false
	for i := range p.Lines {
		several = several || p.Lines[i].Key[stock.Warehouse] != p.Lines[0].Key[stock.Warehouse]
	}
	for i := range p.Lines {
		l := &p.Lines[i]
		at := l.Key[stock.Bin]
		if several {
			at = l.Key[stock.Warehouse] + " · " + at
		}
		row(at, p.line(l))
	}
	for _, at := range p.Bins {
		for range p.Rows {
			row(at, block{height: rowHeight, empty: true})
		}
	}
	if !room(binHeight + foundRows*rowHeight) {
		turn()
	}
	put(block{height: binHeight, found: true})
	for range foundRows {
		put(block{height: rowHeight, empty: true})
	}
}

// line measures a line.
func (p *sheet) line(l *counting.Line) block {
	b := block{line: l}
	b.codes = p.wrap(codeFace, codeSize, p.sku[1]-p.sku[0]-2, l.Key[stock.SKU])
	width := p.descr[1] - p.descr[0] - 2
	b.names = p.wrap(textFace, textSize, width, l.Description)
	for _, x := range []struct {
		part stock.Part
		name string
	}{{stock.Lot, "lot"}, {stock.Serial, "serial"}, {stock.Holding, "kept as"}} {
		if v := l.Key[x.part]; v != "" {
			b.more = append(b.more, p.wrap(codeFace, textSize, width, x.name+" "+v)...)
		}
	}
	for i, title := range p.Extra {
		if i < len(l.Extra) && l.Extra[i] != "" {
			b.more = append(b.more, p.wrap(textFace, textSize-1, width, strings.ToLower(title)+": "+l.Extra[i])...)
		}
	}
	b.height = max(rowHeight, 3+lineHeight*float64(max(len(b.codes), len(b.names)+len(b.more))))
	return b
}

// block draws one.
func (p *sheet) block(b *block) {
	right := p.width - margin
	switch {
	case b.found:
		p.rule(margin, b.y+1.2, right, 0.5)
		p.write(boldFace, 9.5, margin, b.y+binHeight-1.8, "Found, but not on the list above")
		p.writeRight(textFace, 7.5, right, b.y+binHeight-1.8, "bin, item or barcode, lot or serial, and how many")
	case !b.row():
		p.rule(margin, b.y+1.2, right, 0.5)
		p.write(codeBold, 12, margin, b.y+binHeight-1.6, p.shortened(codeBold, 12, right-margin-30, b.bin))
		if b.again {
			p.writeRight(textFace, 8, right, b.y+binHeight-1.8, "goes on")
		}
	default:
		base := b.y + 5.3
		if l := b.line; l != nil {
			p.write(codeFace, codeSize, p.code[0], base, l.RowCode)
			for i, text := range b.codes {
				p.write(codeFace, codeSize, p.sku[0], base+float64(i)*lineHeight, text)
			}
			for i, text := range append(b.names[:len(b.names):len(b.names)], b.more...) {
				f := textFace
				if i >= len(b.names) {
					f = codeFace
				}
				p.write(f, textSize, p.descr[0], base+float64(i)*lineHeight, text)
			}
			p.write(textFace, textSize, p.unit[0]+1, base, p.shortened(textFace, textSize, p.unit[1]-p.unit[0]-1.5, l.Unit))
			if l.Look {
				p.write(textFace, textSize, p.descr[0], base, counting.LookHere)
			} else if !p.Blind {
				p.writeRight(codeFace, codeSize, p.recorded[1]-2, base, strings.Replace(l.Recorded.String(), "-", "−", 1))
			}
		}
		p.SetLineWidth(0.35)
		p.Rect(p.count[0], b.y+1, p.count[1]-p.count[0]-1, b.height-2, "D")
	}
}

// head draws the head of a page.
func (p *sheet) head(n int) error {
	right := p.width - margin
	y := nextHead - 8.5
	if n == 0 {
		y = firstHead - 8.5
		if err := p.firstHead(right); err != nil {
			return err
		}
	} else {
		p.write(codeBold, 11, margin, 9.5, p.Code)
		at := margin + p.wide(codeBold, 11, p.Code) + 4
		p.write(textFace, 9, at, 9.5, p.shortened(textFace, 9, right-at-30, p.Count))
	}
	for _, c := range []struct {
		at   [2]float64
		name string
		end  bool
	}{{p.code, "Row code", false}, {p.sku, "SKU", false}, {p.descr, "Description", false}, {p.unit, " Unit", false}, {p.recorded, "Recorded", true},
		{p.count, "Counted", false}, {p.remark, "Remark", false}} {
		if c.at[1] == 0 {
			continue
		}
		if c.end {
			p.writeRight(textFace, 7.5, c.at[1]-2, y+6, c.name)
		} else {
			p.write(textFace, 7.5, c.at[0], y+6, c.name)
		}
	}
	return nil
}

func (p *sheet) firstHead(right float64) error {
	const codes = 24.0 // the side of the QR code
	if err := p.qr(p.Code, right-codes, 9, codes); err != nil {
		return err
	}
	const bars = 46.0
	left := right - codes - 5 - bars
	if err := p.bars(p.Code, left, 10, bars, 11); err != nil {
		return err
	}
	p.write(codeBold, 15, left, 27.5, p.Code)
	p.write(boldFace, 15, margin, 15, p.shortened(boldFace, 15, left-margin-4, p.Count))
	first, last, bins := p.ends()
	where := first
	if last != first {
		where += " to " + last
	}
	if p.Zone != "" {
		p.write(textFace, 10, margin, 21, p.shortened(textFace, 10, left-margin-4, p.Zone))
	}
	p.write(codeFace, 10, margin, 26.5, p.shortened(codeFace, 10, left-margin-4, where))
	rows := len(p.Lines) + len(p.Bins)*p.Rows
	p.write(textFace, 9, margin, 32, fmt.Sprintf("%s in %s", many(rows, "row"), many(bins, "bin")))
	at := margin
	for _, f := range []struct {
		name  string
		share float64
	}{{"Counted from", 0.24}, {"to", 0.24}, {"by", 0.26}, {"Signed", 0.26}} {
		width := (right - margin) * f.share
		p.write(textFace, 8, at, 39.5, f.name)
		p.rule(at+p.wide(textFace, 8, f.name)+1.5, 40, at+width-3, 0.3)
		at += width
	}
	return nil
}

// ends gives the first and the last bin, and how many there are.
func (p *sheet) ends() (first, last string, bins int) {
	if len(p.Bins) > 0 {
		return p.Bins[0], p.Bins[len(p.Bins)-1], len(p.Bins)
	}
	for i := range p.Lines {
		k := &p.Lines[i].Key
		if i == 0 || k[stock.Bin] != p.Lines[i-1].Key[stock.Bin] || k[stock.Warehouse] != p.Lines[i-1].Key[stock.Warehouse] {
			bins++
		}
	}
	if n := len(p.Lines); n > 0 {
		first, last = p.Lines[0].Key[stock.Bin], p.Lines[n-1].Key[stock.Bin]
	}
	return first, last, bins
}

func (p *sheet) foot(n int) {
	y, right := p.height-6, p.width-margin
	p.write(textFace, 7.5, margin, y, "Write 0 where there is nothing. Leave a line empty where nobody looked.")
	p.writeRight(codeFace, 8, right, y, fmt.Sprintf("%s   page %d of %d", p.Code, n+1, len(p.pages)))
}

func many(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// bars draws a text as Code 128, modules of whole fractions of the width, so that every reader takes it.
func (p *page) bars(text string, x, y, width, height float64) error {
	c, err := code128.Encode(text)
	if err != nil {
		return fmt.Errorf("%q as a bar code: %w", text, err)
	}
	p.modules(c, x, y, width/float64(c.Bounds().Dx()), height)
	return nil
}

// qr draws a text as a QR code.
func (p *page) qr(text string, x, y, side float64) error {
	c, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return fmt.Errorf("%q as a QR code: %w", text, err)
	}
	p.modules(c, x, y, side/float64(c.Bounds().Dx()), side/float64(c.Bounds().Dy()))
	return nil
}

// modules draws the dark modules of a code as filled rectangles, runs of a row together.
func (p *page) modules(c barcode.Barcode, x, y, wide, high float64) {
	p.SetFillColor(0, 0, 0)
	b := c.Bounds()
	for row := b.Min.Y; row < b.Max.Y; row++ {
		for from := b.Min.X; from < b.Max.X; from++ {
			to := from
			for to < b.Max.X && dark(c, to, row) {
				to++
			}
			if to > from {
				p.Rect(x+float64(from-b.Min.X)*wide, y+float64(row-b.Min.Y)*high, float64(to-from)*wide, high, "F")
				from = to
			}
		}
	}
}

func dark(c barcode.Barcode, x, y int) bool {
	r, _, _, _ := c.At(x, y).RGBA()
	return r == 0
}
