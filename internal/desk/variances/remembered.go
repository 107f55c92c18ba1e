package variances

import (
	"encoding/json"
	"sync"
)

// answers keeps what was worked out of all lines of a count while neither the count nor the records change: it is asked for by every window
// and after every key, and takes long for very many variances.
type answers struct {
	mu sync.Mutex
	of map[int64]*countAnswers
}

type countAnswers struct {
	version, records int64
	given            map[string]any
}

// mostAnswers is how many answers of a count are kept.
const mostAnswers = 60

func (a *answers) forget() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.of = nil
}

// remembered gives what make makes of a count, as it was made last where nothing has changed since. what and by tell apart what is asked.
// Whoever gets it changes nothing of it.
func remembered[T any](d *Room, id int64, x *explained, what string, by any, make func() (T, error)) (T, error) {
	version, records := d.Version(id), d.Version(0)
	name, err := json.Marshal(by)
	if err != nil || x.working || x.version != version { // the causes are those of before
		return make()
	}
	key := what + string(name)
	a := &d.answers
	a.mu.Lock()
	of := a.of[id]
	if of != nil && of.version == version && of.records == records {
		if v, had := of.given[key].(T); had {
			a.mu.Unlock()
			return v, nil
		}
	}
	a.mu.Unlock()
	v, err := make()
	if err != nil {
		return v, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.of == nil || len(a.of) >= mostKept && a.of[id] == nil {
		a.of = map[int64]*countAnswers{}
	}
	if of = a.of[id]; of == nil || of.version != version || of.records != records || len(of.given) >= mostAnswers {
		of = &countAnswers{version, records, map[string]any{}}
		a.of[id] = of
	}
	of.given[key] = v
	return v, nil
}
