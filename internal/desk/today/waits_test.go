package today

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wobin/internal/core/quantity"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// A count tells what it waits for, each with where that is done; only where nothing is left can it be finished.
func TestWhatACountWaitsFor(t *testing.T) {
	const done = "everything is decided and sent out; the count can be finished"
	for _, c := range []struct {
		stages count.Stages
		want   []string // each as text, where, note
	}{
		{count.Stages{State: store.Finished, Sheets: 3, Open: 2, Held: 1}, nil},
		{count.Stages{Sheets: 3}, []string{"3 sheets to hand out > sheets > "}},
		{count.Stages{Sheets: 3, SheetsOut: 1, SheetsBack: 1, Uncounted: 4},
			[]string{"1 sheet to hand out > sheets > ", "1 sheet is out and not back > counting > 4 lines uncounted"}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Uncounted: 1}, []string{"1 line is uncounted > counting > "}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Doubts: 2}, []string{"2 rows wait in the tray > counting/tray > "}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Open: 1, OpenValue: quantity.Money(1250)}, []string{"1 variance to decide > variances > 12.50"}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Held: 2, Accepted: 1},
			[]string{"2 variances held > variances > ", "1 accepted line to send out > adjustments > "}},
		{count.Stages{Sheets: 2, SheetsBack: 2}, []string{done + " > report > "}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Zeroed: 3, Uncounted: 3}, []string{done + " > report > "}},
		{count.Stages{Sheets: 2, SheetsBack: 2, Zeroed: 3, Uncounted: 4}, []string{"1 line is uncounted > counting > "}},
	} {
		got := []string{}
		for _, w := range waits(&c.stages) {
			got = append(got, w.Text+" > "+w.Stage+" > "+w.Worth)
		}
		assert.ElementsMatch(t, c.want, got, "%+v", c.stages)
		if len(got) > 1 {
			assert.NotContains(t, got, done+" > report > ")
		}
	}
}
