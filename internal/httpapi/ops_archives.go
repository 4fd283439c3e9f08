package httpapi

import (
	"context"
	"errors"
	"mime"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/catalog"
)

// archiveOps are about archives by themselves; staging one is in streams.go.
func (s *Server) archiveOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/archives/loose", "list-loose-archives", "Archives of which no crate is in the list, the newest first", "crates"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Loose]], error) {
		all, err := s.archives().Loose(ctx)
		return &body[api.Page[api.Loose]]{page(all, -1, func(l catalog.Loose) int64 { return l.Archive.ID }, wireLoose)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/archives/{archive}/again", "lay-out-archive", "Lay an archive out once more, which may have another root; a job", "crates"), func(ctx context.Context, in *struct {
		Archive string `path:"archive" doc:"Its file name, its digest, or the first digits of that"`
		Body    api.Choosing
	}) (*accepted, error) {
		a, err := s.archives().Find(ctx, in.Archive)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().job(ctx, "stage", a.Filename, func(ctx context.Context, tell progress.Tell) (any, error) {
			st, err := s.archives().Again(ctx, a, catalog.Choosing(in.Body), actor, tell.Look)
			if err != nil {
				return nil, err
			}
			return s.staged(ctx, st)
		})
	})
	huma.Register(h, op(http.MethodPost, "/archives/fetch", "fetch-archive", "Download a file and stage it; a job", "crates"), func(ctx context.Context, in *struct{ Body api.Fetch }) (*accepted, error) {
		return s.streaming().fetch(ctx, in.Body)
	})
	huma.Register(h, op(http.MethodPost, "/archives/parts/{part}", "resume-upload", "How much of an upload has come, so that it goes on there; whoever still sends it is cut off", "crates"), func(ctx context.Context, in *struct {
		Part string `path:"part"`
	}) (*body[api.Received], error) {
		n, err := s.Parts.Received(ctx, in.Part)
		return &body[api.Received]{api.Received{Bytes: n}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/archives/parts/{part}", "drop-upload", "Forget what has come of an upload", "crates"), func(ctx context.Context, in *struct {
		Part string `path:"part"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Parts.Drop(ctx, in.Part))
	})
}

func (s *Server) archives() catalog.Archives { return catalog.Archives{Service: s.Catalog} }

// fetch downloads a file and stages it.
func (s streams) fetch(ctx context.Context, in api.Fetch) (*accepted, error) {
	address, err := catalog.AddressOf(in.URL)
	if err != nil {
		return nil, s.fail(ctx, err)
	}
	to, err := s.goal(ctx, in.For, in.Rulebook)
	if err != nil {
		return nil, s.fail(ctx, err)
	}
	said := catalog.Say{Source: address, Note: in.Note, CodePage: in.CodePage, Root: in.Root, Trusted: in.Trusted}
	if in.SHA256 != "" {
		if said.Expect, err = tree.ParseDigest(strings.ToLower(in.SHA256)); err != nil {
			return nil, s.fail(ctx, fault.New(fault.Usage, "bad-digest", "%v", err))
		}
	}
	actor := actorOf(ctx)
	return s.jobs().cancellable(ctx, "stage", address, func(ctx context.Context, tell progress.Tell) (any, error) {
		u, err := s.Parts.Fetch(ctx, s.Web, address, in.Filename, tell)
		if err != nil {
			return nil, err
		}
		u.Say = said
		return s.lay(ctx, u, to, actor, tell)
	})
}

// archive gives the bytes of a download, as they were staged.
func (s streams) archive(c *echo.Context) (err error) {
	ctx := c.Request().Context()
	a, err := s.archives().Find(ctx, c.Param("archive"))
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	f, err := s.Parts.Room.Container(a.Container)
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	h := c.Response().Header()
	h.Set("Content-Type", "application/octet-stream")
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": a.Filename}))
	http.ServeContent(c.Response(), c.Request(), "", a.CreatedAt, f)
	return nil
}
