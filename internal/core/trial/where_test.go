package trial_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Rows that are hidden in a workbook are asked about: taken like the others, or left out and named.
func TestHiddenRows(t *testing.T) {
	book := excelize.NewFile()
	for n, row := range [][]any{{"SKU", "Warehouse", "Bin", "Qty", "Notes"}, {"R100", "W", "A-1", 5}, {"R101", "W", "A-2", 7}, {"R102", "W", "A-3", 9}} {
		cell, err := excelize.CoordinatesToCellName(1, n+1)
		require.NoError(t, err)
		require.NoError(t, book.SetSheetRow("Sheet1", cell, &row))
	}
	require.NoError(t, book.SetRowVisible("Sheet1", 3, false))
	require.NoError(t, book.SetColVisible("Sheet1", "C", false))
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	f, err := tabular.Open("list.xlsx", bytes.NewReader(b.Bytes()), int64(b.Len()), tabular.Options{})
	require.NoError(t, err)
	var skipped []read.Skipped
	look := func(given *layout.Layout) (m *recognise.Mapping, bins []string) {
		m, err := recognise.Sheet(f, 0, recognise.Want{Given: given})
		require.NoError(t, err)
		p := &problem.Problems{}
		s, err := read.Reading{Zone: time.UTC, Layout: given}.Stock(f, m, p)
		require.NoError(t, err)
		require.Empty(t, p.List)
		skipped = s.Skipped
		for _, l := range s.Book.Lines {
			bins = append(bins, s.Book.Codes[stock.Bin].Text(l.Key[stock.Bin]))
		}
		return m, bins
	}
	m, bins := look(&layout.Layout{})
	require.Len(t, m.Asks, 1)
	assert.Equal(t, "1 row of the sheet, first row 3, is hidden in the workbook, as by a filter. Are they meant?", m.Asks[0].Text)
	assert.Equal(t, []string{"A-1", "A-2", "A-3"}, bins)
	assert.Contains(t, m.Columns[2].Why, "hidden in the workbook")
	take, leave := m.Answer(&m.Asks[0], &m.Asks[0].Options[0]), m.Answer(&m.Asks[0], &m.Asks[0].Options[1])
	m, bins = look(&take)
	assert.Empty(t, m.Asks)
	assert.Equal(t, []string{"A-1", "A-2", "A-3"}, bins)
	m, bins = look(&leave)
	assert.Empty(t, m.Asks)
	assert.Equal(t, []string{"A-1", "A-3"}, bins)
	assert.Equal(t, []read.Skipped{{Why: recognise.Hidden, N: 1, Rows: []int{3}}}, skipped)
}

// Parts of a number are put together only where one way is possible, whatever was settled.
func TestPartsThatMayBeThousands(t *testing.T) {
	x := trial{text: "SKU,Warehouse,Bin,Qty\nR100,NORTH,A-1,1,250\nR101,NORTH,A-2,1,5\nR102,NORTH,A-3,7\n"}
	_, p, lines, _ := x.read(t, &layout.Layout{Parted: "join"})
	assert.Equal(t, []string{"NORTH | A-2 | R101 = 1.5", "NORTH | A-3 | R102 = 7"}, lines)
	assert.Equal(t, map[problem.Group]int{{Kind: "cells beyond the header"}: 1}, p.Groups)
}

// A layout of places across meets a file with a place more and one less: both are asked about, and none passes unseen.
func TestPlacesAcrossAgain(t *testing.T) {
	x := trial{text: "SKU,Name,NORTH,SOUTH,Total\nR1,Rope,5,2,7\nR2,Tar,,7,7\n"}
	given := &layout.Layout{
		Kind: field.Stock,
		Across: &layout.Across{
			Place:   field.Warehouse,
			Columns: []layout.AcrossColumn{{Header: "NORTH", Name: "NORTH"}, {Header: "WEST", Name: "WEST"}},
		},
	}
	m, _, _, said := x.read(t, given)
	require.Len(t, said, 2)
	assert.Contains(t, said[0]+said[1], "SOUTH hold figures too")
	assert.Contains(t, said[0]+said[1], "The columns of WEST, which were places across, are not in this file")
	for _, what := range []string{"places missing", "places across"} {
		m, _, _, _ = x.read(t, given)
		for i := range m.Asks {
			if m.Asks[i].What == what {
				l := m.Answer(&m.Asks[i], &m.Asks[i].Options[0])
				given.Settle(&l)
				break
			}
		}
	}
	_, p, lines, said := x.read(t, given)
	assert.Empty(t, said)
	assert.Equal(t, []string{"NORTH | R1 = 5", "SOUTH | R1 = 2", "SOUTH | R2 = 7"}, lines)
	column, _ := remedy.Culprit(m, p)
	assert.Empty(t, column)
}
