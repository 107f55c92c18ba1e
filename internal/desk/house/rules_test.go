package house_test

import (
	"bytes"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/variances"
)

// queued lists the lines of a queue by bin and item, with the rule that decided them.
func queued(t *testing.T, d *house.House, id int64, show string) map[string]string {
	t.Helper()
	page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: show, Limit: 300})
	require.NoError(t, err)
	out := map[string]string{}
	for _, l := range page.Lines {
		out[l.Bin+" "+l.SKU] = l.Rule
	}
	return out
}

// settled waits until rules have nothing to decide in a count any more, whoever runs them.
func settled(t *testing.T, d *house.House, id int64) {
	t.Helper()
	require.Eventually(
		t,
		func() bool { n, err := d.Variances.RunRules(ctx, id); return err == nil && n == 0 },
		10*time.Second,
		time.Millisecond,
	)
}

// A rule that accepts gives a reason only for what the reason explains; one that explains both gives it to either sign, or to both.
func TestReasonsOfRules(t *testing.T) {
	d := at(t)
	t.Cleanup(d.Close)
	for n, c := range []struct {
		sign, reason, decides string
		fits                  bool
	}{
		{"over", "MISCOUNT", "accept", true}, {"short", "MISCOUNT", "accept", true}, {"", "MISCOUNT", "accept", true}, {"over", "", "accept", true},
		{"short", "LOSS", "accept", true}, {"over", "LOSS", "accept", false}, {"", "LOSS", "accept", false}, {"over", "LOSS", "hold", true},
		{"over", "NO SUCH", "accept", false}, {"over", "NO SUCH", "hold", false},
	} {
		_, err := d.Variances.KeepRule(ctx, nell, variances.RuleView{Name: fmt.Sprint("rule ", n), Sign: c.sign, To: worth(5_00), Decides: c.decides,
			Reason: c.reason})
		assert.Equal(t, c.fits, err == nil, "%+v: %v", c, err)
	}
}

