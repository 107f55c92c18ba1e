package safety

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// RecordEntry is one word of the record of who did what.
type RecordEntry struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Person  string    `json:"person"`
	What    string    `json:"what"`
	Count   int64     `json:"count" doc:"the count that it is about; 0 for none"`
	Details []string  `json:"details" doc:"what it says, each as name: value"`
	Hash    string    `json:"hash"`
}

// RecordPage is one page of the record, the latest first.
type RecordPage struct {
	Entries []RecordEntry `json:"entries"`
	Next    string        `json:"next"`
	People  []string      `json:"people" doc:"who stands in it"`
	Kinds   []string      `json:"kinds" doc:"what stands in it"`
	Counts  []CountName   `json:"counts"`
}

// CountName names a count.
type CountName struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// RecordFilter narrows the record.
type RecordFilter struct {
	Person, What, After string
	Day, Zone           string // a day as it is in a time zone; empty: all, and UTC
	Count               int64
}

// unread are the parts of an entry that are for the proof, which nobody reads in a list.
var unread = map[string]bool{"covers": true, "sha256": true}

// recordPage is how many entries a page has.
const recordPage = 100

// Record lists who did what, the latest first.
func (d *Room) Record(ctx context.Context, p desk.Person, f RecordFilter) (page RecordPage, err error) {
	page = RecordPage{Entries: []RecordEntry{}, People: []string{}, Kinds: []string{}, Counts: []CountName{}}
	if err := desk.Allow(p, desk.Guard); err != nil {
		return page, err
	}
	tx := d.Store.Read(ctx)
	q := store.RecordQuery{Person: f.Person, What: f.What, Count: f.Count, Most: recordPage}
	if f.Day != "" {
		zone, err := time.LoadLocation(f.Zone)
		if err != nil {
			return page, desk.RefuseAs(desk.Invalid, "zone", "%q is not the name of a time zone.", f.Zone)
		}
		day, err := time.ParseInLocation(time.DateOnly, f.Day, zone)
		if err != nil {
			return page, desk.RefuseAs(desk.Invalid, "day", "%q is no day such as 2026-11-21.", f.Day)
		}
		q.From, q.Until = day.UnixNano(), day.AddDate(0, 0, 1).UnixNano()
	}
	if f.After != "" {
		if q.Before, err = strconv.ParseInt(f.After, 10, 64); err != nil || q.Before <= 0 {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
	}
	rows, err := store.RecordOf(tx, q)
	if err != nil {
		return page, err
	}
	for i := range rows {
		e := RecordEntry{
			ID:      rows[i].ID,
			At:      desk.Instant(rows[i].At),
			Person:  rows[i].Person,
			What:    rows[i].What,
			Hash:    rows[i].Hash,
			Details: []string{},
		}
		var detail map[string]any
		d := json.NewDecoder(strings.NewReader(rows[i].Detail))
		d.UseNumber()
		if err := d.Decode(&detail); err != nil {
			return page, err
		}
		names := make([]string, 0, len(detail))
		for k := range detail {
			if !unread[k] {
				names = append(names, k)
			}
		}
		slices.Sort(names)
		for _, k := range names {
			switch v := detail[k].(type) {
			case nil:
			case json.Number:
				if k == "count" {
					e.Count, _ = v.Int64()
					continue
				}
				e.Details = append(e.Details, k+": "+v.String())
			case string, bool:
				if text := fmt.Sprint(v); text != "" {
					e.Details = append(e.Details, k+": "+shortened(text))
				}
			case []any:
				all := make([]string, len(v))
				for i, x := range v {
					all[i] = fmt.Sprint(x)
				}
				e.Details = append(e.Details, k+": "+shortened(strings.Join(all, ", ")))
			default: // a layout, say, is for machines
				e.Details = append(e.Details, k+": …")
			}
		}
		page.Entries = append(page.Entries, e)
	}
	if n := len(rows); n == recordPage {
		page.Next = strconv.FormatInt(rows[n-1].ID, 10)
	}
	if f.After != "" {
		return page, nil
	}
	if page.People, page.Kinds, err = store.RecordNames(tx); err != nil {
		return page, err
	}
	counts, err := store.CountsShown(tx, false, 200)
	for i := range counts {
		page.Counts = append(page.Counts, CountName{counts[i].ID, counts[i].Name})
	}
	return page, err
}

// shortened gives the beginning of a long text.
func shortened(text string) string {
	if r := []rune(text); len(r) > 100 {
		return string(r[:100]) + "…"
	}
	return text
}
