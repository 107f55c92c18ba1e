package counting

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// back reads a returned file and takes it back against a frozen sheet.
func back(t require.TestingT, data []byte, frozen *Frozen, given ...*layout.Layout) (*Back, *problem.Problems) {
	want := recognise.Want{Kinds: field.Kinds}
	if len(given) > 0 {
		want.Given = given[0]
	}
	f, err := tabular.Open("back", bytes.NewReader(data), int64(len(data)), tabular.Options{})
	require.NoError(t, err)
	m, err := recognise.File(f, want)
	require.NoError(t, err)
	require.Equal(t, field.Counts, m.Kind)
	p := &problem.Problems{}
	r := read.Reading{Zone: time.UTC}
	c, err := r.Counts(f, m, p)
	require.NoError(t, err)
	return TakeBack("back", m.SheetName, m, c, frozen, ReadHead("back", m, r, p), p), p
}

// frozen is sheet 4 of count 3, and what is not on it the count does not have.
func frozen(lines []Line) *Frozen {
	f := &Frozen{Count: 3, Book: &stock.Book{}, RowAt: func(sheet, row int) int {
		if sheet != 4 || row > len(lines) {
			return -1
		}
		return row - 1
	}}
	f.Elsewhere = func(k [stock.Parts]string) (int64, [stock.Parts]string, field.Field, error) { return -1, k, "", nil }
	for _, l := range lines {
		var k stock.Key
		for p, t := range l.Key {
			k[p] = f.Book.Codes[p].Intern([]byte(t))
		}
		f.Book.Lines, f.Positions = append(f.Book.Lines, stock.Line{Key: k, Row: 1}), append(f.Positions, int64(l.Pos))
	}
	return f
}

// A sheet written as text or workbook, filled in, its rows shuffled and its columns moved, read back in any dialect,
// loses nothing and takes nothing for something else.
func TestSheetThereAndBack(t *testing.T) {
	text := rapid.StringMatching(`[A-Za-z0-9=+@",; -]{1,8}`)
	rapid.Check(t, func(t *rapid.T) {
		s := Sheet{Code: SheetCode(3, 4), Count: text.Draw(t, "count"), Blind: rapid.Bool().Draw(t, "blind")}
		want := map[string]quantity.Quantity{}
		for i := range rapid.IntRange(1, 12).Draw(t, "rows") {
			s.Lines = append(
				s.Lines,
				Line{
					Pos:         i + 1,
					RowCode:     RowCode(3, 4, i+1),
					Recorded:    quantity.Quantity(rapid.Int64Range(0, 1e9).Draw(t, "recorded")),
					Description: text.Draw(t, "description"),
					Key: [stock.Parts]string{
						"W",
						fmt.Sprintf("A-%d", i/3),
						"S" + strings.TrimSpace(text.Draw(t, "sku")),
						strings.TrimSpace(rapid.SampledFrom([]string{"", "L1", "-7"}).Draw(t, "lot")),
						"",
						"",
					},
				},
			)
		}
		var b bytes.Buffer
		if rapid.Bool().Draw(t, "workbook") {
			require.NoError(t, s.WriteWorkbook(&b))
		} else {
			require.NoError(t, s.WriteText(&b))
		}
		f, err := tabular.Open("sheet", bytes.NewReader(b.Bytes()), int64(b.Len()), tabular.Options{})
		require.NoError(t, err)
		rows, err := f.Rows(0)
		require.NoError(t, err)
		var head, body [][]string
		for {
			n, cells, ok := rows.Next()
			if !ok {
				break
			}
			row := make([]string, 20)
			for i, c := range cells {
				row[i] = string(c)
			}
			if n <= 8 {
				head = append(head, row)
			} else {
				body = append(body, row)
			}
		}
		require.NoError(t, rows.Err())
		require.Len(t, body, len(s.Lines))
		header := head[len(head)-1]
		counted := slices.Index(header, "Counted")
		for _, row := range body {
			if rapid.Bool().Draw(t, "counted") {
				q := quantity.Quantity(rapid.Int64Range(0, 1e9).Draw(t, "q"))
				row[counted], want[row[slices.Index(header, "Row code")]] = q.String(), q
			}
		}
		for _, r := range head {
			if r[0] == "Counted to" {
				r[1] = "2026-11-20 10:00"
			}
		}
		rand.Shuffle(len(body), func(i, j int) { body[i], body[j] = body[j], body[i] })
		order := rand.Perm(len(header))
		moved := func(r []string) []string {
			out := make([]string, len(r))
			for to, from := range order {
				out[to] = r[from]
			}
			return out
		}
		var out []byte
		delimiter := rapid.SampledFrom([]byte{',', ';', '\t'}).Draw(t, "delimiter")
		for _, r := range head[:len(head)-1] {
			out = tabular.AppendRow(out, delimiter, r...)
		}
		for _, r := range append([][]string{header}, body...) {
			out = tabular.AppendRow(out, delimiter, moved(r)...)
		}
		got, p := back(t, out, frozen(s.Lines))
		assert.Empty(t, p.List)
		assert.Len(t, got.Counts, len(want))
		assert.Equal(t, len(s.Lines)-len(want), got.Empty)
		for _, c := range got.Counts {
			assert.Equal(t, want[s.Lines[c.Pos-1].RowCode], c.Quantity)
			assert.False(t, c.ByHand)
			assert.Equal(t, time.Date(2026, 11, 20, 10, 0, 0, 0, time.UTC).UnixNano(), c.At)
		}
	})
}

