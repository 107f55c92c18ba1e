package cause

// names are the causes as people say them.
var names = map[Cause]string{
	Misplaced: "put in another bin", MistakenItem: "taken for another item", WrongLot: "put down under another lot", PackSlip: "packs and pieces mixed up",
	KeySlip: "a slip of the keys", RowSlip: "written in another row", CountedTwice: "counted twice", CutOff: "a movement near the count",
	PlaceUncounted: "another bin was not counted", NegativeRecord: "the records are below zero",
}

// Name is a cause as people say it; "nothing speaks for a cause" for none.
func (c Cause) Name() string {
	if n, known := names[c]; known {
		return n
	}
	return "nothing speaks for a cause"
}

// short are the causes as a column has room for.
var short = map[Cause]string{Misplaced: "other bin", MistakenItem: "other item", WrongLot: "other lot", PackSlip: "packs", KeySlip: "keys", RowSlip: "row slipped",
	CountedTwice: "twice", CutOff: "cut-off", PlaceUncounted: "bin left out", NegativeRecord: "below zero"}

// Word is a cause in a word or two; empty for none.
func (c Cause) Word() string { return short[c] }
