package web

import (
	"context"
	"log/slog"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/reference"
	"wobin/internal/desk/safety"
)

// registerReference registers what looks things up, and the lists as files.
func (s *Server) registerReference() {
	d := s.desk
	op(s, "find", http.MethodGet, "/api/find", "What goes by a text: items, bins, sheets",
		func(ctx context.Context, p desk.Person, in *struct {
			Text string `query:"text" maxLength:"200"`
		}) ([]reference.Hit, error) {
			return d.Reference.Find(ctx, p, in.Text)
		})
	op(s, "item", http.MethodGet, "/api/item", "An item with all that is known of it",
		func(ctx context.Context, p desk.Person, in *struct {
			SKU string `query:"sku" maxLength:"200"`
		}) (reference.Item, error) {
			return d.Reference.Item(ctx, p, in.SKU)
		})
	op(s, "items", http.MethodGet, "/api/items", "The items in the natural order of their SKUs",
		func(ctx context.Context, p desk.Person, in *struct {
			Text     string `query:"text" maxLength:"200"`
			Category string `query:"category" maxLength:"200"`
			Class    string `query:"class" maxLength:"200"`
			After    string `query:"after" maxLength:"2000"`
			Limit    int    `query:"limit" maximum:"1000"`
		}) (reference.ItemsPage, error) {
			return d.Reference.Items(
				ctx,
				p,
				reference.ItemFilter{Text: in.Text, Category: in.Category, Class: in.Class, After: in.After, Limit: in.Limit},
			)
		})
	op(s, "places", http.MethodGet, "/api/places", "The bins by warehouse, in natural order",
		func(ctx context.Context, p desk.Person, in *PlacesQuery) (reference.PlacesPage, error) {
			return d.Reference.Places(ctx, p, in.filter())
		})
	op(s, "movements", http.MethodGet, "/api/movements", "The movements, those that were taken in last first",
		func(ctx context.Context, p desk.Person, in *PlacesQuery) (reference.MovementsPage, error) {
			return d.Reference.Movements(ctx, p, in.filter())
		})
}

// registerWork registers work that goes on, and what is changed by hand.
func (s *Server) registerWork() {
	d := s.desk
	op(s, "work", http.MethodGet, "/api/jobs", "The work that goes on, and what came of that which ended lately",
		func(_ context.Context, p desk.Person, _ *struct{}) ([]desk.Job, error) {
			return d.Running(p)
		})
	op(s, "stopWork", http.MethodPost, "/api/jobs/{job}/cancel", "Cancel work that goes on",
		func(_ context.Context, p desk.Person, in *struct {
			Job int64 `path:"job"`
		}) (done, error) {
			return done{true}, d.Stop(p, in.Job)
		})
	op(s, "edit", http.MethodPost, "/api/reference/edit", "Change items or places by hand, as an intake that can be undone",
		func(ctx context.Context, p desk.Person, in *struct {
			Body struct {
				Key string `json:"key" minLength:"8"`
				intake.Edit
			}
		}) (count.TakenIn, error) {
			return d.Intake.Edit(ctx, p, in.Body.Key, in.Body.Edit)
		})
	op(s, "recost", http.MethodPost, "/api/warehouses/{house}/costs", "Correct unit costs of recorded stock, and nothing else of it",
		func(ctx context.Context, p desk.Person, in *struct {
			HousePath
			Body struct {
				Key string `json:"key" minLength:"8"`
				intake.Costing
			}
		}) (count.TakenIn, error) {
			return d.Intake.Recost(ctx, p, in.House, in.Body.Key, in.Body.Costing)
		})
	huma.Register(
		s.api,
		huma.Operation{OperationID: "list", Method: http.MethodGet, Path: "/api/lists/{list}",
			Summary: "A list as a file, with the columns and rows that are in sight", Errors: []int{401, 403, 404, 422}},
		func(ctx context.Context, in *struct {
			List     string   `path:"list" maxLength:"40"`
			As       string   `query:"as" maxLength:"4" doc:"csv or xlsx; left out: csv"`
			Columns  []string `query:"columns" maxItems:"200" doc:"those in sight, in their order; left out: all"`
			House    int64    `query:"warehouse"`
			Counted  int64    `query:"count" doc:"the count whose lines they are, or which the record is about"`
			Category string   `query:"category" maxLength:"200"`
			Class    string   `query:"class" maxLength:"200"`
			Person   string   `query:"person" maxLength:"200"`
			What     string   `query:"what" maxLength:"200"`
			Day      string   `query:"day" maxLength:"10"`
			TimeZone string   `query:"zone" maxLength:"60"`
			FilterQuery
		}) (*huma.StreamResponse, error) {
			p, ok := s.signedIn(ctx)
			if !ok {
				return nil, huma.Error401Unauthorized("Sign in first.")
			}
			f, err := d.Lists.Open(
				ctx,
				p,
				lists.Asking{List: in.List, Form: lists.Form(in.As), Columns: in.Columns, House: in.House, Count: in.Counted,
					Filter: in.filter(), Category: in.Category, Class: in.Class,
					Record: safety.RecordFilter{Person: in.Person, What: in.What, Count: in.Counted, Day: in.Day, Zone: in.TimeZone}},
			)
			if err != nil {
				return nil, problem(err)
			}
			return &huma.StreamResponse{Body: func(c huma.Context) {
				c.SetHeader("Content-Type", f.Media)
				c.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": f.Name}))
				w, end := steadyWriter(c.BodyWriter())
				defer end()
				if err := f.Write(w); err != nil {
					slog.Info("a list broke off", "list", in.List, "error", err)
					panic(http.ErrAbortHandler) // the other side sees that it is not whole
				}
			}}, nil
		})
}

// PlacesQuery narrows a list that belongs to warehouses.
type PlacesQuery struct {
	House int64  `query:"warehouse"`
	Text  string `query:"text" maxLength:"200"`
	After string `query:"after" maxLength:"2000"`
	Limit int    `query:"limit" maximum:"1000"`
}

func (q *PlacesQuery) filter() reference.PlaceFilter {
	return reference.PlaceFilter{House: q.House, Text: q.Text, After: q.After, Limit: q.Limit}
}
