package desk

import (
	"sync"
)

// Event tells every open window that something has changed, and where.
type Event struct {
	What  string `json:"what"` // recorded, count, intake, progress, job
	Job   int64  `json:"job,omitempty"`
	Count int64  `json:"count,omitempty"`
	Draft string `json:"draft,omitempty"`
	Text  string `json:"text,omitempty"`
	Done  int    `json:"done,omitempty"`
	Of    int    `json:"of,omitempty"`
	Rows  int    `json:"rows,omitempty"`  // done so far
	Since int    `json:"since,omitempty"` // milliseconds since it began
}

// Events hands events to all who listen. A listener that does not keep up loses the oldest; it fetches anew.
type Events struct {
	mu        sync.Mutex
	listeners map[chan Event]bool
}

func newEvents() *Events { return &Events{listeners: map[chan Event]bool{}} }

// Listen gives a channel of events and what ends it.
func (e *Events) Listen() (<-chan Event, func()) {
	c := make(chan Event, 64)
	e.mu.Lock()
	e.listeners[c] = true
	e.mu.Unlock()
	return c, func() {
		e.mu.Lock()
		delete(e.listeners, c)
		e.mu.Unlock()
	}
}

// Listen gives a channel of events to somebody, and what ends it.
func (d *Desk) Listen(p Person) (<-chan Event, func(), error) {
	if err := Allow(p, Look); err != nil {
		return nil, nil, err
	}
	events, end := d.Events.Listen()
	return events, end, nil
}

// Tell hands an event to all.
func (e *Events) Tell(x Event) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for c := range e.listeners {
		select {
		case c <- x:
		default:
			select {
			case <-c:
			default:
			}
			select {
			case c <- x:
			default:
			}
		}
	}
}
