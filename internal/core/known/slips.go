package known

import (
	"slices"

	"wobin/internal/core/code"
)

// Slips holds words in the order in which they came, and finds those that another may be a slip for, or the other for them, without holding
// it against each. The zero value is empty and ready.
type Slips struct {
	texts  []string
	words  [][]rune
	near   map[string][]int32 // words by themselves, and by what is left of them with one letter less
	folded map[string]int32   // the first word of a folded form
}

// Add takes a word in.
func (s *Slips) Add(text string) {
	if s.near == nil {
		s.near, s.folded = map[string][]int32{}, map[string]int32{}
	}
	n := int32(len(s.texts))
	w := wordOf(text)
	s.texts, s.words = append(s.texts, text), append(s.words, w)
	if f := code.Fold(text); f != "" {
		if _, had := s.folded[f]; !had {
			s.folded[f] = n
		}
	}
	each(w, func(key string) { s.near[key] = append(s.near[key], n) })
}

// Texts gives the words in the order in which they came.
func (s *Slips) Texts() []string {
	if s == nil {
		return nil
	}
	return s.texts
}

// Close gives the words that are Close to a text, in the order in which they came.
func (s *Slips) Close(text string) (out []string) {
	if s == nil {
		return nil
	}
	w := wordOf(text)
	var at []int32
	each(w, func(key string) { at = append(at, s.near[key]...) })
	slices.Sort(at)
	for _, n := range slices.Compact(at) {
		if code.Distance(w, s.words[n], 1) <= 1 {
			out = append(out, s.texts[n])
		}
	}
	return out
}

// Folded gives the first word that differs from a text in case alone, if at all.
func (s *Slips) Folded(text string) (string, bool) {
	if s == nil {
		return "", false
	}
	n, has := s.folded[code.Fold(text)]
	if !has {
		return "", false
	}
	return s.texts[n], true
}

// each gives a word, and what is left of it with one letter less. Two words that are one letter apart, or two neighbours swapped, have one
// of these in common.
func each(w []rune, do func(key string)) {
	if w == nil {
		return
	}
	do(string(w))
	for i := range w {
		if i == 0 || w[i] != w[i-1] {
			do(string(w[:i]) + string(w[i+1:]))
		}
	}
}