// A rule is tried on what is there before it is turned on, decides what it is about and nothing else, marks what it decides, and leaves
// what somebody took back; turned off, it decides no more.
func TestRulesDecide(t *testing.T) {
	d := at(t)
	t.Cleanup(d.Close)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	earlier := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	open := queued(t, d, earlier, "open")
	require.Len(t, open, 8)

	small := variances.RuleView{Name: "small ones", Cause: "none", To: worth(18_00), Decides: "accept"}
	moved := variances.RuleView{Name: "transfers in one aisle", Cause: "misplaced", Aisle: true, Decides: "accept", Reason: "TRANSFER"}
	trial, err := d.Variances.TryRule(ctx, nell, moved)
	require.NoError(t, err)
	assert.Equal(t, []any{2, "48.00", 1}, []any{trial.Lines, trial.Gross.String(), len(trial.Counts)})
	assert.Equal(
		t,
		[]any{0, 0, 2, 2},
		[]any{trial.Counts[0].Same, trial.Counts[0].Otherwise, trial.Counts[0].Open, len(trial.Counts[0].Examples)},
	)
	assert.Len(t, queued(t, d, earlier, "open"), 8, "a trial decides nothing")

	id, err := d.Variances.KeepRule(ctx, nell, moved)
	require.NoError(t, err)
	_, err = d.Variances.KeepRule(ctx, nell, moved)
	require.ErrorContains(t, err, "There is a rule")
	n, err := d.Variances.RunRules(ctx, earlier)
	require.NoError(t, err)
	assert.Zero(t, n, "a rule that is off decides nothing")
	err = d.Variances.TurnRule(ctx, nell, id, variances.TurningRule{On: true, Lines: 3, Gross: trial.Gross})
	require.ErrorContains(t, err, "Its trial comes to 2 lines now, worth 48.00, not to 3")
	require.NoError(t, d.Variances.TurnRule(ctx, nell, id, variances.TurningRule{On: true, Lines: 2, Gross: trial.Gross}))
	settled(t, d, earlier)
	assert.Equal(t, map[string]string{"A-01-1 ROPE12": moved.Name, "A-02-1 ROPE12": moved.Name}, queued(t, d, earlier, "accepted"))
	h, err := d.Variances.History(ctx, nell, earlier, lineOf(t, d, earlier, "ROPE12", "A-01-1").Pos)
	require.NoError(t, err)
	last := h.Events[len(h.Events)-1]
	assert.Equal(
		t,
		[]string{"accepted, TRANSFER by the rule “transfers in one aisle”, which Nell turned on", moved.Name},
		[]string{last.Text, last.Rule},
	)

	// What a person takes back stays with people, until its figures change.
	pos := lineOf(t, d, earlier, "ROPE12", "A-01-1").Pos
	_, err = d.Variances.Decide(ctx, nell, earlier, []int64{pos}, "", "")
	require.NoError(t, err)
	settled(t, d, earlier)
	assert.Equal(t, map[string]string{"A-02-1 ROPE12": moved.Name}, queued(t, d, earlier, "accepted"))

	// One that says something else of the same lines is not turned on beside it, one about others is.
	held := variances.RuleView{Name: "hold what is dear", From: worth(20_00), Decides: "hold"}
	heldID, err := d.Variances.KeepRule(ctx, nell, held)
	require.NoError(t, err)
	trial, err = d.Variances.TryRule(ctx, nell, held)
	require.NoError(t, err)
	assert.Equal(t, 1, trial.Counts[0].Otherwise, "the line that the rule has accepted")
	err = d.Variances.TurnRule(ctx, nell, heldID, variances.TurningRule{On: true, Lines: trial.Lines, Gross: trial.Gross})
	require.ErrorContains(
		t,
		err,
		`It contradicts "transfers in one aisle", which is on: of a line that is likely misplaced, worth 20.00 or more one says hold, the other accept for TRANSFER`,
	)
	smallID, err := d.Variances.KeepRule(ctx, nell, small)
	require.NoError(t, err)
	trial, err = d.Variances.TryRule(ctx, nell, small)
	require.NoError(t, err)
	require.NoError(t, d.Variances.TurnRule(ctx, nell, smallID, variances.TurningRule{On: true, Lines: trial.Lines, Gross: trial.Gross}))
	settled(t, d, earlier)
	by := queued(t, d, earlier, "accepted")
	assert.Len(t, by, 1+trial.Lines)

	// A rule that is on is not changed, and what was decided by it stays when it is off.
	small.ID, small.To = smallID, worth(1)
	_, err = d.Variances.KeepRule(ctx, nell, small)
	require.ErrorContains(t, err, "is on. Turn it off first")
	require.ErrorContains(t, d.Variances.DropRule(ctx, nell, smallID), "is on. Turn it off first")
	require.NoError(t, d.Variances.TurnRule(ctx, nell, smallID, variances.TurningRule{}))
	require.NoError(t, d.Variances.DropRule(ctx, nell, smallID))
	assert.Equal(t, by, queued(t, d, earlier, "accepted"))
	rules, err := d.Variances.Rules(ctx, nell)
	require.NoError(t, err)
	require.Len(t, rules, 2)
	assert.Equal(
		t,
		[]any{moved.Name, true, "Nell", 2, held.Name, false},
		[]any{rules[0].Name, rules[0].On, rules[0].OnBy, rules[0].Decided, rules[1].Name, rules[1].On},
	)

	// A later count is decided as it comes back, without anybody asking for it.
	later := caused(t, d, "second", strings.ReplaceAll(causeStock, "2026-11-20T06", "2026-11-20T07"), causeCounts, "", "")
	require.Eventually(t, func() bool { return len(queued(t, d, later, "accepted")) == 2 }, 10*time.Second, 5*time.Millisecond)

	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
	require.NoError(t, d.Store.Write(ctx, func(tx *gorm.DB) error {
		require.NoError(t, tx.Exec("DROP TRIGGER decisions_kept").Error)
		return tx.Exec("UPDATE decisions SET rule = '' WHERE rule <> ''").Error
	}))
	proof, err = d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.NotZero(t, proof.Broken, "that a rule decided is under the chain")
}

func worth(n int64) *quantity.Money { m := quantity.Money(n); return &m }

// A rule that cannot hold is refused with what is wrong.
func TestRulesThatCannotHold(t *testing.T) {
	d := at(t)
	for want, r := range map[string]variances.RuleView{
		"accepts everything":          {Name: "x", Decides: "accept"},
		"is no reason code":           {Name: "x", Decides: "accept", To: worth(1), Reason: "MOOD"},
		"LOSS explains what is short": {Name: "x", Decides: "accept", To: worth(1), Reason: "LOSS"},
		"has a name":                  {Name: " ", Decides: "hold"},
		"without a stroke":            {Name: "a/b", Decides: "hold"},
		"below zero":                  {Name: "x", Decides: "accept", To: worth(-1)},
	} {
		_, err := d.Variances.KeepRule(ctx, nell, r)
		require.ErrorContains(t, err, want)
	}
	_, err := d.Variances.KeepRule(ctx, nell, variances.RuleView{Name: "x", Decides: "accept", To: worth(1), Reason: "LOSS", Sign: "short"})
	require.NoError(t, err)
	require.ErrorIs(t, d.Variances.TurnRule(ctx, nell, 99, variances.TurningRule{On: true}), desk.ErrNotFound)
	require.ErrorIs(t, d.Variances.DropRule(ctx, nell, 99), desk.ErrNotFound)
}

var onePixel = []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00")

