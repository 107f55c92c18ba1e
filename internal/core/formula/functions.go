package formula

import (
	"fmt"
	"maps"
	"math/big"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"wobin/internal/core/code"
)

type call struct {
	name string
	at   int
	f    function
	args []node
}

// function is one function: how many arguments (most -1: any number) and what it does. lazy ones get their
// arguments not yet worked out.
type function struct {
	least, most int
	do          func(n *call, v []Value) (Value, error)
	lazy        func(n *call, c Cells) (Value, error)
}

func (f function) takes() string {
	switch {
	case f.most < 0:
		return fmt.Sprintf("at least %d values", f.least)
	case f.least == f.most && f.least == 1:
		return "one value"
	case f.least == f.most:
		return fmt.Sprintf("%d values", f.least)
	}
	return fmt.Sprintf("%d to %d values", f.least, f.most)
}

func (n *call) eval(c Cells) (Value, error) {
	if n.f.lazy != nil {
		return n.f.lazy(n, c)
	}
	v := make([]Value, len(n.args))
	for i, a := range n.args {
		var err error
		if v[i], err = a.eval(c); err != nil {
			return Value{}, err
		}
	}
	return n.f.do(n, v)
}

func (n *call) wrong(format string, args ...any) (Value, error) {
	return Value{}, &Error{n.at, n.name + ": " + fmt.Sprintf(format, args...)}
}

// whole is an argument as a whole number, cut towards zero.
func (n *call) whole(v Value) (int, error) {
	r, err := v.mustNumber(n.at)
	if err != nil {
		return 0, err
	}
	q := new(big.Int).Quo(r.Num(), r.Denom())
	if !q.IsInt64() || q.Int64() > maxText || q.Int64() < -maxText {
		return 0, &Error{n.at, n.name + ": the number is too large"}
	}
	return int(q.Int64()), nil
}

// Functions lists the names of the functions.
func Functions() []string { return slices.Sorted(maps.Keys(functions)) }

var functions map[string]function

