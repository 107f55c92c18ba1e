// Package web is the server: operations with their OpenAPI description, sessions, the event stream, uploads and
// downloads, and the embedded front end. It asks the desk for everything and computes nothing.
package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"wobin/internal/clock"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/store"
)

// Server answers requests for one desk.
type Server struct {
	desk     *house.House
	sessions *scs.SessionManager
	api      huma.API
	handler  http.Handler
	hashing  *hashing
	attempts *attempts
	known    *known
	secure   bool
	raw      []string // what is no JSON, as method and path
}

// Options of a server.
type Options struct {
	Secure bool     // served under TLS: the cookie is sent under TLS only, and browsers are told to come under TLS alone
	Front  fs.FS    // the built front end; nil for none
	Hosts  []string // names that it goes by, beside localhost, the machine's own name and all addresses
}

// New makes a server.
func New(d *house.House, s *store.Store, opt Options) *Server {
	w := &Server{desk: d, sessions: scs.New(), hashing: newHashing(), attempts: newAttempts(d.Now), known: newKnown(), secure: opt.Secure}
	w.sessions.Lifetime = 14 * 24 * time.Hour // no idle time-out: it would write at every request
	w.sessions.Cookie.Name, w.sessions.Cookie.HttpOnly, w.sessions.Cookie.SameSite, w.sessions.Cookie.Secure = "wobin", true,
		http.SameSiteLaxMode, opt.Secure
	if s != nil {
		w.sessions.Store = &store.Sessions{Store: s, Now: d.Now}
	}
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.Use(recovered, headers)
	huma.DefaultArrayNullable = false // lists are empty, never null
	cfg := huma.DefaultConfig("Wobin", "0.1.0")
	cfg.DocsPath, cfg.OpenAPIPath, cfg.SchemasPath = "", "", ""
	cfg.CreateHooks = nil // no links to schemas in answers
	cfg.Info.Description = "What the screens of Wobin call. Quantities, costs and money are decimal strings."
	w.api = humagin.New(g, cfg)
	w.register()
	operations := map[string]bool{}
	for _, r := range g.Routes() {
		operations[r.Method+" "+r.Path] = true
	}
	w.registerRaw(g)
	for _, r := range g.Routes() {
		if is := r.Method + " " + r.Path; !operations[is] {
			w.raw = append(w.raw, is)
		}
	}
	if opt.Front != nil {
		front(g, opt.Front)
	}
	guard := http.NewCrossOriginProtection()
	w.handler = compressed(hosted(opt, w.session(guard.Handler(w.signedInFirst(g)))))
	return w
}

// Description is the OpenAPI description of the operations.
func Description() ([]byte, error) {
	d, err := house.New(nil, clock.Now)
	if err != nil {
		return nil, err
	}
	s := New(d, nil, Options{})
	b, err := json.MarshalIndent(s.api.OpenAPI(), "", "  ")
	return append(b, '\n'), err
}

// LayoutSchema is the JSON Schema of layouts, made from the code.
func LayoutSchema() ([]byte, error) {
	return schemaOf(reflect.TypeFor[intake.Layout](), "Layout", intake.LayoutSchemaName, "Layout of a file that Wobin takes in")
}

// OutLayoutSchema is the JSON Schema of layouts of files out, made from the code.
func OutLayoutSchema() ([]byte, error) {
	return schemaOf(reflect.TypeFor[adjustments.OutLayout](), "OutLayout", adjustments.LayoutSchemaName, "Layout of the files of a posting")
}

func schemaOf(t reflect.Type, name, id, title string) ([]byte, error) {
	r := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	top := r.Schema(t, false, name)
	defs := r.Map()
	delete(defs, name)
	b, err := json.Marshal(top)
	if err != nil {
		return nil, err
	}
	var out map[string]any
	if err := json.Unmarshal(b, &out); err != nil {
		return nil, err
	}
	out["$schema"], out["$id"], out["title"], out["$defs"] = "https://json-schema.org/draft/2020-12/schema", id, title, defs
	b, err = json.MarshalIndent(out, "", "  ")
	return append(b, '\n'), err
}

// ServeHTTP answers one request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

func recovered(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			if err, ok := r.(error); ok && errors.Is(err, http.ErrAbortHandler) {
				panic(r)
			}
			if c.Writer.Written() { // part of an answer is out: it must not pass for whole
				slog.Error("a request failed half way", "path", c.FullPath(), "panic", fmt.Sprint(r))
				panic(http.ErrAbortHandler)
			}
			slog.Error("a request failed", "path", c.FullPath(), "panic", fmt.Sprint(r))
			c.AbortWithStatusJSON(
				http.StatusInternalServerError,
				gin.H{"title": "Something went wrong here. Nothing was changed.", "status": 500},
			)
		}
	}()
	c.Next()
}

