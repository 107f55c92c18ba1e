package adjustments

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// deliver writes the files of a posting into the folder, where there is one, behind what was answered: it is made, whatever comes of that.
func (d *Room) deliver(ctx context.Context, countID int64, v *PostingView) {
	if d.Folder == "" || v.Kind == store.Unlanded {
		return
	}
	_ = d.Deliver(ctx, desk.Itself, countID, v.Number) // what went wrong stands with the posting
}

// Deliver writes the files of a posting into the folder and notes what came of it. Each appears whole or not at all, the manifest last; one
// that stands there with the same contents is left.
func (d *Room) Deliver(ctx context.Context, p desk.Person, countID int64, number int) error {
	if err := desk.Allow(p, desk.SendOut); err != nil {
		return err
	}
	if d.Folder == "" {
		return desk.Refuse("No folder is settled for files out. Start with --out-folder DIR to have one.")
	}
	v, err := d.posting(ctx, p, countID, number)
	if err != nil {
		return err
	}
	wrong := ""
	if werr := d.write(ctx, p, countID, v); werr != nil {
		wrong = desk.SentenceOf(werr) + "."
	}
	_, err = desk.Do(ctx, d.Desk, p, desk.SendOut, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		row := store.Delivery{PostingID: v.ID, At: w.Now, Folder: d.Folder, Wrong: wrong}
		if err := store.AddDelivery(w.Tx, &row); err != nil {
			return none, err
		}
		w.Tell(desk.Event{What: "count", Count: countID})
		return none, w.Say("written into the folder", map[string]any{"count": countID, "posting": number, "wrong": wrong})
	})
	if err == nil && wrong != "" {
		return desk.RefuseAs(desk.Disk, "folder", "The files were not written into %s: %s They can be had here, or written again.", d.Folder, wrong)
	}
	return err
}

func (d *Room) write(ctx context.Context, p desk.Person, countID int64, v *PostingView) error {
	if info, err := os.Stat(d.Folder); err != nil {
		return fmt.Errorf("the folder cannot be reached: %w", err)
	} else if !info.IsDir() {
		return errors.New("it is no folder")
	}
	for n := range v.Files {
		name, k, err := d.PostingFile(ctx, p, countID, v.Number, n+1)
		if err != nil {
			return err
		}
		err = d.put(name, v.Files[n].Sha, k)
		k.Close()
		if err != nil {
			return err
		}
	}
	name, text, err := d.Manifest(ctx, p, countID, v.Number)
	if err != nil {
		return err
	}
	return d.put(name, desk.ShaOf(text), bytes.NewReader(text))
}

// put writes a file beside its place and renames it, so that nobody sees it half written. Another file of its name is not replaced.
func (d *Room) put(name, sha string, from io.Reader) (err error) {
	to := filepath.Join(d.Folder, filepath.Base(name))
	if info, err := os.Lstat(to); err == nil && !info.Mode().IsRegular() { // a pipe would hold up whoever reads it
		return fmt.Errorf("%s is there already, and is no plain file", name)
	}
	if old, err := os.ReadFile(to); err == nil {
		if desk.ShaOf(old) == sha {
			return nil
		}
		return fmt.Errorf("there is another file %s already", name)
	}
	f, err := os.CreateTemp(d.Folder, ".wobin-*.part")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			os.Remove(f.Name())
		}
	}()
	if _, err = io.Copy(f, from); err == nil {
		err = f.Chmod(0o644)
	}
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = os.Rename(f.Name(), to)
	}
	return err
}
