package web

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
)

// still tells whether the session of a request that goes on is there, and lets its person in.
func (s *Server) still(r *http.Request) bool {
	c, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return false
	}
	_, found, err := s.kept().Find(c.Value)
	_, in := s.signedIn(r.Context())
	return err == nil && found && in
}

// events streams what changes to an open window (server-sent events).
func (s *Server) events(c *gin.Context) {
	events, end, err := s.desk.Listen(person(c.Request.Context()))
	if err != nil {
		fail(c, problem(err))
		return
	}
	defer end()
	c.Header("Content-Type", "text/event-stream")
	c.Header("X-Accel-Buffering", "no")
	c.Writer.WriteHeader(http.StatusOK)
	_, _ = io.WriteString(c.Writer, ": here\n\n")
	c.Writer.Flush()
	beat := time.NewTicker(10 * time.Second)
	defer beat.Stop()
	for {
		select {
		case <-c.Request.Context().Done():
			return
		case <-beat.C:
			if !s.still(c.Request) { // its session has ended meanwhile
				return
			}
			_, _ = io.WriteString(c.Writer, ": still here\n\n")
		case e := <-events:
			if e.What == "people" && !s.still(c.Request) {
				return
			}
			b, err := json.Marshal(e)
			if err != nil {
				return
			}
			if _, err := fmt.Fprintf(c.Writer, "data: %s\n\n", b); err != nil {
				return
			}
		}
		c.Writer.Flush()
	}
}
