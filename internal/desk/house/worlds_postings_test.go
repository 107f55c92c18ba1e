package house_test

import (
	"encoding/csv"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// answered says of what other counts sent whether the records had it: they take in what did not get lost, and have no export of
// before the posting with it.
func (w *world) answered(c *worldCount) {
	list, err := w.d.Variances.Elsewhere(ctx, nell, c.id)
	require.NoError(w.rt, err)
	lines := map[int64]int{}
	for _, l := range c.lines {
		for _, b := range l.elsewhere {
			lines[b.id]++
		}
	}
	open := map[int64]int{}
	for _, x := range list {
		if x.Answer == "" {
			open[x.Posting] = x.Lines
		}
	}
	require.Equal(w.rt, lines, open, "what other counts sent of its lines since its stock was recorded")
	for _, id := range slices.Sorted(maps.Keys(lines)) {
		isLost := slices.ContainsFunc(w.lost, func(b worldBooking) bool { return b.id == id })
		answer := map[bool]string{true: count.Had, false: count.Takes}[isLost]
		require.NoError(w.rt, w.d.Variances.AnswerElsewhere(ctx, nell, c.id, []int64{id}, answer))
		for _, l := range c.lines {
			for _, b := range l.elsewhere {
				if b.id == id && !isLost {
					l.reckoned += b.quantity
				}
			}
			l.elsewhere = slices.DeleteFunc(l.elsewhere, func(b *worldBooking) bool { return b.id == id })
		}
	}
}

// fileOf gives the rows of a preview by key: the quantity, and when it was counted.
func (w *world) fileOf(v adjustments.PostingPreview) map[string][2]string {
	rows, err := csv.NewReader(strings.NewReader(v.Text)).ReadAll()
	require.NoError(w.rt, err)
	out := map[string][2]string{}
	at := func(name string) int { return slices.Index(rows[0], name) }
	for _, r := range rows[1:] {
		q := ""
		if in := at("quantity_in"); in >= 0 {
			q = r[in]
			if r[in+1] != "0" {
				q = "-" + r[in+1]
			}
		} else {
			q = r[at("quantity")]
		}
		when := ""
		if i := at("counted_at"); i >= 0 {
			when = r[i]
		}
		out[r[1]+" "+r[2]] = [2]string{q, when}
	}
	return out
}

// number reads a whole number.
func (w *world) number(text string) (n int) {
	_, err := fmt.Sscan(text, &n)
	require.NoError(w.rt, err, text)
	return n
}

// post accepts all that is open of a count and sends it out in some form, once all four were held against what the record system
// makes of them.
func (w *world) post(c *worldCount) {
	w.moves(0)
	w.compare()
	waits := false
	accepted := map[string]bool{}
	page, err := w.d.Variances.Variances(ctx, nell, c.id, desk.Filter{Show: "open", Limit: 100})
	require.NoError(w.rt, err)
	for _, l := range page.Lines {
		_, err := w.d.Variances.Decide(ctx, nell, c.id, []int64{l.Pos}, store.Accept, "MISCOUNT")
		require.NoError(w.rt, err)
	}
	for key := range c.lines {
		if o := w.outcome(c, key); o.wants {
			accepted[key] = true
			waits = waits || len(c.lines[key].elsewhere) > 0
		}
	}
	if waits {
		v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, "difference")
		require.NoError(w.rt, err)
		require.Contains(w.rt, v.Blocked, "another count sent something")
	}
	w.answered(c)
	w.compare()
	// What was reckoned in may have settled some, and what was decided on other figures is open again.
	page, err = w.d.Variances.Variances(ctx, nell, c.id, desk.Filter{Show: "open", Limit: 100})
	require.NoError(w.rt, err)
	for _, l := range page.Lines {
		_, err := w.d.Variances.Decide(ctx, nell, c.id, []int64{l.Pos}, store.Accept, "MISCOUNT")
		require.NoError(w.rt, err)
	}
	clear(accepted)
	for key := range c.lines {
		if w.outcome(c, key).wants {
			accepted[key] = true
		}
	}
	newer := len(w.exports) > 0 && w.exports[len(w.exports)-1].at > c.frozen
	var can []string
	for _, mode := range []string{"difference", "in-out", "balance", "counted"} {
		v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, mode)
		require.NoError(w.rt, err)
		blocked := false
		goes := maps.Clone(accepted)
		for key, l := range c.lines {
			o := w.outcome(c, key)
			if mode == "counted" {
				means := l.zeroed && len(l.entries) == 0 // it was settled to be zero, whatever is expected there by now
				blocked = blocked || accepted[key] && !o.isCounted && !means
				if o.isCounted && o.variance == 0 && l.posts == 0 {
					goes[key] = true
				}
			}
			if mode == "balance" && accepted[key] {
				blocked = blocked || w.target(c, key) < 0
			}
		}
		blocked = blocked || mode == "balance" && newer
		require.Equal(w.rt, blocked, v.Blocked != "", "%s: %s", mode, v.Blocked)
		if blocked || v.Lines == 0 {
			continue
		}
		can = append(can, mode)
		file := w.fileOf(v)
		require.Equal(w.rt, slices.Sorted(maps.Keys(goes)), slices.Sorted(maps.Keys(file)), mode)
		for key, row := range file {
			if slices.ContainsFunc(w.lost, func(b worldBooking) bool { return b.key == key && b.count == c && !b.noted }) {
				continue // what was sent never came, and nobody has noticed yet
			}
			o, ends := w.outcome(c, key), w.coming(key)
			switch q := w.number(row[0]); mode {
			case "balance":
				ends = q
			case "counted":
				at, err := time.Parse(time.RFC3339, row[1])
				require.NoError(w.rt, err)
				after := w.tradesBetween(key, int(at.Sub(worldBegin)/time.Minute), w.now, false)
				ends += q - (ends - after)
			default:
				require.Equal(w.rt, o.rest, q)
				ends += q
			}
			require.Equal(w.rt, w.target(c, key), ends, "%s of %s: what the records end at", mode, key)
		}
	}
	if len(can) == 0 {
		return
	}
	mode := rapid.SampledFrom(can).Draw(w.rt, "mode")
	v, err := w.d.Adjustments.PreviewPosting(ctx, nell, c.id, mode)
	require.NoError(w.rt, err)
	rests := map[string]int{}
	for key := range w.fileOf(v) {
		rests[key] = w.outcome(c, key).rest
	}
	sent, err := w.d.Adjustments.Post(ctx, nell, c.id, mode, "", v.Lines, v.Sha)
	require.NoError(w.rt, err)
	isLost := w.draw("lost", 0, 5) == 0
	for _, key := range slices.Sorted(maps.Keys(rests)) {
		l := c.lines[key]
		l.sent, l.posts = l.sent+rests[key], l.posts+1
		if rests[key] == 0 {
			continue
		}
		b := worldBooking{count: c, posting: sent.Number, id: sent.ID, key: key, quantity: rests[key], at: w.now}
		if isLost {
			w.lost = append(w.lost, b)
		} else {
			w.queue = append(w.queue, b)
		}
		for _, other := range w.counts {
			other.hears(&b)
		}
	}
}

