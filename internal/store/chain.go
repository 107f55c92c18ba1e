package store

import (
	"context"
	"crypto/sha256"
	"database/sql/driver"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"
)

// Link is one entry of the chained record of who did what. Its hash covers its content and the hash before it.
type Link struct {
	ID             int64
	At             int64
	Person, What   string
	Detail         string // JSON; under "covers", what was appended with it
	Previous, Hash string
}

// TableName is chain.
func (Link) TableName() string { return "chain" }

func (l *Link) sum() string {
	h := sha256.New()
	for _, t := range []string{l.Previous, fmt.Sprint(l.At), l.Person, l.What, l.Detail} {
		fmt.Fprintf(h, "%d:%s\n", len(t), t)
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Covered is a run of rows of a table that a link covers: their numbers, and the SHA-256 of what they say.
type Covered struct {
	Table string `json:"table"`
	From  int64  `json:"from"`
	To    int64  `json:"to"`
	Sum   string `json:"sum"`
}

// covered are the tables whose rows links can cover, with the columns that count and the one that numbers their rows.
var covered = map[string][2]string{
	"entries": {
		"id, count_id, pos, sheet_id, round, parcel, withdrawn, quantity, CASE since WHEN 0 THEN counted_at ELSE since || '/' || counted_at END, counter, person, at, replaces, return_id, file_row, undoes",
		"id",
	},
	// A reason has no stroke in it, so a rule behind one is told apart.
	"decisions":         {"id, count_id, pos, kind, CASE rule WHEN '' THEN reason ELSE reason || '/' || rule END, person, at, quantity", "id"},
	"round_choices":     {"id, count_id, pos, round, last, person, at", "id"},
	"posting_facts":     {"posting_id, kind, of, layout, body, on_day, reference, reasons, set_id, agreed_by, agreed_at", "posting_id"},
	"posting_files":     {"posting_id, n, file_sha, file_name, lines, size", "posting_id"},
	"elsewhere_answers": {"id, count_id, posting_id, answer, person, at", "id"},
	"evidence":          {"id, count_id, pos, file_sha, file_name, sort, size, person, at", "id"},
	"causes_accepted":   {"id, count_id, pos, other, warehouse_id, cause, grade, bin_id, item_id, counter, quantity, evidence, person, at", "id"},
	"notes":             {"id, count_id, pos, text, person, at", "id"},
	"posting_lines":     {"posting_id, pos, variance, value, reason", "posting_id"},
	"postings":          {"id, count_id, number, mode, file_sha, file_name, lines, over, short, gross, unvalued, person, at", "id"},
}

// Cover works out what a link says of rows that were appended, from the rows as they stand in the database.
func Cover(tx *gorm.DB, table string, from, to int64) (c Covered, err error) {
	c = Covered{Table: table, From: from, To: to}
	what, known := covered[table]
	if !known {
		return c, fmt.Errorf("rows of %q are not covered by the record", table)
	}
	h := sha256.New()
	var b []byte
	columns := strings.SplitN(what[0], ", ", 3)
	q := "SELECT " + what[0] + " FROM " + table + " WHERE " + what[1] + " BETWEEN ? AND ? ORDER BY " + columns[0] + ", " + columns[1]
	err = Each(tx, q, []driver.Value{from, to}, func(v []driver.Value) error {
		b = b[:0]
		for _, x := range v {
			b = appendSummed(b, x)
		}
		h.Write(append(b, '\n'))
		return nil
	})
	c.Sum = hex.EncodeToString(h.Sum(nil))
	return c, err
}

// appendSummed appends a value as it is summed: a number by its digits, a text by its length and itself, nothing as a dash.
func appendSummed(b []byte, v driver.Value) []byte {
	switch x := v.(type) {
	case int64:
		b = strconv.AppendInt(b, x, 10)
	case string:
		b = append(append(strconv.AppendInt(b, int64(len(x)), 10), ':'), x...)
	case []byte:
		b = append(append(strconv.AppendInt(b, int64(len(x)), 10), ':'), x...)
	default:
		b = append(b, '-')
	}
	return append(b, ',')
}

// Record appends to the chain within a transaction. detail is a JSON object; covers are put into it.
func Record(tx *gorm.DB, at int64, person, what, detail string, covers ...Covered) error {
	if len(covers) > 0 {
		b, err := json.Marshal(covers)
		if err != nil {
			return err
		}
		sep := ","
		if detail == "{}" {
			sep = ""
		}
		detail = strings.TrimSuffix(detail, "}") + sep + `"covers":` + string(b) + "}"
	}
	var last Link
	if err := tx.Order("id DESC").Limit(1).Find(&last).Error; err != nil {
		return err
	}
	l := Link{At: at, Person: person, What: what, Detail: detail, Previous: last.Hash}
	l.Hash = l.sum()
	return tx.Create(&l).Error
}

// Proof is what proving the record came to.
type Proof struct {
	Links  int    // that hold
	Broken int64  // the number of the first that does not, 0 where all do
	Text   string // what is wrong, a sentence; empty where nothing is
}

// VerifyChain proves the record from its beginning: every link follows on the one before and is what it was, the entries,
// decisions and postings that links cover are what they were, none is there that no link covers since links do, and the
// end of the record is not missing.
func (s *Store) VerifyChain(ctx context.Context) (Proof, error) {
	return verifyChain(s.Read(ctx), s.Dir)
}

func verifyChain(tx *gorm.DB, dir string) (p Proof, err error) {
	ends, text := noted(dir)
	if text != "" {
		return Proof{Broken: 1, Text: text}, nil
	}
	previous, after, headSeen := "", int64(0), len(ends) == 0
	upTo, first := map[string]int64{}, map[string]int64{}
	for {
		var some []Link
		if err := tx.Where("id > ?", after).Order("id").Limit(1000).Find(&some).Error; err != nil {
			return p, err
		}
		for i := range some {
			l := &some[i]
			if l.ID != after+1 || l.Previous != previous || l.sum() != l.Hash {
				p.Broken, p.Text = after+1, fmt.Sprintf("The record breaks at its entry %d; the %d before it hold.", after+1, p.Links)
				return p, nil
			}
			var detail struct {
				Covers []Covered `json:"covers"`
			}
			if strings.Contains(l.Detail, `"covers"`) {
				if err := json.Unmarshal([]byte(l.Detail), &detail); err != nil {
					return p, err
				}
			}
			for _, c := range detail.Covers {
				is, err := Cover(tx, c.Table, c.From, c.To)
				if err != nil {
					return p, err
				}
				if is.Sum != c.Sum {
					p.Broken, p.Text = l.ID, fmt.Sprintf(
						"The %s that entry %d of the record covers (numbers %d to %d) are not what they were.",
						strings.ReplaceAll(c.Table, "_", " "),
						l.ID,
						c.From,
						c.To,
					)
					return p, nil
				}
				if _, had := first[c.Table]; !had {
					first[c.Table] = c.From
				}
				upTo[c.Table] = max(upTo[c.Table], c.To)
			}
			headSeen = headSeen || slices.Contains(ends, end{l.ID, l.Hash})
			previous, after, p.Links = l.Hash, l.ID, p.Links+1
		}
		if len(some) == 0 {
			break
		}
	}
	if !headSeen {
		p.Broken, p.Text = after+1, fmt.Sprintf(
			"The record ends at its entry %d, but it went on to entry %d or beyond: its end was cut off or written anew.",
			after,
			ends[0].id,
		)
		return p, nil
	}
	for table, last := range upTo {
		var more int64
		if err := tx.Raw("SELECT count(*) FROM "+table+" WHERE "+covered[table][1]+" > ?", last).Scan(&more).Error; err != nil {
			return p, err
		}
		if more > 0 {
			p.Broken, p.Text = after+1, fmt.Sprintf(
				"There are %d rows among the %s that no entry of the record covers.",
				more,
				strings.ReplaceAll(table, "_", " "),
			)
			return p, nil
		}
	}
	return p, nil
}
