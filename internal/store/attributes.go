package store

import (
	"encoding/json"

	"gorm.io/gorm"
)

// lookedAt is how many rows are looked at for the names of attributes: files bring the same columns in all of theirs.
const lookedAt = 2000

// AttributeNames gives the names of attributes that items have, and lines of what is recorded now, as their latest rows show.
func AttributeNames(tx *gorm.DB) (items, lines []string, err error) {
	var texts []string
	if err := tx.Raw("SELECT attributes FROM items WHERE attributes <> '' ORDER BY id DESC LIMIT ?", lookedAt).Scan(&texts).Error; err != nil {
		return nil, nil, err
	}
	if items, err = keysOf(texts); err != nil {
		return nil, nil, err
	}
	var sets []int64
	if err := tx.Model(&Warehouse{}).Where("set_id <> 0").Pluck("set_id", &sets).Error; err != nil {
		return nil, nil, err
	}
	texts = nil
	for _, set := range sets {
		var some []string
		if err := tx.Raw("SELECT attributes FROM (SELECT attributes FROM stock_lines WHERE set_id = ? LIMIT ?) WHERE attributes <> ''", set,
			lookedAt).Scan(&some).Error; err != nil {
			return nil, nil, err
		}
		texts = append(texts, some...)
	}
	lines, err = keysOf(texts)
	return items, lines, err
}

// keysOf gives the names in JSON objects, each once, as they come.
func keysOf(texts []string) (names []string, err error) {
	seen := map[string]bool{}
	for _, t := range texts {
		if seen["\x00"+t] {
			continue
		}
		seen["\x00"+t] = true
		var all map[string]string
		if err := json.Unmarshal([]byte(t), &all); err != nil {
			return nil, err
		}
		for name := range all {
			if !seen[name] {
				seen[name] = true
				names = append(names, name)
			}
		}
	}
	return names, nil
}
