// Package adjustments sends decided variances out as stock adjustment files, each once, and finishes a count.
package adjustments

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Room is the use cases of adjustments.
type Room struct {
	*desk.Desk
	// Folder is where the files of postings are written to, too; empty for none.
	Folder string

	proofs proofs
}

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{Desk: d} }

// PostingView is a posting.
type PostingView struct {
	ID         int64          `json:"id"`
	Number     int            `json:"number"`
	Mode       string         `json:"mode" enum:"difference,balance,in-out,counted"`
	Kind       string         `json:"kind" enum:",reversal,missing" doc:"empty: of what was accepted"`
	Of         int            `json:"of" doc:"number of the posting that it takes back; 0 for none"`
	Reversed   int            `json:"reversed" doc:"number of the posting that takes it back; 0 for none"`
	Layout     string         `json:"layout" doc:"empty: one of our own forms"`
	Day        string         `json:"day" doc:"the day that it is booked on; empty where it was not said"`
	Reference  string         `json:"reference"`
	Reasons    []string       `json:"reasons" doc:"the reasons that went out; empty: all"`
	File       string         `json:"file"`
	Sha        string         `json:"sha"`
	Files      []PostingPart  `json:"files"`
	Lines      int            `json:"lines"`
	Over       quantity.Money `json:"over"`
	Short      quantity.Money `json:"short"`
	Gross      quantity.Money `json:"gross"`
	Unvalued   int            `json:"unvalued"`
	Person     string         `json:"person"`
	At         time.Time      `json:"at"`
	AgreedBy   string         `json:"agreed_by" doc:"who agreed to it; empty where nobody had to"`
	Folder     string         `json:"folder" doc:"the folder that its files were written into; empty: none"`
	FolderWord string         `json:"folder_word" doc:"why they could not be written there"`
}

// PostingPart is one file of a posting.
type PostingPart struct {
	Name  string `json:"name"`
	Sha   string `json:"sha"`
	Lines int    `json:"lines"`
	Size  int64  `json:"size"`
}

// Postings lists the postings of a count.
func (d *Room) Postings(ctx context.Context, p desk.Person, countID int64) ([]PostingView, error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	return postingsOf(c.Tx, countID)
}

func postingsOf(tx *store.Tx, countID int64) ([]PostingView, error) {
	rows, facts, err := store.Postings(tx, countID)
	if err != nil {
		return nil, err
	}
	out := make([]PostingView, len(rows))
	number := map[int64]int{}
	at := map[int64]*PostingView{}
	for i := range rows {
		out[i] = postingView(&rows[i])
		number[rows[i].ID], at[rows[i].ID] = rows[i].Number, &out[i]
	}
	for _, f := range facts {
		v := at[f.PostingID]
		v.Kind, v.Of, v.Layout, v.Reference, v.AgreedBy = f.Kind, number[f.Of], f.Layout, f.Reference, f.AgreedBy
		if f.OnDay != 0 {
			v.Day = desk.Instant(f.OnDay).Format(time.DateOnly)
		}
		if f.Reasons != "" {
			if err := json.Unmarshal([]byte(f.Reasons), &v.Reasons); err != nil {
				return nil, err
			}
		}
		if r := at[f.Of]; r != nil && f.Kind == store.Reversal {
			r.Reversed = v.Number
		}
	}
	files, err := store.PostingFiles(tx, countID)
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		v := at[f.PostingID]
		v.Files = append(v.Files, PostingPart{f.FileName, f.FileSha, f.Lines, f.Size})
	}
	went, err := store.Deliveries(tx, countID)
	if err != nil {
		return nil, err
	}
	for _, x := range went {
		at[x.PostingID].Folder, at[x.PostingID].FolderWord = x.Folder, x.Wrong
	}
	for i := range out {
		if v := &out[i]; len(v.Files) == 0 {
			v.Files = []PostingPart{{v.File, v.Sha, v.Lines, 0}}
		}
	}
	return out, nil
}

func postingView(r *store.Posting) PostingView {
	return PostingView{
		ID:       r.ID,
		Number:   r.Number,
		Mode:     r.Mode,
		File:     r.FileName,
		Sha:      r.FileSha,
		Files:    []PostingPart{},
		Reasons:  []string{},
		Lines:    r.Lines,
		Over:     quantity.Money(r.Over),
		Short:    quantity.Money(r.Short),
		Gross:    quantity.Money(r.Gross),
		Unvalued: r.Unvalued,
		Person:   r.Person,
		At:       time.Unix(0, r.At).UTC(),
	}
}

// PostingFile gives a file of a posting again, to the byte; they are counted from 1.
func (d *Room) PostingFile(
	ctx context.Context,
	p desk.Person,
	countID int64,
	number, n int,
) (name string, file *store.KeptFile, err error) {
	v, err := d.posting(ctx, p, countID, number)
	if err != nil {
		return "", nil, err
	}
	if n < 1 || n > len(v.Files) {
		return "", nil, desk.Missing("The file")
	}
	file, err = d.Kept(v.Files[n-1].Sha)
	return v.Files[n-1].Name, file, err
}

// Manifest lists the files of a posting with their check sums, in the form that sha256sum proves.
func (d *Room) Manifest(ctx context.Context, p desk.Person, countID int64, number int) (name string, text []byte, err error) {
	v, err := d.posting(ctx, p, countID, number)
	if err != nil {
		return "", nil, err
	}
	for _, f := range v.Files {
		text = append(text, f.Sha+"  "+f.Name+"\n"...)
	}
	return fmt.Sprintf("posting-%d-%d.sha256", countID, number), text, nil
}

func (d *Room) posting(ctx context.Context, p desk.Person, countID int64, number int) (*PostingView, error) {
	all, err := d.Postings(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].Number == number {
			return &all[i], nil
		}
	}
	return nil, desk.Missing("The posting")
}

func sortByPos(rows []store.CountLine) {
	slices.SortFunc(rows, func(a, b store.CountLine) int { return int(a.Pos - b.Pos) })
}

func sortByWorth(list []ReasonWorth) {
	slices.SortFunc(list, func(a, b ReasonWorth) int {
		return cmp.Or(cmp.Compare(b.Sums.Gross, a.Sums.Gross), cmp.Compare(a.Reason, b.Reason))
	})
}
