package variances

import (
	"cmp"
	"context"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/ruling"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// RuleView is a rule that decides by itself while it is on.
type RuleView struct {
	ID       int64              `json:"id" doc:"0 for a new one"`
	Name     string             `json:"name"`
	Class    string             `json:"class" doc:"empty: any"`
	Category string             `json:"category" doc:"empty: any"`
	Sign     string             `json:"sign" enum:",over,short"`
	Cause    string             `json:"cause" doc:"the likely cause, for which much has to speak; none: nothing speaks strongly or fairly for any; empty: whatever"`
	Aisle    bool               `json:"aisle" doc:"of two lines that explain each other: they stand in one aisle"`
	Quantity *quantity.Quantity `json:"quantity" doc:"off by so much at most"`
	Percent  *quantity.Quantity `json:"percent" doc:"off by so much of what is expected at most"`
	From     *quantity.Money    `json:"from" doc:"worth at least"`
	To       *quantity.Money    `json:"to" doc:"worth at most"`
	Decides  string             `json:"decides" enum:"accept,hold"`
	Reason   string             `json:"reason"`
	On       bool               `json:"on"`
	OnBy     string             `json:"on_by"`
	OnAt     *time.Time         `json:"on_at"`
	Decided  int                `json:"decided" doc:"how many decisions it has made so far"`
}

// rule is what the core knows of it.
func (v *RuleView) rule() ruling.Rule {
	return ruling.Rule{Class: v.Class, Category: v.Category, Sign: ruling.Sign(v.Sign), Cause: cause.Cause(v.Cause), Aisle: v.Aisle,
		Quantity: v.Quantity, Percent: v.Percent, From: v.From, To: v.To, Then: variance.Decision(v.Decides), Reason: v.Reason}
}

// viewOf tells of a rule that is kept.
func viewOf(r *store.DecisionRule) (v RuleView, err error) {
	var x ruling.Rule
	if err := json.Unmarshal([]byte(r.Body), &x); err != nil {
		return v, err
	}
	v = RuleView{ID: r.ID, Name: r.Name, Class: x.Class, Category: x.Category, Sign: string(x.Sign), Cause: string(x.Cause), Aisle: x.Aisle,
		Quantity: x.Quantity, Percent: x.Percent, From: x.From, To: x.To, Decides: string(x.Then), Reason: x.Reason, On: r.IsOn, OnBy: r.OnBy}
	if r.IsOn {
		v.OnAt = desk.Moment(r.OnAt)
	}
	return v, nil
}

// Rules lists the rules, in the order of their names, those that are on first.
func (d *Room) Rules(ctx context.Context, p desk.Person) ([]RuleView, error) {
	if err := desk.Allow(p, desk.Judge); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	var rows []store.DecisionRule
	if err := tx.Order("is_on DESC, name").Find(&rows).Error; err != nil {
		return nil, err
	}
	decided := map[string]int{}
	err := store.Each(tx, "SELECT rule, count(*) FROM decisions WHERE rule <> '' GROUP BY rule", nil, func(v []driver.Value) error {
		name, _ := v[0].(string)
		decided[name] = int(v[1].(int64))
		return nil
	})
	out := make([]RuleView, len(rows))
	for i := range rows {
		if err == nil {
			out[i], err = viewOf(&rows[i])
		}
		out[i].Decided = decided[rows[i].Name]
	}
	return out, err
}

// checked tells what is wrong with a rule, as a refusal.
func checked(tx *gorm.DB, v *RuleView) error {
	v.Name, v.Reason = strings.TrimSpace(v.Name), strings.TrimSpace(v.Reason)
	x := v.rule()
	if wrong := x.Valid(); wrong != "" {
		return desk.RefuseAs(desk.Invalid, "rule", "%s", wrong)
	}
	if v.Reason == "" {
		return nil
	}
	var reason store.Reason
	if err := tx.Where("code = ?", v.Reason).Limit(1).Find(&reason).Error; err != nil {
		return err
	}
	switch {
	case reason.Code == "":
		return desk.RefuseAs(desk.Invalid, "reason", "%q is no reason code.", v.Reason)
	case x.Then == variance.Accepted && reason.Sign != "" && reason.Sign != v.Sign:
		return desk.RefuseAs(desk.Invalid, "reason", "%s explains what is %s alone: let the rule be about that, or take another reason.",
			reason.Code, reason.Sign)
	}
	return nil
}

// KeepRule keeps a rule, or changes one that is off. It decides nothing before it is turned on.
func (d *Room) KeepRule(ctx context.Context, p desk.Person, v RuleView) (id int64, err error) {
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (id int64, err error) {
		if err := checked(w.Tx, &v); err != nil {
			return 0, err
		}
		if v.Name == "" || len(v.Name) > 80 || strings.Contains(v.Name, "/") {
			return 0, desk.RefuseAs(desk.Invalid, "name", "A rule has a name of up to 80 letters, without a stroke.")
		}
		body, err := json.Marshal(v.rule())
		if err != nil {
			return 0, err
		}
		var same int64
		if err := w.Model(&store.DecisionRule{}).Where("name = ? AND id <> ?", v.Name, v.ID).Count(&same).Error; err != nil {
			return 0, err
		}
		if same > 0 {
			return 0, desk.RefuseAs(desk.Invalid, "name", "There is a rule %q already.", v.Name)
		}
		row := store.DecisionRule{Person: w.Person.Name, At: w.Now}
		if v.ID != 0 {
			if row, err = offRule(w, v.ID); err != nil {
				return 0, err
			}
		}
		row.Name, row.Body = v.Name, string(body)
		if err := w.Save(&row).Error; err != nil {
			return 0, err
		}
		return row.ID, w.Say("rule kept", map[string]any{"rule": v.Name, "says": json.RawMessage(body)})
	})
}

