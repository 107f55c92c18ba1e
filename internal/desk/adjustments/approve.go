package adjustments

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Agreement says when somebody other than the maker has to agree to a posting.
type Agreement struct {
	Always bool            `json:"always"`
	Over   *quantity.Money `json:"over" doc:"over this gross value, cumulated over the postings of a count; null: none"`
}

func agreementOf(tx *store.Tx) (a Agreement, err error) {
	text, err := store.Setting(tx, store.SettingAgreement)
	if err != nil || text == "" {
		return a, err
	}
	return a, json.Unmarshal([]byte(text), &a)
}

// Agreement tells when somebody else has to agree.
func (d *Room) Agreement(ctx context.Context, p desk.Person) (Agreement, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return Agreement{}, err
	}
	return agreementOf(d.Store.Read(ctx))
}

// KeepAgreement settles when somebody else has to agree.
func (d *Room) KeepAgreement(ctx context.Context, p desk.Person, a Agreement) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Require, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		if a.Over != nil && *a.Over < 0 {
			return none, desk.RefuseAs(desk.Invalid, "over", "A limit is not below zero.")
		}
		b, err := json.Marshal(a)
		if err != nil {
			return none, err
		}
		if err := store.KeepSetting(w.Tx, store.SettingAgreement, string(b)); err != nil {
			return none, err
		}
		return none, w.Say("agreement", map[string]any{"always": a.Always, "over": a.Over})
	})
	return err
}

// needsAgreement tells whether somebody else has to agree to a posting of so much. What has no value is within no limit.
func (d *Room) needsAgreement(tx *store.Tx, c *store.Count, f *postingFile) (bool, error) {
	gross, lines := f.sums.Gross, len(f.lines)
	a, err := agreementOf(tx)
	if err != nil || lines == 0 || a.Always {
		return a.Always && lines > 0, err
	}
	if a.Over == nil {
		return false, nil
	}
	if f.worthless > 0 {
		return true, nil
	}
	_, before, err := store.SentOf(tx, c.ID)
	if err != nil {
		return false, err
	}
	sum, ok := quantity.AddMoney(quantity.Money(before), gross)
	return !ok || sum > *a.Over, nil
}

// ApprovalView is a posting that somebody else has to agree to, or had to.
type ApprovalView struct {
	ID        int64          `json:"id"`
	Count     int64          `json:"count"`
	CountName string         `json:"count_name"`
	Person    string         `json:"person" doc:"who wants to send it"`
	At        time.Time      `json:"at"`
	Going     Going          `json:"going"`
	Lines     int            `json:"lines"`
	Gross     quantity.Money `json:"gross"`
	Word      string         `json:"word"`
	State     string         `json:"state" enum:"waits,agreed,sent back,taken back"`
	SettledBy string         `json:"settled_by"`
	SettledAt *time.Time     `json:"settled_at"`
	Answer    string         `json:"answer"`
	Posting   int            `json:"posting"`
	Own       bool           `json:"own" doc:"whoever looks has made it, and cannot agree to it"`
}

func approvalView(a *store.Approval, name string, p desk.Person) (v ApprovalView, err error) {
	v = ApprovalView{
		ID:        a.ID,
		Count:     a.CountID,
		CountName: name,
		Person:    a.Person,
		At:        desk.Instant(a.At),
		Lines:     a.Lines,
		Gross:     quantity.Money(a.Gross),
		Word:      a.Word,
		State:     a.State,
		SettledBy: a.SettledBy,
		SettledAt: desk.Moment(a.SettledAt),
		Answer:    a.Answer,
		Posting:   a.Posting,
		Own:       a.PersonID == p.ID,
	}
	return v, json.Unmarshal([]byte(a.Body), &v.Going)
}

