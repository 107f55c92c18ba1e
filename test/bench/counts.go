package main

import (
	"bufio"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
	"wobin/internal/web"
)

// site is a data folder with a warehouse in it, served as it is to browsers.
type site struct {
	ctx    context.Context
	dir    string
	store  *store.Store
	desk   *house.House
	ida    desk.Person
	client *http.Client
	base   string
	end    func()
}

func newSite(dir string) (*site, error) {
	debug.SetMemoryLimit(400 << 20) // as wobin serve does
	h := &site{ctx: context.Background(), dir: dir}
	var err error
	if h.store, err = store.Open(dir); err != nil {
		return nil, err
	}
	if h.desk, err = house.New(h.store, time.Now); err != nil {
		return nil, err
	}
	if h.ida, err = h.desk.People.AddDemoPerson(h.ctx, "Ida", "ida", "controller"); err != nil {
		return nil, err
	}
	server := httptest.NewServer(web.New(h.desk, h.store, web.Options{}))
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	h.client, h.base = &http.Client{Jar: jar, Transport: &http.Transport{DisableCompression: true}}, server.URL
	res, err := h.client.Post(h.base+"/api/session", "application/json", strings.NewReader(`{"sign_in":"ida","password":"demo"}`))
	if err != nil {
		return nil, err
	}
	res.Body.Close()
	h.end = func() { server.Close(); h.desk.Close(); h.store.Close() }
	return h, nil
}

// take takes a file in, as the screen does.
func (h *site) take(file string, c intake.Choices) (count.TakenIn, error) {
	f, err := os.Open(file)
	if err != nil {
		return count.TakenIn{}, err
	}
	defer f.Close()
	c.Zone = "UTC"
	d, err := h.desk.Intake.Upload(h.ctx, h.ida, filepath.Base(file), f, c)
	if err != nil {
		return count.TakenIn{}, err
	}
	if d.Blocked != "" {
		return count.TakenIn{}, fmt.Errorf("%s: %s", file, d.Blocked)
	}
	return h.desk.Intake.TakeIn(h.ctx, h.ida, d.ID, "", d.Effect.Refused)
}

// ask asks for something as a browser does, and gives how long the answer took and how much of it went over the wire.
func (h *site) ask(method, path, body string) (took time.Duration, wire int, answer []byte, err error) {
	req, err := http.NewRequest(method, h.base+path, strings.NewReader(body))
	if err != nil {
		return 0, 0, nil, err
	}
	req.Header.Set("Accept-Encoding", "gzip, br")
	req.Header.Set("Content-Type", "application/json")
	start := time.Now()
	res, err := h.client.Do(req)
	if err != nil {
		return 0, 0, nil, err
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	took = time.Since(start)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s %s answered %d: %.200s", method, path, res.StatusCode, b)
	}
	wire = len(b)
	if err == nil && res.Header.Get("Content-Encoding") == "gzip" {
		z, e := gzip.NewReader(strings.NewReader(string(b)))
		if e != nil {
			return took, wire, nil, e
		}
		b, err = io.ReadAll(z)
	}
	return took, wire, b, err
}

// p95 asks n times and gives the time that 95 of 100 answers stay below, and the largest answer.
func (h *site) p95(n int, method, path string, body func(i int) string) (time.Duration, int, error) {
	var all []time.Duration
	most := 0
	for i := range n {
		text := ""
		if body != nil {
			text = body(i)
		}
		took, wire, _, err := h.ask(method, path, text)
		if err != nil {
			return 0, 0, err
		}
		all, most = append(all, took), max(most, wire)
	}
	slices.Sort(all)
	return all[(len(all)*95+99)/100-1], most, nil
}

// memory is the most memory that was in use while work went on.
func memory(work func() error) (mib float64, err error) {
	runtime.GC()
	var stop atomic.Bool
	most := make(chan uint64)
	go func() {
		var m uint64
		for !stop.Load() {
			m = max(m, resident())
			time.Sleep(20 * time.Millisecond)
		}
		most <- m
	}()
	err = work()
	stop.Store(true)
	return float64(<-most) / (1 << 20), err
}

