package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/elevation"
	"wobin/internal/desk/report"
)

// registerReports registers counts as a whole: their figures, their report, and their end.
func (s *Server) registerReports() {
	d := s.desk
	op(s, "count", http.MethodGet, "/api/counts/{count}", "A count with the figures of its stages",
		func(ctx context.Context, p desk.Person, in *CountPath) (count.Stages, error) {
			return d.Today.Count(ctx, p, in.Count)
		})
	op(s, "countBins", http.MethodGet, "/api/counts/{count}/bins", "The tallies per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			AtQuery
		}) ([]elevation.BinState, error) {
			return d.Elevation.CountBins(ctx, p, in.Count, in.At)
		})
	op(s, "report", http.MethodGet, "/api/counts/{count}/report", "The figures of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Report, error) {
			return d.Report.Report(ctx, p, in.Count)
		})
	op(s, "together", http.MethodGet, "/api/counts/{count}/together", "The counts that stand under one name with a count, and all of them",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Together, error) {
			return d.Report.Together(ctx, p, in.Count)
		})
	op(s, "habits", http.MethodGet, "/api/counts/{count}/habits", "What comes back over the last counts of a warehouse",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Habits, error) {
			return d.Report.Habits(ctx, p, in.Count)
		})
	op(s, "finish", http.MethodPost, "/api/counts/{count}/finish", "End a count for good",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Left
		}) (done, error) {
			return done{true}, d.Adjustments.Finish(ctx, p, in.Count, in.Body)
		})
	op(s, "reopen", http.MethodPost, "/api/counts/{count}/reopen", "Open a finished count again of which nothing went out",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Reason string `json:"reason" minLength:"1" maxLength:"500"`
			}
		}) (done, error) {
			return done{true}, d.Adjustments.Reopen(ctx, p, in.Count, in.Body.Reason)
		})
}
