package known

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Other spellings, more words and other orders are the same thing; another number, or mostly other words, is another thing.
func TestSameThing(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"Rope 10 mm", "ROPE 10MM", true}, {"Rope, 10 mm, white", "Rope 10 mm", true}, {"Rope 10 mm", "White rope 10 mm (coil)", true},
		{"Rope 10 mm", "Rope 12 mm", false}, {"Rope 10 mm", "Shackle bow", false}, {"Bow shackle galvanised 8", "Bow shackle stainless 8", true},
		{"Bow shackle 8", "Bow shackle 10", false}, {"Paint white", "Paint red", false}, {"", "Rope", true}, {"Écrou M8", "écrou m8", true},
	} {
		assert.Equal(t, c.same, SameThing(c.a, c.b), "%s / %s", c.a, c.b)
		assert.Equal(t, c.same, SameThing(c.b, c.a), "%s / %s", c.b, c.a)
	}
}
