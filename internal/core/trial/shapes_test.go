package trial_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
)

// meant is one line of a table whose meaning is known.
type meant struct {
	house, bin, sku string
	quantity, cost  string // plain decimals
}

func (l meant) String() string {
	return fmt.Sprintf("%s | %s | %s = %s, at %s", l.house, l.bin, l.sku, l.quantity, l.cost)
}

// drawMeant draws lines with keys of their own.
func drawMeant(t *rapid.T) (lines []meant) {
	decimal := rapid.Custom(func(t *rapid.T) string {
		s := fmt.Sprint(rapid.IntRange(0, 999).Draw(t, "whole"))
		if rapid.Bool().Draw(t, "places") {
			s += "." + rapid.SampledFrom([]string{"5", "25", "75"}).Draw(t, "part")
		}
		return s
	})
	seen := map[string]bool{}
	for range rapid.IntRange(4, 12).Draw(t, "lines") {
		l := meant{
			house: rapid.SampledFrom([]string{"QUAY", "LOFT", "YARD"}).Draw(t, "house"),
			bin: fmt.Sprintf(
				"%s-%02d-%d",
				rapid.SampledFrom([]string{"A", "B"}).Draw(t, "aisle"),
				rapid.IntRange(1, 12).Draw(t, "bay"),
				rapid.IntRange(1, 4).Draw(t, "level"),
			),
			sku:      fmt.Sprintf("R%03d", rapid.IntRange(100, 999).Draw(t, "sku")),
			quantity: decimal.Draw(t, "quantity"),
			cost:     decimal.Draw(t, "cost"),
		}
		if k := l.house + l.bin + l.sku; !seen[k] {
			seen[k] = true
			lines = append(lines, l)
		}
	}
	if len(lines) < 4 { // too few to tell what is usual
		t.Skip()
	}
	return lines
}

// drawShape writes the lines in a shape that exports have.
func drawShape(t *rapid.T, lines []meant) string {
	word := func(f field.Field) string {
		s := field.SpecOf(field.Stock, f)
		return rapid.SampledFrom(s.Words).Draw(t, "word")
	}
	parted := rapid.SampledFrom([]string{",", ";", "\t", "|"}).Draw(t, "parted")
	comma := rapid.Bool().Draw(t, "comma")
	lost := rapid.IntRange(0, 40).Draw(t, "lost") // the row that loses a cell
	number := func(s string) string {
		if comma {
			s = strings.Replace(s, ".", ",", 1)
		}
		if strings.Contains(s, parted) &&
			(lost > 0 && lost <= len(lines) || rapid.IntRange(0, 3).Draw(t, "quoted") > 0) { // one fault a row
			s = `"` + s + `"`
		}
		return s
	}
	blocks := rapid.IntRange(0, 3).Draw(t, "blocks") == 0
	columns := []struct {
		head string
		cell func(l meant) string
	}{
		{word(field.Bin), func(l meant) string { return l.bin }},
		{word(field.SKU), func(l meant) string { return l.sku }},
		{word(field.Quantity), func(l meant) string { return number(l.quantity) }},
		{word(field.UnitCost), func(l meant) string { return number(l.cost) }},
	}
	if !blocks {
		columns = append(columns, columns[0])
		columns[0].head, columns[0].cell = word(field.Warehouse), func(l meant) string { return l.house }
	}
	for n := range rapid.IntRange(0, 3).Draw(t, "more") {
		head := rapid.SampledFrom([]string{"Supplier", "Weight", "Reorder qty", "Qty damaged", "Sub-location", "Remark", "Lot/Serial", "", "Colour", "Last sold"}).
			Draw(t, "head")
		values := rapid.SampledFrom([][]string{{"7", "12", ""}, {"left", "right"}, {"", ""}, {"3.5", "1"}}).Draw(t, "values")
		columns = append(columns, struct {
			head string
			cell func(l meant) string
		}{head, func(l meant) string { return values[(len(l.sku)+n+int(l.sku[3]))%len(values)] }})
	}
	order := rapid.Permutation(columns).Draw(t, "order")
	var b strings.Builder
	row := func(cells []string) {
		if lost--; lost == 0 && len(lines) > 4 { // a cell is lost on the way
			at := rapid.IntRange(0, len(cells)-1).Draw(t, "which")
			cells = slices.Delete(slices.Clone(cells), at, at+1)
		}
		b.WriteString(strings.Join(cells, parted) + "\n")
	}
	if rapid.IntRange(0, 3).Draw(t, "title") == 0 {
		b.WriteString("Stock list\n\n")
	}
	heads := rapid.SampledFrom([]string{"one row", "one row", "words parted", "groups above", "units below"}).Draw(t, "heads")
	head := func() {
		top, cells, units := make([]string, len(order)), make([]string, len(order)), make([]string, len(order))
		for i := range order {
			cells[i] = order[i].head
			first, rest, two := strings.Cut(cells[i], " ")
			switch h := order[i].head; {
			case heads == "words parted" && two:
				top[i], cells[i] = first, rest
			case heads == "groups above":
				top[i] = map[string]string{word(field.SKU): "Item"}[h]
				if i == 0 {
					top[i] = "Data"
				}
			case heads == "units below" && slices.Contains(field.SpecOf(field.Stock, field.Quantity).Words, h):
				units[i] = "pcs"
			case heads == "units below" && slices.Contains(field.SpecOf(field.Stock, field.UnitCost).Words, h):
				units[i] = "EUR"
			}
		}
		if heads == "words parted" || heads == "groups above" {
			b.WriteString(strings.Join(top, parted) + "\n")
		}
		b.WriteString(strings.Join(cells, parted) + "\n")
		if heads == "units below" {
			b.WriteString(strings.Join(units, parted) + "\n")
		}
	}
	if blocks {
		slices.SortStableFunc(lines, func(a, b meant) int { return strings.Compare(a.house, b.house) })
	}
	head()
	house := ""
	for _, l := range lines {
		if blocks && l.house != house {
			house = l.house
			b.WriteString("Warehouse: " + house + "\n")
		}
		cells := make([]string, len(order))
		for i := range order {
			cells[i] = order[i].cell(l)
		}
		row(cells)
	}
	if rapid.IntRange(0, 3).Draw(t, "total") == 0 {
		cells := make([]string, len(order))
		cells[rapid.IntRange(0, len(order)-1).Draw(t, "where")] = "Total of all"
		b.WriteString(strings.Join(cells, parted) + "\n")
	}
	return b.String()
}

