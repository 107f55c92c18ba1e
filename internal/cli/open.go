package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// opened opens the files of a command in their forms, each by its layout, of which into keeps note. Where something is wrong with them it
// is told and err says so. done closes them; it is to be called in any case.
func (s *streams) opened(files, layouts []string, into map[*tabular.File]*layout.Layout) (out []*tabular.File, done func(), err error) {
	var open opener
	by, err := layoutsOf(layouts, files)
	if err != nil {
		return nil, open.close, err
	}
	problems := problem.Problems{Most: most}
	for _, name := range files {
		out = append(out, open.laidOut(s.in, name, by[name], into, &problems))
	}
	if open.err == nil && problems.Any() {
		open.err = s.report(&problems)
	}
	return out, open.close, open.err
}

// notes tells what was taken for granted.
func (s *streams) notes(list []string) {
	for _, n := range list {
		fmt.Fprintln(s.err, n)
	}
}

// opener opens files for reading and closes them together.
type opener struct {
	err    error
	open   []*os.File
	remove []string
}

// layoutsOf finds which file each --layout is for: FILE=LAYOUT, or LAYOUT alone, which is for the first file.
func layoutsOf(flags, files []string) (map[string]*layout.Layout, error) {
	by := map[string]*layout.Layout{}
	for _, flag := range flags {
		name, file := files[0], flag
		for _, f := range files {
			if l, ok := strings.CutPrefix(flag, f+"="); ok {
				name, file = f, l
			}
		}
		l, err := readLayout(file)
		if err != nil {
			return nil, fmt.Errorf("--layout: %w", err)
		}
		by[name] = l
	}
	return by, nil
}

// as opens a table file in a form that may be settled. What is wrong with the file's form goes to problems; what is wrong with reading it
// at all is kept in err.
func (o *opener) as(stdin io.Reader, name string, opt tabular.Options, problems *problem.Problems) *tabular.File {
	if o.err != nil {
		return nil
	}
	var f *os.File
	if name == "-" {
		name = "stdin"
		if f, o.err = os.CreateTemp("", "wobin-stdin-*"); o.err != nil {
			return nil
		}
		o.remove = append(o.remove, f.Name())
		if _, o.err = io.Copy(f, stdin); o.err != nil {
			return nil
		}
	} else if f, o.err = os.Open(name); o.err != nil {
		return nil
	}
	o.open = append(o.open, f)
	info, err := f.Stat()
	if err == nil && info.IsDir() {
		err = fmt.Errorf("%s is a folder, not a file", name)
	}
	if err != nil {
		o.err = err
		return nil
	}
	t, err := tabular.Open(name, f, info.Size(), opt)
	var wrong *tabular.Error
	if errors.As(err, &wrong) {
		problems.Add(problem.Problem{File: wrong.File, Sheet: wrong.Sheet, Row: wrong.Row, Kind: "cannot be read", Text: wrong.Text})
		return nil
	}
	o.err = err
	return t
}

func (o *opener) close() {
	for _, f := range o.open {
		f.Close()
	}
	for _, n := range o.remove {
		os.Remove(n)
	}
}

// report prints all problems, one line each.
func (s *streams) report(p *problem.Problems) error {
	for _, x := range p.List[:min(len(p.List), most)] {
		fmt.Fprintln(s.err, x)
	}
	if n := p.Len() - most; n > 0 {
		fmt.Fprintf(s.err, "and %d more problems\n", n)
	}
	return errProblems
}
