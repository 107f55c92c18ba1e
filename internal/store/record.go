package store

import "gorm.io/gorm"

// RecordQuery picks links of the record; what is empty narrows nothing.
type RecordQuery struct {
	Person, What string
	Count        int64
	From, Until  int64 // Unix nanoseconds; without Until
	Before       int64 // links with a lower number
	Most         int
}

// RecordOf gives links of the record, the latest first.
func RecordOf(tx *gorm.DB, q RecordQuery) (links []Link, err error) {
	rows := tx.Model(&Link{})
	if q.Person != "" {
		rows = rows.Where("person = ?", q.Person)
	}
	if q.What != "" {
		rows = rows.Where("what = ?", q.What)
	}
	if q.Count != 0 {
		rows = rows.Where("json_extract(detail, '$.count') = ?", q.Count)
	}
	if q.Until != 0 {
		rows = rows.Where("at >= ? AND at < ?", q.From, q.Until)
	}
	if q.Before != 0 {
		rows = rows.Where("id < ?", q.Before)
	}
	err = rows.Order("id DESC").Limit(q.Most).Find(&links).Error
	return links, err
}

// RecordNames gives who and what stands in the record, some hundreds of each at most.
func RecordNames(tx *gorm.DB) (people, whats []string, err error) {
	for column, into := range map[string]*[]string{"person": &people, "what": &whats} {
		if err := tx.Model(&Link{}).Distinct(column).Order(column).Limit(500).Pluck(column, into).Error; err != nil {
			return nil, nil, err
		}
	}
	return people, whats, nil
}

// TimesSaid is how often the record says something.
type TimesSaid struct {
	What string
	N    int
}

// Since gives what the record says after a link, but for some words: the latest links of it, and how often each thing is said.
func Since(tx *gorm.DB, link int64, except []string, most int) (links []Link, times []TimesSaid, err error) {
	if err := tx.Where("id > ? AND what NOT IN ?", link, except).Order("id DESC").Limit(most).Find(&links).Error; err != nil {
		return nil, nil, err
	}
	err = tx.Model(&Link{}).Where("id > ? AND what NOT IN ?", link, except).Select("what, count(*) AS n").Group("what").Order("n DESC, what").
		Find(&times).Error
	return links, times, err
}

// CountsShown gives the counts that are not being frozen, the latest first; running ones go before the others with runningFirst.
func CountsShown(tx *gorm.DB, runningFirst bool, most int) (counts []Count, err error) {
	order := "id DESC"
	if runningFirst {
		order = "state DESC, id DESC"
	}
	err = tx.Where("state IN ?", Shown).Order(order).Limit(most).Find(&counts).Error
	return counts, err
}

// ItemAttributes gives the names of the attributes that items have, some hundreds at most.
func ItemAttributes(tx *gorm.DB) (names []string, err error) {
	// GORM has no words for a table-valued function.
	err = tx.Raw("SELECT DISTINCT j.key FROM items i, json_each(i.attributes) j WHERE i.attributes <> '' LIMIT 200").Scan(&names).Error
	return names, err
}

// TimesTaken is how often a file of a name was taken in and not undone.
func TimesTaken(tx *gorm.DB, file string) (n int64, err error) {
	err = tx.Model(&Intake{}).Where("file_name = ? AND state = ?", file, Taken).Count(&n).Error
	return n, err
}
