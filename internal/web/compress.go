package web

import (
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"
	"sync"
)

// accepts tells whether the other side takes an encoding.
func accepts(r *http.Request, encoding string) bool {
	for part := range strings.SplitSeq(r.Header.Get("Accept-Encoding"), ",") {
		name, q, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(name), encoding) && strings.ReplaceAll(q, " ", "") != "q=0" {
			return true
		}
	}
	return false
}

// packed serves the built front end, in the form that the other side takes: the build leaves each file beside itself as .br
// and .gz.
func packed(files fs.FS) func(w http.ResponseWriter, r *http.Request, name string) {
	return func(w http.ResponseWriter, r *http.Request, name string) {
		h := w.Header()
		h.Add("Vary", "Accept-Encoding")
		if t := mime.TypeByExtension(path.Ext(name)); t != "" {
			h.Set("Content-Type", t)
		}
		for _, form := range [][2]string{{"br", ".br"}, {"gzip", ".gz"}} {
			if b, err := fs.ReadFile(files, name+form[1]); err == nil && accepts(r, form[0]) {
				h.Set("Content-Encoding", form[0])
				h.Set("Content-Length", strconv.Itoa(len(b)))
				_, _ = w.Write(b)
				return
			}
		}
		b, err := fs.ReadFile(files, name)
		if err != nil {
			http.NotFound(w, r)
			return
		}
		h.Set("Content-Length", strconv.Itoa(len(b)))
		_, _ = w.Write(b)
	}
}

// compressed compresses the answers of operations on their way: those of the kind of JSON that have more than a packet's
// worth. Streams of events and files go as they are.
func compressed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, "/api/") || !accepts(r, "gzip") {
			next.ServeHTTP(w, r)
			return
		}
		z := &zipping{ResponseWriter: w}
		defer z.end()
		next.ServeHTTP(z, r)
	})
}

// least is how many bytes an answer must have to be worth compressing.
const least = 1400

var zippers = sync.Pool{New: func() any { z, _ := gzip.NewWriterLevel(nil, gzip.BestSpeed); return z }}

// zipping holds the first bytes of an answer back until it is known whether they are worth compressing.
type zipping struct {
	http.ResponseWriter
	status  int
	held    []byte
	decided bool
	z       *gzip.Writer
}

// Unwrap lets the standard library find what the connection can do.
func (z *zipping) Unwrap() http.ResponseWriter { return z.ResponseWriter }

// WriteHeader notes the status, which goes out with the first bytes.
func (z *zipping) WriteHeader(status int) {
	if z.status == 0 {
		z.status = status
	}
}

func (z *zipping) Write(b []byte) (int, error) {
	if z.status == 0 {
		z.status = http.StatusOK
	}
	if !z.decided {
		if z.held = append(z.held, b...); len(z.held) < least && strings.Contains(z.Header().Get("Content-Type"), "json") {
			return len(b), nil
		}
		return len(b), z.decide()
	}
	if z.z != nil {
		return z.z.Write(b)
	}
	return z.ResponseWriter.Write(b)
}

// decide sends what was held back, compressed or not.
func (z *zipping) decide() error {
	z.decided = true
	h := z.Header()
	if len(z.held) >= least && strings.Contains(h.Get("Content-Type"), "json") && h.Get("Content-Encoding") == "" {
		h.Set("Content-Encoding", "gzip")
		h.Add("Vary", "Accept-Encoding")
		h.Del("Content-Length")
		z.z = zippers.Get().(*gzip.Writer)
		z.z.Reset(z.ResponseWriter)
	}
	if z.status != 0 {
		z.ResponseWriter.WriteHeader(z.status)
	}
	var err error
	switch {
	case len(z.held) == 0:
	case z.z != nil:
		_, err = z.z.Write(z.held)
	default:
		_, err = z.ResponseWriter.Write(z.held)
	}
	z.held = nil
	return err
}

// Flush sends what there is, as streams of events want it.
func (z *zipping) Flush() {
	if !z.decided {
		_ = z.decide()
	}
	if z.z != nil {
		_ = z.z.Flush()
	}
	_ = http.NewResponseController(z.ResponseWriter).Flush()
}

func (z *zipping) end() {
	if r := recover(); r != nil { // what broke off must not look whole
		panic(r)
	}
	if !z.decided {
		_ = z.decide()
	}
	if z.z != nil {
		_ = z.z.Close()
		zippers.Put(z.z)
	}
}
