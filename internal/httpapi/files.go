package httpapi

import (
	"context"
	"errors"
	"io"
	"mime"
	"net/http"
	"path"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/files"
)

// fileOps are about what is on a server path by path.
func (s looking) fileOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/folder", "list-folder", "What is directly in a folder of a server, as it is recorded and as the last survey found it", "insight"), func(ctx context.Context, in *struct {
		OnServer
		Path string `query:"path" doc:"The folder; the server's root where absent"`
	}) (*body[api.Folder], error) {
		p, err := parsePath(in.Path)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		rows, at, err := s.Files.Folder(ctx, in.Server, p)
		w := api.Folder{Path: string(p), Rows: make([]api.FolderRow, len(rows)), SurveyedAt: moment(at)}
		for i, r := range rows {
			w.Rows[i] = api.FolderRow{Name: r.Name, Folder: r.Folder, Files: r.Files, Size: r.Size, Mark: string(r.Mark), Marked: r.Marked}
			if r.File != nil {
				f := wireFile(*r.File)
				w.Rows[i].File = &f
			}
		}
		return &body[api.Folder]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/paths", "find-paths", "Paths on servers in which some words stand, also of what is gone", "insight"), func(ctx context.Context, in *struct {
		Find   string `query:"find" required:"true" doc:"Words that all stand in the path"`
		Server string `query:"server" doc:"On this server only"`
	}) (*body[api.Page[api.FoundPath]], error) {
		list, err := s.Files.Search(ctx, in.Server, in.Find)
		return &body[api.Page[api.FoundPath]]{page(list, -1, func(model.FoundPath) int64 { return 0 }, func(f model.FoundPath) api.FoundPath {
			return api.FoundPath{Server: f.Server, Path: string(f.Path), Gone: f.Gone, Size: f.Size}
		})}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/compared", "compare-contents", "What something that happened made of a path, with secrets masked", "insight"), func(ctx context.Context, in *struct {
		OnServer
		Path string `query:"path" required:"true"`
		Seq  int64  `query:"seq" doc:"The number of what happened, as its history has it; without, the last that did"`
		Now  bool   `query:"now" doc:"What stood there after it, beside what is recorded now"`
	}) (*body[api.Compared], error) {
		p, err := parsePath(in.Path)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		c, err := s.Files.Compare(ctx, in.Server, p, in.Seq, in.Now)
		return &body[api.Compared]{api.Compared{Before: wireLooked(c.Before), After: wireLooked(c.After), Diff: c.Diff}}, s.fail(ctx, err)
	})
}

func wireLooked(l files.Look) api.Looked {
	return api.Looked{State: wireState(l.State), Kept: l.Kept, Kind: l.Kind, Text: l.Text, Masked: l.Masked, Inside: l.Inside, Cut: l.Cut}
}

// pictures are the types that a browser may draw of what is on a server.
var pictures = []string{"image/png", "image/jpeg", "image/gif", "image/webp"}

// content gives the bytes that stood at a path.
func (s streams) content(c *echo.Context) error {
	var seq int64
	p, err := parsePath(c.QueryParam("path"))
	if text := c.QueryParam("seq"); err == nil && text != "" {
		if seq, err = strconv.ParseInt(text, 10, 64); err != nil {
			return writeProblem(c, refusal(http.StatusBadRequest, "bad-number", "seq is no number", ""))
		}
	}
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	side := files.After
	if c.QueryParam("side") == string(files.Before) {
		side = files.Before
	}
	f, st, err := s.Files.Content(c.Request().Context(), c.Param("server"), p, seq, side)
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	begin := make([]byte, 512)
	n, err := io.ReadFull(f, begin)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return writeProblem(c, ProblemOf(errors.Join(err, f.Close())))
	}
	kind := http.DetectContentType(begin[:n])
	if !slices.Contains(pictures, kind) {
		kind = "application/octet-stream"
	}
	h := c.Response().Header()
	h.Set("Content-Type", kind)
	h.Set("Content-Length", strconv.FormatInt(st.Size, 10))
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": path.Base(string(p))}))
	if _, err = c.Response().Write(begin[:n]); err == nil {
		_, err = io.Copy(c.Response(), f)
	}
	return errors.Join(err, f.Close())
}