// What is taken in of a table in any shape is what was meant, or something is asked or refused: never another figure.
func TestShapes(t *testing.T) {
	right, all := 0, 0
	rapid.Check(t, func(rt *rapid.T) {
		lines := drawMeant(rt)
		x := trial{kind: field.Stock, expect: "either", text: drawShape(rt, slices.Clone(lines))}
		for _, l := range lines {
			x.lines = append(x.lines, l.String())
		}
		slices.Sort(x.lines)
		what, told := x.outcome(t)
		if all++; what == "right" {
			right++
		}
		require.NotEqual(rt, "silent", what, "%s\n%s\nwanted\n%s", x.text, told, strings.Join(x.lines, "\n"))
	})
	t.Logf("%d of %d read without a question", right, all)
	require.Greater(t, right, all/20, "the property must not hold because everything is asked about")
}

// A table with items down and warehouses across, in any shape of its head, is asked about and then read as it was meant.
func TestShapesAcross(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		houses := rapid.SampledFrom([][]string{{"QUAY", "LOFT"}, {"Harbour", "Old town", "YARD"}, {"W1", "W2", "W3"}}).Draw(rt, "houses")
		measures := rapid.SampledFrom([][]string{{""}, {"On hand"}, {"On hand", "Reserved"}}).Draw(rt, "measures")
		two := measures[0] != "" && rapid.Bool().Draw(rt, "two rows")
		total := rapid.Bool().Draw(rt, "total")
		top, head := []string{"", ""}, []string{"SKU", "Description"}
		for _, h := range houses {
			for n, what := range measures {
				switch {
				case two && n == 0:
					top, head = append(top, h), append(head, what)
				case two:
					top, head = append(top, ""), append(head, what)
				default:
					head = append(head, strings.TrimSpace(h+" "+what))
				}
			}
		}
		if total {
			top, head = append(top, "Total"), append(head, map[bool]string{true: "", false: "Total"}[two])
		}
		x := trial{kind: field.Stock, expect: "ask"}
		var b strings.Builder
		if two {
			b.WriteString(strings.Join(top, ";") + "\n")
		}
		b.WriteString(strings.Join(head, ";") + "\n")
		for i := range rapid.IntRange(3, 8).Draw(rt, "items") {
			sku := fmt.Sprintf("R%d", 100+i)
			cells, sum := []string{sku, "Rope of its kind"}, 0
			for _, h := range houses {
				line := h + " | " + sku
				for n := range measures {
					q := rapid.IntRange(0, 99).Draw(rt, "q")
					cells = append(cells, fmt.Sprint(q))
					if n == 0 {
						sum += q
						line += fmt.Sprintf(" = %d", q)
					} else {
						line += fmt.Sprintf(", reserved %d", q)
					}
				}
				x.lines = append(x.lines, line)
			}
			if total {
				cells = append(cells, fmt.Sprint(sum))
			}
			b.WriteString(strings.Join(cells, ";") + "\n")
		}
		x.text = b.String()
		slices.Sort(x.lines)
		what, told := x.outcome(t)
		require.Equal(rt, "asked", what, "%s\n%s", x.text, told)
		x.steps = []string{"answer places across 1"}
		if !strings.Contains(told, "places across") {
			rt.Fatalf("%s\n%s", x.text, told)
		}
		lines, said := x.settled(t)
		require.Empty(rt, said, x.text)
		require.Equal(rt, x.lines, lines, x.text)
	})
}
