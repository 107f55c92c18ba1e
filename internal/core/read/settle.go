package read

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"

	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/recognise"
)

// Value is a text of a code column that the records do not know, or that was settled: what it may be and what
// becomes of it.
type Value struct {
	Field     field.Field
	Text      string
	Rows      int
	Row       int // the first of them
	Originals []known.Original
	Near      []string
	Do        string // "match", "new", "skip", "repair"; empty where it is to be settled
	To        string
	Refused   bool // its rows are refused until it is settled
}

// verdict is what becomes of one text.
type verdict struct {
	to    string
	drop  bool
	kind  string // of the problem; empty where there is none
	text  string
	value *Value
}

// settler judges the texts of code columns by what the records know and what was settled.
type settler struct {
	m       *recognise.Mapping
	given   *layout.Layout
	known   *recognise.Known
	cache   map[field.Field]map[string]*verdict
	house   string // the warehouse whose bins are judged
	matches map[field.Field]map[string]*layout.Match
	repairs map[layout.Repair]bool
	values  []*Value
	left    int // rows left out because a value of theirs is skipped
	leads   func(by field.Field, text string) (sku string, many bool)
	mass    map[field.Field]bool         // fields full of texts that elsewhere would be suspect
	makes   func(field.Field) bool       // whether a text that is not known may be new
	made    map[field.Field]*known.Slips // words that are new, as they come
	sought  int                          // unknown texts for which neighbours were looked for
	codes   map[string]string            // made for new items, by name
	coded   map[string]bool              // the same codes
	folds   map[string]string            // new SKUs with small letters, by how they read without regard to case
	lock    *sync.Mutex                  // held while what the records know is asked; nil where nobody else asks
}

func (r *pass) settler() *settler {
	m := r.m
	s := &settler{
		m:       m,
		given:   m.Given(r.Layout),
		known:   r.Known,
		cache:   map[field.Field]map[string]*verdict{},
		matches: map[field.Field]map[string]*layout.Match{},
		repairs: map[layout.Repair]bool{},
		mass:    map[field.Field]bool{},
		made:    map[field.Field]*known.Slips{},
	}
	if s.leads = r.Lead; s.leads == nil && r.Known != nil {
		s.leads = r.Known.Lead
	}
	for i := range s.given.Matches {
		x := &s.given.Matches[i]
		if s.matches[x.Field] == nil {
			s.matches[x.Field] = map[string]*layout.Match{}
		}
		if s.matches[x.Field][x.From] == nil {
			s.matches[x.Field][x.From] = x
		}
	}
	for _, x := range s.given.Repairs {
		s.repairs[x] = true
	}
	s.makes = func(f field.Field) bool {
		switch {
		case f == field.SKU:
			return m.Kind == field.Items || m.Kind == field.Stock && s.given.NewItems != "refuse"
		case m.Kind == field.Movements || m.Kind == field.Counts:
			return false
		}
		return true
	}
	return s
}

// UnknownWord is the kind of problem of a word that answers a question of a column in a way that is not known.
const UnknownWord = "unknown word"

// said is what a word of a column that answers a question was said to mean; the word itself where nothing was said.
func (s *settler) said(f field.Field, word string) string {
	if x := s.matches[f][word]; x != nil && x.Do == "match" {
		return x.To
	}
	return word
}

// idle tells whether nothing can come of judging texts of a field.
func (s *settler) idle(f field.Field) bool { return s.known == nil && len(s.matches[f]) == 0 }

// judge tells what becomes of a text; nil where it stays as it is.
func (s *settler) judge(f field.Field, text string) *verdict {
	if text == "" {
		return nil
	}
	return s.once(f, text, text)
}

// judgeBin judges a bin by those of its warehouse.
func (s *settler) judgeBin(house, bin string) *verdict {
	s.house = house
	if c, ok := s.known.Set(field.Warehouse).Find(house); ok {
		s.house = c
	}
	return s.once(field.Bin, s.house+"\x00"+bin, bin)
}

