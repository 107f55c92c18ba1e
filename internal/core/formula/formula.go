// Package formula works out column formulas: the arithmetic, comparison, text and logical part of OpenFormula
// (OASIS Open Document Format 1.3, part 4) that table files need, on exact numbers. Columns are named by their
// header as a quoted label: 'Boxes' * 12 + 'Singles'. Arguments are parted by semicolons, as the standard has it; a
// comma is let pass. The package knows nothing of files: what a label stands for comes in as Cells.
package formula

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"wobin/internal/core/known"
)

// MaxLength is how many characters a formula may have.
const MaxLength = 4000

const maxDepth = 60

// Cells gives the cells of one row. label counts the formula's Labels from 0.
type Cells interface {
	// Text is the cell as text, empty where it holds nothing.
	Text(label int) string
	// Number is the cell as a plain decimal (12.5) as its column's form has it; ok is false where it is none.
	Number(label int) (text string, ok bool)
}

// Dates are Cells that know dates: a cell of a column of dates is a day in sums and comparisons.
type Dates interface {
	// Date is the cell as a time; ok is false where it is none.
	Date(label int) (at time.Time, ok bool)
}

// Error is a formula that cannot be read or worked out: where (characters from 0) and why.
type Error struct {
	At   int
	Text string
}

// Error gives the place, counted from 1, and the text.
func (e *Error) Error() string { return fmt.Sprintf("at character %d: %s", e.At+1, e.Text) }

// Formula is a formula that was read.
type Formula struct {
	Source string
	Labels []string // the headers it names, in the order in which they first come
	root   node
}

// Parse reads a formula; an equals sign in front is let pass. It errs with *Error.
func Parse(source string) (*Formula, error) {
	f := &Formula{Source: source}
	if utf8.RuneCountInString(source) > MaxLength {
		return nil, &Error{MaxLength, fmt.Sprintf("the formula is longer than %d characters", MaxLength)}
	}
	p := parser{f: f, in: []rune(source)}
	p.space()
	if p.peek() == '=' {
		p.at++
	}
	root, err := p.comparison(0)
	if err != nil {
		return nil, err
	}
	p.space()
	if p.at < len(p.in) {
		return nil, p.wrong("%q is not expected here", string(p.in[p.at]))
	}
	f.root = root
	return f, nil
}

// Eval works the formula out for one row. It errs with *Error.
func (f *Formula) Eval(c Cells) (v Value, err error) {
	return f.root.eval(c)
}

// Text works the formula out and gives the result as a cell's text: numbers as the shortest decimal with at most
// six places, dates as 2026-11-21, truth as TRUE or FALSE.
func (f *Formula) Text(c Cells) (string, error) {
	v, err := f.Eval(c)
	if err != nil {
		return "", err
	}
	s, ok := v.text()
	if !ok {
		return "", &Error{0, "the result has more than six decimal places. Say how to round it, as in ROUND(…; 2)"}
	}
	return s, nil
}

// True works a filter out: whether the row is taken.
func (f *Formula) True(c Cells) (bool, error) {
	v, err := f.Eval(c)
	if err != nil {
		return false, err
	}
	b, ok := v.truth()
	if !ok {
		return false, &Error{0, "the filter must be true or false for each row, as in 'Quantity' <> 0"}
	}
	return b, nil
}

type node interface {
	eval(c Cells) (Value, error)
}

type parser struct {
	f     *Formula
	in    []rune
	at    int
	depth int
}

func (p *parser) wrong(format string, args ...any) error {
	return &Error{p.at, fmt.Sprintf(format, args...)}
}

func (p *parser) space() {
	for p.at < len(p.in) && unicode.IsSpace(p.in[p.at]) {
		p.at++
	}
}

func (p *parser) peek() rune {
	if p.at < len(p.in) {
		return p.in[p.at]
	}
	return 0
}

// take passes over the first of the signs that stands here, longer ones first.
func (p *parser) take(signs ...string) (string, int) {
	p.space()
	for _, s := range signs {
		if strings.HasPrefix(string(p.in[p.at:min(p.at+2, len(p.in))]), s) {
			at := p.at
			p.at += len(s)
			return s, at
		}
	}
	return "", p.at
}

// The levels of binary operators, the loosest first. All are left-associative, as the standard has it.
var levels = [][]string{{"<=", ">=", "<>", "<", ">", "="}, {"&"}, {"+", "-"}, {"*", "/"}, {"^"}}

func (p *parser) comparison(level int) (node, error) {
	if level == len(levels) {
		return p.postfix()
	}
	left, err := p.comparison(level + 1)
	if err != nil {
		return nil, err
	}
	for {
		op, at := p.take(levels[level]...)
		if op == "" {
			return left, nil
		}
		right, err := p.comparison(level + 1)
		if err != nil {
			return nil, err
		}
		left = &binary{op, at, left, right}
	}
}

