package form

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"wobin/internal/core/known"
)

// Dates is the form of a column's dates, settled once for the whole column.
type Dates struct {
	Order  string `json:"order,omitempty" enum:"ymd,dmy,mdy" doc:"in which order day, month and year stand"`
	Time   string `json:"time,omitempty" doc:"the time of day of dates that have none, 00:00 to 24:00"`
	Serial bool   `json:"serial,omitempty" doc:"numbers are days since 1899-12-30, as spreadsheet programs store dates"`
	Epoch  string `json:"epoch,omitempty" enum:"s,ms" doc:"numbers are seconds, or thousandths of them, since 1970-01-01 in UTC"`
}

// Errors of times beyond those of ParseTime.
var (
	errOrder  = errors.New("is no date in the order that the column's other dates have")
	errNoDay  = errors.New("is no day of the calendar")
	errEven   = errors.New("may be day first or month first. Write it as 2026-11-24 10:00")
	errNoHour = errors.New("is a date without a time of day. Say which time is meant")
	errEpoch  = errors.New("is a number where a time is expected; it may be seconds since 1970")
	errSerial = errors.New("is a number where a time is expected; it may be a day's number in a spreadsheet program")
)

// dated is a date taken apart: three numbers in their order, and a time of day.
type dated struct {
	Parts   [3]int
	Long    int // which of them has four digits; -1 none
	month   int // which of them stood as a word; -1 none
	clock   string
	HasTime bool
}

// TakeDate finds the date in a cell. Offsets and zones are left to RFC 3339.
func TakeDate(s string) (d dated, ok bool) {
	s = strings.TrimSpace(s)
	if len(s) > 40 || len(s) < 6 {
		return d, false
	}
	if d, ok := takeCompact(s); ok {
		return d, true
	}
	day, clock := s, ""
	if i := strings.IndexByte(s, ':'); i > 0 { // the time begins before the hour
		j := i
		for j > 0 && s[j-1] >= '0' && s[j-1] <= '9' {
			j--
		}
		if j == 0 {
			return d, false
		}
		day, clock = strings.TrimRight(s[:j], " ,T\u00a0\u202f"), s[j:]
	}
	d.Long, d.month = -1, -1
	i := 0
	for _, p := range strings.FieldsFunc(day, func(r rune) bool {
		return r == '.' || r == '/' || r == '-' || r == ' ' || r == ',' ||
			r == '\u00a0'
	}) {
		if i == 3 {
			return d, false
		}
		if n, err := strconv.Atoi(p); err == nil && len(p) <= 4 && p[0] >= '0' && p[0] <= '9' {
			if d.Parts[i] = n; len(p) == 4 {
				d.Long = i
			} else if len(p) > 2 {
				return d, false
			}
		} else if m := known.Month(p); m > 0 && d.month < 0 {
			d.Parts[i], d.month = m, i
		} else if i == 0 && unicode.IsLetter(rune(p[0])) && len(p) <= 10 && clock == "" && len(day) > 12 {
			continue // the day of the week
		} else {
			return d, false
		}
		i++
	}
	if i != 3 {
		return d, false
	}
	d.clock, d.HasTime = clock, clock != ""
	return d, true
}

// takeCompact reads 20261120 and 20112026, with a time behind it or none: 20261120 0600, 20261120T060000, 20261120060000.
func takeCompact(s string) (d dated, ok bool) {
	day, clock := s, ""
	if len(s) > 8 {
		day, clock = s[:8], strings.TrimLeft(s[8:], " T")
	}
	digits := func(t string) bool { return strings.Trim(t, "0123456789") == "" }
	if len(day) != 8 || !digits(day) {
		return d, false
	}
	switch {
	case clock == "":
	case digits(clock) && (len(clock) == 4 || len(clock) == 6):
		d.clock = clock[:2] + ":" + clock[2:4]
		if len(clock) == 6 {
			d.clock += ":" + clock[4:]
		}
	case strings.Contains(clock, ":"):
		d.clock = clock
	default:
		return d, false
	}
	d.HasTime, d.month = clock != "", -1
	number := func(t string) int { n, _ := strconv.Atoi(t); return n }
	for _, order := range []string{"ymd", "dmy"} {
		d.Parts, d.Long = [3]int{number(day[:4]), number(day[4:6]), number(day[6:])}, 0
		if order == "dmy" {
			d.Parts, d.Long = [3]int{number(day[:2]), number(day[2:4]), number(day[4:])}, 2
		}
		if year, _, _, ok := d.in(order); ok && year >= 1980 && year < 2100 {
			return d, true
		}
	}
	return d, false
}

