package cutting

// Lane is a sheet that is out, as far as it is known: times in Unix seconds.
type Lane struct {
	Out     int64 // when it was handed out
	Seconds int64 // what it is expected to take
	Rows    int   // its rows, and those of them that came back
	Counted int
}

// Ends tells when the sheets that one person has are likely to be done, in the order in which they are taken up, as it
// looks now. Nobody counts two sheets at once. What is left of a sheet of which rows came back is left from now on.
func Ends(lanes []Lane, now int64) []int64 {
	out := make([]int64, len(lanes))
	free := int64(0)
	for i, l := range lanes {
		left := l.Seconds
		begin := max(free, l.Out)
		if l.Counted > 0 && l.Rows > 0 {
			left = (l.Seconds*int64(l.Rows-min(l.Counted, l.Rows)) + int64(l.Rows) - 1) / int64(l.Rows)
			begin = max(free, now)
		}
		out[i] = begin + left
		free = out[i]
	}
	return out
}
