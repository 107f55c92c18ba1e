package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
)

// registerCounts registers what is done with counts, with people and with the records as a whole.
func (s *Server) registerCounts() {
	d := s.desk
	op(s, "tally", http.MethodPost, "/api/plan/tally", "What a scope comes to", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Scope desk.Scope `json:"scope"`
			Rows  int        `json:"rows" minimum:"1" maximum:"5000"`
		}
	}) (desk.Tally, error) {
		return d.Tally(ctx, p, in.Body.Scope, in.Body.Rows)
	})
	op(s, "freeze", http.MethodPost, "/api/counts", "Freeze a scope and cut its sheets",
		func(ctx context.Context, p desk.Person, in *body[desk.NewCount]) (desk.CountMade, error) {
			return d.Freeze(ctx, p, in.Body)
		})
	op(s, "count", http.MethodGet, "/api/counts/{count}", "A count with the figures of its stages",
		func(ctx context.Context, p desk.Person, in *CountPath) (desk.StageLine, error) {
			return d.Count(ctx, p, in.Count)
		})
	op(s, "countBins", http.MethodGet, "/api/counts/{count}/bins", "The tallies per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			AtQuery
		}) ([]desk.BinState, error) {
			return d.CountBins(ctx, p, in.Count, in.At)
		})
	op(s, "sheets", http.MethodGet, "/api/counts/{count}/sheets", "The sheets of a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			After string `query:"after" maxLength:"20"`
			Limit int    `query:"limit" maximum:"1000"`
		}) (desk.SheetPage, error) {
			return d.Sheets(ctx, p, in.Count, in.After, in.Limit)
		})
	op(s, "returns", http.MethodGet, "/api/counts/{count}/returns", "The files of counts that were taken in",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.ReturnView, error) {
			return d.Returns(ctx, p, in.Count)
		})
	op(s, "undoReturn", http.MethodPost, "/api/counts/{count}/returns/{return}/undo", "Take a file of counts back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Return int64 `path:"return"`
		}) (done, error) {
			return done{true}, d.UndoReturn(ctx, p, in.Count, in.Return)
		})
	op(s, "withdrawEntry", http.MethodPost, "/api/counts/{count}/lines/{pos}/withdraw", "Take one standing count of a line back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Entry int64 `json:"entry"`
			}
		}) (done, error) {
			return done{true}, d.WithdrawEntry(ctx, p, in.Count, in.Pos, in.Body.Entry)
		})
	op(s, "seeUncounted", http.MethodPost, "/api/counts/{count}/uncounted", "What it would come to that uncounted means zero",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body desk.UncountedPart
		}) (desk.Uncounted, error) {
			return d.SeeUncounted(ctx, p, in.Count, in.Body)
		})
	op(s, "setZero", http.MethodPost, "/api/counts/{count}/zero", "Settle that uncounted means zero, or take that back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				desk.UncountedPart
				Zero   bool `json:"zero"`
				Expect int  `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (desk.Decided, error) {
			return d.SetZero(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Zero, in.Body.Expect)
		})
	op(s, "handOut", http.MethodPost, "/api/counts/{count}/hand-out", "Note who has sheets",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets  []int  `json:"sheets" minItems:"1"`
				Counter string `json:"counter" maxLength:"120"`
			}
		}) (done, error) {
			return done{true}, d.HandOut(ctx, p, in.Count, in.Body.Sheets, in.Body.Counter)
		})
	op(s, "countLines", http.MethodGet, "/api/counts/{count}/lines", "The lines of a count in walking order",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (desk.VariancePage, error) {
			return d.CountLines(ctx, p, in.Count, in.filter())
		})
	op(s, "typeIn", http.MethodPost, "/api/counts/{count}/entries", "Take counts typed at the desk",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string       `json:"key" minLength:"8"`
				Zone    string       `json:"zone,omitempty"`
				Entries []desk.Typed `json:"entries" minItems:"1" maxItems:"1000"`
			}
		}) (desk.TakenIn, error) {
			return d.TypeIn(ctx, p, in.Count, in.Body.Key, in.Body.Zone, in.Body.Entries)
		})
	op(s, "variances", http.MethodGet, "/api/counts/{count}/variances", "The variances, ranked by what is at stake",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (desk.VariancePage, error) {
			return d.Variances(ctx, p, in.Count, in.filter())
		})
	op(s, "history", http.MethodGet, "/api/counts/{count}/lines/{pos}", "What happened to a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos int64 `path:"pos"`
		}) (desk.LineHistory, error) {
			return d.History(ctx, p, in.Count, in.Pos)
		})
	op(s, "decide", http.MethodPost, "/api/counts/{count}/decisions", "Accept or hold lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body desk.Decisions
		}) (desk.Decided, error) {
			return d.Decide(ctx, p, in.Count, in.Body.Lines, in.Body.Kind, in.Body.Reason, in.Body.Saw...)
		})
	op(s, "classes", http.MethodGet, "/api/classes", "The classes that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Classes(ctx, p)
		})
	op(s, "reasons", http.MethodGet, "/api/reasons", "The reason codes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]desk.ReasonView, error) {
			return d.Reasons(ctx, p)
		})
	op(s, "postings", http.MethodGet, "/api/counts/{count}/postings", "The postings of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]desk.PostingView, error) {
			return d.Postings(ctx, p, in.Count)
		})
	op(s, "previewPosting", http.MethodGet, "/api/counts/{count}/postings/preview", "The file of the accepted lines before it is made",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Mode string `query:"mode" enum:"difference,balance,in-out,counted" default:"difference"`
		}) (desk.PostingPreview, error) {
			return d.PreviewPosting(ctx, p, in.Count, in.Mode)
		})
	op(s, "post", http.MethodPost, "/api/counts/{count}/postings", "Make a posting of the accepted lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key   string `json:"key" minLength:"8"`
				Mode  string `json:"mode" enum:"difference,balance,in-out,counted"`
				Lines int    `json:"lines" doc:"the number of lines that the person saw"`
				Sha   string `json:"sha,omitempty" doc:"of the file that the person saw; another one is refused"`
			}
		}) (desk.PostingView, error) {
			return d.Post(ctx, p, in.Count, in.Body.Mode, in.Body.Key, in.Body.Lines, in.Body.Sha)
		})
	op(s, "report", http.MethodGet, "/api/counts/{count}/report", "The figures of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) (desk.Report, error) {
			return d.Report(ctx, p, in.Count)
		})
	op(s, "finish", http.MethodPost, "/api/counts/{count}/finish", "End a count for good",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body desk.Left
		}) (done, error) {
			return done{true}, d.Finish(ctx, p, in.Count, in.Body)
		})
	op(s, "backups", http.MethodGet, "/api/backups", "The backups in the folder",
		func(_ context.Context, p desk.Person, _ *struct{}) ([]desk.BackupView, error) {
			return d.Backups(p)
		})
	op(s, "backUp", http.MethodPost, "/api/backups", "Make a backup now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (desk.BackupView, error) {
			return d.BackUp(ctx, p)
		})
	op(s, "seeRestore", http.MethodGet, "/api/backups/{name}", "What putting a backup back takes away",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
		}) (desk.TakesBack, error) {
			return d.SeeRestore(ctx, p, in.Name)
		})
	op(s, "restore", http.MethodPost, "/api/backups/{name}/restore", "Put a backup in the place of the records",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
			Body struct {
				Agreed int `json:"agreed" doc:"how many things it takes back, as the person saw"`
			}
		}) (done, error) {
			return done{true}, d.Restore(ctx, p, in.Name, in.Body.Agreed)
		})
	op(s, "verify", http.MethodPost, "/api/record/verify", "Prove the record of who did what",
		func(ctx context.Context, p desk.Person, _ *struct{}) (desk.Proof, error) {
			return d.Verify(ctx, p)
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
