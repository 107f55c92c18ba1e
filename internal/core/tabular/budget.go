package tabular

import (
	"fmt"
	"sync"
)

// budget is what a packed file may unfold to, by its size when it is packed: rows, cells and bytes, of all its sheets and of all
// files in an archive together. A file that is small costs little whatever it says; a table of millions of lines is large when it
// is packed, too.
type budget struct {
	rows, cells, bytes int64 // the most of each
	size               int64 // of the file, packed

	mu    sync.Mutex
	spent map[spentOn][2]int64 // rows and cells, as many as one reading of a sheet has come to
	sum   [2]int64
}

// spentOn is a sheet of a file.
type spentOn struct {
	file  *File
	sheet int
}

// A row of a real table takes more than four bytes when it is packed, and a cell more than a third of one; what a table unfolds to
// is seldom twenty times its size. What comes on top is for small files, in which much may be alike.
const (
	freeRows, bytesOfRow    = 60_000, 4
	freeCells, cellsInByte  = 1_000_000, 3
	freeBytes, bytesInByte  = 8 << 20, 60
	freePacked, packedTimes = 1 << 20, 30 // of all files in an archive
	mostUnpacked            = 2 << 30     // bytes of one part of a workbook
)

// spendEvery is how many rows of a reading are counted at once, before they are read, together with those of other sheets.
const spendEvery = 256

func budgetOf(size int64) *budget {
	return &budget{
		rows: freeRows + size/bytesOfRow, cells: freeCells + size*cellsInByte, bytes: min(freeBytes+size*bytesInByte, mostUnpacked),
		size: size, spent: map[spentOn][2]int64{},
	}
}

// spend counts what a reading of a sheet has come to. A sheet that is read again is not counted again.
func (b *budget) spend(of spentOn, rows, cells int64) error {
	if rows%spendEvery != 1 && cells < b.cells {
		return nil
	}
	rows += spendEvery - 1
	b.mu.Lock()
	defer b.mu.Unlock()
	was := b.spent[of]
	for i, n := range [2]int64{rows, cells} {
		if n > was[i] {
			b.sum[i] += n - was[i]
			was[i] = n
		}
	}
	b.spent[of] = was
	switch {
	case b.sum[0] > b.rows:
		return fmt.Errorf("unfolds to more than %d rows, the most that a packed file of %d bytes may hold. Export the table as delimited text", b.rows, b.size)
	case b.sum[1] > b.cells:
		return fmt.Errorf("unfolds to more than %d cells, the most that a packed file of %d bytes may hold. Export the table as delimited text", b.cells, b.size)
	}
	return nil
}

// unpacks is the error of a part that grows beyond the budget.
func (b *budget) unpacks() error { return &unpacksError{b.bytes, b.size} }

// unpacksError is a part that grows out of all proportion.
type unpacksError struct{ most, size int64 }

func (e *unpacksError) Error() string {
	return fmt.Sprintf("unpacks to more than %d bytes, the most that a packed file of %d bytes may hold. Export the table as delimited text", e.most, e.size)
}
