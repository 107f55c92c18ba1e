package variances

import (
	"context"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// Elsewhere lists what other counts of the warehouse sent out of lines of a count since its stock was recorded: the records had
// it then, or still take it in, and until that is said nothing of these lines goes out.
func (d *Room) Elsewhere(ctx context.Context, p desk.Person, countID int64) ([]count.Elsewhere, error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	return count.SentElsewhere(c.Tx, c.Count)
}

// AnswerElsewhere says of postings of other counts whether the records had them when the stock of a count was recorded, or still
// take them in; then what they sent is reckoned in. The latest answer stands.
func (d *Room) AnswerElsewhere(ctx context.Context, p desk.Person, countID int64, postings []int64, answer string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if err := count.AnswerElsewhere(w, c, postings, answer); err != nil {
			return none, err
		}
		return none, w.Say("sent elsewhere", map[string]any{"count": c.ID, "postings": postings, "answer": answer})
	})
	return err
}
