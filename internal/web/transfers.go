package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/document"
	"wobin/internal/store"
)

// transfer is a request for what is no JSON, by somebody who is signed in.
type transfer struct {
	*gin.Context
	ctx context.Context
	by  desk.Person
}

// registerRaw registers what is no JSON: uploads, downloads and the event stream.
func (s *Server) registerRaw(g *gin.Engine) {
	group := g.Group("/api", func(c *gin.Context) {
		p, ok := s.signedIn(c.Request.Context())
		if !ok {
			c.AbortWithStatusJSON(http.StatusUnauthorized, gin.H{"title": "Sign in first.", "detail": "Sign in first.", "status": 401})
			return
		}
		c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), personKey{}, p))
		steadily(c.Writer, c.Request)
	})
	for _, route := range []struct {
		method, path string
		do           func(t *transfer) error
	}{
		{http.MethodPost, "/uploads", s.upload},
		{http.MethodGet, "/uploads/:draft/refused", s.refusedRows},
		{http.MethodGet, "/uploads/:draft/against", s.against},
		{http.MethodGet, "/layouts/:name/file", s.layoutFile},
		{http.MethodGet, "/templates/:name", s.template},
		{http.MethodGet, "/layout.schema.json", s.layoutSchema},
		{http.MethodGet, "/files/:sha", s.keptFile},
		{http.MethodGet, "/try/:name", s.demoFile},
		{http.MethodGet, "/counts/:count/sheets/:number/:form", s.sheet},
		{http.MethodGet, "/counts/:count/sheets.zip", s.sheetsZip},
		{http.MethodGet, "/counts/:count/sheets.pdf", s.sheetsPDF},
		{http.MethodGet, "/counts/:count/postings/:number/file", s.postingFile},
		{http.MethodGet, "/counts/:count/postings/:number/manifest", s.manifest},
		{http.MethodPost, "/out-layouts/propose", s.proposeLayout},
		{http.MethodGet, "/out-layouts/:name/file", s.outLayoutFile},
		{http.MethodGet, "/adjustment-layout.schema.json", s.outLayoutSchema},
		{http.MethodPost, "/counts/:count/lines/:pos/evidence", s.attachEvidence},
		{http.MethodGet, "/counts/:count/evidence/:file", s.evidence},
		{http.MethodGet, "/counts/:count/report/:form", s.reportFile},
	} {
		group.Handle(route.method, route.path, func(c *gin.Context) {
			ctx := c.Request.Context()
			if err := route.do(&transfer{c, ctx, person(ctx)}); err != nil {
				fail(c, problem(err))
			}
		})
	}
	group.GET("/events", s.events)
}

// numbers reads parts of the path that are numbers. One that is none names nothing.
func (t *transfer) numbers(names ...string) ([]int64, error) {
	out := make([]int64, len(names))
	for i, name := range names {
		n, err := strconv.ParseInt(t.Param(name), 10, 64)
		if err != nil {
			return nil, huma.Error404NotFound("There is nothing of the number " + strconv.Quote(t.Param(name)) + ".")
		}
		out[i] = n
	}
	return out, nil
}

// bytes hands out a file as it is.
func (t *transfer) bytes(name string, b []byte, err error) error {
	if err != nil {
		return err
	}
	t.attach(name, "application/octet-stream")
	_, _ = t.Writer.Write(b)
	return nil
}

// kept hands out a kept file, which is proved on the way. One that was changed breaks off, so that it never passes for whole.
func (t *transfer) kept(name string, k *store.KeptFile, err error) error {
	if err != nil {
		return err
	}
	defer k.Close()
	t.attach(name, "application/octet-stream")
	t.Header("Content-Length", strconv.FormatInt(k.Size(), 10))
	_, err = io.Copy(t.Writer, k)
	t.broke(err)
	return nil
}

// broke ends an answer that has begun and cannot go on, so that the other side sees that it is not whole.
func (t *transfer) broke(err error) {
	if err != nil {
		slog.Error("a download broke off", "error", err)
		panic(http.ErrAbortHandler)
	}
}