func resident() uint64 {
	b, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		return 0
	}
	var all, here uint64
	_, _ = fmt.Sscan(string(b), &all, &here)
	return here * uint64(os.Getpagesize())
}

// countFiles writes the stock of one warehouse, 14 lines to a bin, and a count for each line, a tenth of them off.
func countFiles(dir string, lines int) (stock, counts string, err error) {
	stock, counts = filepath.Join(dir, "house.csv"), filepath.Join(dir, "house-counts.csv")
	return stock, counts, func() error {
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
		fmt.Fprintln(sw, "warehouse,zone,bin,sku,description,unit,quantity,unit_cost,recorded_at")
		fmt.Fprintln(cw, "warehouse,bin,sku,counted,counted_at,counter")
		const perBin = 14
		for i := range lines {
			bin := i / perBin
			place := fmt.Sprintf("%c%02d-%02d-%02d-%d", 'A'+rune(bin/2880%26), bin/144/20%100, bin/144%20+1, bin/6%24+1, bin%6+1)
			item, n := i*7919%50_000, 5+i%400
			fmt.Fprintf(
				sw,
				"MAIN,Hall %d,%s,SKU-%05d,Thing no %d,ea,%d,%d.%02d,2026-11-20T06:00:00Z\n",
				bin/14400+1,
				place,
				item,
				item,
				n,
				1+item%90,
				item%100,
			)
			if i%10 == 3 {
				n += i%7 - 3
			}
			fmt.Fprintf(cw, "MAIN,%s,SKU-%05d,%d,2026-11-20T%02d:%02d:00Z,Ida Fenn\n", place, item, n, 8+i/200%9, i/10%60)
		}
		if err := sw.Flush(); err != nil {
			return err
		}
		return cw.Flush()
	}()
}

