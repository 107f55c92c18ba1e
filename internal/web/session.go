package web

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"wobin/internal/desk"
)

// session loads who is signed in. It writes nothing: a session changes only where somebody signs in or out, and these
// write it before they answer, so that an answer never says more than what was kept.
func (s *Server) session(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Add("Vary", "Cookie")
		token := ""
		if c, err := r.Cookie(s.sessions.Cookie.Name); err == nil {
			token = c.Value
		}
		ctx, err := s.sessions.Load(r.Context(), token)
		if err != nil {
			http.Error(w, "The records cannot be read.", http.StatusInternalServerError)
			return
		}
		agent := r.UserAgent()
		ctx = context.WithValue(ctx, agentKey{}, agent[:min(len(agent), 200)])
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// agentKey is under which a request has its browser's name.
type agentKey struct{}

// enter signs somebody in and gives the cookie that says so.
func (s *Server) enter(ctx context.Context, p desk.Person) (cookie http.Cookie, err error) {
	if err := s.sessions.RenewToken(ctx); err != nil {
		return cookie, problem(desk.InWords(err))
	}
	s.sessions.Put(ctx, "person", p.ID)
	s.sessions.Put(ctx, "word", p.Word) // of the password that was proved: where it was changed at this very moment, nobody is let in
	token, expiry, err := s.sessions.Commit(ctx)
	if err != nil {
		return cookie, problem(desk.InWords(err))
	}
	agent, _ := ctx.Value(agentKey{}).(string)
	if err := s.kept().Whose(token, p.ID, agent); err != nil {
		return cookie, problem(desk.InWords(err))
	}
	return s.cookie(token, expiry), nil
}

func (s *Server) cookie(token string, expiry time.Time) http.Cookie {
	c := s.sessions.Cookie
	out := http.Cookie{Name: c.Name, Value: token, Path: "/", HttpOnly: c.HttpOnly, SameSite: c.SameSite, Secure: c.Secure, MaxAge: -1}
	if token != "" {
		out.Expires, out.MaxAge = expiry, int(time.Until(expiry).Seconds()+1)
	}
	return out
}

// signed is an answer that goes with a cookie.
type signed[T any] struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      T
}

// From is where a request came from.
type From struct{ address string }

// Resolve notes it.
func (f *From) Resolve(c huma.Context) []error {
	f.address = addressOf(c.RemoteAddr())
	return nil
}

// registerSession registers what works before anybody is signed in.
func (s *Server) registerSession() {
	me := func(ctx context.Context, p *desk.Person) (Me, error) {
		w, err := s.desk.People.Greet(ctx)
		return Me{Person: p, Welcome: w}, problem(err)
	}
	arrived := func(ctx context.Context, p desk.Person, err error) (*signed[Me], error) {
		if err != nil {
			return nil, problem(err)
		}
		cookie, err := s.enter(ctx, p)
		if err != nil {
			return nil, err
		}
		out, err := me(ctx, &p)
		return &signed[Me]{[]http.Cookie{cookie}, out}, err
	}
	huma.Register(
		s.api,
		huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/me", Summary: "Who is signed in"},
		func(ctx context.Context, _ *struct{}) (*body[Me], error) {
			var who *desk.Person
			if p, ok := s.signedIn(ctx); ok {
				who = &p
			}
			out, err := me(ctx, who)
			return &body[Me]{out}, err
		})
	huma.Register(
		s.api,
		huma.Operation{
			OperationID: "signIn",
			Method:      http.MethodPost,
			Path:        "/api/session",
			Summary:     "Sign in",
			Errors:      []int{422, 429, 507},
		},
		func(ctx context.Context, in *struct {
			From
			Known http.Cookie `cookie:"wobin_known"`
			Body  struct {
				SignIn   string `json:"sign_in" maxLength:"60"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*signed[Me], error) {
			from := s.known.buckets(in.Body.SignIn, in.Known.Value, in.address)
			if w := s.attempts.begin(from...); w > 0 {
				return nil, huma.Error429TooManyRequests("Too many wrong attempts. Wait " + w.Round(1e9).String() + " and try again.")
			}
			leave, err := s.hashing.enter(ctx)
			if err != nil {
				s.attempts.back(from...) // nothing was proved, neither right nor wrong
				return nil, err
			}
			defer leave()
			p, err := s.desk.People.SignIn(ctx, in.Body.SignIn, in.Body.Password)
			if err == nil {
				s.attempts.right(from...)
			}
			out, err := arrived(ctx, p, err)
			if err == nil {
				out.SetCookie = append(out.SetCookie, s.known.cookie(in.Body.SignIn, s.secure))
			}
			return out, err
		})
	huma.Register(
		s.api,
		huma.Operation{OperationID: "signOut", Method: http.MethodDelete, Path: "/api/session", Summary: "Sign out"},
		func(ctx context.Context, _ *struct{}) (*signed[done], error) {
			err := s.sessions.Destroy(ctx)
			return &signed[done]{[]http.Cookie{s.cookie("", time.Time{})}, done{true}}, problem(desk.InWords(err))
		})
	huma.Register(
		s.api,
		huma.Operation{
			OperationID: "makeOwner",
			Method:      http.MethodPost,
			Path:        "/api/owner",
			Summary:     "Sign up as the first person, against the one-time code",
			Errors:      []int{422, 429, 507},
		},
		func(ctx context.Context, in *struct {
			Body struct {
				Code     string `json:"code" maxLength:"60"`
				Name     string `json:"name" maxLength:"120"`
				SignIn   string `json:"sign_in" maxLength:"60"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*signed[Me], error) {
			code := bucket{"code", freeOfName}
			if s.attempts.begin(code) > 0 {
				return nil, huma.Error429TooManyRequests("Too many wrong codes. Wait a little and try again.")
			}
			leave, err := s.hashing.enter(ctx)
			if err != nil {
				s.attempts.back(code)
				return nil, err
			}
			defer leave()
			p, err := s.desk.People.MakeOwner(ctx, in.Body.Code, in.Body.Name, in.Body.SignIn, in.Body.Password)
			if err == nil {
				s.attempts.right(code)
			}
			return arrived(ctx, p, err)
		})
	huma.Register(
		s.api,
		huma.Operation{
			OperationID: "join",
			Method:      http.MethodPost,
			Path:        "/api/join",
			Summary:     "Sign up by an invitation, or take a new password",
			Errors:      []int{422, 429, 507},
		},
		func(ctx context.Context, in *struct {
			Body struct {
				Code     string `json:"code" maxLength:"100"`
				SignIn   string `json:"sign_in" maxLength:"60"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*signed[Me], error) {
			leave, err := s.hashing.enter(ctx)
			if err != nil {
				return nil, err
			}
			defer leave()
			p, err := s.desk.People.Join(ctx, in.Body.Code, in.Body.SignIn, in.Body.Password)
			return arrived(ctx, p, err)
		},
	)
}
