package count

import (
	"encoding/json"

	"wobin/internal/core/field"
	"wobin/internal/store"
)

// ColumnsOf gives the attributes that stand on a count's sheets and in its files out.
func ColumnsOf(c *store.Count) (columns []string) {
	_ = json.Unmarshal([]byte(c.Columns), &columns) // written by Freeze; counts of before have none
	return columns
}

// KeepColumns gives the attributes of a line that its count shows, as JSON.
func KeepColumns(all map[string]string, columns []string) (string, error) {
	kept := map[string]string{}
	for _, c := range columns {
		if v := all[c]; v != "" {
			kept[c] = v
		}
	}
	if len(kept) == 0 {
		return "", nil
	}
	b, err := json.Marshal(kept)
	return string(b), err
}

// Shown gives the values of a count's attribute columns for one of its lines.
func Shown(attributes string, columns []string) []string {
	if len(columns) == 0 {
		return nil
	}
	var kept map[string]string
	_ = json.Unmarshal([]byte(attributes), &kept) // written by KeepColumns; empty where the line has none
	out := make([]string, len(columns))
	for i, c := range columns {
		out[i] = kept[c]
	}
	return out
}

// ColumnTitles are the names of attributes, without what they belong to.
func ColumnTitles(columns []string) []string {
	out := make([]string, len(columns))
	for i, c := range columns {
		out[i], _ = field.Field(c).Attribute()
	}
	return out
}