// answer gives JSON.
func (t *transfer) answer(out any, err error) error {
	if err == nil {
		t.JSON(http.StatusOK, out)
	}
	return err
}

// attach says that what follows is a file; the browser never shows it as a page of ours.
func (t *transfer) attach(name, media string) {
	name = strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune("\"\\/", r) {
			return '_'
		}
		return r
	}, name)
	// as RFC 6266 has it, in any script
	t.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	t.Header("Content-Type", media)
	t.Status(http.StatusOK)
}

func (s *Server) upload(t *transfer) error {
	var choices intake.Choices
	if text := t.Query("choices"); text != "" {
		if err := json.Unmarshal([]byte(text), &choices); err != nil {
			return huma.Error400BadRequest("The choices are not JSON.")
		}
	}
	choices.Zone = t.Query("zone")
	if into := t.Query("into"); into != "" { // a mended file goes on where the earlier one was
		return t.answer(s.desk.Intake.Redrop(t.ctx, t.by, into, t.Query("name"), t.Request.Body))
	}
	return t.answer(s.desk.Intake.Upload(t.ctx, t.by, t.Query("name"), t.Request.Body, choices))
}

func (s *Server) refusedRows(t *transfer) error {
	sheet, _ := strconv.Atoi(t.Query("sheet"))
	return t.bytes(s.desk.Intake.RefusedRows(t.ctx, t.by, t.Param("draft"), sheet))
}

func (s *Server) against(t *transfer) error {
	sheet, _ := strconv.Atoi(t.Query("sheet"))
	return t.bytes(s.desk.Intake.Against(t.ctx, t.by, t.Param("draft"), sheet))
}

func (s *Server) layoutFile(t *transfer) error {
	b, err := s.desk.Intake.LayoutFile(t.ctx, t.by, t.Param("name"))
	return t.bytes(t.Param("name")+".json", b, err)
}

func (s *Server) template(t *transfer) error {
	return t.bytes(s.desk.Intake.Template(t.by, t.Param("name")))
}

func (s *Server) layoutSchema(t *transfer) error {
	if _, err := s.desk.Intake.Layouts(t.ctx, t.by); err != nil {
		return err
	}
	b, err := LayoutSchema()
	return t.bytes(intake.LayoutSchemaName, b, err)
}

func (s *Server) keptFile(t *transfer) error {
	sha := t.Param("sha")
	if len(sha) != 64 || strings.Trim(sha, "0123456789abcdef") != "" {
		return huma.Error404NotFound("There is no such file.")
	}
	k, err := s.desk.KeptFile(t.ctx, t.by, sha)
	return t.kept(t.DefaultQuery("name", sha), k, err)
}

func (s *Server) demoFile(t *transfer) error {
	b, err := s.desk.Intake.DemoFile(t.by, t.Param("name"))
	return t.bytes(t.Param("name"), b, err)
}

// form is the form of a sheet that is asked for; text where it is none.
func form(text string) counting.SheetForm {
	if f := counting.SheetForm(text); slices.Contains(counting.SheetForms, f) {
		return f
	}
	return counting.AsText
}

func (s *Server) sheet(t *transfer) error {
	n, err := t.numbers("count", "number")
	if err != nil {
		return err
	}
	return t.bytes(s.desk.Counting.WriteSheet(t.ctx, t.by, n[0], int(n[1]), form(t.Param("form"))))
}

func (s *Server) sheetsZip(t *transfer) error {
	n, err := t.numbers("count")
	if err != nil {
		return err
	}
	started := false
	err = s.desk.Counting.WriteSheets(t.ctx, t.by, n[0], form(t.Query("form")), func() io.Writer {
		started = true
		t.attach(fmt.Sprintf("sheets-%d.zip", n[0]), "application/zip")
		return t.Writer
	})
	if started {
		t.broke(err)
	}
	return err
}

