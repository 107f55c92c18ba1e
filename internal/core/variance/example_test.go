package variance_test

import (
	"fmt"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
)

// Ten were recorded at the freeze, two went out before the bin was counted, and seven were found: one is missing.
func ExampleEvaluate() {
	const freeze, counted = 100, 300
	in := variance.Input{
		Recorded: 10 * quantity.Scale, Row: true, Cost: 4_500_000, Costed: true, Frozen: freeze,
		Movements: []stock.Movement{{Quantity: -2 * quantity.Scale, At: 200}, {Quantity: 5 * quantity.Scale, At: 400}},
		Entries:   []variance.Entry{{Quantity: 7 * quantity.Scale, At: counted}},
	}
	r, err := variance.Evaluate(&in, variance.Tolerance{})
	fmt.Println(r.Status, "expected", r.Expected, "counted", r.Counted, "variance", r.Variance, "worth", r.Value, err)
	// Output: short expected 8 counted 7 variance -1 worth -4.50 <nil>
}

// Ten fewer went out; a recount finds twenty fewer: the other ten are open.
func ExampleResult_Rest() {
	r := variance.Result{Status: variance.Short, Variance: -20 * quantity.Scale, Value: -200_00, Valued: true}
	sent := variance.Sent{Postings: 1, Quantity: -10 * quantity.Scale, Value: -100_00}
	rest, err := r.Rest(sent, false)
	fmt.Println(rest.Quantity, rest.Value, rest.Wants, err)
	// Output: -10 -100.00 true <nil>
}
