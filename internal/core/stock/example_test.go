package stock_test

import (
	"fmt"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// A movement belongs to a count where it lies behind the freeze and not behind the counting: the beginning is out, the end in.
func ExampleMoved() {
	moves := []stock.Movement{
		{Quantity: 1 * quantity.Scale, At: 10},
		{Quantity: 2 * quantity.Scale, At: 20},
		{Quantity: 4 * quantity.Scale, At: 30},
	}
	moved, _ := stock.Moved(moves, 10, 20)
	after, _ := stock.After(moves, 20)
	fmt.Println(moved, after)
	// Output: 2 4
}

// What is found has its SKU's cost where all recorded rows of that warehouse agree on one, else where all rows do, else
// the item's.
func ExampleFoundCost() {
	here := stock.AgreedOf(1_500_000, true).With(stock.AgreedOf(1_600_000, true)) // two rows, two costs
	anywhere := here
	item := stock.Costing{Cost: 1_450_000, Known: true}
	fmt.Println(stock.FoundCost(here, anywhere, item).Cost)
	fmt.Println(stock.FoundCost(stock.AgreedOf(1_500_000, true), anywhere, item).Cost)
	// Output:
	// 1.45
	// 1.5
}

// A text is the name that it says, and without regard to case only where that leaves one.
func ExampleNames_Find() {
	var n stock.Names
	n.Intern([]byte("Lot-7a"))
	n.Intern([]byte("Lot-7A"))
	n.Intern([]byte("Lot-8"))
	for _, text := range []string{"Lot-7A", "lot-7a", "LOT-8"} {
		id, ok := n.Find(text)
		if !ok {
			fmt.Println(text, "is none, or more than one")
			continue
		}
		fmt.Println(text, "is", n.Text(id))
	}
	// Output:
	// Lot-7A is Lot-7A
	// lot-7a is none, or more than one
	// LOT-8 is Lot-8
}
