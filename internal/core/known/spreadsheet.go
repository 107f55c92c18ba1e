package known

import (
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode"
)

// date is a text that reads as a date. A number that is not said is 0.
type date struct {
	year, month, day int
	twoDigits        bool // of the year
	sure             bool // no person writes a code so: a month in words, or a whole date
}

// months in the languages that spreadsheets of these parts write them in, by their first three letters.
var months = map[string]int{
	"jan": 1,
	"gen": 1,
	"ene": 1,
	"feb": 2,
	"fév": 2,
	"fev": 2,
	"mar": 3,
	"mär": 3,
	"mrz": 3,
	"mrt": 3,
	"maa": 3,
	"apr": 4,
	"avr": 4,
	"abr": 4,
	"may": 5,
	"mai": 5,
	"mei": 5,
	"mag": 5,
	"maj": 5,
	"jun": 6,
	"giu": 6,
	"jul": 7,
	"lug": 7,
	"aug": 8,
	"aoû": 8,
	"ago": 8,
	"sep": 9,
	"set": 9,
	"oct": 10,
	"okt": 10,
	"ott": 10,
	"out": 10,
	"nov": 11,
	"dec": 12,
	"dez": 12,
	"déc": 12,
	"dic": 12,
	"des": 12,
}

// whole are the names of months that are longer than four letters.
var whole = func() map[string]bool {
	out := map[string]bool{}
	for _, name := range strings.Fields(`january february march april august september october november december
		januar februar märz oktober dezember janvier février avril juillet août septembre octobre novembre décembre
		januari februari maart augustus enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre
		gennaio febbraio aprile maggio giugno luglio settembre ottobre dicembre`) {
		out[name] = true
	}
	return out
}()

// Month gives the number of a month's name, short or whole; 0 where it is none.
func Month(word string) int {
	word = strings.ToLower(strings.TrimSuffix(word, "."))
	r := []rune(word)
	if len(r) < 3 || len(r) > 4 && !whole[word] {
		return 0
	}
	return months[string(r[:3])]
}

// pieces cuts a text into its runs of digits and of letters, put behind out; what parts them is left out.
func pieces(s string, out []string) []string {
	start, class := -1, 0
	of := func(r rune) int {
		switch {
		case r >= '0' && r <= '9':
			return 1
		case unicode.IsLetter(r):
			return 2
		}
		return 0
	}
	for i, r := range s {
		if c := of(r); c != class || start < 0 {
			if start >= 0 && class != 0 {
				out = append(out, s[start:i])
			}
			start, class = i, c
		}
	}
	if start >= 0 && class != 0 {
		out = append(out, s[start:])
	}
	return out
}

// readDate reads what a spreadsheet program shows for a date: 2026-12-03, 03.12.2026, 12/3/26, 3-Dec, Dec-03,
// 3. Dez 26, with a time of midnight or none behind it.
func readDate(s string) (d date, ok bool) {
	for _, midnight := range []string{" 00:00:00", "T00:00:00", " 00:00", "T00:00:00Z"} {
		s = strings.TrimSuffix(s, midnight)
	}
	var room [4]string
	p := pieces(s, room[:0])
	if len(p) < 2 || len(p) > 3 || len(s) > 24 {
		return d, false
	}
	var n [3]int
	word := -1
	for i, t := range p {
		if allDigits(t) {
			if len(t) > 4 {
				return d, false
			}
			n[i], _ = strconv.Atoi(t)
		} else if m := Month(t); m > 0 && word < 0 {
			n[i], word = m, i
		} else {
			return d, false
		}
	}
	year := func(i int) bool {
		d.twoDigits = len(p[i]) == 2
		d.year = n[i]
		if d.twoDigits {
			d.year += 1900
			if n[i] < 50 {
				d.year += 100
			}
		}
		return len(p[i]) == 4 && d.year >= 1900 && d.year <= 2200 || len(p[i]) == 2
	}
	switch {
	case len(p) == 3 && word < 0 && len(p[0]) == 4:
		d.month, d.day, d.sure = n[1], n[2], true
		ok = year(0)
	case len(p) == 3 && word < 0: // day and month in either order: keys gives both
		d.day, d.month, d.sure = n[0], n[1], len(p[2]) == 4
		if d.month > 12 {
			d.day, d.month = d.month, d.day
		}
		ok = year(2)
	case len(p) == 3 && word == 1:
		d.day, d.month, d.sure = n[0], n[1], true
		ok = year(2)
	case len(p) == 2 && word == 1: // 3-Dec
		d.day, d.month, d.sure, ok = n[0], n[1], len(p[0]) <= 2, len(p[0]) <= 2
	case len(p) == 2 && word == 0: // Dec-03, Jan-45, Mar 2026
		d.month, d.sure = n[0], len(p[1]) == 2 || len(p[1]) == 4
		if ok = year(1); len(p[1]) == 2 {
			d.day = n[1]
		}
	}
	if !ok || d.month < 1 || d.month > 12 || d.day > 31 && d.year == 0 {
		return d, false
	}
	if d.day >= 1 && d.day <= 31 && d.year > 0 && time.Date(d.year, time.Month(d.month), d.day, 0, 0, 0, 0, time.UTC).Day() != d.day &&
		word != 0 {
		return d, false
	}
	return d, true
}

