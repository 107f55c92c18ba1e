// Package trial plays a count from the export of a simulated record system to the proof that all of it landed there: the one test that
// shows that the whole is right. Counting goes on while the system sells; it has faults, recounts and late bookings; the adjustments are
// taken in by the system. At the end its records have to be equal to what is there, to the last unit. Every step looks whether it was done,
// so a run that was killed goes on where it was.
package trial

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/standin"
	"wobin/internal/store"
)

// Result is what came of a run.
type Result struct {
	Seed      uint64 `json:"seed"`
	Mode      string `json:"mode"`
	Lines     int    `json:"lines" doc:"recorded at the freeze"`
	Faults    int    `json:"faults" doc:"counts that were wrong at first"`
	Recounted int    `json:"recounted"`
	Late      int    `json:"late" doc:"lines that a late booking opened again after they were sent"`
	Sent      int    `json:"sent"`
	Landed    int    `json:"landed"`
	Off       int    `json:"off" doc:"lines of which the records say something else in the end than is there"`
	Kills     int    `json:"kills"`
}

// Holds tells whether all landed and the records are the truth.
func (r *Result) Holds() bool { return r.Sent > 0 && r.Landed == r.Sent && r.Off == 0 }

// Modes are the forms that runs take turns in.
var Modes = []adjust.Mode{adjust.Difference, adjust.Balance, adjust.InOut, adjust.Counted}

// state is what a run has done so far, kept beside the world in one file.
type state struct {
	World json.RawMessage            `json:"world"`
	Done  map[string]json.RawMessage `json:"done"`
}

// run is one run over a folder.
type run struct {
	ctx   context.Context
	dir   string
	state state
	world *standin.World
	desk  *house.House
	ida   desk.Person
	mode  adjust.Mode
	res   Result
	count int64
}

var start = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)

func hour(h float64) int64 { return start.Add(time.Duration(h * float64(time.Hour))).UnixNano() }

// Run plays a seed in a folder, or goes on with what is there of it.
func Run(ctx context.Context, dir string, seed uint64) (res Result, err error) {
	r := &run{ctx: ctx, dir: dir, mode: Modes[seed%uint64(len(Modes))], ida: desk.Person{ID: 1, Name: "Ida", Role: "controller"}}
	r.res = Result{Seed: seed, Mode: string(r.mode)}
	if err := r.load(seed); err != nil {
		return r.res, err
	}
	st, err := store.Open(filepath.Join(dir, "data"))
	if err != nil {
		return r.res, err
	}
	defer st.Close()
	if r.desk, err = house.New(st, func() time.Time { return time.Unix(0, r.world.Now) }); err != nil {
		return r.res, err
	}
	defer r.desk.Close()
	err = r.play()
	return r.res, err
}

// load takes up the state of a run, or begins one.
func (r *run) load(seed uint64) error {
	b, err := os.ReadFile(filepath.Join(r.dir, "state.json"))
	if err == nil {
		if err := json.Unmarshal(b, &r.state); err != nil {
			return err
		}
		r.world, err = standin.Load(r.state.World)
		return err
	}
	if !errors.Is(err, os.ErrNotExist) {
		return err
	}
	r.state.Done = map[string]json.RawMessage{}
	r.world = standin.NewWorld(seed, start.Add(-12*time.Hour), 24)
	r.world.Trade(hour(0), 4)
	r.world.Late = r.mode != adjust.Balance // a balance undoes what is booked after it: the house closes its books for it
	return nil
}

// once does something with the world, and keeps what it gave together with the world; done before, it gives that again.
func once[T any](r *run, name string, do func() (T, error)) (out T, err error) {
	if b, had := r.state.Done[name]; had {
		return out, json.Unmarshal(b, &out)
	}
	if out, err = do(); err != nil {
		return out, err
	}
	b, err := json.Marshal(out)
	if err != nil {
		return out, err
	}
	r.state.Done[name] = b
	if r.state.World, err = r.world.Save(); err != nil {
		return out, err
	}
	all, err := json.Marshal(r.state)
	if err != nil {
		return out, err
	}
	name = filepath.Join(r.dir, "state.json")
	if err := os.WriteFile(name+".part", all, 0o644); err != nil {
		return out, err
	}
	return out, os.Rename(name+".part", name)
}

// export is a file of the record system.
type export struct {
	Stock []byte
	Moves []byte
	At    int64
}

