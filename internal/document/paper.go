// Package document makes papers for people: sheets to count by, to be printed. It draws what it is given and works nothing out.
package document

import (
	"bytes"
	"compress/gzip"
	"embed"
	"fmt"
	"io"
	"strings"
	"sync"
	"time"
	"unicode"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/text/unicode/bidi"
)

//go:embed fonts/*.ttf fonts/*.ttf.gz
var files embed.FS

// face is a font with what it covers.
type face struct {
	name, style string // as the document knows it
	bytes       func() []byte
	covers      func(r rune) bool
}

func faceOf(name, style, file string) *face {
	f := &face{name: name, style: style}
	f.bytes = sync.OnceValue(func() []byte {
		b, err := files.ReadFile("fonts/" + file)
		if err == nil && strings.HasSuffix(file, ".gz") {
			var z *gzip.Reader
			if z, err = gzip.NewReader(bytes.NewReader(b)); err == nil {
				b, err = io.ReadAll(z)
			}
		}
		if err != nil {
			panic("document: a font of the program is damaged: " + err.Error()) // it is part of the program
		}
		return b
	})
	table := sync.OnceValue(func() *sfnt.Font {
		t, err := sfnt.Parse(f.bytes())
		if err != nil {
			panic("document: a font of the program is damaged: " + err.Error())
		}
		return t
	})
	f.covers = func(r rune) bool {
		at, err := table().GlyphIndex(nil, r)
		return err == nil && at != 0 && r <= 0xffff
	}
	return f
}

// The faces: for text and for codes, in which a 0 is never an O; and those for letters that they lack.
var (
	textFace = faceOf("text", "", "AtkinsonHyperlegibleNext-Regular.ttf")
	boldFace = faceOf("text", "B", "AtkinsonHyperlegibleNext-Bold.ttf")
	codeFace = faceOf("code", "", "AtkinsonHyperlegibleMono-Regular.ttf")
	codeBold = faceOf("code", "B", "AtkinsonHyperlegibleMono-Bold.ttf")
	wideFace = faceOf("wide", "", "DejaVuSans.ttf.gz")
	hanFace  = faceOf("han", "", "NotoSansSC-Regular.ttf.gz")
)

// Paper is a size of paper.
type Paper string

// The sizes.
const (
	A4     Paper = "A4"
	Letter Paper = "Letter"
)

const (
	margin = 12.0
	pt     = 25.4 / 72 // millimetres
)

// page is a document being drawn; lengths are in millimetres, sizes of type in points.
type page struct {
	*fpdf.Fpdf
	width, height float64
	loaded        map[*face]bool
	widths        map[*face]map[rune]float64 // of a type of one point
}

func newPage(size Paper, title string) *page {
	p := &page{Fpdf: fpdf.New("P", "mm", string(size), ""), loaded: map[*face]bool{}, widths: map[*face]map[rune]float64{}}
	p.width, p.height = p.GetPageSize()
	p.SetAutoPageBreak(false, 0)
	p.SetMargins(margin, margin, margin)
	p.SetTitle(title, true)
	p.SetCreator("Wobin", true)
	p.SetCatalogSort(true) // the same sheet is the same file
	same := time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)
	p.SetCreationDate(same)
	p.SetModificationDate(same)
	return p
}

func (p *page) use(f *face, size float64) {
	if !p.loaded[f] {
		p.AddUTF8FontFromBytes(f.name, f.style, f.bytes())
		p.loaded[f] = true
	}
	p.SetFont(f.name, f.style, size)
}

// piece is a run of letters in one face.
type piece struct {
	face *face
	text string
}

// pieces parts a text by the faces that have its letters, in the order in which they stand on paper. Letters that no face has become a
// box, so that nobody takes the rest for the whole.
func pieces(f *face, text string) (out []piece) {
	if ascii(text) {
		return []piece{{f, text}}
	}
	for _, r := range visual(joined(text, wideFace.covers)) {
		of := f
		switch {
		case unicode.IsControl(r):
			r = ' '
		case f.covers(r):
		case wideFace.covers(r):
			of = wideFace
		case hanFace.covers(r):
			of = hanFace
		default:
			of, r = wideFace, '□'
		}
		if n := len(out); n > 0 && out[n-1].face == of {
			out[n-1].text += string(r)
		} else {
			out = append(out, piece{of, string(r)})
		}
	}
	return out
}

func ascii(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] < ' ' || s[i] > '~' {
			return false
		}
	}
	return true
}

// visual puts text that is written from right to left into the order in which it stands on paper.
func visual(s string) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return unicode.In(r, unicode.Hebrew, unicode.Arabic) }) {
		return s
	}
	var para bidi.Paragraph
	if _, err := para.SetString(s); err != nil {
		return s
	}
	order, err := para.Order()
	if err != nil {
		return s
	}
	var b strings.Builder
	for i := range order.NumRuns() {
		run := order.Run(i)
		if order.Direction() == bidi.RightToLeft { // runs come in the order of the text
			run = order.Run(order.NumRuns() - 1 - i)
		}
		if run.Direction() == bidi.RightToLeft {
			b.WriteString(bidi.ReverseString(run.String()))
		} else {
			b.WriteString(run.String())
		}
	}
	return b.String()
}

// wide is how wide a text is.
func (p *page) wide(f *face, size float64, text string) (w float64) {
	for _, x := range pieces(f, text) {
		known := p.widths[x.face]
		if known == nil {
			known = map[rune]float64{}
			p.widths[x.face] = known
		}
		for _, r := range x.text {
			one, had := known[r]
			if !had {
				p.use(x.face, 1)
				one = p.GetStringWidth(string(r))
				known[r] = one
			}
			w += one * size
		}
	}
	return w
}

// write puts a text with its base line at y.
func (p *page) write(f *face, size, x, y float64, text string) {
	for _, part := range pieces(f, text) {
		p.use(part.face, size)
		p.Text(x, y, part.text)
		x += p.wide(part.face, size, part.text)
	}
}

func (p *page) writeRight(f *face, size, x, y float64, text string) {
	p.write(f, size, x-p.wide(f, size, text), y, text)
}

// shortened gives a text cut to a width; what is missing is shown by an ellipsis. It is for what stands elsewhere in full.
func (p *page) shortened(f *face, size, width float64, text string) string {
	if p.wide(f, size, text) <= width {
		return text
	}
	r := []rune(text)
	for len(r) > 0 && p.wide(f, size, string(r)+"…") > width {
		r = r[:len(r)-1]
	}
	return string(r) + "…"
}

// wrap breaks a text into lines of a width, between words where it can.
func (p *page) wrap(f *face, size, width float64, text string) (lines []string) {
	for _, paragraph := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		line := ""
		for _, word := range strings.Fields(paragraph) {
			switch {
			case line == "" && p.wide(f, size, word) <= width:
				line = word
			case line != "" && p.wide(f, size, line+" "+word) <= width:
				line += " " + word
			default:
				if line != "" {
					lines, line = append(lines, line), ""
				}
				for _, r := range word { // a word that is longer than a line
					if line != "" && p.wide(f, size, line+string(r)) > width {
						lines, line = append(lines, line), ""
					}
					line += string(r)
				}
			}
		}
		if line != "" {
			lines = append(lines, line)
		}
	}
	return lines
}

// rule draws a line from left to right.
func (p *page) rule(x, y, to, width float64) {
	p.SetLineWidth(width)
	p.Line(x, y, to, y)
}

// finish writes the document.
func (p *page) finish(w io.Writer) error {
	if err := p.Output(w); err != nil {
		return fmt.Errorf("the paper could not be drawn: %w", err)
	}
	return nil
}