func TestTakeBackProblems(t *testing.T) {
	lines := []Line{
		{Pos: 1, RowCode: RowCode(3, 4, 1), Key: [stock.Parts]string{"W", "A-1", "X", "L1"}},
		{Pos: 2, RowCode: RowCode(3, 4, 2), Key: [stock.Parts]string{"W", "A-2", "Y"}},
	}
	one, two := lines[0].RowCode, lines[1].RowCode
	for name, c := range map[string]struct{ row, want string }{
		"SKU changed":            {one + ",A-1,Z,L1,4", "stands under row code " + one},
		"bin changed":            {one + ",A-2,X,L1,4", "stands under row code " + one},
		"lot changed":            {one + ",A-1,X,L2,4", "stands under row code " + one},
		"sheet of another count": {RowCode(5, 1, 1) + ",A-1,X,L1,4", "belongs to another count"},
		"no such row":            {RowCode(3, 4, 77) + ",A-1,X,L1,4", "is on no sheet of this count"},
		"row code twice":         {one + ",A-1,X,L1,4\n" + one + ",A-1,X,L1,5", "comes twice in this file, first in row 2"},
		"no row code of ours":    {SheetCode(3, 4) + ",A-1,X,L1,4", "is not a row code"},
	} {
		_, p := back(t, []byte("Row code,Bin,SKU,Lot,Counted\n"+c.row+"\n"+two+",A-2,Y,,\n"), frozen(lines))
		require.Len(t, p.List, 1, name)
		assert.Equal(t, name, p.List[0].Kind)
		assert.Contains(t, p.List[0].String(), c.want)
	}
	// Codes are found without regard to case; rows by hand of one key are pallets, each with a slot of its own.
	got, p := back(t, []byte("Row code,Bin,SKU,Lot,Counted\n"+strings.ToLower(one)+",a-1,x,L1,4\n,A-2,y,,1\n,A-2,Y,,2\n"), frozen(lines))
	assert.Empty(t, p.List)
	require.Len(t, got.Counts, 3)
	assert.Equal(t, 3, got.Untimed)
	r := Revise(got, nil, true)
	require.Len(t, r.Added, 3)
	assert.NotEqual(t, got.Counts[1].Parcel, got.Counts[2].Parcel)
	assert.Equal(t, []int64{1, 2, 2}, []int64{got.Counts[0].Pos, got.Counts[1].Pos, got.Counts[2].Pos})
}

