package demo

import (
	"slices"
	"strconv"
	"strings"
)

// written is a filled sheet as text, with its rows that can be changed without quotes being in the way.
type written struct {
	rows []string
	body []int // of rows: those with a whole number counted
	at   map[string]int
}

func writtenOf(text []byte) *written {
	w := &written{rows: strings.Split(strings.TrimRight(string(text), "\n"), "\n"), at: map[string]int{}}
	for i, r := range w.rows {
		cells := strings.Split(r, ",")
		if len(w.at) > 0 && !strings.Contains(r, `"`) && len(cells) == len(w.at) && w.count(i) > 1 {
			w.body = append(w.body, i)
		}
		if cells[0] == "Row code" {
			for n, h := range cells {
				w.at[h] = n
			}
		}
	}
	return w
}

func (w *written) cell(row int, name string) string {
	return strings.Split(w.rows[row], ",")[w.at[name]]
}

func (w *written) put(row int, name, text string) {
	cells := strings.Split(w.rows[row], ",")
	cells[w.at[name]] = text
	w.rows[row] = strings.Join(cells, ",")
}

func (w *written) count(row int) int {
	n, err := strconv.Atoi(w.cell(row, "Counted"))
	if err != nil {
		return 0
	}
	return n
}

func (w *written) add(row, by int) { w.put(row, "Counted", strconv.Itoa(w.count(row)+by)) }

func (w *written) text() []byte { return []byte(strings.Join(w.rows, "\n") + "\n") }

// faulty makes the mistakes of counting on a few sheets of the quay, one kind on each: goods that lie in another bin, items taken for
// one another, rows that slipped, and what was entered twice.
func faulty(text []byte, sheet int) []byte {
	w := writtenOf(text)
	pair := func(fits func(a, b int) bool) (a, b int, found bool) {
		for i, a := range w.body {
			for _, b := range w.body[i+1:] {
				if w.count(a) >= 8 && w.count(b) >= 8 && fits(a, b) {
					return a, b, true
				}
			}
		}
		return 0, 0, false
	}
	same := func(a, b int, name string) bool { return w.cell(a, name) == w.cell(b, name) }
	swap := func(fits func(a, b int) bool, by int) {
		if a, b, found := pair(fits); found {
			w.add(a, -by)
			w.add(b, by)
		}
	}
	switch sheet {
	case 7: // five rows have the counts of those above
		for i := 10; i+5 < len(w.body); i++ {
			some := w.body[i : i+6]
			var counts []int
			for _, r := range some {
				counts = append(counts, w.count(r))
			}
			if some[5]-some[0] == 5 && len(slices.Compact(slices.Sorted(slices.Values(counts)))) == 6 {
				for k := 5; k > 0; k-- {
					w.put(some[k], "Counted", strconv.Itoa(counts[k-1]))
				}
				break
			}
		}
	case 6, 13: // part of it lies in another bin
		row := w.body[30]
		some := w.count(row) / 2
		w.add(row, -some)
		found := strings.Split(w.rows[row], ",")
		found[w.at["Row code"]], found[w.at["Bin"]], found[w.at["Counted"]] = "", w.cell(w.body[36], "Bin"), strconv.Itoa(some)
		w.rows = append(w.rows, strings.Join(found, ","))
	case 8: // an item taken for another one
		swap(func(a, b int) bool {
			return same(a, b, "Bin") && !same(a, b, "SKU") && w.cell(a, "SKU")[:3] == w.cell(b, "SKU")[:3]
		}, 6)
	case 10: // some put back into another bin of the same item
		swap(func(a, b int) bool { return !same(a, b, "Bin") && same(a, b, "SKU") && same(a, b, "Lot") }, 7)
	case 15: // a nought too many
		w.put(w.body[12], "Counted", w.cell(w.body[12], "Counted")+"0")
	}
	return w.text()
}
