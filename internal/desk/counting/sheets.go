package counting

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/counting"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/document"
	"wobin/internal/store"
)

// SheetView is a sheet with where it stands.
type SheetView struct {
	ID        int64      `json:"id"`
	Number    int        `json:"number"`
	Code      string     `json:"code"`
	Zone      string     `json:"zone"`
	FirstBin  string     `json:"first_bin"`
	LastBin   string     `json:"last_bin"`
	Lines     int        `json:"lines"`
	Empty     int        `json:"empty" doc:"rows to fill in for each bin, where nothing is recorded; 0 elsewhere"`
	Counted   int        `json:"counted"`
	State     string     `json:"state" enum:"with us,out,back,let go"`
	Counter   string     `json:"counter"`
	OutAt     *time.Time `json:"out_at"`
	BackAt    *time.Time `json:"back_at"`
	Due       *time.Time `json:"due" doc:"when it is to be back; null where that was not said"`
	Seconds   int64      `json:"seconds" doc:"what it is expected to take"`
	Likely    *time.Time `json:"likely" doc:"out: when it is likely to be done, as it looks now"`
	CheckedBy string     `json:"checked_by" doc:"who typed it a second time and found the same; empty where nobody did, or something was changed since"`
	Round     int        `json:"round" doc:"2 for a sheet of the second round"`
	Recount   int        `json:"recount" doc:"1 for a sheet of lines that are counted again, 2 where they are for the second time; 0 for any other"`
	Why       string     `json:"why" doc:"of a recount: why somebody counts again who counted first"`
	Revisions int        `json:"revisions" doc:"how often counts of it were changed by a later file"`
}

// SheetPage is one page of a count's sheets.
type SheetPage struct {
	Sheets []SheetView `json:"sheets"`
	Next   string      `json:"next"`
}

// Sheets lists the sheets of a count, in the order of their numbers.
func (d *Room) Sheets(ctx context.Context, p desk.Person, countID int64, after string, limit int) (page SheetPage, err error) {
	page.Sheets = []SheetView{}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return page, err
	}
	from, _ := strconv.Atoi(after)
	most := (&desk.Filter{Limit: limit}).PageSize()
	var rows []store.Sheet
	if err := c.Tx.Where("count_id = ? AND number > ? AND state <> ?", countID, from, store.CutAnew).Order("number").Limit(most).Find(&rows).Error; err != nil {
		return page, err
	}
	ends, _, err := likely(c.Tx, c.Count, d.Now())
	if err != nil {
		return page, err
	}
	for _, s := range rows {
		v := SheetView{
			ID:        s.ID,
			Number:    s.Number,
			Code:      s.Code,
			Zone:      s.Zone,
			FirstBin:  s.FirstBin,
			LastBin:   s.LastBin,
			Lines:     s.Lines,
			Empty:     s.Empty,
			Counted:   s.Counted,
			State:     s.State,
			Counter:   s.Counter,
			OutAt:     desk.Moment(s.OutAt),
			BackAt:    desk.Moment(s.BackAt),
			Due:       desk.Moment(s.Due),
			Seconds:   s.Seconds,
			CheckedBy: s.CheckedBy,
			Revisions: s.Revisions,
			Round:     s.InRound(),
			Why:       s.Why,
		}
		if s.Recount() {
			v.Recount = s.Round - store.FirstRecount + 1
		}
		if s.State == store.LetGo {
			v.Lines = s.Let
		}
		if end, out := ends[s.Number]; out {
			v.Likely = &end
		}
		page.Sheets = append(page.Sheets, v)
	}
	if len(rows) == most {
		page.Next = strconv.Itoa(rows[most-1].Number)
	}
	return page, nil
}

// Handing says who gets which sheets.
type Handing struct {
	Sheets  []int  `json:"sheets" minItems:"1" maxItems:"5000" doc:"their numbers"`
	Counter string `json:"counter" maxLength:"120" doc:"who has them; empty: they are with us"`
	Due     string `json:"due,omitempty" doc:"when they are to be back"`
	Zone    string `json:"zone,omitempty" doc:"the time zone of that"`
	Why     string `json:"why,omitempty" maxLength:"200" doc:"of a recount that somebody gets who counted first: why"`
}

