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
	shapes := make(map[string]int)
	for _, c := range codes {
		shapes[shape(c)]++
	}
	// Nobody reaches beyond nine levels: where the last part has more values it counts bays, and there are no levels.
	lasts := map[string]map[string]bool{}
	for _, c := range codes {
		if parts := runs(c); len(parts) > 2 {
			s := shape(c)
			if lasts[s] == nil {
				lasts[s] = map[string]bool{}
			}
			lasts[s][parts[len(parts)-1].text] = true
		}
	}
	addresses, regular = make([]Address, len(codes)), make([]bool, len(codes))
	for i, c := range codes {
		parts := runs(c)
		if shapes[shape(c)] < 4 || len(parts) < 2 {
			addresses[i] = Address{Bay: c}
			continue
		}
		regular[i] = true
		n := len(parts)
		if n == 2 {
			addresses[i] = Address{Aisle: parts[0].text, Bay: parts[1].text}
			continue
		}
		if len(lasts[shape(c)]) > 9 {
			addresses[i] = Address{Aisle: strings.TrimRight(c[:parts[n-1].at], "-_./ "), Bay: parts[n-1].text}
			continue
		}
		addresses[i] = Address{
			Aisle: strings.TrimRight(c[:parts[n-2].at], "-_./ "),
			Bay:   parts[n-2].text, Level: parts[n-1].text,
		}
	}
	return addresses, regular
}

type run struct {
	at   int
	text string
}

// runs cuts a code into its runs of digits and of letters, leaving out what separates them.
func runs(s string) []run {
	var out []run
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

// shape gives a code's form: 9 for a run of digits, A for a run of letters, other bytes as they are.
func shape(s string) string {
	b := make([]byte, 0, len(s))
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
	return string(b)
}

// Sort sorts codes in natural order, in place.
func Sort(codes []string) { slices.SortFunc(codes, Compare) }
