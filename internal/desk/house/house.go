// Package house holds the rooms of the use cases together over one data folder. The web and the command line call it and the
// rooms, and nothing below them.
package house

import (
	"context"
	"time"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/elevation"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/people"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/recorded"
	"wobin/internal/desk/reference"
	"wobin/internal/desk/report"
	"wobin/internal/desk/safety"
	"wobin/internal/desk/steps"
	"wobin/internal/desk/today"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

// House is the kernel and every room of one data folder.
type House struct {
	*desk.Desk
	Adjustments *adjustments.Room
	Counting    *counting.Room
	Elevation   *elevation.Room
	Intake      *intake.Room
	Lists       *lists.Room
	People      *people.Room
	Plan        *plan.Room
	Recorded    *recorded.Room
	Reference   *reference.Room
	Report      *report.Room
	Safety      *safety.Room
	Steps       *steps.Room
	Today       *today.Room
	Variances   *variances.Room
}

// New makes the house over an open store, or over none for the description of the operations alone. now is the clock. Counts
// of an older program are worked out again first.
func New(s *store.Store, now func() time.Time) (*House, error) {
	d := desk.New(s, now)
	r := recorded.New(d)
	i := intake.New(d)
	v := variances.New(d, r)
	a := adjustments.New(d)
	f := reference.New(d, r)
	g := safety.New(d)
	h := &House{
		Desk:        d,
		Adjustments: a,
		Counting:    counting.New(d),
		Elevation:   elevation.New(d, r),
		Intake:      i,
		Lists:       lists.New(d, r, f, v, g),
		People:      people.New(d),
		Plan:        plan.New(d, r),
		Recorded:    r,
		Reference:   f,
		Report:      report.New(d, v, a),
		Safety:      g,
		Steps:       steps.New(d),
		Today:       today.New(d, r, i, a),
		Variances:   v,
	}
	refresh := func(ctx context.Context) error { return count.Refresh(ctx, d) }
	d.OnRenewal(refresh)
	if s == nil {
		return h, nil
	}
	return h, refresh(context.Background())
}
