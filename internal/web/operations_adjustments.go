package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
)

// registerPostings registers what goes out, and whether it landed.
func (s *Server) registerPostings() {
	d := s.desk
	op(s, "postings", http.MethodGet, "/api/counts/{count}/postings", "The postings of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]adjustments.PostingView, error) {
			return d.Adjustments.Postings(ctx, p, in.Count)
		})
	op(s, "previewPosting", http.MethodPost, "/api/counts/{count}/postings/preview", "The files of the accepted lines before they are made",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Going
		}) (adjustments.PostingPreview, error) {
			return d.Adjustments.Preview(ctx, p, in.Count, in.Body)
		})
	op(s, "post", http.MethodPost, "/api/counts/{count}/postings", "Send accepted lines out as a posting, or ask somebody to agree to it",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Sending
		}) (adjustments.Sent, error) {
			return d.Adjustments.Send(ctx, p, in.Count, in.Body)
		})
	op(s, "proof", http.MethodGet, "/api/counts/{count}/proof", "What became of the postings of a count in the records",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]adjustments.PostingProof, error) {
			return d.Adjustments.Proof(ctx, p, in.Count)
		})
	op(
		s,
		"reversePosting",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/reverse",
		"Take a posting back by one that says the opposite",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
			Body   struct {
				Key string `json:"key" minLength:"8"`
			}
		}) (adjustments.PostingView, error) {
			return d.Adjustments.Reverse(ctx, p, in.Count, in.Number, in.Body.Key)
		},
	)
	op(
		s,
		"unlanded",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/missing",
		"Note that lines of a posting are missing in the records, and open them again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
			Body   struct {
				Key    string `json:"key" minLength:"8"`
				Expect int    `json:"expect"`
			}
		}) (adjustments.PostingView, error) {
			return d.Adjustments.Unlanded(ctx, p, in.Count, in.Number, in.Body.Expect, in.Body.Key)
		},
	)
	op(
		s,
		"deliverPosting",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/folder",
		"Write the files of a posting into the folder for files out",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
		}) (done, error) {
			return done{true}, d.Adjustments.Deliver(ctx, p, in.Count, in.Number)
		},
	)
}

// registerElsewhere registers what other counts sent of the lines of a count.
func (s *Server) registerElsewhere() {
	d := s.desk
	op(s, "sentElsewhere", http.MethodGet, "/api/counts/{count}/elsewhere",
		"What other counts sent out of the lines of a count since its stock was recorded",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]count.Elsewhere, error) {
			return d.Variances.Elsewhere(ctx, p, in.Count)
		})
	op(s, "answerElsewhere", http.MethodPost, "/api/counts/{count}/elsewhere",
		"Say whether the records had postings of other counts, or still take them in",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Postings []int64 `json:"postings" minItems:"1" maxItems:"1000"`
				Answer   string  `json:"answer" enum:"had,takes"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AnswerElsewhere(ctx, p, in.Count, in.Body.Postings, in.Body.Answer)
		})
}

// registerAgreement registers how somebody else agrees to what goes out.
func (s *Server) registerAgreement() {
	d := s.desk
	op(s, "approvals", http.MethodGet, "/api/approvals", "Postings that wait for somebody to agree",
		func(ctx context.Context, p desk.Person, in *struct {
			Count int64 `query:"count" doc:"of this count, those that are settled, too; 0: what waits anywhere"`
		}) ([]adjustments.ApprovalView, error) {
			return d.Adjustments.Approvals(ctx, p, in.Count)
		})
	op(s, "answerApproval", http.MethodPost, "/api/approvals/{approval}", "Agree to a posting, or send it back",
		func(ctx context.Context, p desk.Person, in *struct {
			Approval int64 `path:"approval"`
			Body     adjustments.Answering
		}) (adjustments.Sent, error) {
			return d.Adjustments.Answer(ctx, p, in.Approval, in.Body)
		})
	op(s, "agreement", http.MethodGet, "/api/agreement", "When somebody else has to agree to a posting",
		func(ctx context.Context, p desk.Person, _ *struct{}) (adjustments.Agreement, error) {
			return d.Adjustments.Agreement(ctx, p)
		})
	op(s, "keepAgreement", http.MethodPut, "/api/agreement", "Settle when somebody else has to agree to a posting",
		func(ctx context.Context, p desk.Person, in *body[adjustments.Agreement]) (done, error) {
			return done{true}, d.Adjustments.KeepAgreement(ctx, p, in.Body)
		})
}

// registerOutLayouts registers the layouts of files out.
func (s *Server) registerOutLayouts() {
	d := s.desk
	op(s, "outLayouts", http.MethodGet, "/api/out-layouts", "The layouts of files out, and the fields of their columns",
		func(ctx context.Context, p desk.Person, _ *struct{}) (adjustments.OutLayouts, error) {
			return d.Adjustments.Layouts(ctx, p)
		})
	op(s, "keepOutLayout", http.MethodPut, "/api/out-layouts", "Keep a layout of files out under its name",
		func(ctx context.Context, p desk.Person, in *body[adjustments.OutLayout]) (done, error) {
			return done{true}, d.Adjustments.KeepLayout(ctx, p, in.Body)
		})
	op(s, "dropOutLayout", http.MethodDelete, "/api/out-layouts/{name}", "Let go of a layout of files out",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name"`
		}) (done, error) {
			return done{true}, d.Adjustments.DropLayout(ctx, p, in.Name)
		})
}
