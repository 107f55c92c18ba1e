package store

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// ItemCosts gives the unit costs of the items that have one: of some items, or of all.
func ItemCosts(tx *gorm.DB, some ...int64) (map[int64]quantity.Cost, error) {
	out, q, args := map[int64]quantity.Cost{}, "SELECT id, cost FROM items WHERE cost IS NOT NULL", []driver.Value(nil)
	if len(some) > 0 {
		q, args = q+" AND id IN (SELECT value FROM json_each(?))", []driver.Value{listOf(some)}
	}
	return out, Each(tx, q, args, func(v []driver.Value) error {
		out[v[0].(int64)] = quantity.Cost(v[1].(int64))
		return nil
	})
}

// CostingOf is a stored unit cost, nil where none is known.
func CostingOf(cost *int64, from stock.CostSource) stock.Costing {
	if cost == nil {
		return stock.Costing{}
	}
	return stock.Costing{Cost: quantity.Cost(*cost), Known: true, From: from}
}

// Stored is a unit cost as it is stored.
func Stored(c stock.Costing) (cost *int64, from stock.CostSource) {
	if !c.Known {
		return nil, stock.CostOfLine
	}
	n := int64(c.Cost)
	return &n, c.From
}

// worth sums values; a sum out of range is an error in words.
type worth struct {
	value    quantity.Money
	unvalued int
	any      bool
}

func (w *worth) add(v quantity.Money) error {
	sum, ok := quantity.AddMoney(w.value, v)
	if !ok {
		return fmt.Errorf("the sum of the values of what is recorded %w", quantity.ErrTooLarge)
	}
	w.value, w.any = sum, true
	return nil
}

// Revalue works out what the recorded lines of warehouses' sets are worth, where lines bring no unit cost: these have their item's. It is
// asked for whenever such a set becomes what is recorded, and whenever costs of items change.
func Revalue(tx *gorm.DB, sets ...int64) error {
	costs, err := ItemCosts(tx)
	if err != nil {
		return err
	}
	for _, set := range sets {
		var leaning bool
		if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM stock_lines WHERE set_id = ? AND cost IS NULL)", set).Scan(&leaning).Error; err != nil {
			return err
		}
		if leaning {
			if err := revalue(tx, set, costs); err != nil {
				return err
			}
		}
	}
	return nil
}

// RevalueAll is Revalue for all that is recorded now.
func RevalueAll(tx *gorm.DB) error {
	var sets []int64
	if err := tx.Model(&Warehouse{}).Where("set_id <> 0").Order("id").Pluck("set_id", &sets).Error; err != nil {
		return err
	}
	return Revalue(tx, sets...)
}

func revalue(tx *gorm.DB, set int64, costs map[int64]quantity.Cost) error {
	var all worth
	bins, items := map[int64]*worth{}, map[int64]*worth{}
	of := func(m map[int64]*worth, id int64) *worth {
		if m[id] == nil {
			m[id] = &worth{}
		}
		return m[id]
	}
	err := Each(tx, "SELECT bin_id, item_id, quantity, cost FROM stock_lines WHERE set_id = ? ORDER BY pos", []driver.Value{set}, func(v []driver.Value) error {
		bin, item := of(bins, v[0].(int64)), of(items, v[1].(int64))
		own, has := v[3].(int64)
		cost, known := costs[v[1].(int64)]
		c := stock.LineCost(stock.Costing{Cost: quantity.Cost(own), Known: has}, stock.Costing{Cost: cost, Known: known})
		if !c.Known {
			all.unvalued++
			return nil
		}
		value, err := quantity.Value(quantity.Quantity(v[2].(int64)), c.Cost)
		if err != nil {
			return fmt.Errorf("the value of what is recorded of an item %w", err)
		}
		for _, w := range []*worth{&all, bin, item} {
			if err := w.add(value); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := revalued(tx, "set_bins", "bin_id", set, bins, false); err != nil {
		return err
	}
	if err := revalued(tx, "set_items", "item_id", set, items, true); err != nil {
		return err
	}
	return tx.Exec("UPDATE stock_sets SET value = ?, unvalued = ? WHERE id = ?", all.value, all.unvalued, set).Error
}

// revalued writes the values of a tally's rows where they are others; none says that a row may have no value at all.
func revalued(tx *gorm.DB, table, column string, set int64, worths map[int64]*worth, none bool) error {
	var changed [][3]any
	err := Each(tx, "SELECT "+column+", value FROM "+table+" WHERE set_id = ?", []driver.Value{set}, func(v []driver.Value) error {
		w := worths[v[0].(int64)]
		var is any
		if w != nil && (w.any || !none) {
			is = int64(w.value)
		}
		if is != v[1] {
			changed = append(changed, [3]any{v[0], is, set})
		}
		return nil
	})
	for at := 0; err == nil && at < len(changed); at += Piece {
		var b []byte
		if b, err = json.Marshal(changed[at:min(at+Piece, len(changed))]); err == nil {
			err = tx.Exec(updateValues(table, column), string(b)).Error
		}
	}
	return err
}

// updateValues writes values of a tally's rows, given as [name, value, set]. The set stands in every row of the list: were it given once,
// SQLite would go over all rows of the set and, for each, over the whole list.
func updateValues(table, column string) string {
	return "UPDATE " + table + " SET value = j.value->>1 FROM json_each(?) j WHERE set_id = j.value->>2 AND " + column + " = j.value->>0"
}

// Leaning is a line of a count that has its item's unit cost, or none, and of which nothing went out yet.
type Leaning struct {
	Pos, ItemID int64
	Row         bool // it was recorded
	Cost        *int64
	CostOf      stock.CostSource
}

// LeaningLines gives the lines of a count that go by what some items cost.
func LeaningLines(tx *gorm.DB, count int64, items []int64) (rows []Leaning, err error) {
	err = tx.Model(&CountLine{}).Select("pos, item_id, has_row OR beside AS row, cost, cost_of").
		Where("count_id = ? AND status <> ? AND postings = 0 AND (cost IS NULL AND cost_of = ? OR cost_of = ?)", count, Gone, stock.CostOfLine,
			stock.CostOfItem).Where("item_id IN (SELECT value FROM json_each(?))", listOf(items)).Order("pos").Find(&rows).Error
	return rows, err
}

// RunningCounts gives the numbers of the counts that run.
func RunningCounts(tx *gorm.DB) (ids []int64, err error) {
	err = tx.Model(&Count{}).Where("state = ?", Running).Order("id").Pluck("id", &ids).Error
	return ids, err
}
