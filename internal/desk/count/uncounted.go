package count

import (
	"encoding/json"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// UncountedPart says which uncounted lines are meant: of a zone, of a sheet, some of them, or all.
type UncountedPart struct {
	Zone  *string `json:"zone,omitempty" doc:"left out: all zones"`
	Sheet int     `json:"sheet,omitempty" minimum:"0" doc:"the number of a sheet; left out: all of them"`
	Lines []int64 `json:"lines,omitempty" maxItems:"100000" doc:"these lines alone"`
}

// Uncounted gives the uncounted lines of a part in walking order: those of which something is expected, and those that were settled to be
// zero already. Lines that one of two rounds has counted wait for the other, and are not among them.
func Uncounted(w *desk.Work, c *store.Count, part UncountedPart) (lines, zeroed []store.CountLine, err error) {
	q, args := `SELECT l.pos FROM count_lines l JOIN bins b ON b.id = l.bin_id WHERE l.count_id = ? AND l.status = 'uncounted' AND l.pending = 0
		AND (l.expected <> 0 OR l.zeroed = 1)`, []any{c.ID}
	if part.Zone != nil {
		q, args = q+" AND b.zone = ?", append(args, *part.Zone)
	}
	if part.Sheet != 0 {
		var s store.Sheet
		if err := w.Where("count_id = ? AND number = ? AND state NOT IN ?", c.ID, part.Sheet, store.Void).Limit(1).Find(&s).Error; err != nil {
			return nil, nil, err
		}
		if s.ID == 0 {
			return nil, nil, desk.Missing("The sheet")
		}
		where, more := s.Where("l.pos")
		q, args = q+" AND "+where, append(args, more...)
	}
	if part.Lines != nil {
		b, err := json.Marshal(part.Lines)
		if err != nil {
			return nil, nil, err
		}
		q, args = q+" AND l.pos IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	var positions []int64
	if err := w.Raw(q+" ORDER BY l.pos", args...).Scan(&positions).Error; err != nil {
		return nil, nil, err
	}
	for some := range slices.Chunk(positions, Stretch) {
		err := store.EachCountLine(w.Tx, c.ID, store.Positions{Some: some}, func(l *store.CountLine) error {
			if l.Zeroed {
				zeroed = append(zeroed, *l)
			} else {
				lines = append(lines, *l)
			}
			return nil
		})
		if err != nil {
			return nil, nil, err
		}
	}
	return lines, zeroed, nil
}

// Returned gives those of some lines that no sheet holds which is still to come: nobody counts them unless they are given out again.
// lines stand in the order of their positions.
func Returned(tx *gorm.DB, c *store.Count, lines []store.CountLine) (positions []int64, err error) {
	var sheets []store.Sheet
	err = tx.Where("count_id = ? AND picked = '' AND state IN ? AND lines > 0", c.ID, []string{store.WithUs, store.Out}).Order("first").
		Find(&sheets).Error
	if err != nil {
		return nil, err
	}
	again, err := BeingRecounted(tx, c.ID)
	if err != nil {
		return nil, err
	}
	next, until := 0, int64(0)
	for i := range lines {
		pos := lines[i].Pos
		for ; next < len(sheets) && sheets[next].First <= pos; next++ { // sheets of two rounds lie over one another
			until = max(until, sheets[next].First+int64(sheets[next].Lines))
		}
		if _, is := again[pos]; pos >= until && !is {
			positions = append(positions, pos)
		}
	}
	return positions, nil
}
