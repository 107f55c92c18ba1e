package code

// Stretch is a run of bins in natural order that is shown as one, by the common beginning of their aisles.
type Stretch struct {
	From, To int // positions in the order, To not included
	Name     string
}

// mostStretches is how many stretches are shown side by side.
const mostStretches = 60

// Stretches divides the bins from one position to another into stretches, by the shortest common beginning of their aisles that
// tells any apart; where that are too many, neighbours go together, and where the aisles tell none apart, so many bins at
// a time. It gives none where there are no more than most. codes and addresses are in natural order.
func Stretches(codes []string, addresses []Address, from, to, most int) (out []Stretch) {
	if to-from <= most {
		return nil
	}
	for depth := 1; depth < 12; depth++ {
		out = out[:0]
		for i := from; i < to; i++ {
			name := beginning(addresses[i].Aisle, depth)
			if n := len(out); n > 0 && out[n-1].Name == name {
				out[n-1].To = i + 1
				continue
			}
			out = append(out, Stretch{i, i + 1, name})
		}
		if len(out) > 1 {
			return gathered(out, codes)
		}
	}
	step := max((to-from+mostStretches-1)/mostStretches, 1)
	out = out[:0]
	for i := from; i < to; i += step {
		end := min(i+step, to)
		out = append(out, Stretch{i, end, codes[i] + " – " + codes[end-1]})
	}
	return out
}

// gathered puts neighbours together until there are few enough.
func gathered(list []Stretch, codes []string) []Stretch {
	step := (len(list) + mostStretches - 1) / mostStretches
	if step == 1 {
		for i := range list {
			if list[i].Name == "" { // bins that follow no pattern
				list[i].Name = codes[list[i].From] + " – " + codes[list[i].To-1]
			}
		}
		return list
	}
	var out []Stretch
	for i := 0; i < len(list); i += step {
		last := list[min(i+step, len(list))-1]
		name := list[i].Name + " – " + last.Name
		if list[i].Name == last.Name {
			name = last.Name
		}
		out = append(out, Stretch{list[i].From, last.To, name})
	}
	return out
}

// beginning is a code up to the end of its nth run of letters or digits.
func beginning(c string, n int) string {
	parts := appendRuns(nil, c)
	if n >= len(parts) {
		return c
	}
	return c[:parts[n-1].at+len(parts[n-1].text)]
}