// cutOffset takes a zone off the end of a time that has a clock: Z, UTC, GMT, +01:00 or +0100.
func cutOffset(s string) (rest string, zone *time.Location, ok bool) {
	n := len(s)
	if n < 6 {
		return s, nil, false
	}
	seconds := 0
	switch last := s[n-1]; {
	case last == 'Z' || last == 'z':
		rest = s[:n-1]
	case strings.EqualFold(s[n-3:], "UTC") || strings.EqualFold(s[n-3:], "GMT"):
		rest = s[:n-3]
	case last >= '0' && last <= '9':
		at := n - 5
		if s[n-3] == ':' {
			at = n - 6
		}
		hours, err1 := strconv.ParseUint(s[at+1:at+3], 10, 8)
		minutes, err2 := strconv.ParseUint(s[n-2:], 10, 8)
		if s[at] != '+' && s[at] != '-' || err1 != nil || err2 != nil || hours > 14 || minutes > 59 {
			return s, nil, false
		}
		if seconds = int(hours*3600 + minutes*60); s[at] == '-' {
			seconds = -seconds
		}
		rest = s[:at]
	default:
		return s, nil, false
	}
	rest = strings.TrimRight(rest, " ")
	if !strings.Contains(rest, ":") || rest[len(rest)-1] < '0' || rest[len(rest)-1] > '9' {
		return s, nil, false
	}
	return rest, time.FixedZone("", seconds), true
}

// DateEvidence is what a column's values tell of the order of its dates.
type DateEvidence struct {
	votes   map[string]int
	Even    int
	Example string
	bare    int // dates without a time of day
	bareAs  string
	serial  int
	says    map[string]string
}

// Add takes one date in.
func (e *DateEvidence) Add(s string) {
	if n, ok := daySerial(s); ok && n > 0 {
		e.serial++
		return
	}
	local, _, _ := cutOffset(s)
	d, ok := TakeDate(local)
	if !ok {
		return
	}
	if !slices.ContainsFunc(Orders, func(o string) bool { _, _, _, ok := d.in(o); return ok }) {
		return // no day of the calendar says nothing
	}
	if !d.HasTime {
		if e.bare++; e.bareAs == "" {
			e.bareAs = s
		}
	}
	if e.votes == nil {
		e.votes, e.says = map[string]int{}, map[string]string{}
	}
	vote := func(order string) {
		e.votes[order]++
		e.says[order] = s
	}
	switch {
	case d.Long == 0:
		vote("ymd")
	case d.month == 1:
		vote("dmy")
	case d.month == 0:
		vote("mdy")
	case d.Parts[0] > 31:
		vote("ymd")
	case d.Parts[0] > 12 && d.Parts[1] <= 12:
		vote("dmy")
	case d.Parts[1] > 12 && d.Parts[0] <= 12:
		vote("mdy")
	default:
		if e.Even++; e.Example == "" || d.Parts[0] != d.Parts[1] {
			e.Example = s
		}
	}
}

