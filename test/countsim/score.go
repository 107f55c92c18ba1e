package countsim

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/cause"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
)

// Score is how well faults were named.
type Score struct {
	Of        map[cause.Cause]Named
	Differ    int // lines with nothing but a true gain or loss
	Explained int // of these, those explained away at grade strong
	Wrong     map[string]int
}

// Named is what became of planted faults of a kind.
type Named struct {
	Planted, Right, Otherwise, Unnamed int // right: at grade strong or fair
	Strong                             int // of the right ones
}

// Add adds the figures of another count.
func (s *Score) Add(o *Score) {
	if s.Of == nil {
		s.Of, s.Wrong = map[cause.Cause]Named{}, map[string]int{}
	}
	for c, n := range o.Of {
		x := s.Of[c]
		s.Of[c] = Named{x.Planted + n.Planted, x.Right + n.Right, x.Otherwise + n.Otherwise, x.Unnamed + n.Unnamed, x.Strong + n.Strong}
	}
	for k, n := range o.Wrong {
		s.Wrong[k] += n
	}
	s.Differ, s.Explained = s.Differ+o.Differ, s.Explained+o.Explained
}

// All sums the kinds up.
func (s *Score) All() (all Named) {
	for _, n := range s.Of {
		all = Named{all.Planted + n.Planted, all.Right + n.Right, all.Otherwise + n.Otherwise, all.Unnamed + n.Unnamed, all.Strong + n.Strong}
	}
	return all
}

func file(name, text string) (*tabular.File, error) {
	return tabular.Open(name, strings.NewReader(text), int64(len(text)), tabular.Options{})
}

// Input gives what the causes of a count follow from.
func Input(c *Count) (*cause.Input, error) {
	res, err := run(c)
	if err != nil {
		return nil, err
	}
	return res.CauseInput(), nil
}

// run has a count reconciled from its files, with the likely causes.
func run(c *Count) (*reconcile.Result, error) {
	in, opt := reconcile.Input{}, reconcile.Options{Zone: time.UTC, Causes: true, Most: 20}
	var err error
	open := func(name, text string) *tabular.File {
		f, e := file(name, text)
		if e != nil {
			err = e
		}
		return f
	}
	in.Stock, in.Movements, in.Items = open("stock.csv", c.Stock), open("movements.csv", c.Movements), open("items.csv", c.Items)
	in.Counts = []*tabular.File{open("counts.csv", c.Counts)}
	if err != nil {
		return nil, err
	}
	res, problems, err := reconcile.Run(context.Background(), in, opt)
	if err != nil {
		return nil, err
	}
	if problems.Any() {
		return nil, fmt.Errorf("the simulated files have problems: %v", problems.List[0])
	}
	return res, nil
}

// Judge has the causes of a count found as wobin reconcile does, from its files, and holds them against what is true.
func Judge(c *Count) (*Score, error) {
	res, err := run(c)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := res.WriteCauses(&out); err != nil {
		return nil, err
	}
	rows, err := csv.NewReader(&out).ReadAll()
	if err != nil {
		return nil, err
	}
	type said struct{ cause, grade, evidence string }
	by := map[Key]said{}
	for _, r := range rows[1:] {
		by[Key{r[3], r[4], r[5]}] = said{r[0], r[1], r[12]}
	}
	s := &Score{Of: map[cause.Cause]Named{}, Wrong: map[string]int{}, Differ: len(c.Differ)}
	for k, want := range c.Planted {
		n, got := s.Of[want], by[k]
		switch n.Planted++; {
		case got.cause == string(want) && got.grade != "weak":
			if n.Right++; got.grade == "strong" {
				n.Strong++
			}
		case got.cause == "":
			n.Unnamed++
		default:
			n.Otherwise++
			s.Wrong[fmt.Sprintf("%s named %s (%s)", want, got.cause, got.grade)]++
		}
		s.Of[want] = n
	}
	for k := range c.Differ {
		if got := by[k]; got.grade == "strong" {
			s.Explained++
			s.Wrong["a true difference named "+got.cause]++
		}
	}
	return s, nil
}