// offRule gives a rule that is off.
func offRule(w *desk.Work, id int64) (row store.DecisionRule, err error) {
	if err := w.Where("id = ?", id).Limit(1).Find(&row).Error; err != nil {
		return row, err
	}
	switch {
	case row.ID == 0:
		return row, desk.Missing("The rule")
	case row.IsOn:
		return row, desk.Refuse("%q is on. Turn it off first.", row.Name)
	}
	return row, nil
}

// DropRule lets go of a rule that is off. What it has decided stays.
func (d *Room) DropRule(ctx context.Context, p desk.Person, id int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		row, err := offRule(w, id)
		if err != nil {
			return none, err
		}
		if err := w.Delete(&row).Error; err != nil {
			return none, err
		}
		return none, w.Say("rule let go", map[string]any{"rule": row.Name, "says": json.RawMessage(row.Body)})
	})
	return err
}

// TurningRule turns a rule on, after its trial was seen, or off.
type TurningRule struct {
	On    bool           `json:"on"`
	Lines int            `json:"lines" doc:"how many lines the trial said that it would have decided"`
	Gross quantity.Money `json:"gross" doc:"and what they are worth, as absolute values"`
}

// TurnRule turns a rule on or off. It is turned on after its trial was seen as it is now, and where it contradicts none that is on.
func (d *Room) TurnRule(ctx context.Context, p desk.Person, id int64, x TurningRule) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		var row store.DecisionRule
		if err := w.Where("id = ?", id).Limit(1).Find(&row).Error; err != nil {
			return none, err
		}
		if row.ID == 0 {
			return none, desk.Missing("The rule")
		}
		if !x.On {
			row.IsOn, row.OnBy, row.OnAt = false, "", 0
			if err := w.Save(&row).Error; err != nil {
				return none, err
			}
			return none, w.Say("rule off", map[string]any{"rule": row.Name})
		}
		v, err := viewOf(&row)
		if err != nil {
			return none, err
		}
		if err := checked(w.Tx, &v); err != nil {
			return none, err
		}
		own := v.rule()
		var on []store.DecisionRule
		if err := w.Where("is_on = 1 AND id <> ?", id).Order("name").Find(&on).Error; err != nil {
			return none, err
		}
		for i := range on {
			o, err := viewOf(&on[i])
			if err != nil {
				return none, err
			}
			other := o.rule()
			if example, do := ruling.Contradict(&own, &other); do {
				return none, desk.RefuseAs(desk.Invalid, "rule", "It contradicts %q, which is on: of %s one says %s, the other %s. Turn that off, or let them be about different lines.",
					o.Name, example, saying(&own), saying(&other))
			}
		}
		t, err := tryRule(ctx, w.Tx, &own)
		if err != nil {
			return none, err
		}
		if t.Lines != x.Lines || t.Gross != x.Gross {
			return none, desk.RefuseAs(desk.Changed, "rule", "Its trial comes to %s now, worth %s, not to %d worth %s. Look at it again; it was not turned on.",
				desk.Plural(t.Lines, "line", "lines"), t.Gross, x.Lines, x.Gross)
		}
		row.IsOn, row.OnBy, row.OnAt = true, w.Person.Name, w.Now
		if err := w.Save(&row).Error; err != nil {
			return none, err
		}
		return none, w.Say("rule on", map[string]any{"rule": row.Name, "says": json.RawMessage(row.Body), "tried": t.Lines, "gross": t.Gross.String()})
	})
	if err == nil && x.On {
		d.ruleRunning(ctx)
	}
	return err
}

