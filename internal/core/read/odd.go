package read

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
)

// Kinds of problem of codes that hardly are what they seem to be, by the file alone.
const (
	UnseenSigns  = "signs that are not seen"  // such as marks of the direction of writing
	OtherHyphens = "other hyphens"            // hyphens that do not break, dashes, minus signs
	TwoAlphabets = "letters of two alphabets" // a Cyrillic о in a Latin code
	DittoMarks   = "ditto marks"              // the same as above
	SeveralBins  = "several bins"
	Exponents    = "exponent for a code"      // 4.00638E+12, whose last digits are lost
)

// hyphens are the signs that programs and people write for a hyphen in codes.
const hyphens = "\u2010\u2011\u2012\u2013\u2014\u2212\u00ad\ufe63\uff0d"

// unseen tells whether a sign is not seen: marks of direction, joiners, the byte order mark within a text.
func unseen(r rune) bool { return r != '\u00ad' && unicode.Is(unicode.Cf, r) }

// dittos are what people write for the same as above.
var dittos = []string{`"`, "''", "″", "〃", "”", "“", "„", ",,", "do.", "ditto", "dto.", "dto", "id.", "idem"}

var (
	severalBins = regexp.MustCompile(`(?i)^\S*\d\S*\s+(?:to|thru|through|bis|tot|à|–|—)\s+\S*\d\S*$|^\S*\d\S*(?:\s*(?:\.\.\.?|…)\s*)\S*\d\S*$`)
	exponent    = regexp.MustCompile(`^\d[.,]\d+[Ee]\+\d{1,2}$`)
)

// oddity tells what is odd about a code of a field; "" for nothing. of are signs of it that show what.
func oddity(f field.Field, text string) (kind, of string) {
	latin, other := "", ""
	for _, r := range text {
		switch {
		case r < 0x80 && !unicode.IsLetter(r):
		case unseen(r):
			return UnseenSigns, string(r)
		case strings.ContainsRune(hyphens, r):
			return OtherHyphens, string(r)
		case unicode.Is(unicode.Latin, r):
			latin = string(r)
		case unicode.Is(unicode.Cyrillic, r) || unicode.Is(unicode.Greek, r):
			other = string(r)
		}
	}
	switch {
	case latin != "" && other != "":
		return TwoAlphabets, other
	case slices.Contains(dittos, strings.ToLower(text)):
		return DittoMarks, text
	case f == field.Bin && severalBins.MatchString(text):
		return SeveralBins, text
	case (f == field.SKU || f == field.Barcode || f == field.Lot || f == field.Serial) && exponent.MatchString(text):
		return Exponents, text
	}
	return "", ""
}

// saysOdd says in a sentence what is wrong with a code.
func saysOdd(kind, text, of string) string {
	short := problem.Short([]byte(text))
	switch kind {
	case UnseenSigns:
		return fmt.Sprintf("%q has a sign in it that is not seen (U+%04X). Take it out, or say that it belongs to the code", short, []rune(of)[0])
	case OtherHyphens:
		return fmt.Sprintf("%q is written with another sign than the hyphen (%s, U+%04X). Write hyphens, or say that it is right", short, of, []rune(of)[0])
	case TwoAlphabets:
		return fmt.Sprintf("%q has letters of two alphabets: %s is no Latin one (U+%04X). Write it anew, or say that it is right", short, of, []rune(of)[0])
	case DittoMarks:
		return fmt.Sprintf("%q reads as a ditto mark. Say that it means what stands above, or that it is right", short)
	case SeveralBins:
		return fmt.Sprintf("%q names several bins. A row is about one: write a row for each, or say that it is right", short)
	}
	return fmt.Sprintf("%q has lost its last digits: it was written as a number. Export it as a text, or say that it is right", short)
}

// oddRows refuses rows whose codes hardly are what they seem to be, unless the records know them or they were said to be right. It gives
// the rows to keep, nil for all of them. Where nobody can be asked, as by the commands on files alone, codes are what they are.
func oddRows[R any](r *pass, rows []R, codes *stock.Codes, at func(*R) (k *stock.Key, row int)) (keep []bool) {
	if r.Known == nil || r.m.Given(r.Layout).Odd == "keep" {
		return nil
	}
	for part := range codes {
		f := recognise.KeyFields[part]
		if r.sources[f] == nil {
			continue
		}
		odd := map[stock.ID][2]string{}
		known := r.Known.Set(f)
		for id := 1; id < codes[part].Len(); id++ {
			text := codes[part].Text(stock.ID(id))
			kind, of := oddity(f, text)
			if kind == "" || r.meant(f, text) {
				continue
			}
			if _, is := known.Find(text); !is {
				odd[stock.ID(id)] = [2]string{kind, of}
			}
		}
		if len(odd) == 0 {
			continue
		}
		if keep == nil {
			keep = make([]bool, len(rows))
			for i := range keep {
				keep[i] = true
			}
		}
		for i := range rows {
			k, row := at(&rows[i])
			if is, wrong := odd[k[part]]; wrong && keep[i] {
				text := codes[part].Text(k[part])
				r.problems.Add(r.m.Problem(r.file.Name, row, f, is[0], text, saysOdd(is[0], text, is[1])))
				keep[i] = false
			}
		}
	}
	return keep
}

// oddItem refuses the row of an item whose code hardly is what it seems to be.
func (r *pass) oddItem(c *cells, f field.Field, text string) {
	if r.Known == nil || r.m.Given(r.Layout).Odd == "keep" {
		return
	}
	if kind, of := oddity(f, text); kind != "" && !r.meant(f, text) {
		if _, known := r.Known.Set(f).Find(text); !known {
			c.wrong(f, kind, []byte(text), "%s", saysOdd(kind, text, of))
		}
	}
}

// meant tells whether a code was said to be right as it is.
func (r *pass) meant(f field.Field, text string) bool {
	return r.m.Meant[layout.Match{Field: f, From: text, Do: "new"}]
}

// Hyphens gives the signs of a code that stand for hyphens.
func Hyphens(text string) (out []string) {
	for _, r := range text {
		if s := string(r); strings.ContainsRune(hyphens, r) && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// Unseen gives the signs of a code that are not seen.
func Unseen(text string) (out []string) {
	for _, r := range text {
		if s := string(r); unseen(r) && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}
