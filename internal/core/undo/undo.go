// Package undo tells what stood before a step in books that are only appended to, where each row of a key stands in the place of the one
// before it, and undoing a step appends rows, too.
package undo

// Range is a run of numbers of rows, from one to another, both included.
type Range struct{ From, To int64 }

// Has tells whether a row is of the run.
func (r Range) Has(row int64) bool { return r.From <= row && row <= r.To }

// Row is an appended row by its number, and the key that it is about.
type Row[K comparable] struct {
	ID  int64
	Key K
}

// Before gives what stood before a step: for each key that the step has a row of, the number of the row that stood before its first one,
// or 0 for none. undone are the rows of steps that were undone, and of their undoing: nothing stands of either, and neither stands in the
// way. rows are all rows of these keys, in the order of their numbers. Keys of which something that stands came after the step are later:
// others built upon them, and before says nothing of them.
func Before[K comparable](rows []Row[K], step Range, undone []Range) (before map[K]int64, later []K) {
	before = map[K]int64{}
	stands, built := map[K]int64{}, map[K]bool{}
	for _, r := range rows {
		if hasAny(undone, r.ID) {
			continue
		}
		_, of := before[r.Key]
		switch {
		case step.Has(r.ID) && !of:
			before[r.Key] = stands[r.Key]
		case !step.Has(r.ID) && of && !built[r.Key]:
			built[r.Key], later = true, append(later, r.Key)
		}
		stands[r.Key] = r.ID
	}
	for _, k := range later {
		delete(before, k)
	}
	return before, later
}

func hasAny(all []Range, row int64) bool {
	for _, r := range all {
		if r.Has(row) {
			return true
		}
	}
	return false
}
