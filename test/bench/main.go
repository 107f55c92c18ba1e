// Command bench measures Wobin against public tools on data that it makes itself, and prints ratios.
package main

import (
	"bufio"
	"encoding/csv"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/pprof"
	"slices"
	"strings"
	"syscall"
	"time"
)

func main() {
	lines := flag.Int("lines", 1_000_000, "stock lines")
	order := flag.String("order", "bins", "with -generate: the order of the rows: bins, items or random")
	wobin := flag.String("wobin", "bin/wobin", "the program")
	counting := flag.Bool("counts", false, "measure counts alone")
	alone := flag.Bool("causes", false, "measure the likely causes alone")
	profile := flag.String("cpuprofile", "", "write a profile of measuring counts to this file")
	only := flag.String("generate", "", "only write the two files into this folder")
	flag.Parse()
	if *only != "" {
		if err := generate(*lines, *order, filepath.Join(*only, "stock.csv"), filepath.Join(*only, "counts.csv")); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if *counting {
		dir, err := os.MkdirTemp("", "wobin-bench-*")
		if err == nil && *profile != "" {
			var f *os.File
			if f, err = os.Create(*profile); err == nil {
				err = pprof.StartCPUProfile(f)
				defer pprof.StopCPUProfile()
			}
		}
		if err == nil {
			defer os.RemoveAll(dir)
			err = measureCounts(dir, *lines)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	measure := func() error { return run(*lines, *wobin) }
	if *alone {
		measure = func() error { return causes(*lines) }
	}
	if err := measure(); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(lines int, wobin string) error {
	dir, err := os.MkdirTemp("", "wobin-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	stock, counts := filepath.Join(dir, "stock.csv"), filepath.Join(dir, "counts.csv")
	if err := generate(lines, "bins", stock, counts); err != nil {
		return err
	}
	for _, f := range []string{stock, counts} {
		info, err := os.Stat(f)
		if err != nil {
			return err
		}
		fmt.Printf("%-10s %9d lines %7.1f MB\n", filepath.Base(f), lines, float64(info.Size())/1e6)
	}
	fmt.Println()

	reading := func() (time.Duration, error) { return readBoth(stock, counts) }
	shelling := func() (time.Duration, error) {
		os.Remove(filepath.Join(dir, "join.db"))
		return timed(
			exec.Command(
				"sqlite3",
				filepath.Join(dir, "join.db"),
				".mode csv",
				".import "+stock+" stock",
				".import "+counts+" counts",
				"CREATE INDEX s ON stock(warehouse,bin,sku); CREATE INDEX c ON counts(warehouse,bin,sku);",
				".headers on",
				".output "+filepath.Join(dir, "differences.csv"),
				`SELECT s.warehouse, s.bin, s.sku, s.description, s.quantity, c.counted, c.counted - s.quantity AS variance, round((c.counted - s.quantity) * s.unit_cost, 2) AS value
			 FROM stock s LEFT JOIN counts c ON c.warehouse = s.warehouse AND c.bin = s.bin AND c.sku = s.sku ORDER BY s.warehouse, s.bin, s.sku;`,
			),
		)
	}
	out := filepath.Join(dir, "out")
	memory := int64(0)
	reconciling := func() (time.Duration, error) {
		c := exec.Command(wobin, "reconcile", "--stock", stock, "--counts", counts, "--zone", "UTC", "--out", out)
		d, err := timed(c)
		if err == nil {
			memory = max(memory, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss<<10)
		}
		return d, err
	}
	took, err := inTurn(4, reading, reconciling, shelling)
	if err != nil {
		return err
	}
	read, ours, shell := took[0], took[1], took[2]
	fmt.Printf("reading both files with encoding/csv        %6.2f s\n", read.Seconds())
	fmt.Printf("sqlite3 shell: import, index, join, write   %6.2f s\n", shell.Seconds())
	fmt.Printf("wobin reconcile, all lines sorted, written  %6.2f s\n\n", ours.Seconds())
	bar("reconcile ÷ sqlite3 shell", ours.Seconds()/shell.Seconds(), 0.2, "")
	bar("reconcile ÷ reading with encoding/csv", ours.Seconds()/read.Seconds(), 3, "")
	bar("reconcile, memory", float64(memory)/(1<<20), 700, " MiB")

	for _, order := range []string{"items", "random"} {
		if err := generate(lines, order, stock, counts); err != nil {
			return err
		}
		if took, err = inTurn(3, reconciling, shelling); err != nil {
			return err
		}
		fmt.Printf("rows %-8s wobin reconcile %.2f s, sqlite3 shell %.2f s\n", order+":", took[0].Seconds(), took[1].Seconds())
		bar("reconcile ÷ sqlite3 shell, rows "+order, took[0].Seconds()/took[1].Seconds(), 0.2, "")
	}
	if err := generate(lines, "bins", stock, counts); err != nil {
		return err
	}
	importing := func() (time.Duration, error) {
		os.Remove(filepath.Join(dir, "import.db"))
		return timed(
			exec.Command(
				"sqlite3",
				filepath.Join(dir, "import.db"),
				".mode csv",
				".import "+stock+" stock",
				"CREATE UNIQUE INDEX k ON stock(warehouse,bin,sku);",
			),
		)
	}
	memory = 0
	taking := func() (time.Duration, error) {
		data := filepath.Join(dir, "data")
		os.RemoveAll(data)
		c := exec.Command(wobin, "intake", stock, "--data", data)
		d, err := timed(c)
		if err == nil {
			memory = max(memory, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss<<10)
		}
		return d, err
	}
	if took, err = inTurn(6, importing, taking); err != nil {
		return err
	}
	imported, taken := took[0], took[1]
	fmt.Printf("\nsqlite3 .import and the same unique index   %6.2f s\n", imported.Seconds())
	fmt.Printf("wobin intake, checked, new data folder      %6.2f s\n\n", taken.Seconds())
	bar("intake ÷ sqlite3 .import", taken.Seconds()/imported.Seconds(), 1, "")
	bar("intake, memory", float64(memory)/(1<<20), 500, " MiB")
	if err := sheetsFromFiles(dir, wobin, stock, lines); err != nil {
		return err
	}
	for _, n := range []int{min(lines, 100_000), lines} {
		part, err := os.MkdirTemp(dir, "count-*")
		if err != nil {
			return err
		}
		if err := measureCounts(part, n); err != nil {
			return err
		}
		if n == lines {
			break
		}
	}
	// The simulator comes last: what it holds would count as memory of whatever is measured after it.
	return causes(lines)
}

func bar(what string, got, most float64, unit string) {
	word := "holds"
	if got > most {
		word = "MISSES"
	}
	fmt.Printf("%-40s %8.2f%s  (bar %g%s: %s)\n", what, got, unit, most, unit, word)
}

// atLeast is bar for what is to be no less.
func atLeast(what string, got, least float64, unit string) {
	word := "holds"
	if got < least {
		word = "MISSES"
	}
	fmt.Printf("%-40s %8.2f%s  (bar %g%s: %s)\n", what, got, unit, least, unit, word)
}

// inTurn runs each work in turn, so that all of them meet the machine in the same moods, and gives the best time of
// each.
func inTurn(rounds int, works ...func() (time.Duration, error)) ([]time.Duration, error) {
	least := make([]time.Duration, len(works))
	for round := range rounds {
		for i, work := range works {
			d, err := work()
			if err != nil {
				return nil, err
			}
			if round == 0 || d < least[i] {
				least[i] = d
			}
		}
	}
	return least, nil
}

func timed(c *exec.Cmd) (time.Duration, error) {
	var said strings.Builder
	c.Stderr = &said
	start := time.Now()
	err := c.Run()
	if err != nil {
		err = fmt.Errorf("%s: %w: %s", filepath.Base(c.Path), err, said.String())
	}
	return time.Since(start), err
}

func readBoth(files ...string) (time.Duration, error) {
	start := time.Now()
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return 0, err
		}
		r := csv.NewReader(bufio.NewReaderSize(f, 1<<20))
		r.ReuseRecord = true
		for {
			if _, err := r.Read(); err == io.EOF {
				break
			} else if err != nil {
				return 0, err
			}
		}
		f.Close()
	}
	return time.Since(start), nil
}

// generate writes stock lines as exports have them, by warehouse and bin, and a count for each as sheets come
// back: in pieces of 40 bins that follow no order, a tenth of the counts off. With shuffled, no two neighbouring
// rows belong together.
func generate(lines int, order, stock, counts string) error {
	rng := rand.New(rand.NewPCG(7, 11))
	s, err := os.Create(stock)
	if err != nil {
		return err
	}
	defer s.Close()
	c, err := os.Create(counts)
	if err != nil {
		return err
	}
	defer c.Close()
	sw, cw := bufio.NewWriterSize(s, 1<<20), bufio.NewWriterSize(c, 1<<20)
	nouns := []string{"Shackle", "Rope", "Cleat", "Flare", "Anchor", "Chart", "Paint", "Block"}
	const perBin, perSheet = 5, 200
	// Each bin holds five different items, so no key comes twice.
	key := func(i int) (place string, item int) {
		bin := i / perBin
		in := bin % 41_600 // of one warehouse: 26 aisles of 20 racks of 20 bays of 4 levels
		return fmt.Sprintf("W%d,%c-%02d-%02d-%d", bin/41_600+1, 'A'+rune(in/1600), in/80%20+1, in/4%20+1, in%4+1), i * 7919 % 50_000
	}
	stockOrder, countOrder := make([]int, lines), make([]int, 0, lines)
	for i := range stockOrder {
		stockOrder[i] = i
	}
	for _, sheet := range rng.Perm((lines + perSheet - 1) / perSheet) {
		for i := sheet * perSheet; i < min((sheet+1)*perSheet, lines); i++ {
			countOrder = append(countOrder, i)
		}
	}
	switch order {
	case "random":
		stockOrder, countOrder = rng.Perm(lines), rng.Perm(lines)
	case "items":
		byItem := func(a, b int) int { return a*7919%50_000 - b*7919%50_000 }
		slices.SortStableFunc(stockOrder, byItem)
		slices.SortStableFunc(countOrder, byItem)
	}
	fmt.Fprintln(sw, "warehouse,bin,sku,description,unit,quantity,unit_cost,recorded_at")
	for _, i := range stockOrder {
		place, item := key(i)
		fmt.Fprintf(
			sw,
			"%s,SKU-%05d,%s no %d,ea,%d,%d.%02d,2026-11-20T06:00:00Z\n",
			place,
			item,
			nouns[item%8],
			item,
			5+i%400,
			1+item%90,
			item%100,
		)
	}
	fmt.Fprintln(cw, "warehouse,bin,sku,counted,counted_at,counter")
	for _, i := range countOrder {
		place, item := key(i)
		counted := 5 + i%400
		if rng.IntN(10) == 0 {
			counted += rng.IntN(9) - 4
		}
		fmt.Fprintf(cw, "%s,SKU-%05d,%d,2026-11-20T%02d:%02d:00Z,Ida Fenn\n", place, item, counted, 8+i/perSheet%9, i/10%60)
	}
	if err := sw.Flush(); err != nil {
		return err
	}
	return cw.Flush()
}