// Decide gives the order that all dates of a column come to, and why; sure is false where the evidence is even.
func (e *DateEvidence) Decide() (order, why string, sure bool) {
	best, second := "", ""
	for _, o := range []string{"ymd", "dmy", "mdy"} {
		if e.votes[o] > e.votes[best] {
			best, second = o, best
		} else if e.votes[o] > e.votes[second] {
			second = o
		}
	}
	switch {
	case best == "" && e.Even > 0:
		return "dmy", fmt.Sprintf("%s may be day first or month first", e.Example), false
	case best == "":
		return "ymd", "", true
	case e.votes[best] == e.votes[second]:
		return best, fmt.Sprintf("as many dates say one order (%s) as another (%s)", e.says[best], e.says[second]), false
	case best == "ymd" && e.Even > e.votes[best]:
		return "dmy", fmt.Sprintf("%s may be day first or month first", e.Example), false
	}
	return best, fmt.Sprintf("the dates stand %s, as in %s", OrderName(best), e.says[best]), true
}

// OrderName says an order of day, month and year in words.
func OrderName(order string) string {
	return map[string]string{"ymd": "year first", "dmy": "day first", "mdy": "month first"}[order]
}

// daySerial reads a number of days as spreadsheet programs store dates, from 1980 to 2100.
func daySerial(s string) (days float64, ok bool) {
	if len(s) < 5 || len(s) > 24 || s[0] < '2' || s[0] > '7' {
		return 0, false
	}
	whole, _, _ := strings.Cut(s, ".")
	if len(whole) != 5 {
		return 0, false
	}
	days, err := strconv.ParseFloat(s, 64)
	return days, err == nil && days >= 29_221 && days < 73_051
}

// sinceEpoch reads a number of seconds, or of thousandths of them, since 1970, from 2001 to 2100, into nanoseconds.
func sinceEpoch(s string) (ns int64, unit string, ok bool) {
	n, err := strconv.ParseInt(s, 10, 64)
	switch {
	case err != nil || s[0] == '+':
		return 0, "", false
	case len(s) == 10 && n >= 1_000_000_000 && n < 4_102_444_800:
		return n * 1_000_000_000, "s", true
	case len(s) == 13 && n >= 1_000_000_000_000 && n < 4_102_444_800_000:
		return n * 1_000_000, "ms", true
	}
	return 0, "", false
}

// Parse reads a time by the column's form into Unix nanoseconds.
func (d *Dates) Parse(s string, zone *time.Location) (int64, error) {
	at, err := ParseTime(s, zone)
	if !errors.Is(err, ErrNotTime) {
		return at, err
	}
	if rest, there, ok := cutOffset(s); ok {
		return d.Parse(rest, there)
	}
	if days, ok := daySerial(s); ok {
		if !d.Serial {
			return 0, errSerial
		}
		local := time.Unix(time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).Unix()+int64(days*86_400+0.5), 0).UTC()
		return ParseTime(local.Format("2006-01-02 15:04:05"), zone)
	}
	if seconds, unit, ok := sinceEpoch(s); ok {
		if d.Epoch != unit {
			return 0, errEpoch
		}
		return seconds, nil
	}
	x, ok := TakeDate(s)
	if !ok {
		return 0, ErrNotTime
	}
	order := d.Order
	switch {
	case x.Long == 0:
		order = "ymd"
	case x.month == 1:
		order = "dmy"
	case x.month == 0:
		order = "mdy"
	case order == "":
		order = "ymd"
	}
	year, month, day, ok := x.in(order)
	if !ok {
		for _, other := range Orders {
			if _, _, _, ok := x.in(other); ok {
				return 0, errOrder
			}
		}
		return 0, errNoDay
	}
	clock := x.clock
	if !x.HasTime {
		if clock = d.Time; clock == "" {
			return 0, errNoHour
		}
	}
	hour, minute, second, ok := ReadClock(clock)
	if !ok {
		return 0, ErrNotTime
	}
	local := time.Date(year, month, day, hour, minute, second, 0, time.UTC)
	return ParseTime(local.Format("2006-01-02 15:04:05"), zone)
}