// askFor asks somebody else to agree to a posting.
func (d *Room) askFor(w *desk.Work, c *store.Count, s *Sending, f *postingFile) (*ApprovalView, error) {
	waits, err := store.WaitingApproval(w.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	if waits.ID != 0 {
		return nil, desk.RefuseAs(desk.Changed, "approval", "A posting of %s, by %s, waits for somebody to agree. Take it back first, or wait.",
			desk.Plural(waits.Lines, "line", "lines"), waits.Person)
	}
	s.Reference, s.Day = f.facts.Reference, desk.Instant(f.facts.At).Format(time.DateOnly) // as they were shown
	b, err := json.Marshal(s.Going)
	if err != nil {
		return nil, err
	}
	row := store.Approval{CountID: c.ID, Person: w.Person.Name, PersonID: w.Person.ID, At: w.Now, Body: string(b), Lines: len(f.lines),
		Gross: int64(f.sums.Gross), Sha: f.sha(), Word: strings.TrimSpace(s.Word), State: store.Waits}
	if err := store.KeepApproval(w.Tx, &row); err != nil {
		return nil, err
	}
	v, err := approvalView(&row, c.Name, w.Person)
	if err != nil {
		return nil, err
	}
	return &v, w.Say(
		"asked to agree",
		map[string]any{"count": c.ID, "approval": row.ID, "lines": row.Lines, "gross": quantity.Money(row.Gross).String(), "sha256": row.Sha},
	)
}

// Approvals lists what waits for somebody to agree, over all counts; of one count, those that are settled, too, the latest first.
func (d *Room) Approvals(ctx context.Context, p desk.Person, countID int64) ([]ApprovalView, error) {
	if err := desk.Allow(p, desk.Judge); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	if countID != 0 {
		if _, err := d.Judge(ctx, p, countID); err != nil {
			return nil, err
		}
	}
	rows, err := store.Approvals(tx, countID, 200)
	if err != nil {
		return nil, err
	}
	out := make([]ApprovalView, len(rows))
	for i := range rows {
		c, err := desk.CountRow(tx, rows[i].CountID)
		if err != nil {
			return nil, err
		}
		if out[i], err = approvalView(&rows[i], c.Name, p); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Answering is an answer to somebody who asks to agree.
type Answering struct {
	Agree bool   `json:"agree"`
	Word  string `json:"word,omitempty" maxLength:"500" doc:"needed where it is sent back"`
}

// Answer agrees to a posting, which goes out then just as it was shown, or sends it back with a word. Whoever made it cannot agree to it,
// but take it back.
func (d *Room) Answer(ctx context.Context, p desk.Person, id int64, x Answering) (Sent, error) {
	sent, err := desk.Do(ctx, d.Desk, p, desk.Agree, desk.Key{}, func(w *desk.Work) (out Sent, err error) {
		row, err := store.ApprovalOf(w.Tx, id)
		if err != nil {
			return out, err
		}
		own := row.PersonID == p.ID
		switch x.Word = strings.TrimSpace(x.Word); {
		case row.ID == 0:
			return out, desk.Missing("This posting")
		case row.State != store.Waits:
			return out, desk.RefuseAs(desk.Changed, "state", "It waits no more: it was %s by %s.", row.State, row.SettledBy)
		case own && x.Agree:
			return out, desk.Refuse("You made this posting yourself. Somebody else has to agree to it.")
		case !own && p.Role != "approver" && p.Role != "controller":
			return out, desk.Allow(p, desk.Agree)
		case !own && !x.Agree && x.Word == "":
			return out, desk.RefuseAs(desk.Invalid, "word", "Say why it is sent back.")
		}
		c, err := w.Running(row.CountID)
		if err != nil {
			return out, err
		}
		row.SettledBy, row.SettledAt, row.Answer = p.Name, w.Now, x.Word
		if x.Agree {
			var g Going
			if err := json.Unmarshal([]byte(row.Body), &g); err != nil {
				return out, err
			}
			f, err := d.workedOut(w.Tx, c, &g)
			if err != nil {
				return out, err
			}
			if err := f.asSeen(row.Lines, row.Sha); err != nil {
				return out, desk.RefuseAs(
					desk.Changed,
					"sha",
					"The accepted lines have changed since %s asked. It has to be asked for anew; nothing was sent.",
					row.Person,
				)
			}
			if out.Posting, err = d.make(w, c, &f, made{going: g, maker: row.Person, agreedBy: p.Name}); err != nil {
				return out, err
			}
			row.State, row.Posting = store.Agreed, out.Posting.Number
			return out, store.KeepApproval(w.Tx, &row)
		}
		if row.State = store.SentBack; own {
			row.State = store.TakenBack
		}
		if err := store.KeepApproval(w.Tx, &row); err != nil {
			return out, err
		}
		v, err := approvalView(&row, c.Name, p)
		if err != nil {
			return out, err
		}
		out.Approval = &v
		return out, w.Say(row.State, map[string]any{"count": c.ID, "approval": row.ID, "word": row.Answer})
	})
	if err == nil && sent.Posting != nil {
		if row, err := store.ApprovalOf(d.Store.Read(ctx), id); err == nil {
			d.deliver(ctx, row.CountID, sent.Posting)
		}
	}
	return sent, err
}

// waitingByReason tells what waits to go out, by reason, the heaviest first.
func waitingByReason(tx *store.Tx, countID int64) ([]ReasonWorth, error) {
	names := map[string]store.Reason{}
	all, err := store.Reasons(tx)
	if err != nil {
		return nil, err
	}
	for _, r := range all {
		names[r.Code] = r
	}
	by := map[string]*ReasonWorth{}
	order := []string{}
	err = store.EachAccepted(tx, countID, func(l store.OpenReason) error {
		x := by[l.Reason]
		if x == nil {
			x = &ReasonWorth{Reason: l.Reason, Name: names[l.Reason].Name, Account: names[l.Reason].Account}
			by[l.Reason], order = x, append(order, l.Reason)
		}
		if x.Lines++; !l.Valued {
			x.Unvalued++
		}
		if !x.Sums.Add(quantity.Quantity(l.Quantity), quantity.Money(l.Value)) {
			return count.TooMuch()
		}
		return nil
	})
	out := make([]ReasonWorth, 0, len(order))
	for _, reason := range order {
		out = append(out, *by[reason])
	}
	sortByWorth(out)
	return out, err
}
