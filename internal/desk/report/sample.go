package report

import (
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/sample"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// SampleView is what a sample says about the lines that it was drawn from.
type SampleView struct {
	count.Sample
	Drawn    int             `json:"drawn" doc:"lines of the sample"`
	Counted  int             `json:"counted" doc:"those of them that are counted; while some are not, nothing is shown"`
	Bad      int             `json:"bad" doc:"those that are wrong, beyond what is let pass"`
	Least    int             `json:"least" doc:"of all lines so many are wrong at least, with the confidence"`
	Largest  int             `json:"largest" doc:"and so many at most"`
	Low      string          `json:"low" doc:"the record accuracy of all lines in per cent, at least"`
	High     string          `json:"high" doc:"and at most"`
	Shown    bool            `json:"shown" doc:"it is shown that the accuracy is above the figure"`
	Words    string          `json:"words" doc:"the result as a sentence"`
	Estimate *quantity.Money `json:"estimate" doc:"drawn by lines: the gross value of all variances, if they are as those of the sample"`
}

// sampled states the result of a count that is a sample; nil where it is none. What was counted beside the lines that
// were drawn says nothing.
func sampled(tx *gorm.DB, c *store.Count) (*SampleView, error) {
	var scope count.Scope
	if err := json.Unmarshal([]byte(c.Scope), &scope); err != nil || scope.Sample == nil {
		return nil, err
	}
	v := &SampleView{Sample: *scope.Sample}
	var gross, unvalued int64
	if err := tx.Raw(`SELECT count(*), coalesce(sum(entries > 0), 0), coalesce(sum(status IN ('over', 'short')), 0), coalesce(sum(abs(value)), 0),
		coalesce(sum(cost IS NULL), 0) FROM count_lines WHERE count_id = ? AND has_row = 1`, c.ID).
		Row().Scan(&v.Drawn, &v.Counted, &v.Bad, &gross, &unvalued); err != nil {
		return nil, err
	}
	if v.Counted < v.Drawn || v.Drawn == 0 {
		v.Words = fmt.Sprintf("%d of the %d lines of the sample are not counted yet, so it shows nothing.", v.Drawn-v.Counted, v.Drawn)
		return v, nil
	}
	if v.By == "value" { // lines were not as likely as one another, so their number says nothing about that of all
		v.Words = fmt.Sprintf(
			"%d of %d lines are wrong. They were drawn by value, so they say nothing about the number of wrong lines among all %d.",
			v.Bad,
			v.Drawn,
			v.Of,
		)
		return v, nil
	}
	found := sample.Found{All: v.Of, Drawn: v.Drawn, Wrong: v.Bad}
	v.Least, v.Largest = found.Interval(v.Confidence)
	v.Low, v.High = sample.Percent(v.Of-v.Largest, v.Of), sample.Percent(v.Of-v.Least, v.Of)
	v.Shown = found.Above(v.Accuracy*10, v.Confidence)
	sure := fmt.Sprintf("%d.%d %%", v.Confidence/10, v.Confidence%10)
	figure := fmt.Sprintf("%d.%02d %%", v.Accuracy/100, v.Accuracy%100)
	v.Words = fmt.Sprintf(
		"%d of %d lines are wrong. With %s confidence %d to %d of all %d are: an accuracy of %s to %s %%. ",
		v.Bad,
		v.Drawn,
		sure,
		v.Least,
		v.Largest,
		v.Of,
		v.Low,
		v.High,
	)
	if v.Shown {
		v.Words += fmt.Sprintf("It is shown, with %s confidence, that it is above %s.", sure, figure)
	} else {
		v.Words += fmt.Sprintf("It is not shown that it is above %s.", figure)
	}
	if unvalued == 0 {
		if total, ok := sample.Project(gross, v.Of, v.Drawn); ok {
			m := quantity.Money(total)
			v.Estimate = &m
		}
	}
	return v, nil
}
