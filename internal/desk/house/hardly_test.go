package house_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// A file whose figures are those of the records with the point elsewhere, that ends where programs cut off, or that is said to be of
// another time than can be, is asked about, and taken in once that was answered. What is no more than trade is not.
func TestWhatAFileCanHardlyMeanIsAsked(t *testing.T) {
	lines := func(quantity, cost func(n int) string, at string) string {
		b := strings.Builder{}
		b.WriteString("Warehouse,Bin,SKU,Quantity,Unit cost,As at\n")
		for n := range 20 {
			fmt.Fprintf(&b, "W,B-%02d,S%02d,%s,%s,%s\n", n, n, quantity(n), cost(n), at)
		}
		return b.String()
	}
	plain := func(n int) string { return fmt.Sprint(n + 3) }
	times := func(by int, of func(int) string) func(int) string {
		return func(n int) string { return of(n) + strings.Repeat("0", by) }
	}
	cost := func(n int) string { return fmt.Sprintf("%d.50", n+1) }
	const now, later = "2026-11-20T06:00:00Z", "2026-11-20T07:00:00Z"
	for name, x := range map[string]struct{ text, what, says string }{
		"trade": {lines(func(n int) string { return fmt.Sprint(n + 3 + n%3) }, cost, later), "", ""},
		"a few by a factor": {lines(func(n int) string {
			if n < 9 {
				return times(1, plain)(n)
			}
			return plain(n)
		}, cost, later), "", ""},
		"quantities": {lines(times(3, plain), cost, later), "quantities", "The quantities of 20 of 20 lines are 1000 times what is recorded."},
		"costs": {lines(plain, func(n int) string { return fmt.Sprintf("%d50", n+1) }, later), "costs",
			"The unit costs of 20 of 20 lines are 100 times what is recorded."},
		"costs of a hundredth": {lines(plain, func(n int) string { return fmt.Sprintf("0.%02d5", n+1) }, later), "costs",
			"The unit costs of 20 of 20 lines are 1/100 of what is recorded."},
		"still to come":     {lines(plain, cost, "2126-11-20T06:00:00Z"), "ahead", "which is still to come"},
		"long past":         {lines(plain, cost, "1926-11-20T06:00:00Z"), "past", "which is long past"},
		"cut off":           {cut("W", 65_535), "cut", "It ends after 65,536 rows"},
		"one row less":      {cut("X", 65_534), "", ""},
		"items with prices": {"SKU,Unit cost\n" + itemCosts(100), "costs", "The unit costs of 20 of 20 lines are 100 times"},
	} {
		t.Run(name, func(t *testing.T) {
			d := at(t)
			take(t, d, "before.csv", lines(plain, cost, now))
			take(t, d, "items.csv", "SKU,Unit cost\n"+itemCosts(1))
			dr := look(t, d, "next.csv", x.text, intake.Choices{})
			var asked []string
			for _, c := range dr.Sheets[0].Checks {
				if c.What == "older" || c.What == "part" { // about something else
					continue
				}
				asked = append(asked, c.What)
				assert.Contains(t, c.Text, x.says)
			}
			if x.what == "" {
				assert.Empty(t, asked)
				return
			}
			require.Equal(t, []string{x.what}, asked)
			require.NotEmpty(t, dr.Blocked)
			dr = meant(t, d, dr)
			assert.Empty(t, dr.Blocked)
			_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(t, err)
		})
	}
}

// meant says of all that a draft asks about as a whole that it is meant so.
func meant(t *testing.T, d *house.House, dr *intake.Draft) *intake.Draft {
	t.Helper()
	for range 5 { // a check may be asked behind another
		for _, s := range dr.Sheets {
			if at := slices.IndexFunc(s.Checks, func(c intake.Check) bool { return c.Answer == "" }); at >= 0 {
				dr = settle(t, d, dr, intake.Answer{Sheet: s.Number, Check: s.Checks[at].What, Value: s.Checks[at].Options[0].Value})
				break
			}
		}
	}
	return dr
}

// cut is a file of stock of another warehouse with so many rows below its header.
func cut(house string, rows int) string {
	b := strings.Builder{}
	b.WriteString("Warehouse,Bin,SKU,Quantity,As at\n")
	for n := range rows {
		fmt.Fprintf(&b, "%s2,B-%d,S%02d,%d,2026-11-20T07:00:00Z\n", house, n, n%20, n%7+1)
	}
	return b.String()
}

func itemCosts(times int) string {
	b := strings.Builder{}
	for n := range 20 {
		fmt.Fprintf(&b, "S%02d,%d\n", n, (n+2)*times)
	}
	return b.String()
}

// Where neither a column nor a row above the table says when the figures were true, the file's name does, if it has one date.
func TestTheFilesNameSaysWhen(t *testing.T) {
	d := at(t)
	text := "Warehouse,Bin,SKU,Quantity\nW,A-1,S1,4\n"
	says := func(name string) string {
		dr := look(t, d, name, text, intake.Choices{})
		assert.Equal(t, "recorded_at", dr.Asks, "it is offered, and can be said otherwise")
		for _, a := range dr.Assumed {
			if strings.Contains(a, "taken to be of") {
				return a
			}
		}
		return ""
	}
	assert.Equal(t, "The file's name says 2026-11-19 06:30; the figures are taken to be of 19 November 2026, 06:30.", says("quay 2026-11-19 0630.csv"))
	assert.Equal(t, "The file's name says 2026-11-19; the figures are taken to be of 20 November 2026, 00:00.", says("quay_20261119.csv"))
	assert.Equal(t, "No column says when the figures were true; they are taken to be of this moment.", says("quay.csv"))
	today := d.Now().UTC()
	assert.Contains(t, says("quay "+today.Format(time.DateOnly)+".csv"), today.Format("2 January 2006, 15:04"), "not later than now")
}
