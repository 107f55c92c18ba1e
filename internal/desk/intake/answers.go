package intake

import (
	"context"
	"strings"

	"wobin/internal/core/layout"
	"wobin/internal/desk"
)

// Choose settles something about a dropped file, in place of all that was settled before, and looks at it again.
func (d *Room) Choose(ctx context.Context, p desk.Person, id string, choices Choices) (*Draft, error) {
	return d.change(ctx, p, id, func(dr *draft) error {
		dr.choices = choices
		return nil
	})
}

// Answer is one thing settled about a dropped file. What it leaves out stays.
type Answer struct {
	Sheet      int            `json:"sheet,omitempty"`
	Use        string         `json:"use,omitempty" enum:"yes,no,"`
	Layout     string         `json:"layout,omitempty" doc:"the name of a saved layout; - for none"`
	Delimiter  string         `json:"delimiter,omitempty" maxLength:"4"`
	Encoding   string         `json:"encoding,omitempty"`
	RecordedAt string         `json:"recorded_at,omitempty"`
	CountedAt  string         `json:"counted_at,omitempty"`
	Count      int64          `json:"count,omitempty"`
	Check      string         `json:"check,omitempty" doc:"what the answer is to, of the checks"`
	Value      string         `json:"value,omitempty" doc:"the option that is chosen"`
	Set        *layout.Layout `json:"set,omitempty" doc:"laid over what was settled about the sheet"`
	Stays      *[]int         `json:"stays,omitempty" maxItems:"1000" doc:"the rows of a revision whose earlier count stays, all of them"`
	Mends      []CellMend     `json:"mends,omitempty"`
	MendAlike  *MendAlike     `json:"mend_alike,omitempty"`
	Back       bool           `json:"back,omitempty" doc:"take the last answer back"`
}

// MendAlike puts all cells of a group of problems right that say the same.
type MendAlike struct {
	Kind  string `json:"kind"`
	Field string `json:"field"`
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// Settle settles one thing about a dropped file and looks at it again.
func (d *Room) Settle(ctx context.Context, p desk.Person, id string, a Answer) (*Draft, error) {
	return d.change(ctx, p, id, func(dr *draft) error {
		if a.Back {
			if n := len(dr.history); n > 0 {
				dr.choices, dr.history = dr.history[n-1], dr.history[:n-1]
			}
			return nil
		}
		if a.Set != nil {
			if err := a.Set.Valid(); err != nil {
				return desk.Refuse("%s.", strings.TrimSuffix(desk.SentenceOf(err), "."))
			}
		}
		dr.remember()
		c := &dr.choices
		set := func(into *string, v string) bool {
			if v != "" {
				*into = v
			}
			return v != ""
		}
		if set(&c.Layout, a.Layout) {
			c.Sheets = nil
		}
		if set(&c.Delimiter, a.Delimiter) {
			c.Sheets = nil // other cells, other columns
		}
		set(&c.Encoding, a.Encoding)
		set(&c.RecordedAt, a.RecordedAt)
		set(&c.CountedAt, a.CountedAt)
		if a.Count != 0 {
			c.Count, c.Checks = a.Count, nil
		}
		if a.Check != "" {
			if err := c.answer(a.Sheet, a.Check, a.Value); err != nil {
				return err
			}
		}
		s := c.sheet(a.Sheet)
		set(&s.Use, a.Use)
		if a.Set != nil {
			s.Layout.Settle(a.Set)
		}
		if a.Stays != nil {
			s.Stays = *a.Stays
		}
		c.setSheet(a.Sheet, s)
		for _, m := range a.Mends {
			m.Sheet = a.Sheet
			c.mend(m)
		}
		if a.MendAlike != nil {
			return dr.mendAlike(a.Sheet, a.MendAlike)
		}
		return nil
	})
}

// mend adds a mended cell; a second mend of the same cell replaces the first.
func (c *Choices) mend(m CellMend) {
	mends := make([]CellMend, 0, len(c.Mends)+1)
	for _, x := range c.Mends {
		if x.Sheet == m.Sheet && x.Row == m.Row && x.Column == m.Column {
			m.Was = x.Was
			continue
		}
		mends = append(mends, x)
	}
	if m.Was != m.Is {
		mends = append(mends, m)
	}
	c.Mends = mends
}

// remember keeps what is settled now, to go back to.
func (dr *draft) remember() {
	if len(dr.history) == 100 {
		dr.history = dr.history[1:]
	}
	dr.history = append(dr.history, dr.choices)
}

func (d *Room) change(ctx context.Context, p desk.Person, id string, do func(dr *draft) error) (*Draft, error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return nil, err
	}
	defer let()
	before := dr.choices
	if err := do(dr); err != nil {
		return nil, err
	}
	dr.used = d.Now()
	work, end := dr.working(ctx)
	defer end()
	seen, err := d.lookAgain(work, dr)
	if err != nil {
		dr.choices = before
	}
	return seen, err
}
