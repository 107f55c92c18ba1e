package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/safety"
)

// registerSafety registers backups, restoring and proving.
func (s *Server) registerSafety() {
	d := s.desk
	op(s, "backups", http.MethodGet, "/api/backups", "The backups in the folder",
		func(_ context.Context, p desk.Person, _ *struct{}) ([]safety.BackupView, error) {
			return d.Safety.Backups(p)
		})
	op(s, "backUp", http.MethodPost, "/api/backups", "Make a backup now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (safety.BackupView, error) {
			return d.Safety.BackUp(ctx, p)
		})
	op(s, "seeRestore", http.MethodGet, "/api/backups/{name}", "What putting a backup back takes away",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
		}) (safety.TakesBack, error) {
			return d.Safety.SeeRestore(ctx, p, in.Name)
		})
	op(s, "restore", http.MethodPost, "/api/backups/{name}/restore", "Put a backup in the place of the records",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
			Body struct {
				Agreed int `json:"agreed" doc:"how many things it takes back, as the person saw"`
			}
		}) (done, error) {
			return done{true}, d.Safety.Restore(ctx, p, in.Name, in.Body.Agreed)
		})
	op(s, "verify", http.MethodPost, "/api/record/verify", "Prove the record of who did what",
		func(ctx context.Context, p desk.Person, _ *struct{}) (safety.Proof, error) {
			return d.Safety.Verify(ctx, p)
		})
}
