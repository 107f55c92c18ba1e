package desk

import (
	"context"
	"errors"
	"sync"
	"time"
)

// Job is a piece of work that takes longer than a moment: how far it is, and what came of it. It goes on when the page is closed.
type Job struct {
	ID     int64      `json:"id"`
	Text   string     `json:"text" doc:"what is done"`
	Person string     `json:"person"`
	Draft  string     `json:"draft" doc:"the dropped file that it is about; empty for none"`
	Count  int64      `json:"count" doc:"the count that it is about; 0 for none"`
	Done   int        `json:"done"`
	Of     int        `json:"of" doc:"0 where that is not known"`
	Rows   int        `json:"rows" doc:"done so far"`
	Began  time.Time  `json:"began"`
	Ended  *time.Time `json:"ended" doc:"null while it goes on"`
	Word   string     `json:"word" doc:"the last word: what came of it"`
	Wrong  bool       `json:"wrong" doc:"nothing came of it"`
	Stops  bool       `json:"stops" doc:"it can be cancelled"`
}

// Jobs are those that go on, and the last ones that ended.
type Jobs struct {
	mu   sync.Mutex
	list []*Running // the latest last
	last int64
}

// keptJobs is how many that ended are kept, and brief how long one takes that is not worth a word.
const (
	keptJobs = 30
	brief    = time.Second
)

// Running is a job in the hands of whoever does it.
type Running struct {
	desk   *Desk
	job    Job
	person int64
	cancel func()
	began  time.Time // of the machine's clock, for how fast it goes
}

// Begin begins a job of somebody. cancel ends it; nil where it cannot be ended.
func (d *Desk) Begin(p Person, text string, cancel func()) *Running {
	j := &d.Jobs
	j.mu.Lock()
	defer j.mu.Unlock()
	j.last++
	r := &Running{desk: d, person: p.ID, cancel: cancel, began: time.Now(),
		job: Job{ID: j.last, Text: text, Person: p.Name, Began: d.Now().UTC(), Stops: cancel != nil}}
	j.list = append(j.list, r)
	return r
}

// About says which dropped file and which count the job is about.
func (r *Running) About(draft string, count int64) *Running {
	r.desk.Jobs.mu.Lock()
	defer r.desk.Jobs.mu.Unlock()
	r.job.Draft, r.job.Count = draft, count
	return r
}

// Progress tells how far it is, and how many rows that are.
func (r *Running) Progress(done, of, rows int) {
	r.desk.Jobs.mu.Lock()
	r.job.Done, r.job.Of, r.job.Rows = done, of, rows
	e := Event{What: "progress", Job: r.job.ID, Draft: r.job.Draft, Count: r.job.Count, Text: r.job.Text, Done: done, Of: of, Rows: rows,
		Since: int(time.Since(r.began).Milliseconds())}
	r.desk.Jobs.mu.Unlock()
	r.desk.Events.Tell(e)
}

// End ends the job with its last word, or with what went wrong. One that was over in a moment, and went well, is not kept unless keep is
// said.
func (r *Running) End(word string, err error, keep bool) {
	j := &r.desk.Jobs
	j.mu.Lock()
	at := r.desk.Now().UTC()
	r.job.Ended, r.job.Word, r.job.Stops = &at, word, false
	r.cancel = nil // it may hold all that was worked on
	switch {
	case errors.Is(err, context.Canceled):
		r.job.Word, r.job.Wrong = "It was cancelled. Nothing of it was kept.", true
	case err != nil:
		r.job.Word, r.job.Wrong = SentenceOf(InWords(err)), true
	}
	drop := time.Since(r.began) < brief && !keep
	ended, kept := 0, j.list[:0]
	for i := len(j.list) - 1; i >= 0; i-- {
		if j.list[i].job.Ended != nil {
			ended++
		}
	}
	for _, x := range j.list {
		if x == r && drop {
			continue
		}
		if x.job.Ended != nil && ended > keptJobs {
			ended--
			continue
		}
		kept = append(kept, x)
	}
	clear(j.list[len(kept):])
	j.list = kept
	j.mu.Unlock()
	r.desk.Events.Tell(Event{What: "job", Job: r.job.ID})
}

// Jobs gives what goes on and what ended lately, the latest first: what somebody began; to a controller what anybody did.
func (d *Desk) Running(p Person) ([]Job, error) {
	if err := Allow(p, Look); err != nil {
		return nil, err
	}
	all := Allow(p, TakeIn) == nil
	j := &d.Jobs
	j.mu.Lock()
	defer j.mu.Unlock()
	out := []Job{}
	for i := len(j.list) - 1; i >= 0; i-- {
		if r := j.list[i]; all || r.person == p.ID {
			out = append(out, r.job)
		}
	}
	return out, nil
}

// Stop cancels a job that one began, or, as a controller, anybody's.
func (d *Desk) Stop(p Person, id int64) error {
	if err := Allow(p, Look); err != nil {
		return err
	}
	j := &d.Jobs
	j.mu.Lock()
	defer j.mu.Unlock()
	for _, r := range j.list {
		if r.job.ID == id && (r.person == p.ID || Allow(p, TakeIn) == nil) {
			if r.job.Ended != nil || r.cancel == nil {
				return RefuseAs(Ended, "", "It has ended already, or cannot be cancelled.")
			}
			go r.cancel()
			return nil
		}
	}
	return Missing("This work")
}
