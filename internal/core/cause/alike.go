package cause

import (
	"strings"
	"unicode"

	"wobin/internal/core/code"
)

// edits is the distance of two texts of up to 60 letters (code.Distance); longer ones are most+1 apart unless they are the same.
func edits(a, b string, most int) int {
	if a == b {
		return 0
	}
	if len(a) > 60 || len(b) > 60 {
		return most + 1
	}
	return code.Distance([]rune(a), []rune(b), most)
}

// words of a description, in small letters.
func words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// shared is how many of a hundred words of two descriptions are in both.
func shared(a, b []string) int {
	if len(a) == 0 || len(b) == 0 {
		return 0
	}
	has := map[string]bool{}
	for _, w := range a {
		has[w] = true
	}
	all, both := len(has), 0
	seen := map[string]bool{}
	for _, w := range b {
		if seen[w] {
			continue
		}
		if seen[w] = true; has[w] {
			both++
		} else {
			all++
		}
	}
	return 100 * both / all
}

// likeness tells how much two items are alike, 0 to 100, and by what: their codes differ in a letter or two, or their descriptions share
// most of their words.
func likeness(skuA, skuB string, a, b Item) (points int, by string) {
	short := min(len(skuA), len(skuB))
	switch n := edits(strings.ToLower(skuA), strings.ToLower(skuB), 2); {
	case n == 1 && short >= 3:
		points, by = 100, "their SKUs differ in one place"
	case n == 2 && short >= 6:
		points, by = 75, "their SKUs differ in two places"
	}
	for _, x := range a.Barcodes {
		for _, y := range b.Barcodes {
			if n := edits(x, y, 2); n >= 1 && n <= 2 && len(x) >= 8 && points < 90 {
				points, by = 90, "their barcodes are nearly the same"
			}
		}
	}
	if a.Description != "" && b.Description != "" {
		switch n := shared(words(a.Description), words(b.Description)); {
		case strings.EqualFold(a.Description, b.Description):
			if points < 95 {
				points, by = 95, "their descriptions are the same"
			}
		case n >= 50 && n > points:
			points, by = n, "their descriptions are alike"
		case n < 50 && points < 80 && edits(strings.ToLower(a.Description), strings.ToLower(b.Description), 3) <= 3 && len(a.Description) >= 8:
			points, by = 80, "their descriptions are nearly the same"
		}
	}
	if points == 0 && a.Category != "" && a.Category == b.Category {
		points, by = 30, "they are of one category"
	}
	return points, by
}