// ReadTime reads a time that stands alone, as above a table, where no column tells the order of its parts: it is read
// where only one order gives a day. ofDay is the time of day that a date by itself means; empty: it is an error.
func ReadTime(text, ofDay string, zone *time.Location) (at int64, err error) {
	found := false
	for _, order := range Orders {
		d := Dates{Order: order, Time: ofDay}
		t, e := d.Parse(text, zone)
		switch {
		case e != nil:
			if err == nil || err == errOrder {
				err = e
			}
		case found && t != at:
			return 0, errEven
		default:
			at, found = t, true
		}
	}
	if found {
		return at, nil
	}
	return 0, err
}

// Orders are the orders in which day, month and year are written.
var Orders = []string{"ymd", "dmy", "mdy"}

// in reads the date in an order of its parts; ok is false where there is no such day.
func (d *dated) in(order string) (year int, month time.Month, day int, ok bool) {
	m, at := 0, 2 // where the year stands
	switch order {
	case "ymd":
		year, m, day, at = d.Parts[0], d.Parts[1], d.Parts[2], 0
	case "dmy":
		day, m, year = d.Parts[0], d.Parts[1], d.Parts[2]
	case "mdy":
		m, day, year = d.Parts[0], d.Parts[1], d.Parts[2]
	}
	if d.Long < 0 {
		if year += 1900; year < 1950 {
			year += 100
		}
	}
	month = time.Month(m)
	ok = (d.Long == at || d.Long < 0) && m >= 1 && m <= 12 && day >= 1 && time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Day() == day
	return year, month, day, ok
}

// ReadClock reads 9:05, 09:05:30, 09:05:30.000, 9:05 PM, 24:00.
func ReadClock(s string) (hour, minute, second int, ok bool) {
	s = strings.ToUpper(strings.TrimSpace(s))
	half := ""
	for _, h := range []string{"AM", "PM", "A.M.", "P.M."} {
		if t, found := strings.CutSuffix(s, h); found {
			s, half = strings.TrimSpace(strings.Trim(t, "\u00a0\u202f ")), h[:1]
			break
		}
	}
	s, _, _ = strings.Cut(s, ".")
	parts := strings.Split(s, ":")
	if len(parts) < 2 || len(parts) > 3 {
		return 0, 0, 0, false
	}
	var n [3]int
	for i, p := range parts {
		v, err := strconv.Atoi(p)
		if err != nil || len(p) > 2 || v < 0 {
			return 0, 0, 0, false
		}
		n[i] = v
	}
	switch {
	case half != "" && (n[0] < 1 || n[0] > 12):
		return 0, 0, 0, false
	case half == "P" && n[0] < 12:
		n[0] += 12
	case half == "A" && n[0] == 12:
		n[0] = 0
	}
	if n[0] > 24 || n[1] > 59 || n[2] > 59 || n[0] == 24 && n[1]+n[2] > 0 {
		return 0, 0, 0, false
	}
	return n[0], n[1], n[2], true
}

// TimeKind is the kind of problem that a time's error is.
func TimeKind(err error) string {
	switch err {
	case errOrder:
		return "other date order"
	case errNoHour:
		return "no time of day"
	case errSerial:
		return "day number"
	case errEpoch:
		return "seconds since 1970"
	}
	return "not a time"
}

// Join takes in what another reader of the same column saw further down.
func (e *DateEvidence) Join(o *DateEvidence) {
	if o.votes != nil && e.votes == nil {
		e.votes, e.says = map[string]int{}, map[string]string{}
	}
	for order, n := range o.votes {
		e.votes[order] += n
		e.says[order] = o.says[order]
	}
	e.Even, e.bare, e.serial = e.Even+o.Even, e.bare+o.bare, e.serial+o.serial
	if e.Example == "" {
		e.Example = o.Example
	}
	if e.bareAs == "" {
		e.bareAs = o.bareAs
	}
}

// Less takes away what was taken in twice.
func (e *DateEvidence) Less(o *DateEvidence) {
	for order, n := range o.votes {
		e.votes[order] -= n
	}
	e.Even, e.bare, e.serial = e.Even-o.Even, e.bare-o.bare, e.serial-o.serial
}
