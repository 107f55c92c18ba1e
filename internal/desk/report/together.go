package report

import (
	"context"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Together is counts of several warehouses that were planned at once: each, and all of them.
type Together struct {
	Name   string      `json:"name"`
	Counts []OfSeveral `json:"counts"`
	All    OfSeveral   `json:"all" doc:"the sums; it has no number"`
}

// OfSeveral is one of several counts, with what it comes to.
type OfSeveral struct {
	count.Stages
	Over     quantity.Money `json:"over" doc:"value of its variances"`
	Short    quantity.Money `json:"short"`
	Gross    quantity.Money `json:"gross"`
	Postings int            `json:"postings"`
	Sent     quantity.Money `json:"sent" doc:"gross value of what went out"`
}

// Together gives the counts that stand under one name with a count.
func (d *Room) Together(ctx context.Context, p desk.Person, countID int64) (t Together, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return t, err
	}
	if c.Together == "" {
		return t, desk.Missing("A name over several counts")
	}
	t.Name, t.Counts = c.Together, []OfSeveral{}
	ids, err := store.CountsTogether(c.Tx, c.Count)
	if err != nil {
		return t, err
	}
	var sum variance.Tally
	for _, id := range ids {
		one, err := d.Judge(ctx, p, id)
		if err != nil {
			return t, err
		}
		x := OfSeveral{}
		if x.Stages, err = count.StagesOf(one); err != nil {
			return t, err
		}
		tally, err := count.TallyOf(one.Tx, id)
		if err != nil {
			return t, err
		}
		if !sum.Merge(tally) {
			return t, count.TooMuch()
		}
		x.Over, x.Short, x.Gross = tally.Values.Over, tally.Values.Short, tally.Values.Gross
		var sent int64
		if x.Postings, sent, err = store.SentOf(one.Tx, id); err != nil {
			return t, err
		}
		x.Sent = quantity.Money(sent)
		a := &t.All
		a.Sheets, a.SheetsOut, a.SheetsBack = a.Sheets+x.Sheets, a.SheetsOut+x.SheetsOut, a.SheetsBack+x.SheetsBack
		a.Doubts, a.Postings, a.Recounts = a.Doubts+x.Doubts, a.Postings+x.Postings, a.Recounts+x.Recounts
		a.Once, a.Differ = a.Once+x.Once, a.Differ+x.Differ
		var ok bool
		if a.Sent, ok = quantity.AddMoney(a.Sent, x.Sent); !ok {
			return t, count.TooMuch()
		}
		t.Counts = append(t.Counts, x)
	}
	t.All.Fill(&sum)
	t.All.Name, t.All.Over, t.All.Short, t.All.Gross = t.Name, sum.Values.Over, sum.Values.Short, sum.Values.Gross
	return t, nil
}
