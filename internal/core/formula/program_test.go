package formula_test

import (
	"encoding/xml"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/formula"
)

// programCase is a formula over three cells, with what a spreadsheet program makes of it.
type programCase struct {
	formula     string
	cells       [3]string
	program     string
	ours, why   string
	ifOnPurpose bool
}

func programCases(t *testing.T) (out []programCase) {
	b, err := os.ReadFile("testdata/program.tsv")
	require.NoError(t, err)
	for _, line := range strings.Split(strings.TrimSpace(string(b)), "\n")[1:] {
		p := strings.Split(line, "\t")
		require.GreaterOrEqual(t, len(p), 5, line)
		c := programCase{formula: p[0], cells: [3]string{p[1], p[2], p[3]}, program: p[4]}
		if len(p) == 7 {
			c.ours, c.why, c.ifOnPurpose = p[5], p[6], true
		}
		out = append(out, c)
	}
	return out
}

// programCells are the cells as a file holds them: texts, of which C is a column of dates.
type programCells struct {
	f     *formula.Formula
	cells [3]string
}

func (c programCells) Text(l int) string { return c.cells[c.f.Labels[l][0]-'A'] }
func (c programCells) Number(l int) (string, bool) {
	s := c.Text(l)
	return s, plainNumber.MatchString(s)
}
func (c programCells) Date(l int) (time.Time, bool) {
	at, err := time.Parse("2006-01-02", c.Text(l))
	return at, err == nil
}

var (
	plainNumber = regexp.MustCompile(`^-?\d+(\.\d+)?$`)
	programFail = regexp.MustCompile(`^(Err:\d+|#[A-Z/0]+[!?]?)$`)
	isoDay      = regexp.MustCompile(`^\d{4}-\d\d-\d\d$`)
	percentage  = regexp.MustCompile(`^(-?\d+(\.\d+)?)%$`)
	shownDay    = regexp.MustCompile(`^(\d\d)/(\d\d)/(\d{4})$`)
)

// meant is a result as results are compared: errors alike, days as numbers, numbers to twelve places of which a program's are good.
func meant(s string) string {
	if m := shownDay.FindStringSubmatch(s); m != nil { // as the program shows days
		s = m[3] + "-" + m[1] + "-" + m[2]
	}
	switch {
	case programFail.MatchString(s):
		return "error"
	case percentage.MatchString(s):
		r, _ := new(big.Rat).SetString(strings.TrimSuffix(s, "%"))
		f, _ := r.Quo(r, big.NewRat(100, 1)).Float64()
		return fmt.Sprintf("%.9g", f)
	case isoDay.MatchString(s):
		at, err := time.Parse("2006-01-02", s)
		if err == nil {
			return fmt.Sprint(int(at.Sub(time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)).Hours() / 24))
		}
	}
	if r, ok := new(big.Rat).SetString(s); ok && !strings.ContainsAny(s, "/ ") && s != "" {
		f, _ := r.Float64()
		return fmt.Sprintf("%.9g", f)
	}
	return s
}

// Formulas give what a spreadsheet program gives, but where another result is better and said so. Its results are kept;
// where the program is installed they are worked out anew.
func TestAgainstASpreadsheetProgram(t *testing.T) {
	cases := programCases(t)
	require.Greater(t, len(cases), 400)
	if program, err := exec.LookPath("soffice"); err == nil {
		now := programSays(t, program, cases)
		for i, c := range cases {
			assert.Equal(t, c.program, now[i], "%s of %q: the kept result is another", c.formula, c.cells)
		}
	}
	for _, c := range cases {
		got := "error"
		f, err := formula.Parse(c.formula)
		if err == nil {
			if text, err := f.Text(programCells{f, c.cells}); err == nil {
				got = text
			}
		}
		want := meant(c.program)
		if c.ifOnPurpose {
			want = meant(c.ours)
			assert.NotEqual(t, meant(c.program), meant(got), "%s of %q is no difference any more", c.formula, c.cells)
		}
		assert.Equal(t, want, meant(got), "%s of %q", c.formula, c.cells)
	}
}

// programSays works the cases out in a spreadsheet program.
func programSays(t *testing.T, program string, cases []programCase) []string {
	quoted := func(s string) string {
		var b strings.Builder
		require.NoError(t, xml.EscapeText(&b, []byte(s)))
		return b.String()
	}
	cell := func(s string) string {
		switch {
		case s == "":
			return "<table:table-cell/>"
		case isoDay.MatchString(s):
			return fmt.Sprintf(`<table:table-cell office:value-type="date" office:date-value="%s"/>`, s)
		case plainNumber.MatchString(s) && !(len(s) > 1 && s[0] == '0' && s[1] != '.'):
			return fmt.Sprintf(`<table:table-cell office:value-type="float" office:value="%s"/>`, s)
		}
		return fmt.Sprintf(`<table:table-cell office:value-type="string"><text:p>%s</text:p></table:table-cell>`, quoted(s))
	}
	var b strings.Builder
	const urn = "urn:oasis:names:tc:opendocument:xmlns:"
	fmt.Fprintf(
		&b,
		`<?xml version="1.0" encoding="UTF-8"?><office:document xmlns:office="%[1]soffice:1.0" xmlns:table="%[1]stable:1.0" xmlns:text="%[1]stext:1.0" `+
			`xmlns:of="%[1]sof:1.2" office:version="1.2" office:mimetype="application/vnd.oasis.opendocument.spreadsheet"><office:body><office:spreadsheet>`+
			`<table:table table:name="S">`,
		urn,
	)
	for i, c := range cases {
		f := c.formula
		for _, l := range []string{"A", "B", "C"} {
			f = strings.ReplaceAll(f, "'"+l+"'", fmt.Sprintf("[.%s%d]", l, i+1))
		}
		fmt.Fprintf(
			&b,
			`<table:table-row>%s%s%s<table:table-cell table:formula="%s"/></table:table-row>`,
			cell(c.cells[0]),
			cell(c.cells[1]),
			cell(c.cells[2]),
			quoted("of:="+f),
		)
	}
	b.WriteString("</table:table></office:spreadsheet></office:body></office:document>")
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "cases.fods"), []byte(b.String()), 0o644))
	run := exec.Command(program, "-env:UserInstallation=file://"+filepath.Join(dir, "profile"), "--headless", "--convert-to",
		"csv:Text - txt - csv (StarCalc):9,34,76,1,,0,false,true,false", "--outdir", dir, filepath.Join(dir, "cases.fods"))
	out, err := run.CombinedOutput()
	require.NoError(t, err, string(out))
	text, err := os.ReadFile(filepath.Join(dir, "cases.csv"))
	require.NoError(t, err, string(out))
	rows := strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
	require.Len(t, rows, len(cases))
	for i := range rows {
		rows[i] = strings.Split(rows[i], "\t")[3]
	}
	return rows
}
