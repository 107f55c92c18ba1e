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
		},
	)
}

// done is the answer where there is nothing else to say.
type done struct {
	Done bool `json:"done"`
}

func (s *Server) register() {
	s.registerSession()
	d := s.desk
	op(
		s,
		"today",
		http.MethodGet,
		"/api/today",
		"What wants a hand now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (desk.Today, error) {
			return d.Today(ctx, p)
		},
	)
	op(
		s,
		"warehouses",
		http.MethodGet,
		"/api/warehouses",
		"The warehouses",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.WarehouseView, error) {
			return d.Warehouses(ctx, p)
		},
	)
	op(
		s,
		"elevation",
		http.MethodGet,
		"/api/warehouses/{house}/elevation",
		"The racks of a warehouse, folded to what can be seen",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			AtQuery
		}) ([]desk.Tile, error) {
			return d.Elevation(ctx, p, in.House, in.At)
		},
	)
	op(
		s,
		"recordedBins",
		http.MethodGet,
		"/api/warehouses/{house}/bins",
		"The lines per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			AtQuery
		}) ([]desk.BinState, error) {
			return d.RecordedBins(ctx, p, in.House, in.At)
		},
	)
	op(
		s,
		"recorded",
		http.MethodGet,
		"/api/warehouses/{house}/recorded",
		"The recorded stock by bin or by item",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			FilterQuery
			By string `query:"by" enum:"bin,item" default:"bin"`
		}) (desk.RecordedPage, error) {
			if in.By == "item" {
				return d.RecordedItems(ctx, p, in.House, in.filter())
			}
			return d.Recorded(ctx, p, in.House, in.filter())
		},
	)

	op(
		s,
		"draft",
		http.MethodGet,
		"/api/uploads/{draft}",
		"A dropped file as it was looked at last",
		func(ctx context.Context, p desk.Person, in *DraftPath) (*desk.Draft, error) {
			return d.Draft(p, in.Draft)
		},
	)
	op(
		s,
		"choose",
		http.MethodPut,
		"/api/uploads/{draft}",
		"Settle something about a dropped file and look again",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body desk.Choices
		}) (*desk.Draft, error) {
			return d.Choose(ctx, p, in.Draft, in.Body)
		},
	)
	op(
		s,
		"discard",
		http.MethodDelete,
		"/api/uploads/{draft}",
		"Forget a dropped file",
		func(ctx context.Context, p desk.Person, in *DraftPath) (done, error) {
			return done{true}, d.Discard(p, in.Draft)
		},
	)
	op(
		s,
		"takeIn",
		http.MethodPost,
		"/api/uploads/{draft}/take-in",
		"Take a dropped file in, all of it or nothing",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Key      string `json:"key" minLength:"8" doc:"of the client's making; a repeat is answered with the first result"`
				LeaveOut int    `json:"leave_out" doc:"the number of rows with problems that are left out"`
			}
		}) (desk.TakenIn, error) {
			return d.TakeIn(ctx, p, in.Draft, in.Body.Key, in.Body.LeaveOut)
		},
	)
	op(
		s,
		"settle",
		http.MethodPost,
		"/api/uploads/{draft}/settle",
		"Settle one thing about a dropped file and look again",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body desk.Answer
		}) (*desk.Draft, error) {
			return d.Settle(ctx, p, in.Draft, in.Body)
		},
	)
	op(
		s,
		"draftRows",
		http.MethodGet,
		"/api/uploads/{draft}/rows",
		"Rows of a dropped file as they are",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Sheet int    `query:"sheet"`
			From  int    `query:"from" minimum:"0"`
			Limit int    `query:"limit" maximum:"500" default:"100"`
			Kind  string `query:"kind" doc:"only rows of this group of problems" maxLength:"200"`
			Field string `query:"field" maxLength:"200"`
		}) (desk.FileRows, error) {
			return d.Rows(ctx, p, in.Draft, in.Sheet, in.From, in.Limit, in.Kind, in.Field)
		},
	)
	op(
		s,
		"tryFormula",
		http.MethodPost,
		"/api/uploads/{draft}/formula",
		"Work a formula out for the first rows",
		func(_ context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Sheet   int    `json:"sheet,omitempty"`
				Formula string `json:"formula" maxLength:"4000"`
			}
		}) (desk.FormulaTried, error) {
			return d.TryFormula(p, in.Draft, in.Body.Sheet, in.Body.Formula)
		},
	)
	op(
		s,
		"cancelDraft",
		http.MethodPost,
		"/api/uploads/{draft}/cancel",
		"End the work under way with a dropped file",
		func(_ context.Context, p desk.Person, in *DraftPath) (done, error) {
			return done{true}, d.Cancel(p, in.Draft)
		},
	)
	op(
		s,
		"saveDraftLayout",
		http.MethodPost,
		"/api/uploads/{draft}/layout",
		"Keep what was settled about a sheet as a layout",
		func(ctx context.Context, p desk.Person, in *struct {
			DraftPath
			Body struct {
				Sheet int    `json:"sheet,omitempty"`
				Name  string `json:"name" minLength:"1" maxLength:"120"`
			}
		}) (*desk.Draft, error) {
			return d.SaveDraftLayout(ctx, p, in.Draft, in.Body.Sheet, in.Body.Name)
		},
	)
	op(
		s,
		"layouts",
		http.MethodGet,
		"/api/layouts",
		"The saved layouts",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.LayoutView, error) {
			return d.Layouts(ctx, p)
		},
	)
	op(
		s,
		"saveLayout",
		http.MethodPut,
		"/api/layouts/{name}",
		"Keep a layout under a name",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"120"`
			Body desk.Layout
		}) (done, error) {
			return done{true}, d.SaveLayout(ctx, p, in.Name, in.Body)
		},
	)
	op(s, "deleteLayout", http.MethodDelete, "/api/layouts/{name}", "Forget a layout", func(ctx context.Context, p desk.Person, in *struct {
		Name string `path:"name" maxLength:"120"`
	}) (done, error) {
		return done{true}, d.DeleteLayout(ctx, p, in.Name)
	})
	op(
		s,
		"intakes",
		http.MethodGet,
		"/api/intakes",
		"The latest intakes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.IntakeView, error) {
			return d.Intakes(ctx, p)
		},
	)
	op(
		s,
		"undo",
		http.MethodPost,
		"/api/intakes/{intake}/undo",
		"Take an intake back",
		func(ctx context.Context, p desk.Person, in *struct {
			Intake int64 `path:"intake"`
			Sure   bool  `query:"sure" doc:"what else it touches, as the intake's warning says, is agreed to"`
		}) (done, error) {
			return done{true}, d.Undo(ctx, p, in.Intake, in.Sure)
		},
	)

	op(s, "tally", http.MethodPost, "/api/plan/tally", "What a scope comes to", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Scope desk.Scope `json:"scope"`
			Rows  int        `json:"rows" minimum:"1" maximum:"5000"`
		}
	}) (desk.Tally, error) {
		return d.Tally(ctx, p, in.Body.Scope, in.Body.Rows)
	})
	op(
		s,
		"freeze",
		http.MethodPost,
		"/api/counts",
		"Freeze a scope and cut its sheets",
		func(ctx context.Context, p desk.Person, in *body[desk.NewCount]) (desk.CountMade, error) {
			return d.Freeze(ctx, p, in.Body)
		},
	)
	op(
		s,
		"count",
		http.MethodGet,
		"/api/counts/{count}",
		"A count with the figures of its stages",
		func(ctx context.Context, p desk.Person, in *CountPath) (desk.StageLine, error) {
			return d.Count(ctx, p, in.Count)
		},
	)
	op(
		s,
		"countBins",
		http.MethodGet,
		"/api/counts/{count}/bins",
		"The tallies per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			AtQuery
		}) ([]desk.BinState, error) {
			return d.CountBins(ctx, p, in.Count, in.At)
		},
	)
	op(
		s,
		"sheets",
		http.MethodGet,
		"/api/counts/{count}/sheets",
		"The sheets of a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			After string `query:"after" maxLength:"20"`
			Limit int    `query:"limit" maximum:"1000"`
		}) (desk.SheetPage, error) {
			return d.Sheets(ctx, p, in.Count, in.After, in.Limit)
		},
	)
	op(
		s,
		"returns",
		http.MethodGet,
		"/api/counts/{count}/returns",
		"The files of counts that were taken in",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.ReturnView, error) {
			return d.Returns(ctx, p, in.Count)
		},
	)
	op(
		s,
		"undoReturn",
		http.MethodPost,
		"/api/counts/{count}/returns/{return}/undo",
		"Take a file of counts back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Return int64 `path:"return"`
		}) (done, error) {
			return done{true}, d.UndoReturn(ctx, p, in.Count, in.Return)
		},
	)
	op(
		s,
		"withdrawEntry",
		http.MethodPost,
		"/api/counts/{count}/lines/{pos}/withdraw",
		"Take one standing count of a line back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Entry int64 `json:"entry"`
			}
		}) (done, error) {
			return done{true}, d.WithdrawEntry(ctx, p, in.Count, in.Pos, in.Body.Entry)
		},
	)
	op(
		s,
		"seeUncounted",
		http.MethodPost,
		"/api/counts/{count}/uncounted",
		"What it would come to that uncounted means zero",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body desk.UncountedPart
		}) (desk.Uncounted, error) {
			return d.SeeUncounted(ctx, p, in.Count, in.Body)
		},
	)
	op(
		s,
		"setZero",
		http.MethodPost,
		"/api/counts/{count}/zero",
		"Settle that uncounted means zero, or take that back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				desk.UncountedPart
				Zero   bool `json:"zero"`
				Expect int  `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (desk.Decided, error) {
			return d.SetZero(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Zero, in.Body.Expect)
		},
	)
	op(
		s,
		"handOut",
		http.MethodPost,
		"/api/counts/{count}/hand-out",
		"Note who has sheets",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets  []int  `json:"sheets" minItems:"1"`
				Counter string `json:"counter" maxLength:"120"`
			}
		}) (done, error) {
			return done{true}, d.HandOut(ctx, p, in.Count, in.Body.Sheets, in.Body.Counter)
		},
	)
	op(
		s,
		"countLines",
		http.MethodGet,
		"/api/counts/{count}/lines",
		"The lines of a count in walking order",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (desk.VariancePage, error) {
			return d.CountLines(ctx, p, in.Count, in.filter())
		},
	)
	op(
		s,
		"typeIn",
		http.MethodPost,
		"/api/counts/{count}/entries",
		"Take counts typed at the desk",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string       `json:"key" minLength:"8"`
				Zone    string       `json:"zone,omitempty"`
				Entries []desk.Typed `json:"entries" minItems:"1" maxItems:"1000"`
			}
		}) (desk.TakenIn, error) {
			return d.TypeIn(ctx, p, in.Count, in.Body.Key, in.Body.Zone, in.Body.Entries)
		},
	)
	op(
		s,
		"variances",
		http.MethodGet,
		"/api/counts/{count}/variances",
		"The variances, ranked by what is at stake",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (desk.VariancePage, error) {
			return d.Variances(ctx, p, in.Count, in.filter())
		},
	)
	op(
		s,
		"history",
		http.MethodGet,
		"/api/counts/{count}/lines/{pos}",
		"What happened to a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos int64 `path:"pos"`
		}) (desk.LineHistory, error) {
			return d.History(ctx, p, in.Count, in.Pos)
		},
	)
	op(
		s,
		"decide",
		http.MethodPost,
		"/api/counts/{count}/decisions",
		"Accept or hold lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Lines  []int64 `json:"lines" minItems:"1" maxItems:"100000"`
				Kind   string  `json:"kind" enum:"accept,hold,"`
				Reason string  `json:"reason"`
			}
		}) (desk.Decided, error) {
			return d.Decide(ctx, p, in.Count, in.Body.Lines, in.Body.Kind, in.Body.Reason)
		},
	)
	op(
		s,
		"classes",
		http.MethodGet,
		"/api/classes",
		"The classes that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Classes(ctx, p)
		},
	)
	op(
		s,
		"reasons",
		http.MethodGet,
		"/api/reasons",
		"The reason codes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.ReasonView, error) {
			return d.Reasons(ctx, p)
		},
	)
	op(
		s,
		"postings",
		http.MethodGet,
		"/api/counts/{count}/postings",
		"The postings of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.PostingView, error) {
			return d.Postings(ctx, p, in.Count)
		},
	)
	op(
		s,
		"previewPosting",
		http.MethodGet,
		"/api/counts/{count}/postings/preview",
		"The file of the accepted lines before it is made",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Mode string `query:"mode" enum:"difference,balance,in-out,counted" default:"difference"`
		}) (desk.PostingPreview, error) {
			return d.PreviewPosting(ctx, p, in.Count, in.Mode)
		},
	)
	op(
		s,
		"post",
		http.MethodPost,
		"/api/counts/{count}/postings",
		"Make a posting of the accepted lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key   string `json:"key" minLength:"8"`
				Mode  string `json:"mode" enum:"difference,balance,in-out,counted"`
				Lines int    `json:"lines" doc:"the number of lines that the person saw"`
			}
		}) (desk.PostingView, error) {
			return d.Post(ctx, p, in.Count, in.Body.Mode, in.Body.Key, in.Body.Lines)
		},
	)
	op(
		s,
		"report",
		http.MethodGet,
		"/api/counts/{count}/report",
		"The figures of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) (desk.Report, error) {
			return d.Report(ctx, p, in.Count)
		},
	)
	op(
		s,
		"finish",
		http.MethodPost,
		"/api/counts/{count}/finish",
		"End a count for good",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body desk.Left
		}) (done, error) {
			return done{true}, d.Finish(ctx, p, in.Count, in.Body)
		},
	)
	op(
		s,
		"backups",
		http.MethodGet,
		"/api/backups",
		"The backups in the folder",
		func(_ context.Context, p desk.Person, _ *struct{}) ([]desk.BackupView, error) {
			return d.Backups(p)
		},
	)
	op(
		s,
		"backUp",
		http.MethodPost,
		"/api/backups",
		"Make a backup now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (desk.BackupView, error) {
			return d.BackUp(ctx, p)
		},
	)
	op(
		s,
		"seeRestore",
		http.MethodGet,
		"/api/backups/{name}",
		"What putting a backup back takes away",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
		}) (desk.TakesBack, error) {
			return d.SeeRestore(ctx, p, in.Name)
		},
	)
	op(
		s,
		"restore",
		http.MethodPost,
		"/api/backups/{name}/restore",
		"Put a backup in the place of the records",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
			Body struct {
				Agreed int `json:"agreed" doc:"how many things it takes back, as the person saw"`
			}
		}) (done, error) {
			return done{true}, d.Restore(ctx, p, in.Name, in.Body.Agreed)
		},
	)
	op(
		s,
		"verify",
		http.MethodPost,
		"/api/record/verify",
		"Prove the record of who did what",
		func(ctx context.Context, p desk.Person, _ *struct{}) (desk.Proof, error) {
			return d.Verify(ctx, p)
		},
	)
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
