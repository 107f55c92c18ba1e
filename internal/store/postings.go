package store

import (
	"database/sql/driver"
	"encoding/json"
	"slices"

	"gorm.io/gorm"
)

// SettingAgreement is the setting that says, as JSON, when somebody other than the maker has to agree to a posting.
const SettingAgreement = "agreement"

// Setting gives a setting of the site; empty where it was never made.
func Setting(tx *gorm.DB, name string) (value string, err error) {
	err = tx.Raw("SELECT coalesce((SELECT value FROM settings WHERE key = ?), '')", name).Scan(&value).Error
	return value, err
}

// KeepSetting makes a setting of the site, or makes it anew.
func KeepSetting(tx *gorm.DB, name, value string) error {
	return tx.Exec("INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", name, value).Error
}

// OutLayouts gives the layouts of files out that are kept, by name.
func OutLayouts(tx *gorm.DB) (rows []OutLayout, err error) {
	err = tx.Order("name").Find(&rows).Error
	return rows, err
}

// OutLayoutNamed gives a kept layout of files out; one without a number where there is none.
func OutLayoutNamed(tx *gorm.DB, name string) (row OutLayout, err error) {
	err = tx.Where("name = ?", name).Limit(1).Find(&row).Error
	return row, err
}

// KeepOutLayout keeps a layout of files out, in the place of the one of its number.
func KeepOutLayout(tx *gorm.DB, row *OutLayout) error { return tx.Save(row).Error }

// DropOutLayout drops a kept layout of files out, and tells whether there was one.
func DropOutLayout(tx *gorm.DB, name string) (was bool, err error) {
	r := tx.Where("name = ?", name).Delete(&OutLayout{})
	return r.RowsAffected > 0, r.Error
}

// WaitingApproval gives the question about a posting of a count that waits for its answer; one without a number where none does.
func WaitingApproval(tx *gorm.DB, count int64) (row Approval, err error) {
	err = tx.Where("count_id = ? AND state = ?", count, Waits).Limit(1).Find(&row).Error
	return row, err
}

// ApprovalOf gives a question about a posting; one without a number where there is none.
func ApprovalOf(tx *gorm.DB, id int64) (row Approval, err error) {
	err = tx.Where("id = ?", id).Limit(1).Find(&row).Error
	return row, err
}

// Approvals gives the questions about postings that wait for an answer, over all counts, or all those of one count; the latest first, and
// no more than some.
func Approvals(tx *gorm.DB, count int64, most int) (rows []Approval, err error) {
	q := tx.Order("id DESC").Limit(most)
	if count == 0 {
		q = q.Where("state = ?", Waits)
	} else {
		q = q.Where("count_id = ?", count)
	}
	err = q.Find(&rows).Error
	return rows, err
}

// KeepApproval keeps a question about a posting: a new one, or what became of one.
func KeepApproval(tx *gorm.DB, row *Approval) error { return tx.Save(row).Error }

// OpenReason is what waits to go out of one line.
type OpenReason struct {
	Reason   string
	Quantity int64 // millionths
	Value    int64
	Valued   bool
}

// EachAccepted goes over the accepted lines of a count that did not go out yet, as the lines lie.
func EachAccepted(tx *gorm.DB, count int64, take func(OpenReason) error) error {
	return Each(tx, "SELECT reason, rest, rest_value FROM count_lines WHERE count_id = ? AND queue = ? AND queue > 0",
		[]driver.Value{count, int64(QueueAccepted)}, func(v []driver.Value) error {
			x := OpenReason{Reason: textOf(v[0]), Quantity: v[1].(int64)}
			x.Value, x.Valued = v[2].(int64)
			return take(x)
		})
}

// LastPosting gives the highest number of a posting of a count; 0 where nothing went out.
func LastPosting(tx *gorm.DB, count int64) (number int, err error) {
	err = tx.Raw("SELECT coalesce(max(number), 0) FROM postings WHERE count_id = ?", count).Scan(&number).Error
	return number, err
}

// NewestPosting gives the id of the posting that was made last, of whichever count; 0 where there is none.
func NewestPosting(tx *gorm.DB) (id int64, err error) {
	err = tx.Raw("SELECT coalesce(max(id), 0) FROM postings").Scan(&id).Error
	return id, err
}

