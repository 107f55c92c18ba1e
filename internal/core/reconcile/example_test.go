package reconcile_test

import (
	"context"
	"fmt"
	"os"
	"strings"

	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
)

func text(name, content string) *tabular.File {
	f, err := tabular.Open(name, strings.NewReader(content), int64(len(content)), tabular.Options{})
	if err != nil {
		panic(err)
	}
	return f
}

// Two files of text are held against each other; nothing else is needed.
func ExampleRun() {
	stock := text("stock.csv", "warehouse,bin,sku,on hand,unit cost\nQUAY,A-01-1,ROPE-12,40,2.40\nQUAY,A-01-2,SHACKLE-8,12,1.15\n")
	counts := text("counts.csv", "warehouse,bin,sku,counted\nQUAY,A-01-1,ROPE-12,38\nQUAY,A-01-2,SHACKLE-8,12\n")
	frozen := int64(1_790_000_000_000_000_000)
	in := reconcile.Input{Stock: stock, Counts: []*tabular.File{counts}}
	r, problems, err := reconcile.Run(context.Background(), in, reconcile.Options{FrozenAt: &frozen})
	if err != nil || problems.Any() {
		fmt.Println(problems.List, err)
		return
	}
	fmt.Println(r.Figures.Match, "match,", r.Figures.Short, "short")
	_ = r.WriteAdjustments(os.Stdout)
	// Output:
	// 1 match, 1 short
	// warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason
	// QUAY,A-01-1,ROPE-12,,,,,,-2,2.4,-4.80,short
}
