package stock

import (
	"hash/maphash"
	"slices"

	"wobin/internal/core/code"
)

// ID is the number of a name among its Names; 0 is always the empty name.
type ID uint32

// Names gives each different text a number, in the order in which they come. The zero value is ready for use.
// A million rows hold few different codes, so rows carry numbers and everything that is slow about text is
// done once for each name.
type Names struct {
	texts  []string
	shorts []short // of the texts
	slots  []slot
	last   short // the name found last, at hand because rows often repeat it
	lastID ID
	folds  map[string]ID // by folded text; ambiguous where several share it
	arena  []byte
}

const ambiguous = ^ID(0)

// slot is where a name is found by its hash. Slots are small, so that those of a million rows' codes stay near at hand.
type slot struct {
	hash   uint32
	number uint32 // of the name + 1, 0 where the slot is free
}

// short is a text that is short enough to be compared where it stands.
type short struct {
	length uint8 // 255 for a longer text
	text   [23]byte
}

var seed = maphash.MakeSeed()

func (n *Names) start() {
	n.slots = make([]slot, 64)
	n.texts, n.shorts = append(n.texts, ""), append(n.shorts, short{}) // found without a slot
}

// Len is how many names there are, the empty one included.
func (n *Names) Len() int { return max(len(n.texts), 1) }

// Text is the name with the number id.
func (n *Names) Text(id ID) string {
	if id == 0 {
		return ""
	}
	return n.texts[id]
}

// Intern gives the number of a text, a new one where it has none yet. The text is taken as it is.
func (n *Names) Intern(text []byte) ID {
	if len(text) == 0 {
		return 0
	}
	if n.slots == nil {
		n.start()
	}
	if n.last.is(text) {
		return n.lastID
	}
	h := uint32(maphash.Bytes(seed, text))
	mask := uint32(len(n.slots) - 1)
	i := h & mask
	for ; n.slots[i].number != 0; i = (i + 1) & mask {
		if n.slots[i].hash != h {
			continue
		}
		id := ID(n.slots[i].number - 1)
		if x := &n.shorts[id]; x.is(text) || x.length == 255 && n.texts[id] == string(text) {
			n.last, n.lastID = *x, id
			return id
		}
	}
	id := ID(len(n.texts))
	n.last, n.lastID = short{length: 255}, id
	if len(text) <= len(n.last.text) {
		n.last.length = uint8(copy(n.last.text[:], text))
	}
	n.texts, n.shorts, n.folds = append(n.texts, n.keep(text)), append(n.shorts, n.last), nil
	n.slots[i] = slot{h, uint32(id) + 1}
	if len(n.texts)*5 > len(n.slots)*4 {
		n.grow()
	}
	return id
}

func (x *short) is(text []byte) bool {
	return len(text) == int(x.length) && len(text) <= len(x.text) && string(x.text[:len(text)]) == string(text)
}

// keep copies a text into a large piece of memory, so that a million names are not a million allocations.
func (n *Names) keep(text []byte) string {
	if len(text) > 1024 {
		return string(text)
	}
	if cap(n.arena)-len(n.arena) < len(text) {
		n.arena = make([]byte, 0, 32<<10)
	}
	from := len(n.arena)
	n.arena = append(n.arena, text...)
	return bytesAsString(n.arena[from:len(n.arena):len(n.arena)])
}

func (n *Names) grow() {
	old := n.slots
	n.slots = make([]slot, len(old)*2)
	clear(n.slots) // memory that is written first is had at half the cost of memory that is read first
	mask := uint32(len(n.slots) - 1)
	for _, s := range old {
		if s.number == 0 {
			continue
		}
		i := s.hash & mask
		for n.slots[i].number != 0 {
			i = (i + 1) & mask
		}
		n.slots[i] = s
	}
}

// Exact gives the number of the name that is this very text.
func (n *Names) Exact(text string) (ID, bool) {
	if text == "" {
		return 0, true
	}
	if n.slots == nil {
		return 0, false
	}
	h := uint32(maphash.String(seed, text))
	mask := uint32(len(n.slots) - 1)
	for i := h & mask; n.slots[i].number != 0; i = (i + 1) & mask {
		if s := &n.slots[i]; s.hash == h && n.texts[s.number-1] == text {
			return ID(s.number - 1), true
		}
	}
	return 0, false
}

// Find gives the number of the name that a text stands for: exactly first, else without regard to case where
// that is unambiguous.
func (n *Names) Find(text string) (ID, bool) {
	if id, ok := n.Exact(text); ok || n.slots == nil {
		return id, ok
	}
	if n.folds == nil {
		n.folds = make(map[string]ID, len(n.texts))
		for i, t := range n.texts[1:] {
			f := code.Fold(t)
			if _, twice := n.folds[f]; twice {
				n.folds[f] = ambiguous
			} else {
				n.folds[f] = ID(i + 1)
			}
		}
	}
	id, ok := n.folds[code.Fold(text)]
	return id, ok && id != ambiguous
}

// Alike gives an example of two names that are the same but for their case, and how many names are another one so.
func (n *Names) Alike() (a, b string, more int) {
	if !slices.ContainsFunc(n.texts, func(t string) bool { return code.Fold(t) != t }) {
		return "", "", 0 // mostly all are in capitals
	}
	seen := make(map[string]string, n.Len())
	for _, t := range n.texts[min(1, len(n.texts)):] {
		f := code.Fold(t)
		if first, twice := seen[f]; !twice {
			seen[f] = t
		} else if more++; more == 1 {
			a, b = first, t
		}
	}
	return a, b, more
}

// Take finds or adds every name of other as the very text that it is, and gives, for each of its numbers, the number
// here.
func (n *Names) Take(other *Names) []ID {
	to := make([]ID, other.Len())
	for i := 1; i < other.Len(); i++ {
		to[i] = n.Intern(textAsBytes(other.texts[i]))
	}
	return to
}

// Adopt finds or adds every name of other and gives, for each of its numbers, the number here. What other holds
// is resolved against the names that were here before, so the order of other does not matter.
func (n *Names) Adopt(other *Names) []ID {
	to := make([]ID, other.Len())
	var missing []ID
	for i := 1; i < other.Len(); i++ {
		id, ok := n.Find(other.texts[i])
		if to[i] = id; !ok {
			missing = append(missing, ID(i))
		}
	}
	for _, i := range missing {
		to[i] = n.Intern([]byte(other.texts[i]))
	}
	return to
}

// Each gives what f makes of each name, by number.
func (n *Names) Each(f func(text string) string) []string {
	out := make([]string, n.Len())
	for i := range out {
		out[i] = f(n.Text(ID(i)))
	}
	return out
}

// Ranks gives each number's position in natural order.
func (n *Names) Ranks() []uint32 {
	order := make([]ID, n.Len())
	for i := range order {
		order[i] = ID(i)
	}
	sortIDs(order, n)
	ranks := make([]uint32, n.Len())
	for r, id := range order {
		ranks[id] = uint32(r)
	}
	return ranks
}
