package web

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"wobin/internal/desk"
	"wobin/internal/desk/people"
	"wobin/internal/desk/safety"
	"wobin/internal/store"
)

// SessionView is a browser that somebody is signed in with.
type SessionView struct {
	ID    string    `json:"id"`
	Began time.Time `json:"began"`
	Until time.Time `json:"until"`
	Agent string    `json:"agent" doc:"what browser it is, as it says"`
	Own   bool      `json:"own" doc:"it is the one that asks"`
}

// registerPeople registers who works here, and the record of who did what.
func (s *Server) registerPeople() {
	d := s.desk
	op(s, "staff", http.MethodGet, "/api/people", "Who works here, and who is invited",
		func(ctx context.Context, p desk.Person, _ *struct{}) (people.Staff, error) {
			return d.People.Staff(ctx, p)
		})
	op(s, "invite", http.MethodPost, "/api/people/invitations", "Invite somebody",
		func(ctx context.Context, p desk.Person, in *struct {
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"120"`
				Role string `json:"role" enum:"controller,counter,approver,viewer"`
			}
		}) (people.Invited, error) {
			return d.People.Invite(ctx, p, in.Body.Name, in.Body.Role)
		})
	op(s, "uninvite", http.MethodDelete, "/api/people/invitations/{invitation}", "Take an invitation back",
		func(ctx context.Context, p desk.Person, in *struct {
			Invitation int64 `path:"invitation"`
		}) (done, error) {
			return done{true}, d.People.Uninvite(ctx, p, in.Invitation)
		})
	op(s, "changePerson", http.MethodPost, "/api/people/{person}", "Change a role, suspend, end all sessions",
		func(ctx context.Context, p desk.Person, in *struct {
			Person int64 `path:"person"`
			Body   people.Changed
		}) (done, error) {
			return done{true}, d.People.Change(ctx, p, in.Person, in.Body)
		})
	op(s, "resetPerson", http.MethodPost, "/api/people/{person}/reset", "Offer somebody a new password",
		func(ctx context.Context, p desk.Person, in *struct {
			Person int64 `path:"person"`
		}) (people.Invited, error) {
			return d.People.Reset(ctx, p, in.Person)
		})
	op(s, "record", http.MethodGet, "/api/record", "Who did what, the latest first",
		func(ctx context.Context, p desk.Person, in *struct {
			Person string `query:"person" maxLength:"200"`
			What   string `query:"what" maxLength:"200"`
			Count  int64  `query:"count"`
			Day    string `query:"day" maxLength:"10"`
			Zone   string `query:"zone" maxLength:"60" doc:"the time zone of the day"`
			After  string `query:"after" maxLength:"20"`
		}) (safety.RecordPage, error) {
			return d.Safety.Record(
				ctx,
				p,
				safety.RecordFilter{Person: in.Person, What: in.What, Count: in.Count, Day: in.Day, Zone: in.Zone, After: in.After},
			)
		})
}

// registerOwn registers what everybody does with the own password and sessions.
func (s *Server) registerOwn() {
	d := s.desk
	op(s, "changePassword", http.MethodPost, "/api/me/password", "Change one's own password",
		func(ctx context.Context, p desk.Person, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"200"`
				New string `json:"new" maxLength:"200"`
			}
		}) (done, error) {
			old := bucket{fmt.Sprint("old password of ", p.ID), freeOfName} // within a session it is guessed as elsewhere
			if w := s.attempts.begin(old); w > 0 {
				return done{}, huma.Error429TooManyRequests("Too many wrong attempts. Wait " + w.Round(time.Second).String() + " and try again.")
			}
			leave, err := s.hashing.enter(ctx)
			if err != nil {
				s.attempts.back(old)
				return done{}, desk.Refuse("Many people sign in at this moment. Try again in a few seconds.")
			}
			defer leave()
			if err := d.People.ChangePassword(ctx, p, in.Body.Old, in.Body.New); err != nil {
				return done{}, err
			}
			s.attempts.right(old)
			if p, err = d.People.WhoIs(ctx, p.ID); err != nil {
				return done{}, err
			}
			s.sessions.Put(ctx, "word", p.Word)
			if _, _, err := s.sessions.Commit(ctx); err != nil {
				return done{}, desk.InWords(err)
			}
			_, err = s.kept().End(p.ID, "", s.sessions.Token(ctx)) // who had the old one is out
			return done{true}, err
		})
	op(s, "mySessions", http.MethodGet, "/api/me/sessions", "Where one is signed in",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]SessionView, error) {
			list, err := s.kept().Of(p.ID, s.sessions.Token(ctx))
			out := make([]SessionView, len(list))
			for i, x := range list {
				out[i] = SessionView{x.ID, desk.Instant(x.Began), desk.Instant(x.Until), x.Agent, x.Own}
			}
			return out, err
		})
	op(s, "endSession", http.MethodDelete, "/api/me/sessions/{session}", "Sign out somewhere else",
		func(ctx context.Context, p desk.Person, in *struct {
			Session string `path:"session" minLength:"16" maxLength:"16"`
		}) (done, error) {
			n, err := s.kept().End(p.ID, in.Session, "")
			if err == nil && n == 0 {
				err = desk.Missing("The session")
			}
			return done{true}, err
		})
	huma.Register(
		s.api,
		huma.Operation{OperationID: "invitation", Method: http.MethodPost, Path: "/api/invitation", Summary: "What an invitation is for",
			Errors: []int{422}},
		func(ctx context.Context, in *struct {
			Body struct {
				Code string `json:"code" maxLength:"100"`
			}
		}) (*body[people.Welcoming], error) {
			v, err := d.People.Invitation(ctx, in.Body.Code)
			return &body[people.Welcoming]{v}, problem(err)
		})
}

// kept is where the sessions are kept.
func (s *Server) kept() *store.Sessions { return &store.Sessions{Store: s.desk.Store, Now: s.desk.Now} }
