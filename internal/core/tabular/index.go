package tabular

import (
	"bufio"
	"io"
	"slices"
	"strconv"
)

// Index finds the rows of a sheet by their position, for looking at a file of a million rows. Delimited text in UTF-8 is
// marked where it lies; anything else is written once, plainly, into a file of its own.
type Index struct {
	file  *File
	sheet int
	spool bool // the first cell of each row is its number
	marks []mark
	n     int
}

type mark struct {
	row    int // of the row at the mark
	offset int64
}

const markEvery = 256

// Row is one row as a spreadsheet shows it.
type Row struct {
	Number int
	Cells  []string
}

// ReadWriterAt is a file that a spool is written into.
type ReadWriterAt interface {
	io.Writer
	io.ReaderAt
}

// Index reads a sheet to its end. spool gives an empty file where one is needed. Where the sheet cannot be read on the
// index has the rows before, and err is an *Error.
func (f *File) Index(sheet int, spool func() (ReadWriterAt, error)) (*Index, error) {
	x := &Index{file: f, sheet: sheet}
	if f.Kind == Text && (f.Dialect.Encoding == UTF8 || f.Dialect.Encoding == UTF8Mark) {
		rows, err := f.Rows(sheet)
		if err != nil {
			return x, err
		}
		t := rows.src.(*textReader)
		for {
			at := t.count.n - int64(t.to-t.from)
			before := t.row
			if _, _, ok := rows.Next(); !ok {
				return x, rows.Err()
			}
			if x.n%markEvery == 0 { // empty rows before this one are passed over again when reading goes on from here
				x.marks = append(x.marks, mark{before, at})
			}
			x.n++
		}
	}
	to, err := spool()
	if err != nil {
		return nil, err
	}
	rows, err := f.Rows(sheet)
	if err != nil {
		return x, err
	}
	defer rows.Close()
	w := bufio.NewWriterSize(to, 1<<18)
	size := int64(0)
	var b []byte
	for {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		if x.n%markEvery == 0 {
			x.marks = append(x.marks, mark{n, size})
		}
		b = strconv.AppendInt(b[:0], int64(n), 10)
		for _, c := range cells {
			b = AppendCell(append(b, ','), string(c), ',')
		}
		b = append(b, '\n')
		k, err := w.Write(b)
		if err != nil {
			return nil, err
		}
		size += int64(k)
		x.n++
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	x.file, x.sheet, x.spool = &File{
		Name:    f.Name,
		Kind:    Text,
		Dialect: Dialect{UTF8, ','},
		Sheets:  []string{""},
		at:      to,
		size:    size,
	}, 0, true
	return x, rows.Err()
}

// Len is how many rows there are, empty ones left out.
func (x *Index) Len() int { return x.n }

// Rows gives up to most rows from a place on, counted from 0.
func (x *Index) Rows(from, most int) ([]Row, error) {
	if from < 0 || from >= x.n {
		return nil, nil
	}
	t := x.open(from / markEvery)
	var out []Row
	for at := from / markEvery * markEvery; len(out) < most; at++ {
		n, cells, err := t.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if at >= from {
			out = append(out, x.row(n, cells))
		}
	}
	return out, nil
}

// Numbers gives the rows with these numbers, which stand in order; those that are not there are left out.
func (x *Index) Numbers(numbers []int) (out []Row, err error) {
	var t *textReader
	at := -1
	for i := 0; i < len(numbers); i++ {
		m, found := slices.BinarySearchFunc(x.marks, numbers[i], func(m mark, n int) int { return x.first(m) - n })
		if !found {
			m--
		}
		if m < 0 {
			continue
		}
		if m != at {
			t, at = x.open(m), m
		}
		for {
			n, cells, err := t.next()
			if err == io.EOF {
				break
			}
			if err != nil {
				return nil, err
			}
			row := x.row(n, cells)
			if row.Number == numbers[i] {
				out = append(out, row)
			}
			if row.Number >= numbers[i] {
				break
			}
		}
	}
	return out, nil
}

// first is the least number that the row at a mark can have.
func (x *Index) first(m mark) int {
	if x.spool {
		return m.row
	}
	return m.row + 1
}

func (x *Index) open(m int) *textReader {
	t := x.file.textFrom(x.marks[m].offset, 64<<10)
	t.row = x.marks[m].row
	return t
}

func (x *Index) row(n int, cells [][]byte) Row {
	r := Row{Number: n, Cells: make([]string, len(cells))}
	for i, c := range cells {
		r.Cells[i] = string(c)
	}
	if x.spool && len(r.Cells) > 0 {
		r.Number, _ = strconv.Atoi(r.Cells[0])
		r.Cells = r.Cells[1:]
	}
	return r
}