// saying is what a rule does, in words.
func saying(r *ruling.Rule) string {
	what := map[variance.Decision]string{variance.Accepted: "accept", variance.Held: "hold"}[r.Then]
	if r.Reason != "" {
		what += " for " + r.Reason
	}
	return what
}

// RuleTrial is what a rule would have decided in counts that are there.
type RuleTrial struct {
	Lines  int              `json:"lines"`
	Gross  quantity.Money   `json:"gross"`
	Counts []RuleTrialCount `json:"counts" doc:"the latest first"`
}

// RuleTrialCount is what a rule would have decided in one count, and what people decided there.
type RuleTrialCount struct {
	Count     int64          `json:"count"`
	Name      string         `json:"name"`
	At        time.Time      `json:"at" doc:"its freeze"`
	Lines     int            `json:"lines"`
	Gross     quantity.Money `json:"gross"`
	Same      int            `json:"same" doc:"of them, decided so by people, too"`
	Otherwise int            `json:"otherwise" doc:"of them, decided otherwise"`
	Open      int            `json:"open" doc:"of them, not decided"`
	Examples  []RuleExample  `json:"examples" doc:"the heaviest that were decided otherwise; where there are none, of all"`
}

// RuleExample is one line of a trial.
type RuleExample struct {
	Pos      int64             `json:"pos"`
	Bin      string            `json:"bin"`
	SKU      string            `json:"sku"`
	Variance quantity.Quantity `json:"variance"`
	Value    *quantity.Money   `json:"value"`
	Decision string            `json:"decision" enum:",accept,hold"`
	Reason   string            `json:"reason"`
}

// How many counts a trial goes over, and how many examples it gives of each.
const (
	triedCounts   = 12
	triedExamples = 5
)

// TryRule tells what a rule would have decided in the last counts. It need not be kept.
func (d *Room) TryRule(ctx context.Context, p desk.Person, v RuleView) (t RuleTrial, err error) {
	if err := desk.Allow(p, desk.Decide); err != nil {
		return t, err
	}
	tx := d.Store.Read(ctx)
	if err := checked(tx, &v); err != nil {
		return t, err
	}
	r := v.rule()
	return tryRule(ctx, tx, &r)
}

func tryRule(ctx context.Context, tx *gorm.DB, r *ruling.Rule) (t RuleTrial, err error) {
	t.Counts = []RuleTrialCount{}
	var counts []store.Count
	err = tx.Where("state IN ?", store.Shown).Order("frozen_at DESC, id DESC").Limit(triedCounts).Find(&counts).Error
	if err != nil {
		return t, err
	}
	for i := range counts {
		c, err := tryIn(ctx, tx, &counts[i], r)
		if err != nil {
			return t, err
		}
		sum, ok := quantity.AddMoney(t.Gross, c.Gross)
		if !ok {
			return t, count.TooMuch()
		}
		t.Lines, t.Gross, t.Counts = t.Lines+c.Lines, sum, append(t.Counts, c)
	}
	return t, nil
}