// HandOut notes who has sheets, whoever had them before, and when they are to be back, if that is said.
func (d *Room) HandOut(ctx context.Context, p desk.Person, countID int64, h Handing) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		counter, err := asKnown(w, c.WarehouseID, strings.TrimSpace(h.Counter))
		if err != nil {
			return none, err
		}
		due, err := dueAt(w, h.Due, h.Zone)
		if err != nil {
			return none, err
		}
		to := map[string]any{"counter": counter, "state": store.Out, "out_at": w.Now, "due": due}
		if counter == "" {
			to["state"], to["out_at"], to["due"] = store.WithUs, 0, 0
		}
		if h.Why = strings.TrimSpace(h.Why); h.Why != "" {
			to["why"] = h.Why
		}
		if err := others(w, c, h.Sheets, counter, h.Why != ""); err != nil {
			return none, err
		}
		r := w.Model(&store.Sheet{}).
			Where("count_id = ? AND number IN ? AND state NOT IN ?", c.ID, h.Sheets, append([]string{store.Back}, store.Void...)).
			Updates(to)
		if r.Error != nil {
			return none, r.Error
		}
		if r.RowsAffected == 0 {
			return none, desk.RefuseAs(desk.Ended, "sheets", "These sheets are back already.")
		}
		return none, w.Say("handed out", map[string]any{"count": c.ID, "sheets": h.Sheets, "counter": counter, "due": h.Due})
	})
	return err
}

// others refuses to give somebody sheets of a round whose lines he has in the other one.
func others(w *desk.Work, c *store.Count, numbers []int, counter string, why bool) error {
	if counter == "" {
		return nil
	}
	if !why {
		if err := firstCounters(w, c, numbers, counter); err != nil {
			return err
		}
	}
	if c.Rounds != 2 {
		return nil
	}
	names, err := store.WrittenAs(w.Tx, counter)
	if err != nil || len(names) == 0 {
		return err
	}
	var of []struct{ Number, Other int }
	err = w.Raw(`SELECT s.number, o.number AS other FROM sheets s JOIN sheets o ON o.count_id = s.count_id AND max(o.round, 1) <> max(s.round, 1)
		AND o.picked = '' AND s.picked = ''
		AND o.counter IN ?
		AND (o.first < s.first + s.lines AND s.first < o.first + o.lines OR o.first = s.first AND o.lines = s.lines)
		WHERE s.count_id = ? AND s.number IN ? AND o.state NOT IN ? LIMIT 1`, names, c.ID, numbers, store.Void).
		Scan(&of).
		Error
	if err != nil || len(of) == 0 {
		return err
	}
	return desk.RefuseAs(
		desk.Invalid,
		"counter",
		"%s counts lines of sheet %d in the other round, on sheet %d. Two rounds are counted by different people.",
		counter,
		of[0].Number,
		of[0].Other,
	)
}

// firstCounters asks why somebody is to count lines again who counted them before.
func firstCounters(w *desk.Work, c *store.Count, numbers []int, counter string) error {
	var sheets []store.Sheet
	if err := w.Where("count_id = ? AND number IN ? AND picked <> ''", c.ID, numbers).Find(&sheets).Error; err != nil {
		return err
	}
	for i := range sheets {
		s := &sheets[i]
		n := 0
		err := store.Standing(w.Tx, c.ID, s.Positions(), func(e *store.Entry) error {
			if !e.Withdrawn && e.Round < s.Round && strings.EqualFold(e.Counter, counter) {
				n++
			}
			return nil
		})
		if err != nil {
			return err
		}
		if n > 0 {
			return desk.RefuseAs(
				desk.Asks,
				"why",
				"%s counted %s of sheet %d before. Give it to somebody else, or say why nobody else can.",
				counter,
				desk.Plural(n, "line", "lines"),
				s.Number,
			)
		}
	}
	return nil
}

