package intake

import (
	"fmt"
	"strings"

	"wobin/internal/core/plausible"
	"wobin/internal/desk"
)

// The checks of what a file as a whole can hardly mean.
const (
	cutOff      = "cut"
	tenfoldCost = "costs"
	tenfold     = "quantities"
	ahead       = "ahead"
	longPast    = "past"
)

// askCut asks about a table that ends just where programs cut tables off.
func (v *SheetOfFile) askCut(c *Choices, headerRow int) {
	if !plausible.CutOff(headerRow + v.Rows) {
		return
	}
	v.ask(c, Check{
		What: cutOff,
		Text: fmt.Sprintf("It ends after %s, just where programs cut a table off: what came behind may be missing. Export it as text, or say that it is whole.",
			desk.Plural(headerRow+v.Rows, "row", "rows")),
		Options: []CheckOption{{asItIs, "It is whole"}},
	})
}

// askTenfold asks about figures that are those of the records with the decimal point elsewhere.
func (v *SheetOfFile) askTenfold(c *Choices, what, of string, t *plausible.Tens) {
	places, n, all := t.Shift()
	if places == 0 {
		return
	}
	times := "1" + strings.Repeat("0", max(places, -places))
	times = map[bool]string{true: times + " times", false: "1/" + times + " of"}[places > 0]
	v.ask(c, Check{
		What: what,
		Text: fmt.Sprintf("%s of %s of %s are %s what is recorded. See to the decimal mark of the column, or say that they are right.",
			of, desk.Grouped(n), desk.Plural(all, "line", "lines"), times),
		Options: []CheckOption{{asItIs, "They are right"}},
	})
}

// askMoment asks about figures that are said to be still to come, or long past.
func (d *Room) askMoment(dr *draft, pt *part) {
	at, now := desk.Instant(pt.stock().recordedAt), d.Now()
	what, why := "", ""
	switch {
	case plausible.Late(at, now):
		what, why = ahead, "which is still to come"
	case plausible.Early(at, now):
		what, why = longPast, "which is long past"
	default:
		return
	}
	pt.view.ask(&dr.choices, Check{
		What:    what,
		Text:    fmt.Sprintf("The figures are said to be of %s, %s. Correct the time, or say that it is right.", at.Format("2 January 2006, 15:04 MST"), why),
		Options: []CheckOption{{asItIs, "It is right"}},
	})
}
