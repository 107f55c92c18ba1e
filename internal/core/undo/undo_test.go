package undo_test

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/undo"
)

func TestBefore(t *testing.T) {
	row := func(id int64, key string) undo.Row[string] { return undo.Row[string]{ID: id, Key: key} }
	rows := []undo.Row[string]{row(1, "a"), row(2, "b"), row(3, "a"), row(4, "c"), row(5, "b")}
	before, later := undo.Before(rows, undo.Range{From: 3, To: 4}, nil)
	assert.Equal(t, map[string]int64{"a": 1, "c": 0}, before)
	assert.Empty(t, later)
	before, later = undo.Before([]undo.Row[string]{row(1, "a"), row(2, "a"), row(3, "a")}, undo.Range{From: 2, To: 3}, nil)
	assert.Equal(t, map[string]int64{"a": 1}, before, "what stood before the first of its rows")
	assert.Empty(t, later)
	before, later = undo.Before(rows, undo.Range{From: 1, To: 2}, nil)
	assert.Empty(t, before)
	assert.ElementsMatch(t, []string{"a", "b"}, later)
	before, later = undo.Before(append(rows, row(6, "a"), row(7, "c")), undo.Range{From: 1, To: 1}, []undo.Range{{From: 3, To: 4}, {From: 6, To: 7}})
	assert.Equal(t, map[string]int64{"a": 0}, before, "steps that were undone stand in nobody's way")
	assert.Empty(t, later)
}

// Steps in random orders by two people, each undoing the last of its own where nobody built upon it: what stands is always what stands
// without the undone steps, as if they had never been.
func TestUndoingIsAsIfItHadNeverBeen(t *testing.T) {
	type step struct {
		rows   undo.Range
		values map[int]int // by key
		person int
		undone bool
	}
	rapid.Check(t, func(rt *rapid.T) {
		var rows []undo.Row[int]
		value := map[int64]int{} // by row
		var steps []*step
		var undone []undo.Range
		stands := func() map[int]int { // as the books say it: the last row of each key
			out := map[int]int{}
			for _, r := range rows {
				out[r.Key] = value[r.ID]
			}
			maps.DeleteFunc(out, func(_, v int) bool { return v == 0 })
			return out
		}
		enter := func(values map[int]int) undo.Range {
			from := int64(len(rows)) + 1
			for _, k := range slices.Sorted(maps.Keys(values)) {
				rows = append(rows, undo.Row[int]{ID: int64(len(rows)) + 1, Key: k})
				value[int64(len(rows))] = values[k]
			}
			return undo.Range{From: from, To: int64(len(rows))}
		}
		for n := range rapid.IntRange(1, 25).Draw(rt, "acts") {
			person := rapid.IntRange(0, 1).Draw(rt, "person")
			if rapid.Bool().Draw(rt, "undo") {
				i := len(steps) - 1
				for i >= 0 && (steps[i].person != person || steps[i].undone) {
					i--
				}
				if i < 0 {
					continue
				}
				s := steps[i]
				before, later := undo.Before(rows, s.rows, undone)
				built := false // by the plain list of steps: a later one of the other, that was not undone, of one of its keys
				for _, x := range steps[i+1:] {
					for k := range s.values {
						if _, of := x.values[k]; of && !x.undone {
							built = true
						}
					}
				}
				require.Equal(rt, built, len(later) > 0)
				if built {
					continue
				}
				back := map[int]int{}
				for k, row := range before {
					back[k] = value[row]
				}
				require.Len(rt, back, len(s.values))
				s.undone = true
				undone = append(undone, s.rows, enter(back))
			} else {
				values := map[int]int{}
				for range rapid.IntRange(1, 3).Draw(rt, "lines") {
					values[rapid.IntRange(0, 4).Draw(rt, "key")] = n + 1
				}
				steps = append(steps, &step{enter(values), values, person, false})
			}
			plain := map[int]int{}
			for _, s := range steps {
				if !s.undone {
					maps.Copy(plain, s.values)
				}
			}
			require.Equal(rt, plain, stands())
		}
	})
}
