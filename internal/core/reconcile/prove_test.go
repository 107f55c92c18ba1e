package reconcile

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A proof agrees with the plainest reckoning over maps, whatever the order of rows, and foots: before, moved and landed are what is there
// after.
func TestProveAgainstModel(t *testing.T) {
	start := time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	stamp := func(hour int) string { return start.Add(time.Duration(hour) * time.Hour).Format(time.RFC3339) }
	const upTo = 10
	rapid.Check(t, func(t *rapid.T) {
		type line struct{ sent, before, after, moved int }
		lines, wasSent := map[[2]string]*line{}, map[[2]string]bool{}
		at := func(k [2]string) *line {
			if lines[k] == nil {
				lines[k] = &line{}
			}
			return lines[k]
		}
		key := rapid.Custom(func(t *rapid.T) [2]string {
			return [2]string{
				rapid.SampledFrom([]string{"A-2", "A-10", "B"}).Draw(t, "bin"),
				rapid.SampledFrom([]string{"X", "Y10", "Y9"}).Draw(t, "sku"),
			}
		})
		same := func(k [2]string) [2]string { return k }
		stockRows := func(what, when string, to func(l *line) *int) (rows [][]string) {
			rows = [][]string{{"bin", "sku", "quantity", "recorded_at"}}
			for _, k := range rapid.SliceOfNDistinct(key, 1, 9, same).Draw(t, what) {
				q := rapid.IntRange(-3, 9).Draw(t, "quantity")
				*to(at(k)) = q
				rows = append(rows, []string{k[0], k[1], strconv.Itoa(q), when})
			}
			return rows
		}
		before := stockRows("before", stamp(0), func(l *line) *int { return &l.before })
		after := stockRows("after", stamp(upTo), func(l *line) *int { return &l.after })
		moves := [][]string{{"bin", "sku", "quantity", "at", "reference"}}
		for n := range rapid.IntRange(0, 6).Draw(t, "moves") {
			k, q, h := key.Draw(t, "key"), rapid.IntRange(-4, 4).Draw(t, "moved"), rapid.IntRange(-1, upTo+1).Draw(t, "hour")
			moves = append(moves, []string{k[0], k[1], strconv.Itoa(q), stamp(h), fmt.Sprint("M", n)})
			l := at(k)
			if h > 0 && h <= upTo {
				l.moved += q
			}
		}
		sent := [][]string{
			{"warehouse", "bin", "sku", "lot", "serial", "holding", "record_id", "unit", "quantity", "unit_cost", "value", "reason"},
		}
		for range rapid.IntRange(1, 8).Draw(t, "sent") { // a line may have been sent several times
			k := key.Draw(t, "key")
			q := rapid.IntRange(-3, 3).Draw(t, "difference")
			if l := at(k); rapid.Bool().Draw(t, "as it came") && !wasSent[k] {
				q = l.after - l.before - l.moved
			}
			at(k).sent += q
			wasSent[k] = true
			sent = append(sent, []string{"", k[0], k[1], "", "", "", "", "pcs", strconv.Itoa(q), "", "", "short"})
		}
		in := ProveInput{Sent: table(t, "sent.csv", sent), Before: table(t, "before.csv", before), After: table(t, "after.csv", after)}
		if len(moves) > 1 {
			in.Movements = table(t, "moves.csv", moves)
		}
		proof, problems, err := Prove(context.Background(), in, ProveOptions{Most: 10})
		require.NoError(t, err)
		require.False(t, problems.Any(), problems.List)
		var b bytes.Buffer
		require.NoError(t, proof.Write(&b))
		rows, err := csv.NewReader(&b).ReadAll()
		require.NoError(t, err)
		got, states := map[[2]string]bool{}, map[string]int{}
		for _, r := range rows[1:] {
			k := [2]string{r[1], r[2]}
			require.False(t, got[k], "a line is told once")
			got[k] = true
			l := lines[k]
			landed := l.after - l.before - l.moved
			state := "different"
			switch {
			case !wasSent[k]:
				state = "unexplained"
			case landed == l.sent:
				state = "landed"
			case landed == 0:
				state = "missing"
			case landed == 2*l.sent:
				state = "twice"
			}
			assert.Equal(
				t,
				[]string{strconv.Itoa(l.sent), strconv.Itoa(l.before), strconv.Itoa(l.moved), strconv.Itoa(l.after), strconv.Itoa(landed), state},
				r[7:],
			)
			states[state]++
		}
		for k, l := range lines {
			if !got[k] {
				assert.Equal(t, []any{false, l.after}, []any{wasSent[k], l.before + l.moved}, "what is left out was not sent and did not change")
			}
		}
		assert.Equal(t, []int{len(wasSent), states["landed"], states["missing"], states["different"], states["twice"], states["unexplained"]},
			[]int{proof.Sent, proof.Landed, proof.Missing, proof.Different, proof.Twice, proof.Unexplained})
		assert.Equal(t, len(wasSent) == states["landed"], proof.Whole())
	})
}