// tryIn tries a rule on a count as it stands, as if nothing was decided in it.
func tryIn(ctx context.Context, tx *gorm.DB, c *store.Count, r *ruling.Rule) (t RuleTrialCount, err error) {
	t = RuleTrialCount{Count: c.ID, Name: c.Name, At: desk.Instant(c.FrozenAt), Examples: []RuleExample{}}
	x, err := explain(ctx, tx, c)
	if err != nil {
		return t, err
	}
	lines, err := x.ruled(tx, c, true)
	if err != nil {
		return t, err
	}
	decided := map[int64][2]string{}
	err = store.Each(tx, `SELECT l.pos, l.decision, l.reason FROM count_lines l WHERE l.count_id = ? AND l.stake > 0 AND l.queue > 1 AND l.queue > 0
		UNION ALL SELECT p.pos, 'accept', p.reason FROM posting_lines p JOIN postings g ON g.id = p.posting_id WHERE g.count_id = ?`,
		[]driver.Value{c.ID, c.ID}, func(v []driver.Value) error {
			kind, _ := v[1].(string)
			reason, _ := v[2].(string)
			decided[v[0].(int64)] = [2]string{kind, reason}
			return nil
		})
	if err != nil {
		return t, err
	}
	var otherwise, all []RuleExample
	for i := range lines {
		if !r.Applies(lines, i) {
			continue
		}
		l, pos := &x.in.Lines[i], x.pos[i]
		sum, ok := quantity.AddMoney(t.Gross, lines[i].Value.Abs())
		if !ok {
			return t, count.TooMuch()
		}
		t.Lines, t.Gross = t.Lines+1, sum
		was, is := decided[pos]
		e := RuleExample{Pos: pos, Bin: x.bin(l), SKU: x.sku(l), Variance: l.Variance, Decision: was[0], Reason: was[1]}
		if v := lines[i].Value; lines[i].Valued {
			e.Value = &v
		}
		all = append(all, e)
		switch {
		case !is:
			t.Open++
		case was[0] == string(r.Then) && (r.Then == variance.Held || was[1] == r.Reason):
			t.Same++
		default:
			t.Otherwise++
			otherwise = append(otherwise, e)
		}
	}
	if len(otherwise) > 0 {
		all = otherwise
	}
	weight := func(e RuleExample) quantity.Money {
		if e.Value == nil {
			return 0
		}
		return e.Value.Abs()
	}
	slices.SortStableFunc(all, func(a, b RuleExample) int { return cmp.Compare(weight(b), weight(a)) })
	t.Examples = append(t.Examples, all[:min(len(all), triedExamples)]...)
	return t, nil
}

// ruled gives the explained lines of a count as rules see them, in their order. whole: with their variances, as if nothing was decided;
// else with what is open of them and free to be decided by a rule: not what somebody took back by hand, nor what is still being
// counted.
func (x *explained) ruled(tx *gorm.DB, c *store.Count, whole bool) ([]ruling.Line, error) {
	out := make([]ruling.Line, len(x.pos))
	at := make(map[int64]int, len(x.pos))
	aisle := cause.SameAisle(x.in)
	for i, pos := range x.pos {
		at[pos] = i
		l := &x.in.Lines[i]
		out[i] = ruling.Line{Expected: l.Expected, Other: -1}
		if e := x.of(pos); e != nil {
			out[i].Cause, out[i].Grade = e.Cause, e.Grade
			if e.Other >= 0 {
				o := e.Other
				if o == i {
					o = e.Line
				}
				out[i].Other, out[i].Aisle = o, aisle(l.Key, x.in.Lines[o].Key)
			}
		}
	}
	busy := map[int64]int{}
	if !whole {
		var err error
		if busy, err = count.BeingRecounted(tx, c.ID); err != nil {
			return nil, err
		}
	}
	// The last word about a line on the same figures by a person, that takes a decision back, stands over every rule.
	q := `SELECT l.pos, l.variance, l.value, l.rest, l.rest_value, l.queue, coalesce(i.class, ''), coalesce(i.category, ''),
		coalesce(s.state = 'out' AND s.counted < s.lines, 0), l.pending,
		coalesce((SELECT d.kind = '' AND d.rule = '' AND d.quantity = l.rest FROM decisions d WHERE d.count_id = l.count_id AND d.pos = l.pos
			ORDER BY d.id DESC LIMIT 1), 0), l.stake, ` + count.Waits + `
		FROM count_lines l LEFT JOIN count_items i ON i.count_id = l.count_id AND i.item_id = l.item_id LEFT JOIN sheets s ON s.id = l.sheet_id
		WHERE l.count_id = ? AND l.stake > 0 AND l.status IN ('over', 'short', 'found')`
	err := store.Each(tx, q, []driver.Value{c.ID}, func(v []driver.Value) error {
		n := func(i int) int64 { x, _ := v[i].(int64); return x }
		i, is := at[n(0)]
		if !is {
			return nil
		}
		r := &out[i]
		r.Class, _ = v[6].(string)
		r.Category, _ = v[7].(string)
		open, value := n(1), v[2]
		if !whole {
			open, value = n(3), v[4]
			_, again := busy[n(0)]
			if again || n(5) != store.QueueOpen || n(8) != 0 || n(9) != 0 || n(10) != 0 || n(11) == store.Disputed || n(12) != 0 {
				open = 0
			}
		}
		r.Open = quantity.Quantity(open)
		var money int64
		money, r.Valued = value.(int64)
		r.Value = quantity.Money(money)
		return nil
	})
	return out, err
}

// errNothing ends work that has nothing to do.
var errNothing = errors.New("nothing to do")

