package code

// Distance is the number of letters added, left out, changed or swapped with their neighbour between a and b, or limit+1 where it is more
// than limit (Damerau 1964, with neighbours swapped once: optimal string alignment).
func Distance(a, b []rune, limit int) int {
	if len(a)-len(b) > limit || len(b)-len(a) > limit {
		return limit + 1
	}
	var small [3][64]int // most texts are short, and there are very many pairs of them
	before, last, now := small[0][:], small[1][:], small[2][:]
	if len(b) >= len(now) {
		before, last, now = make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	}
	for j := range len(b) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		now[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			now[j] = min(last[j]+1, now[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				now[j] = min(now[j], before[j-2]+1)
			}
			least = min(least, now[j])
		}
		if least > limit {
			return limit + 1
		}
		before, last, now = last, now, before
	}
	return min(last[len(b)], limit+1)
}
