package outfile

import (
	"strings"

	"wobin/internal/core/known"
)

// Harm is what a spreadsheet program does to codes of a file when it opens it.
type Harm struct {
	Column  string `json:"column"`
	What    string `json:"what" enum:"zeros in front,exponents,dates,16 digits"`
	Example string `json:"example"`
	Rows    int    `json:"rows"`
}

// Harms tells which codes of lines a spreadsheet program would damage, if the files that a layout makes of them are opened with one.
// Workbooks keep codes as text, so nothing happens to them.
func (l *Layout) Harms(lines []Line, facts Facts) (out []Harm) {
	if l.Workbook() {
		return nil
	}
	columns, err := l.compile()
	if err != nil {
		return nil
	}
	for n := range columns {
		c := &columns[n]
		if s := SpecOf(c.Field); s != nil && s.Sort != Code && s.Sort != Text {
			continue
		}
		at := map[string]int{}
		for i := range lines {
			v, p := c.raw(&row{line: &lines[i], number: 1}, &facts)
			if p != nil || v.number && c.Field != "" || v.time {
				continue
			}
			what := harm(v.text)
			if what == "" {
				continue
			}
			if k, had := at[what]; had {
				out[k].Rows++
				continue
			}
			at[what] = len(out)
			out = append(out, Harm{c.Header, what, v.text, 1})
		}
	}
	return out
}

// harm is what happens to a text; empty where nothing does.
func harm(text string) string {
	digits := strings.Trim(text, "0123456789") == "" && text != ""
	switch {
	case digits && len(text) > 15:
		return "16 digits"
	case digits && len(text) > 1 && text[0] == '0':
		return "zeros in front"
	}
	if whole, power, is := strings.Cut(strings.ToUpper(text), "E"); is && whole != "" && power != "" &&
		strings.Trim(whole, "0123456789") == "" && strings.Trim(power, "0123456789") == "" {
		return "exponents"
	}
	if known.DateLike(text) {
		return "dates"
	}
	return ""
}