func (p *parser) postfix() (node, error) {
	n, err := p.prefix()
	for err == nil {
		sign, at := p.take("%")
		if sign == "" {
			break
		}
		n = &binary{"/", at, n, constant{number(100)}}
	}
	return n, err
}

func (p *parser) prefix() (node, error) {
	if p.depth++; p.depth > maxDepth {
		return nil, p.wrong("the formula is nested too deeply")
	}
	defer func() { p.depth-- }()
	if sign, at := p.take("-", "+"); sign != "" {
		n, err := p.prefix()
		if err != nil || sign == "+" {
			return n, err
		}
		return &binary{"-", at, constant{number(0)}, n}, nil
	}
	return p.primary()
}

func (p *parser) primary() (node, error) {
	p.space()
	start := p.at
	switch c := p.peek(); {
	case c == 0:
		return nil, p.wrong("the formula breaks off; a value is expected")
	case c == '(':
		p.at++
		n, err := p.comparison(0)
		if err != nil {
			return nil, err
		}
		if s, _ := p.take(")"); s == "" {
			return nil, p.wrong("a closing bracket is missing for the one at character %d", start+1)
		}
		return n, nil
	case c == '"' || c == '\'':
		text, err := p.quoted(c)
		if err != nil {
			return nil, err
		}
		if c == '"' {
			return constant{textValue(text)}, nil
		}
		for i, l := range p.f.Labels {
			if l == text {
				return label{i, start}, nil
			}
		}
		p.f.Labels = append(p.f.Labels, text)
		return label{len(p.f.Labels) - 1, start}, nil
	case c >= '0' && c <= '9' || c == '.':
		for p.at < len(p.in) && (p.in[p.at] >= '0' && p.in[p.at] <= '9' || p.in[p.at] == '.') {
			p.at++
		}
		text := string(p.in[start:p.at])
		r, ok := decimal(text)
		if more := p.exponent(); ok && more != "" {
			text += more
			r, ok = scientific(text)
		}
		if !ok {
			p.at = start
			return nil, p.wrong("%q is not a number", text)
		}
		return constant{Value{kind: aNumber, number: r}}, nil
	case unicode.IsLetter(c):
		for p.at < len(p.in) && (unicode.IsLetter(p.in[p.at]) || unicode.IsDigit(p.in[p.at]) || p.in[p.at] == '_' || p.in[p.at] == '.') {
			p.at++
		}
		return p.call(strings.ToUpper(string(p.in[start:p.at])), start)
	}
	return nil, p.wrong("%q is not expected here", string(p.peek()))
}

// exponent takes the E3 or e-2 behind a number.
func (p *parser) exponent() string {
	at := p.at
	if p.peek() != 'E' && p.peek() != 'e' {
		return ""
	}
	if p.at++; p.peek() == '+' || p.peek() == '-' {
		p.at++
	}
	digits := p.at
	for p.peek() >= '0' && p.peek() <= '9' {
		p.at++
	}
	if p.at == digits {
		p.at = at
		return ""
	}
	return string(p.in[at:p.at])
}

// scientific reads a decimal with an exponent, as in 1E3.
func scientific(text string) (*big.Rat, bool) {
	mantissa, power, has := strings.Cut(strings.ToUpper(text), "E")
	r, ok := decimal(mantissa)
	n, err := strconv.Atoi(power)
	if !ok || !has || err != nil || n < -30 || n > 30 {
		return nil, false
	}
	scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(n, -n))), nil))
	if n < 0 {
		scale.Inv(scale)
	}
	return r.Mul(r, scale), true
}

func (p *parser) quoted(mark rune) (string, error) {
	start := p.at
	p.at++
	var b strings.Builder
	for p.at < len(p.in) {
		c := p.in[p.at]
		p.at++
		if c == mark {
			if p.peek() != mark {
				return b.String(), nil
			}
			p.at++
		}
		b.WriteRune(c)
	}
	p.at = start
	return "", p.wrong("the quotation mark is never closed")
}