// The workbook is made for people: codes are text, the header is frozen, a filter is on, nothing is locked, and a
// count that is no number is warned about and not refused.
func TestWorkbookForPeople(t *testing.T) {
	s := Sheet{
		Code:  SheetCode(1, 1),
		Count: "C", Reasons: []string{"DAMAGE: Damaged or spoilt"},
		Lines: []Line{
			{Pos: 1, RowCode: RowCode(1, 1, 1), Recorded: quantity.Scale * 3 / 2, Key: [stock.Parts]string{"W", "3-12", "00712"}},
		},
	}
	var b bytes.Buffer
	require.NoError(t, s.WriteWorkbook(&b))
	f, err := excelize.OpenReader(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	for cell, want := range map[string]string{"C9": "3-12", "D9": "00712", "G9": "1.5"} {
		v, err := f.GetCellValue("Sheet", cell)
		require.NoError(t, err)
		assert.Equal(t, want, v)
	}
	kind, err := f.GetCellType("Sheet", "D9")
	require.NoError(t, err)
	assert.Contains(t, []excelize.CellType{excelize.CellTypeSharedString, excelize.CellTypeInlineString}, kind)
	panes, err := f.GetPanes("Sheet")
	require.NoError(t, err)
	assert.True(t, panes.Freeze)
	assert.Equal(t, 8, panes.YSplit)
	rules, err := f.GetDataValidations("Sheet")
	require.NoError(t, err)
	require.Len(t, rules, 1)
	assert.Equal(t, "warning", *rules[0].ErrorStyle)
	about, err := f.GetCols("How to fill it in")
	require.NoError(t, err)
	assert.Subset(t, about[0], []string{"The bins of this sheet, as they are walked (1):", "3-12", "Reasons that may be written as a remark:",
		"DAMAGE: Damaged or spoilt"})
	raw := b.String()
	assert.NotContains(t, raw, "sheetProtection")
}

// The row code proves the line: what a spreadsheet program did to the codes beside it is told apart from another line that was put
// there, and is put right for all rows on one answer. A file without its SKUs is read by the row codes alone.
func TestRowCodeProvesItsLine(t *testing.T) {
	lines := []Line{
		{Pos: 1, RowCode: RowCode(3, 4, 1), Key: [stock.Parts]string{"W", "1-2", "00411", "0007"}},
		{Pos: 2, RowCode: RowCode(3, 4, 2), Key: [stock.Parts]string{"W", "1-3", "4006381333931", ""}},
		{Pos: 3, RowCode: RowCode(3, 4, 3), Key: [stock.Parts]string{"W", "A-01", "R100", ""}},
	}
	one, two, three := lines[0].RowCode, lines[1].RowCode, lines[2].RowCode
	damaged := "Row code,Bin,SKU,Lot,Counted,Counted at\n" +
		one + ",2026-01-02,411,7,5,2026-11-20 10:00\n" + two + ",1-3,4.00638E+12,,6,2026-11-20 10:00\n" + three + ",A-01,R100,,7,2026-11-20 10:00\n"
	got, p := back(t, []byte(damaged), frozen(lines))
	require.Len(t, got.Counts, 1)
	assert.Equal(t, map[problem.Group]int{{Kind: problem.DamagedByCode, Field: field.SKU}: 2}, p.Groups)
	got, p = back(t, []byte(damaged), frozen(lines), &layout.Layout{RowCodes: "prove"})
	assert.Empty(t, p.List)
	require.Len(t, got.Counts, 3)
	for i, c := range got.Counts {
		assert.Equal(t, int64(i+1), c.Pos)
		assert.Equal(t, quantity.Quantity(5+i)*quantity.Scale, c.Quantity)
		assert.False(t, c.ByHand)
	}
	// Another item under the code is no damage, whatever was settled.
	other := "Row code,Bin,SKU,Lot,Counted\n" + one + ",1-2,00999,,5\n"
	_, p = back(t, []byte(other), frozen(lines), &layout.Layout{RowCodes: "prove"})
	assert.Equal(t, map[problem.Group]int{{Kind: "SKU changed", Field: field.SKU}: 1}, p.Groups)
	// Without its SKUs, or without all of the names.
	for _, text := range []string{
		"Row code,Description,Counted\n" + one + ",Rope,5\n" + two + ",Shackle,6\n" + three + ",Cleat,7\n",
		"Row code,Counted\n" + one + ",5\n" + two + ",6\n" + three + ",7\n",
	} {
		got, p = back(t, []byte(text), frozen(lines))
		assert.Empty(t, p.List)
		require.Len(t, got.Counts, 3)
		assert.Equal(t, []int64{1, 2, 3}, []int64{got.Counts[0].Pos, got.Counts[1].Pos, got.Counts[2].Pos})
	}
}
