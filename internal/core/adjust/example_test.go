package adjust_test

import (
	"fmt"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// The same line in two modes: the variance, and what the record should then say, with what moved since the counting.
func ExampleWrite() {
	line := adjust.Line{
		Key:  [stock.Parts]string{"QUAY", "A-01-1", "ROPE-12"},
		Unit: "m", Counted: 38 * quantity.Scale, Variance: -2 * quantity.Scale, After: 5 * quantity.Scale,
		Cost: 2_400_000, Costed: true, Value: -4_80, Valued: true, Reason: "short",
	}
	for _, mode := range []adjust.Mode{adjust.Difference, adjust.Balance} {
		file, _, err := adjust.Write([]adjust.Line{line}, mode)
		fmt.Print(string(file), err, "\n")
	}
	// Output:
	// warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason
	// QUAY,A-01-1,ROPE-12,,,,,m,-2,2.4,-4.80,short
	// <nil>
	// warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason
	// QUAY,A-01-1,ROPE-12,,,,,m,43,2.4,-4.80,short
	// <nil>
}
