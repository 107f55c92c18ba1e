package web

import (
	"io"
	"net/http"
	"time"
)

// A body comes in steadily: a piece within a minute, all of it within two hours. Whoever lets it drip holds a connection and a file open.
const (
	pieceWithin = time.Minute
	bodyWithin  = 2 * time.Hour
)

// steadily gives a request's body a time limit. Servers that know none, as in tests, go without.
func steadily(w http.ResponseWriter, r *http.Request) {
	if r.Body != nil && r.Body != http.NoBody {
		r.Body = &steady{r.Body, http.NewResponseController(w), time.Now().Add(bodyWithin), pieceWithin}
	}
}

type steady struct {
	io.ReadCloser
	of    *http.ResponseController
	end   time.Time
	piece time.Duration
}

// Read reads with a deadline, which is gone where nothing more is read: behind the body the connection is watched, and may be quiet.
func (s *steady) Read(p []byte) (int, error) {
	by := time.Now().Add(s.piece)
	if by.After(s.end) {
		by = s.end
	}
	_ = s.of.SetReadDeadline(by)
	n, err := s.ReadCloser.Read(p)
	if err != nil {
		_ = s.of.SetReadDeadline(time.Time{})
	}
	return n, err
}

// steadyWriter lets an answer go out steadily: whoever does not take a piece within a minute gets no more, for what it is made from is held
// meanwhile.
// end lifts the limit, for the connection serves further requests.
func steadyWriter(w io.Writer) (out io.Writer, end func()) {
	rw, ok := w.(http.ResponseWriter)
	if !ok {
		return w, func() {}
	}
	of := http.NewResponseController(rw)
	return &steadyAnswer{w, of}, func() { _ = of.SetWriteDeadline(time.Time{}) }
}

type steadyAnswer struct {
	io.Writer
	of *http.ResponseController
}

func (s *steadyAnswer) Write(p []byte) (int, error) {
	_ = s.of.SetWriteDeadline(time.Now().Add(pieceWithin))
	return s.Writer.Write(p)
}