func (r *run) play() error {
	first, err := once(r, "export", func() (export, error) { return export{Stock: r.world.ExportStock(), At: r.world.Now}, nil })
	if err != nil {
		return err
	}
	for _, f := range []struct {
		name    string
		content []byte
	}{{"places.csv", r.world.ExportPlaces()}, {"items.csv", r.world.ExportItems()}, {"stock.csv", first.Stock}} {
		if err := r.take(f.name, f.content); err != nil {
			return err
		}
	}
	if err := r.freeze(); err != nil {
		return err
	}
	if err := r.countAll(); err != nil {
		return err
	}
	if err := r.moves("at noon", 7, first.At); err != nil {
		return err
	}
	if err := r.again(1, 8, 12); err != nil {
		return err
	}
	if err := r.moves("in the afternoon", 10, first.At); err != nil {
		return err
	}
	if err := r.again(2, 10.2, 0); err != nil {
		return err
	}
	if err := r.moves("in the evening", 11, first.At); err != nil {
		return err
	}
	if err := r.send("first"); err != nil {
		return err
	}
	// What was booked late is known by the next morning; lines that it concerns are open again.
	if err := r.moves("next morning", 24, first.At); err != nil {
		return err
	}
	open, err := r.desk.Today.Count(r.ctx, r.ida, r.count)
	if err != nil {
		return err
	}
	late, err := once(r, "late", func() (int, error) { return open.Open + open.Accepted, nil })
	if err != nil {
		return err
	}
	r.res.Late = late
	if late > 0 { // counted wrong by chance just as was expected, before the late booking was known: nobody had looked again
		if err := r.again(3, 24.5, 0); err != nil {
			return err
		}
		if err := r.moves("by noon", 26, first.At); err != nil {
			return err
		}
		if err := r.send("second"); err != nil {
			return err
		}
	}
	if err := r.moves("at the end", 30, first.At); err != nil {
		return err
	}
	last, err := once(r, "last export", func() (export, error) { return export{Stock: r.world.ExportStock(), At: r.world.Now}, nil })
	if err != nil {
		return err
	}
	if err := r.take("stock-after.csv", last.Stock); err != nil {
		return err
	}
	return r.proof()
}

// take takes a file in, where it was not before.
func (r *run) take(name string, content []byte) error {
	done, err := r.taken(name)
	if err != nil || done {
		return err
	}
	d, err := r.desk.Intake.Upload(r.ctx, r.ida, name, bytes.NewReader(content), intake.Choices{Zone: "UTC"})
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if d.Blocked != "" || d.Effect.Refused > 0 {
		return fmt.Errorf("%s: %s %+v", name, d.Blocked, d.Problems)
	}
	_, err = r.desk.Intake.TakeIn(r.ctx, r.ida, d.ID, "", 0)
	return err
}

// taken tells whether a file of a name was taken in.
func (r *run) taken(name string) (bool, error) {
	n, err := store.TimesTaken(r.desk.Store.Read(r.ctx), name)
	return n > 0, err
}

func (r *run) freeze() error {
	made, err := r.desk.Plan.Freeze(
		r.ctx,
		r.ida,
		plan.NewCount{Key: "freeze-of-the-trial", Name: "Trial", Scope: count.Scope{Warehouse: 1}, Blind: true,
			Stands: "agree", Cut: plan.Cut{By: "size", Rows: 15}},
	)
	if err != nil {
		return err
	}
	r.count = made.ID
	all, err := r.desk.Today.Count(r.ctx, r.ida, r.count)
	r.res.Lines = all.RecordedLines
	return err
}

// counted is what somebody wrote down.
type counted struct {
	Code, Bin, SKU, Lot string // code: of the row; else it was found
	Quantity            string
	At                  int64
	Wrong               bool
}

// countAll counts every bin, sheet by sheet, while the world goes on; some counts are wrong.
func (r *run) countAll() error {
	sheets, err := r.desk.Counting.Sheets(r.ctx, r.ida, r.count, "", 500)
	if err != nil {
		return err
	}
	walked := map[string]bool{}
	for n, s := range sheets.Sheets {
		if s.Recount > 0 {
			continue
		}
		rows, err := r.rows(s.Number)
		if err != nil {
			return err
		}
		for i := range rows {
			walked[rows[i].Bin] = true
		}
		from := 1 + 5*float64(n)/float64(len(sheets.Sheets))
		list, err := once(r, fmt.Sprint("sheet ", s.Number), func() ([]counted, error) {
			out := r.walk(rows, nil, from, 7)
			if n == len(sheets.Sheets)-1 { // bins that are empty by the records are looked at, too
				var empty []string
				for _, bin := range r.world.Bins {
					if !walked[bin] {
						empty = append(empty, bin)
					}
				}
				out = append(out, r.walk(nil, empty, from, 0)...)
			}
			return out, nil
		})
		if err != nil {
			return err
		}
		if err := r.enter(s.Number, list, []string{"Ada", "Bo", "Cy"}[n%3], fmt.Sprint("entries-of-sheet-", s.Number)); err != nil {
			return err
		}
	}
	return nil
}

