package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"path"
	"reflect"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/catalog"
)

// stage takes an archive's bytes as the request's body, and lays it out in a job.
func (s streams) stage(c *echo.Context) error {
	ctx, q := c.Request().Context(), c.QueryParams()
	to, err := s.goal(ctx, q.Get("for"), q.Get("rulebook"))
	if err != nil {
		return refuse(c, err)
	}
	said, err := saidOf(q)
	if err != nil {
		return refuse(c, err)
	}
	u, err := s.receive(c.Request())
	if errors.Is(err, errTooLarge) {
		return writeProblem(c, tooLarge(s.MaxUpload))
	}
	if err != nil {
		return refuse(c, err)
	}
	u.Say = said
	actor := actorOf(ctx)
	j, err := s.Jobs.Start(ctx, jobs.What{Kind: "stage", Subject: u.Filename, Actor: actor}, func(ctx context.Context, tell progress.Tell) (any, error) {
		return s.lay(ctx, u, to, actor, tell)
	})
	if err != nil {
		return errors.Join(err, u.Discard())
	}
	return c.JSON(http.StatusAccepted, s.jobs().wireJob(ctx, j))
}

// goal is by what a download is laid out: one rulebook, or all; and the server that learns from it.
type goal struct{ book, learns string }

func (s streams) goal(ctx context.Context, server, book string) (goal, error) {
	if server == "" {
		return goal{book: book}, nil
	}
	srv, err := s.Hosts.Find(ctx, server)
	if err == nil && book != "" && book != srv.Rulebook {
		err = fault.New(fault.Usage, "bad-request", "%s uses rulebook %s, not %s", server, srv.Rulebook, book)
	}
	g := goal{book: srv.Rulebook}
	if srv.Learning {
		g.learns = server
	}
	return g, err
}

// lay stages what has come.
func (s streams) lay(ctx context.Context, u *catalog.Upload, to goal, actor string, tell progress.Tell) (any, error) {
	st, err := s.Catalog.Stage(ctx, u, to.book, actor, tell.Look)
	if err != nil {
		return nil, err
	}
	w, err := s.staged(ctx, st)
	if to.learns == "" || u.Say.KeepOnly || err != nil {
		return w, err
	}
	l, err := s.lessons().teach(ctx, to.learns, actor, api.Teach{Archives: []string{st.Archive.Digest.String()}})
	if err != nil {
		return nil, fmt.Errorf("%s is kept, but %s did not learn from it: %w", st.Archive.Filename, to.learns, err)
	}
	w.Lesson = &l
	return w, nil
}

// keepAsset takes a file's bytes as the request's body.
func (s streams) keepAsset(c *echo.Context) error {
	b, a, err := s.Catalog.KeepAsset(c.Request().Context(), c.Request().Body)
	if errors.Is(err, errTooLarge) {
		return writeProblem(c, tooLarge(s.MaxUpload))
	}
	if err != nil {
		return refuse(c, err)
	}
	return c.JSON(http.StatusOK, api.Asset{Digest: b.Digest.String(), Size: b.Size, About: a.String()})
}

// receive takes the bytes of an archive, of which some may have come before.
func (s streams) receive(r *http.Request) (*catalog.Upload, error) {
	q := r.URL.Query()
	id := q.Get("part")
	if id == "" {
		return s.Catalog.Receive(r.Context(), q.Get("filename"), r.Body)
	}
	from := int64(0)
	if said := q.Get("from"); said != "" {
		var err error
		if from, err = strconv.ParseInt(said, 10, 64); err != nil || from < 0 {
			return nil, fault.New(fault.Usage, "bad-request", "an upload goes on from a number of bytes, not from %q", said)
		}
	}
	cut := func() {}
	if p, ok := r.Body.(*patient); ok {
		cut = p.cut
	}
	return s.Parts.Receive(r.Context(), id, q.Get("filename"), from, r.Body, cut)
}

