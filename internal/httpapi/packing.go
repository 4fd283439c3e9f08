package httpapi

import (
	"context"
	"errors"
	"io/fs"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	core "restlesscrate/internal/core/packing"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/service/packing"
	"restlesscrate/internal/words"
)

// packers are the operations about packing lists.
type packers struct{ *Server }

func (s *Server) packers() packers { return packers{s} }

func (s packers) packOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/packlist", "get-packlist", "What the players of a server need", "packing lists"), func(ctx context.Context, in *OnServer) (*body[api.Packlist], error) {
		l, err := s.Packing.Of(ctx, in.Server)
		return &body[api.Packlist]{s.wire(l)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPatch, "/servers/{server}/packlist", "say-packlist", "Say what players must have, may have and must not have", "packing lists"), func(ctx context.Context, in *struct {
		OnServer
		Body api.SayPacklist
	}) (*body[api.Packlist], error) {
		say := packing.Say{Title: in.Body.Title, Words: in.Body.Words}
		for _, a := range in.Body.Addons {
			say.Addons = append(say.Addons, core.Said{Addon: a.Addon, Need: core.Need(a.Need), Note: a.Note, Share: a.Share})
		}
		l, err := s.Packing.Say(ctx, in.Server, say)
		return &body[api.Packlist]{s.wire(l)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/packlist/link", "link-packlist", "Give the list a page with an unlisted address; an earlier one leads nowhere any more", "packing lists"), func(ctx context.Context, in *OnServer) (*body[api.Packlist], error) {
		l, err := s.Packing.Link(ctx, in.Server, false)
		return &body[api.Packlist]{s.wire(l)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/servers/{server}/packlist/link", "unlink-packlist", "Take the list's page away", "packing lists"), func(ctx context.Context, in *OnServer) (*body[api.Packlist], error) {
		l, err := s.Packing.Link(ctx, in.Server, true)
		return &body[api.Packlist]{s.wire(l)}, s.fail(ctx, err)
	})
}

func (s packers) wire(l packing.List) api.Packlist {
	w := api.Packlist{Server: l.Server, Title: l.Title, Words: l.Words, Game: l.Game, Join: l.Join, Entries: []api.PackEntry{}, Oddities: l.Oddities, Since: when(l.Since), Before: when(l.Before), Bundle: l.Shared(),
		Text: core.Text(l.Title, l.Join, l.Words, l.Entries, words.Size)}
	for _, e := range l.Entries {
		x := api.PackEntry{Name: e.Name, Version: e.Version, Need: string(e.Need), Because: e.Because, Note: e.Note, Source: e.Source, Size: e.Size(), Share: e.Share, Files: packFiles(e.Files), Old: packFiles(e.Old)}
		if e.Archive != (tree.Digest{}) {
			x.SHA256 = e.Archive.String()
		}
		w.Entries = append(w.Entries, x)
	}
	for _, c := range l.Changes {
		w.Changes = append(w.Changes, api.PackTurn{Name: c.Name, What: c.What, Was: c.Was, Is: c.Is})
	}
	if l.Link != "" {
		w.URL = s.BaseURL() + "/pack/" + l.Link
	}
	return w
}

func packFiles(list []core.File) (out []api.PackFile) {
	for _, f := range list {
		out = append(out, api.PackFile{Path: f.Path, Size: f.Size, SHA256: f.Digest.String()})
	}
	return out
}

// packRoutes are what players reach without being signed in, by an address that nobody can guess.
func (s packers) packRoutes(e *echo.Echo) {
	g := e.Group("/pack", s.gate().limited)
	g.GET("/:secret", s.page)
	g.GET("/:secret/list.json", s.listed(func(c *echo.Context, l packing.List) error {
		w := s.wire(l)
		w.Server, w.URL = "", ""
		return c.JSON(http.StatusOK, w)
	}))
	g.GET("/:secret/list.txt", s.listed(func(c *echo.Context, l packing.List) error {
		return c.String(http.StatusOK, s.wire(l).Text)
	}))
	g.GET("/:secret/parts.zip", s.listed(func(c *echo.Context, l packing.List) error {
		if !l.Shared() {
			return c.String(http.StatusNotFound, "No licence allows that these files are handed out.\n")
		}
		select {
		case s.bundling() <- struct{}{}:
			defer func() { <-s.bundling() }()
		case <-c.Request().Context().Done():
			return nil
		}
		h := c.Response().Header()
		h.Set("Content-Type", "application/zip")
		h.Set("Content-Disposition", `attachment; filename="players-parts.zip"`)
		if err := s.Packing.Bundle(c.Request().Context(), l, c.Response()); err != nil {
			s.Log.Warn("a bundle for players broke off", "err", err)
			panic(http.ErrAbortHandler) // what has come must not look whole
		}
		return nil
	}))
}

// bundling bounds how many bundles are written at a time.
func (s *Server) bundling() chan struct{} {
	s.bundles.Do(func() { s.bundleTurns = make(chan struct{}, 2) })
	return s.bundleTurns
}

// private keeps an address from leaving with what it leads to.
func private(c *echo.Context) {
	h := c.Response().Header()
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("X-Robots-Tag", "noindex, nofollow")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Content-Type-Options", "nosniff")
}

// listed answers with the list of an address; one that leads nowhere counts as a wrong guess.
func (s packers) listed(answer func(c *echo.Context, l packing.List) error) echo.HandlerFunc {
	return func(c *echo.Context) error {
		private(c)
		l, err := s.Packing.At(c.Request().Context(), c.Param("secret"))
		if errors.Is(err, packing.ErrNoList) {
			s.denied.wait(addressOf(c.Request()))
			return c.String(http.StatusNotFound, "There is no packing list at this address. Its owner may have taken it away; ask them.\n")
		}
		if err != nil {
			return writeProblem(c, ProblemOf(err))
		}
		return answer(c, l)
	}
}

// page is the page that players see. What stands on it comes from list.json.
func (s packers) page(c *echo.Context) error {
	return s.listed(func(c *echo.Context, _ packing.List) error {
		if strings.HasSuffix(c.Request().URL.Path, "/") {
			return c.Redirect(http.StatusMovedPermanently, strings.TrimRight(c.Request().URL.Path, "/"))
		}
		if _, err := fs.Stat(s.Console, "pack.html"); s.Console == nil || err != nil {
			return c.String(http.StatusNotFound, "The pages are not built into this program; make build builds them.\n")
		}
		c.Response().Header().Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; form-action 'none'")
		return c.FileFS("pack.html", s.Console)
	})(c)
}