// once decides on a text of a field where it was not yet decided on under key.
func (s *settler) once(f field.Field, key, text string) *verdict {
	by := s.cache[f]
	if by == nil {
		by = map[string]*verdict{}
		s.cache[f] = by
	}
	v, seen := by[key]
	if !seen {
		s.ask(func() { v = s.decide(f, text) })
		by[key] = v
		if v != nil && v.value != nil {
			s.values = append(s.values, v.value)
		}
	}
	return v
}

// ask looks something up in what the records know.
func (s *settler) ask(do func()) {
	if s.lock != nil {
		s.lock.Lock()
		defer s.lock.Unlock()
	}
	do()
}

// join takes in how often another reader of the same file met texts that are no parts of keys.
func (s *settler) join(other *settler, before int) {
	s.left += other.left
	for f, texts := range other.made {
		if s.known.Set(f).Len() == 0 { // they are no values to be listed, only what later words may be slips for
			for _, text := range texts.Texts() {
				s.judge(f, text)
			}
		}
	}
	for _, v := range other.values {
		if v.Rows == 0 {
			continue
		}
		mine := s.judge(v.Field, v.Text).value
		if mine.Rows += v.Rows; mine.Row == 0 {
			mine.Row = v.Row + before
		}
	}
}

func (s *settler) decide(f field.Field, text string) *verdict {
	if x := s.matches[f][text]; x != nil {
		v := &verdict{value: &Value{Field: f, Text: text, Do: x.Do, To: x.To}}
		switch x.Do {
		case "match":
			v.to = x.To
		case "skip":
			v.drop = true
		}
		return v
	}
	if by, name, ok := alternate(text); ok {
		return s.lead(f, by, name, text)
	}
	if s.known == nil {
		return nil
	}
	set := s.known.Set(f)
	if f == field.Bin && s.known.Bins != nil && s.house != "" { // where no warehouse is named, a bin of any will do
		set = s.known.Bins(s.house)
	}
	if _, ok := set.Find(text); ok {
		return nil
	}
	value := &Value{Field: f, Text: text, Originals: set.Originals(text)}
	if len(value.Originals) > 0 {
		damage := value.Originals[0].Damage
		if to := s.repaired(f, value.Originals); to != "" {
			value.Do, value.To = "repair", to
			return &verdict{to: to, value: value}
		}
		value.Refused = true
		what := fmt.Sprintf("%q is not known, but %s is: %s", problem.Short([]byte(text)), value.Originals[0].Text, damage)
		if len(value.Originals) > 1 {
			what = fmt.Sprintf(
				"%q is not known; it may be %s: %s",
				problem.Short([]byte(text)),
				problem.List(originals(value.Originals), 4),
				damage,
			)
		}
		return &verdict{kind: string(damage), text: what, value: value}
	}
	if d, ok := known.Suspect(text); ok && !s.mass[f] && (f == field.SKU || f == field.Bin || f == field.Barcode) {
		value.Refused = true
		return &verdict{
			kind: string(d),
			text: fmt.Sprintf(
				"%q looks like a code that was %s, and nothing known could have been it. Put the code back, or say that it is right",
				problem.Short([]byte(text)),
				d,
			),
			value: value,
		}
	}
	value.Near = nil
	if f == field.SKU && s.given.NewItems == "skip" && s.m.Kind == field.Stock {
		value.Do = "skip"
		return &verdict{drop: true, value: value}
	}
	if !s.makes(f) && !s.known.Blank {
		value.Near, value.Refused = s.nearest(set, text), true
		return &verdict{
			kind:  "unknown " + plain(f),
			text:  fmt.Sprintf("%q is not known. %s", problem.Short([]byte(text)), s.remedy(f)),
			value: value,
		}
	}
	if f == field.Bin || f == field.SKU || f == field.Barcode {
		return nil
	}
	value.Near = s.nearest(set, text)
	if close := set.Close(text); len(close) > 0 {
		value.Refused = true
		return &verdict{
			kind: "unknown " + plain(f),
			text: fmt.Sprintf(
				"%q is not known; %s is written much like it. Say whether it is the same",
				problem.Short([]byte(text)),
				close[0],
			),
			value: value,
		}
	}
	made := s.made[f]
	if made == nil {
		made = &known.Slips{}
		s.made[f] = made
	}
	alike := made.Close(text) // two spellings of something new would make it twice
	if n, same := made.Folded(text); same && s.m.Kind == field.Stock {
		alike = append([]string{n}, alike...)
	}
	if len(alike) > 0 {
		n := alike[0]
		value.Refused, value.Near = true, append([]string{n}, value.Near...)
		return &verdict{
			kind: "unknown " + plain(f),
			text: fmt.Sprintf(
				"%q is new, and so is %s above it, which is written much like it. Say whether it is the same",
				problem.Short([]byte(text)),
				n,
			),
			value: value,
		}
	}
	made.Add(text)
	if set.Len() == 0 {
		return nil
	}
	value.Do = "new"
	return &verdict{value: value}
}

