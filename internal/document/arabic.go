package document

import (
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// letterForms are the shapes of an Arabic letter: by itself, and joined to the letter before, after, or both. A letter that joins
// the one before alone has the first two; 0 where there is none.
type letterForms struct{ alone, end, begin, middle rune }

// What the shaping of Arabic goes by (The Unicode Standard, chapter 9.2): the shapes have code points of their own, the
// presentation forms, which stand in the order alone, end, begin, middle, and decompose into their letter. lamAlef are those of the
// two letters that become one, by the alef.
var arabicForms = sync.OnceValues(func() (letters, lamAlef map[rune]letterForms) {
	letters, lamAlef = map[rune]letterForms{}, map[rune]letterForms{}
	for _, block := range [][2]rune{{0xfb50, 0xfbe7}, {0xfbfc, 0xfbff}, {0xfe80, 0xfefc}} {
		for r := block[0]; r <= block[1]; r++ {
			of := []rune(norm.NFKC.String(string(r)))
			into, key := letters, of[0]
			if len(of) == 2 && of[0] == 'ل' {
				into, key = lamAlef, of[1]
			} else if len(of) != 1 || of[0] == r {
				continue
			}
			f := into[key]
			switch {
			case f.alone == 0:
				f.alone = r
			case f.end == 0:
				f.end = r
			case f.begin == 0:
				f.begin = r
			default:
				f.middle = r
			}
			into[key] = f
		}
	}
	return letters, lamAlef
})

// joined puts the letters of Arabic into the shapes that they have beside one another, in the order of the text. Signs above and below
// letters do not part them; those that a font does not have by their shape stay as they are.
func joined(s string, covers func(r rune) bool) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return unicode.Is(unicode.Arabic, r) }) {
		return s
	}
	const tatweel, joiner, parter = 'ـ', '\u200d', '\u200c'
	letters, lamAlef := arabicForms()
	text := []rune(norm.NFC.String(s))
	// joins tells whether a letter is joined to the one after it, and to the one before it.
	joins := func(r rune) (after, before bool) {
		if r == tatweel || r == joiner {
			return true, true
		}
		f := letters[r]
		return f.begin != 0, f.end != 0
	}
	next := func(i, step int) rune { // the next letter that is no sign upon one
		for i += step; i >= 0 && i < len(text); i += step {
			if !unicode.Is(unicode.Mn, text[i]) {
				return text[i]
			}
		}
		return 0
	}
	var out strings.Builder
	for i := 0; i < len(text); i++ {
		r := text[i]
		f, is := letters[r]
		if r == joiner || r == parter {
			continue
		}
		if !is {
			out.WriteRune(r)
			continue
		}
		after, before := joins(r)
		fromBefore, _ := joins(next(i, -1))
		_, toNext := joins(next(i, 1))
		before, after = before && fromBefore, after && toNext
		if r == 'ل' && i+1 < len(text) {
			if both, is := lamAlef[text[i+1]]; is && covers(both.alone) && covers(both.end) {
				if f, after = both, false; f.end == 0 {
					before = false
				}
				i++
			}
		}
		shape := f.alone
		switch {
		case before && after:
			shape = f.middle
		case before:
			shape = f.end
		case after:
			shape = f.begin
		}
		if shape == 0 || !covers(shape) {
			shape = r
		}
		out.WriteRune(shape)
	}
	return out.String()
}