func init() {
	functions = map[string]function{
		"TRUE":  {0, 0, func(*call, []Value) (Value, error) { return boolValue(true), nil }, nil},
		"FALSE": {0, 0, func(*call, []Value) (Value, error) { return boolValue(false), nil }, nil},
		"IF": {2, 3, nil, func(n *call, c Cells) (Value, error) {
			v, err := n.args[0].eval(c)
			if err != nil {
				return v, err
			}
			yes, err := v.mustTruth(n.at)
			switch {
			case err != nil:
				return Value{}, err
			case yes:
				return n.args[1].eval(c)
			case len(n.args) == 3:
				return n.args[2].eval(c)
			}
			return boolValue(false), nil
		}},
		"IFERROR": {2, 2, nil, func(n *call, c Cells) (Value, error) {
			if v, err := n.args[0].eval(c); err == nil {
				return v, nil
			}
			return n.args[1].eval(c)
		}},
		"ISERROR": {1, 1, nil, func(n *call, c Cells) (Value, error) {
			_, err := n.args[0].eval(c)
			return boolValue(err != nil), nil
		}},
		"AND": {1, -1, truths(func(all, _ bool) bool { return all }), nil},
		"OR":  {1, -1, truths(func(_, some bool) bool { return some }), nil},
		"NOT": {1, 1, func(n *call, v []Value) (Value, error) {
			b, err := v[0].mustTruth(n.at)
			return boolValue(!b), err
		}, nil},
		"ISBLANK": {1, 1, nil, is(func(v Value) bool { return v.kind == aCell && v.string == "" })},
		"ISNUMBER": {1, 1, nil, is(func(v Value) bool {
			if v.kind == aCell {
				_, ok := v.cellNumber()
				return ok && v.string != ""
			}
			return v.kind == aNumber
		})},
		"ISTEXT": {1, 1, nil, is(func(v Value) bool {
			if v.kind == aCell {
				_, ok := v.cellNumber()
				return !ok && v.string != ""
			}
			return v.kind == aText
		})},

		"ABS":  {1, 1, numeric(func(r *big.Rat) *big.Rat { return new(big.Rat).Abs(r) }), nil},
		"SIGN": {1, 1, numeric(func(r *big.Rat) *big.Rat { return big.NewRat(int64(r.Sign()), 1) }), nil},
		"INT":  {1, 1, numeric(func(r *big.Rat) *big.Rat { return new(big.Rat).SetInt(floor(r)) }), nil},
		"TRUNC": {1, 2, rounding(func(r *big.Rat) *big.Int {
			return new(big.Int).Quo(r.Num(), r.Denom())
		}), nil},
		"ROUND":     {1, 2, rounding(halfAway), nil},
		"ROUNDDOWN": {1, 2, rounding(func(r *big.Rat) *big.Int { return new(big.Int).Quo(r.Num(), r.Denom()) }), nil},
		"ROUNDUP": {1, 2, rounding(func(r *big.Rat) *big.Int {
			q, m := new(big.Int).QuoRem(r.Num(), r.Denom(), new(big.Int))
			return q.Add(q, big.NewInt(int64(m.Sign())))
		}), nil},
		"MOD": {2, 2, func(n *call, v []Value) (Value, error) {
			a, err := v[0].mustNumber(n.at)
			if err != nil {
				return Value{}, err
			}
			b, err := v[1].mustNumber(n.at)
			if err != nil {
				return Value{}, err
			}
			if b.Sign() == 0 {
				return n.wrong("division by zero")
			}
			q := new(big.Rat).SetInt(floor(new(big.Rat).Quo(a, b)))
			return ratValue(q.Sub(a, q.Mul(q, b))), nil
		}, nil},
		"MIN": {1, -1, folded(func(a, b *big.Rat) *big.Rat {
			if b.Cmp(a) < 0 {
				return b
			}
			return a
		}), nil},
		"MAX": {1, -1, folded(func(a, b *big.Rat) *big.Rat {
			if b.Cmp(a) > 0 {
				return b
			}
			return a
		}), nil},
		"SUM": {1, -1, folded(func(a, b *big.Rat) *big.Rat { return new(big.Rat).Add(a, b) }), nil},

		"TRIM": {1, 1, texts(func(s string) string {
			return strings.Join(strings.FieldsFunc(s, func(r rune) bool { return r == ' ' }), " ")
		}), nil},
		"UPPER": {1, 1, texts(strings.ToUpper), nil},
		"LOWER": {1, 1, texts(strings.ToLower), nil},
		"LEFT":  {1, 2, func(n *call, v []Value) (Value, error) { return n.part(v, false) }, nil},
		"RIGHT": {1, 2, func(n *call, v []Value) (Value, error) { return n.part(v, true) }, nil},
		"MID":   {3, 3, mid, nil},
		"LEN": {1, 1, func(n *call, v []Value) (Value, error) {
			s, err := v[0].mustText(n.at)
			return number(int64(utf8.RuneCountInString(s))), err
		}, nil},
		"FIND":   {2, 3, find(func(s string) string { return s }), nil},
		"SEARCH": {2, 3, find(code.Fold), nil},
		"EXACT": {2, 2, func(n *call, v []Value) (Value, error) {
			a, err := v[0].mustText(n.at)
			if err != nil {
				return Value{}, err
			}
			b, err := v[1].mustText(n.at)
			return boolValue(a == b), err
		}, nil},
		"SUBSTITUTE": {3, 4, substitute, nil},
		"REPLACE":    {4, 4, replace, nil},
		"REPT": {2, 2, func(n *call, v []Value) (Value, error) {
			s, err := v[0].mustText(n.at)
			if err != nil {
				return Value{}, err
			}
			times, err := n.whole(v[1])
			if err != nil {
				return Value{}, err
			}
			if times < 0 || times*len(s) > maxText {
				return n.wrong("cannot repeat %d times", times)
			}
			return textValue(strings.Repeat(s, times)), nil
		}, nil},
		"CONCATENATE": {1, -1, func(n *call, v []Value) (Value, error) {
			var b strings.Builder
			for _, x := range v {
				s, err := x.mustText(n.at)
				if err != nil {
					return Value{}, err
				}
				b.WriteString(s)
			}
			return bounded(b.String(), n.at)
		}, nil},
		"VALUE": {1, 1, func(n *call, v []Value) (Value, error) {
			if r, ok := v[0].asNumber(); ok {
				return Value{kind: aNumber, number: r, date: v[0].isDate()}, nil
			}
			r, ok := percent(code.Trim(v[0].string), scientific)
			if !ok {
				r, ok = percent(code.Trim(v[0].string), decimal)
			}
			if !ok {
				return n.wrong("%q is not a number", v[0].string)
			}
			return ratValue(r), nil
		}, nil},
		"NUMBERVALUE": {2, 3, func(n *call, v []Value) (Value, error) {
			t := make([]string, len(v))
			for i := range v {
				var err error
				if t[i], err = v[i].mustText(n.at); err != nil {
					return Value{}, err
				}
			}
			sign, group := t[1], ""
			if len(t) == 3 {
				group = t[2]
			}
			whole, places, _ := strings.Cut(code.Trim(t[0]), sign)
			if group != "" {
				whole = strings.ReplaceAll(whole, group, "")
			}
			if sign == "" || sign == group || sign != "." && strings.Contains(whole, ".") || strings.Contains(places, sign) ||
				strings.Contains(places, ".") || group != "" && strings.Contains(places, group) {
				return n.wrong("%q is not a number with the signs that are given", t[0])
			}
			r, ok := percent(strings.TrimSuffix(whole+"."+places, "."), decimal)
			if !ok {
				return n.wrong("%q is not a number with the signs that are given", t[0])
			}
			return ratValue(r), nil
		}, nil},
		"TEXT": {2, 2, func(n *call, v []Value) (Value, error) {
			r, err := v[0].mustNumber(n.at)
			if err != nil {
				return Value{}, err
			}
			f, err := v[1].mustText(n.at)
			if err != nil {
				return Value{}, err
			}
			return n.format(r, f)
		}, nil},
		"DATE": {3, 3, func(n *call, v []Value) (Value, error) {
			var p [3]int
			for i := range p {
				var err error
				if p[i], err = n.whole(v[i]); err != nil {
					return Value{}, err
				}
			}
			if p[0] < 1900 || p[0] > 2200 || p[1] < -1200 || p[1] > 1200 {
				return n.wrong("the year must lie between 1900 and 2200")
			}
			return dateValue(time.Date(p[0], time.Month(p[1]), p[2], 0, 0, 0, 0, time.UTC)), nil
		}, nil},
		"DATEVALUE": {1, 1, func(n *call, v []Value) (Value, error) {
			s, err := v[0].mustText(n.at)
			if err != nil {
				return Value{}, err
			}
			t, err := time.Parse("2006-01-02", code.Trim(s))
			if err != nil {
				return n.wrong("%q is not a date such as 2026-11-21", s)
			}
			return dateValue(t), nil
		}, nil},
		"YEAR":  {1, 1, datePart(func(t time.Time) int { return t.Year() }), nil},
		"MONTH": {1, 1, datePart(func(t time.Time) int { return int(t.Month()) }), nil},
		"DAY":   {1, 1, datePart(func(t time.Time) int { return t.Day() }), nil},
	}
}

