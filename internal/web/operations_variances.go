package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/variances"
)

// registerVariances registers the queue of variances, a line of it, and what is decided.
func (s *Server) registerVariances() {
	d := s.desk
	op(s, "variances", http.MethodGet, "/api/counts/{count}/variances", "The variances, ranked by what is at stake",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (count.VariancePage, error) {
			return d.Variances.Variances(ctx, p, in.Count, in.filter())
		})
	op(s, "filtered", http.MethodGet, "/api/counts/{count}/variances/filtered", "What a filter of the variances holds",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (variances.FilterTally, error) {
			return d.Variances.Filtered(ctx, p, in.Count, in.filter())
		})
	op(s, "varianceGroups", http.MethodGet, "/api/counts/{count}/variances/groups", "The groups of what a filter of the variances holds",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (variances.QueueGroups, error) {
			return d.Variances.Groups(ctx, p, in.Count, in.filter())
		})
	op(s, "history", http.MethodGet, "/api/counts/{count}/lines/{pos}", "What happened to a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos int64 `path:"pos"`
		}) (variances.LineHistory, error) {
			return d.Variances.History(ctx, p, in.Count, in.Pos)
		})
	op(s, "decide", http.MethodPost, "/api/counts/{count}/decisions", "Accept or hold lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body variances.Decisions
		}) (variances.Decided, error) {
			return d.Variances.DecideAs(ctx, p, in.Count, in.Body)
		})
	op(s, "note", http.MethodPost, "/api/counts/{count}/lines/{pos}/notes", "Note something of a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Text string `json:"text" minLength:"1" maxLength:"2000"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AddNote(ctx, p, in.Count, in.Pos, in.Body.Text)
		})
	op(s, "newer", http.MethodGet, "/api/counts/{count}/newer", "What newer stock says of the lines, where no movement explains it",
		func(ctx context.Context, p desk.Person, in *CountPath) (variances.Newer, error) {
			return d.Variances.Newer(ctx, p, in.Count)
		})
}

// registerCauses registers why variances are likely there, and what is done about it.
func (s *Server) registerCauses() {
	d := s.desk
	op(s, "causes", http.MethodGet, "/api/counts/{count}/causes", "Why the variances are likely there",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]variances.CauseTally, error) {
			return d.Variances.Causes(ctx, p, in.Count)
		})
	op(
		s,
		"acceptCause",
		http.MethodPost,
		"/api/counts/{count}/lines/{pos}/cause",
		"Accept the likely cause of a variance, and do what it asks for",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body variances.Accepting
		}) (variances.Decided, error) {
			return d.Variances.AcceptCause(ctx, p, in.Count, in.Pos, in.Body)
		},
	)
	op(s, "acceptStrong", http.MethodPost, "/api/counts/{count}/causes/{cause}/accept", "Accept all strong explanations of a cause at once",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Cause string `path:"cause"`
			Body  struct {
				Expect int `json:"expect" doc:"how many were seen"`
			}
		}) (variances.Decided, error) {
			return d.Variances.AcceptStrong(ctx, p, in.Count, in.Cause, in.Body.Expect)
		})
	op(s, "asBooked", http.MethodPost, "/api/counts/{count}/lines/{pos}/as-booked", "Let a movement have happened when it was booked again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Movement int64 `json:"movement"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AsBooked(ctx, p, in.Count, in.Pos, in.Body.Movement)
		})
}

// registerStanding registers which round of a line stands, and what a unit of it costs.
func (s *Server) registerStanding() {
	d := s.desk
	op(s, "chooseRound", http.MethodPost, "/api/counts/{count}/lines/{pos}/round", "Let one of the rounds of a line stand",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Round int `json:"round" minimum:"0" doc:"0: as the rule of the count says"`
			}
		}) (done, error) {
			return done{true}, d.Variances.ChooseRound(ctx, p, in.Count, in.Pos, in.Body.Round)
		})
	op(s, "keepStands", http.MethodPost, "/api/counts/{count}/stands", "Say which of several rounds of a line stands",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Stands string `json:"stands" enum:",agree,choose"`
			}
		}) (done, error) {
			return done{true}, d.Variances.KeepStands(ctx, p, in.Count, in.Body.Stands)
		})
	op(s, "recostLines", http.MethodPost, "/api/counts/{count}/costs", "Correct what a unit of lines costs, without touching their quantities",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body variances.Costing
		}) (done, error) {
			return done{true}, d.Variances.Recost(ctx, p, in.Count, in.Body)
		})
}

// registerRules registers the rules that decide by themselves, and the reasons.
func (s *Server) registerRules() {
	d := s.desk
	op(s, "rules", http.MethodGet, "/api/rules", "The rules that decide by themselves",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]variances.RuleView, error) {
			return d.Variances.Rules(ctx, p)
		})
	op(s, "keepRule", http.MethodPut, "/api/rules", "Keep a rule, or change one that is off",
		func(ctx context.Context, p desk.Person, in *body[variances.RuleView]) (struct {
			ID int64 `json:"id"`
		}, error) {
			id, err := d.Variances.KeepRule(ctx, p, in.Body)
			return struct {
				ID int64 `json:"id"`
			}{id}, err
		})
	op(s, "tryRule", http.MethodPost, "/api/rules/try", "What a rule would have decided in the last counts",
		func(ctx context.Context, p desk.Person, in *body[variances.RuleView]) (variances.RuleTrial, error) {
			return d.Variances.TryRule(ctx, p, in.Body)
		})
	op(s, "turnRule", http.MethodPost, "/api/rules/{rule}/turn", "Turn a rule on after its trial, or off",
		func(ctx context.Context, p desk.Person, in *struct {
			Rule int64 `path:"rule"`
			Body variances.TurningRule
		}) (done, error) {
			return done{true}, d.Variances.TurnRule(ctx, p, in.Rule, in.Body)
		})
	op(s, "dropRule", http.MethodDelete, "/api/rules/{rule}", "Let go of a rule that is off",
		func(ctx context.Context, p desk.Person, in *struct {
			Rule int64 `path:"rule"`
		}) (done, error) {
			return done{true}, d.Variances.DropRule(ctx, p, in.Rule)
		})
	op(s, "classes", http.MethodGet, "/api/classes", "The classes that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Plan.Classes(ctx, p)
		})
	op(s, "categories", http.MethodGet, "/api/categories", "The categories that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Plan.Categories(ctx, p)
		})
	op(s, "reasons", http.MethodGet, "/api/reasons", "The reason codes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]variances.ReasonView, error) {
			return d.Variances.Reasons(ctx, p)
		})
	op(s, "keepReason", http.MethodPut, "/api/reasons", "Add a reason of one's own, or change one",
		func(ctx context.Context, p desk.Person, in *body[variances.ReasonView]) (done, error) {
			return done{true}, d.Variances.KeepReason(ctx, p, in.Body)
		})
}