func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set(
		"Content-Security-Policy",
		"default-src 'self'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
	)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

// front serves the built front end; every path that is no file is the application's own.
func front(g *gin.Engine, files fs.FS) {
	assets := packed(files)
	g.NoRoute(func(c *gin.Context) {
		path := strings.TrimPrefix(c.Request.URL.Path, "/")
		if strings.HasPrefix(path, "api/") {
			c.JSON(http.StatusNotFound, gin.H{"title": "There is no such thing here.", "status": 404})
			return
		}
		if info, err := fs.Stat(files, path); path == "" || err != nil || info.IsDir() {
			page, err := fs.ReadFile(files, "index.html")
			if err != nil {
				c.String(http.StatusNotFound, "The front end is not built. Run make build.")
				return
			}
			c.Header("Cache-Control", "no-cache")
			c.Data(http.StatusOK, "text/html; charset=utf-8", page)
			return
		}
		if strings.HasPrefix(path, "assets/") {
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		c.Status(http.StatusOK)
		assets(c.Writer, c.Request, path)
	})
}

// free are the operations for whoever is not signed in.
var free = map[string]bool{"GET /api/me": true, "POST /api/session": true, "DELETE /api/session": true, "POST /api/owner": true, "POST /api/join": true,
	"POST /api/invitation": true}

// signedInFirst answers whoever is not signed in before anything of what they send is looked at; and who asks for what can have no name.
func (s *Server) signedInFirst(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.ContainsRune(r.URL.Path, 0) {
			answer(w, huma.Error404NotFound("There is no such thing here."))
			return
		}
		if strings.HasPrefix(r.URL.Path, "/api/") && !free[r.Method+" "+r.URL.Path] {
			if _, ok := s.signedIn(r.Context()); !ok {
				answer(w, huma.Error401Unauthorized("Sign in first."))
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

func answer(w http.ResponseWriter, e huma.StatusError) {
	h := w.Header()
	h.Set("Content-Type", "application/problem+json")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "no-store")
	h.Set("Connection", "close") // else the rest of what is sent would be waited for before this goes out
	w.WriteHeader(e.GetStatus())
	_ = json.NewEncoder(w).Encode(e)
}

type personKey struct{}

func person(ctx context.Context) desk.Person {
	p, _ := ctx.Value(personKey{}).(desk.Person)
	return p
}

// signedIn finds who asks; ok is false where nobody is signed in.
func (s *Server) signedIn(ctx context.Context) (p desk.Person, ok bool) {
	id := s.sessions.GetInt64(ctx, "person")
	if id == 0 {
		return p, false
	}
	p, err := s.desk.People.WhoIs(ctx, id)
	return p, err == nil && p.Word == s.sessions.GetString(ctx, "word")
}

// statuses are what the kinds of refusal are answered with.
var statuses = map[desk.Kind]int{
	desk.Changed:  http.StatusConflict,
	desk.KeyTaken: http.StatusConflict,
	desk.Disk:     http.StatusInsufficientStorage,
}

// Problem is an answer that something cannot be done, as RFC 9457 has it, with what kind of refusal it is and what of the
// question it is about.
type Problem struct {
	huma.ErrorModel
	Kind  string `json:"kind,omitempty" doc:"ended, changed, key, asks, disk or unproved; left out where what was asked for cannot be"`
	Field string `json:"field,omitempty"`
}

// problem turns an error into an answer.
func problem(err error) error {
	var r *desk.Refusal
	var plain huma.StatusError
	err = desk.InWords(err)
	switch {
	case err == nil:
		return nil
	case errors.As(err, &plain):
		return plain
	case errors.As(err, &r):
		status := statuses[r.Kind]
		if status == 0 {
			status = http.StatusUnprocessableEntity
		}
		return &Problem{huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: r.Error()}, string(r.Kind), r.Field}
	case errors.Is(err, desk.ErrMayNot):
		return huma.Error403Forbidden(sentence(err))
	case errors.Is(err, desk.ErrNotFound):
		return huma.Error404NotFound(sentence(err))
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was given up.")
	}
	slog.Error("an operation failed", "error", err)
	return huma.Error500InternalServerError("Something went wrong here. Nothing was changed.")
}

func sentence(err error) string {
	t := err.Error()
	return strings.ToUpper(t[:1]) + t[1:] + "."
}

// fail answers a handler that is no operation.
func fail(c *gin.Context, err error) {
	var e huma.StatusError
	if !errors.As(err, &e) {
		e = huma.Error500InternalServerError("Something went wrong here.")
	}
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(e.GetStatus(), e)
}
