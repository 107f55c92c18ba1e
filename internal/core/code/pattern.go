package code

import (
	"slices"
	"strings"
)

// Address is a bin's position in the elevation: the aisle's name, the bay's and the level's, as the code has
// them. Level is empty where the code has two parts, Bay too where it has one.
type Address struct {
	Aisle, Bay, Level string
}

// Addresses reads aisle, bay and level out of bin codes. The pattern is guessed for each group of codes that
// have the same shape: the last run of letters or digits is the level, the one before it the bay, all in front
// the aisle. Where the codes of a shape have two runs only, they are aisle and bay. regular tells, for each
// code, whether its shape is shared by others. A last part of more than nine values is the bay; the rest stand in natural order under the aisle "".
func Addresses(codes []string) (addresses []Address, regular []bool) {
	// Shapes are few, so each is known by a number, and a code is cut up once.
	type form struct {
		codes int
		lasts map[string]bool // what the last part is, of codes of three parts and more; given up beyond nine
		many  bool
	}
	byShape := map[string]int32{}
	var forms []form
	of, first, parts := make([]int32, len(codes)), make([]int32, len(codes)+1), make([]run, 0, 3*len(codes))
	var b []byte
	for i, c := range codes {
		b = appendShape(b[:0], c)
		n, had := byShape[string(b)]
		if !had {
			n = int32(len(forms))
			byShape[string(b)] = n
			forms = append(forms, form{lasts: map[string]bool{}})
		}
		of[i] = n
		parts = appendRuns(parts, c)
		first[i+1] = int32(len(parts))
		f := &forms[n]
		f.codes++
		// Nobody reaches beyond nine levels: where the last part has more values it counts bays, and there are no levels.
		if !f.many && first[i+1]-first[i] > 2 {
			f.lasts[parts[len(parts)-1].text] = true
			f.many = len(f.lasts) > 9
		}
	}
	addresses, regular = make([]Address, len(codes)), make([]bool, len(codes))
	for i, c := range codes {
		parts, f := parts[first[i]:first[i+1]], &forms[of[i]]
		n := len(parts)
		switch {
		case f.codes < 4 || n < 2:
			addresses[i] = Address{Bay: c}
			continue
		case n == 2:
			addresses[i] = Address{Aisle: parts[0].text, Bay: parts[1].text}
		case f.many:
			addresses[i] = Address{Aisle: strings.TrimRight(c[:parts[n-1].at], "-_./ "), Bay: parts[n-1].text}
		default:
			addresses[i] = Address{
				Aisle: strings.TrimRight(c[:parts[n-2].at], "-_./ "),
				Bay:   parts[n-2].text, Level: parts[n-1].text,
			}
		}
		regular[i] = true
	}
	return addresses, regular
}

type run struct {
	at   int
	text string
}

// appendRuns cuts a code into its runs of digits and of letters, leaving out what separates them.
func appendRuns(out []run, s string) []run {
	kind := func(c byte) int {
		switch {
		case isDigit(c):
			return 1
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= 0x80:
			return 2
		}
		return 0
	}
	for i := 0; i < len(s); {
		k := kind(s[i])
		j := i + 1
		for j < len(s) && kind(s[j]) == k {
			j++
		}
		if k != 0 {
			out = append(out, run{i, s[i:j]})
		}
		i = j
	}
	return out
}

// appendShape gives a code's form: 9 for a run of digits, A for a run of letters, other bytes as they are.
func appendShape(b []byte, s string) []byte {
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case isDigit(c):
			c = '9'
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= 0x80:
			c = 'A'
		}
		if len(b) > 0 && b[len(b)-1] == c && (c == '9' || c == 'A') {
			continue
		}
		b = append(b, c)
	}
	return b
}

// Sort sorts codes in natural order, in place.
func Sort(codes []string) { slices.SortFunc(codes, Compare) }