// measureCounts measures a count of many lines from its plan to its posting.
func measureCounts(dir string, lines int) error {
	stock, counts, err := countFiles(dir, lines)
	if err != nil {
		return err
	}
	h, err := newSite(filepath.Join(dir, "house"))
	if err != nil {
		return err
	}
	defer h.end()
	start := time.Now()
	if _, err := h.take(stock, intake.Choices{}); err != nil {
		return err
	}
	fmt.Printf("\na house of %d lines taken in                %6.2f s\n\n", lines, time.Since(start).Seconds())
	shell := func(q ...string) (float64, error) {
		took, err := timed(exec.Command("sqlite3", append([]string{filepath.Join(dir, "shell.db")}, q...)...))
		return took.Seconds(), err
	}
	// The shell does the same writing on a copy of the recorded lines.
	if _, err := shell("ATTACH '"+filepath.Join(h.dir, "wobin.db")+"' AS w;",
		"CREATE TABLE stock_lines AS SELECT * FROM w.stock_lines; CREATE TABLE bins AS SELECT id, code, zone FROM w.bins; CREATE TABLE items AS SELECT id, sku FROM w.items;"); err != nil {
		return err
	}
	froze, err := shell(
		`CREATE TABLE frozen (pos INTEGER PRIMARY KEY, bin_id, item_id, lot, serial, holding, recorded, cost, entries, counted, variance, value, status, counted_at, counter);
		INSERT INTO frozen SELECT row_number() OVER (ORDER BY b.zone, l.pos), l.bin_id, l.item_id, l.lot, l.serial, l.holding, l.quantity,
			l.cost, 0, NULL, NULL, NULL, 'uncounted', 0, '' FROM stock_lines l JOIN bins b ON b.id = l.bin_id;
		CREATE UNIQUE INDEX u ON frozen (bin_id, item_id, lot, serial, holding);`,
	)
	if err != nil {
		return err
	}
	tally := func(int) string { return `{"scope":{"warehouse":1},"rows":200}` }
	at, wire, err := h.p95(40, "POST", "/api/plan/tally", tally)
	if err != nil {
		return err
	}
	most := 1.0
	if lines <= 100_000 {
		most = 0.1
	}
	bar(fmt.Sprintf("tally of %d lines, p95", lines), at.Seconds(), most, " s")
	bar("tally, on the wire", float64(wire)/1e3, 300, " kB")

	var made plan.CountMade
	stop := make(chan bool)
	waits := make(chan []time.Duration)
	go func() { // another window, which scrolls
		var all []time.Duration
		for {
			select {
			case <-stop:
				waits <- all
				return
			default:
			}
			if took, _, _, err := h.ask("GET", "/api/warehouses/1/recorded?limit=200", ""); err == nil {
				all = append(all, took)
			}
		}
	}()
	start = time.Now()
	mib, err := memory(func() (err error) {
		made, err = h.desk.Plan.Freeze(h.ctx, h.ida, plan.NewCount{Name: "All of it", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 200}})
		return err
	})
	freeze := time.Since(start).Seconds()
	close(stop)
	other := <-waits
	if err != nil {
		return err
	}
	slices.Sort(other)
	fmt.Printf("\nsqlite3 shell: lines copied in order, index %6.2f s\n", froze)
	fmt.Printf("freeze and cut                              %6.2f s\n", freeze)
	bar("freeze and cut ÷ sqlite3 shell", freeze/froze, 2, "")
	bar("freeze and cut, memory", mib, 700, " MiB")
	bar("another window's list meanwhile, p95", other[len(other)*95/100].Seconds()*1000, 100, " ms")

	took, err := shell(
		".mode csv",
		".import "+counts+" counts",
		`CREATE TABLE entries AS SELECT f.pos, c.counted * 1000000 AS quantity, c.counted_at, c.counter FROM counts c JOIN bins b ON b.code = c.bin JOIN items i ON i.sku = c.sku JOIN frozen f ON f.bin_id = b.id AND f.item_id = i.id;
		CREATE UNIQUE INDEX e ON entries (pos);
		UPDATE frozen SET entries = 1, counted = e.quantity, variance = e.quantity - recorded,
			value = round((e.quantity - recorded) * cost / 10000000000), counted_at = e.counted_at, counter = e.counter,
			status = CASE WHEN e.quantity = recorded THEN 'match' WHEN e.quantity > recorded THEN 'over' ELSE 'short' END FROM entries e
				WHERE e.pos = frozen.pos;
		CREATE TABLE tallies AS SELECT bin_id, count(*), sum(status = 'match'), sum(status = 'over'), sum(status = 'short'), sum(value) FROM frozen GROUP BY bin_id;`,
	)
	if err != nil {
		return err
	}
	start = time.Now()
	mib, err = memory(func() error { _, err := h.take(counts, intake.Choices{Count: made.ID}); return err })
	if err != nil {
		return err
	}
	counted := time.Since(start).Seconds()
	fmt.Printf("\nsqlite3 shell: import, join, update, tally  %6.2f s\n", took)
	fmt.Printf("counts looked at, taken in, worked out      %6.2f s\n", counted)
	bar("taking in counts ÷ sqlite3 shell", counted/took, 2, "")
	bar("taking in counts, memory", mib, 700, " MiB")
	if err := h.tallyRules(lines, most); err != nil {
		return err
	}
	if err := h.comeBack(); err != nil {
		return err
	}
	if err := h.answers(made.ID); err != nil {
		return err
	}
	if err := h.goesOut(made.ID, counted/float64(lines)); err != nil {
		return err
	}
	start = time.Now()
	again, err := h.take(stock, intake.Choices{})
	if err != nil {
		return err
	}
	writing := time.Since(start).Seconds()
	start = time.Now()
	if err := h.desk.Intake.Undo(h.ctx, h.ida, again.Intake, true); err != nil {
		return err
	}
	undo := time.Since(start).Seconds()
	fmt.Printf(
		"\nthe same stock taken in again               %6.2f s\nand undone                                  %6.2f s\n",
		writing,
		undo,
	)
	bar("undo of an intake ÷ the intake", undo/writing, 1.5, "")
	return nil
}

