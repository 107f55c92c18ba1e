package house_test

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/desk"
	"wobin/internal/desk/intake"
)

// mutated does to a file what disks, programs and people do: bytes lost, changed, doubled, pieces elsewhere, signs that
// mean something put in.
func mutated(rng *rand.Rand, b []byte) []byte {
	signs := []string{
		"\"",
		"\n",
		"\r",
		";",
		",",
		"\x00",
		"\xff\xfe",
		"=",
		"'",
		"#N/A",
		"1e400",
		"-",
		"99999999999999999999999999",
		"\xc3",
		"\t",
		"total",
		"2026-13-45",
		"\u200b",
	}
	b = bytes.Clone(b)
	for range []int{1, 1, 2, 5, 20}[rng.IntN(5)] {
		p := rng.IntN(len(b) + 1)
		q := min(p+rng.IntN(300), len(b))
		switch rng.IntN(5) {
		case 0:
			b = append(b[:p:p], append([]byte(signs[rng.IntN(len(signs))]), b[p:]...)...)
		case 1:
			b = append(b[:p:p], b[min(p+rng.IntN(40), len(b)):]...)
		case 2:
			if p < len(b) {
				b[p] = byte(rng.IntN(256))
			}
		case 3:
			b = append(b[:q:q], b[p:]...)
		case 4:
			at := rng.IntN(len(b) + 1)
			b = append(b[:at:at], append(bytes.Clone(b[p:q]), b[at:]...)...)
		}
	}
	return b
}

// Whatever is done to files, dropping them, looking at them, settling what is offered, taking them in and undoing that
// ends in a result or in words, never in an error of ours; and the records hold together.
func TestMutatedFiles(t *testing.T) {
	var files []string
	for _, pattern := range []string{"../../../demo/files/*.*", "../../core/trial/testdata/files/*.csv", "../../core/trial/testdata/files/*.xlsx",
		"../../core/trial/testdata/files/*.txt"} {
		found, err := filepath.Glob(pattern)
		require.NoError(t, err)
		files = append(files, found...)
	}
	require.NotEmpty(t, files)
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	rng := rand.New(rand.NewPCG(20, 26))
	ours := func(step string, n int, name string, err error) {
		var r *desk.Refusal
		if err != nil && !errors.As(err, &r) && !errors.Is(err, desk.ErrNotFound) {
			require.NoError(t, err, "%s, file %d from %s", step, n, name)
		}
	}
	taken := 0
	for n := range 500 {
		name := files[rng.IntN(len(files))]
		b, err := os.ReadFile(name)
		require.NoError(t, err)
		b = mutated(rng, b[:min(len(b), 60_000)])
		dr, err := d.Intake.Upload(ctx, nell, filepath.Base(name), bytes.NewReader(b), intake.Choices{Zone: "UTC"})
		ours("look", n, name, err)
		if err != nil {
			continue
		}
		for _, s := range dr.Sheets {
			var offered []layout.Layout
			for _, g := range s.Problems {
				for _, r := range g.Remedies {
					offered = append(offered, r.Set)
				}
			}
			for _, q := range s.Questions {
				for _, o := range q.Options {
					offered = append(offered, o.Set)
				}
			}
			if len(offered) > 0 {
				next, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Sheet: s.Number, Set: &offered[rng.IntN(len(offered))]})
				ours("settle", n, name, err)
				if err == nil {
					dr = next
				}
			}
			_, err := d.Intake.Rows(ctx, nell, dr.ID, s.Number, 0, 50, "", "")
			ours("rows", n, name, err)
			_, _, err = d.Intake.RefusedRows(ctx, nell, dr.ID, s.Number)
			ours("refused rows", n, name, err)
		}
		if dr.Blocked == "" && rng.IntN(3) == 0 {
			out, err := d.Intake.TakeIn(ctx, nell, dr.ID, fmt.Sprintf("file %d", n), dr.Effect.Refused)
			ours("take in", n, name, err)
			if err == nil && out.Intake > 0 {
				taken++
				if rng.IntN(2) == 0 {
					ours("undo", n, name, d.Intake.Undo(ctx, nell, out.Intake, true))
				}
			}
		} else {
			ours("put away", n, name, d.Intake.Discard(ctx, nell, dr.ID))
		}
	}
	require.Positive(t, taken)
	require.Zero(t, tally(t, d, untrue), "tallies foot")
	require.Zero(t, tally(t, d, "SELECT count(*) FROM pragma_foreign_key_check"))
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	require.Zero(t, proof.Broken, proof.Text)
}
