package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
)

// FileRow is a row of a dropped file as it is, with the cells that were mended in it.
type FileRow struct {
	Row    int           `json:"row"`
	Cells  []string      `json:"cells"`
	Bad    bool          `json:"bad"`
	Mended []string      `json:"mended" doc:"letters of the columns that were put right by hand"`
	Taken  []read.Taken  `json:"taken" doc:"cells that were taken for something else than they say"`
	Wrong  []ProblemView `json:"wrong"`
}

// FileRows is a stretch of a dropped file.
type FileRows struct {
	Rows  []FileRow `json:"rows"`
	Total int       `json:"total" doc:"how many rows there are to look at"`
}

// firstRows is how many rows are read from the top without an index of the file.
const firstRows = 400

// Rows gives rows of a sheet as they are, from a place on; with a group, only the rows of that group of problems.
func (d *Room) Rows(ctx context.Context, p desk.Person, id string, sheet, from, most int, kind, of string) (out FileRows, err error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return out, err
	}
	defer let()
	out.Rows = []FileRow{}
	if dr.table == nil || sheet < 0 || sheet >= len(dr.parts) {
		return out, nil
	}
	most = min(max(most, 1), 500)
	pt := dr.parts[sheet]
	var rows []tabular.Row
	if kind != "" {
		g := problem.Group{Kind: kind, Field: field.Field(of)}
		numbers := pt.problems.RowsOf(g, from, most)
		out.Total = pt.problems.CountRows(g)
		x, err := d.index(dr, sheet)
		if err != nil {
			return out, err
		}
		rows, err = x.Numbers(numbers)
		if err != nil {
			return out, err
		}
	} else if dr.views[sheet] == nil && from+most <= firstRows {
		var whole bool
		if rows, whole, err = topOf(dr.table, sheet, from, most); err != nil {
			return out, err
		}
		if out.Total = from + len(rows); !whole {
			out.Total = max(pt.view.Shown, out.Total)
		}
	} else {
		x, err := d.index(dr, sheet)
		if err != nil {
			return out, err
		}
		out.Total = x.Len()
		if rows, err = x.Rows(from, most); err != nil {
			return out, err
		}
	}
	mends := dr.choices.mends(sheet)
	wrong := pt.problems.At(rows)
	if pt.taken == nil && pt.mapping != nil {
		pt.taken = read.NewTakenFor(pt.mapping, pt.values())
	}
	for _, r := range rows {
		row := FileRow{Row: r.Number, Cells: r.Cells, Mended: []string{}, Wrong: []ProblemView{}}
		_, row.Bad = pt.problems.Refused(r.Number)
		for at, m := range mends[r.Number] {
			for at >= len(row.Cells) {
				row.Cells = append(row.Cells, "")
			}
			if row.Cells[at] == m.Was {
				row.Cells[at] = m.Is
				row.Mended = append(row.Mended, tabular.ColumnName(at))
			}
		}
		row.Taken = []read.Taken{}
		if pt.taken != nil && r.Number > pt.mapping.HeaderRow {
			row.Taken = append(row.Taken, pt.taken.Row(row.Cells)...)
		}
		for _, x := range wrong[r.Number] {
			row.Wrong = append(row.Wrong, ProblemView{x.Row, x.Column, string(x.Field), x.Value, x.String(), x.Text})
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// topOf reads the first rows of a sheet; whole tells that there are no more.
func topOf(f *tabular.File, sheet, from, most int) (out []tabular.Row, whole bool, err error) {
	rows, err := f.Rows(sheet)
	if err != nil {
		return nil, true, nil // what cannot be read is told among the problems
	}
	defer rows.Close()
	for at := 0; at < from+most; at++ {
		n, cells, ok := rows.Next()
		if !ok {
			return out, true, nil
		}
		if at < from {
			continue
		}
		r := tabular.Row{Number: n, Cells: make([]string, len(cells))}
		for i, c := range cells {
			r.Cells[i] = string(c)
		}
		out = append(out, r)
	}
	return out, false, nil
}

// index finds rows of a large file by their place; it is made when it is first wanted.
func (d *Room) index(dr *draft, sheet int) (*tabular.Index, error) {
	if x := dr.views[sheet]; x != nil {
		return x, nil
	}
	x, err := dr.table.Index(sheet, func() (tabular.ReadWriterAt, error) {
		f, err := d.Store.Incoming()
		if err == nil {
			dr.spools = append(dr.spools, f)
		}
		return f, err
	})
	var wrong *tabular.Error // told when the file was looked at; what could be read is shown
	if err != nil && !errors.As(err, &wrong) {
		return nil, err
	}
	if dr.views == nil {
		dr.views = map[int]*tabular.Index{}
	}
	dr.views[sheet] = x
	return x, nil
}

// mendAlike puts all cells of a group of problems right that say the same.
func (dr *draft) mendAlike(sheet int, a *MendAlike) error {
	if sheet < 0 || sheet >= len(dr.parts) {
		return desk.Missing("The sheet")
	}
	n := 0
	for _, p := range dr.parts[sheet].problems.List {
		if p.Kind == a.Kind && string(p.Field) == a.Field && p.Value == a.Was && p.Column != "" && p.Row > 0 {
			dr.choices.mend(CellMend{Sheet: sheet, Row: p.Row, Column: p.Column, Was: a.Was, Is: a.Is})
			n++
		}
	}
	if n == 0 {
		return desk.Refuse("No cell of this group says %q.", a.Was)
	}
	return nil
}

// rowHeader is the header of the column that says which row of the file a refused one was.
const rowHeader = "Row in the file"

// RefusedRows gives the refused rows of a sheet as a file of the same form, with a column that says why and one that
// says which row each was, to be mended and dropped again.
func (d *Room) RefusedRows(ctx context.Context, p desk.Person, id string, sheet int) (name string, file []byte, err error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return "", nil, err
	}
	defer let()
	if dr.table == nil || sheet < 0 || sheet >= len(dr.parts) || dr.parts[sheet].mapping == nil {
		return "", nil, desk.Missing("The sheet")
	}
	m := dr.parts[sheet].mapping
	var table [][]string
	if m.HeaderRow == 0 {
		top := make([]string, len(m.Columns))
		for i := range top {
			top[i] = tabular.ColumnName(i)
		}
		table = append(table, append(top, rowHeader, recognise.WhyRefused))
	}
	err = d.eachRefused(dr, sheet, true, func(n int, row []string, why string) {
		row = row[:len(m.Columns)]
		if n == m.HeaderRow {
			for i := range row { // as the rows of the header are read together
				if m.HeaderRows > 1 {
					row[i] = m.Columns[i].Header
				}
			}
			table = append(table, append(row, rowHeader, recognise.WhyRefused))
			return
		}
		table = append(table, append(row, strconv.Itoa(n), why))
	})
	if err != nil {
		return "", nil, err
	}
	base := strings.TrimSuffix(dr.name, filepath.Ext(dr.name)) + " - refused rows"
	if dr.table.Kind != tabular.Text {
		b, err := workbookOf(table)
		return base + ".xlsx", b, err
	}
	out := []byte("\ufeff")
	for _, r := range table {
		for i := range r { // it is opened in a spreadsheet program to be mended
			r[i] = tabular.Safe(r[i])
		}
		out = tabular.AppendRow(out, dr.table.Dialect.Delimiter, r...)
	}
	return base + ".csv", out, nil
}

// eachRefused gives the refused rows of a sheet with the cells that were put right by hand, at least as many as it has
// columns, and why each was refused; on request its header row as well.
func (d *Room) eachRefused(dr *draft, sheet int, header bool, take func(row int, cells []string, why string)) error {
	pt := dr.parts[sheet]
	m := pt.mapping
	reasons := map[int]string{}
	for _, x := range pt.problems.List {
		if x.Row > 0 {
			text := x.Text
			if x.Field != "" {
				text = string(x.Field) + ": " + text
			}
			if reasons[x.Row] != "" {
				text = reasons[x.Row] + "; " + text
			}
			reasons[x.Row] = text
		}
	}
	want := func(n int) bool {
		_, refused := pt.problems.Refused(n)
		return refused || header && n == m.HeaderRow
	}
	return dr.eachRow(sheet, len(m.Columns), want, func(n int, row []string) {
		why := reasons[n]
		if why == "" {
			g, _ := pt.problems.Refused(n)
			why = strings.TrimPrefix(string(g.Field)+": "+g.Kind, ": ")
		}
		take(n, row, why)
	})
}

// eachRow gives rows of a sheet that are wanted, as they were mended, with at least so many cells.
func (dr *draft) eachRow(sheet, columns int, want func(row int) bool, take func(row int, cells []string)) error {
	rows, err := dr.table.Rows(sheet)
	if err != nil {
		return err
	}
	defer rows.Close()
	mends := dr.choices.mends(sheet)
	for {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		if !want(n) {
			continue
		}
		row := make([]string, max(columns, len(cells)))
		for i, c := range cells {
			row[i] = string(c)
		}
		for at, x := range mends[n] {
			if at < len(row) && row[at] == x.Was {
				row[at] = x.Is
			}
		}
		take(n, row)
	}
	if err := rows.Err(); err != nil {
		return desk.Refuse("%s.", err)
	}
	return nil
}

// workbookOf writes a table as a workbook with all cells as text, streaming.
func workbookOf(table [][]string) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return nil, err
	}
	for i, row := range table {
		cells := make([]any, len(row))
		for c, t := range row {
			cells[c] = t
		}
		if err := w.SetRow(fmt.Sprintf("A%d", i+1), cells); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = f.Write(&b)
	return b.Bytes(), err
}