func (s *Server) sheetsPDF(t *transfer) error {
	n, err := t.numbers("count")
	if err != nil {
		return err
	}
	var sheets []int
	for _, text := range t.QueryArray("number") {
		number, err := strconv.Atoi(text)
		if err != nil {
			return huma.Error404NotFound("There is no such sheet.")
		}
		sheets = append(sheets, number)
	}
	started := false
	err = s.desk.Counting.Print(t.ctx, t.by, n[0], t.Query("paper"), sheets, func() io.Writer {
		started = true
		t.attach(fmt.Sprintf("sheets-%d.pdf", n[0]), "application/pdf")
		return t.Writer
	})
	if started {
		t.broke(err)
	}
	return err
}

func (s *Server) postingFile(t *transfer) error {
	n, err := t.numbers("count", "number")
	if err != nil {
		return err
	}
	file := 1
	if text := t.Query("n"); text != "" {
		file, _ = strconv.Atoi(text)
	}
	return t.kept(s.desk.Adjustments.PostingFile(t.ctx, t.by, n[0], int(n[1]), file))
}

func (s *Server) manifest(t *transfer) error {
	n, err := t.numbers("count", "number")
	if err != nil {
		return err
	}
	return t.bytes(s.desk.Adjustments.Manifest(t.ctx, t.by, n[0], int(n[1])))
}

func (s *Server) proposeLayout(t *transfer) error {
	return t.answer(s.desk.Adjustments.Propose(t.by, t.Query("name"), t.Request.Body))
}

func (s *Server) outLayoutFile(t *transfer) error {
	b, err := s.desk.Adjustments.LayoutFile(t.ctx, t.by, t.Param("name"))
	return t.bytes(t.Param("name")+".json", b, err)
}

func (s *Server) outLayoutSchema(t *transfer) error {
	if _, err := s.desk.Adjustments.Layouts(t.ctx, t.by); err != nil {
		return err
	}
	b, err := OutLayoutSchema()
	return t.bytes(adjustments.LayoutSchemaName, b, err)
}

func (s *Server) attachEvidence(t *transfer) error {
	n, err := t.numbers("count", "pos")
	if err != nil {
		return err
	}
	id, err := s.desk.Variances.Attach(t.ctx, t.by, n[0], n[1], t.Query("name"), t.Request.Body)
	return t.answer(gin.H{"id": id}, err)
}

func (s *Server) evidence(t *transfer) error {
	n, err := t.numbers("count", "file")
	if err != nil {
		return err
	}
	name, media, k, err := s.desk.Variances.Evidence(t.ctx, t.by, n[0], n[1])
	if err != nil || !strings.HasPrefix(media, "image/") {
		return t.kept(name, k, err)
	}
	// The only files that are shown in a page of ours, and as pictures alone.
	defer k.Close()
	t.Header("Content-Type", media)
	t.Header("X-Content-Type-Options", "nosniff")
	t.Header("Content-Disposition", mime.FormatMediaType("inline", map[string]string{"filename": name}))
	t.Header("Content-Security-Policy", "default-src 'none'; sandbox")
	_, err = io.Copy(t.Writer, k)
	t.broke(err)
	return nil
}

func (s *Server) reportFile(t *transfer) error {
	n, err := t.numbers("count")
	if err != nil {
		return err
	}
	st, err := s.desk.Report.Statement(t.ctx, t.by, n[0])
	if err != nil {
		return err
	}
	switch size := document.Paper(t.Query("paper")); t.Param("form") {
	case "pdf":
		if size != document.Letter {
			size = document.A4
		}
		t.attach(st.Title+".pdf", "application/pdf")
		t.broke(document.WriteReport(size, st, t.Writer))
	case "xlsx":
		t.attach(st.Title+".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
		t.broke(document.WriteReportBook(st, t.Writer))
	default:
		return huma.Error404NotFound("A report is had as pdf or xlsx.")
	}
	return nil
}
