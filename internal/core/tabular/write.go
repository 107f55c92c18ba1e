package tabular

import (
	"bytes"
	"strings"
	"unicode/utf8"
)

// AppendCell appends one cell as RFC 4180 has it: quoted where it holds the delimiter, a quotation mark, a
// line end, or white space at an end.
func AppendCell[T string | []byte](b []byte, cell T, delimiter byte) []byte {
	quote := len(cell) > 0 && (cell[0] == ' ' || cell[len(cell)-1] == ' ')
	for i := 0; i < len(cell) && !quote; i++ {
		c := cell[i]
		quote = c == delimiter || c == '"' || c == '\n' || c == '\r'
	}
	if !quote {
		return append(b, cell...)
	}
	b = append(b, '"')
	for i := 0; i < len(cell); i++ {
		if cell[i] == '"' {
			b = append(b, '"')
		}
		b = append(b, cell[i])
	}
	return append(b, '"')
}

// AppendRow appends cells as one row ending in a line feed. A row of one empty cell is written as "" so that
// it is not read as an empty row.
func AppendRow(b []byte, delimiter byte, cells ...string) []byte {
	if len(cells) == 1 && cells[0] == "" {
		return append(b, '"', '"', '\n')
	}
	for i, c := range cells {
		if i > 0 {
			b = append(b, delimiter)
		}
		b = AppendCell(b, c, delimiter)
	}
	return append(b, '\n')
}

// Safe marks a text that a spreadsheet would run as a formula with an apostrophe, for files that people open.
// Unsafe takes the mark off again. Numbers stay as they are; a text that looks marked already is marked once more.
func Safe(s string) string {
	if !strings.ContainsAny(firstOf(strings.TrimLeft(s, "'")), runs) {
		return s
	}
	if (s[0] == '-' || s[0] == '+') && strings.Trim(s[1:], "0123456789.") == "" {
		return s
	}
	return "'" + s
}

// Unsafe takes off the apostrophe that Safe put before a text.
func Unsafe(s []byte) []byte {
	if bare := bytes.TrimLeft(s, "'"); len(bare) < len(s) && strings.ContainsAny(string(firstOf(bare)), runs) {
		return s[1:]
	}
	return s
}

// firstOf gives the first letter of a text, by itself.
func firstOf[T string | []byte](s T) T {
	_, n := utf8.DecodeRuneInString(string(s[:min(len(s), utf8.UTFMax)]))
	return s[:n]
}

// runs are the signs that a spreadsheet program takes for the beginning of a formula, full-width forms of them included.
const runs = "=+-@＝＋－＠\t\r"