func dateValue(t time.Time) Value {
	return Value{kind: aNumber, number: big.NewRat(int64(t.Sub(epoch)/(24*time.Hour)), 1), date: true}
}

// datePart takes a day as a number, or as a text such as 2026-11-21.
func datePart(part func(time.Time) int) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		if r, ok := v[0].asNumber(); ok {
			return number(int64(part(time.Unix(epoch.Unix()+seconds(r), 0).UTC()))), nil
		}
		if d, ok := v[0].cells.(Dates); ok && v[0].kind == aCell {
			if t, is := d.Date(v[0].label); is {
				return number(int64(part(t))), nil
			}
		}
		t, err := time.Parse("2006-01-02", v[0].string[:min(len(v[0].string), 10)])
		if err != nil {
			return n.wrong("%q is not a date such as 2026-11-21", v[0].string)
		}
		return number(int64(part(t))), nil
	}
}

// truths and folded pass empty cells over, as the standard has it for lists (OpenFormula, NumberSequence and LogicalSequence); where all
// are empty they are false, and 0.
func truths(pick func(all, some bool) bool) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		all, some := true, false
		if v = filled(v); len(v) == 0 {
			return boolValue(false), nil
		}
		for _, x := range v {
			b, err := x.mustTruth(n.at)
			if err != nil {
				return Value{}, err
			}
			all, some = all && b, some || b
		}
		return boolValue(pick(all, some)), nil
	}
}

func numeric(do func(*big.Rat) *big.Rat) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		r, err := v[0].mustNumber(n.at)
		if err != nil {
			return Value{}, err
		}
		return ratValue(do(r)), nil
	}
}

func filled(v []Value) []Value {
	return slices.DeleteFunc(slices.Clone(v), func(x Value) bool { return x.kind == aCell && x.string == "" })
}

func folded(do func(a, b *big.Rat) *big.Rat) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		if v = filled(v); len(v) == 0 {
			return number(0), nil
		}
		out, err := v[0].mustNumber(n.at)
		for _, x := range v[1:] {
			if err != nil {
				break
			}
			var r *big.Rat
			if r, err = x.mustNumber(n.at); err == nil {
				out = do(out, r)
			}
		}
		return ratValue(out), err
	}
}

func halfAway(r *big.Rat) *big.Int {
	half := big.NewRat(1, 2)
	if r.Sign() < 0 {
		half.Neg(half)
	}
	s := half.Add(half, r)
	return new(big.Int).Quo(s.Num(), s.Denom())
}

// rounding rounds at a number of places, which may be below zero.
func rounding(do func(*big.Rat) *big.Int) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		r, err := v[0].mustNumber(n.at)
		if err != nil {
			return Value{}, err
		}
		places := 0
		if len(v) == 2 {
			if places, err = n.whole(v[1]); err != nil {
				return Value{}, err
			}
		}
		if places < -15 || places > 15 {
			return n.wrong("places must lie between -15 and 15")
		}
		scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(places, -places))), nil))
		if places < 0 {
			scale.Inv(scale)
		}
		out := new(big.Rat).SetInt(do(new(big.Rat).Mul(r, scale)))
		return ratValue(out.Quo(out, scale)), nil
	}
}