// A code of two or three numbers was read as a date with the day first or with the month first.
const (
	DayFirst   = "day first"
	MonthFirst = "month first"
)

// key is the runs of numbers that a code may have had, and how they were read.
type key struct{ runs, way string }

// keys gives the runs of numbers that a code may have had before it was read as this date.
func (d date) keys() (keys []key) {
	add := func(way string, n ...int) {
		t := make([]string, len(n))
		for i := range n {
			t[i] = strconv.Itoa(n[i])
		}
		k := strings.Join(t, ":")
		for _, have := range keys {
			if have.runs == k {
				return
			}
		}
		keys = append(keys, key{k, way})
	}
	if d.day > 0 {
		add(DayFirst, d.day, d.month)
		add(MonthFirst, d.month, d.day)
	}
	if d.year > 0 {
		short := d.year % 100
		if d.day <= 1 {
			add("", d.month, short)
			add("", d.month, d.year)
		}
		if d.day > 0 {
			for _, y := range []int{short, d.year} {
				add(DayFirst, d.day, d.month, y)
				add(MonthFirst, d.month, d.day, y)
				add("", y, d.month, d.day)
			}
		}
	}
	return keys
}

// numberRuns gives the numbers of a code of two or three parts that a spreadsheet program may take for a date;
// the name of a month counts as its number.
func numberRuns(s string) (runs []string, ok bool) {
	p := pieces(s, nil)
	if len(p) < 2 || len(p) > 3 || len(s) > 16 {
		return nil, false
	}
	for _, t := range p {
		if allDigits(t) {
			t = strings.TrimLeft(t, "0")
			if t == "" {
				t = "0"
			}
			runs = append(runs, t)
		} else if m := Month(t); m > 0 {
			runs = append(runs, strconv.Itoa(m))
		} else {
			return nil, false
		}
	}
	return runs, true
}

// exponent reads 5.01E+12: the digits of the mantissa, one before the point, and the exponent.
func exponent(s string) (mantissa string, e int, ok bool) {
	head, tail, ok := strings.Cut(strings.ToUpper(s), "E")
	if !ok || tail == "" || len(s) > 30 {
		return "", 0, false
	}
	whole, places, _ := strings.Cut(strings.Replace(head, ",", ".", 1), ".")
	tail = strings.TrimPrefix(tail, "+")
	if len(whole) != 1 || whole == "0" || !allDigits(whole) || places != "" && !allDigits(places) || !allDigits(tail) || len(tail) > 3 {
		return "", 0, false
	}
	e, err := strconv.Atoi(tail)
	return whole + places, e, err == nil && e < 100
}

// roundsTo tells whether a number of digits, rounded to as many as the mantissa has, shows that mantissa.
func roundsTo(digits, mantissa string) bool {
	if len(digits) <= len(mantissa) {
		return strings.TrimRight(mantissa, "0") == strings.TrimRight(digits, "0")
	}
	head := []byte(digits[:len(mantissa)])
	if digits[len(mantissa)] >= '5' {
		i := len(head) - 1
		for ; i >= 0 && head[i] == '9'; i-- {
			head[i] = '0'
		}
		if i < 0 {
			return false // one digit more: another exponent
		}
		head[i]++
	}
	return string(head) == mantissa
}

// power reads a code such as 12E5 as the plain number that a spreadsheet program takes it for.
func power(s string) (plain string, ok bool) {
	head, tail, ok := strings.Cut(strings.ToUpper(s), "E")
	if !ok || !allDigits(head) || !allDigits(tail) || len(tail) > 2 {
		return "", false
	}
	n, _ := strconv.Atoi(tail)
	head = strings.TrimLeft(head, "0")
	return head + strings.Repeat("0", n), head != ""
}

var sheetError = regexp.MustCompile(`^(#(N/A|NV|N/B|N/D|ND|N/V|[\p{Lu}¡¿/0]{2,12}[!?])|Err:5\d\d)$`)

// SheetError tells whether a text is what a cell shows whose formula went wrong (OpenFormula 5.12), in the languages that
// spreadsheet programs write.
func SheetError(text string) bool {
	return len(text) > 2 && (text[0] == '#' || text[0] == 'E') && sheetError.MatchString(text)
}

// DateLike tells whether a spreadsheet program would take a code for a date when it opens a text: 3-4, 1/2, MAR1, 12-03-26.
func DateLike(s string) bool {
	if len(s) < 3 || len(s) > 12 || strings.Trim(s, "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz-/. ") != "" {
		return false
	}
	if p := pieces(s, nil); len(p) == 2 && allDigits(p[0]) && allDigits(p[1]) && len(p[0]) <= 2 && len(p[1]) <= 2 {
		a, _ := strconv.Atoi(p[0])
		b, _ := strconv.Atoi(p[1])
		fits := func(day, month int) bool { return day >= 1 && day <= 31 && month >= 1 && month <= 12 }
		return strings.ContainsAny(s, "-/") && (fits(a, b) || fits(b, a))
	}
	if p := pieces(s, nil); len(p) == 2 && allDigits(p[1]) && Month(p[0]) > 0 {
		n, _ := strconv.Atoi(p[1])
		return len(p[1]) <= 2 && n >= 1 || len(p[1]) == 4 && n >= 1900
	}
	_, is := readDate(s)
	return is
}