// TakeBack notes that sheets are back, though not all of their rows have counts, or that they are out again. What is
// uncounted on them stays so until somebody says what it is.
func (d *Room) TakeBack(ctx context.Context, p desk.Person, countID int64, numbers []int, back bool) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		q := w.Model(&store.Sheet{}).Where("count_id = ? AND number IN ?", c.ID, numbers)
		word := "sheets taken back"
		if back {
			q = q.Where("state = ?", store.Out).Updates(map[string]any{"state": store.Back, "back_at": w.Now})
		} else {
			word = "sheets out again"
			q = q.Where("state = ?", store.Back).Updates(map[string]any{"state": store.Out, "back_at": 0})
		}
		if q.Error != nil {
			return none, q.Error
		}
		if q.RowsAffected != int64(len(numbers)) {
			return none, desk.RefuseAs(
				desk.Changed,
				"sheets",
				"Not all of these sheets are %s. Look at them again.",
				map[bool]string{true: "out", false: "back"}[back],
			)
		}
		return none, w.Say(word, map[string]any{"count": c.ID, "sheets": numbers})
	})
	return err
}

// SheetForm is how a sheet is written.
type SheetForm string

// The forms of a sheet.
const (
	AsText     SheetForm = "csv"
	AsWorkbook SheetForm = "xlsx"
	AsPaper    SheetForm = "pdf"
)

// SheetForms lists them.
var SheetForms = []SheetForm{AsText, AsWorkbook, AsPaper}

// WriteSheet writes one sheet of a count.
func (d *Room) WriteSheet(
	ctx context.Context,
	p desk.Person,
	countID int64,
	number int,
	form SheetForm,
) (name string, file []byte, err error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return "", nil, err
	}
	var s store.Sheet
	if err := c.Tx.Where("count_id = ? AND number = ?", countID, number).Limit(1).Find(&s).Error; err != nil {
		return "", nil, err
	}
	if s.ID == 0 || s.Void() {
		return "", nil, desk.Missing("The sheet")
	}
	return writeSheet(c, &s, form)
}

func writeSheet(c *desk.Seen, s *store.Sheet, form SheetForm) (name string, file []byte, err error) {
	sheet, err := sheetOf(c, s)
	if err != nil {
		return "", nil, err
	}
	var b bytes.Buffer
	switch form {
	case AsWorkbook:
		err = sheet.WriteWorkbook(&b)
	case AsPaper:
		err = document.WriteSheet(sheet, &b)
	default:
		err = sheet.WriteText(&b)
	}
	return fmt.Sprintf("sheet-%03d-%s.%s", s.Number, s.Code, form), b.Bytes(), err
}

