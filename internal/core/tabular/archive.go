package tabular

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
)

// Limits on archives, beside those on the files in them.
const (
	MaxFiles   = 50
	MaxArchive = 128 << 20 // bytes of all files in an archive, unpacked; they are held in memory
)

// archive is a .zip of several tables; each of its sheets is one of theirs.
type archive struct {
	files  []*File
	sheets []sheetOf
	names  []string
	hidden []bool
}

// sheetOf is a sheet of a file in an archive.
type sheetOf struct{ file, sheet int }

// openArchive opens the tables in an archive. What is in it and is no table is refused, not left out: it might have been one.
func openArchive(name string, z *zip.Reader, b *budget, opt Options) (*archive, error) {
	a := &archive{}
	opt.within = b
	most := min(freePacked+b.size*packedTimes, MaxArchive)
	total := int64(0)
	var entries []*zip.File
	for _, e := range z.File {
		base := path.Base(e.Name)
		if e.FileInfo().IsDir() || strings.HasPrefix(base, ".") || strings.HasPrefix(e.Name, "__MACOSX/") {
			continue
		}
		if total += int64(min(e.UncompressedSize64, MaxArchive+1)); total > most || len(entries) == MaxFiles {
			return nil, fmt.Errorf("holds more than %d files, or more than %d bytes, the most for an archive of %d bytes. Unpack it and drop the files in it",
				MaxFiles, most, b.size)
		}
		entries = append(entries, e)
	}
	if len(entries) == 0 {
		return nil, errors.New("is an archive with nothing in it")
	}
	slices.SortStableFunc(entries, func(x, y *zip.File) int { return strings.Compare(x.Name, y.Name) })
	bases := map[string]int{}
	for _, e := range entries {
		bases[strings.TrimSuffix(path.Base(e.Name), path.Ext(e.Name))]++
	}
	left := most
	for _, e := range entries {
		if e.Flags&1 != 0 {
			return nil, errors.New("is locked by a password. Unpack it and drop the files in it")
		}
		r, err := e.Open()
		if err != nil {
			return nil, fmt.Errorf("holds %q, which cannot be unpacked (%w)", e.Name, err)
		}
		data, err := io.ReadAll(io.LimitReader(r, left+1))
		r.Close()
		if left -= int64(len(data)); left < 0 { // whatever the archive says of its sizes
			return nil, fmt.Errorf("unpacks to more than %d bytes, the most for an archive of %d bytes. Unpack it and drop the files in it", most, b.size)
		}
		if err != nil {
			return nil, fmt.Errorf("holds %q, which is damaged (%w). Pack it again", e.Name, err)
		}
		if bytes.HasPrefix(data, []byte("PK")) && !strings.HasSuffix(strings.ToLower(e.Name), ".xlsx") && !strings.HasSuffix(strings.ToLower(e.Name), ".ods") {
			return nil, fmt.Errorf("holds %q, which is an archive itself. Unpack it and drop the files in it", e.Name)
		}
		f, err := Open(e.Name, bytes.NewReader(data), int64(len(data)), opt)
		var wrong *Error
		if errors.As(err, &wrong) {
			return nil, fmt.Errorf("holds %q, which %s. Take it out of the archive", e.Name, strings.TrimRight(wrong.Text, "."))
		}
		if err != nil {
			return nil, err
		}
		title := strings.TrimSuffix(path.Base(e.Name), path.Ext(e.Name))
		if bases[title] > 1 {
			title = e.Name
		}
		a.files = append(a.files, f)
		for s, sheet := range f.Sheets {
			is := title
			if len(f.Sheets) > 1 {
				is += ": " + sheet
			}
			a.names = append(a.names, is)
			a.sheets = append(a.sheets, sheetOf{len(a.files) - 1, s})
			a.hidden = append(a.hidden, s < len(f.Hidden) && f.Hidden[s])
		}
	}
	return a, nil
}

func (a *archive) rows(sheet int) (rowSource, error) {
	at := a.sheets[sheet]
	rows, err := a.files[at.file].Rows(at.sheet)
	if err != nil {
		return nil, err
	}
	return rows.src, nil
}

// Of gives what a sheet is by itself: delimited text with its dialect, or a sheet of a workbook. Of an archive it is what the file in it
// is; else that of the file.
func (f *File) Of(sheet int) (Kind, Dialect) {
	if a, ok := f.book.(*archive); ok && sheet >= 0 && sheet < len(a.sheets) {
		in := a.files[a.sheets[sheet].file]
		return in.Kind, in.Dialect
	}
	return f.Kind, f.Dialect
}
