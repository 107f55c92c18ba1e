package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"wobin/internal/desk"
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
	// FilterQuery narrows a list of lines.
	FilterQuery struct {
		Bins  []int64 `query:"bins"`
		Text  string  `query:"text" maxLength:"200"`
		Sheet int     `query:"sheet"`
		Show  string  `query:"show" enum:",open,decided,accepted,held,all,counted,uncounted"`
		After string  `query:"after" maxLength:"2000"`
		Limit int     `query:"limit" maximum:"1000"`
	}
)

func (f *FilterQuery) filter() desk.Filter {
	return desk.Filter{Bins: f.Bins, Text: f.Text, Sheet: f.Sheet, Show: f.Show, After: f.After, Limit: f.Limit}
}

// Me is who is signed in.
type Me struct {
	Person *desk.Person `json:"person,omitempty"`
	desk.Welcome
}

// op registers an operation whose answer is a body.
func op[I, O any](s *Server, id, method, path, summary string, do func(ctx context.Context, p desk.Person, in *I) (O, error)) {
	huma.Register(s.api, huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Errors: []int{401, 403, 404, 422}}, func(ctx context.Context, in *I) (*body[O], error) {
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
	d := s.desk
	op(s, "today", http.MethodGet, "/api/today", "What wants a hand now", func(ctx context.Context, p desk.Person, _ *struct{}) (desk.Today, error) {
		return d.Today(ctx, p)
	})
	op(s, "warehouses", http.MethodGet, "/api/warehouses", "The warehouses", func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.WarehouseView, error) {
		return d.Warehouses(ctx, p)
	})
	op(s, "elevation", http.MethodGet, "/api/warehouses/{house}/elevation", "The racks of a warehouse", func(ctx context.Context, p desk.Person, in *HousePath) ([]desk.Tile, error) {
		return d.Elevation(ctx, p, in.House)
	})
	op(s, "recordedBins", http.MethodGet, "/api/warehouses/{house}/bins", "The lines per bin", func(ctx context.Context, p desk.Person, in *HousePath) ([]desk.BinState, error) {
		return d.RecordedBins(ctx, p, in.House)
	})
	op(s, "recorded", http.MethodGet, "/api/warehouses/{house}/recorded", "The recorded stock by bin or by item", func(ctx context.Context, p desk.Person, in *struct {
		HousePath
		FilterQuery
		By string `query:"by" enum:"bin,item" default:"bin"`
	}) (desk.RecordedPage, error) {
		if in.By == "item" {
			return d.RecordedItems(ctx, p, in.House, in.filter())
		}
		return d.Recorded(ctx, p, in.House, in.filter())
	})

	op(s, "draft", http.MethodGet, "/api/uploads/{draft}", "A dropped file as it was looked at last", func(ctx context.Context, p desk.Person, in *DraftPath) (*desk.Draft, error) {
		return d.Draft(p, in.Draft)
	})
	op(s, "choose", http.MethodPut, "/api/uploads/{draft}", "Settle something about a dropped file and look again", func(ctx context.Context, p desk.Person, in *struct {
		DraftPath
		Body desk.Choices
	}) (*desk.Draft, error) {
		return d.Choose(ctx, p, in.Draft, in.Body)
	})
	op(s, "discard", http.MethodDelete, "/api/uploads/{draft}", "Forget a dropped file", func(ctx context.Context, p desk.Person, in *DraftPath) (done, error) {
		return done{true}, d.Discard(p, in.Draft)
	})
	op(s, "takeIn", http.MethodPost, "/api/uploads/{draft}/take-in", "Take a dropped file in, all of it or nothing", func(ctx context.Context, p desk.Person, in *struct {
		DraftPath
		Body struct {
			Key      string `json:"key" minLength:"8" doc:"of the client's making; a repeat is answered with the first result"`
			LeaveOut int    `json:"leave_out" doc:"the number of rows with problems that are left out"`
		}
	}) (desk.TakenIn, error) {
		return d.TakeIn(ctx, p, in.Draft, in.Body.Key, in.Body.LeaveOut)
	})
	op(s, "settle", http.MethodPost, "/api/uploads/{draft}/settle", "Settle one thing about a dropped file and look again", func(ctx context.Context, p desk.Person, in *struct {
		DraftPath
		Body desk.Answer
	}) (*desk.Draft, error) {
		return d.Settle(ctx, p, in.Draft, in.Body)
	})
	op(s, "draftRows", http.MethodGet, "/api/uploads/{draft}/rows", "Rows of a dropped file as they are", func(ctx context.Context, p desk.Person, in *struct {
		DraftPath
		Sheet int    `query:"sheet"`
		From  int    `query:"from" minimum:"0"`
		Limit int    `query:"limit" maximum:"500" default:"100"`
		Kind  string `query:"kind" doc:"only rows of this group of problems" maxLength:"200"`
		Field string `query:"field" maxLength:"200"`
	}) (desk.FileRows, error) {
		return d.Rows(ctx, p, in.Draft, in.Sheet, in.From, in.Limit, in.Kind, in.Field)
	})
	op(s, "tryFormula", http.MethodPost, "/api/uploads/{draft}/formula", "Work a formula out for the first rows", func(_ context.Context, p desk.Person, in *struct {
		DraftPath
		Body struct {
			Sheet   int    `json:"sheet,omitempty"`
			Formula string `json:"formula" maxLength:"4000"`
		}
	}) (desk.FormulaTried, error) {
		return d.TryFormula(p, in.Draft, in.Body.Sheet, in.Body.Formula)
	})
	op(s, "cancelDraft", http.MethodPost, "/api/uploads/{draft}/cancel", "End the work under way with a dropped file", func(_ context.Context, p desk.Person, in *DraftPath) (done, error) {
		return done{true}, d.Cancel(p, in.Draft)
	})
	op(s, "saveDraftLayout", http.MethodPost, "/api/uploads/{draft}/layout", "Keep what was settled about a sheet as a layout", func(ctx context.Context, p desk.Person, in *struct {
		DraftPath
		Body struct {
			Sheet int    `json:"sheet,omitempty"`
			Name  string `json:"name" minLength:"1" maxLength:"120"`
		}
	}) (*desk.Draft, error) {
		return d.SaveDraftLayout(ctx, p, in.Draft, in.Body.Sheet, in.Body.Name)
	})
	op(s, "layouts", http.MethodGet, "/api/layouts", "The saved layouts", func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.LayoutView, error) {
		return d.Layouts(ctx, p)
	})
	op(s, "saveLayout", http.MethodPut, "/api/layouts/{name}", "Keep a layout under a name", func(ctx context.Context, p desk.Person, in *struct {
		Name string `path:"name" maxLength:"120"`
		Body desk.Layout
	}) (done, error) {
		return done{true}, d.SaveLayout(ctx, p, in.Name, in.Body)
	})
	op(s, "deleteLayout", http.MethodDelete, "/api/layouts/{name}", "Forget a layout", func(ctx context.Context, p desk.Person, in *struct {
		Name string `path:"name" maxLength:"120"`
	}) (done, error) {
		return done{true}, d.DeleteLayout(ctx, p, in.Name)
	})
	op(s, "intakes", http.MethodGet, "/api/intakes", "The latest intakes", func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.IntakeView, error) {
		return d.Intakes(ctx, p)
	})
	op(s, "undo", http.MethodPost, "/api/intakes/{intake}/undo", "Take an intake back", func(ctx context.Context, p desk.Person, in *struct {
		Intake int64 `path:"intake"`
	}) (done, error) {
		return done{true}, d.Undo(ctx, p, in.Intake)
	})

	op(s, "tally", http.MethodPost, "/api/plan/tally", "What a scope comes to", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Scope desk.Scope `json:"scope"`
			Rows  int        `json:"rows" minimum:"1" maximum:"5000"`
		}
	}) (desk.Tally, error) {
		return d.Tally(ctx, p, in.Body.Scope, in.Body.Rows)
	})
	op(s, "freeze", http.MethodPost, "/api/counts", "Freeze a scope and cut its sheets", func(ctx context.Context, p desk.Person, in *body[desk.NewCount]) (desk.CountMade, error) {
		return d.Freeze(ctx, p, in.Body)
	})
	op(s, "count", http.MethodGet, "/api/counts/{count}", "A count with the figures of its stages", func(ctx context.Context, p desk.Person, in *CountPath) (desk.StageLine, error) {
		return d.Count(ctx, p, in.Count)
	})
	op(s, "countBins", http.MethodGet, "/api/counts/{count}/bins", "The tallies per bin", func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.BinState, error) {
		return d.CountBins(ctx, p, in.Count)
	})
	op(s, "sheets", http.MethodGet, "/api/counts/{count}/sheets", "The sheets of a count", func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.SheetView, error) {
		return d.Sheets(ctx, p, in.Count)
	})
	op(s, "handOut", http.MethodPost, "/api/counts/{count}/hand-out", "Note who has sheets", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Body struct {
			Sheets  []int  `json:"sheets" minItems:"1"`
			Counter string `json:"counter" maxLength:"120"`
		}
	}) (done, error) {
		return done{true}, d.HandOut(ctx, p, in.Count, in.Body.Sheets, in.Body.Counter)
	})
	op(s, "countLines", http.MethodGet, "/api/counts/{count}/lines", "The lines of a count in walking order", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		FilterQuery
	}) (desk.VariancePage, error) {
		return d.CountLines(ctx, p, in.Count, in.filter())
	})
	op(s, "typeIn", http.MethodPost, "/api/counts/{count}/entries", "Take counts typed at the desk", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Body struct {
			Key     string       `json:"key" minLength:"8"`
			Zone    string       `json:"zone,omitempty"`
			Entries []desk.Typed `json:"entries" minItems:"1" maxItems:"1000"`
		}
	}) (desk.TakenIn, error) {
		return d.TypeIn(ctx, p, in.Count, in.Body.Key, in.Body.Zone, in.Body.Entries)
	})
	op(s, "variances", http.MethodGet, "/api/counts/{count}/variances", "The variances, ranked by what is at stake", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		FilterQuery
	}) (desk.VariancePage, error) {
		return d.Variances(ctx, p, in.Count, in.filter())
	})
	op(s, "history", http.MethodGet, "/api/counts/{count}/lines/{pos}", "What happened to a line", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Pos int64 `path:"pos"`
	}) (desk.LineHistory, error) {
		return d.History(ctx, p, in.Count, in.Pos)
	})
	op(s, "decide", http.MethodPost, "/api/counts/{count}/decisions", "Accept or hold lines", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Body struct {
			Lines  []int64 `json:"lines" minItems:"1" maxItems:"100000"`
			Kind   string  `json:"kind" enum:"accept,hold,"`
			Reason string  `json:"reason"`
		}
	}) (desk.Decided, error) {
		return d.Decide(ctx, p, in.Count, in.Body.Lines, in.Body.Kind, in.Body.Reason)
	})
	op(s, "reasons", http.MethodGet, "/api/reasons", "The reason codes", func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.ReasonView, error) {
		return d.Reasons(ctx, p)
	})
	op(s, "postings", http.MethodGet, "/api/counts/{count}/postings", "The postings of a count", func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.PostingView, error) {
		return d.Postings(ctx, p, in.Count)
	})
	op(s, "previewPosting", http.MethodGet, "/api/counts/{count}/postings/preview", "The file of the accepted lines before it is made", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Mode string `query:"mode" enum:"difference,balance,in-out,counted" default:"difference"`
	}) (desk.PostingPreview, error) {
		return d.PreviewPosting(ctx, p, in.Count, in.Mode)
	})
	op(s, "post", http.MethodPost, "/api/counts/{count}/postings", "Make a posting of the accepted lines", func(ctx context.Context, p desk.Person, in *struct {
		CountPath
		Body struct {
			Key   string `json:"key" minLength:"8"`
			Mode  string `json:"mode" enum:"difference,balance,in-out,counted"`
			Lines int    `json:"lines" doc:"the number of lines that the person saw"`
		}
	}) (desk.PostingView, error) {
		return d.Post(ctx, p, in.Count, in.Body.Mode, in.Body.Key, in.Body.Lines)
	})
	op(s, "report", http.MethodGet, "/api/counts/{count}/report", "The figures of a count", func(ctx context.Context, p desk.Person, in *CountPath) (desk.Report, error) {
		return d.Report(ctx, p, in.Count)
	})
	op(s, "finish", http.MethodPost, "/api/counts/{count}/finish", "End a count", func(ctx context.Context, p desk.Person, in *CountPath) (done, error) {
		return done{true}, d.Finish(ctx, p, in.Count)
	})
	op(s, "addPerson", http.MethodPost, "/api/people", "Let somebody sign in", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Name     string `json:"name" maxLength:"120"`
			SignIn   string `json:"sign_in" maxLength:"60"`
			Password string `json:"password" maxLength:"200"`
			Role     string `json:"role" enum:"controller,counter,approver,viewer"`
		}
	}) (desk.Person, error) {
		return d.AddPerson(ctx, p, in.Body.Name, in.Body.SignIn, in.Body.Password, in.Body.Role)
	})
}

