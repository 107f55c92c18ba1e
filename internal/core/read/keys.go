package read

import (
	"fmt"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/problem"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// refusedKey is the key of a row that is refused already, for something else.
type refusedKey struct {
	key stock.Key
	row int
}

// refused judges the keys of rows that are refused already, so that all that is wrong with them is told at once.
func (s *settler) refused(file string, codes *stock.Codes, rows []refusedKey, p *problem.Problems) {
	if len(rows) == 0 {
		return
	}
	left := s.left
	settleKeys(s, file, codes, rows, func(r *refusedKey) (*stock.Key, int) { return &r.key, r.row }, p)
	s.left = left
}

// settleKeys judges the warehouses, bins and items of rows. It gives the rows to keep, in their order: false for one
// that is left out or refused. The names of the rest are put right.
func settleKeys[R any](
	s *settler,
	file string,
	codes *stock.Codes,
	rows []R,
	at func(*R) (*stock.Key, int),
	p *problem.Problems,
) (keep []bool, to func(stock.Key) stock.Key) {
	type judged struct {
		to      stock.ID
		verdict *verdict
	}
	parts := map[stock.Part]field.Field{stock.Warehouse: field.Warehouse, stock.Bin: field.Bin, stock.SKU: field.SKU}
	byHouse := s.known != nil && s.known.Bins != nil // bins are judged with their warehouse, row by row
	bins := map[[2]stock.ID]judged{}
	var found [stock.Parts][]judged
	any := false
	for _, part := range []stock.Part{stock.Warehouse, stock.Bin, stock.SKU} {
		f, n := parts[part], codes[part].Len()
		if part == stock.Bin && byHouse {
			any = true
			continue
		}
		marked := part == stock.SKU &&
			(s.m.Identity != field.SKU || s.m.Has(field.Barcode) || s.m.Has(field.FurtherSKU) || s.m.Has(field.ItemID))
		if s.idle(f) && !marked {
			continue
		}
		suspects := 0
		for id := 1; id < n; id++ {
			if _, ok := known.Suspect(codes[part].Text(stock.ID(id))); ok {
				suspects++
			}
		}
		s.mass[f] = suspects*2 > n-1 && n > 4
		for id := 1; id < n; id++ {
			v := s.judge(f, codes[part].Text(stock.ID(id)))
			if v == nil && part == stock.SKU {
				v = s.spelled(&codes[part], codes[part].Text(stock.ID(id)))
			}
			if v == nil {
				continue
			}
			if found[part] == nil {
				found[part] = make([]judged, n)
				any = true
			}
			j := judged{verdict: v, to: stock.ID(id)}
			if v.to != "" {
				j.to = codes[part].Intern([]byte(v.to))
			}
			found[part][id] = j
		}
	}
	if !any {
		return nil, nil
	}
	to = func(k stock.Key) stock.Key {
		pair := [2]stock.ID{k[stock.Warehouse], k[stock.Bin]}
		for part := range found {
			if id := k[part]; int(id) < len(found[part]) && found[part][id].verdict != nil {
				k[part] = found[part][id].to
			}
		}
		if pair[0] = k[stock.Warehouse]; bins[pair].verdict != nil { // bins are judged once their warehouse is settled
			k[stock.Bin] = bins[pair].to
		}
		return k
	}
	keep = make([]bool, len(rows))
	var last [2]stock.ID // neighbouring rows mostly lie in one bin
	var lastBin judged
	for i := range rows {
		k, row := at(&rows[i])
		drop, wrong := false, false
		for part := range found {
			var j *judged
			switch {
			case stock.Part(part) == stock.Bin && byHouse:
				if k[stock.Bin] == 0 {
					continue
				}
				pair := [2]stock.ID{k[stock.Warehouse], k[stock.Bin]}
				x, seen := lastBin, pair == last
				if !seen {
					x, seen = bins[pair]
				}
				if !seen {
					x = judged{to: pair[1], verdict: s.judgeBin(codes[stock.Warehouse].Text(pair[0]), codes[stock.Bin].Text(pair[1]))}
					if x.verdict != nil && x.verdict.to != "" {
						x.to = codes[stock.Bin].Intern([]byte(x.verdict.to))
					}
					bins[pair] = x
				}
				last, lastBin = pair, x
				j = &x
			case found[part] == nil || int(k[part]) >= len(found[part]):
				continue
			default:
				j = &found[part][k[part]]
			}
			v := j.verdict
			if v == nil {
				continue
			}
			if v.value != nil {
				if v.value.Rows++; v.value.Row == 0 {
					v.value.Row = row
				}
			}
			switch {
			case v.drop:
				drop = true
			case v.kind != "":
				field := parts[stock.Part(part)]
				if v.value != nil {
					field = v.value.Field
				}
				text := ""
				if v.value != nil {
					text = v.value.Text
				}
				p.Add(s.m.Problem(file, row, field, v.kind, text, v.text))
				wrong = true
			default:
				k[part] = j.to
			}
		}
		if drop && !wrong {
			s.left++
		}
		keep[i] = !drop && !wrong
	}
	return keep, to
}

// spelled sees a new SKU that stands in other letters, small or large, elsewhere in the file: two spellings would make two items.
func (s *settler) spelled(codes *stock.Names, text string) *verdict {
	fold := code.Fold(text)
	if fold == text || s.known == nil {
		return nil
	}
	if _, is := s.known.Set(field.SKU).Find(text); is {
		return nil
	}
	other := s.folds[fold]
	if _, had := codes.Exact(fold); had {
		other = fold
	}
	if other == "" || other == text {
		if s.folds == nil {
			s.folds = map[string]string{}
		}
		s.folds[fold] = text
		return nil
	}
	value := &Value{Field: field.SKU, Text: text, Near: []string{other}, Refused: true}
	s.values = append(s.values, value)
	return &verdict{
		kind:  AnotherSpelling,
		text:  fmt.Sprintf("%q is written %s elsewhere in the file. Say whether it is the same", problem.Short([]byte(text)), other),
		value: value,
	}
}

// MostWarehouses is how many warehouses a file may name. A column of something else is taken for them, where they are more.
const MostWarehouses = 10_000

// fewHouses refuses a file that names more warehouses than there are.
func fewHouses(r *pass, codes *stock.Codes) error {
	if n := codes[stock.Warehouse].Len(); n > MostWarehouses {
		return &tabular.Error{File: r.file.Name, Sheet: r.m.SheetName,
			Text: fmt.Sprintf("names %d warehouses; %d are the most that a file may have. Say which column the warehouses are in", n, MostWarehouses)}
	}
	return nil
}
