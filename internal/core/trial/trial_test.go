package trial_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/tabular"
)

// trial is a file as it comes, and what a sensible controller expects of it.
type trial struct {
	name   string
	file   string
	expect string // read, ask or either
	kind   field.Kind
	steps  []string // what is answered: answer WHAT N, remedy KIND N
	lines  []string
	text   string
}

func trials(t *testing.T) (out []trial) {
	names, err := filepath.Glob("testdata/trial/*.txt")
	require.NoError(t, err)
	require.NotEmpty(t, names)
	for _, name := range names {
		b, err := os.ReadFile(name)
		require.NoError(t, err)
		for _, part := range strings.Split("\n"+string(b), "\n=== ")[1:] {
			head, text, ok := strings.Cut(part, "\n---\n")
			require.True(t, ok, part)
			lines := strings.Split(head, "\n")
			x := trial{name: lines[0], text: text, file: name}
			for _, l := range lines[2:] {
				if step, is := strings.CutPrefix(l, "> "); is {
					x.steps = append(x.steps, step)
				} else {
					x.lines = append(x.lines, l)
				}
			}
			kind := ""
			x.expect, kind, _ = strings.Cut(lines[1], " ")
			x.kind = field.Kind(kind)
			slices.Sort(x.lines)
			out = append(out, x)
		}
	}
	return out
}

// outcome tells what becomes of a file: right, asked, or misread without a word.
func (x *trial) outcome(t *testing.T) (what, told string) {
	m, _, lines, said := x.read(t, &layout.Layout{})
	told = fmt.Sprintf("%s\n%s", strings.Join(said, "\n"), strings.Join(lines, "\n"))
	switch {
	case len(said) > 0 && x.expect == "read":
		return "asked needlessly", told
	case len(said) > 0:
		return "asked", told
	case x.expect != "ask" && m.Kind == x.kind && slices.Equal(lines, x.lines):
		return "right", told
	}
	return "silent", told
}

// read gives what is made of the file with what was settled: its lines, and what is asked or wrong.
func (x *trial) read(t *testing.T, given *layout.Layout) (m *recognise.Mapping, p *problem.Problems, lines, said []string) {
	p = &problem.Problems{}
	f, err := tabular.Open("trial.csv", strings.NewReader(x.text), int64(len(x.text)), tabular.Options{})
	if err != nil {
		return m, p, nil, []string{err.Error()}
	}
	records := &recognise.Known{Blank: true}
	if m, err = recognise.Sheet(f, 0, recognise.Want{Known: records, Given: given}); err != nil {
		return m, p, nil, []string{err.Error()}
	}
	for _, c := range m.Check("trial.csv") {
		p.Add(c)
	}
	if !p.Any() {
		lines, m = x.taken(t, f, m, read.Reading{Zone: time.UTC, Known: records, Layout: given}, p)
	}
	slices.Sort(lines)
	for _, a := range m.Asks {
		if !a.Optional {
			said = append(said, "? "+a.What+": "+a.Text)
		}
	}
	for _, c := range p.List {
		said = append(said, "! "+c.Kind+": "+c.String())
	}
	return m, p, lines, said
}

// settled takes the steps and gives what is read then.
func (x *trial) settled(t *testing.T) (lines, said []string) {
	given := &layout.Layout{}
	for _, step := range x.steps {
		m, p, _, _ := x.read(t, given)
		words := strings.Fields(step)
		what, n := strings.Join(words[1:len(words)-1], " "), int(words[len(words)-1][0]-'1')
		var more *layout.Layout
		if words[0] == "answer" {
			at := slices.IndexFunc(m.Asks, func(a recognise.Ask) bool { return a.What == what })
			require.GreaterOrEqual(t, at, 0, "%s: no question %q", x.name, what)
			require.Less(t, n, len(m.Asks[at].Options))
			l := m.Answer(&m.Asks[at], &m.Asks[at].Options[n])
			more = &l
		} else {
			for g := range p.Groups {
				if g.Kind == what {
					all := remedy.Of(m, p, g, nil)
					require.Less(t, n, len(all), x.name)
					more = &all[n].Set
				}
			}
			require.NotNil(t, more, "%s: no problem %q", x.name, what)
		}
		given.Settle(more)
		require.NoError(t, given.Valid(), x.name)
	}
	_, _, lines, said = x.read(t, given)
	return lines, said
}

// taken gives the lines of a file with the keys and figures that they have.
func (x *trial) taken(
	t *testing.T,
	f *tabular.File,
	m *recognise.Mapping,
	r read.Reading,
	p *problem.Problems,
) (lines []string, told *recognise.Mapping) {
	switch m.Kind {
	case field.Stock:
		var all read.Told
		lines, _, all = readFor(t, f, m, r, p)
		told = all.Mapping
		if at, _, ok := m.TimeAbove(time.UTC); ok {
			for i := range lines {
				lines[i] += ", as at " + time.Unix(0, at).UTC().Format("2006-01-02 15:04")
			}
		}
		if s, err := r.Stock(f, m, &problem.Problems{}); err == nil {
			for _, d := range s.Book.Index() {
				p.Add(problem.Problem{Row: int(s.Book.Lines[d[1]].Row), Kind: "duplicate key", Text: "comes twice"})
			}
		}
	case field.Counts:
		s, err := r.Counts(f, m, p)
		require.NoError(t, err)
		told = s.Mapping
		for _, c := range s.Counts {
			if c.Given {
				lines = append(
					lines,
					strings.Join(slices.DeleteFunc(sliceOf(s.Codes.Texts(c.Key)), func(s string) bool { return s == "" }), " | ")+
						" = "+c.Quantity.String(),
				)
			}
		}
	case field.Movements:
		s, err := r.Movements(f, m, p)
		require.NoError(t, err)
		told = s.Mapping
		for _, c := range s.Movements {
			lines = append(
				lines,
				strings.Join(slices.DeleteFunc(sliceOf(s.Codes.Texts(c.Key)), func(s string) bool { return s == "" }), " | ")+
					" = "+c.Quantity.String(),
			)
		}
	default:
		var all read.Told
		lines, _, all = readFor(t, f, m, r, p)
		told = all.Mapping
	}
	return lines, told
}

// Nothing passes unseen: a file is read as it was meant, or asked about, or refused. None that can be read is asked about
// needlessly.
func TestTrial(t *testing.T) {
	count := map[string]int{}
	for _, x := range trials(t) {
		what, told := x.outcome(t)
		count[what]++
		if what == "silent" || what == "asked needlessly" {
			assert.Fail(t, x.name+": "+what, "%s\nwanted %s %s\n%s", told, x.expect, x.kind, strings.Join(x.lines, "\n"))
		}
		if len(x.steps) > 0 {
			lines, said := x.settled(t)
			assert.Empty(t, said, "%s: %v", x.name, x.steps)
			assert.Equal(t, x.lines, lines, "%s: %v", x.name, x.steps)
		}
	}
	t.Log(count)
}
