package store

import (
	"encoding/json"
	"slices"
	"strings"

	"gorm.io/gorm"
)

// CrewOf gives who counts in a warehouse: the crew that the last plan by people named, and whoever had sheets of its counts, each once and
// as they were written last.
func CrewOf(tx *gorm.DB, warehouse int64) (crew, others []string, err error) {
	var kept string
	if err := tx.Model(&Warehouse{}).Where("id = ?", warehouse).Pluck("crew", &kept).Error; err != nil {
		return nil, nil, err
	}
	if kept != "" {
		if err := json.Unmarshal([]byte(kept), &crew); err != nil {
			return nil, nil, err
		}
	}
	seen := map[string]bool{}
	for _, name := range crew {
		seen[strings.ToUpper(name)] = true
	}
	var names []string
	err = tx.Raw(`SELECT s.counter FROM sheets s JOIN counts c ON c.id = s.count_id WHERE c.warehouse_id = ? AND c.state IN ? AND s.counter <> ''
		GROUP BY s.counter ORDER BY max(s.id) DESC LIMIT 500`, warehouse, Shown).Scan(&names).Error
	for _, name := range names {
		if by := strings.ToUpper(name); !seen[by] {
			seen[by] = true
			others = append(others, name)
		}
	}
	return crew, others, err
}

// KeepCrew keeps who counts in a warehouse.
func KeepCrew(tx *gorm.DB, warehouse int64, crew []string) error {
	b, err := json.Marshal(crew)
	if err != nil {
		return err
	}
	return tx.Model(&Warehouse{}).Where("id = ?", warehouse).UpdateColumn("crew", string(b)).Error
}

// PlannedFor is how many sheets are with us that are planned for somebody.
type PlannedFor struct {
	Counter string
	Sheets  int
}

// planned are sheets that somebody is to get and has not got yet.
const planned = "count_id = ? AND state = ? AND counter <> ''"

// PlannedSheets gives for whom sheets of a count are planned that are with us, in the order of their first sheets.
func PlannedSheets(tx *gorm.DB, count int64) (rows []PlannedFor, err error) {
	err = tx.Model(&Sheet{}).Where(planned, count, WithUs).Select("counter, count(*) AS sheets").Group("counter").Order("min(number)").
		Find(&rows).Error
	return rows, err
}

// PlannedNumbers gives the numbers of these sheets by who gets them.
func PlannedNumbers(tx *gorm.DB, count int64) (map[string][]int, error) {
	var rows []Sheet
	err := tx.Where(planned, count, WithUs).Order("number").Find(&rows).Error
	out := map[string][]int{}
	for i := range rows {
		out[rows[i].Counter] = append(out[rows[i].Counter], rows[i].Number)
	}
	return out, err
}

// HandOutPlanned hands these sheets out, to be back by a time, if any is said; it tells how many.
func HandOutPlanned(tx *gorm.DB, count, now, due int64) (n int64, err error) {
	r := tx.Model(&Sheet{}).Where(planned, count, WithUs).Updates(map[string]any{"state": Out, "out_at": now, "due": due})
	return r.RowsAffected, r.Error
}

// WrittenAs gives how somebody's name is written on sheets of running counts: a name is one person, whatever the case of its letters, those
// that SQLite's NOCASE does not know (Å, é) as well.
func WrittenAs(tx *gorm.DB, name string) ([]string, error) {
	var names []string
	err := tx.Raw("SELECT DISTINCT s.counter FROM counts c JOIN sheets s ON s.count_id = c.id WHERE c.state = ? AND s.counter <> ''", Running).
		Scan(&names).Error
	return slices.DeleteFunc(names, func(n string) bool { return !strings.EqualFold(n, name) }), err
}

// SheetsOfPerson gives the sheets of running counts that somebody is to count, by name, and are not back: those that are due first, then in
// the order of their numbers.
func SheetsOfPerson(tx *gorm.DB, name string, most int) (rows []SheetOfPerson, err error) {
	names, err := WrittenAs(tx, name)
	if err != nil || len(names) == 0 {
		return nil, err
	}
	err = tx.Raw(`SELECT s.count_id, c.name, w.code AS warehouse, s.number, s.first_bin, s.last_bin, s.lines, s.counted, s.state, s.due
		FROM sheets s JOIN counts c ON c.id = s.count_id JOIN warehouses w ON w.id = c.warehouse_id
		WHERE c.state = ? AND s.state IN (?, ?) AND s.counter IN ?
		ORDER BY s.state = ? DESC, s.due = 0, s.due, c.id, s.number LIMIT ?`, Running, Out, WithUs, names, Out, most).Scan(&rows).Error
	return rows, err
}

// SheetOfPerson is a sheet that somebody is to count.
type SheetOfPerson struct {
	CountID                            int64
	Name, Warehouse, FirstBin, LastBin string
	Number, Lines, Counted             int
	State                              string
	Due                                int64
}
