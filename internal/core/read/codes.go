package read

import (
	"fmt"
	"strings"
	"unicode"

	"wobin/internal/core/field"
)

// mostOfName is how many letters of a name a code that is made of it has.
const mostOfName = 32

// codeFor makes the code of a new item that is known by its name alone, by the pattern that was settled. Names that come to one code, or to
// one that is known, get a number behind it. A name has one code within a file.
func (s *settler) codeFor(name string) string {
	if code := s.codes[name]; code != "" {
		return code
	}
	if s.codes == nil {
		s.codes, s.coded = map[string]string{}, map[string]bool{}
	}
	free := func(code string) bool {
		_, known := s.known.Set(field.SKU).Find(code)
		return !known && !s.coded[code]
	}
	made := ""
	if strings.Contains(s.given.Codes, "{n}") {
		for n := len(s.coded) + 1; made == "" || !free(made); n++ {
			made = strings.ReplaceAll(strings.ReplaceAll(s.given.Codes, "{n}", fmt.Sprintf("%04d", n)), "{name}", OfName(name))
		}
	} else {
		made = strings.ReplaceAll(s.given.Codes, "{name}", OfName(name))
		for n, first := 2, made; !free(made); n++ {
			made = fmt.Sprintf("%s-%d", first, n)
		}
	}
	s.codes[name], s.coded[made] = made, true
	return made
}

// OfName gives the letters and digits of a name in large letters, its words joined by hyphens.
func OfName(name string) string {
	words := strings.FieldsFunc(strings.ToUpper(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	out := ""
	for _, w := range words {
		if len([]rune(out))+len([]rune(w))+1 > mostOfName && out != "" {
			break
		}
		if out != "" {
			out += "-"
		}
		out += w
	}
	if r := []rune(out); len(r) > mostOfName {
		out = string(r[:mostOfName])
	}
	if out == "" {
		return "ITEM"
	}
	return out
}

// named is the SKU of the item of a name: that of a known one, else one that is made; "" where several items have the name.
func (s *settler) named(name string) string {
	if s.leads != nil {
		if sku, many := s.leads(field.Description, name); sku != "" || many {
			return sku
		}
	}
	return s.codeFor(name)
}
