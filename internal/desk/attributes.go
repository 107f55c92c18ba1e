package desk

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/layout"
	"wobin/internal/store"
)

// KeptRule asks for an attribute of the item (item.Colour) or of the line (line.Shelf label) to have one of some values.
type KeptRule struct {
	Attribute string   `json:"attribute" maxLength:"200"`
	Values    []string `json:"values" maxItems:"500"`
}

// KeptTally is an attribute that lines of a warehouse have, with its values.
type KeptTally struct {
	Attribute string      `json:"attribute"`
	Values    []ZoneTally `json:"values" doc:"the most frequent first, up to fifty"`
	More      int         `json:"more" doc:"values that are not listed"`
}

// keptTally lists attributes with how many lines have which value.
func keptTally(counts map[string]map[string]int) []KeptTally {
	out := []KeptTally{}
	for _, name := range slices.Sorted(maps.Keys(counts)) {
		t := KeptTally{Attribute: name, Values: []ZoneTally{}}
		for v, n := range counts[name] {
			t.Values = append(t.Values, ZoneTally{v, n})
		}
		slices.SortFunc(t.Values, func(a, b ZoneTally) int {
			return cmp.Or(b.Lines-a.Lines, code.Compare(a.Zone, b.Zone))
		})
		if n := len(t.Values); n > 50 {
			t.More, t.Values = n-50, t.Values[:50]
		}
		out = append(out, t)
	}
	return out
}

// columnsOf gives the attributes that stand on a count's sheets and in its files out.
func columnsOf(c *store.Count) (columns []string) {
	_ = json.Unmarshal([]byte(c.Columns), &columns) // written by Freeze; counts of before have none
	return columns
}

// keep gives the attributes of a line that its count shows, as JSON.
func keep(all map[string]string, columns []string) (string, error) {
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

// shown gives the values of a count's attribute columns for one of its lines.
func shown(attributes string, columns []string) []string {
	if len(columns) == 0 {
		return nil
	}
	var kept map[string]string
	_ = json.Unmarshal([]byte(attributes), &kept) // written by keep; empty where the line has none
	out := make([]string, len(columns))
	for i, c := range columns {
		out[i] = kept[c]
	}
	return out
}

// columnTitles are the names of attributes, without what they belong to.
func columnTitles(columns []string) []string {
	out := make([]string, len(columns))
	for i, c := range columns {
		out[i], _ = layout.Field(c).Attribute()
	}
	return out
}
