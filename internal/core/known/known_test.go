package known

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func set(texts ...string) *Set {
	s := &Set{}
	for _, t := range texts {
		s.Add(t)
	}
	return s
}

// What spreadsheets do to codes, each with the known codes that it may have been.
func TestOriginals(t *testing.T) {
	codes := set(
		"00417",
		"3-12",
		"A-01-2",
		"5012345678900",
		"4006381333931",
		"12E5",
		"ROPE-8",
		"B0X",
		"MAR-1",
		"1-45",
		"0012",
		"012",
		"9007199254740993",
		"2-3-04",
		"7-9-2004",
	)
	for text, want := range map[string]string{
		"417": "00417 leading zeros lost", "417.0": "00417 leading zeros lost", "12": "0012 leading zeros lost; 012 leading zeros lost",
		"2026-12-03": "3-12 turned into a date", "2026-12-03 00:00:00": "3-12 turned into a date", "03.12.2026": "3-12 turned into a date",
		"12/3/2026": "3-12 turned into a date", "3-Dec": "3-12 turned into a date", "3. Dez": "3-12 turned into a date",
		"Dec-03": "3-12 turned into a date", "1-Mar": "MAR-1 turned into a date", "Jan-45": "1-45 turned into a date",
		"1945-01-01": "1-45 turned into a date", "2004-03-02": "2-3-04 turned into a date", "07/09/04": "7-9-2004 turned into a date",
		"5.01E+12": "5012345678900 turned into an exponent", "5,01235E+12": "5012345678900 turned into an exponent",
		"4.00638E+12": "4006381333931 turned into an exponent", "1.2E+06": "12E5 turned into an exponent",
		"a 01 2": "A-01-2 written differently", "rope 8": "ROPE-8 written differently", "ROPE\u00a08": "ROPE-8 written differently",
		"A-1-2":  "A-01-2 leading zeros lost",
		"А-O1-2": "A-01-2 letters that look alike", "5OI2345678900": "5012345678900 letters that look alike", "C-11": "", "A-012": "",
		"А-01-2": "A-01-2 letters that look alike", "ＲＯＰＥ-8": "ROPE-8 letters that look alike",
		"9007199254740990": "9007199254740993 last digits lost", "7.77E+12": "", "XYZ": "", "3-Nov": "", "": "", "-": "",
	} {
		var got []string
		for _, o := range codes.Originals(text) {
			got = append(got, fmt.Sprintf("%s %s", o.Text, o.Damage))
		}
		assert.Equal(t, want, strings.Join(got, "; "), text)
	}
	assert.Equal(t, []Original{{Text: "417", Damage: Point}}, set("417", "00417").Originals("417.00"))
	assert.Nil(t, (*Set)(nil).Originals("x"))
}

func TestFind(t *testing.T) {
	s := set("abc", "ABC", "Def")
	for text, want := range map[string]string{"abc": "abc", "DEF": "Def", "aBC": "", "x": ""} {
		got, ok := s.Find(text)
		assert.Equal(t, want, got, text)
		assert.Equal(t, want != "", ok, text)
	}
}

func TestSuspect(t *testing.T) {
	for text, want := range map[string]Damage{"5.01E+12": Exponent, "3-Dec": Dated, "Dec-03": Dated, "2026-12-03": Dated,
		"03.12.2026": Dated, "12E5": "", "A-01-2": "", "3-12": "", "12/3/26": "", "00417": "", "MARINE-12": "", "SEP-2400": "", "1E5": ""} {
		got, _ := Suspect(text)
		assert.Equal(t, want, got, text)
	}
}

func TestNearest(t *testing.T) {
	houses := set("Quay store", "Upper loft", "Boat shed", "Quay store 2")
	assert.Equal(t, []string{"Quay store", "Quay store 2"}, houses.Nearest("Quay-stores", 3))
	assert.Equal(t, []string{"Boat shed"}, houses.Nearest("Baot shed", 3))
	assert.Empty(t, houses.Nearest("Elsewhere", 3))
	assert.True(t, Close("Boat shed", "Baot shed"))
	assert.False(t, Close("A-01", "A-02"), "codes that differ in a digit are different codes")
	assert.False(t, Close("box", "bag"))
}

// Whatever a spreadsheet does to a known code of these forms, the code is among the originals.
func TestDamagedCodesAreFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		code := fmt.Sprintf("%0*d", rapid.IntRange(4, 14).Draw(t, "width"), rapid.IntRange(1, 9999).Draw(t, "number"))
		has := func(s *Set, damaged, original string) {
			for _, o := range s.Originals(damaged) {
				if o.Text == original {
					return
				}
			}
			require.Equal(t, original, damaged, "%q was %q, but %v was found", damaged, original, s.Originals(damaged))
		}
		has(set(code, "X"), strings.TrimLeft(code, "0"), code)
		long := strconv.FormatInt(rapid.Int64Range(1_000_000_000_000, 9_999_999_999_999).Draw(t, "barcode"), 10)
		shown := strings.ToUpper(strconv.FormatFloat(mustFloat(long), 'e', rapid.IntRange(2, 6).Draw(t, "places"), 64))
		if strings.HasSuffix(shown, "E+12") {
			has(set(long, "X"), shown, long)
		}
		day, month := rapid.IntRange(1, 28).Draw(t, "day"), rapid.IntRange(1, 12).Draw(t, "month")
		bin := fmt.Sprintf("%d-%d", day, month)
		has(set(bin, "X"), fmt.Sprintf("2026-%02d-%02d", month, day), bin)
		has(set(bin, "X"), fmt.Sprintf("%02d/%02d/2026", month, day), bin)
	})
}

func mustFloat(s string) float64 { f, _ := strconv.ParseFloat(s, 64); return f }

func FuzzOriginals(f *testing.F) {
	for _, t := range []string{"5.01E+12", "3-Dec", "03.12.2026", "А-1", "417.0", "9E999"} {
		f.Add(t)
	}
	s := set("00417", "3-12", "5012345678900", "12E5", "MAR-1")
	f.Fuzz(func(t *testing.T, text string) {
		for _, o := range s.Originals(text) {
			if _, ok := s.Find(o.Text); !ok || o.Text == text {
				t.Fatalf("%q gave %v", text, o)
			}
		}
		s.Nearest(text, 3)
		Suspect(text)
	})
}
