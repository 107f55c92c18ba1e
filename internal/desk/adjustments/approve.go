package adjustments

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"strings"
	"time"

	"gorm.io/gorm"

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

// agreementKey is the setting that holds it.
const agreementKey = "agreement"

func agreementOf(tx *gorm.DB) (a Agreement, err error) {
	var text string
	if err := tx.Raw("SELECT coalesce((SELECT value FROM settings WHERE key = ?), '')", agreementKey).Scan(&text).Error; err != nil ||
		text == "" {
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
		if err := w.Exec("INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", agreementKey, string(b)).Error; err != nil {
			return none, err
		}
		return none, w.Say("agreement", map[string]any{"always": a.Always, "over": a.Over})
	})
	return err
}

// needsAgreement tells whether somebody else has to agree to a posting of so much. What has no value is within no limit.
func (d *Room) needsAgreement(tx *gorm.DB, c *store.Count, f *postingFile) (bool, error) {
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
	var before int64
	if err := tx.Raw("SELECT coalesce(sum(gross), 0) FROM postings WHERE count_id = ?", c.ID).Scan(&before).Error; err != nil {
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
	var waits store.Approval
	if err := w.Where("count_id = ? AND state = ?", c.ID, store.Waits).Limit(1).Find(&waits).Error; err != nil {
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
	if err := w.Create(&row).Error; err != nil {
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
	q := tx.Where("state = ?", store.Waits)
	if countID != 0 {
		if _, err := d.Judge(ctx, p, countID); err != nil {
			return nil, err
		}
		q = tx.Where("count_id = ?", countID)
	}
	var rows []store.Approval
	if err := q.Order("id DESC").Limit(200).Find(&rows).Error; err != nil {
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
		var row store.Approval
		if err := w.Where("id = ?", id).Limit(1).Find(&row).Error; err != nil {
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
			return out, w.Save(&row).Error
		}
		if row.State = store.SentBack; own {
			row.State = store.TakenBack
		}
		if err := w.Save(&row).Error; err != nil {
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
		var row store.Approval
		if err := d.Store.Read(ctx).Where("id = ?", id).Limit(1).Find(&row).Error; err == nil {
			d.deliver(ctx, row.CountID, sent.Posting)
		}
	}
	return sent, err
}

// waitingByReason tells what waits to go out, by reason, the heaviest first.
func waitingByReason(tx *gorm.DB, countID int64) ([]ReasonWorth, error) {
	names := map[string]store.Reason{}
	var all []store.Reason
	if err := tx.Find(&all).Error; err != nil {
		return nil, err
	}
	for _, r := range all {
		names[r.Code] = r
	}
	by := map[string]*ReasonWorth{}
	order := []string{}
	err := store.Each(
		tx,
		"SELECT reason, rest, rest_value FROM count_lines WHERE count_id = ? AND queue = ? AND queue > 0",
		[]driver.Value{countID, int64(store.QueueAccepted)},
		func(v []driver.Value) error {
			reason, _ := v[0].(string)
			x := by[reason]
			if x == nil {
				x = &ReasonWorth{Reason: reason, Name: names[reason].Name, Account: names[reason].Account}
				by[reason], order = x, append(order, reason)
			}
			value, valued := v[2].(int64)
			if x.Lines++; !valued {
				x.Unvalued++
			}
			if !x.Sums.Add(quantity.Quantity(v[1].(int64)), quantity.Money(value)) {
				return count.TooMuch()
			}
			return nil
		},
	)
	out := make([]ReasonWorth, 0, len(order))
	for _, reason := range order {
		out = append(out, *by[reason])
	}
	sortByWorth(out)
	return out, err
}
