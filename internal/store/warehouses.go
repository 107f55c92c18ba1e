package store

import (
	"database/sql/driver"
	"encoding/json"
	"strings"

	"gorm.io/gorm"
)

// Warehouses gives all warehouses in the order in which they came.
func Warehouses(tx *gorm.DB) (rows []Warehouse, err error) {
	err = tx.Order("id").Find(&rows).Error
	return rows, err
}

// WarehouseOf gives the warehouse of a number, with the number 0 where there is none.
func WarehouseOf(tx *gorm.DB, id int64) (row Warehouse, err error) {
	err = tx.Limit(1).Find(&row, id).Error
	return row, err
}

// SetOf gives the set of a number, with the number 0 where there is none.
func SetOf(tx *gorm.DB, id int64) (row StockSet, err error) {
	err = tx.Limit(1).Find(&row, id).Error
	return row, err
}

// CountOf gives the count of a number, with the number 0 where there is none. One that is being frozen is not there yet.
func CountOf(tx *gorm.DB, id int64) (row Count, err error) {
	err = tx.Where("state IN ?", []string{Running, Finished, Discarded}).Limit(1).Find(&row, id).Error
	return row, err
}

// RunsBlind tells whether a blind count of a warehouse or, for 0, of any runs or is being frozen.
func RunsBlind(tx *gorm.DB, warehouse int64) (blind bool, err error) {
	err = tx.Raw("SELECT EXISTS (SELECT 1 FROM counts WHERE blind = 1 AND state IN (?, ?) AND ? IN (0, warehouse_id))", Running, Freezing,
		warehouse).Scan(&blind).Error
	return blind, err
}

// RecordedWarehouse is a warehouse with what is recorded in it.
type RecordedWarehouse struct {
	ID                    int64
	Code, Walk, Crew      string
	Lines, Bins, Unvalued int
	Value                 int64
	RecordedAt            int64 // 0 without stock
	Rotation              bool
}

// RecordedWarehouses gives all warehouses with what is recorded in them, by code.
func RecordedWarehouses(tx *gorm.DB) (rows []RecordedWarehouse, err error) {
	err = tx.Raw(`SELECT w.id, w.code, w.walk, w.crew, w.rotation <> '' AS rotation, coalesce(s.lines, 0) AS lines, coalesce(s.value, 0) AS value,
		coalesce(s.unvalued, 0) AS unvalued, coalesce(s.recorded_at, 0) AS recorded_at,
		(SELECT count(*) FROM bins b WHERE b.warehouse_id = w.id) AS bins FROM warehouses w LEFT JOIN stock_sets s ON s.id = w.set_id
		ORDER BY w.code`).Scan(&rows).Error
	return rows, err
}

// ZonesOf gives the zones of a warehouse's bins.
func ZonesOf(tx *gorm.DB, warehouse int64) (zones []string, err error) {
	zones = []string{}
	err = tx.Raw("SELECT DISTINCT zone FROM bins WHERE warehouse_id = ? AND zone <> ''", warehouse).Scan(&zones).Error
	return zones, err
}

// EachBin gives the bins of a warehouse in natural order.
func EachBin(tx *gorm.DB, warehouse int64, take func(id int64, code, zone string)) error {
	return Each(tx, "SELECT id, code, zone FROM bins WHERE warehouse_id = ? ORDER BY sort_key", []driver.Value{warehouse}, func(v []driver.Value) error {
		take(v[0].(int64), textOf(v[1]), textOf(v[2]))
		return nil
	})
}

// EachUnusual gives the items that are no stock, not active, or have attributes.
func EachUnusual(tx *gorm.DB, take func(id int64, nature string, active bool, attributes string)) error {
	return Each(tx, "SELECT id, nature, active, attributes FROM items WHERE nature <> 'stocked' OR active = 0 OR attributes <> ''", nil,
		func(v []driver.Value) error {
			take(v[0].(int64), textOf(v[1]), v[2] != int64(0) && v[2] != false, textOf(v[3]))
			return nil
		})
}

// Narrow adds to a query over lines l, bins b and items i that lines lie in some bins, where any are named, and that each word of a text
// is part of their SKU, description, bin, lot or serial.
func Narrow(q string, args []any, bins []int64, text string) (string, []any) {
	if len(bins) > 0 {
		q, args = q+" AND l.bin_id IN (SELECT value FROM json_each(?))", append(args, listOf(bins))
	}
	for _, w := range strings.Fields(text) {
		like := "%" + strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(w) + "%"
		q += ` AND (i.sku LIKE ? ESCAPE '\' OR i.description LIKE ? ESCAPE '\' OR b.code LIKE ? ESCAPE '\' OR l.lot LIKE ? ESCAPE '\' OR l.serial LIKE ? ESCAPE '\')`
		args = append(args, like, like, like, like, like)
	}
	return q, args
}

// listOf gives numbers as JSON, for json_each.
func listOf(numbers []int64) string {
	if len(numbers) == 0 {
		return "[]"
	}
	b, err := json.Marshal(numbers)
	if err != nil {
		panic(err) // numbers are always JSON
	}
	return string(b)
}

// textOf is a text column's value; nothing is the empty text.
func textOf(v driver.Value) string { t, _ := v.(string); return t }
