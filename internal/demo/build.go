package demo

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/rotation"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	countdesk "wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/variances"
	"wobin/internal/standin"
	"wobin/internal/store"
)

// Clock is the time of the scenario while it is being made.
type Clock struct{ Now time.Time }

// Time gives it.
func (c *Clock) Time() time.Time { return c.Now }

// People of the demo: name, sign-in name and role. The password of each is demo.
var People = [][3]string{
	{"Ida Fenn", "ida", "controller"},
	{"Bram Tolley", "bram", "counter"},
	{"Mette Quill", "mette", "approver"},
	{"Oskar Lund", "oskar", "viewer"},
}

type builder struct {
	ctx   context.Context
	desk  *house.House
	clock *Clock
	s     *Scenario
	ida   desk.Person
	try   map[string][]byte
}

// Build fills an empty data folder with the scenario, through the desk: items and stock taken in, one count
// finished, one in the middle of counting, and files to try with in the folder's try. Its dates lie around today.
func Build(ctx context.Context, dir string, today time.Time) error {
	st, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer st.Close()
	b := &builder{ctx: ctx, clock: &Clock{}, s: New(7, today), try: map[string][]byte{}}
	if b.desk, err = house.New(st, b.clock.Time); err != nil {
		return err
	}
	defer b.desk.Close()
	b.clock.Now = b.s.loftFreeze.Add(-time.Hour)
	for i, p := range People {
		made, err := b.desk.People.AddDemoPerson(ctx, p[0], p[1], p[2])
		if err != nil {
			return err
		}
		if i == 0 {
			b.ida = made
		}
	}
	for _, step := range []func() error{b.loft, b.quay, b.files, b.pontoon, b.recordSystem} {
		if err := step(); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(filepath.Join(dir, "try"), 0o755); err != nil {
		return err
	}
	for name, data := range b.try {
		if err := os.WriteFile(filepath.Join(dir, "try", name), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// recordSystem keeps the layouts of the simulated record system that runs beside the demo.
func (b *builder) recordSystem() error {
	for _, m := range adjust.Modes {
		if err := b.desk.Adjustments.KeepLayout(b.ctx, b.ida, adjustments.OutLayout(standin.Layout(m))); err != nil {
			return err
		}
	}
	return nil
}

// take takes a file in as a person does, leaving out what is refused.
func (b *builder) take(name string, data []byte) (countdesk.TakenIn, error) {
	return b.takeWith(name, data, 0)
}

// takeWith takes in a file of which so many rows are in doubt.
func (b *builder) takeWith(name string, data []byte, doubts int) (countdesk.TakenIn, error) {
	d, err := b.desk.Intake.Upload(b.ctx, b.ida, name, bytes.NewReader(data), intake.Choices{Zone: "UTC"})
	if err != nil {
		return countdesk.TakenIn{}, fmt.Errorf("%s: %w", name, err)
	}
	if d.Blocked != "" || d.Effect.Refused != doubts {
		return countdesk.TakenIn{}, fmt.Errorf("%s: %s %+v", name, d.Blocked, d.Problems)
	}
	return b.desk.Intake.TakeIn(b.ctx, b.ida, d.ID, "", d.Effect.Refused)
}

func (b *builder) sheet(count int64, number int) ([]byte, error) {
	_, text, err := b.desk.Counting.WriteSheet(b.ctx, b.ida, count, number, counting.AsText)
	return text, err
}

func (b *builder) warehouse(code string) (int64, error) {
	all, err := b.desk.Recorded.Warehouses(b.ctx, b.ida)
	for _, w := range all {
		if w.Code == code {
			return w.ID, nil
		}
	}
	return 0, fmt.Errorf("warehouse %s: %w", code, err)
}

// loft takes in items and the stock of two warehouses, and carries the loft's count to its end.
func (b *builder) loft() error {
	if _, err := b.take("items.csv", b.s.ItemFile()); err != nil {
		return err
	}
	b.clock.Now = b.s.loftFreeze.Add(10 * time.Minute)
	if _, err := b.take("stock-loft-yard.csv", b.s.StockFile(b.s.loftFreeze, b.s.of("LOFT", "YARD"))); err != nil {
		return err
	}
	house, err := b.warehouse("LOFT")
	if err != nil {
		return err
	}
	two := quantity.Quantity(2 * quantity.Scale)
	c, err := b.desk.Plan.Freeze(
		b.ctx,
		b.ida,
		plan.NewCount{Name: "Loft, full count", Scope: countdesk.Scope{Warehouse: house}, Cut: plan.Cut{Rows: 60}, TolerancePercent: &two},
	)
	if err != nil {
		return err
	}
	for n := 1; n <= c.Sheets; n++ {
		who := []string{"Bram Tolley", "Sunna Vik", "Jory Penn"}[n%3]
		if err := b.desk.Counting.HandOut(b.ctx, b.ida, c.ID, counting.Handing{Sheets: []int{n}, Counter: who}); err != nil {
			return err
		}
		text, err := b.sheet(c.ID, n)
		if err != nil {
			return err
		}
		from := b.s.loftFreeze.Add(2*time.Hour + time.Duration(n)*20*time.Minute)
		if text, err = b.s.Fill(text, from, from.Add(70*time.Minute), who, nil); err != nil {
			return err
		}
		b.clock.Now = from.Add(2 * time.Hour)
		if _, err := b.take(fmt.Sprintf("loft sheet %d.csv", n), text); err != nil {
			return err
		}
	}
	b.clock.Now = b.s.loftFreeze.Add(30 * time.Hour)
	if err := b.decide(c.ID, 1); err != nil {
		return err
	}
	v, err := b.desk.Adjustments.PreviewPosting(b.ctx, b.ida, c.ID, "difference")
	if err != nil {
		return err
	}
	b.clock.Now = b.clock.Now.Add(20 * time.Minute)
	sent, err := b.desk.Adjustments.Post(b.ctx, b.ida, c.ID, "difference", "demo-loft-posting", v.Lines)
	if err != nil {
		return err
	}
	if err := b.land(c.ID, sent.Number); err != nil {
		return err
	}
	s, err := b.desk.Today.Count(b.ctx, b.ida, c.ID)
	if err != nil {
		return err
	}
	left := adjustments.Left{Held: s.Held, Accepted: s.Accepted, Uncounted: s.Uncounted}
	if err := b.desk.Adjustments.Finish(b.ctx, b.ida, c.ID, left); err != nil {
		return err
	}
	// From here on the loft is counted in rotation, which falls behind in the busy weeks.
	turns := plan.Rotation{
		Minutes: 120,
		Zone:    "UTC",
		Plan: rotation.Plan{By: "value", Days: [7]bool{1: true, 2: true, 3: true, 4: true, 5: true},
			Groups: []rotation.Group{{Name: "A", Times: 6}, {Name: "B", Times: 2}, {Name: "C", Times: 1}}},
	}
	return b.desk.Plan.SetRotation(b.ctx, b.ida, house, &turns)
}

// land takes a posting in as the record system does: its next export has the lines as they were counted.
func (b *builder) land(count int64, number int) error {
	_, file, err := b.desk.Adjustments.PostingFile(b.ctx, b.ida, count, number, 1)
	if err != nil {
		return err
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return err
	}
	at := map[string]*line{}
	for i := range b.s.lines {
		at[b.s.lines[i].record] = &b.s.lines[i]
	}
	column := func(name string) int { return slices.Index(rows[0], name) }
	for _, r := range rows[1:] {
		q, err := quantity.Parse(r[column("quantity")])
		l := at[r[column("record_id")]]
		if err != nil || l == nil {
			return fmt.Errorf("a line of the posting does not fit the scenario: %v", r)
		}
		l.quantity += q
	}
	return nil
}

// decide decides a share of the open variances, the largest first: most are accepted, a few held.
func (b *builder) decide(count int64, share float64) error {
	page, err := b.desk.Variances.Variances(b.ctx, b.ida, count, desk.Filter{Show: "open", Limit: 1000})
	if err != nil {
		return err
	}
	if share == 1 { // what is plainly a slip is looked up on the shelf, and what is plainly a pair is settled
		for _, l := range page.Lines {
			if err := b.settle(count, l); err != nil {
				return err
			}
		}
	}
	if page, err = b.desk.Variances.Variances(b.ctx, b.ida, count, desk.Filter{Show: "open", Limit: 1000}); err != nil {
		return err
	}
	if share < 1 { // what has a likely cause is left to whoever looks at the demo
		page.Lines = slices.DeleteFunc(page.Lines, func(l countdesk.VarianceLine) bool { return l.Grade == "strong" || l.Grade == "fair" })
	}
	missing := []string{"MISCOUNT", "MISCOUNT", "LOSS", "MISPICK", "UNBOOKED", "DAMAGE"}
	surplus := []string{"MISCOUNT", "UNBOOKED", "MISCOUNT", "MISPICK"} // nothing is lost or spoilt where there is more
	for i, l := range page.Lines[:int(float64(len(page.Lines))*share)] {
		if slipped(&l) { // nobody agrees to ten times as much; somebody looks at the shelf
			if share == 1 {
				if err := b.lookedUp(count, &l, l.Expected); err != nil {
					return err
				}
			}
			continue
		}
		kind := store.Accept
		if i%11 == 3 {
			kind = store.Hold
		}
		reasons := missing
		if l.Variance != nil && *l.Variance > 0 {
			reasons = surplus
		}
		if _, err := b.desk.Variances.Decide(b.ctx, b.ida, count, []int64{l.Pos}, kind, reasons[(i*7)%len(reasons)]); err != nil {
			return err
		}
	}
	return nil
}

// settle does what the likely cause of a line asks for, where much speaks for it.
func (b *builder) settle(count int64, l countdesk.VarianceLine) error {
	h, err := b.desk.Variances.History(b.ctx, b.ida, count, l.Pos)
	if err != nil || h.Cause == nil || h.Cause.Grade != "strong" || h.Line.Queue != "open" {
		return err
	}
	if h.Cause.Does != "" {
		_, err = b.desk.Variances.AcceptCause(b.ctx, b.ida, count, l.Pos, variances.Accepting{Cause: h.Cause.Cause, Evidence: h.Cause.Evidence})
		return err
	}
	if h.Cause.Offered == nil || l.RowCode == "" {
		return nil
	}
	return b.lookedUp(count, &l, *h.Cause.Offered)
}

// slipped tells whether a line is off by so much, and by so many, that it is a slip of whoever counted.
func slipped(l *countdesk.VarianceLine) bool {
	if l.Counted == nil || l.Serial != "" {
		return false
	}
	low, high := min(l.Expected, *l.Counted), max(l.Expected, *l.Counted)
	return high-low >= whole(10) && 5*low <= 2*high
}

// lookedUp types what somebody found on the shelf who looked once more.
func (b *builder) lookedUp(count int64, l *countdesk.VarianceLine, q quantity.Quantity) error {
	_, err := b.desk.Counting.TypeIn(
		b.ctx,
		b.ida,
		count,
		"",
		"UTC",
		[]counting.Typed{{RowCode: l.RowCode, Quantity: &q, Counter: "Ida Fenn"}},
	)
	return err
}

// quay takes in the quay store's stock and leaves its count in the middle.
func (b *builder) quay() error {
	b.clock.Now = b.s.quayFreeze.Add(25 * time.Minute)
	// The weekly export of all warehouses: in the loft's what its count sent out has landed.
	if _, err := b.take("stock-weekly.csv", b.s.StockFile(b.s.quayFreeze, b.s.lines)); err != nil {
		return err
	}
	house, err := b.warehouse("QUAY")
	if err != nil {
		return err
	}
	one := quantity.Quantity(quantity.Scale)
	c, err := b.desk.Plan.Freeze(
		b.ctx,
		b.ida,
		plan.NewCount{
			Name:             "Quay store, full count",
			Scope:            countdesk.Scope{Warehouse: house},
			Cut:              plan.Cut{Rows: 80},
			TolerancePercent: &one,
		},
	)
	if err != nil {
		return err
	}
	moves := b.s.moves("QUAY", b.s.quayFreeze, 3, 60)
	b.clock.Now = b.s.quayFreeze.Add(60 * time.Hour)
	if _, err := b.take("movements-quay.csv", b.s.MovementFile(moves)); err != nil {
		return err
	}
	names := []string{"Bram Tolley", "Sunna Vik", "Jory Penn", "Wim Ashby"}
	for n := 1; n <= c.Sheets; n++ {
		if n > c.Sheets-2 {
			break // the last ones are with us still
		}
		who := names[n%4]
		b.clock.Now = b.s.quayFreeze.Add(time.Hour)
		if err := b.desk.Counting.HandOut(b.ctx, b.ida, c.ID, counting.Handing{Sheets: []int{n}, Counter: who}); err != nil {
			return err
		}
		from := b.s.quayFreeze.Add(time.Duration(n%12)*30*time.Minute + 2*time.Hour + time.Duration(n/12)*24*time.Hour)
		to := from.Add(85 * time.Minute)
		moved := map[string]quantity.Quantity{}
		for _, m := range moves {
			if !m.at.After(to) {
				moved[m.line.key()] += m.quantity
			}
		}
		text, err := b.sheet(c.ID, n)
		if err != nil {
			return err
		}
		if text, err = b.s.Fill(text, from, to, who, moved); err != nil {
			return err
		}
		if n > c.Sheets*2/3 { // out, and among the files to try with
			if len(b.try) < 3 {
				if err := b.returned(n, c.Sheets, text); err != nil {
					return err
				}
			}
			continue
		}
		b.clock.Now = to.Add(time.Hour)
		text = faulty(text, n)
		doubts := 0
		if n == 12 { // what somebody wrote below the rows, and a row that was copied
			text, doubts = doubtful(text), 3
		}
		if _, err := b.takeWith(fmt.Sprintf("quay sheet %d.csv", n), text, doubts); err != nil {
			return err
		}
		if n == 2 { // it came back once more, with a correction
			again := corrected(text)
			b.clock.Now = b.clock.Now.Add(3 * time.Hour)
			if _, err := b.take("quay sheet 2 (rev 2).csv", again); err != nil {
				return err
			}
		}
	}
	b.clock.Now = b.s.quayFreeze.Add(75 * time.Hour)
	return b.decide(c.ID, 0.3)
}

// doubtful adds to a filled sheet what cannot be taken as a count: a row once more, an item that nobody knows and a bin that there is not.
func doubtful(text []byte) []byte {
	rows := strings.Split(strings.TrimRight(string(text), "\n"), "\n")
	last := strings.Split(rows[len(rows)-1], ",")
	again := slices.Clone(last)
	again[len(again)-3] = "6"
	unknown, astray := make([]string, len(last)), make([]string, len(last))
	unknown[1], unknown[2], unknown[3], unknown[len(last)-3], unknown[len(last)-1] = last[1], last[2], "SEA COCK 3/4", "2", "label torn off"
	copy(astray, last)
	astray[0], astray[2], astray[len(last)-3] = "", "D-21-9", "4"
	for _, r := range [][]string{again, unknown, astray} {
		rows = append(rows, strings.Join(r, ","))
	}
	return []byte(strings.Join(rows, "\n") + "\n")
}

// corrected changes the first count of a filled sheet by one.
func corrected(text []byte) []byte {
	rows := strings.Split(string(text), "\n")
	for i, r := range rows {
		cells := strings.Split(r, ",")
		if i > 8 && len(cells) > 3 && !strings.Contains(r, `"`) && cells[len(cells)-3] != "" {
			q, err := quantity.Parse(cells[len(cells)-3])
			if err == nil {
				cells[len(cells)-3] = (q + quantity.Scale).String()
				rows[i] = strings.Join(cells, ",")
				break
			}
		}
	}
	return []byte(strings.Join(rows, "\n"))
}

// returned puts a filled sheet among the files to try with, as people return them: one as it is, one as a
// workbook, one renamed, sorted by SKU, with its columns moved and a row added by hand.
func (b *builder) returned(n, sheets int, text []byte) error {
	switch len(b.try) {
	case 0:
		b.try[fmt.Sprintf("returned-sheet-%d.csv", n)] = text
	case 1:
		x, err := workbook(text)
		if err != nil {
			return err
		}
		b.try[fmt.Sprintf("returned-sheet-%d.xlsx", n)] = x
	case 2:
		b.try["copy of tuesday, wim.csv"] = b.shuffled(text)
	}
	return nil
}

func (b *builder) shuffled(text []byte) []byte {
	f, err := tabular.Open("sheet", bytes.NewReader(text), int64(len(text)), tabular.Options{})
	if err != nil {
		return text
	}
	rows, err := f.Rows(0)
	if err != nil {
		return text
	}
	var out []byte
	var body [][]string
	for {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = string(c)
		}
		if n > 7 { // the header and the rows: the remark goes first, then everything else backwards
			for i, j := 0, len(row)-1; i < j; i, j = i+1, j-1 {
				row[i], row[j] = row[j], row[i]
			}
		}
		if n <= 8 {
			out = tabular.AppendRow(out, ';', row...)
			continue
		}
		body = append(body, row)
	}
	b.s.rng.Shuffle(len(body), func(i, j int) { body[i], body[j] = body[j], body[i] })
	hand := make([]string, len(body[0]))
	copy(hand, body[0])
	hand[len(hand)-1] = ""       // no row code
	hand[2] = "4"                // counted
	hand[len(hand)-3] = "H-12-5" // another bin than the one on the sheet
	for i, row := range append(body, hand) {
		if i == 5 {
			out = append(out, strings.Repeat(";", len(row)-1)...)
			out = append(out, '\n')
		}
		out = tabular.AppendRow(out, ';', row...)
	}
	return out
}

// files adds a fresh stock export: some lines changed, some gone, some new, and a few rows with faults.
func (b *builder) files() error {
	lines := b.s.of("QUAY", "LOFT")
	out := make([]line, 0, len(lines)+8)
	for i, l := range lines {
		if i%90 == 17 {
			continue
		}
		if i%6 == 2 && l.item.nature == "stocked" && l.serial == "" {
			l.quantity += whole(b.s.rng.IntN(9) - 3)
			if l.quantity < 0 {
				l.quantity = 0
			}
		}
		out = append(out, l)
	}
	quay := b.s.of("QUAY")
	for i := range 6 {
		l := quay[i*31]
		l.bin, l.lot, l.record = fmt.Sprintf("H-12-%d", i%5+1), "", fmt.Sprintf("%06d", 390_000+i)
		l.item = b.s.items[900+i]
		l.quantity, l.serial = whole(12+i), ""
		out = append(out, l)
	}
	clean := b.s.StockFile(b.s.newExport, out)
	b.try["stock-export.csv"] = clean
	rows := strings.SplitAfter(string(clean), "\n")
	broken := 0
	for i, r := range rows {
		// A quantity with its unit, one with seven places, one with a letter for a digit.
		unit := []string{",ea,", ",m,", ",ea,"}[min(broken, 2)]
		if broken < 3 && i > 10+20*broken && strings.Count(r, unit) == 1 {
			before, behind, _ := strings.Cut(r, unit)
			_, rest, _ := strings.Cut(behind, ",")
			rows[i] = before + unit + []string{"12 pcs", "1.1234567", "1O"}[broken] + "," + rest
			broken++
		}
	}
	rows = append(rows, rows[20])
	b.try["stock-export-with-faults.csv"] = []byte("Stock of the chandlery, weekly list\n\n" + strings.Join(rows, ""))
	b.try["items.csv"] = b.s.ItemFile()
	return nil
}
