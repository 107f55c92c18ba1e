package problem

import (
	"fmt"
	"strings"
)

// Count says how many there are of something.
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// RowsText says how many rows there are.
func RowsText(n int) string { return Count(n, "row", "rows") }

// Both lists texts that belong together, list those of which one is meant.
func Both(texts []string, most int) string {
	return strings.Replace(List(texts, most), " or ", " and ", 1)
}

// List lists texts of which one is meant, the first few of them: A, B or C.
func List(texts []string, most int) string {
	s := ""
	for i, t := range texts[:min(len(texts), most)] {
		switch {
		case i == 0:
		case i == len(texts)-1:
			s += " or "
		default:
			s += ", "
		}
		s += t
	}
	if len(texts) > most {
		s += " or others"
	}
	return s
}
