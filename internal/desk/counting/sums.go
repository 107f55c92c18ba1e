package counting

import (
	"encoding/json"
	"errors"
	"strings"
	"unicode"

	"wobin/internal/core/barcode"
	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/sum"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// workOut turns what was typed as text into quantities, by the packs of the items that the rows are for.
func workOut(w *desk.Work, c *store.Count, typed []Typed, rows map[string]int64) error {
	for i := range typed {
		t := &typed[i]
		if f := t.Found; f != nil && f.pack != "" && !t.Withdraw && !strings.ContainsFunc(t.Text, unicode.IsLetter) {
			unit, _, _ := strings.Cut(f.pack, " of ")
			return desk.RefuseAs(
				desk.Invalid,
				"text",
				"%q is the barcode of a %s. Write how many of them, such as 3%s, or name the item by its SKU.",
				f.SKU,
				f.pack,
				unit,
			)
		}
		if t.Text == "" {
			continue
		}
		if t.Quantity != nil {
			return desk.RefuseAs(desk.Invalid, "text", "%s: send a quantity or a text, not both.", t.code())
		}
		if _, is := barcode.GTIN(strings.TrimSpace(t.Text)); is && !t.Sure {
			return desk.RefuseAs(
				desk.Asks,
				"scanned",
				"%s: %q is a barcode with a right check digit. Say that so many were counted, or find the row that it is for.",
				t.code(),
				t.Text,
			)
		}
		packs, err := packsOf(w, c, rows[t.code()])
		if err != nil {
			return err
		}
		q, err := sum.Of(t.Text, "", packs.size)
		var wrong *sum.Error
		if errors.As(err, &wrong) {
			text := wrong.Text
			if wrong.Kind == sum.NoPack {
				text += ". " + packs.said()
			}
			return desk.RefuseAs(desk.Invalid, "text", "%s: %q %s.", t.code(), t.Text, strings.TrimSuffix(text, "."))
		}
		if err != nil {
			return err
		}
		t.Quantity = &q
	}
	return nil
}

// packs are the units that an item is counted in.
type packs struct {
	unit string
	of   []read.Pack
}

func packsOf(w *desk.Work, c *store.Count, pos int64) (p packs, err error) {
	var it struct{ Unit, Packs string }
	err = w.Raw("SELECT i.unit, i.packs FROM count_lines l JOIN items i ON i.id = l.item_id WHERE l.count_id = ? AND l.pos = ?", c.ID, pos).
		Scan(&it).
		Error
	if err != nil {
		return p, err
	}
	if p.unit = it.Unit; it.Packs != "" {
		err = json.Unmarshal([]byte(it.Packs), &p.of)
	}
	return p, err
}

func (p packs) size(unit string) (int64, bool) {
	if p.unit != "" && code.Fold(unit) == code.Fold(p.unit) {
		return 1, true
	}
	for _, x := range p.of {
		if code.Fold(x.Unit) == code.Fold(unit) {
			return int64(x.Size / quantity.Scale), true
		}
	}
	return 0, false
}

// said tells what the item is counted in.
func (p packs) said() string {
	var words []string
	for _, x := range p.of {
		words = append(words, x.Unit+" of "+x.Size.String())
	}
	switch {
	case len(words) > 0:
		return "It is counted in " + p.unit + ", and has " + strings.Join(words, ", ")
	case p.unit != "":
		return "It is counted in " + p.unit + " and has no packs"
	}
	return "It has no unit and no packs"
}

// scanned takes the quantity that a scanned text says, where none was typed.
func (t *Typed) scanned() {
	s := t.Found.scan
	if !s.Counted || t.Quantity != nil || t.Text != "" || t.Withdraw {
		return
	}
	t.Text = s.Quantity.String() + s.Unit // a measure is one of the item's own unit, or refused
}
