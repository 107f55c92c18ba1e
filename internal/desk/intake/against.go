package intake

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"wobin/internal/core/known"
	"wobin/internal/core/read"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Held tells how a list of items differs from the recorded ones.
type Held struct {
	OnlyHere  int `json:"only_here" doc:"items that the records lack"`
	OnlyThere int `json:"only_there" doc:"recorded items that the list lacks"`
	OtherCode int `json:"other_code" doc:"items that are recorded under another code"`
}

// hold holds an item file against the items that are recorded. Items that are recorded under another code, and would be made anew, are
// asked about.
func (x *itemsDraft) hold(dr *draft, v *SheetOfFile, f *read.ItemFile, recorded []store.Item) {
	here, there := make([]known.Listed, len(f.Items)), make([]known.Listed, len(recorded))
	for i := range f.Items {
		it := &f.Items[i]
		here[i] = known.Listed{SKU: it.SKU, Description: it.Description, ID: it.RecordID, Others: append([]string{it.FurtherSKU}, it.Barcodes...)}
	}
	for i := range recorded {
		it := &recorded[i]
		there[i] = known.Listed{
			SKU:         it.SKU,
			Description: it.Description,
			ID:          it.RecordID,
			Others:      append([]string{it.FurtherSKU}, count.Barcodes(it.Barcode, it.Barcodes)...),
		}
	}
	x.held = known.Against(here, there)
	v.Held = &Held{}
	var rows []CheckRow
	for i := range x.held {
		d := &x.held[i]
		switch d.What {
		case known.OnlyHere:
			v.Held.OnlyHere++
		case known.OnlyThere:
			v.Held.OnlyThere++
		default:
			v.Held.OtherCode++
			rows = append(rows, CheckRow{Line: d.Here.SKU, Text: fmt.Sprintf("%s is recorded, with the %s", d.There.SKU, d.Because)})
		}
	}
	if len(rows) > 0 {
		v.ask(&dr.choices, Check{What: "codes", Rows: rows,
			Text: desk.Plural(
				len(rows),
				"new item seems",
				"new items seem",
			) + " to be recorded under another code. Take the codes that are recorded, or say that " +
				"these are items of their own.",
			Options: []CheckOption{
				{recordedCodes, "They are the recorded items: take them under the recorded codes"},
				{newCodes, "They are the recorded items, and these are their codes from now on; the old ones go on finding them"},
				{asItIs, "They are items of their own: make them"},
			}})
	}
	of := map[string]string{}
	for i := range x.held {
		if d := &x.held[i]; d.What == known.OtherCode {
			of[d.Here.SKU] = d.There.SKU
		}
	}
	switch v.answered("codes") {
	case recordedCodes:
		x.recorded = of
	case newCodes:
		x.renamed = of
	}
}

// Against gives the items in which a dropped list differs from the recorded ones, as a file.
func (d *Room) Against(ctx context.Context, p desk.Person, id string, sheet int) (name string, file []byte, err error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return "", nil, err
	}
	defer let()
	if sheet < 0 || sheet >= len(dr.parts) {
		return "", nil, desk.Missing("The sheet")
	}
	x, ok := dr.parts[sheet].content.(*itemsDraft)
	if !ok {
		return "", nil, desk.Missing("A list of items")
	}
	out := tabular.AppendRow(
		[]byte("\ufeff"),
		',',
		"what",
		"sku in the file",
		"sku in the records",
		"description in the file",
		"description in the records",
		"known by",
	)
	for i := range x.held {
		diff := &x.held[i]
		here, there := diff.Here, diff.There
		if here == nil {
			here = &known.Listed{}
		}
		if there == nil {
			there = &known.Listed{}
		}
		row := []string{diff.What, here.SKU, there.SKU, here.Description, there.Description, diff.Because}
		for k := range row { // it is read by people, in a spreadsheet program
			row[k] = tabular.Safe(row[k])
		}
		out = tabular.AppendRow(out, ',', row...)
	}
	return strings.TrimSuffix(dr.name, filepath.Ext(dr.name)) + " - against the records.csv", out, nil
}