// sheetOf gives a sheet with its lines, as it is written.
func sheetOf(c *desk.Seen, s *store.Sheet) (*counting.Sheet, error) {
	h, err := desk.WarehouseRow(c.Tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	var rows []count.NamedLine
	where, args := s.Where("l.pos")
	if err := c.Tx.Raw(count.NamedLines+" AND "+where+" ORDER BY l.pos", append([]any{c.ID}, args...)...).Scan(&rows).Error; err != nil {
		return nil, err
	}
	name := c.Name
	switch {
	case s.Recount():
		name += ", recount"
	case s.InRound() == 2:
		name += ", second count"
	}
	sheet := &counting.Sheet{
		Code:  s.Code,
		Count: name,
		Zone:  s.Zone,
		Blind: c.Blind || c.Count.Blind || s.Recount(),
		Extra: count.ColumnTitles(count.ColumnsOf(c.Count)),
	}
	for i := range rows {
		l := rows[i].Line(h.Code)
		l.RowCode = count.RowCodeOn(&rows[i].CountLine, s)
		l.Extra = count.Shown(rows[i].Attributes, count.ColumnsOf(c.Count))
		sheet.Lines = append(sheet.Lines, l)
	}
	if err := c.Tx.Raw("SELECT code || ': ' || name FROM reasons ORDER BY code LIMIT 200").Scan(&sheet.Reasons).Error; err != nil {
		return nil, err
	}
	return sheet, addEmpty(c.Tx, s, h.Code, sheet)
}

// addEmpty adds the bins in which nothing is recorded: rows to fill in on a first count, else one to be looked into, where it is walked by.
func addEmpty(tx *gorm.DB, s *store.Sheet, house string, sheet *counting.Sheet) error {
	var bins []struct {
		After int64
		Code  string
	}
	if err := tx.Raw("SELECT e.after, b.code FROM empty_bins e JOIN bins b ON b.id = e.bin_id WHERE e.count_id = ? AND e.sheet_id = ? ORDER BY e.place",
		s.CountID, s.ID).Scan(&bins).Error; err != nil ||
		len(bins) == 0 {
		return err
	}
	if s.Empty > 0 {
		sheet.House, sheet.Rows = house, s.Empty
		for _, b := range bins {
			sheet.Bins = append(sheet.Bins, b.Code)
		}
		return nil
	}
	lines := make([]counting.Line, 0, len(sheet.Lines)+len(bins))
	next := 0
	for i := range len(sheet.Lines) + 1 {
		for ; next < len(bins) && bins[next].After <= s.First-1+int64(i); next++ {
			lines = append(lines, counting.Line{Key: [stock.Parts]string{stock.Warehouse: house, stock.Bin: bins[next].Code}, Look: true})
		}
		if i < len(sheet.Lines) {
			lines = append(lines, sheet.Lines[i])
		}
	}
	sheet.Lines = lines
	return nil
}

// Print writes sheets of a count, those with some numbers or all, into one PDF for a printer. begin gives where to, once nothing stands
// in the way.
func (d *Room) Print(ctx context.Context, p desk.Person, countID int64, paper string, numbers []int, begin func() io.Writer) error {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return err
	}
	size := document.Paper(cmp.Or(paper, string(document.A4)))
	if size != document.A4 && size != document.Letter {
		return desk.RefuseAs(desk.Invalid, "paper", "%q is no paper that sheets are printed on. They are on A4 or Letter.", paper)
	}
	var sheets []store.Sheet
	q := c.Tx.Where("count_id = ? AND state NOT IN ?", countID, store.Void)
	if len(numbers) > 0 {
		q = q.Where("number IN ?", numbers)
	}
	if err := q.Order("number").Find(&sheets).Error; err != nil {
		return err
	}
	if len(sheets) == 0 {
		return desk.Missing("The sheet")
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	job := d.Begin(p, "Printing "+c.Name, stop).About("", countID)
	of := func(yield func(*counting.Sheet, error) bool) {
		for i := range sheets {
			s, err := sheetOf(c, &sheets[i])
			if err == nil {
				err = ctx.Err()
			}
			job.Progress(i+1, len(sheets), i+1)
			if !yield(s, err) {
				return
			}
		}
	}
	var b bytes.Buffer
	err = document.WriteSheets(size, c.Name, of, &b)
	job.End(desk.Plural(len(sheets), "sheet", "sheets")+" printed.", err, false)
	if err != nil {
		return err
	}
	_, err = b.WriteTo(begin())
	return err
}

// WriteSheets writes all sheets of a count into one zip file, as they are made. begin gives where to, once nothing about the
// count itself stands in the way.
func (d *Room) WriteSheets(ctx context.Context, p desk.Person, countID int64, form SheetForm, begin func() io.Writer) (err error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return err
	}
	var sheets []store.Sheet
	if err := c.Tx.Where("count_id = ? AND state NOT IN ?", countID, store.Void).Order("number").Find(&sheets).Error; err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	job := d.Begin(p, "Writing the sheets of "+c.Name, stop).About("", countID)
	defer func() { job.End(desk.Plural(len(sheets), "sheet", "sheets")+" written.", err, false) }()
	z := zip.NewWriter(begin())
	for i := range sheets {
		if err := ctx.Err(); err != nil {
			return err
		}
		job.Progress(i+1, len(sheets), i+1)
		name, file, err := writeSheet(c, &sheets[i], form)
		if err != nil {
			return err
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Unix(0, c.At).UTC()})
		if err != nil {
			return err
		}
		if _, err := w.Write(file); err != nil {
			return err
		}
	}
	return z.Close()
}
