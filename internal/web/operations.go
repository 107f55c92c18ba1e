package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/elevation"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/people"
	"wobin/internal/desk/recorded"
	"wobin/internal/desk/today"
)

type body[T any] struct{ Body T }

// What stands in paths and queries of many operations. The types are exported because only exported embedded
// structs are looked into.
type (
	// CountPath names a count.
	CountPath struct {
		Count int64 `path:"count"`
	}
	// HousePath names a warehouse.
	HousePath struct {
		House int64 `path:"house"`
	}
	// DraftPath names a dropped file.
	DraftPath struct {
		Draft string `path:"draft"`
	}
	// AtQuery says which stretch of the racks is open.
	AtQuery struct {
		At string `query:"at" maxLength:"40" doc:"of the tile that is opened"`
	}
	// FilterQuery narrows a list of lines.
	FilterQuery struct {
		Bins  []int64 `query:"bins"`
		Text  string  `query:"text" maxLength:"200"`
		Sheet int     `query:"sheet"`
		Show  string  `query:"show" enum:",open,decided,accepted,held,all,counted,uncounted"`
		Cause string  `query:"cause" maxLength:"40" doc:"of variances: those of a likely cause; none: those that nothing explains"`
		Sign  string  `query:"sign" enum:",over,short" doc:"of variances"`
		Least int64   `query:"least" minimum:"0" doc:"of variances: what is at stake is this at least, in hundredths"`
		State string  `query:"status" enum:",over,short,found" doc:"of variances: of this status alone"`
		Order string  `query:"order" enum:",stake,place" doc:"of variances: by what is at stake, or in walking order"`
		By    string  `query:"by" enum:",zone,bin,item,counter,reason,class,category" doc:"of variances: what the group is of"`
		Of    string  `query:"of" maxLength:"4000" doc:"the name of the group; empty: of those that have none"`
		After string  `query:"after" maxLength:"2000"`
		Limit int     `query:"limit" maximum:"1000"`
	}
)

func (f *FilterQuery) filter() desk.Filter {
	return desk.Filter{
		Bins:  f.Bins,
		Text:  f.Text,
		Sheet: f.Sheet,
		Show:  f.Show,
		Order: f.Order,
		State: f.State,
		Cause: f.Cause,
		Sign:  f.Sign,
		Least: f.Least,
		By:    f.By,
		Of:    f.Of,
		After: f.After,
		Limit: f.Limit,
	}
}

// Me is who is signed in.
type Me struct {
	Person *desk.Person `json:"person,omitempty"`
	people.Welcome
}

// op registers an operation whose answer is a body.
func op[I, O any](s *Server, id, method, path, summary string, do func(ctx context.Context, p desk.Person, in *I) (O, error)) {
	huma.Register(
		s.api,
		huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Errors: []int{401, 403, 404, 409, 422, 507}},
		func(ctx context.Context, in *I) (*body[O], error) {
			p, ok := s.signedIn(ctx)
			if !ok {
				return nil, huma.Error401Unauthorized("Sign in first.")
			}
			out, err := do(ctx, p, in)
			if err != nil {
				return nil, problem(err)
			}
			return &body[O]{out}, nil
		})
}

// done is the answer where there is nothing else to say.
type done struct {
	Done bool `json:"done"`
}

func (s *Server) register() {
	s.registerSession()
	s.registerPlan()
	s.registerRotation()
	s.registerCutOff()
	s.registerSheets()
	s.registerRecutting()
	s.registerCounting()
	s.registerTray()
	s.registerUncounted()
	s.registerVariances()
	s.registerCauses()
	s.registerStanding()
	s.registerRules()
	s.registerPostings()
	s.registerElsewhere()
	s.registerAgreement()
	s.registerOutLayouts()
	s.registerReports()
	s.registerSafety()
	s.registerDrafts()
	s.registerIntakes()
	s.registerPeople()
	s.registerOwn()
	s.registerReference()
	s.registerWork()
	d := s.desk
	op(s, "today", http.MethodGet, "/api/today", "What wants a hand now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (today.Today, error) {
			return d.Today.Today(ctx, p)
		})
	op(s, "warehouses", http.MethodGet, "/api/warehouses", "The warehouses",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]recorded.WarehouseView, error) {
			return d.Recorded.Warehouses(ctx, p)
		})
	op(s, "elevation", http.MethodGet, "/api/warehouses/{house}/elevation", "The racks of a warehouse, folded to what can be seen",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			AtQuery
		}) ([]elevation.Tile, error) {
			return d.Elevation.Elevation(ctx, p, in.House, in.At)
		})
	op(s, "recordedBins", http.MethodGet, "/api/warehouses/{house}/bins", "The lines per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			AtQuery
		}) ([]elevation.BinState, error) {
			return d.Elevation.RecordedBins(ctx, p, in.House, in.At)
		})
	op(s, "recorded", http.MethodGet, "/api/warehouses/{house}/recorded", "The recorded stock by bin or by item",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			FilterQuery
			By string `query:"by" enum:"bin,item" default:"bin"`
		}) (recorded.RecordedPage, error) {
			if in.By == "item" {
				return d.Recorded.RecordedItems(ctx, p, in.House, in.filter())
			}
			return d.Recorded.Recorded(ctx, p, in.House, in.filter())
		})

}

