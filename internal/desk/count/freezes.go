package count

import (
	"database/sql/driver"
	"sort"
	"time"

	"gorm.io/gorm"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// LaterFreeze is how many lines of a count are as they were recorded at a later moment than that of its freeze.
type LaterFreeze struct {
	At    time.Time `json:"at"`
	Lines int       `json:"lines"`
}

// Freezes tells of every line of a count when it was frozen: with the count, or later, where it was added while the count ran.
type Freezes struct {
	own  int64
	runs []frozenRun // of lines with a later one, in order
}

// frozenRun is lines that follow one another, of one freeze.
type frozenRun struct{ from, to, at int64 }

// FreezesOf reads them.
func FreezesOf(tx *gorm.DB, c *store.Count) (*Freezes, error) {
	f := &Freezes{own: c.FrozenAt}
	return f, store.Each(
		tx,
		"SELECT pos, frozen FROM count_lines INDEXED BY count_lines_frozen WHERE count_id = ? AND frozen > 0 ORDER BY pos",
		[]driver.Value{c.ID},
		func(v []driver.Value) error {
			pos, at := v[0].(int64), v[1].(int64)
			if n := len(f.runs) - 1; n >= 0 && f.runs[n].to == pos && f.runs[n].at == at {
				f.runs[n].to++
			} else {
				f.runs = append(f.runs, frozenRun{pos, pos + 1, at})
			}
			return nil
		},
	)
}

// At is the moment at which a line was frozen; that of the count for positions below 1, which have no line yet.
func (f *Freezes) At(pos int64) int64 {
	if i := sort.Search(len(f.runs), func(i int) bool { return f.runs[i].to > pos }); i < len(f.runs) && f.runs[i].from <= pos {
		return f.runs[i].at
	}
	return f.own
}

// later tells of the later ones, the first moment first.
func (f *Freezes) later() []LaterFreeze {
	lines := map[int64]int{}
	for _, r := range f.runs {
		lines[r.at] += int(r.to - r.from)
	}
	out := make([]LaterFreeze, 0, len(lines))
	for at, n := range lines {
		out = append(out, LaterFreeze{desk.Instant(at), n})
	}
	sort.Slice(out, func(a, b int) bool { return out[a].At.Before(out[b].At) })
	return out
}