// answers measures every list, figure and drawing of a count.
func (h *site) answers(id int64) error {
	fmt.Println()
	c := fmt.Sprintf("/api/counts/%d", id)
	for _, path := range []string{"/api/today", "/api/warehouses", "/api/warehouses/1/recorded?limit=200",
		"/api/warehouses/1/recorded?limit=200&by=item", "/api/warehouses/1/elevation", "/api/warehouses/1/bins",
		c, c + "/sheets?limit=500", c + "/bins", c + "/lines?limit=200", c + "/lines?limit=200&show=uncounted",
		c + "/lines?limit=200&show=counted", c + "/lines?sheet=3&limit=1000",
		c + "/variances?show=open&limit=300", c + "/variances?limit=300",
		c + "/variances/filtered?show=open", c + "/variances/groups?show=open&by=item", c + "/variances/groups?show=open&by=category",
		c + "/variances?show=open&limit=300&by=counter&of=Nobody", c + "/causes", c + "/newer", c + "/lines/4", c + "/report", c + "/returns", c + "/postings"} {
		at, wire, err := h.p95(40, "GET", path, nil)
		if err != nil {
			return err
		}
		bar("GET "+strings.Replace(path, c, "/count", 1)+", p95", at.Seconds()*1000, 50, " ms")
		if wire > 100_000 {
			bar("    on the wire", float64(wire)/1e3, 300, " kB")
		}
	}
	var page count.VariancePage
	_, _, b, err := h.ask("GET", c+"/lines?limit=200", "")
	if err != nil {
		return err
	}
	if err := json.Unmarshal(b, &page); err != nil {
		return err
	}
	at, _, err := h.p95(100, "POST", c+"/entries", func(i int) string {
		q := quantity.Quantity(i+1) * quantity.Scale
		return fmt.Sprintf(
			`{"key":"typed-entry-%d","entries":[{"row_code":%q,"quantity":%q,"again":"replace"}]}`,
			i,
			page.Lines[i].RowCode,
			q,
		)
	})
	if err != nil {
		return err
	}
	bar("a typed entry, p95", at.Seconds()*1000, 20, " ms")
	return nil
}

// goesOut measures deciding and sending out all variances, and undoing an intake.
func (h *site) goesOut(id int64, perCount float64) error {
	var places []int64
	for after := ""; ; {
		page, err := h.desk.Variances.Variances(h.ctx, h.ida, id, desk.Filter{Show: "open", Limit: 1000, After: after})
		if err != nil {
			return err
		}
		for _, l := range page.Lines {
			places = append(places, l.Pos)
		}
		if after = page.Next; after == "" {
			break
		}
	}
	start := time.Now()
	if _, err := h.desk.Variances.Decide(h.ctx, h.ida, id, places, "accept", "MISCOUNT"); err != nil {
		return err
	}
	fmt.Printf("\n%d variances accepted                   %6.2f s\n", len(places), time.Since(start).Seconds())
	start = time.Now()
	if _, err := h.desk.Adjustments.Post(h.ctx, h.ida, id, "difference", "", len(places)); err != nil {
		return err
	}
	sent := time.Since(start).Seconds()
	fmt.Printf("%d lines sent out                       %6.2f s\n", len(places), sent)
	bar("sending out ÷ taking in as many counts", sent/(perCount*float64(len(places))), 1.5, "")
	p, err := h.desk.Safety.VerifyChain(h.ctx)
	if err != nil || p.Broken != 0 {
		return fmt.Errorf("the record: %s %w", p.Text, err)
	}
	return nil
}