// PostingNumbered gives a posting of a count by its number; one without an id where there is none.
func PostingNumbered(tx *gorm.DB, count int64, number int) (row Posting, err error) {
	err = tx.Where("count_id = ? AND number = ?", count, number).Limit(1).Find(&row).Error
	return row, err
}

// Postings gives the postings of a count by number, and what else is known of each; not every one has facts.
func Postings(tx *gorm.DB, count int64) (rows []Posting, facts []PostingFacts, err error) {
	if err := tx.Where("count_id = ?", count).Order("number").Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, nil, err
	}
	err = ofPostings(tx, count).Find(&facts).Error
	return rows, facts, err
}

func ofPostings(tx *gorm.DB, count int64) *gorm.DB {
	return tx.Where("posting_id IN (?)", tx.Model(&Posting{}).Select("id").Where("count_id = ?", count))
}

// FactsOf gives what else is known of a posting; nothing where nothing is.
func FactsOf(tx *gorm.DB, posting int64) (row PostingFacts, err error) {
	err = tx.Where("posting_id = ?", posting).Limit(1).Find(&row).Error
	return row, err
}

// PostingFiles gives the files of the postings of a count, each in its order.
func PostingFiles(tx *gorm.DB, count int64) (rows []PostingFile, err error) {
	err = ofPostings(tx, count).Order("posting_id, n").Find(&rows).Error
	return rows, err
}

// Deliveries gives how the files of the postings of a count came into the folder, or why not, in the order of the attempts.
func Deliveries(tx *gorm.DB, count int64) (rows []Delivery, err error) {
	err = ofPostings(tx, count).Order("id").Find(&rows).Error
	return rows, err
}

// AddDelivery notes an attempt to write the files of a posting into the folder.
func AddDelivery(tx *gorm.DB, row *Delivery) error { return tx.Create(row).Error }

// AddPosting makes a posting with what else is known of it, the names of its files, and what it sends by reason. The numbers that they
// refer to it by are set here. Its lines follow by AddPostingLines.
func AddPosting(tx *gorm.DB, row *Posting, facts *PostingFacts, files []PostingFile) error {
	if err := tx.Create(row).Error; err != nil {
		return err
	}
	facts.PostingID = row.ID
	if err := tx.Create(facts).Error; err != nil {
		return err
	}
	for i := range files {
		files[i].PostingID = row.ID
	}
	return Batch(tx, files)
}

// PostingLines gives what a posting sent, line by line.
func PostingLines(tx *gorm.DB, posting int64) (rows []PostingLine, err error) {
	err = tx.Where("posting_id = ?", posting).Find(&rows).Error
	return rows, err
}

// TakenBackOf gives the lines of a posting that later ones of some kind took back, or noted as missing; of an empty kind, of any.
func TakenBackOf(tx *gorm.DB, posting int64, kind string) (map[int64]bool, error) {
	back := map[int64]bool{}
	err := Each(tx, `SELECT l.pos FROM posting_facts f JOIN posting_lines l ON l.posting_id = f.posting_id
		WHERE f.of = ?1 AND (?2 = '' OR f.kind = ?2)`, []driver.Value{posting, kind}, func(v []driver.Value) error {
		back[v[0].(int64)] = true
		return nil
	})
	return back, err
}

// DescribedLine is what is known of the item and the bin of a line of a count.
type DescribedLine struct {
	Pos                                                        int64
	Zone, Description, Category, FurtherSKU, RecordID, Barcode string
	Barcodes, Packs, Attributes                                string // of the item, as JSON; Packs: read.Pack
}

// EachDescribed goes over some lines of a count with what is known of their items and bins, in the order in which they are given.
func EachDescribed(tx *gorm.DB, count int64, positions []int64, take func(DescribedLine) error) error {
	list, err := json.Marshal(positions)
	if err != nil {
		return err
	}
	return Each(tx, `SELECT l.pos, b.zone, i.description, coalesce(k.category, ''), i.further_sku, i.record_id, i.barcode, i.barcodes, i.packs,
			i.attributes
		FROM json_each(?) j CROSS JOIN count_lines l ON l.count_id = ? AND l.pos = j.value
		JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
		LEFT JOIN count_items k ON k.count_id = l.count_id AND k.item_id = l.item_id`, []driver.Value{string(list), count}, func(v []driver.Value) error {
		return take(DescribedLine{v[0].(int64), textOf(v[1]), textOf(v[2]), textOf(v[3]), textOf(v[4]), textOf(v[5]), textOf(v[6]), textOf(v[7]),
			textOf(v[8]), textOf(v[9])})
	})
}

