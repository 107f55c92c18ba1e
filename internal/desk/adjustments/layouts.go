package adjustments

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/outfile"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// LayoutSchemaName is what the JSON Schema of layouts of files out is called.
const LayoutSchemaName = outfile.SchemaName

// OutLayout is a layout of files out.
type OutLayout outfile.Layout

// OutField is a field that a column of a file out can hold.
type OutField outfile.Spec

// OutLayouts are the layouts of files out, and what they are made of.
type OutLayouts struct {
	Kept      []OutLayout `json:"kept"`
	Ready     []OutLayout `json:"ready" doc:"ready-made ones, to be used as they are or copied and changed"`
	Fields    []OutField  `json:"fields"`
	Encodings []string    `json:"encodings"`
}

// Layouts lists the layouts of files out.
func (d *Room) Layouts(ctx context.Context, p desk.Person) (out OutLayouts, err error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return out, err
	}
	out = OutLayouts{Kept: []OutLayout{}, Ready: []OutLayout{}, Fields: []OutField{}, Encodings: []string{}}
	for _, l := range outfile.Ready() {
		out.Ready = append(out.Ready, OutLayout(l))
	}
	for _, f := range outfile.Fields {
		out.Fields = append(out.Fields, OutField(f))
	}
	items, lines, err := store.AttributeNames(d.Store.Read(ctx))
	if err != nil {
		return out, err
	}
	offer := func(of string, names []string, before string) {
		code.Sort(names)
		for _, name := range names {
			s := *outfile.SpecOf(outfile.Field(of + name))
			s.Title = before + name
			out.Fields = append(out.Fields, OutField(s))
		}
	}
	offer(field.LineAttribute, lines, "line: ")
	offer(field.ItemAttribute, items, "item: ")
	for _, e := range tabular.Encodings() {
		out.Encodings = append(out.Encodings, string(e))
	}
	rows, err := store.OutLayouts(d.Store.Read(ctx))
	if err != nil {
		return out, err
	}
	for _, r := range rows {
		l, err := outfile.Decode([]byte(r.Body))
		if err != nil {
			return out, err
		}
		out.Kept = append(out.Kept, OutLayout(*l))
	}
	return out, nil
}

// layoutNamed gives a layout, kept or ready-made, by its name.
func layoutNamed(tx *store.Tx, name string) (*outfile.Layout, error) {
	row, err := store.OutLayoutNamed(tx, name)
	if err != nil {
		return nil, err
	}
	if row.ID != 0 {
		return outfile.Decode([]byte(row.Body))
	}
	ready := outfile.Ready()
	i := slices.IndexFunc(ready, func(l outfile.Layout) bool { return l.Name == name })
	if i < 0 {
		return nil, desk.RefuseAs(desk.Invalid, "layout", "There is no layout %q any more. Take another one.", name)
	}
	return &ready[i], nil
}

// KeepLayout keeps a layout of files out under its name, in the place of one that has it.
func (d *Room) KeepLayout(ctx context.Context, p desk.Person, x OutLayout) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.SendOut, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		l := outfile.Layout(x)
		l.Name = strings.TrimSpace(l.Name)
		switch {
		case l.Name == "":
			return none, desk.RefuseAs(desk.Invalid, "name", "Give the layout a name.")
		case slices.ContainsFunc(outfile.Ready(), func(r outfile.Layout) bool { return strings.EqualFold(r.Name, l.Name) }):
			return none, desk.RefuseAs(desk.Invalid, "name", "%q is a ready-made layout, which stays as it is. Give yours another name.", l.Name)
		}
		if err := l.Valid(); err != nil {
			return none, desk.RefuseAs(desk.Invalid, "layout", "The layout cannot be used: %v.", err)
		}
		b, err := json.Marshal(l)
		if err != nil {
			return none, err
		}
		row, err := store.OutLayoutNamed(w.Tx, l.Name)
		if err != nil {
			return none, err
		}
		row.Name, row.Body, row.Person, row.At = l.Name, string(b), w.Person.Name, w.Now
		if err := store.KeepOutLayout(w.Tx, &row); err != nil {
			return none, err
		}
		return none, w.Say("adjustment layout kept", map[string]any{"layout": l.Name, "says": json.RawMessage(b)})
	})
	return err
}

// DropLayout lets go of a kept layout. Postings that were made by it keep it.
func (d *Room) DropLayout(ctx context.Context, p desk.Person, name string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.SendOut, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		was, err := store.DropOutLayout(w.Tx, name)
		if err != nil {
			return none, err
		}
		if !was {
			return none, desk.Missing("The layout")
		}
		return none, w.Say("adjustment layout let go", map[string]any{"layout": name})
	})
	return err
}

// LayoutFile gives a layout as JSON, with its schema named.
func (d *Room) LayoutFile(ctx context.Context, p desk.Person, name string) ([]byte, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	l, err := layoutNamed(d.Store.Read(ctx), name)
	if err != nil {
		return nil, desk.Missing("The layout")
	}
	l.Schema = outfile.SchemaName
	b, err := json.MarshalIndent(l, "", "  ")
	return append(b, '\n'), err
}

// ProposedLayout is a layout that was made of a sample, and what the sample cannot answer.
type ProposedLayout struct {
	Layout OutLayout     `json:"layout"`
	Asks   []outfile.Ask `json:"asks"`
}

// mostSample is how large a sample is at most.
const mostSample = 20 << 20

// Propose makes a layout of a sample of a file that the record system takes in, or of an empty template of one; a layout as JSON is itself.
// Nothing is kept.
func (d *Room) Propose(p desk.Person, name string, body io.Reader) (out ProposedLayout, err error) {
	if err := desk.Allow(p, desk.SendOut); err != nil {
		return out, err
	}
	b, err := io.ReadAll(io.LimitReader(body, mostSample+1))
	if err != nil {
		return out, err
	}
	if len(b) > mostSample {
		return out, desk.RefuseAs(desk.Invalid, "file", "%q is larger than 20 MB. A sample of a few rows is enough.", name)
	}
	if bytes.HasPrefix(bytes.TrimSpace(b), []byte("{")) {
		l, err := outfile.Decode(b)
		if err != nil {
			return out, desk.RefuseAs(desk.Invalid, "file", "%s.", desk.SentenceOf(err))
		}
		return ProposedLayout{OutLayout(*l), []outfile.Ask{}}, nil
	}
	l, asks, err := outfile.Propose(name, b)
	var no *tabular.Error
	if errors.As(err, &no) {
		return out, desk.RefuseAs(desk.Invalid, "file", "%s %s.", name, no.Text)
	}
	return ProposedLayout{OutLayout(l), asks}, err
}