// What cannot be proved is told with what to do.
func TestProveRefuses(t *testing.T) {
	sent := [][]string{{"warehouse", "bin", "sku", "quantity"}, {"W", "A", "X", "1"}}
	stock := func(when string, more ...[]string) [][]string {
		return append([][]string{{"warehouse", "bin", "sku", "quantity", "recorded_at"}, {"W", "A", "X", "1", when}}, more...)
	}
	moves := [][]string{{"warehouse", "bin", "sku", "quantity", "at", "reference"}, {"W", "A", "X", "1", "2026-11-20T07:00:00Z", "a"}}
	const six, seven = "2026-11-20T06:00:00Z", "2026-11-20T07:00:00Z"
	for want, c := range map[string][4][][]string{
		"before.csv: recorded_at: no row says when the stock was recorded, and movements need it. Add the column or give --before-at": {sent, stock(""), stock(seven), moves},
		"after.csv: recorded_at: no row says when the stock was recorded, and movements need it. Add the column or give --after-at":   {sent, stock(six), stock(""), moves},
		"after.csv:2: recorded_at: is as at 2026-11-20T06:00:00Z, before 2026-11-20T07:00:00Z of before.csv":                          {sent, stock(seven), stock(six), nil},
		"after.csv:3: warehouse W, bin A, SKU X comes twice, first in row 2. Take one out":                                            {sent, stock(six), stock(seven, []string{"W", "A", "X", "2", seven}), nil},
		"sent.csv: warehouse: no column for it, but before.csv has one": {
			{{"bin", "sku", "quantity"}, {"A", "X", "1"}}, stock(six), stock(seven), nil},
		`sent.csv:2: quantity: "lots" is not a number`: {{sent[0], {"W", "A", "X", "lots"}, {"W", "A", "Y", "2"}}, stock(six), stock(seven), nil},
	} {
		in := ProveInput{Sent: table(t, "sent.csv", c[0]), Before: table(t, "before.csv", c[1]), After: table(t, "after.csv", c[2])}
		if c[3] != nil {
			in.Movements = table(t, "moves.csv", c[3])
		}
		proof, problems, err := Prove(context.Background(), in, ProveOptions{Most: 10})
		require.NoError(t, err)
		require.Nil(t, proof)
		texts := ""
		for _, p := range problems.List {
			texts += p.String() + "\n"
		}
		assert.Contains(t, texts, want)
	}
	// The adjustments themselves among the movements.
	in := ProveInput{Sent: table(t, "sent.csv", sent), Before: table(t, "before.csv", stock(six)),
		After:     table(t, "after.csv", [][]string{stock(seven)[0], {"W", "A", "X", "2", seven}}),
		Movements: table(t, "moves.csv", moves)}
	proof, _, err := Prove(context.Background(), in, ProveOptions{})
	require.NoError(t, err)
	assert.Equal(t, 1, proof.Missing)
	require.Len(t, proof.Notes, 1)
	assert.Contains(t, proof.Notes[0], "moves.csv may hold the adjustments themselves")
}