// EachAcceptedPair goes over the lines of a count that a cause was accepted of which names another line, too, in the order of accepting.
func EachAcceptedPair(tx *gorm.DB, count int64, cause string, take func(pos, other int64)) error {
	return Each(tx, "SELECT pos, other FROM causes_accepted WHERE count_id = ? AND cause = ? AND other > 0 ORDER BY id", []driver.Value{count, cause},
		func(v []driver.Value) error {
			take(v[0].(int64), v[1].(int64))
			return nil
		})
}

// StockKey is a key of stock in a warehouse, as the records number it.
type StockKey struct {
	Bin, Item            int64
	Lot, Serial, Holding string
}

// keyAt gives the key that the first five columns of a row say: bin, item, lot, serial and holding. What is null is 0 or empty.
func keyAt(v []driver.Value) StockKey {
	number := func(v driver.Value) int64 { n, _ := v.(int64); return n }
	return StockKey{number(v[0]), number(v[1]), textOf(v[2]), textOf(v[3]), textOf(v[4])}
}

// eachQuantity goes over rows of a key and a quantity in millionths.
func eachQuantity(tx *gorm.DB, q string, args []driver.Value, take func(k StockKey, quantity int64) error) error {
	return Each(tx, q, args, func(v []driver.Value) error { return take(keyAt(v), v[5].(int64)) })
}

// EachPosted goes over the keys of the lines of a posting, in the order of its count.
func EachPosted(tx *gorm.DB, count, posting int64, take func(k StockKey, pos int64) error) error {
	return eachQuantity(tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, l.pos
		FROM posting_lines s JOIN count_lines l ON l.count_id = ? AND l.pos = s.pos WHERE s.posting_id = ? ORDER BY l.pos`,
		[]driver.Value{count, posting}, take)
}

// EachSentBetween goes over all that postings of any count of a warehouse sent after one instant and until another, and what one posting
// sent whenever that was. What was noted as missing, and the note of it, are left out: nothing of them is to land.
func EachSentBetween(tx *gorm.DB, warehouse, after, until, posting int64, take func(k StockKey, variance int64) error) error {
	return eachQuantity(tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, s.variance FROM postings g JOIN counts c ON c.id = g.count_id
		LEFT JOIN posting_facts k ON k.posting_id = g.id
		CROSS JOIN posting_lines s ON s.posting_id = g.id CROSS JOIN count_lines l ON l.count_id = g.count_id AND l.pos = s.pos
		WHERE c.warehouse_id = ? AND (g.at > ? AND g.at <= ? OR g.id = ?) AND coalesce(k.kind, '') <> ?
			AND NOT EXISTS (SELECT 1 FROM posting_facts n JOIN posting_lines m ON m.posting_id = n.posting_id AND m.pos = s.pos
				WHERE n.of = g.id AND n.kind = ?)`,
		[]driver.Value{warehouse, after, until, posting, Unlanded, Unlanded}, take)
}

// EachRecordedIn goes over the recorded quantities of a set in some bins.
func EachRecordedIn(tx *gorm.DB, set int64, bins []int64, take func(k StockKey, quantity int64) error) error {
	slices.Sort(bins)
	return eachQuantity(tx, `SELECT s.bin_id, s.item_id, s.lot, s.serial, s.holding, s.quantity FROM json_each(?) j
		CROSS JOIN set_bins b ON b.set_id = ? AND b.bin_id = j.value
		CROSS JOIN stock_lines s ON s.set_id = b.set_id AND s.pos >= b.first AND s.pos < b.first + b.lines`,
		[]driver.Value{listOf(bins), set}, take)
}

// EachMovedBetween goes over the movements of a warehouse after one instant and until another.
func EachMovedBetween(tx *gorm.DB, warehouse, after, until int64, take func(k StockKey, quantity int64) error) error {
	return eachQuantity(tx, "SELECT bin_id, item_id, lot, serial, holding, quantity FROM movements WHERE warehouse_id = ? AND at > ? AND at <= ?",
		[]driver.Value{warehouse, after, until}, take)
}
