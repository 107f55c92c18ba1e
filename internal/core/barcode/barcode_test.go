package barcode_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/barcode"
	"wobin/internal/core/quantity"
)

func TestGTIN(t *testing.T) {
	for text, want := range map[string]string{"4006381333931": "04006381333931", "96385074": "00000096385074", "036000291452": "00036000291452",
		"09501101530003": "09501101530003"} {
		got, ok := barcode.GTIN(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"4006381333932", "", "123", "400638133393A", "40063813339311"} {
		_, ok := barcode.GTIN(text)
		assert.False(t, ok, text)
	}
}

func TestRead(t *testing.T) {
	day := func(y, m, d int) time.Time { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC) }
	const gs = "\x1d"
	whole := barcode.Scan{GTIN: "09501101530003", Lot: "AB-12", Expiry: day(2027, 3, 31), Serial: "S/7", Quantity: 24 * quantity.Scale, Counted: true}
	for _, text := range []string{
		"]C1010950110153000310AB-12" + gs + "1727033121S/7" + gs + "3024",
		"]d2" + gs + "0109501101530003" + "17270331" + "10AB-12" + gs + "21S/7" + gs + "3024" + gs,
		"010950110153000310AB-12" + gs + "1727033121S/7" + gs + "3024",
		"(01)09501101530003(10)AB-12(17)270331(21)S/7(30)24",
		"https://id.example.org/shop/01/09501101530003/10/AB-12/21/S%2F7?17=270331&30=24&lang=en",
		"https://example.org/gtin/9501101530003/lot/AB-12/ser/S%2F7?17=270331&30=24",
	} {
		s, is, err := barcode.Read(text, 2026)
		require.NoError(t, err, text)
		require.True(t, is, text)
		assert.Equal(t, whole, s, text)
	}
	for text, want := range map[string]barcode.Scan{
		"4006381333931":                  {GTIN: "04006381333931"},
		"]E04006381333931":               {GTIN: "04006381333931"},
		"(02)09501101530003(37)12":       {GTIN: "09501101530003", Content: true, Quantity: 12 * quantity.Scale, Counted: true},
		"(01)09501101530003(3103)001250": {GTIN: "09501101530003", Quantity: 1_250_000, Counted: true, Unit: "kg"},
		"(01)09501101530003(11)260100":   {GTIN: "09501101530003", Made: day(2026, 1, 31)},
		"(01)09501101530003(15)990228":   {GTIN: "09501101530003", Best: day(1999, 2, 28)},
		"(01)09501101530003(10)A(B)":     {GTIN: "09501101530003", Lot: "A(B)"},
		"(01)09501101530003(240)X":       {GTIN: "09501101530003"},
	} {
		s, is, err := barcode.Read(text, 2026)
		require.NoError(t, err, text)
		require.True(t, is, text)
		assert.Equal(t, want, s, text)
	}
	for text, says := range map[string]string{
		"(01)09501101530004": "check digit", "(01)0950110153": "breaks off", "(01)09501101530003(17)271331": "no date", "(01)09501101530003(17)270015": "no date", "(01)09501101530003(17)270230": "no date",
		"(99)x": "not known", "(01)09501101530003(10)" + strings.Repeat("A", 21): "21 signs", "(01)09501101530003(30)1x": "no number",
		"(01)09501101530003(01)04006381333931": "twice", "(01)09501101530003(30)1(37)2": "two quantities", "]C1": "empty",
		"https://example.org/01/123": "3 signs",
	} {
		_, is, err := barcode.Read(text, 2026)
		assert.True(t, is, text)
		assert.ErrorContains(t, err, says, text)
	}
	for _, text := range []string{"ROPE-8", "", "(see note)", "0112345678901234567", "https://example.org/about", "400638133393", "(", "12"} {
		_, is, err := barcode.Read(text, 2026)
		assert.False(t, is, text)
		assert.NoError(t, err)
	}
}

// What an element string is made of comes back, in whatever order its elements stand and in either form.
func TestElementsComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		digits := rapid.StringMatching(`[0-9]{13}`).Draw(t, "gtin")
		gtin := ""
		for c := '0'; c <= '9'; c++ {
			if g, ok := barcode.GTIN(digits + string(c)); ok {
				gtin = g
			}
		}
		lot := rapid.StringMatching(`[A-Z0-9/-]{1,20}`).Draw(t, "lot")
		serial := rapid.StringMatching(`[A-Z0-9/-]{1,20}`).Draw(t, "serial")
		n := rapid.IntRange(0, 99_999_999).Draw(t, "n")
		parts := rapid.Permutation([][2]string{{"01", gtin}, {"10", lot}, {"21", serial}, {"30", fmt.Sprint(n)}, {"17", "270331"}}).Draw(t, "order")
		plain, brackets := "]C1", ""
		for _, p := range parts {
			plain += p[0] + p[1]
			if p[0] != "01" && p[0] != "17" {
				plain += "\x1d"
			}
			brackets += "(" + p[0] + ")" + p[1]
		}
		for _, text := range []string{plain, strings.TrimSuffix(plain, "\x1d"), brackets} {
			s, is, err := barcode.Read(text, 2026)
			require.NoError(t, err, "%q", text)
			require.True(t, is)
			require.Equal(t, []string{gtin, lot, serial, fmt.Sprint(n)}, []string{s.GTIN, s.Lot, s.Serial, s.Quantity.String()})
		}
	})
}

func FuzzRead(f *testing.F) {
	f.Add("]C10109501101530003")
	f.Add("https://x/01/%zz")
	f.Add("(01)(")
	f.Add("31")
	f.Fuzz(func(t *testing.T, text string) {
		if _, is, err := barcode.Read(text, 2026); err != nil && (!is || err.Error() == "") {
			t.Fatal("an error of what is none of these forms, or without a word")
		}
	})
}
