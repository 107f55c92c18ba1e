package adjustments

import (
	"bytes"
	"context"
	"errors"
	"time"
	"unicode/utf8"

	"wobin/internal/core/outfile"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// PostingPreview is the files that a posting would be.
type PostingPreview struct {
	Mode     string           `json:"mode"`
	Lines    int              `json:"lines"`
	Sums     variance.Sums    `json:"sums"`
	Unvalued int              `json:"unvalued"`
	NoReason int              `json:"no_reason" doc:"accepted lines without a reason code"`
	Alike    int              `json:"alike" doc:"lines that match or are let pass, told since the file tells all counts"`
	Sha      string           `json:"sha" doc:"SHA-256 of the file, or of the manifest of several"`
	Files    []PostingPart    `json:"files"`
	Text     string           `json:"text" doc:"the text of the files, their first 1,000 lines; of workbooks their rows, apart by tabs"`
	Bins     []int64          `json:"bins" doc:"of our own forms: the bins of the lines that are shown, in their order"`
	Cut      int              `json:"cut" doc:"how many lines of the text are not shown here"`
	Blocked  string           `json:"blocked"`
	Problems []PostingProblem `json:"problems" doc:"what the layout cannot say, the first of them"`
	Harms    []outfile.Harm   `json:"harms" doc:"codes that a spreadsheet program would damage, were the file opened with one"`
	Age      time.Time        `json:"age" doc:"when the recorded stock was true that balances are worked out from"`
	Open     int              `json:"open" doc:"variances not decided, which stay behind"`
	Agree    bool             `json:"agree" doc:"somebody else has to agree before it goes out"`
	NoWorth  int              `json:"no_worth" doc:"lines that change stock and have no value; no limit of agreement lets them pass"`
	Day      string           `json:"day"`
	Ref      string           `json:"reference"`
	Reasons  []ReasonWorth    `json:"reasons" doc:"what waits to go out, by reason"`
}

// PostingProblem is something that a layout cannot say of a line.
type PostingProblem struct {
	Line   string `json:"line"`
	Column string `json:"column"`
	Text   string `json:"text"`
}

// ReasonWorth is what goes out for a reason.
type ReasonWorth struct {
	Reason   string        `json:"reason"`
	Name     string        `json:"name"`
	Account  string        `json:"account"`
	Lines    int           `json:"lines"`
	Sums     variance.Sums `json:"sums"`
	Unvalued int           `json:"unvalued"`
}

// PreviewPosting shows the file of the accepted lines in a form of ours before it is made.
func (d *Room) PreviewPosting(ctx context.Context, p desk.Person, countID int64, mode string) (PostingPreview, error) {
	return d.Preview(ctx, p, countID, Going{Mode: mode})
}

// Preview shows the files of accepted lines before they are made.
func (d *Room) Preview(ctx context.Context, p desk.Person, countID int64, g Going) (v PostingPreview, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return v, err
	}
	f, err := d.workedOut(c.Tx, c.Count, &g)
	v = PostingPreview{Mode: string(f.mode), Lines: len(f.lines), Sums: f.sums, Unvalued: f.unvalued, NoWorth: f.worthless,
		NoReason: f.noReason, Alike: f.alike,
		Age: desk.Instant(
			c.RecordedAt,
		), Bins: []int64{}, Files: []PostingPart{}, Problems: []PostingProblem{}, Harms: []outfile.Harm{}, Reasons: []ReasonWorth{},
		Day: desk.Instant(f.facts.At).Format(time.DateOnly), Ref: f.facts.Reference}
	for _, x := range f.problems[:min(len(f.problems), shownProblems)] {
		line := ""
		if x.Line >= 0 {
			line = f.out[x.Line].Key[1] + " · " + f.out[x.Line].Key[2]
		}
		v.Problems = append(v.Problems, PostingProblem{line, x.Column, x.Text})
	}
	var r *desk.Refusal
	if errors.As(err, &r) {
		v.Blocked = r.Error()
	} else if err != nil {
		return v, err
	}
	if v.Reasons, err = waitingByReason(c.Tx, countID); err != nil {
		return v, err
	}
	if len(f.files) > 0 {
		v.Sha = f.sha()
		for i := range f.files {
			x := &f.files[i]
			v.Files = append(v.Files, PostingPart{x.Name, desk.ShaOf(x.Body), x.Rows, int64(len(x.Body))})
			v.show(x, f.layout)
		}
	}
	if f.layout == nil {
		for _, l := range f.rows[:min(len(f.rows), shownLines)] {
			v.Bins = append(v.Bins, l.BinID)
		}
	} else {
		v.Harms = append(v.Harms, f.layout.Harms(f.out, f.facts)...)
	}
	if v.Agree, err = d.needsAgreement(c.Tx, c.Count, &f); err != nil {
		return v, err
	}
	all, err := count.TallyOf(c.Tx, countID)
	v.Open = all.Open
	return v, err
}

// How many lines of files, and problems, are shown before they are made.
const (
	shownLines    = 1000
	shownProblems = 50
)

// show adds the text of a file, as far as there is room.
func (v *PostingPreview) show(f *outfile.File, l *outfile.Layout) {
	text := f.Body
	if l != nil && (l.Workbook() || !utf8.Valid(text)) {
		text = shownAs(f)
	}
	n := bytes.Count([]byte(v.Text), []byte{'\n'})
	for ; len(text) > 0; n++ {
		end := bytes.IndexByte(text, '\n') + 1
		if end == 0 {
			end = len(text)
		}
		if n <= shownLines {
			v.Text += string(text[:end])
		} else {
			v.Cut++
		}
		text = text[end:]
	}
}

// shownAs gives the rows of a workbook, or of a text in another encoding than ours, apart by tabs.
func shownAs(f *outfile.File) []byte {
	t, err := tabular.Open(f.Name, bytes.NewReader(f.Body), int64(len(f.Body)), tabular.Options{})
	if err != nil {
		return nil
	}
	rows, err := t.Rows(0)
	if err != nil {
		return nil
	}
	defer rows.Close()
	var b []byte
	for {
		_, cells, ok := rows.Next()
		if !ok {
			return b
		}
		b = append(append(b, bytes.Join(cells, []byte{'\t'})...), '\n')
	}
}
