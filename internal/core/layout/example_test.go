package layout_test

import (
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// What each column of a sheet is taken for, and why.
func ExampleRecogniseSheet() {
	content := "Quay store, 20 November\nBin location;Article;On hand;Price\nA-01-1;ROPE-12;40,5;2,40\nA-01-2;SHACKLE-8;12;1,15\n"
	f, err := tabular.Open("quay.csv", strings.NewReader(content), int64(len(content)), tabular.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	m, err := layout.RecogniseSheet(f, 0, layout.Want{})
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

// A day alone has no time of day: how it is meant is asked, or given with it.
func ExampleParseTime() {
	at, err := layout.ParseTime("2026-11-20T06:00:00+01:00", time.UTC)
	fmt.Println(time.Unix(0, at).UTC().Format(time.RFC3339), err)
	_, err = layout.ParseTime("yesterday", time.UTC)
	fmt.Println(err)
	// Output:
	// 2026-11-20T05:00:00Z <nil>
	// is not a time. Write it as 2026-11-21 06:00 or 2026-11-21T06:00:00+01:00
}
