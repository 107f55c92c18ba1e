// Package lists hands lists out as files: any list that a screen shows, with the columns and rows that are in sight, streamed page by page
// as at one moment.
package lists

import (
	"context"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"wobin/internal/core/listing"
	"wobin/internal/core/recognise"
	"wobin/internal/desk"
	"wobin/internal/desk/recorded"
	"wobin/internal/desk/reference"
	"wobin/internal/desk/safety"
	"wobin/internal/desk/variances"
)

// Room is the use cases of lists as files.
type Room struct {
	*desk.Desk
	recorded  *recorded.Room
	reference *reference.Room
	variances *variances.Room
	safety    *safety.Room
	turn      chan struct{} // has a place for each list that is written at a time: each holds a reader of the database
}

// atOnce is how many lists are written at a time; further ones wait.
const atOnce = 2

// New makes the room.
func New(d *desk.Desk, r *recorded.Room, f *reference.Room, v *variances.Room, g *safety.Room) *Room {
	return &Room{d, r, f, v, g, make(chan struct{}, atOnce)}
}

// Form is the form of a file; empty for delimited text.
type Form = listing.Form

// Asking is which list is wanted, and what of it.
type Asking struct {
	List         string // one of Names
	Form         Form
	Columns      []string // the columns in sight, in their order; none: all
	House, Count int64
	Filter       desk.Filter
	Category     string // of items
	Class        string
	Record       safety.RecordFilter
}

// Names are the names of the lists.
var Names = []string{"stock", "stock-by-item", "items", "places", "movements", "variances", "record"}

// list is a list as it is written: its columns, and pages of rows with a cell for each.
type list struct {
	title   string
	columns []listing.Column
	page    func(ctx context.Context, after string) (rows [][]string, next string, err error)
}

// File is a list that is about to be written. It is as at the moment at which it was begun.
type File struct {
	Name, Media string

	ctx   context.Context
	end   func()
	job   *desk.Running
	list  *list
	form  listing.Form
	at    []int // of the columns: those that the file has
	rows  [][]string
	next  string
	first bool
}

// Open looks whether a list may be had, and begins it. Whoever has it calls Write, or Close.
func (d *Room) Open(ctx context.Context, p desk.Person, a Asking) (f *File, err error) {
	if a.Form == "" {
		a.Form = listing.Text
	}
	if a.Form != listing.Text && a.Form != listing.Book {
		return nil, desk.RefuseAs(desk.Invalid, "as", "A list is had as csv or xlsx.")
	}
	if !slices.Contains(Names, a.List) {
		return nil, desk.Missing("The list")
	}
	select {
	case d.turn <- struct{}{}:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	ctx, stop := context.WithCancel(ctx)
	within, letGo, err := d.Store.Snapshot(ctx)
	if err != nil {
		stop()
		<-d.turn
		return nil, err
	}
	end := sync.OnceFunc(func() { letGo(); stop(); <-d.turn })
	f = &File{ctx: within, end: end, form: a.Form, first: true}
	if f.list, err = d.list(within, p, &a); err == nil {
		f.rows, f.next, err = f.list.page(within, "")
	}
	if err != nil {
		end()
		return nil, err
	}
	f.job = d.Begin(p, "Writing "+f.list.title, stop)
	f.at = listing.Chosen(f.list.columns, a.Columns)
	if n := len(f.list.columns); a.List != "record" { // so that the file is known when it comes back
		f.list.columns, f.at = append(f.list.columns, word("list", recognise.ListHeader)), append(f.at, n)
	}
	f.Name = strings.ReplaceAll(f.list.title, "/", "-") + d.Now().UTC().Format(" 2006-01-02") + "." + string(a.Form)
	f.Media = "text/csv; charset=utf-8"
	if a.Form == listing.Book {
		f.Media = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
	}
	return f, nil
}

// Close lets go of the moment that the file is of.
func (f *File) Close() { f.job.End("It was let be.", nil, false); f.end() }

// Write writes the file and closes it. It ends where whoever asked is gone; what was written then is no whole file.
func (f *File) Write(w io.Writer) (err error) {
	defer f.end()
	n := 0
	defer func() { f.job.End(desk.Plural(n, "row", "rows")+" written.", err, false) }()
	columns := make([]listing.Column, len(f.at))
	for i, at := range f.at {
		columns[i] = f.list.columns[at]
	}
	out, err := listing.New(w, f.form, f.list.title, columns)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			out.Drop()
		}
	}()
	cells := make([]string, len(f.at))
	for rows, next := f.rows, f.next; ; {
		for _, r := range rows {
			for i, at := range f.at {
				if cells[i] = f.list.title; at < len(r) {
					cells[i] = r[at]
				}
			}
			if err := out.Row(cells); err != nil {
				return err
			}
		}
		if n += len(rows); n > len(f.rows) {
			f.job.Progress(0, 0, n)
		}
		if next == "" {
			return out.Close()
		}
		if rows, next, err = f.list.page(f.ctx, next); err != nil {
			return err
		}
	}
}

// instant writes a moment as files have it.
func instant(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.UTC().Format(time.RFC3339Nano)
}