// registerSession registers what works before anybody is signed in.
func (s *Server) registerSession() {
	me := func(ctx context.Context) (*body[Me], error) {
		w, err := s.desk.Greet(ctx)
		if err != nil {
			return nil, problem(err)
		}
		out := &body[Me]{Me{Welcome: w}}
		if p, ok := s.signedIn(ctx); ok {
			out.Body.Person = &p
		}
		return out, nil
	}
	enter := func(ctx context.Context, p desk.Person) error {
		if err := s.sessions.RenewToken(ctx); err != nil {
			return problem(err)
		}
		s.sessions.Put(ctx, "person", p.ID)
		return nil
	}
	huma.Register(s.api, huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/me", Summary: "Who is signed in"}, func(ctx context.Context, _ *struct{}) (*body[Me], error) { return me(ctx) })
	huma.Register(s.api, huma.Operation{OperationID: "signIn", Method: http.MethodPost, Path: "/api/session", Summary: "Sign in", Errors: []int{422, 429}}, func(ctx context.Context, in *struct {
		Body struct {
			SignIn   string `json:"sign_in" maxLength:"60"`
			Password string `json:"password" maxLength:"200"`
		}
	}) (*body[Me], error) {
		if w := s.tries.wait(in.Body.SignIn); w > 0 {
			return nil, huma.Error429TooManyRequests("Too many wrong attempts. Wait " + w.Round(1e9).String() + " and try again.")
		}
		p, err := s.desk.SignIn(ctx, in.Body.SignIn, in.Body.Password)
		s.tries.note(in.Body.SignIn, err == nil)
		if err == nil {
			err = enter(ctx, p)
		}
		if err != nil {
			return nil, problem(err)
		}
		return me(ctx)
	})
	huma.Register(s.api, huma.Operation{OperationID: "signOut", Method: http.MethodDelete, Path: "/api/session", Summary: "Sign out"}, func(ctx context.Context, _ *struct{}) (*body[done], error) {
		return &body[done]{done{true}}, problem(s.sessions.Destroy(ctx))
	})
	huma.Register(s.api, huma.Operation{OperationID: "makeOwner", Method: http.MethodPost, Path: "/api/owner", Summary: "Sign up as the first person, against the one-time code", Errors: []int{422, 429}}, func(ctx context.Context, in *struct {
		Body struct {
			Code     string `json:"code" maxLength:"60"`
			Name     string `json:"name" maxLength:"120"`
			SignIn   string `json:"sign_in" maxLength:"60"`
			Password string `json:"password" maxLength:"200"`
		}
	}) (*body[Me], error) {
		if s.tries.wait("owner") > 0 {
			return nil, huma.Error429TooManyRequests("Too many wrong codes. Wait a little and try again.")
		}
		p, err := s.desk.MakeOwner(ctx, in.Body.Code, in.Body.Name, in.Body.SignIn, in.Body.Password)
		s.tries.note("owner", err == nil)
		if err == nil {
			err = enter(ctx, p)
		}
		if err != nil {
			return nil, problem(err)
		}
		return me(ctx)
	})
}