func (p *parser) call(name string, start int) (node, error) {
	f, known := functions[name]
	if !known {
		p.at = start
		if s, _ := p.after(name); s == '(' {
			return nil, p.wrong("there is no function %s here", name)
		}
		return nil, p.wrong("%s is no function; a column is named in quotation marks, as in 'Quantity'", name)
	}
	if s, _ := p.take("("); s == "" {
		if f.least == 0 && f.most == 0 {
			return &call{name, start, f, nil}, nil
		}
		return nil, p.wrong("an opening bracket is expected behind %s", name)
	}
	var args []node
	if s, _ := p.take(")"); s == "" {
		for {
			n, err := p.comparison(0)
			if err != nil {
				return nil, err
			}
			args = append(args, n)
			s, at := p.take(";", ",", ")")
			if s == ")" {
				break
			}
			if s == "," && isDigit(p.in[at-1]) && isDigit(p.peek()) { // a decimal comma, or two values
				p.at = at
				return nil, p.wrong("a comma between digits may be a decimal sign. Write a point, or a semicolon between values")
			}
			if s == "" {
				return nil, p.wrong("a semicolon or a closing bracket is expected in %s", name)
			}
		}
	}
	if len(args) < f.least || f.most >= 0 && len(args) > f.most {
		p.at = start
		return nil, p.wrong("%s takes %s", name, f.takes())
	}
	return &call{name, start, f, args}, nil
}

func isDigit(r rune) bool { return r >= '0' && r <= '9' }

func (p *parser) after(name string) (rune, int) {
	i := p.at + len([]rune(name))
	for i < len(p.in) && unicode.IsSpace(p.in[i]) {
		i++
	}
	if i < len(p.in) {
		return p.in[i], i
	}
	return 0, i
}

type constant struct{ v Value }

func (n constant) eval(Cells) (Value, error) { return n.v, nil }

type label struct{ index, at int }

func (n label) eval(c Cells) (Value, error) {
	text := c.Text(n.index)
	if known.SheetError(text) {
		return Value{}, &Error{n.at, "the cell holds the error " + text}
	}
	return Value{kind: aCell, string: text, cells: c, label: n.index}, nil
}

type binary struct {
	op          string
	at          int
	left, right node
}

func (n *binary) eval(c Cells) (Value, error) {
	l, err := n.left.eval(c)
	if err != nil {
		return l, err
	}
	r, err := n.right.eval(c)
	if err != nil {
		return r, err
	}
	switch n.op {
	case "&":
		a, err := l.mustText(n.at)
		if err != nil {
			return Value{}, err
		}
		b, err := r.mustText(n.at)
		if err != nil {
			return Value{}, err
		}
		return bounded(a+b, n.at)
	case "=", "<>", "<", ">", "<=", ">=":
		order := compare(l, r)
		return boolValue(
			map[string]bool{"=": order == 0, "<>": order != 0, "<": order < 0, ">": order > 0, "<=": order <= 0, ">=": order >= 0}[n.op],
		), nil
	}
	a, err := l.mustNumber(n.at)
	if err != nil {
		return Value{}, err
	}
	b, err := r.mustNumber(n.at)
	if err != nil {
		return Value{}, err
	}
	out := new(big.Rat)
	switch n.op {
	case "+":
		out.Add(a, b)
	case "-":
		out.Sub(a, b)
	case "*":
		out.Mul(a, b)
	case "/":
		if b.Sign() == 0 {
			return Value{}, &Error{n.at, "division by zero"}
		}
		out.Quo(a, b)
	case "^":
		if root := b.Denom(); root.IsInt64() && root.Int64() == 2 && a.Sign() >= 0 {
			top, bottom := new(big.Int).Sqrt(a.Num()), new(big.Int).Sqrt(a.Denom())
			exact := new(big.Rat).SetFrac(top, bottom)
			if new(big.Rat).Mul(exact, exact).Cmp(a) != 0 {
				return Value{}, &Error{n.at, "the root has no exact value"}
			}
			a, b = exact, new(big.Rat).SetInt(b.Num())
		}
		if !b.IsInt() || !b.Num().IsInt64() || b.Num().Int64() < -64 || b.Num().Int64() > 64 {
			return Value{}, &Error{n.at, "a power must be a whole number from -64 to 64"}
		}
		e := b.Num().Int64()
		if e < 0 && a.Sign() == 0 {
			return Value{}, &Error{n.at, "division by zero"}
		}
		if (a.Num().BitLen()+a.Denom().BitLen())*64 > 1<<16 {
			return Value{}, &Error{n.at, "the number is too large"}
		}
		out.SetInt64(1)
		for range max(e, -e) {
			out.Mul(out, a)
		}
		if e < 0 {
			out.Inv(out)
		}
	}
	if out.Num().BitLen() > 1<<12 || out.Denom().BitLen() > 1<<12 {
		return Value{}, &Error{n.at, "the number is too large"}
	}
	// A day and some days are a day; the difference of two days is a number.
	return Value{kind: aNumber, number: out, date: (n.op == "+" || n.op == "-") && l.isDate() != r.isDate()}, nil
}
