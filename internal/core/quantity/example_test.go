package quantity_test

import (
	"fmt"

	"wobin/internal/core/quantity"
)

// Costs are averaged by quantity, exactly, and rounded once: 3 at 1.10 and 4 at 1.20 are 8.10 over 7.
func ExampleAverage() {
	var a quantity.Average
	a.Add(3*quantity.Scale, 1_100_000)
	a.Add(4*quantity.Scale, 1_200_000)
	cost, ok := a.Cost()
	fmt.Println(cost, ok)
	// Output: 1.157143 true
}

// What a quantity is worth is rounded once, half a hundredth away from zero.
func ExampleValue() {
	q, _ := quantity.Parse("-2.5")
	c, _, _ := quantity.ParseCost("0.33")
	worth, err := quantity.Value(q, c)
	fmt.Println(worth, err)
	// Output: -0.83 <nil>
}

// A quantity that cannot be held exactly, or is out of range, is refused in words.
func ExampleParse() {
	for _, text := range []string{"1.250", "0.1234567", "9223372036855", "1e3"} {
		q, err := quantity.Parse(text)
		if err != nil {
			fmt.Println(text, err)
			continue
		}
		fmt.Println(q)
	}
	// Output:
	// 1.25
	// 0.1234567 has more than 6 decimal places
	// 9223372036855 is too large: the absolute value must be below 1000000000000
	// 1e3 is not a number
}