// rows gives the rows of a sheet.
func (r *run) rows(sheet int) ([]count.VarianceLine, error) {
	page, err := r.desk.Counting.CountLines(r.ctx, r.ida, r.count, desk.Filter{Sheet: sheet, Limit: 1000})
	return page.Lines, err
}

// walk counts rows one after the other from an hour of the day on; one in so many is written down wrong. What lies in the bins of the sheet
// and is on no row is found.
func (r *run) walk(rows []count.VarianceLine, bins []string, from float64, oneIn int) (out []counted) {
	known := map[[3]string]bool{}
	write := func(l *standin.Line, code string) {
		r.world.Trade(max(r.world.Now, hour(from)), 30)
		r.world.Trade(r.world.Now+int64(40*time.Second), 30)
		c := counted{Code: code, Bin: l.Bin, SKU: l.SKU, Lot: l.Lot, At: r.world.Now}
		q := l.Truth
		if wrong, is := r.world.Slip(l, oneIn); is {
			q, c.Wrong = wrong, true
		}
		c.Quantity = quantity.Quantity(q).String()
		out = append(out, c)
	}
	for i := range rows {
		row := &rows[i]
		known[[3]string{row.Bin, row.SKU, row.Lot}] = true
		if len(bins) == 0 || bins[len(bins)-1] != row.Bin {
			bins = append(bins, row.Bin)
		}
		write(r.world.At(row.Bin, row.SKU, row.Lot), row.RowCode)
	}
	for _, bin := range bins {
		for _, l := range r.world.In(bin) {
			if !known[[3]string{l.Bin, l.SKU, l.Lot}] && l.Truth > 0 {
				write(l, "")
			}
		}
	}
	return out
}

// enter types what was counted.
func (r *run) enter(sheet int, list []counted, who, key string) error {
	typed := make([]counting.Typed, 0, len(list))
	for _, c := range list {
		if c.Wrong {
			r.res.Faults++
		}
		x := counting.Typed{
			RowCode:   c.Code,
			Text:      c.Quantity,
			Counter:   who,
			CountedAt: time.Unix(0, c.At).UTC().Format(time.RFC3339Nano),
			Sure:      true,
			Again:     "add",
		}
		if c.Code == "" {
			x.Found = &counting.Found{Sheet: sheet, Bin: c.Bin, SKU: c.SKU, Lot: c.Lot}
		}
		typed = append(typed, x)
	}
	if len(typed) == 0 {
		return nil
	}
	_, err := r.desk.Counting.TypeIn(r.ctx, r.ida, r.count, key, "UTC", typed)
	return err
}

// moves takes the movements in that were booked by an hour of the day.
func (r *run) moves(name string, at float64, since int64) error {
	x, err := once(r, name, func() (export, error) {
		pace := 20.0
		if at > 12 { // from the evening on all is booked as it happens, so that in the end nothing waits
			r.world.Late = false
		}
		r.world.Trade(max(r.world.Now, hour(at)), pace)
		after := since
		if b, had := r.state.Done["moves up to"]; had {
			_ = json.Unmarshal(b, &after)
		}
		out := export{Moves: r.world.ExportMovements(after), At: r.world.Now}
		b, err := json.Marshal(r.world.Now)
		r.state.Done["moves up to"] = b
		return out, err
	})
	if err != nil || bytes.Count(x.Moves, []byte{'\n'}) < 2 {
		return err
	}
	return r.take("moves "+name+".csv", x.Moves)
}

// again counts again what is off, by somebody else: the first time all of it, the second time what is disputed or was
// not looked at again, the third time what a late
// booking opened again. One in so many is wrong; 0: none.
func (r *run) again(round int, from float64, oneIn int) error {
	sheets, err := r.desk.Counting.Sheets(r.ctx, r.ida, r.count, "", 500)
	if err != nil {
		return err
	}
	made := []int{}
	cut, err := once(r, fmt.Sprint("sheets before again ", round), func() (int, error) { return len(sheets.Sheets), nil })
	if err != nil {
		return err
	}
	for _, s := range sheets.Sheets[cut:min(len(sheets.Sheets), r.until(round, len(sheets.Sheets)))] {
		made = append(made, s.Number)
	}
	if len(made) == 0 {
		page, err := r.desk.Variances.Variances(r.ctx, r.ida, r.count, desk.Filter{Show: "open", Limit: 1000})
		if err != nil {
			return err
		}
		var lines []int64
		for _, l := range page.Lines {
			if round != 2 || l.Disputed || l.Entries == 1 {
				lines = append(lines, l.Pos)
			}
		}
		if len(lines) == 0 || r.state.Done[fmt.Sprint("none left ", round)] != nil {
			_, err := once(r, fmt.Sprint("none left ", round), func() (bool, error) { return true, nil })
			return err
		}
		x, err := r.desk.Plan.Recount(r.ctx, r.ida, r.count, plan.Again{Lines: lines, Rows: 20})
		if err != nil {
			return err
		}
		made = x.Sheets
	}
	for _, number := range made {
		rows, err := r.rows(number)
		if err != nil {
			return err
		}
		list, err := once(r, fmt.Sprint("again ", number), func() ([]counted, error) {
			out := r.walk(rows, nil, from, oneIn)
			for i := len(out) - 1; i >= 0; i-- { // a recount is of its rows alone
				if out[i].Code == "" {
					out = append(out[:i], out[i+1:]...)
				}
			}
			return out, nil
		})
		if err != nil {
			return err
		}
		if round == 1 {
			r.res.Recounted += len(list)
		}
		if err := r.enter(number, list, []string{"Di", "Ed", "Fay"}[round-1], fmt.Sprint("entries-again-", number)); err != nil {
			return err
		}
	}
	return nil
}

