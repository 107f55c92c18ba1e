package count

import (
	"database/sql/driver"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Elsewhere is a posting of another count that holds lines of this one and went out after the stock of this one was recorded:
// the two counts may say the same difference twice.
type Elsewhere struct {
	Posting   int64     `json:"posting" doc:"what it is answered for"`
	Count     int64     `json:"count"`
	CountName string    `json:"count_name"`
	Number    int       `json:"number" doc:"of the posting in its count"`
	At        time.Time `json:"at"`
	Lines     int       `json:"lines" doc:"lines of this count that it holds"`
	Answer    string    `json:"answer" enum:",had,takes" doc:"whether the records had it when this count's stock was recorded, or still take it in; empty: to be said"`
	By        string    `json:"by" doc:"who said so"`
	// Some are the first of its lines.
	Some []ElsewhereLine `json:"some"`
}

// ElsewhereLine is what such a posting sent out of a line.
type ElsewhereLine struct {
	Pos      int64             `json:"pos"`
	Line     string            `json:"line"`
	Quantity quantity.Quantity `json:"quantity"`
}

// someElsewhere is how many lines of a posting are listed.
const someElsewhere = 100

// The answers: the record system had taken the posting in before the stock of the count was recorded, or takes it in later, so
// that what the posting sent is reckoned in.
const (
	Had   = "had"
	Takes = "takes"
)

// StockKeyAt gives the key that five columns of a row say from one on: bin, item, lot, serial and holding. What is null is 0 or empty.
func StockKeyAt(v []driver.Value, at int) store.StockKey {
	n := func(i int) int64 { x, _ := v[i].(int64); return x }
	t := func(i int) string { x, _ := v[i].(string); return x }
	return store.StockKey{Bin: n(at), Item: n(at + 1), Lot: t(at + 2), Serial: t(at + 3), Holding: t(at + 4)}
}

// NoteElsewhere notes for lines of a count what other counts of its warehouse sent out of them since their stock was recorded:
// for lines at some positions, or, without any, for all. only is a posting, or 0 for all of them. It gives the lines that
// something was noted of.
func NoteElsewhere(w *desk.Work, c *store.Count, positions []int64, only int64) (noted []int64, err error) {
	type sent struct{ posting, at, quantity int64 }
	of, bins := map[store.StockKey][]sent{}, map[int64]bool{}
	err = store.Each(w.Tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding,
			CASE f.kind WHEN ? THEN f.of ELSE g.id END, coalesce(o.at, g.at), s.variance
		FROM postings g JOIN counts x ON x.id = g.count_id LEFT JOIN posting_facts f ON f.posting_id = g.id
			LEFT JOIN postings o ON f.kind = ? AND o.id = f.of
		CROSS JOIN posting_lines s ON s.posting_id = g.id CROSS JOIN count_lines l ON l.count_id = g.count_id AND l.pos = s.pos
		WHERE x.warehouse_id = ? AND g.count_id <> ? AND g.at > ? AND (? = 0 OR g.id = ?) AND s.variance <> 0`,
		[]driver.Value{store.Unlanded, store.Unlanded, c.WarehouseID, c.ID, c.RecordedAt, only, only}, func(v []driver.Value) error {
			k := StockKeyAt(v, 0)
			of[k], bins[k.Bin] = append(of[k], sent{v[5].(int64), v[6].(int64), v[7].(int64)}), true
			return nil
		})
	if err != nil || len(of) == 0 {
		return nil, err
	}
	var rows [][4]int64
	take := func(v []driver.Value) error {
		pos, recorded := v[5].(int64), c.RecordedAt
		if frozen := v[6].(int64); frozen != 0 {
			recorded = frozen
		}
		some := false
		for _, x := range of[StockKeyAt(v, 0)] {
			if x.at > recorded {
				rows, some = append(rows, [4]int64{c.ID, pos, x.posting, x.quantity}), true
			}
		}
		if some {
			noted = append(noted, pos)
		}
		return nil
	}
	const lines = "SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, l.pos, l.frozen FROM json_each(?) j CROSS JOIN count_lines l "
	q, picked := lines+"ON l.count_id = ? AND l.pos = j.value", positions
	if positions == nil {
		q = lines + "INDEXED BY count_lines_bin ON l.count_id = ? AND l.bin_id = j.value"
		for b := range bins {
			picked = append(picked, b)
		}
	}
	slices.Sort(picked)
	list, err := json.Marshal(picked)
	if err != nil {
		return nil, err
	}
	if err := store.Each(w.Tx, q, []driver.Value{string(list), c.ID}, take); err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, nil
	}
	all, err := json.Marshal(rows)
	if err != nil {
		return nil, err
	}
	return noted, w.Exec(`INSERT INTO count_elsewhere (count_id, pos, posting_id, quantity)
		SELECT j.value->>0, j.value->>1, j.value->>2, j.value->>3 FROM json_each(?) j WHERE true
		ON CONFLICT (count_id, pos, posting_id) DO UPDATE SET quantity = quantity + excluded.quantity`, string(all)).Error
}

// SentOut notes a posting that was made with all other running counts of its warehouse.
func SentOut(w *desk.Work, c *store.Count, posting int64) error {
	var others []int64
	if err := w.Raw("SELECT id FROM counts WHERE warehouse_id = ? AND id <> ? AND state = ? AND recorded_at < ? ORDER BY id", c.WarehouseID, c.ID,
		store.Running, w.Now).Scan(&others).Error; err != nil {
		return err
	}
	for _, id := range others {
		o, err := desk.CountRow(w.Tx, id)
		if err != nil {
			return err
		}
		noted, err := NoteElsewhere(w, o, nil, posting)
		if err != nil {
			return err
		}
		if len(noted) == 0 {
			continue
		}
		if o, err = w.Running(id); err != nil {
			return err
		}
		if err := WorkOut(w, o, noted, false); err != nil { // a posting that did not land may be answered already
			return err
		}
	}
	return nil
}

// standingAnswer is the answer in force to a posting e of a count; empty where it is still to be said.
const standingAnswer = `coalesce((SELECT a.answer FROM elsewhere_answers a WHERE a.count_id = e.count_id AND a.posting_id = e.posting_id ORDER BY a.id DESC LIMIT 1), '')`

// Waits is the condition that another count sent something of a line l, and nobody has said whether the records had it.
const Waits = `EXISTS (SELECT 1 FROM count_elsewhere e WHERE e.count_id = l.count_id AND e.pos = l.pos AND e.quantity <> 0 AND ` + standingAnswer + ` = '')`

// SentElsewhere lists the postings of other counts that a count has to know of, those to be answered first.
func SentElsewhere(tx *gorm.DB, c *store.Count) ([]Elsewhere, error) {
	out := []Elsewhere{}
	err := store.Each(tx, `SELECT e.posting_id, g.count_id, x.name, g.number, g.at, count(*), `+standingAnswer+`,
			coalesce((SELECT a.person FROM elsewhere_answers a WHERE a.count_id = e.count_id AND a.posting_id = e.posting_id
				ORDER BY a.id DESC LIMIT 1), '')
		FROM count_elsewhere e JOIN postings g ON g.id = e.posting_id JOIN counts x ON x.id = g.count_id
		WHERE e.count_id = ? AND e.quantity <> 0 GROUP BY e.posting_id ORDER BY 7 <> '', g.id`, []driver.Value{c.ID}, func(v []driver.Value) error {
		text := func(i int) string { t, _ := v[i].(string); return t }
		out = append(out, Elsewhere{Posting: v[0].(int64), Count: v[1].(int64), CountName: text(2), Number: int(v[3].(int64)),
			At: desk.Instant(v[4].(int64)), Lines: int(v[5].(int64)), Answer: text(6), By: text(7), Some: []ElsewhereLine{}})
		return nil
	})
	if err != nil {
		return nil, err
	}
	for i := range out {
		x := &out[i]
		err := store.Each(tx, `SELECT e.pos, b.code, i.sku, l.lot, l.serial, e.quantity FROM count_elsewhere e
			JOIN count_lines l ON l.count_id = e.count_id AND l.pos = e.pos JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
			WHERE e.count_id = ? AND e.posting_id = ? AND e.quantity <> 0 ORDER BY abs(e.quantity) DESC, e.pos LIMIT ?`,
			[]driver.Value{c.ID, x.Posting, int64(someElsewhere)}, func(v []driver.Value) error {
				var name []string
				for _, t := range v[1:5] {
					if s, _ := t.(string); s != "" {
						name = append(name, s)
					}
				}
				x.Some = append(x.Some, ElsewhereLine{v[0].(int64), strings.Join(name, " · "), quantity.Quantity(v[5].(int64))})
				return nil
			})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// AnswerElsewhere settles whether the records had postings of other counts when the stock of a count was recorded. The latest answer
// to a posting stands.
func AnswerElsewhere(w *desk.Work, c *store.Count, postings []int64, answer string) error {
	if answer != Had && answer != Takes {
		return desk.RefuseAs(desk.Invalid, "answer", "Say whether the records had them already, or still take them in.")
	}
	rows := make([]store.ElsewhereAnswer, 0, len(postings))
	var positions []int64
	for _, p := range postings {
		var some []int64
		if err := w.Raw("SELECT pos FROM count_elsewhere WHERE count_id = ? AND posting_id = ?", c.ID, p).Scan(&some).Error; err != nil {
			return err
		}
		if len(some) == 0 {
			return desk.RefuseAs(desk.Changed, "postings", "This posting does not concern the count any more. Look at it again.")
		}
		positions = append(positions, some...)
		rows = append(rows, store.ElsewhereAnswer{CountID: c.ID, PostingID: p, Answer: answer, Person: w.Person.Name, At: w.Now})
	}
	if len(rows) == 0 {
		return desk.RefuseAs(desk.Invalid, "postings", "Say which postings are meant.")
	}
	if err := store.Batch(w.Tx, rows); err != nil {
		return err
	}
	if err := w.Cover("elsewhere_answers", rows[0].ID, rows[len(rows)-1].ID); err != nil {
		return err
	}
	return WorkOut(w, c, positions, false)
}

// corrections gives what is reckoned into lines of what other counts sent, by position.
func corrections(tx *gorm.DB, c *store.Count, p store.Positions, take func(pos int64, q quantity.Quantity)) error {
	var any bool
	if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM count_elsewhere WHERE count_id = ?)", c.ID).Scan(&any).Error; err != nil || !any {
		return err
	}
	return store.Each(tx, `SELECT e.pos, sum(e.quantity) FROM count_elsewhere e WHERE e.count_id = ? AND e.quantity <> 0 AND `+standingAnswer+` = ?
		GROUP BY e.pos ORDER BY e.pos`, []driver.Value{c.ID, Takes}, func(v []driver.Value) error {
		if pos := v[0].(int64); p.Has(pos) {
			take(pos, quantity.Quantity(v[1].(int64)))
		}
		return nil
	})
}

// Corrections gives what is reckoned into lines of what other counts sent, by position.
func Corrections(tx *gorm.DB, c *store.Count, p store.Positions) (map[int64]quantity.Quantity, error) {
	out := map[int64]quantity.Quantity{}
	return out, corrections(tx, c, p, func(pos int64, q quantity.Quantity) { out[pos] = q })
}

// Unanswered refuses lines of which another count sent something, while nobody has said whether the records had it.
func Unanswered(tx *gorm.DB, c *store.Count, positions []int64) error {
	var any bool
	if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM count_elsewhere WHERE count_id = ?)", c.ID).Scan(&any).Error; err != nil || !any {
		return err
	}
	list, err := json.Marshal(positions)
	if err != nil {
		return err
	}
	var lines int
	var first string
	err = tx.Raw(`SELECT count(DISTINCT e.pos), coalesce(min(x.name || ', posting ' || g.number), '') FROM json_each(?) j
		JOIN count_elsewhere e ON e.count_id = ? AND e.pos = j.value AND e.quantity <> 0 JOIN postings g ON g.id = e.posting_id
		JOIN counts x ON x.id = g.count_id WHERE `+standingAnswer+` = ''`, string(list), c.ID).Row().Scan(&lines, &first)
	if err != nil || lines == 0 {
		return err
	}
	return desk.RefuseAs(desk.Asks, "elsewhere", "Of %s another count sent something since this stock was recorded (%s). "+
		"Say whether the records had it already, or still take it in; else the same difference may go out twice.",
		desk.Plural(lines, "line", "lines"), first)
}
