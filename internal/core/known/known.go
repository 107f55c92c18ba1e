// Package known holds codes and words that the records know, and tells what one that they do not know may have
// been: the same in another spelling, or what a spreadsheet program made of it. It only tells what is possible;
// whether it is so is the person's to say. It knows nothing of files.
package known

import (
	"slices"
	"strings"
	"sync"
	"unicode"

	"wobin/internal/core/code"
)

// Set is a set of known texts. The zero value is empty and ready; what only unknown texts need is made at the
// first of them.
type Set struct {
	texts []string
	exact map[string]bool
	mu    sync.Mutex        // of those below, which are made when they are asked for: once texts are in, many may ask at a time
	folds map[string]string // "" where several share it
	loose *loose

	squeezed [][]rune // as Nearest holds them against a text
	slips    *Slips
}

// Add takes a text into the set. The empty text is never in it.
func (s *Set) Add(text string) {
	if text == "" || s.exact[text] {
		return
	}
	if s.exact == nil {
		s.exact = map[string]bool{}
	}
	s.exact[text] = true
	s.texts = append(s.texts, text)
	s.folds, s.loose, s.squeezed, s.slips = nil, nil, nil, nil
}

// Len is how many texts there are; a nil set has none.
func (s *Set) Len() int {
	if s == nil {
		return 0
	}
	return len(s.texts)
}

// Texts gives the texts in the order in which they came.
func (s *Set) Texts() []string {
	if s == nil {
		return nil
	}
	return s.texts
}

// Find gives the known text that a text stands for: exactly, else without regard to case where that is unambiguous.
func (s *Set) Find(text string) (string, bool) {
	if s.Len() == 0 {
		return "", false
	}
	if s.exact[text] {
		return text, true
	}
	t := s.folded()[code.Fold(text)]
	return t, t != ""
}

// folded gives the texts by their folded forms.
func (s *Set) folded() map[string]string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.folds == nil {
		s.folds = make(map[string]string, len(s.texts))
		for _, t := range s.texts {
			f := code.Fold(t)
			if _, twice := s.folds[f]; twice {
				s.folds[f] = ""
			} else {
				s.folds[f] = t
			}
		}
	}
	return s.folds
}

// Damage is what happened to a text on its way.
type Damage string

// The kinds of damage, the lightest first.
const (
	Spelling  Damage = "written differently" // other case, spaces or punctuation
	Point     Damage = "decimal places added"
	Zeros     Damage = "leading zeros lost"
	Lookalike Damage = "letters that look alike"
	Dated     Damage = "turned into a date"
	Exponent  Damage = "turned into an exponent"
	Digits    Damage = "last digits lost" // a number beyond fifteen digits
)

// Original is a known text that a damaged one may have been.
type Original struct {
	Text   string
	Damage Damage
	Way    string // DayFirst or MonthFirst, of a code that turned into a date; else empty
}

// loose finds known texts by what is left of them after each kind of damage.
type loose struct {
	spelling, zeros, alike map[string][]string
	numbers                map[string][]string // runs of digits, months as numbers: "3:12"
	digits                 map[int][]string    // texts of digits alone, by length without leading zeros
	powers                 map[string][]string // 12E5, by their plain number
}

func (s *Set) index() *loose {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.loose != nil {
		return s.loose
	}
	l := &loose{
		map[string][]string{},
		map[string][]string{},
		map[string][]string{},
		map[string][]string{},
		map[int][]string{},
		map[string][]string{},
	}
	for _, t := range s.texts {
		f := squeeze(code.Fold(t))
		z := stripZeros(f)
		l.spelling[f] = append(l.spelling[f], t)
		l.zeros[z] = append(l.zeros[z], t)
		a := squeeze(code.Fold(alike(t)))
		l.alike[a] = append(l.alike[a], t)
		if runs, ok := numberRuns(t); ok {
			k := strings.Join(runs, ":")
			l.numbers[k] = append(l.numbers[k], t)
		}
		if d := strings.TrimLeft(t, "0"); d != "" && allDigits(d) {
			l.digits[len(d)] = append(l.digits[len(d)], t)
		}
		if n, ok := power(t); ok {
			l.powers[n] = append(l.powers[n], t)
		}
	}
	s.loose = l
	return l
}

