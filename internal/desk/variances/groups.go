package variances

import (
	"cmp"
	"context"
	"database/sql/driver"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// groupings are what the lines of a queue are grouped by, each with the column that names a line's group.
var groupings = map[string]string{
	"zone": "b.zone", "bin": "b.code", "item": "i.sku", "counter": "l.counter", "reason": "l.reason",
	"class":    "coalesce((SELECT k.class FROM count_items k WHERE k.count_id = l.count_id AND k.item_id = l.item_id), '')",
	"category": "coalesce((SELECT k.category FROM count_items k WHERE k.count_id = l.count_id AND k.item_id = l.item_id), '')",
}

// groupedBy gives the column that names the group of a line.
func groupedBy(by string) (string, error) {
	column, known := groupings[by]
	if !known {
		return "", desk.RefuseAs(desk.Invalid, "by", "Variances are grouped by zone, bin, item, counter, reason, class or category, not by %s.", by)
	}
	return column, nil
}

// narrowed adds the conditions of a filter to a query over lines l, bins b and items i. x is asked for causes.
func narrowed(f *desk.Filter, x *explained, q string, args []any) (string, []any, error) {
	if f.Cause != "" {
		some, err := x.linesOf(f.Cause)
		if err != nil {
			return "", nil, err
		}
		q, args = q+" AND l.pos IN (SELECT value FROM json_each(?))", append(args, some)
	}
	if f.By != "" {
		column, err := groupedBy(f.By)
		if err != nil {
			return "", nil, err
		}
		q, args = q+" AND "+column+" = ?", append(args, f.Of)
	}
	q, args = store.Narrow(q+shown(f), args, f.Bins, f.Text)
	return q, args, nil
}

// QueueGroup is the variances of one zone, bin, item, counter, reason, class or category.
type QueueGroup struct {
	Name     string         `json:"name" doc:"empty: of those that have none"`
	Lines    int            `json:"lines"`
	Unvalued int            `json:"unvalued" doc:"of them, without a cost"`
	Over     quantity.Money `json:"over" doc:"what is open of them"`
	Short    quantity.Money `json:"short"`
	Gross    quantity.Money `json:"gross"`
}

// add takes what is open of a line in; value is nil where it has none.
func (g *QueueGroup) add(value any) error {
	g.Lines++
	cents, valued := value.(int64)
	if !valued {
		g.Unvalued++
		return nil
	}
	into := &g.Over
	if cents < 0 {
		into = &g.Short
	}
	sum, ok := quantity.AddMoney(*into, quantity.Money(cents))
	gross, fits := quantity.AddMoney(g.Gross, quantity.Money(cents).Abs())
	if !ok || !fits {
		return count.TooMuch()
	}
	*into, g.Gross = sum, gross
	return nil
}

// QueueGroups are the groups of what a filter holds, the heaviest first.
type QueueGroups struct {
	Groups []QueueGroup `json:"groups"`
	More   int          `json:"more" doc:"groups that are lighter and not listed"`
}

// mostGroups is how many groups are listed.
const mostGroups = 40

// Groups tells the groups of what a filter holds. By says what they are of; a group that the filter is narrowed to narrows nothing here.
func (d *Room) Groups(ctx context.Context, p desk.Person, countID int64, f desk.Filter) (out QueueGroups, err error) {
	out.Groups = []QueueGroup{}
	column, err := groupedBy(f.By)
	if err != nil {
		return out, err
	}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return out, err
	}
	x, err := d.explained(ctx, c)
	if err != nil {
		return out, err
	}
	by := f.By
	f.By, f.After, f.Limit = "", "", 0
	return remembered(d, c.ID, x, "groups by "+by, f, func() (QueueGroups, error) { return groups(c, x, &f, column) })
}

// groups sums what a filter holds up by what a column holds.
func groups(c *desk.Seen, x *explained, f *desk.Filter, column string) (out QueueGroups, err error) {
	out.Groups = []QueueGroup{}
	all := map[string]*QueueGroup{}
	err = eachFiltered(c.Tx, c.ID, f, x, column, func(v []driver.Value) error {
		name, _ := v[1].(string)
		g := all[name]
		if g == nil {
			g = &QueueGroup{Name: name}
			all[name] = g
		}
		return g.add(v[0])
	})
	if err != nil {
		return out, err
	}
	for _, g := range all {
		out.Groups = append(out.Groups, *g)
	}
	slices.SortFunc(out.Groups, func(a, b QueueGroup) int {
		return cmp.Or(cmp.Compare(b.Gross, a.Gross), cmp.Compare(b.Lines, a.Lines), strings.Compare(a.Name, b.Name))
	})
	if n := len(out.Groups); n > mostGroups {
		out.Groups, out.More = out.Groups[:mostGroups], n-mostGroups
	}
	return out, nil
}

// eachFiltered hands over of the lines that a filter holds, in any order, what is open in money (nil where that is not known) and, where
// it is not empty, what a column holds.
func eachFiltered(tx *gorm.DB, countID int64, f *desk.Filter, x *explained, column string, line func(v []driver.Value) error) error {
	q, args, err := filtered(countID, f, x, openValue(f), column)
	if err != nil {
		return err
	}
	return store.Each(tx, q, args, line)
}

// eachValue goes over what is open of what a filter holds, in hundredths; nil where a line has no cost. The values come as one text: to
// take them over line by line costs more than to find them.
func eachValue(tx *gorm.DB, countID int64, f *desk.Filter, x *explained, value func(v any) error) error {
	q, args, err := filtered(countID, f, x, "group_concat(coalesce("+openValue(f)+", ''))", "")
	if err != nil {
		return err
	}
	return store.Each(tx, "SELECT coalesce(("+q+"), '-')", args, func(v []driver.Value) error {
		text := fmt.Sprint(v[0])
		if text == "-" {
			return nil // it holds nothing; a single line without a cost is an empty text
		}
		for one := range strings.SplitSeq(text, ",") {
			if one == "" {
				if err := value(nil); err != nil {
					return err
				}
				continue
			}
			n, err := strconv.ParseInt(one, 10, 64)
			if err != nil {
				return err
			}
			if err := value(n); err != nil {
				return err
			}
		}
		return nil
	})
}

// openValue is the expression of what is open of a line in money: null where it has no cost. What waits for a decision is told
// by an index alone; of what went out as a whole nothing is open, which is worth nothing, not unknown.
func openValue(f *desk.Filter) string {
	switch f.Show {
	case "open", "held", "accepted":
		return "l.rest_value"
	}
	return "CASE WHEN l.rest = 0 AND l.cost IS NOT NULL THEN 0 ELSE l.rest_value END"
}

// filtered makes the query of what a filter holds.
func filtered(countID int64, f *desk.Filter, x *explained, value, column string) (string, []driver.Value, error) {
	named := "" // without names of bins and items most is told by an index alone
	if f.Text != "" || strings.HasPrefix(column, "b.") || strings.HasPrefix(column, "i.") || f.By != "" {
		named = " JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id"
	}
	if column != "" {
		column = ", " + column
	}
	q, args, err := narrowed(f, x, "SELECT "+value+column+" FROM count_lines l"+named+" WHERE l.count_id = ?", []any{countID})
	values := make([]driver.Value, len(args))
	for i, a := range args {
		values[i] = a
	}
	return q, values, err
}
