package main

import (
	"fmt"
	"runtime"
	"time"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/test/countsim"
)

// Seeds of the figures in the README; what the rules were tuned on are others, below a hundred.
const firstSeed, seeds = 9001, 10

// causes measures how many planted faults of counting are rightly named, over seeds that nothing was tuned on, and how long the causes
// of a count of a million lines take.
func causes(lines int) error {
	var all countsim.Score
	for seed := uint64(firstSeed); seed < firstSeed+seeds; seed++ {
		s, err := countsim.Judge(countsim.Make(seed, countsim.Usual))
		if err != nil {
			return err
		}
		all.Add(s)
	}
	fmt.Printf("\nlikely causes, %d simulated counts            planted   right  strong  otherwise  unnamed\n", seeds)
	least := 1.0
	share := func(n, of int) float64 { return float64(n) / float64(max(of, 1)) }
	for _, c := range cause.Causes {
		n := all.Of[c]
		least = min(least, share(n.Right, n.Planted))
		fmt.Printf("    %-42s %7d  %5.1f %% %5.1f %%   %8d %8d\n", c, n.Planted, 100*share(n.Right, n.Planted), 100*share(n.Strong, n.Planted),
			n.Otherwise, n.Unnamed)
	}
	sum := all.All()
	atLeast("planted faults rightly named", 100*share(sum.Right, sum.Planted), 90, " %")
	atLeast("    of the kind that does worst", 100*least, 75, " %")
	bar("true differences explained away", 100*share(all.Explained, all.Differ), 5, " %")

	million := countsim.Usual
	million.Items, million.Aisles = million.Items*lines/21_000, million.Aisles*lines/21_000
	in, err := countsim.Input(countsim.Make(1, million))
	if err != nil {
		return err
	}
	runtime.GC()
	began := time.Now()
	found := cause.Find(in)
	took := time.Since(began)
	fmt.Printf("%d variances in %d lines, %d of them explained\n", len(in.Lines), in.Counted+in.Uncounted, len(found))
	bar("likely causes of them", took.Seconds(), 2*float64(lines)/1e6, " s")
	for _, one := range []string{"bin", "item"} {
		in := allInOne(one, lines/20)
		runtime.GC()
		began := time.Now()
		found := cause.Find(in)
		took := time.Since(began)
		fmt.Printf("%d variances in one %s, %d of them explained\n", len(in.Lines), one, len(found))
		bar("likely causes, one "+one, took.Seconds(), 2*float64(lines)/1e6, " s")
	}
	return nil
}

// allInOne is the unfavourable case: all lines are in one bin, or of one item, off by one to three pieces, and half as many are uncounted.
func allInOne(one string, lines int) *cause.Input {
	in := &cause.Input{Codes: &stock.Codes{}, Counted: lines, Uncounted: lines / 2}
	w := in.Codes[stock.Warehouse].Intern([]byte("W"))
	key := func(i int) stock.Key {
		bin, sku := "A-01-1", fmt.Sprintf("S%06d", i)
		if one == "item" {
			bin, sku = fmt.Sprintf("A-%05d-%d", i/4, i%4), "S1"
		}
		return stock.Key{
			stock.Warehouse: w,
			stock.Bin:       in.Codes[stock.Bin].Intern([]byte(bin)),
			stock.SKU:       in.Codes[stock.SKU].Intern([]byte(sku)),
		}
	}
	for i := range lines {
		v := quantity.Quantity(1+i%3) * quantity.Scale
		if i%2 == 0 {
			v = -v
		}
		in.Lines = append(
			in.Lines,
			cause.Line{Key: key(i * 3 / 2), Row: true, Expected: 20 * quantity.Scale, Counted: 20*quantity.Scale + v, Variance: v},
		)
		if i%2 == 0 {
			in.Places = append(in.Places, cause.Place{Key: key(i*3/2 + 2), Expected: quantity.Scale})
		}
	}
	return in
}