// mendsFrom reads a file of refused rows that was mended: each cell that differs from the dropped file's puts that one
// right. ok is false where the file is no such file, or not of this one.
func (d *Room) mendsFrom(dr, now *draft) (mends []CellMend, ok bool, err error) {
	f, err := tabular.Open(now.name, now.file, now.size, tabular.Options{})
	if err != nil || dr.table == nil {
		return nil, false, nil // the reading of the file itself tells what is wrong
	}
	rows, err := f.Rows(0)
	if err != nil {
		return nil, false, nil
	}
	defer rows.Close()
	_, head, more := rows.Next()
	if !more {
		return nil, false, nil
	}
	header := make([]string, len(head))
	for i, c := range head {
		header[i] = code.Trim(string(c))
	}
	rowAt := slices.Index(header, rowHeader)
	if rowAt < 0 || !slices.Contains(header, recognise.WhyRefused) {
		return nil, false, nil
	}
	sheet, to := -1, make([]int, len(header))
	for _, pt := range dr.parts {
		if pt.mapping == nil || sheet >= 0 {
			continue
		}
		all := true
		for i, h := range header {
			to[i] = -1
			if h == rowHeader || h == recognise.WhyRefused {
				continue
			}
			for _, c := range pt.mapping.Columns {
				if (code.Trim(c.Header) == h || pt.mapping.NoHeader && tabular.ColumnName(c.Index) == h) &&
					!slices.Contains(to[:i], c.Index) {
					to[i] = c.Index
					break
				}
			}
			all = all && to[i] >= 0
		}
		if all {
			sheet = pt.sheet
		}
	}
	if sheet < 0 {
		return nil, false, nil
	}
	x, err := d.index(dr, sheet)
	if err != nil {
		return nil, false, err
	}
	wanted := map[int][]string{}
	var numbers []int
	for {
		_, cells, more := rows.Next()
		if !more {
			break
		}
		if rowAt >= len(cells) {
			continue
		}
		n, err := strconv.Atoi(code.Trim(string(cells[rowAt])))
		if err != nil || n < 1 {
			continue
		}
		row := make([]string, len(header))
		for i := range row {
			if i < len(cells) {
				row[i] = string(tabular.Unsafe(cells[i]))
			}
		}
		wanted[n] = row
		numbers = append(numbers, n)
	}
	if err := rows.Err(); err != nil {
		return nil, false, desk.Refuse("%s.", err)
	}
	slices.Sort(numbers)
	originals, err := x.Numbers(slices.Compact(numbers))
	if err != nil {
		return nil, false, err
	}
	for _, o := range originals {
		for i, is := range wanted[o.Number] {
			if to[i] < 0 {
				continue
			}
			was := ""
			if to[i] < len(o.Cells) {
				was = o.Cells[to[i]]
			}
			if is != was {
				mends = append(mends, CellMend{Sheet: sheet, Row: o.Number, Column: tabular.ColumnName(to[i]), Was: was, Is: is})
			}
		}
	}
	return mends, true, nil
}

// FormulaTried is what a formula comes to in the first rows, or what is wrong with it.
type FormulaTried struct {
	Wrong string            `json:"wrong"`
	At    int               `json:"at" doc:"the place of what is wrong, in characters from 0"`
	Rows  []recognise.Tried `json:"rows"`
}

// TryFormula works a formula out for the first rows of a sheet, while it is typed.
func (d *Room) TryFormula(ctx context.Context, p desk.Person, id string, sheet int, formula string) (out FormulaTried, err error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return out, err
	}
	defer let()
	out.Rows = []recognise.Tried{}
	if dr.table == nil || sheet < 0 || sheet >= len(dr.parts) || dr.parts[sheet].mapping == nil {
		return out, desk.Missing("The sheet")
	}
	rows, err := dr.parts[sheet].mapping.Try(dr.table, formula, 8)
	if at, text, is := recognise.IsFormulaError(err); is {
		out.Wrong, out.At = text, at
		return out, nil
	}
	out.Rows = append(out.Rows, rows...)
	return out, err
}