// RunRules lets the rules that are on decide what they are about in a running count, and gives how many lines they decided.
func (d *Room) RunRules(ctx context.Context, countID int64) (n int, err error) {
	tx := d.Store.Read(ctx)
	var on []store.DecisionRule
	if err := tx.Where("is_on = 1").Order("name").Find(&on).Error; err != nil || len(on) == 0 {
		return 0, err
	}
	rules := make([]ruling.Rule, len(on))
	for i := range on {
		v, err := viewOf(&on[i])
		if err != nil {
			return 0, err
		}
		rules[i] = v.rule()
	}
	find := func(tx *gorm.DB, c *store.Count) (x *explained, by [][]int64, n int, err error) {
		if x, err = explain(ctx, tx, c); err != nil {
			return nil, nil, 0, err
		}
		lines, err := x.ruled(tx, c, false)
		by = make([][]int64, len(on))
		for i, r := range ruling.Decide(rules, lines) {
			if r >= 0 {
				by[r] = append(by[r], x.pos[i])
				n++
			}
		}
		return x, by, n, err
	}
	c, err := desk.CountRow(tx, countID)
	if err != nil || c.State != store.Running {
		return 0, err
	}
	if _, _, n, err := find(tx, c); err != nil || n == 0 {
		return 0, err
	}
	// They are worked out again where nothing else is written meanwhile.
	n, err = desk.DoAs(ctx, d.Desk, desk.Itself, "decide by rule", desk.Key{}, func(w *desk.Work) (int, error) {
		var still int64
		for _, r := range on {
			if err := w.Model(&store.DecisionRule{}).Where("id = ? AND is_on = 1 AND body = ?", r.ID, r.Body).Count(&still).Error; err != nil || still == 0 {
				return 0, cmp.Or(err, errNothing) // it was turned off meanwhile
			}
		}
		c, err := w.Running(countID)
		if err != nil {
			return 0, err
		}
		x, by, n, err := find(w.Tx, c)
		if err != nil || n == 0 {
			return 0, cmp.Or(err, errNothing)
		}
		said := map[string]any{"count": c.ID, "lines": n}
		for i, positions := range by {
			if len(positions) == 0 {
				continue
			}
			lines, err := count.LinesAt(w, c, positions)
			if err != nil {
				return 0, err
			}
			by := count.Decision{Kind: string(rules[i].Then), Reason: rules[i].Reason, Rule: on[i].Name, Person: on[i].OnBy}
			if _, err := count.Decide(w, c, lines, by); err != nil {
				return 0, err
			}
			said[on[i].Name] = len(positions)
			if !rules[i].Pairs() {
				continue
			}
			var pairs []store.CauseAccepted // of two lines that were accepted as one transfer that is remembered
			for k := range lines {
				l := &lines[k]
				e := x.of(l.Pos)
				if x.pos[e.Line] != l.Pos || rules[i].Then != variance.Accepted {
					continue
				}
				row := x.accepted(w, c, l, e)
				row.Other, row.Person = x.pos[e.Other], on[i].OnBy
				pairs = append(pairs, row)
			}
			if err := remember(w, pairs); err != nil {
				return 0, err
			}
		}
		return n, w.Say("decided by rule", said)
	})
	if errors.Is(err, errNothing) {
		err = nil
	}
	return n, err
}

// ruler lets rules decide behind what was answered, whenever a count has changed.
type ruler struct {
	mu      sync.Mutex
	waiting map[int64]bool // by count: true where it changed since its run began
	quiet   time.Duration  // between two runs over one count
}

// afterChange lets rules decide in a count that has changed. What changes while they do is looked at in one more run.
func (d *Room) afterChange(id int64) {
	d.ruler.mu.Lock()
	defer d.ruler.mu.Unlock()
	if _, runs := d.ruler.waiting[id]; runs {
		d.ruler.waiting[id] = true
		return
	}
	d.ruler.waiting[id] = false
	d.Behind(func() {
		for {
			_, _ = d.RunRules(context.Background(), id) // what cannot be decided stays for people
			d.ruler.mu.Lock()
			again := d.ruler.waiting[id]
			if d.ruler.waiting[id] = false; !again {
				delete(d.ruler.waiting, id)
			}
			d.ruler.mu.Unlock()
			if !again {
				return
			}
			d.Pause(d.ruler.quiet)
		}
	})
}

// ruleRunning lets rules decide in all running counts.
func (d *Room) ruleRunning(ctx context.Context) {
	var ids []int64
	if err := d.Store.Read(ctx).Model(&store.Count{}).Where("state = ?", store.Running).Pluck("id", &ids).Error; err != nil {
		return
	}
	for _, id := range ids {
		d.afterChange(id)
	}
}
