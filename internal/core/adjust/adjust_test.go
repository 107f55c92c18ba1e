package adjust_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

const one = quantity.Quantity(quantity.Scale)

// rope is 8 m counted where 10 m were expected, of which 3 m went since.
func rope() adjust.Line {
	return adjust.Line{
		Key:       [6]string{"W", "A-1", "ROPE, 8", "L1", "", "own"},
		RecordID:  "r1",
		Unit:      "m",
		Counted:   8 * one,
		Variance:  -2 * one,
		After:     -3 * one,
		Cost:      2_500_000,
		Costed:    true,
		Value:     -500,
		Valued:    true,
		Reason:    "short",
		CountedAt: time.Date(2026, 11, 20, 10, 0, 0, 0, time.UTC).UnixNano(),
		Counter:   `Bo "B" Falk`,
	}
}

// Each mode says what it is for: the difference, the balance after all that moved since, in and out, what was counted.
func TestModes(t *testing.T) {
	found := adjust.Line{Key: [6]string{"W", "", "X"}, Counted: one / 4, Variance: one / 4, Reason: "found", Extra: []string{"a;b", "=1"}}
	for mode, want := range map[adjust.Mode]string{
		adjust.Difference: "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason,Shelf,Note\n" +
			"W,A-1,\"ROPE, 8\",L1,,own,r1,m,-2,2.5,-5.00,short\nW,,X,,,,,,0.25,,,found,a;b,=1\n",
		adjust.Balance: "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason,Shelf,Note\n" +
			"W,A-1,\"ROPE, 8\",L1,,own,r1,m,5,2.5,-5.00,short\nW,,X,,,,,,0.25,,,found,a;b,=1\n",
		adjust.InOut: "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity_in,quantity_out,unit_cost,value,reason,Shelf,Note\n" +
			"W,A-1,\"ROPE, 8\",L1,,own,r1,m,0,2,2.5,-5.00,short\nW,,X,,,,,,0.25,0,,,found,a;b,=1\n",
		adjust.Counted: "warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,counted_at,counter,unit_cost,value,reason,Shelf,Note\n" +
			"W,A-1,\"ROPE, 8\",L1,,own,r1,m,8,2026-11-20T10:00:00Z,\"Bo \"\"B\"\" Falk\",2.5,-5.00,short\nW,,X,,,,,,0.25,,,,,found,a;b,=1\n",
	} {
		file, failed, err := adjust.Write([]adjust.Line{rope(), found}, mode, "Shelf", "Note")
		require.NoError(t, err)
		assert.Equal(t, -1, failed)
		assert.Equal(t, want, string(file), mode)
	}
}

// No file says a balance below zero, or one out of range; a difference may say anything.
func TestUnsoundBalances(t *testing.T) {
	below, large := rope(), rope()
	below.After = -9 * one
	large.Counted, large.After = quantity.Limit-1, quantity.Limit-1
	for _, c := range []struct {
		line adjust.Line
		want error
	}{{below, adjust.ErrBelowZero}, {large, quantity.ErrTooLarge}} {
		file, failed, err := adjust.Write([]adjust.Line{rope(), c.line}, adjust.Balance)
		assert.ErrorIs(t, err, c.want)
		assert.Equal(t, 1, failed)
		assert.Nil(t, file, "nothing half done")
		_, _, err = adjust.Write([]adjust.Line{c.line}, adjust.Difference)
		assert.NoError(t, err)
	}
}

func TestReasons(t *testing.T) {
	for _, c := range []struct {
		status   variance.Status
		variance quantity.Quantity
		want     string
	}{{variance.Over, 1, "over"}, {variance.Short, -1, "short"}, {variance.Found, 1, "found"}, {variance.Tolerated, 1, "over"},
		{variance.Tolerated, -1, "short"}, {variance.Uncounted, -1, "uncounted"}, {variance.Match, 0, ""}} {
		assert.Equal(t, c.want, adjust.Reason(c.status, c.variance), c.status)
	}
}

// Whatever a line holds, any reader of the standard reads it back: the same cells, a quantity that in less out makes up,
// as many cells in each row as in the header.
func TestReadBack(t *testing.T) {
	text := rapid.StringMatching(`[A-Z0-9 ,;"\né]{0,8}`)
	rapid.Check(t, func(t *rapid.T) {
		var lines []adjust.Line
		for i := range rapid.IntRange(1, 5).Draw(t, "lines") {
			l := adjust.Line{
				RecordID: text.Draw(t, "record"),
				Unit:     text.Draw(t, "unit"),
				Counter:  text.Draw(t, "counter"),
				Reason:   text.Draw(t, "reason"),
				Extra:    []string{text.Draw(t, "extra")},
				Counted:  quantity.Quantity(rapid.Int64Range(0, 1e15).Draw(t, "counted")),
				Variance: quantity.Quantity(rapid.Int64Range(-1e15, 1e15).Draw(t, "variance")),
				After:    quantity.Quantity(rapid.Int64Range(0, 1e15).Draw(t, "after")),
			}
			for p := range l.Key {
				l.Key[p] = text.Draw(t, fmt.Sprint(i, p))
			}
			lines = append(lines, l)
		}
		for _, mode := range adjust.Modes {
			file, _, err := adjust.Write(lines, mode, "Extra")
			require.NoError(t, err)
			rows, err := csv.NewReader(strings.NewReader(string(file))).ReadAll()
			require.NoError(t, err)
			require.Len(t, rows, len(lines)+1)
			for i, r := range rows[1:] {
				l := &lines[i]
				require.Equal(t, append(l.Key[:], l.RecordID, l.Unit), r[:8])
				require.Equal(t, []string{l.Reason, l.Extra[0]}, r[len(r)-2:])
				q, err := quantity.Parse([]byte(r[8]))
				require.NoError(t, err)
				switch mode {
				case adjust.Difference:
					require.Equal(t, l.Variance, q)
				case adjust.Balance:
					require.Equal(t, l.Counted+l.After, q)
				case adjust.Counted:
					require.Equal(t, l.Counted, q)
				default:
					out, err := quantity.Parse([]byte(r[9]))
					require.NoError(t, err)
					require.True(t, q >= 0 && out >= 0 && (q == 0 || out == 0))
					require.Equal(t, l.Variance, q-out)
				}
			}
		}
	})
}