// A photo or file is kept with a line to the byte; what is not what its name says, is too large, or is there already is not.
func TestEvidence(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	pos := lineOf(t, d, id, "S01", "A-02").Pos
	for want, f := range map[string]struct {
		name string
		body string
	}{
		`ends in .jpg, but is image/png inside`:   {"shelf.jpg", string(onePixel)},
		`but is text/html inside`:                 {"note.txt", "<html><script>alert(1)</script>"},
		`is not taken as evidence`:                {"tool.exe", "MZ"},
		`is empty`:                                {"shelf.png", ""},
		`larger than 25 MB`:                       {"shelf.png", string(onePixel) + strings.Repeat("x", 25<<20)},
		`A file has a name`:                       {"", "x"},
		`but is application/octet-stream inside.`: {"delivery.pdf", "\x00\x01\x02"},
	} {
		_, err := d.Variances.Attach(ctx, nell, id, pos, f.name, strings.NewReader(f.body))
		require.ErrorContains(t, err, want)
	}
	file, err := d.Variances.Attach(ctx, nell, id, pos, `C:\photos\Regal 2.png`, bytes.NewReader(onePixel))
	require.NoError(t, err)
	_, err = d.Variances.Attach(ctx, nell, id, pos, "again.png", bytes.NewReader(onePixel))
	require.ErrorContains(t, err, "has this very file already")
	_, err = d.Variances.Attach(ctx, nell, id, 4711, "x.png", bytes.NewReader(onePixel))
	require.ErrorIs(t, err, desk.ErrNotFound)
	h, err := d.Variances.History(ctx, nell, id, pos)
	require.NoError(t, err)
	require.Len(t, h.Files, 1)
	assert.Equal(
		t,
		[]any{"Regal 2.png", "picture", int64(len(onePixel)), "Nell"},
		[]any{h.Files[0].Name, h.Files[0].Sort, h.Files[0].Size, h.Files[0].Person},
	)
	name, media, k, err := d.Variances.Evidence(ctx, nell, id, file)
	require.NoError(t, err)
	assert.Equal(t, []string{"Regal 2.png", "image/png", string(onePixel)}, []string{name, media, string(readAll(t, k))})
	_, _, _, err = d.Variances.Evidence(ctx, nell, id+1, file)
	require.Error(t, err)
	for n := range 19 {
		_, err = d.Variances.Attach(ctx, nell, id, pos, fmt.Sprintf("%d.txt", n), strings.NewReader(fmt.Sprint("file ", n)))
		require.NoError(t, err)
	}
	_, err = d.Variances.Attach(ctx, nell, id, pos, "more.txt", strings.NewReader("more"))
	require.ErrorContains(t, err, "has 20 files already")
	kept, err := filepath.Glob(filepath.Join(d.Store.Dir, "files", "*", "*"))
	require.NoError(t, err)
	assert.Len(t, kept, tally(t, d, "SELECT count(*) FROM files"), "what was refused is not kept")
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}

// By the rule of the count the last round stands, two that agree, or the one that is chosen; a choice stands over every rule until a
// later round comes.
func TestWhichRoundStands(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	pos := lineOf(t, d, id, "S01", "A-02").Pos
	typed := func(sheet int, who, text string) {
		require.NoError(t, typedOn(t, d, id, sheet, who, map[string]string{"S01": text}))
	}
	again := func() {
		_, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{pos}})
		require.NoError(t, err)
	}
	stands := func(counted string, chosen int, disputed bool) {
		t.Helper()
		h, err := d.Variances.History(ctx, nell, id, pos)
		require.NoError(t, err)
		require.NotNil(t, h.Line.Counted)
		assert.Equal(t, []any{counted, chosen, disputed}, []any{h.Line.Counted.String(), h.Chosen, h.Line.Disputed})
		if h.Rounds < 2 {
			return
		}
		sum := quantity.Quantity(0)
		for _, e := range h.Events {
			if e.Stands {
				sum += *e.Quantity
			}
		}
		assert.Equal(t, counted, sum.String(), "the round that is told to stand does")
	}
	typed(1, "Ada", "7")
	require.ErrorContains(t, d.Variances.ChooseRound(ctx, nell, id, pos, 3), "was not counted in that round")
	again()
	typed(2, "Bo", "8")
	stands("8", 0, false)
	require.ErrorContains(t, d.Variances.KeepStands(ctx, nell, id, "mood"), "The last round stands, two that agree")
	require.ErrorContains(t, d.Variances.KeepStands(ctx, nell, id, ""), "holds already")
	require.NoError(t, d.Variances.KeepStands(ctx, nell, id, "agree"))
	stands("8", 0, true)
	require.NoError(t, d.Variances.ChooseRound(ctx, nell, id, pos, 1))
	stands("7", 1, false)
	again()
	typed(3, "Cy", "7")
	stands("7", 0, false) // the choice has ended, and two agree
	again()
	typed(4, "Di", "9")
	stands("7", 0, false)
	require.NoError(t, d.Variances.KeepStands(ctx, nell, id, "choose"))
	stands("9", 0, true)
	require.NoError(t, d.Variances.ChooseRound(ctx, nell, id, pos, 4))
	stands("7", 4, false)
	require.NoError(t, d.Variances.ChooseRound(ctx, nell, id, pos, 0))
	stands("9", 0, true)
	require.NoError(t, d.Variances.KeepStands(ctx, nell, id, ""))
	stands("9", 0, true)
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}
