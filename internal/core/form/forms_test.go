package form

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
)

// Dates written in any order and with any signs are read back, once one of them tells the order.
func TestDatesOfAnyOrder(t *testing.T) {
	forms := map[string]string{
		"2006-01-02 15:04:05":   "ymd",
		"02.01.2006 15:04:05":   "dmy",
		"2/1/2006 15:04":        "dmy",
		"02-01-06 15:04":        "dmy",
		"1/2/2006 3:04 PM":      "mdy",
		"2 Jan 2006 15:04":      "dmy",
		"January 2, 2006 15:04": "mdy",
		"2006/1/2 15:04":        "ymd",
	}
	for form := range forms {
		rapid.Check(t, func(t *rapid.T) {
			var texts []string
			var want []int64
			for i := range rapid.IntRange(1, 12).Draw(t, "n") + 1 {
				at := time.Unix(rapid.Int64Range(946_684_800, 2_500_000_000).Draw(t, "at")/60*60, 0).UTC()
				if i == 0 {
					at = time.Date(2026, 6, 25, 10, 30, 0, 0, time.UTC) // no month has 25
				}
				texts, want = append(texts, at.Format(form)), append(want, at.UnixNano())
			}
			var e DateEvidence
			for _, s := range texts {
				e.Add(s)
			}
			order, _, sure := e.Decide()
			require.True(t, sure, texts)
			d := Dates{Order: order}
			for i, s := range texts {
				got, err := d.Parse(s, time.UTC)
				require.NoError(t, err, "%s as %s", s, order)
				require.Equal(t, want[i], got, "%s as %s", s, order)
			}
		})
	}
}

func TestTimesAndDayNumbers(t *testing.T) {
	for in, want := range map[string]string{"24.12.2026 24:00": "2026-12-25T00:00:00Z", "46350": "2026-11-24T00:00:00Z",
		"46350.25": "2026-11-24T06:00:00Z", "24.12.2026": "2026-12-24T12:00:00Z", "Tuesday, 24 November 2026": "2026-11-24T12:00:00Z",
		"20261124": "2026-11-24T12:00:00Z", "24112026": "2026-11-24T12:00:00Z", "20261124 0905": "2026-11-24T09:05:00Z",
		"20261124090507": "2026-11-24T09:05:07Z", "20261124T0905": "2026-11-24T09:05:00Z",
		"24.11.2026 09:05 +0100": "2026-11-24T08:05:00Z", "2026-11-24 09:05:00 UTC": "2026-11-24T09:05:00Z", "24.11.2026 09:05 gmt": "2026-11-24T09:05:00Z",
		"24/11/2026 09:05-02:30": "2026-11-24T11:35:00Z"} {
		got, err := (&Dates{Order: "dmy", Time: "12:00", Serial: true}).Parse(in, time.UTC)
		require.NoError(t, err, in)
		assert.Equal(t, want, time.Unix(0, got).UTC().Format(time.RFC3339), in)
	}
	for in, want := range map[string]error{"31.02.2026 10:00": errNoDay, "46350": errSerial, "24.12.2026": errNoHour, "soon": ErrNotTime,
		"12345678": ErrNotTime, "20261331": ErrNotTime, "09:05 24-11-2026": ErrNotTime, "24.12.2026 25:00": ErrNotTime,
		"13/25/2026 10:00": errNoDay, "12/25/2026 10:00": errOrder} {
		_, err := (&Dates{Order: "dmy"}).Parse(in, time.UTC)
		assert.Equal(t, want, err, in)
	}
}

// Whatever a cell holds, taking it for a number or a date ends with one or with words.
func FuzzForms(f *testing.F) {
	for _, s := range []string{"1.234,5", "(4)", "5-", "€ 1", "1O", "24.12.2026 9:05 PM", "3-Dec", "46350.5", "−3", "Tue, 1 Jan 26"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, n := range []Numbers{{}, {Decimal: ","}, {Signs: []string{"€"}, Minus: true, Letters: true}} {
			plain, problem, text := n.Parse(s)
			if problem == "" {
				if _, _, err := quantity.ParseCost(plain); err == quantity.ErrNotNumber {
					t.Fatalf("%q gave %q", s, plain)
				}
			} else if text == "" {
				t.Fatalf("%q: a problem without words", s)
			}
		}
		_, _ = (&Dates{Order: "dmy", Time: "24:00", Serial: true}).Parse(s, time.UTC)
		var e Evidence
		if w, ok := TakeApart(s); ok {
			e.Add([]byte(w.Core))
		}
		e.Decide()
	})
}

// A plus before a number is its sign and nothing else.
func TestAPlusIsASign(t *testing.T) {
	for s, sign := range map[string]string{"+12,5": "", "+ 12,5": "", "+€ 12": "€"} {
		w, ok := TakeApart(s)
		require.True(t, ok, s)
		assert.Equal(t, []any{sign, false}, []any{strings.TrimSpace(w.Sign), w.Negative}, s)
	}
}