// until gives how many sheets there were before the next time that was counted again.
func (r *run) until(round, all int) (n int) {
	if b, had := r.state.Done[fmt.Sprint("sheets before again ", round+1)]; had && json.Unmarshal(b, &n) == nil {
		return n
	}
	return all
}

// send accepts what is open and sends it out by the record system's own layout; the system takes the files in.
func (r *run) send(name string) error {
	page, err := r.desk.Variances.Variances(r.ctx, r.ida, r.count, desk.Filter{Show: "open", Limit: 1000})
	if err != nil {
		return err
	}
	by := map[string][]int64{}
	for _, l := range page.Lines {
		reason := "MISCOUNT"
		if *l.Rest < 0 {
			reason = "LOSS"
		}
		if l.Entries > 1 { // what one alone has seen is looked at again first
			by[reason] = append(by[reason], l.Pos)
		}
	}
	for reason, lines := range by {
		if _, err := r.desk.Variances.Decide(r.ctx, r.ida, r.count, lines, store.Accept, reason); err != nil {
			return err
		}
	}
	mode := r.mode
	if name == "second" && (mode == adjust.Balance || mode == adjust.Counted) { // what is left of them is a difference
		mode = adjust.Difference
	}
	layout := standin.Layout(mode)
	layout.Name += " " + name
	if err := r.desk.Adjustments.KeepLayout(r.ctx, r.ida, adjustments.OutLayout(layout)); err != nil {
		return err
	}
	g := adjustments.Going{Layout: layout.Name, Reference: "T-" + name}
	v, err := r.desk.Adjustments.Preview(r.ctx, r.ida, r.count, g)
	if err != nil {
		return err
	}
	before, err := r.posting(g.Reference)
	if err != nil {
		return err
	}
	if before == nil {
		if v.Blocked != "" {
			return errors.New(v.Blocked)
		}
		if v.Lines == 0 {
			return nil
		}
		sent, err := r.desk.Adjustments.Send(r.ctx, r.ida, r.count, adjustments.Sending{Going: g, Lines: v.Lines, Sha: v.Sha})
		if err != nil {
			return err
		}
		before = sent.Posting
	}
	for n, f := range before.Files {
		_, err := once(r, "taken in "+f.Name, func() (standin.Answer, error) {
			name, k, err := r.desk.Adjustments.PostingFile(r.ctx, r.ida, r.count, before.Number, n+1)
			if err != nil {
				return standin.Answer{}, err
			}
			defer k.Close()
			var b bytes.Buffer
			if _, err := b.ReadFrom(k); err != nil {
				return standin.Answer{}, err
			}
			a := r.world.Take(name, b.Bytes())
			if !a.Taken {
				return a, fmt.Errorf("%s was refused: %v", name, a.Wrong)
			}
			return a, nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (r *run) posting(reference string) (*adjustments.PostingView, error) {
	all, err := r.desk.Adjustments.Postings(r.ctx, r.ida, r.count)
	for i := range all {
		if all[i].Reference == reference {
			return &all[i], nil
		}
	}
	return nil, err
}

// proof holds what was sent against the records at the end, and these against the truth.
func (r *run) proof() error {
	list, err := r.desk.Adjustments.Proof(r.ctx, r.ida, r.count)
	if err != nil {
		return err
	}
	for _, x := range list {
		r.res.Sent += x.Tally.Sent
		r.res.Landed += x.Tally.Landed
	}
	r.res.Off = len(r.world.Off())
	chain, err := r.desk.Safety.VerifyChain(r.ctx)
	if err == nil && chain.Broken != 0 {
		err = errors.New(chain.Text)
	}
	return err
}