func texts(do func(string) string) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		s, err := v[0].mustText(n.at)
		return textValue(do(s)), err
	}
}

// part is LEFT and RIGHT.
func (n *call) part(v []Value, right bool) (Value, error) {
	s, err := v[0].mustText(n.at)
	if err != nil {
		return Value{}, err
	}
	want := 1
	if len(v) == 2 {
		if want, err = n.whole(v[1]); err != nil {
			return Value{}, err
		}
	}
	if want < 0 {
		return n.wrong("the length is below zero")
	}
	r := []rune(s)
	want = min(want, len(r))
	if right {
		return textValue(string(r[len(r)-want:])), nil
	}
	return textValue(string(r[:want])), nil
}

// span is the part of a text that begins at a place counted from 1.
func (n *call) span(v []Value) (r []rune, from, to int, err error) {
	s, err := v[0].mustText(n.at)
	if err != nil {
		return nil, 0, 0, err
	}
	start, err := n.whole(v[1])
	if err != nil {
		return nil, 0, 0, err
	}
	length, err := n.whole(v[2])
	if err != nil {
		return nil, 0, 0, err
	}
	if start < 1 || length < 0 {
		_, err = n.wrong("the place must be at least 1 and the length at least 0")
		return nil, 0, 0, err
	}
	r = []rune(s)
	from = min(start-1, len(r))
	return r, from, min(from+length, len(r)), nil
}

func mid(n *call, v []Value) (Value, error) {
	r, from, to, err := n.span(v)
	if err != nil {
		return Value{}, err
	}
	return textValue(string(r[from:to])), nil
}

func replace(n *call, v []Value) (Value, error) {
	r, from, to, err := n.span(v)
	if err != nil {
		return Value{}, err
	}
	by, err := v[3].mustText(n.at)
	if err != nil {
		return Value{}, err
	}
	return bounded(string(r[:from])+by+string(r[to:]), n.at)
}

func find(form func(string) string) func(*call, []Value) (Value, error) {
	return func(n *call, v []Value) (Value, error) {
		what, err := v[0].mustText(n.at)
		if err != nil {
			return Value{}, err
		}
		in, err := v[1].mustText(n.at)
		if err != nil {
			return Value{}, err
		}
		from := 1
		if len(v) == 3 {
			if from, err = n.whole(v[2]); err != nil {
				return Value{}, err
			}
		}
		r := []rune(in)
		if from < 1 || from > len(r)+1 {
			return n.wrong("the place lies outside of the text")
		}
		rest := form(string(r[from-1:]))
		i := strings.Index(rest, form(what))
		if i < 0 {
			return n.wrong("%q does not hold %q", in, what)
		}
		return number(int64(from + utf8.RuneCountInString(rest[:i]))), nil
	}
}

func substitute(n *call, v []Value) (Value, error) {
	var t [3]string
	for i := range t {
		var err error
		if t[i], err = v[i].mustText(n.at); err != nil {
			return Value{}, err
		}
	}
	if t[1] == "" {
		return textValue(t[0]), nil
	}
	if len(v) == 3 {
		if strings.Count(t[0], t[1])*len(t[2])+len(t[0]) > 2*maxText {
			return n.wrong("the text is too long")
		}
		return bounded(strings.ReplaceAll(t[0], t[1], t[2]), n.at)
	}
	which, err := n.whole(v[3])
	if err != nil {
		return Value{}, err
	}
	if which < 1 {
		return n.wrong("the occurrence is counted from 1")
	}
	from := 0
	for {
		i := strings.Index(t[0][from:], t[1])
		if i < 0 {
			return textValue(t[0]), nil
		}
		from += i
		if which--; which == 0 {
			return bounded(t[0][:from]+t[2]+t[0][from+len(t[1]):], n.at)
		}
		from += len(t[1])
	}
}

// is tells something of a value; what cannot be worked out is none of it.
func is(what func(Value) bool) func(*call, Cells) (Value, error) {
	return func(n *call, c Cells) (Value, error) {
		v, err := n.args[0].eval(c)
		return boolValue(err == nil && what(v)), nil
	}
}

// percent reads a number that may have a percent sign behind it.
func percent(s string, read func(string) (*big.Rat, bool)) (*big.Rat, bool) {
	s, is := strings.CutSuffix(s, "%")
	r, ok := read(code.Trim(s))
	if ok && is {
		r = r.Quo(r, big.NewRat(100, 1))
	}
	return r, ok
}
