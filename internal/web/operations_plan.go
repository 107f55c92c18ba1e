package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/steps"
)

// registerPlan registers what is planned: scopes, freezing and what a running count is given more.
func (s *Server) registerPlan() {
	d := s.desk
	op(s, "tally", http.MethodPost, "/api/plan/tally", "What a scope comes to", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Scope count.Scope `json:"scope"`
			plan.Cut
		}
	}) (plan.Tally, error) {
		return d.Plan.Tally(ctx, p, in.Body.Scope, in.Body.Cut)
	})
	op(s, "freeze", http.MethodPost, "/api/counts", "Freeze a scope and cut its sheets",
		func(ctx context.Context, p desk.Person, in *body[plan.NewCount]) (plan.CountMade, error) {
			return d.Plan.Freeze(ctx, p, in.Body)
		})
	op(s, "discardCount", http.MethodPost, "/api/counts/{count}/discard", "Take a count away that was frozen by mistake, and in which nothing was done",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Lines int `json:"lines" doc:"how many it was seen to have"`
			}
		}) (done, error) {
			return done{true}, d.Plan.Discard(ctx, p, in.Count, in.Body.Lines)
		})
	op(s, "renameCount", http.MethodPut, "/api/counts/{count}/name", "Give a running count another name",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"120"`
			}
		}) (done, error) {
			return done{true}, d.Plan.Rename(ctx, p, in.Count, in.Body.Name)
		})
	op(s, "steps", http.MethodGet, "/api/counts/{count}/steps", "What one did last in a count, the latest first",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]steps.Step, error) {
			return d.Steps.Steps(ctx, p, in.Count)
		})
	op(s, "undoStep", http.MethodPost, "/api/counts/{count}/steps/{step}/undo", "Undo something that one did in a count, where nobody built upon it",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Step int64 `path:"step" minimum:"1"`
		}) (steps.Step, error) {
			return d.Steps.Undo(ctx, p, in.Count, in.Step)
		})
	op(s, "scopes", http.MethodGet, "/api/scopes", "Scopes that were kept with a name",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]plan.KeptScope, error) {
			return d.Plan.KeptScopes(ctx, p)
		})
	op(s, "keepScope", http.MethodPost, "/api/scopes", "Keep a scope with a name",
		func(ctx context.Context, p desk.Person, in *struct {
			Body struct {
				Name  string      `json:"name" minLength:"1" maxLength:"120"`
				Scope count.Scope `json:"scope"`
			}
		}) (done, error) {
			return done{true}, d.Plan.KeepScope(ctx, p, in.Body.Name, in.Body.Scope)
		})
	op(s, "dropScope", http.MethodPost, "/api/scopes/{scope}/drop", "Take a kept scope away",
		func(ctx context.Context, p desk.Person, in *struct {
			Scope int64 `path:"scope"`
		}) (done, error) {
			return done{true}, d.Plan.DropScope(ctx, p, in.Scope)
		})
	op(s, "seeMore", http.MethodPost, "/api/counts/{count}/more/tally", "What lines a running count would be given",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.More
		}) (plan.Extension, error) {
			return d.Plan.SeeMore(ctx, p, in.Count, in.Body)
		})
	op(s, "addMore", http.MethodPost, "/api/counts/{count}/more", "Give a running count lines that it has not",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.More
		}) (plan.Extension, error) {
			return d.Plan.AddMore(ctx, p, in.Count, in.Body)
		})
}

// registerRotation registers how often lines are counted a year.
func (s *Server) registerRotation() {
	d := s.desk
	op(s, "rotation", http.MethodGet, "/api/rotation/{warehouse}", "How often lines are counted a year, and today's portion of it",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
		}) (plan.RotationView, error) {
			return d.Plan.Rotation(ctx, p, in.Warehouse)
		})
	op(s, "setRotation", http.MethodPost, "/api/rotation/{warehouse}", "Say how often lines are counted a year",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
			Body      plan.Rotation
		}) (done, error) {
			return done{true}, d.Plan.SetRotation(ctx, p, in.Warehouse, &in.Body)
		})
	op(s, "endRotation", http.MethodPost, "/api/rotation/{warehouse}/end", "Count no more in rotation",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
		}) (done, error) {
			return done{true}, d.Plan.SetRotation(ctx, p, in.Warehouse, nil)
		})
}

// registerCutOff registers what was on its way when a count was frozen.
func (s *Server) registerCutOff() {
	d := s.desk
	op(s, "cutOff", http.MethodGet, "/api/counts/{count}/cut-off", "What was on its way when a count was frozen",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]count.CutOff, error) {
			return d.Plan.CutOff(ctx, p, in.Count)
		})
	op(s, "addCutOff", http.MethodPost, "/api/counts/{count}/cut-off", "Note something that was on its way",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.CutOffEntry
		}) (done, error) {
			return done{true}, d.Plan.AddCutOff(ctx, p, in.Count, in.Body)
		})
	op(s, "withdrawCutOff", http.MethodPost, "/api/counts/{count}/cut-off/{entry}/withdraw", "Take an entry of the cut-off list back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Entry int64 `path:"entry"`
		}) (done, error) {
			return done{true}, d.Plan.WithdrawCutOff(ctx, p, in.Count, in.Entry)
		})
}
