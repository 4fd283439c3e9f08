package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/catalog"
)

func (s *Server) crateOps(h huma.API) {
	s.archiveOps(h)
	huma.Register(h, op(http.MethodGet, "/pallets", "list-pallets", "Packs whose add-ons came together, the newest first", "crates"), func(ctx context.Context, in *struct {
		Rulebook string `query:"rulebook"`
	}) (*body[api.Page[api.Pallet]], error) {
		all, err := s.Catalog.Pallets(ctx, in.Rulebook, "")
		return &body[api.Page[api.Pallet]]{page(all, -1, func(p model.Pallet) int64 { return p.ID }, wirePallet)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/pallets/{pallet}/name", "rename-pallet", "Give a pack another name, and its later versions too", "crates"), func(ctx context.Context, in *struct {
		Pallet   string `path:"pallet"`
		Rulebook string `query:"rulebook"`
		Body     api.Rename
	}) (*done, error) {
		return nil, s.fail(ctx, s.Catalog.RenamePallet(ctx, in.Rulebook, in.Pallet, in.Body.Name, actorOf(ctx)))
	})
	huma.Register(h, op(http.MethodGet, "/crates", "list-crates", "List the crates, the newest first", "crates"), func(ctx context.Context, in *struct {
		Paged
		Rulebook string `query:"rulebook"`
		Addon    string `query:"addon"`
	}) (*body[api.Page[api.Crate]], error) {
		before, err := in.before()
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		all, err := s.Catalog.Crates(ctx, in.Rulebook, in.Addon, before, pageLimit)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		fits, err := s.Insight.Fits(ctx)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		on, err := s.Insight.Holders(ctx)
		wire := func(c model.Crate) api.Crate {
			w := wireCrate(c)
			w.On = wireHeld(on(c.Body.Rulebook, c.Key))
			w.Fits = wireFits(fits(c.Body.Rulebook, c.Body.Facts))
			return w
		}
		return &body[api.Page[api.Crate]]{page(all, pageLimit, func(c model.Crate) int64 { return c.ID }, wire)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/crates", "list-id", "Keep an add-on that has no download: an id in a server's list", "crates"), func(ctx context.Context, in *body[api.Listing]) (*body[api.Crate], error) {
		book := in.Body.Rulebook
		if in.Body.For != "" {
			srv, err := s.Hosts.Find(ctx, in.Body.For)
			if err != nil {
				return nil, s.fail(ctx, err)
			}
			book = srv.Rulebook
		}
		c, err := s.Catalog.Listed(ctx, book, in.Body.ID, actorOf(ctx))
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &body[api.Crate]{wireCrateWhole(c)}, nil
	})
	huma.Register(h, op(http.MethodGet, "/crates/{crate}", "get-crate", "Show a crate with a reason for every file", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		Brief bool `query:"brief" doc:"Leave the digests of the files out: of a crate of many files they are most of the answer, since they do not pack"`
	}) (*body[api.Crate], error) {
		c, err := s.Catalog.FindCrate(ctx, in.Rulebook, in.Ref)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		on, err := s.Insight.Holders(ctx)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		fits, err := s.Insight.Fits(ctx)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w := wireCrateWhole(c)
		if in.Brief {
			for i := range w.Files {
				w.Files[i].Digest = ""
			}
		}
		w.On = wireHeld(on(c.Body.Rulebook, c.Key))
		w.Fits = wireFits(fits(c.Body.Rulebook, c.Body.Facts))
		return &body[api.Crate]{w}, nil
	})
	huma.Register(h, op(http.MethodGet, "/crates/{crate}/readme", "get-crate-readme", "The author's notes", "crates"), func(ctx context.Context, in *CrateRef) (*body[api.Page[api.Readme]], error) {
		c, err := s.Catalog.FindCrate(ctx, in.Rulebook, in.Ref)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		notes, err := s.Catalog.Readme(ctx, c)
		p := api.Page[api.Readme]{Items: []api.Readme{}}
		for _, n := range notes {
			p.Items = append(p.Items, api.Readme(n))
		}
		return &body[api.Page[api.Readme]]{p}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/crates/{crate}/compare", "compare-crates", "What a crate changes of an older version", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		With string `query:"with" required:"true" doc:"The older crate"`
	}) (*body[api.Comparison], error) {
		now, err := s.Catalog.FindCrate(ctx, in.Rulebook, in.Ref)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		old, err := s.Catalog.FindCrate(ctx, now.Body.Rulebook, in.With)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &body[api.Comparison]{wireComparison(old, now)}, nil
	})
	huma.Register(h, op(http.MethodPost, "/crates/{crate}/place", "place-files", "Correct where files of a crate go; it is laid out again", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		Body api.Placing
	}) (*body[api.Page[api.Crate]], error) {
		return s.corrected(ctx, in.CrateRef, func(c model.Crate) ([]model.Crate, error) {
			return s.Catalog.Corrections().Place(ctx, c, catalog.Placing(in.Body), actorOf(ctx))
		})
	})
	huma.Register(h, op(http.MethodPost, "/crates/{crate}/set", "set-crate", "Correct what a crate is called; it is laid out again", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		Body api.Naming
	}) (*body[api.Page[api.Crate]], error) {
		return s.corrected(ctx, in.CrateRef, func(c model.Crate) ([]model.Crate, error) {
			return s.Catalog.Corrections().Set(ctx, c, catalog.Naming(in.Body), actorOf(ctx))
		})
	})
	huma.Register(h, op(http.MethodPost, "/crates/{crate}/unset", "unset-crate", "Take back what was corrected of a crate; it is laid out again", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		Body api.Unsetting
	}) (*body[api.Page[api.Crate]], error) {
		return s.corrected(ctx, in.CrateRef, func(c model.Crate) ([]model.Crate, error) {
			return s.Catalog.Corrections().Unset(ctx, c, catalog.Unsetting(in.Body), actorOf(ctx))
		})
	})
	huma.Register(h, op(http.MethodGet, "/corrections", "list-corrections", "What people have corrected, as far as it is in force", "crates"), func(ctx context.Context, in *struct {
		Rulebook string `query:"rulebook"`
	}) (*body[api.Page[api.Correction]], error) {
		all, err := s.Catalog.Corrections().InForce(ctx, in.Rulebook)
		return &body[api.Page[api.Correction]]{page(all, -1, func(catalog.InForce) int64 { return 0 }, func(c catalog.InForce) api.Correction {
			return api.Correction{Rulebook: c.Rulebook, Addon: c.Key, From: c.From, Says: c.Says}
		})}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/crates/{crate}/join", "join-crates", "Make one crate of two downloads of one add-on", "crates"), func(ctx context.Context, in *struct {
		CrateRef
		Body api.Joining
	}) (*body[api.Crate], error) {
		a, err := s.Catalog.FindCrate(ctx, in.Rulebook, in.Ref)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		b, err := s.Catalog.FindCrate(ctx, a.Body.Rulebook, in.Body.With)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		c, err := s.Catalog.Corrections().Join(ctx, a, b, actorOf(ctx))
		return &body[api.Crate]{wireCrateWhole(c)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/crates/{crate}", "drop-crate", "Take a crate out of the list; its archive stays", "crates"), func(ctx context.Context, in *CrateRef) (*done, error) {
		_, err := s.Catalog.DropCrate(ctx, in.Rulebook, in.Ref)
		return nil, s.fail(ctx, err)
	})
}

// corrected applies a correction to a crate and gives what it became.
func (s *Server) corrected(ctx context.Context, ref CrateRef, correct func(model.Crate) ([]model.Crate, error)) (*body[api.Page[api.Crate]], error) {
	c, err := s.Catalog.FindCrate(ctx, ref.Rulebook, ref.Ref)
	if err != nil {
		return nil, s.fail(ctx, err)
	}
	now, err := correct(c)
	return &body[api.Page[api.Crate]]{page(now, -1, func(c model.Crate) int64 { return c.ID }, wireCrateWhole)}, s.fail(ctx, err)
}