// saidOf reads what a person says of an archive.
func saidOf(q url.Values) (catalog.Say, error) {
	said := catalog.Say{Source: q.Get("source"), Note: q.Get("note"), CodePage: q.Get("codePage"), Root: q.Get("root"), KeepOnly: q.Get("keepOnly") == "true", Trusted: q.Get("trusted") == "true"}
	if digest := q.Get("sha256"); digest != "" {
		var err error
		if said.Expect, err = tree.ParseDigest(strings.ToLower(digest)); err != nil {
			return said, fault.New(fault.Usage, "bad-digest", "%v", err)
		}
	}
	return said, nil
}

// refuse answers a call whose body was not read to its end.
func refuse(c *echo.Context, err error) error {
	if p, ok := c.Request().Body.(*patient); ok && p.over.Load() {
		c.Response().Header().Set("Connection", "close") // the rest of it never comes
	} else {
		drain(c.Request().Body)
	}
	return writeProblem(c, ProblemOf(err))
}

// follow streams a job's events (server-sent). A listener that comes back
// with Last-Event-ID gets what it missed. The last event is "end" and carries
// the job.
func (s streams) follow(c *echo.Context) error {
	ctx := c.Request().Context()
	if _, err := s.jobs().findJob(ctx, c.Param("id")); err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	after, _ := strconv.ParseInt(c.Request().Header.Get("Last-Event-ID"), 10, 64)
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	j, err := s.Jobs.Follow(ctx, c.Param("id"), after, func(e model.JobEvent) error {
		raw, err := json.Marshal(wireProgress(e))
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(w, "id: %d\nevent: progress\ndata: %s\n\n", e.Number, raw); err != nil {
			return err
		}
		return rc.Flush()
	})
	if err != nil {
		return nil //nolint:nilerr // the listener went away; there is nobody to tell
	}
	raw, err := json.Marshal(s.jobs().wireJob(ctx, j))
	if err != nil {
		return err
	}
	if _, err := fmt.Fprintf(w, "event: end\ndata: %s\n\n", raw); err != nil {
		return nil //nolint:nilerr // as above
	}
	return rc.Flush()
}