// mostNeighbours is for how many unknown texts of a file neighbours are looked for. Nobody goes through more of them one by one.
const mostNeighbours = 300

// nearest gives what is known and written much like an unknown text, for the first of them.
func (s *settler) nearest(set *known.Set, text string) []string {
	if s.sought++; s.sought > mostNeighbours {
		return nil
	}
	return set.Nearest(text, 3)
}

// repaired gives the original that a settled repair puts back: the only possible one, or the only one that was read the
// way that was settled for the rest of the column.
func (s *settler) repaired(f field.Field, o []known.Original) (to string) {
	if len(o) == 1 && s.repairs[layout.Repair{Field: f, Damage: o[0].Damage, Way: ""}] {
		return o[0].Text
	}
	for _, x := range o {
		if x.Way != "" && s.repairs[layout.Repair{Field: f, Damage: x.Damage, Way: x.Way}] {
			if to != "" {
				return ""
			}
			to = x.Text
		}
	}
	return to
}

func (s *settler) remedy(f field.Field) string {
	if f == field.SKU {
		if s.m.Kind == field.Stock {
			return "Match it to a known item, let new items be made, or leave its rows out"
		}
		return "Match it to a known item, take the items in first, or leave its rows out"
	}
	return "Match it to a known one, or leave its rows out"
}

func plain(f field.Field) string {
	if f == field.SKU {
		return "SKU"
	}
	return strings.ReplaceAll(string(f), "_", " ")
}

func originals(o []known.Original) (out []string) {
	for _, x := range o {
		out = append(out, x.Text)
	}
	return out
}

// An item that a row names by something else than its SKU is kept under a mark until it is known which item it is.
const mark = "\x01"

func markAlternate(by field.Field, text []byte) []byte {
	b := append([]byte(mark), by...)
	return append(append(b, mark...), text...)
}

func alternate(text string) (by field.Field, name string, ok bool) {
	if text == "" || text[:1] != mark {
		return "", "", false
	}
	for i := 1; i < len(text); i++ {
		if text[i:i+1] == mark {
			return field.Field(text[1:i]), text[i+1:], true
		}
	}
	return "", "", false
}

// OfPack says what is to be done about the barcode of a pack, in words that follow it.
func OfPack(sku, pack string) string {
	return fmt.Sprintf(
		"is the barcode of %s, a %s, so the quantity may be packs or what they hold. Name the item by its SKU, or the unit in a column",
		sku,
		pack,
	)
}

