package house_test

import (
	"bytes"
	"fmt"
	"io"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"gorm.io/gorm"

	"wobin/internal/desk"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/store"
)

// workbook makes a workbook of sheets, Sheet1 and on, from their rows.
func workbook(t require.TestingT, sheets ...[][]any) *bytes.Buffer {
	book := excelize.NewFile()
	for i, rows := range sheets {
		name := fmt.Sprintf("Sheet%d", i+1)
		_, err := book.NewSheet(name)
		require.NoError(t, err)
		for n, r := range rows {
			require.NoError(t, book.SetSheetRow(name, fmt.Sprintf("A%d", n+1), &r))
		}
	}
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	return &b
}

// updatePostings tries to change what is never changed.
func updatePostings(tx *gorm.DB) error { return tx.Exec("UPDATE postings SET lines = 0").Error }

// readAll reads a kept file to its end.
func readAll(t require.TestingT, k *store.KeptFile) []byte {
	defer k.Close()
	b, err := io.ReadAll(k)
	require.NoError(t, err)
	return b
}

func allSheets(d *house.House, id int64) ([]counting.SheetView, error) {
	page, err := d.Counting.Sheets(ctx, nell, id, "", 1000)
	return page.Sheets, err
}

// filterSheet picks the lines of a sheet; of all of them for 0.
func filterSheet(sheet int) desk.Filter { return desk.Filter{Sheet: sheet, Limit: 100} }