// registerDrafts registers what was dropped, and how it is settled and taken in.
func (s *Server) registerDrafts() {
	d := s.desk
	op(s, "waiting", http.MethodGet, "/api/uploads", "What one dropped and did not take in, the latest first",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]intake.Waiting, error) {
			return d.Intake.Waiting(ctx, p)
		})
	op(s, "draft", http.MethodGet, "/api/uploads/{draft}", "A dropped file as it was looked at last",
		func(ctx context.Context, p desk.Person, in *DraftPath) (*intake.Draft, error) {
			return d.Intake.Draft(ctx, p, in.Draft)
		})
	op(s, "choose", http.MethodPut, "/api/uploads/{draft}", "Settle something about a dropped file and look again",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body intake.Choices
		}) (*intake.Draft, error) {
			return d.Intake.Choose(ctx, p, in.Draft, in.Body)
		})
	op(s, "discard", http.MethodDelete, "/api/uploads/{draft}", "Forget a dropped file",
		func(ctx context.Context, p desk.Person, in *DraftPath) (done, error) {
			return done{true}, d.Intake.Discard(ctx, p, in.Draft)
		})
	op(s, "takeIn", http.MethodPost, "/api/uploads/{draft}/take-in", "Take a dropped file in, all of it or nothing",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Key      string `json:"key" minLength:"8" doc:"of the client's making; a repeat is answered with the first result"`
				LeaveOut int    `json:"leave_out" doc:"the number of rows with problems that are left out"`
			}
		}) (count.TakenIn, error) {
			return d.Intake.TakeIn(ctx, p, in.Draft, in.Body.Key, in.Body.LeaveOut)
		})
	op(s, "settle", http.MethodPost, "/api/uploads/{draft}/settle", "Settle one thing about a dropped file and look again",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body intake.Answer
		}) (*intake.Draft, error) {
			return d.Intake.Settle(ctx, p, in.Draft, in.Body)
		})
	op(s, "draftRows", http.MethodGet, "/api/uploads/{draft}/rows", "Rows of a dropped file as they are",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Sheet int    `query:"sheet"`
			From  int    `query:"from" minimum:"0"`
			Limit int    `query:"limit" maximum:"500" default:"100"`
			Kind  string `query:"kind" doc:"only rows of this group of problems" maxLength:"200"`
			Field string `query:"field" maxLength:"200"`
		}) (intake.FileRows, error) {
			return d.Intake.Rows(ctx, p, in.Draft, in.Sheet, in.From, in.Limit, in.Kind, in.Field)
		})
	op(s, "tryFormula", http.MethodPost, "/api/uploads/{draft}/formula", "Work a formula out for the first rows",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Sheet   int    `json:"sheet,omitempty"`
				Formula string `json:"formula" maxLength:"4000"`
			}
		}) (intake.FormulaTried, error) {
			return d.Intake.TryFormula(ctx, p, in.Draft, in.Body.Sheet, in.Body.Formula)
		})
	op(s, "cancelDraft", http.MethodPost, "/api/uploads/{draft}/cancel", "End the work under way with a dropped file",
		func(ctx context.Context, p desk.Person, in *DraftPath) (done, error) {
			return done{true}, d.Intake.Cancel(ctx, p, in.Draft)
		})
	op(s, "saveDraftLayout", http.MethodPost, "/api/uploads/{draft}/layout", "Keep what was settled about a sheet as a layout",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Sheet int    `json:"sheet,omitempty"`
				Name  string `json:"name" minLength:"1" maxLength:"120"`
			}
		}) (*intake.Draft, error) {
			return d.Intake.SaveDraftLayout(ctx, p, in.Draft, in.Body.Sheet, in.Body.Name)
		})
}

// registerIntakes registers layouts of files in, and what was taken in.
func (s *Server) registerIntakes() {
	d := s.desk
	op(s, "layouts", http.MethodGet, "/api/layouts", "The saved layouts",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]intake.LayoutView, error) {
			return d.Intake.Layouts(ctx, p)
		})
	op(s, "saveLayout", http.MethodPut, "/api/layouts/{name}", "Keep a layout under a name",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"120"`
			Body intake.Layout
		}) (done, error) {
			return done{true}, d.Intake.SaveLayout(ctx, p, in.Name, in.Body)
		})
	op(s, "deleteLayout", http.MethodDelete, "/api/layouts/{name}", "Forget a layout", func(ctx context.Context, p desk.Person, in *struct {
		Name string `path:"name" maxLength:"120"`
	}) (done, error) {
		return done{true}, d.Intake.DeleteLayout(ctx, p, in.Name)
	})
	op(s, "intakes", http.MethodGet, "/api/intakes", "The latest intakes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]intake.IntakeView, error) {
			return d.Intake.Intakes(ctx, p)
		})
	op(s, "undo", http.MethodPost, "/api/intakes/{intake}/undo", "Take an intake back",
		func(ctx context.Context, p desk.Person, in *struct {
			Intake int64 `path:"intake"`
			Sure   bool  `query:"sure" doc:"what else it touches, as the intake's warning says, is agreed to"`
		}) (done, error) {
			return done{true}, d.Intake.Undo(ctx, p, in.Intake, in.Sure)
		})
}