// Originals gives the known texts that an unknown one may have been, of the lightest damage that explains it. One
// is as good as sure; several have to be asked about; none says nothing.
func (s *Set) Originals(text string) []Original {
	if s.Len() == 0 || text == "" {
		return nil
	}
	l := s.index()
	give := func(d Damage, texts []string) (out []Original) {
		for _, t := range texts {
			if t != text && !slices.ContainsFunc(out, func(o Original) bool { return o.Text == t }) {
				out = append(out, Original{Text: t, Damage: d})
			}
		}
		slices.SortFunc(out, func(a, b Original) int { return code.Compare(a.Text, b.Text) })
		return out
	}
	f := squeeze(code.Fold(text))
	if o := give(Spelling, l.spelling[f]); len(o) > 0 && f != "" {
		return o
	}
	if d, ok := readDate(text); ok {
		var found []Original
		for _, k := range d.keys() {
			for _, o := range give(Dated, l.numbers[k.runs]) {
				if o.Way = k.way; !slices.ContainsFunc(found, func(x Original) bool { return x.Text == o.Text }) {
					found = append(found, o)
				}
			}
		}
		if len(found) > 0 {
			return found
		}
	}
	if m, e, ok := exponent(text); ok {
		var found []string
		for _, t := range l.digits[e+1] {
			if roundsTo(strings.TrimLeft(t, "0"), m) {
				found = append(found, t)
			}
		}
		if plain := strings.TrimRight(m, "0"); plain != "" && e+1 >= len(plain) {
			found = append(found, l.powers[plain+strings.Repeat("0", e+1-len(plain))]...)
		}
		if o := give(Exponent, found); len(o) > 0 {
			return o
		}
	}
	if allDigits(text) { // 1E5 that became 100000
		if o := give(Exponent, l.powers[text]); len(o) > 0 {
			return o
		}
	}
	whole := text
	if w, places, ok := strings.Cut(text, "."); ok && allDigits(w) && places != "" && strings.Trim(places, "0") == "" {
		whole = w
		if s.exact[w] {
			return []Original{{Text: w, Damage: Point}}
		}
	}
	if z := stripZeros(squeeze(code.Fold(whole))); z != "" {
		if o := give(Zeros, l.zeros[z]); len(o) > 0 {
			for i := range o {
				if len(o[i].Text) < len(whole) { // more zeros than the known one
					o[i].Damage = Spelling
				}
			}
			return o
		}
	}
	if a := squeeze(code.Fold(alike(text))); a != "" {
		if o := give(Lookalike, l.alike[a]); len(o) > 0 {
			return o
		}
	}
	if len(text) > 15 && allDigits(text) && strings.Trim(text[15:], "0") == "" {
		var found []string
		for _, t := range l.digits[len(text)] {
			if strings.TrimLeft(t, "0")[:15] == text[:15] {
				found = append(found, t)
			}
		}
		return give(Digits, found)
	}
	return nil
}

// Suspect tells whether a text looks like what a spreadsheet program makes of a code, known or not: a date or a
// number with an exponent. A column that is full of such texts is not suspect; that is the caller's to see.
func Suspect(text string) (Damage, bool) {
	if len(text) < 4 || len(text) > 30 {
		return "", false
	}
	if strings.Contains(text, "+") {
		if _, _, ok := exponent(text); ok {
			return Exponent, true
		}
	}
	if d, ok := readDate(text); ok && d.sure {
		return Dated, true
	}
	return "", false
}

// Nearest gives up to most known texts that are written much like an unknown one, the nearest first.
func (s *Set) Nearest(text string, most int) []string {
	if s.Len() == 0 || s.Len() > 20_000 {
		return nil
	}
	want := squeezed(text)
	if len(want) < 3 || len(want) > longestWord {
		return nil // any other short word would be near
	}
	limit := max(1, len(want)/3)
	type near struct {
		text     string
		distance int
	}
	var found []near
	for i, is := range s.words() {
		d := code.Distance(want, is, limit)
		if d > limit && len(is) >= 3 && (within(is, want) || within(want, is)) {
			d = limit
		}
		if d <= limit {
			found = append(found, near{s.texts[i], d})
		}
	}
	slices.SortStableFunc(found, func(a, b near) int {
		if a.distance != b.distance {
			return a.distance - b.distance
		}
		return code.Compare(a.text, b.text)
	})
	var out []string
	for _, f := range found[:min(len(found), most)] {
		out = append(out, f.text)
	}
	return out
}

// Close gives the known texts that are Close to a text, those with the fewest differences first.
func (s *Set) Close(text string) []string {
	if s.Len() == 0 {
		return nil
	}
	s.mu.Lock()
	if s.slips == nil {
		s.slips = &Slips{}
		for _, t := range s.texts {
			s.slips.Add(t)
		}
	}
	found := s.slips.Close(text)
	s.mu.Unlock()
	want := wordOf(text)
	slices.SortStableFunc(found, func(a, b string) int { return code.Distance(want, wordOf(a), 1) - code.Distance(want, wordOf(b), 1) })
	return found
}