// target is what the records have to end at: what was counted, and what was traded since; nothing where it was settled to be zero;
// of a line that is counted no more what they would have without this count.
func (w *world) target(c *worldCount, key string) int {
	switch o := w.outcome(c, key); {
	case o.isCounted, o.zero:
		return o.counted + w.tradesBetween(key, o.at, w.now, false)
	}
	n := w.coming(key)
	for _, list := range [][]worldBooking{w.booked, w.queue} {
		for _, b := range list {
			if b.count == c && b.key == key {
				n -= b.quantity
			}
		}
	}
	return n
}

// noticed holds what was sent against a newer export, and notes what is missing.
func (w *world) noticed() {
	for i := range w.lost {
		b := w.lost[i]
		if b.noted || b.count.done {
			continue
		}
		proof, err := w.d.Adjustments.Proof(ctx, nell, b.count.id)
		require.NoError(w.rt, err)
		for _, x := range proof {
			if x.Number != b.posting || x.Tally.Missing == 0 || x.Tally.Missing != x.Tally.Sent || x.Noted > 0 {
				continue
			}
			zeroes := 0 // lines that went out as they are have nothing to miss
			for _, o := range w.lost {
				if o.id == b.id {
					zeroes++
				}
			}
			if zeroes != x.Tally.Missing {
				continue
			}
			_, err := w.d.Adjustments.Unlanded(ctx, nell, b.count.id, b.posting, x.Tally.Missing, "")
			require.NoError(w.rt, err)
			for k := range w.lost {
				if o := &w.lost[k]; o.id == b.id {
					o.noted = true
					l := o.count.lines[o.key]
					l.sent, l.posts = l.sent-o.quantity, l.posts+1
				}
			}
			for _, c := range w.counts {
				for _, l := range c.lines {
					l.elsewhere = slices.DeleteFunc(l.elsewhere, func(e *worldBooking) bool { return e.id == b.id })
				}
			}
			after, err := w.d.Adjustments.Proof(ctx, nell, b.count.id)
			require.NoError(w.rt, err)
			for _, y := range after {
				if y.Number == b.posting {
					require.Equal(w.rt, []int{0, x.Tally.Missing, x.Tally.Missing}, []int{y.Tally.Landed, y.Tally.Missing, y.Noted}, "it never lands")
				}
			}
		}
	}
}