// lead finds the item that something else than the SKU identifies.
func (s *settler) lead(f, by field.Field, name, text string) *verdict {
	value := &Value{Field: by, Text: name}
	if x := s.matches[by][name]; x != nil {
		value.Do, value.To = x.Do, x.To
		return &verdict{to: x.To, drop: x.Do == "skip", value: value}
	}
	find := s.leads
	if by == field.Description && s.given.Codes != "" && s.makes(field.SKU) {
		sku, many := "", false
		if find != nil {
			sku, many = find(by, name)
		}
		if sku == "" && !many {
			value.Do, value.To = "new", s.codeFor(name)
			return &verdict{to: value.To, value: value}
		}
	}
	if find == nil {
		if d, ok := known.Suspect(name); ok && s.known != nil {
			value.Refused = true
			return &verdict{
				kind: string(d),
				text: fmt.Sprintf(
					"%q looks like a code that was %s. Put the code back, or say that it is right",
					problem.Short([]byte(name)),
					d,
				),
				value: value,
			}
		}
		return &verdict{to: name} // the text itself is all that is known of the item
	}
	sku, many := find(by, name)
	switch {
	case many:
		value.Refused = true
		return &verdict{
			kind:  "several items",
			text:  fmt.Sprintf("%q is the %s of several items. Name the item by its SKU", problem.Short([]byte(name)), plain(by)),
			value: value,
		}
	case sku != "":
		if by == field.Barcode && s.known != nil && s.known.Pack != nil && !s.m.Has(field.Unit) && s.m.Kind != field.Items {
			if pack, is := s.known.Pack(name); is { // what stands beside it may be packs, or what they hold
				value.Refused = true
				return &verdict{
					kind:  "barcode of a pack",
					text:  fmt.Sprintf("%q %s", problem.Short([]byte(name)), OfPack(sku, pack)),
					value: value,
				}
			}
		}
		return &verdict{to: sku}
	}
	value.Refused, value.Originals = true, s.known.Set(by).Originals(name)
	if o := value.Originals; len(o) > 0 {
		damage := o[0].Damage
		if to := s.repaired(by, o); to != "" {
			if sku, many := find(by, to); sku != "" && !many {
				value.Do, value.To, value.Refused = "repair", to, false
				return &verdict{to: sku, value: value}
			}
		}
		return &verdict{
			kind: string(damage),
			text: fmt.Sprintf(
				"%q is no %s that is known; it may be %s: %s",
				problem.Short([]byte(name)),
				plain(by),
				problem.List(originals(o), 4),
				damage,
			),
			value: value,
		}
	}
	return &verdict{
		kind: "unknown " + plain(by),
		text: fmt.Sprintf(
			"%q is not known, so it is not known which item it is. Match it to an item, take the items in first, or leave its rows out",
			problem.Short([]byte(name)),
		),
		value: value,
	}
}

// list gives the values that were judged, those to be settled first, then by rows.
func (s *settler) list() []Value {
	out := make([]Value, 0, len(s.values))
	for _, v := range s.values {
		if v.Rows > 0 {
			out = append(out, *v)
		}
	}
	slices.SortStableFunc(out, func(a, b Value) int {
		if a.Refused != b.Refused {
			if a.Refused {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.Field, b.Field), b.Rows-a.Rows)
	})
	return out
}

// text judges a text that is no part of a key (a zone, a unit, a category) and gives what it becomes. ok is false
// where its row is left out or refused.
func (s *settler) text(c *cells, f field.Field, text string) (out string, ok bool) {
	if text == "" || s.idle(f) {
		return text, true
	}
	v := s.judge(f, text)
	if v == nil {
		return text, true
	}
	if v.value != nil {
		if v.value.Rows++; v.value.Row == 0 {
			v.value.Row = c.row
		}
	}
	switch {
	case v.drop:
		s.left++
		return "", false
	case v.kind != "":
		c.wrong(f, v.kind, []byte(text), "%s", v.text)
		return "", false
	case v.to != "":
		return v.to, true
	}
	return text, true
}
