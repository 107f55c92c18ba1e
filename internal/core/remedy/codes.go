package remedy

import (
	"fmt"
	"slices"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
)

// texts offers what settles texts that may stand for nothing, or for several.
func (o *offers) texts() {
	if words := o.nothings(); len(words) > 0 && o.inColumn() {
		o.add(Remedy{
			Label: fmt.Sprintf("Take %s for an empty cell%s", problem.Both(words, 4), o.letter), Before: words[0],
			Set: o.column(layout.Choice{Nothing: words}), Certain: o.g.Kind == read.WordForNothing,
		})
		if o.g.Kind == read.WordForNothing {
			o.add(Remedy{
				Label: fmt.Sprintf("Take %s for a code like the others", problem.Both(words, 4)), Before: words[0], After: words[0],
				Set: o.asTheyAre(words),
			})
		}
	}
	if o.g.Kind == read.UnknownWord {
		means := map[field.Field][]string{
			field.Nature: {"stocked", "service", "parent"}, field.Active: {"yes", "no"}, field.Tracking: {"lot", "serial", "none"},
		}[o.g.Field]
		for _, word := range o.words()[:min(len(o.words()), 4)] {
			for _, to := range means {
				o.add(Remedy{Label: fmt.Sprintf("%q means %s", word, to), Before: word, After: to,
					Set: layout.Layout{Matches: []layout.Match{{Field: o.g.Field, From: word, Do: "match", To: to}}}})
			}
		}
	}
	if o.g.Kind == "unknown description" && o.m.Kind == field.Stock {
		name := o.words()[0]
		o.add(Remedy{Label: "They are new: make a code of each name, " + problem.RowsText(o.p.Groups[o.g]), Before: name, After: read.OfName(name),
			Set: layout.Layout{Codes: "{name}"}})
		o.add(Remedy{Label: "They are new: number them, " + problem.RowsText(o.p.Groups[o.g]), Before: name, After: "N-0001", Set: layout.Layout{Codes: "N-{n}"}})
	}
	if o.g.Kind == read.AnotherSpelling {
		words := o.words()
		o.add(Remedy{Label: "They are right as they stand: codes in other letters are other items", Before: words[0], After: words[0], Set: o.asTheyAre(words)})
	}
	if o.g.Kind != read.SeveralInOne {
		return
	}
	var texts []string
	o.each(func(x *problem.Problem) {
		if len(texts) < 200 && !slices.Contains(texts, x.Value) {
			texts = append(texts, x.Value)
		}
	})
	if o.g.Field == field.Serial && o.inColumn() {
		o.add(Remedy{
			Label:  "Each serial is a line of its own, with one piece, where there are as many as the quantity, " + problem.RowsText(o.p.Groups[o.g]),
			Before: texts[0], After: "one line each", Set: layout.Layout{Serials: "split"}, Certain: true,
		})
	}
	o.add(Remedy{Label: "Each is one code, as it stands", Before: texts[0], After: texts[0], Set: o.asTheyAre(texts)})
}

// asTheyAre says that texts are right as they stand.
func (o *offers) asTheyAre(texts []string) (set layout.Layout) {
	for _, t := range texts {
		set.Matches = append(set.Matches, layout.Match{Field: o.g.Field, From: t, Do: "new"})
	}
	return set
}

// nothings are the words for nothing among the values of the group, each once.
func (o *offers) nothings() (out []string) {
	o.each(func(x *problem.Problem) {
		if len(x.Value) > 2 && read.NothingWord([]byte(x.Value)) && !slices.Contains(out, x.Value) {
			out = append(out, x.Value)
		}
	})
	return out
}

// repairs offers to put damaged codes back: those with one possible original, and, where all codes that turned into
// dates were read one way, the others as read the same way.
func repairs(g problem.Group, values []read.Value) (out []Remedy) {
	var one, same Remedy
	sure, rows, others, otherRows := 0, 0, 0, 0
	ways := map[string]bool{}
	for _, v := range values {
		if v.Field != g.Field || len(v.Originals) == 0 || string(v.Originals[0].Damage) != g.Kind {
			continue
		}
		if len(v.Originals) == 1 {
			ways[v.Originals[0].Way] = true
		}
		if !v.Refused || len(v.Originals) > 1 {
			continue
		}
		if sure++; one.Before == "" {
			one.Before, one.After, one.Set = v.Text, v.Originals[0].Text, layout.Layout{
				Repairs: []layout.Repair{{Field: v.Field, Damage: v.Originals[0].Damage}},
			}
		}
		rows += v.Rows
	}
	if sure > 0 {
		one.Label, one.Certain = fmt.Sprintf(
			"Put back the only possible original of %s, %s",
			problem.Count(sure, "value", "values"),
			problem.RowsText(rows),
		), true
		out = append(out, one)
	}
	if len(ways) != 1 || ways[""] {
		return out
	}
	for _, v := range values {
		if v.Field != g.Field || len(v.Originals) < 2 || !v.Refused || string(v.Originals[0].Damage) != g.Kind {
			continue
		}
		for _, o := range v.Originals {
			if !ways[o.Way] {
				continue
			}
			if others++; same.Before == "" {
				same.Before, same.After, same.Set = v.Text, o.Text, layout.Layout{
					Repairs: []layout.Repair{{Field: v.Field, Damage: o.Damage, Way: o.Way}},
				}
				same.Label = o.Way
			}
			otherRows += v.Rows
		}
	}
	if others > 0 {
		same.Label = fmt.Sprintf(
			"Read the others %s too, as all with one possible original were: %s, %s",
			same.Label,
			problem.Count(others, "value", "values"),
			problem.RowsText(otherRows),
		)
		out = append(out, same)
	}
	return out
}
