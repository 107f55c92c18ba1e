package read

import (
	"time"

	"wobin/internal/core/form"
)

// times reads the times of a column, remembering the last text, since neighbouring rows mostly have the same.
type times struct {
	zone   *time.Location
	source *reader
	first  string // text that was read
	last   string
	at     int64
	err    error
	seen   map[string]*timeRead // a million rows hold few different times, in whatever order
}

// timeRead is what a text was read as, and what it tells of the order of dates.
type timeRead struct {
	text string
	at   int64
	err  error
	says form.DateEvidence
}

// mostTimes is how many different texts are remembered.
const mostTimes = 8192

func (t *times) parse(b []byte) (int64, error) {
	if string(b) != t.last || t.last == "" {
		if r, had := t.seen[string(b)]; had {
			t.last, t.at, t.err = r.text, r.at, r.err
			t.source.Read = true
			if r.says.Even > 0 { // which of them is the example hangs on their order
				t.source.DayVotes.Add(r.text)
			} else {
				t.source.DayVotes.Join(&r.says)
			}
			return t.at, t.err
		}
		if t.last = string(b); t.first == "" {
			t.first = t.last
		}
		t.at, t.err = t.source.Dates.Parse(t.last, t.zone)
		t.source.Read = true
		t.source.DayVotes.Add(t.last)
		if t.seen == nil {
			t.seen = map[string]*timeRead{}
		}
		if len(t.seen) < mostTimes {
			r := &timeRead{text: t.last, at: t.at, err: t.err}
			r.says.Add(t.last)
			t.seen[t.last] = r
		}
	}
	return t.at, t.err
}
