package recognise_test

import (
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// What each column of a sheet is taken for, and why.
func ExampleSheet() {
	content := "Quay store, 20 November\nBin location;Article;On hand;Price\nA-01-1;ROPE-12;40,5;2,40\nA-01-2;SHACKLE-8;12;1,15\n"
	f, err := tabular.Open("quay.csv", strings.NewReader(content), int64(len(content)), tabular.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	m, err := recognise.Sheet(f, 0, recognise.Want{})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(m.Kind)
	for _, c := range m.Columns {
		fmt.Printf("%s: %s\n", c.Header, c.Field)
	}
	// Output:
	// stock
	// Bin location: bin
	// Article: sku
	// On hand: quantity
	// Price: unit_cost
}

// A question is answered by laying its answer over what was settled before, and reading the file again.
func ExampleMapping_Answer() {
	text := "SKU,Harbour shop,Yard\nR100,12,5\nR101,3,0\n"
	f, _ := tabular.Open("shops.csv", strings.NewReader(text), int64(len(text)), tabular.Options{})
	given := &layout.Layout{}
	m, _ := recognise.Sheet(f, 0, recognise.Want{Given: given})
	fmt.Println(m.Asks[0].Text)
	fmt.Println(m.Asks[0].Options[0].Label)
	answer := m.Answer(&m.Asks[0], &m.Asks[0].Options[0])
	given.Settle(&answer)
	m, _ = recognise.Sheet(f, 0, recognise.Want{Given: given})
	stock, _ := read.Reading{Zone: time.UTC, Layout: given}.Stock(f, m, &problem.Problems{})
	for _, l := range stock.Book.Lines {
		fmt.Println(stock.Book.Codes.Texts(l.Key)[0], stock.Book.Codes.Texts(l.Key)[2], l.Recorded)
	}
	// Output:
	// Columns B and C hold figures below Harbour shop and Yard, as where items stand down and places across. What are these?
	// Warehouses: each figure becomes a line of its warehouse (Harbour shop and Yard)
	// Harbour shop R100 12
	// Yard R100 5
	// Harbour shop R101 3
	// Yard R101 0
}
