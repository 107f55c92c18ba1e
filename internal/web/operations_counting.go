package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/variances"
)

// registerCounting registers what comes back from the floor: typed, in files, and taken back.
func (s *Server) registerCounting() {
	d := s.desk
	op(s, "countLines", http.MethodGet, "/api/counts/{count}/lines", "The lines of a count in walking order",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (count.VariancePage, error) {
			return d.Counting.CountLines(ctx, p, in.Count, in.filter())
		})
	op(s, "findRow", http.MethodGet, "/api/counts/{count}/find", "Find the row that a typed or scanned text means",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Sheet int    `query:"sheet" doc:"the sheet in hand, whose rows go first"`
			Text  string `query:"text" maxLength:"200"`
		}) (counting.FoundRow, error) {
			return d.Counting.FindRow(ctx, p, in.Count, in.Sheet, in.Text)
		})
	op(s, "typeIn", http.MethodPost, "/api/counts/{count}/entries", "Take counts typed at the desk",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string           `json:"key" minLength:"8"`
				Zone    string           `json:"zone,omitempty"`
				Entries []counting.Typed `json:"entries" minItems:"1" maxItems:"1000"`
			}
		}) (count.TakenIn, error) {
			return d.Counting.TypeIn(ctx, p, in.Count, in.Body.Key, in.Body.Zone, in.Body.Entries)
		})
	op(s, "checkSheet", http.MethodPost, "/api/counts/{count}/sheets/{number}/check", "Hold a second typing of a sheet against what stands",
		func(ctx context.Context, p desk.Person, in *struct {
			SheetPath
			Body struct {
				Rows []counting.Twice `json:"rows" maxItems:"5000"`
			}
		}) (counting.Checked, error) {
			return d.Counting.Check(ctx, p, in.Count, in.Number, in.Body.Rows)
		})
	op(s, "returns", http.MethodGet, "/api/counts/{count}/returns", "The files of counts that were taken in",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]counting.ReturnView, error) {
			return d.Counting.Returns(ctx, p, in.Count)
		})
	op(s, "undoReturn", http.MethodPost, "/api/counts/{count}/returns/{return}/undo", "Take a file of counts back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Return int64 `path:"return"`
		}) (done, error) {
			return done{true}, d.Counting.UndoReturn(ctx, p, in.Count, in.Return)
		})
	op(s, "withdrawEntry", http.MethodPost, "/api/counts/{count}/lines/{pos}/withdraw", "Take one standing count of a line back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Entry int64 `json:"entry"`
			}
		}) (done, error) {
			return done{true}, d.Counting.WithdrawEntry(ctx, p, in.Count, in.Pos, in.Body.Entry)
		})
}

// registerTray registers what came back and could not be taken as a count.
func (s *Server) registerTray() {
	d := s.desk
	op(s, "tray", http.MethodGet, "/api/counts/{count}/tray", "What came back and could not be taken as a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Settled bool   `query:"settled" doc:"what was settled, in place of what waits"`
			After   string `query:"after"`
		}) (counting.Tray, error) {
			return d.Counting.Tray(ctx, p, in.Count, in.Settled, in.After)
		})
	op(s, "noteDoubt", http.MethodPost, "/api/counts/{count}/tray", "Put something that is not understood into the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string        `json:"key" minLength:"8" doc:"of the client's making; a repeat puts nothing twice"`
				Sheet   int           `json:"sheet" doc:"number of the sheet that it is written on"`
				Written count.Written `json:"written"`
				Wrong   string        `json:"wrong" maxLength:"1000" doc:"what is wrong with it"`
			}
		}) (done, error) {
			return done{true}, d.Counting.NoteDoubt(ctx, p, in.Body.Key, in.Count, in.Body.Sheet, in.Body.Written, in.Body.Wrong)
		})
	op(s, "enterDoubt", http.MethodPost, "/api/counts/{count}/tray/{doubt}/enter", "Enter what waits in the tray as a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Doubt int64 `path:"doubt"`
			Body  struct {
				Zone  string         `json:"zone"`
				Entry counting.Typed `json:"entry"`
			}
		}) (count.TakenIn, error) {
			return d.Counting.EnterDoubt(ctx, p, in.Count, in.Doubt, in.Body.Zone, in.Body.Entry)
		})
	op(s, "dropDoubts", http.MethodPost, "/api/counts/{count}/tray/drop", "Take what is no count out of the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Doubts []int64 `json:"doubts" minItems:"1" maxItems:"500"`
				Word   string  `json:"word" maxLength:"500" doc:"why it is no count"`
			}
		}) (done, error) {
			return done{true}, d.Counting.DropDoubts(ctx, p, in.Count, in.Body.Doubts, in.Body.Word)
		})
	op(s, "takeUpDoubt", http.MethodPost, "/api/counts/{count}/tray/{doubt}/take-up", "Put what was dropped back into the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Doubt int64 `path:"doubt"`
		}) (done, error) {
			return done{true}, d.Counting.TakeUpDoubt(ctx, p, in.Count, in.Doubt)
		})
}

// registerUncounted registers that uncounted means zero.
func (s *Server) registerUncounted() {
	d := s.desk
	op(s, "seeUncounted", http.MethodPost, "/api/counts/{count}/uncounted", "What it would come to that uncounted means zero",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body count.UncountedPart
		}) (variances.Uncounted, error) {
			return d.Variances.SeeUncounted(ctx, p, in.Count, in.Body)
		})
	op(s, "setZero", http.MethodPost, "/api/counts/{count}/zero", "Settle that uncounted means zero, or take that back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				count.UncountedPart
				Zero   bool `json:"zero"`
				Expect int  `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (variances.Decided, error) {
			return d.Variances.SetZero(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Zero, in.Body.Expect)
		})
}