// describePlain adds the calls that are not JSON to the document.
func (s *Server) describePlain(doc *huma.OpenAPI) {
	text := func(name, about string) *huma.Param {
		return &huma.Param{Name: name, In: "query", Description: about, Schema: &huma.Schema{Type: "string"}}
	}
	job := &huma.Response{Description: "The job that lays it out", Content: map[string]*huma.MediaType{"application/json": {Schema: &huma.Schema{Ref: "#/components/schemas/Job"}}}}
	doc.AddOperation(&huma.Operation{OperationID: "stage-archive", Method: http.MethodPost, Path: "/archives", Summary: "Stage an archive: its bytes are the body; a job", Tags: []string{"crates"},
		Parameters: []*huma.Param{{Name: "filename", In: "query", Required: true, Description: "As it was downloaded", Schema: &huma.Schema{Type: "string"}},
			text("rulebook", "Lay it out by this rulebook only"), text("for", "Lay it out by this server's rulebook only"), text("source", "Where it was downloaded"), text("note", "A note of your own"), text("sha256", "What its SHA-256 has to be"),
			text("codePage", "Of names in it that are not UTF-8, as IANA calls it"), text("root", "The folder in it that is the add-on, where several could be"),
			text("keepOnly", "true: it is kept but not laid out"),
			text("part", "A name of the caller's own for this upload, 16 to 64 letters, digits and dashes: what has come of it is kept for a day where the line is cut"),
			text("from", "With part: so many bytes have come before, and the body is the rest")},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}},
		Responses:   map[string]*huma.Response{"202": job}})
	doc.AddOperation(&huma.Operation{OperationID: "get-archive-bytes", Method: http.MethodGet, Path: "/archives/{archive}/bytes", Summary: "The bytes of a download, as it was staged", Tags: []string{"crates"},
		Parameters: []*huma.Param{{Name: "archive", In: "path", Required: true, Description: "Its file name, its digest, or the first digits of that", Schema: &huma.Schema{Type: "string"}}},
		Responses:  map[string]*huma.Response{"200": {Description: "The bytes", Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}}})
	doc.AddOperation(&huma.Operation{OperationID: "get-bundle", Method: http.MethodGet, Path: "/servers/{server}/bundle", Summary: "What somebody needs who helps with a server, as a zip of texts, with secrets masked", Tags: []string{"servers"},
		Parameters: []*huma.Param{{Name: "server", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}}, text("without", "Parts that are left out, parted by commas: "+strings.Join(bundleParts, ", "))},
		Responses:  map[string]*huma.Response{"200": {Description: "The zip", Content: map[string]*huma.MediaType{"application/zip": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}}})
	doc.AddOperation(&huma.Operation{OperationID: "get-content", Method: http.MethodGet, Path: "/servers/{server}/content", Summary: "The bytes that stood at a path before or after something happened to it, with secrets as they are", Tags: []string{"insight"},
		Parameters: []*huma.Param{{Name: "server", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}}, {Name: "path", In: "query", Required: true, Schema: &huma.Schema{Type: "string"}},
			text("seq", "The number of what happened, as its history has it; without, what stands there now"), text("side", "before or after; after where it is not said")},
		Responses: map[string]*huma.Response{"200": {Description: "The bytes", Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}}})
	kept := &huma.Response{Description: "What it is", Content: map[string]*huma.MediaType{"application/json": {Schema: doc.Components.Schemas.Schema(typeOf[api.Asset](), true, "Asset")}}}
	doc.AddOperation(&huma.Operation{OperationID: "keep-asset", Method: http.MethodPost, Path: "/assets", Summary: "Send a file that shall take the place of another: its bytes are the body", Tags: []string{"texts"},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}},
		Responses:   map[string]*huma.Response{"200": kept}})
	doc.AddOperation(&huma.Operation{OperationID: "follow-job", Method: http.MethodGet, Path: "/jobs/{id}/events", Summary: "A job's events, server-sent; resumes with Last-Event-ID", Tags: []string{"jobs"},
		Parameters: []*huma.Param{{Name: "id", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}}},
		Responses:  map[string]*huma.Response{"200": {Description: "Events named progress, then one named end with the job", Content: map[string]*huma.MediaType{"text/event-stream": {Schema: &huma.Schema{Type: "string"}}}}}})
	doc.AddOperation(&huma.Operation{OperationID: "watch-changes", Method: http.MethodGet, Path: "/changes", Summary: "An event whenever the records change, with what of them, server-sent; resumes with Last-Event-ID", Tags: []string{"insight"},
		Parameters: []*huma.Param{text("since", "What an earlier answer had as "+countHeader+": what changed after it is told at once")},
		Responses:  map[string]*huma.Response{"200": {Description: "Events named changed; each holds a Change", Content: map[string]*huma.MediaType{"text/event-stream": {Schema: &huma.Schema{Type: "string"}}}}}})
	// These travel inside jobs and streams only, so nothing else names them.
	doc.Components.Schemas.Schema(typeOf[api.Staged](), true, "Staged")
	doc.Components.Schemas.Schema(typeOf[api.Checkup](), true, "Checkup")
	doc.Components.Schemas.Schema(typeOf[api.Adoptable](), true, "Adoptable")
	doc.Components.Schemas.Schema(typeOf[api.JobEvent](), true, "JobEvent")
	doc.Components.Schemas.Schema(typeOf[api.Acted](), true, "Acted")
	doc.Components.Schemas.Schema(typeOf[api.Promotion](), true, "Promotion")
	doc.Components.Schemas.Schema(typeOf[api.Change](), true, "Change")
}

func typeOf[T any]() reflect.Type { return reflect.TypeFor[T]() }

// page serves the console. Paths that are no file are the console's own
// routes and get its page.
func (s streams) page(c *echo.Context) error {
	name := strings.TrimPrefix(path.Clean("/"+c.Request().URL.Path), "/")
	if strings.HasPrefix(name, "api/") {
		return echo.ErrNotFound
	}
	if info, err := fs.Stat(s.Console, name); name == "" || err != nil || info.IsDir() {
		name = "index.html"
	}
	if _, err := fs.Stat(s.Console, "index.html"); err != nil {
		return c.String(http.StatusNotFound, "The console is not built into this program; make build builds it.\n")
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	if name == "index.html" {
		h.Set("Cache-Control", "no-cache")
	} else if strings.HasPrefix(name, "assets/") {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	return c.FileFS(name, s.Console)
}
