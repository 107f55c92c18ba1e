package layout

import (
	"fmt"
	"strings"
)

// count says how many there are of something.
func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// rowsText says how many rows there are.
func rowsText(n int) string { return count(n, "row", "rows") }

// both lists texts that belong together, list those of which one is meant.
func both(texts []string, most int) string {
	return strings.Replace(list(texts, most), " or ", " and ", 1)
}

func list(texts []string, most int) string {
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