// within tells whether a word stands in another.
func within(word, other []rune) bool {
	for i := 0; i+len(word) <= len(other); i++ {
		if slices.Equal(word, other[i:i+len(word)]) {
			return true
		}
	}
	return false
}

// words gives the texts as they are held against others.
func (s *Set) words() [][]rune {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.squeezed == nil {
		s.squeezed = make([][]rune, len(s.texts))
		for i, t := range s.texts {
			if len(t) <= 4*longestWord {
				s.squeezed[i] = squeezed(t)
			}
		}
	}
	return s.squeezed
}

func squeezed(text string) []rune { return []rune(squeeze(code.Fold(alike(text)))) }

// longestWord is how many letters a word has at most for which slips are looked for.
const longestWord = 200

// Close tells whether two words are so alike that one may be a slip for the other: one letter more, less, other or
// swapped in a word of four or more.
func Close(a, b string) bool {
	x, y := wordOf(a), wordOf(b)
	return x != nil && y != nil && code.Distance(x, y, 1) <= 1
}

// wordOf is what Close holds against others; nil where there is nothing to be held.
func wordOf(text string) []rune {
	if len(text) > 4*longestWord || strings.ContainsFunc(text, unicode.IsDigit) {
		return nil
	}
	if w := squeezed(text); len(w) >= 4 {
		return w
	}
	return nil
}

// squeeze leaves letters and digits; what stands between two digits is kept as one hyphen, for A-1-1 and A-11 are
// different bins.
func squeeze(s string) string {
	var b strings.Builder
	var last rune
	gap := false
	for _, r := range s {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			gap = true
			continue
		}
		if gap && unicode.IsDigit(last) && unicode.IsDigit(r) {
			b.WriteByte('-')
		}
		b.WriteRune(r)
		last, gap = r, false
	}
	return b.String()
}

// stripZeros takes leading zeros off every run of digits.
func stripZeros(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); {
		if s[i] < '0' || s[i] > '9' {
			b.WriteByte(s[i])
			i++
			continue
		}
		j := i
		for j < len(s) && s[j] >= '0' && s[j] <= '9' {
			j++
		}
		run := strings.TrimLeft(s[i:j], "0")
		if run == "" {
			run = "0"
		}
		b.WriteString(run)
		i = j
	}
	return b.String()
}

// Letters that print alike: Cyrillic and Greek ones that are Latin to the eye.
var alikes = strings.NewReplacer(
	"А",
	"A",
	"В",
	"B",
	"Е",
	"E",
	"К",
	"K",
	"М",
	"M",
	"Н",
	"H",
	"О",
	"O",
	"Р",
	"P",
	"С",
	"C",
	"Т",
	"T",
	"У",
	"Y",
	"Х",
	"X",
	"І",
	"I",
	"Ј",
	"J",
	"Ѕ",
	"S",
	"а",
	"a",
	"е",
	"e",
	"о",
	"o",
	"р",
	"p",
	"с",
	"c",
	"у",
	"y",
	"х",
	"x",
	"і",
	"i",
	"ј",
	"j",
	"ѕ",
	"s",
	"Α",
	"A",
	"Β",
	"B",
	"Ε",
	"E",
	"Ζ",
	"Z",
	"Η",
	"H",
	"Ι",
	"I",
	"Κ",
	"K",
	"Μ",
	"M",
	"Ν",
	"N",
	"Ο",
	"O",
	"Ρ",
	"P",
	"Τ",
	"T",
	"Υ",
	"Y",
	"Χ",
	"X",
	"ο",
	"o",
)

// alike replaces letters by the ones that they look like. Wide forms of letters and digits become plain ones; O, I and
// l beside a digit become the digits that they are typed for.
func alike(s string) string {
	r := []rune(alikes.Replace(strings.Map(func(r rune) rune {
		if r >= 0xff01 && r <= 0xff5e {
			return r - 0xfee0
		}
		return r
	}, s)))
	digit := func(i int) bool { return i >= 0 && i < len(r) && r[i] >= '0' && r[i] <= '9' }
	for again := true; again; {
		again = false
		for i := range r {
			if !digit(i-1) && !digit(i+1) {
				continue
			}
			switch r[i] {
			case 'O', 'o':
				r[i], again = '0', true
			case 'I', 'i', 'l', 'L':
				r[i], again = '1', true
			}
		}
	}
	return string(r)
}

func allDigits(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}
