package document

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Letters stand in the shape that their neighbours ask for; two that become one are one; signs upon letters, and letters that
// join one side alone, are as they are read.
func TestArabicLettersJoin(t *testing.T) {
	all := func(rune) bool { return true }
	for text, want := range map[string]string{
		"حبل":      "\ufea3\ufe92\ufede",      // rope: begins, goes on, ends
		"دار":      "\ufea9\ufe8d\ufead",      // none of them joins the next
		"ورق":      "\ufeed\ufead\ufed5",      // the last has nobody to join
		"سلام":     "\ufeb3\ufefc\ufee1",      // lam and alef become one, joined to the letter before
		"لا":       "\ufefb",                  // and by themselves
		"لأ":       "\ufef7",                  // with the hamza
		"بَب":      "\ufe91\u064e\ufe90",      // a sign parts nothing
		"پیچ":      "\ufb58\ufbff\ufb7b",      // letters of Persian
		"ب\u200cب": "\ufe8f\ufe8f",            // parted by hand
		"بـ":       "\ufe91ـ",                 // joined to a stroke
		"حبل 12mm": "\ufea3\ufe92\ufede 12mm", // beside what is none of it
		"ء":        "\ufe80",
		"Rope":     "Rope",
	} {
		assert.Equal(t, want, joined(text, all), text)
	}
	none := func(rune) bool { return false }
	assert.Equal(t, "حبل", joined("حبل", none), "where a font has no shapes the letters stay")
	assert.True(t, wideFace.covers('\ufea3') && wideFace.covers('\ufefc') && wideFace.covers('\ufb58') && wideFace.covers('\ufbff'))
}
