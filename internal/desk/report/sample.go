package report

import (
	"encoding/json"
	"fmt"
	"strings"

	"wobin/internal/core/quantity"
	"wobin/internal/core/sample"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// SampleView is what a sample says about the lines that it was drawn from.
type SampleView struct {
	count.Sample
	Drawn    int             `json:"drawn" doc:"lines of the sample"`
	Counted  int             `json:"counted" doc:"those of them that are counted, by the rule of the count; while some are not, nothing is shown"`
	Waiting  int             `json:"waiting" doc:"of the others, those that wait for the other of two rounds, or for the two to agree"`
	LetGo    int             `json:"let_go" doc:"and those that were let go, which nobody counts"`
	Bad      int             `json:"bad" doc:"those that are wrong, beyond what is let pass"`
	Least    int             `json:"least" doc:"of all lines so many are wrong at least, with the confidence"`
	Largest  int             `json:"largest" doc:"and so many at most"`
	Low      string          `json:"low" doc:"the record accuracy of all lines in per cent, at least"`
	High     string          `json:"high" doc:"and at most"`
	Shown    bool            `json:"shown" doc:"it is shown that the accuracy is above the figure"`
	Words    string          `json:"words" doc:"the result as a sentence"`
	Estimate *quantity.Money `json:"estimate" doc:"drawn by lines: the gross value of all variances, if they are as those of the sample"`
}

// missing says of lines of the sample that are not counted why they are not.
func (v *SampleView) missing() string {
	var parts []string
	if v.Waiting > 0 {
		parts = append(parts, desk.Plural(v.Waiting, "waits for the other round", "wait for the other round"))
	}
	if v.LetGo > 0 {
		parts = append(parts, desk.Plural(v.LetGo, "was let go and has to be taken up again", "were let go and have to be taken up again"))
	}
	if len(parts) == 0 {
		return ""
	}
	return " (" + strings.Join(parts, ", ") + ")"
}

// sampled states the result of a count that is a sample; nil where it is none. It is judged by the lines that were drawn, whatever became
// of them: what was added later, and what was counted beside them, says nothing.
func sampled(tx *store.Tx, c *store.Count) (*SampleView, error) {
	var scope count.Scope
	if err := json.Unmarshal([]byte(c.Scope), &scope); err != nil || scope.Sample == nil {
		return nil, err
	}
	v := &SampleView{Sample: *scope.Sample}
	drawn, err := store.DrawnOf(tx, c.ID, v.Sample.Picked) // a count of before did not note how many they were
	if err != nil {
		return nil, err
	}
	v.Drawn, v.Counted, v.Waiting, v.LetGo, v.Bad = drawn.Lines, drawn.Counted, drawn.Pending, drawn.Gone, drawn.Off
	if v.Counted < v.Drawn || v.Drawn == 0 {
		v.Words = fmt.Sprintf("%d of the %d lines of the sample are not counted yet%s, so it shows nothing.", v.Drawn-v.Counted, v.Drawn, v.missing())
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
	if drawn.Unvalued == 0 {
		if total, ok := sample.Project(drawn.Gross, v.Of, v.Drawn); ok {
			m := quantity.Money(total)
			v.Estimate = &m
		}
	}
	return v, nil
}
