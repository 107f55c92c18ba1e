package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/plan"
)

// registerSheets registers the sheets of a count, and who has them.
func (s *Server) registerSheets() {
	d := s.desk
	op(s, "sheets", http.MethodGet, "/api/counts/{count}/sheets", "The sheets of a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			After string `query:"after" maxLength:"20"`
			Limit int    `query:"limit" maximum:"1000"`
		}) (counting.SheetPage, error) {
			return d.Counting.Sheets(ctx, p, in.Count, in.After, in.Limit)
		})
	op(s, "handOut", http.MethodPost, "/api/counts/{count}/hand-out", "Note who has sheets",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body counting.Handing
		}) (done, error) {
			return done{true}, d.Counting.HandOut(ctx, p, in.Count, in.Body)
		})
	op(s, "handOutPlanned", http.MethodPost, "/api/counts/{count}/hand-out/planned", "Hand out all sheets that are planned for somebody",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body counting.HandingPlanned
		}) (done, error) {
			return done{true}, d.Counting.HandOutPlanned(ctx, p, in.Count, in.Body)
		})
	op(s, "crew", http.MethodGet, "/api/counts/{count}/crew", "Who may count, and for whom sheets are planned",
		func(ctx context.Context, p desk.Person, in *struct{ CountPath }) (counting.Crew, error) {
			return d.Counting.Crew(ctx, p, in.Count)
		})
	op(s, "takeBack", http.MethodPost, "/api/counts/{count}/take-back", "Note that sheets are back, or out again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
				Back   bool  `json:"back"`
			}
		}) (done, error) {
			return done{true}, d.Counting.TakeBack(ctx, p, in.Count, in.Body.Sheets, in.Body.Back)
		})
	op(s, "sheetBins", http.MethodGet, "/api/counts/{count}/sheets/{number}/bins", "The bins of a sheet in walking order",
		func(ctx context.Context, p desk.Person, in *SheetPath) ([]plan.BinOfSheet, error) {
			return d.Plan.SheetBins(ctx, p, in.Count, in.Number)
		})
	op(s, "lanes", http.MethodGet, "/api/counts/{count}/lanes", "Who counts, and when they are likely to be done",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]counting.Lane, error) {
			return d.Counting.Lanes(ctx, p, in.Count)
		})
	op(s, "rounds", http.MethodGet, "/api/counts/{count}/rounds", "Lines of which two rounds do not say the same yet",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Once  bool   `query:"once" doc:"those that one round has not counted yet, in place of those that differ"`
			After string `query:"after"`
		}) (counting.RoundPage, error) {
			return d.Counting.Differing(ctx, p, in.Count, in.Once, in.After)
		})
}

// registerRecutting registers how sheets are cut anew, parted, let go and counted again.
func (s *Server) registerRecutting() {
	d := s.desk
	op(s, "cutAnew", http.MethodPost, "/api/counts/{count}/cut-anew", "Cut sheets that are with us anew",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.Recut
		}) (sheetsMade, error) {
			made, err := d.Plan.CutAnew(ctx, p, in.Count, in.Body)
			return sheetsMade{made}, err
		})
	op(s, "part", http.MethodPost, "/api/counts/{count}/sheets/{number}/part", "Part a sheet, wherever it is",
		func(ctx context.Context, p desk.Person, in *struct {
			SheetPath
			Body struct {
				From    string `json:"from" doc:"the first bin of the new sheet"`
				Counter string `json:"counter,omitempty" maxLength:"120" doc:"who gets it; left out: it is with us"`
			}
		}) (sheetsMade, error) {
			made, err := d.Plan.Part(ctx, p, in.Count, in.Number, in.Body.From, in.Body.Counter)
			return sheetsMade{[]int{made}}, err
		})
	op(
		s,
		"letGo",
		http.MethodPost,
		"/api/counts/{count}/let-go",
		"Let lines of sheets go, of which nothing is counted, or take them up again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
				Again  bool  `json:"again,omitempty" doc:"take them up again"`
			}
		}) (done, error) {
			if in.Body.Again {
				return done{true}, d.Plan.TakeUp(ctx, p, in.Count, in.Body.Sheets)
			}
			return done{true}, d.Plan.LetGo(ctx, p, in.Count, in.Body.Sheets)
		},
	)
	op(s, "recount", http.MethodPost, "/api/counts/{count}/recount", "Make sheets of lines that are counted again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.Again
		}) (plan.AgainMade, error) {
			return d.Plan.Recount(ctx, p, in.Count, in.Body)
		})
	op(s, "dropRecount", http.MethodPost, "/api/counts/{count}/recount/drop", "Take sheets of a recount away of which nothing was counted",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
			}
		}) (done, error) {
			return done{true}, d.Plan.DropRecount(ctx, p, in.Count, in.Body.Sheets)
		})
	op(
		s,
		"recountUncounted",
		http.MethodPost,
		"/api/counts/{count}/uncounted/recount",
		"Give uncounted lines out again, on sheets of their own",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				count.UncountedPart
				Expect int `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (plan.AgainMade, error) {
			return d.Plan.RecountUncounted(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Expect)
		},
	)
}

// SheetPath names a sheet of a count.
type SheetPath struct {
	CountPath
	Number int `path:"number"`
}

// sheetsMade are the numbers of sheets that were made.
type sheetsMade struct {
	Made []int `json:"made"`
}
