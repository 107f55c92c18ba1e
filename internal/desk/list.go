package desk

// Filter narrows a list of lines. Pages follow one another by After, which is what the page before gave as Next.
type Filter struct {
	Bins  []int64
	Text  string
	Sheet int
	Cause string // variances: those of a likely cause; none: those without
	Sign  string // variances: over or short; empty: both
	State string // variances: of this status alone, over, short or found; empty: any
	By    string // variances: what the group Of is a group of
	Of    string // the name of the group
	Least int64  // variances: what is at stake is this at least, in hundredths
	Order string // variances: place for walking order; else by what is at stake
	Show  string // variances: open, decided, held, all; counting: uncounted, counted
	After string
	Limit int
}

// PageSize is how many lines a page has at most: what was asked for within 1 to 1000, else 200.
func (f *Filter) PageSize() int {
	if f.Limit < 1 || f.Limit > 1000 {
		return 200
	}
	return f.Limit
}
