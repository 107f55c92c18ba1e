package intake

import (
	"fmt"
	"maps"
	"strconv"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// Check is something about a dropped file that could be meant or be a mistake, and changes figures: it is asked before
// anything is taken in. None has an answer of its own.
type Check struct {
	What    string        `json:"what" doc:"missing, again, early, future, older, ahead, past, codes, described, part, cut, quantities or costs; behind it the number of a count, where the file belongs to several"`
	Text    string        `json:"text"`
	Options []CheckOption `json:"options"`
	Answer  string        `json:"answer" doc:"the option that was chosen; empty: it has to be answered"`
	Rows    []CheckRow    `json:"rows" doc:"the first of what it is about"`
	More    int           `json:"more" doc:"how many of them are not listed"`
}

// Confirmation gives the answer of a check that can only be confirmed: that it is meant. Others have answers that differ in what they do.
func (c *Check) Confirmation() (value string, is bool) {
	if len(c.Options) == 1 && c.Options[0].Value == asItIs {
		return asItIs, true
	}
	return "", false
}

// CheckOption is one answer.
type CheckOption struct {
	Value string `json:"value"`
	Label string `json:"label"`
}

// CheckRow is one row that a check is about.
type CheckRow struct {
	Row  int    `json:"row" doc:"of the file, 0 where it has none"`
	Line string `json:"line"`
	Text string `json:"text"`
}

// Answers of checks.
const (
	withdraw = "withdraw"
	leave    = "leave"
	asItIs   = "as it is"
	inTray   = "tray"
	// recordedCodes: items of a list are those that are recorded under other codes.
	recordedCodes = "recorded codes"
	// newCodes: items of a list are recorded ones, which have the codes of the list from then on.
	newCodes = "new codes"
	whole    = "whole"
	inPart   = "part"
)

// listedChecks is how many rows of a check are told one by one.
const listedChecks = 50

// checkKey is what the answer to a check of a sheet is kept under: what is said of one sheet is not said of another.
func checkKey(what string, sheet int) string { return what + " " + strconv.Itoa(sheet) }

// ask adds a check to a sheet, which blocks it until it is answered.
func (v *SheetOfFile) ask(c *Choices, x Check) {
	x.Answer = c.Checks[checkKey(x.What, v.Number)]
	if n := len(x.Rows); n > listedChecks {
		x.Rows, x.More = x.Rows[:listedChecks], n-listedChecks
	}
	if x.Rows == nil {
		x.Rows = []CheckRow{}
	}
	v.Checks = append(v.Checks, x)
	if x.Answer == "" && v.Blocked == "" {
		v.Blocked = x.Text
	}
}

// answered gives the answer to a check; empty where there is none, or it was not asked.
func (v *SheetOfFile) answered(what string) string {
	for _, c := range v.Checks {
		if c.What == what {
			return c.Answer
		}
	}
	return ""
}

// answer settles a check of a draft.
func (c *Choices) answer(sheet int, what, value string) error {
	kind, _, _ := strings.Cut(what, " ")
	if what == sameMoves {
		kind = what
	}
	for w, values := range map[string][]string{"missing": {withdraw, leave}, "again": {count.AddUp, count.Replace, leave, inTray},
		"early":  {asItIs},
		"future": {asItIs}, "older": {asItIs}, "codes": {recordedCodes, newCodes, asItIs}, "part": {inPart, whole}, sameMoves: {theSame, further},
		otherThings: {asItIs, fromFile}, cutOff: {asItIs}, tenfold: {asItIs}, tenfoldCost: {asItIs}, ahead: {asItIs}, longPast: {asItIs}} {
		for _, v := range values {
			if w == kind && v == value {
				checks := maps.Clone(c.Checks) // an earlier state of the draft has the old ones
				if checks == nil {
					checks = map[string]string{}
				}
				checks[checkKey(what, sheet)] = value
				c.Checks = checks
				return nil
			}
		}
	}
	return desk.Refuse("%s", fmt.Sprintf("%q is no answer to %q.", value, what))
}
