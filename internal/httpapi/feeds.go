package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/feed"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/feeds"
	"restlesscrate/internal/service/insight"
)

// OnFeed names a feed.
type OnFeed struct {
	Feed string `path:"feed"`
}

// feedOps are about feeds.
func (s following) feedOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/feeds", "list-feeds", "The feeds that are followed", "feeds"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Feed]], error) {
		list, err := s.Feeds.List(ctx)
		return &body[api.Page[api.Feed]]{page(list, -1, func(f model.Feed) int64 { return f.ID }, wireFeed)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/feeds", "follow-feed", "Follow a feed, once it could be read; a job", "feeds"), func(ctx context.Context, in *struct{ Body api.NewFeed }) (*accepted, error) {
		to, err := s.streaming().goal(ctx, in.Body.For, in.Body.Rulebook)
		if err == nil {
			_, _, err = s.Catalog.Book(ctx, to.book)
		}
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		f := model.Feed{Name: in.Body.Name, URL: in.Body.URL, Rulebook: to.book, Key: in.Body.Key, Taken: in.Body.Taken, Every: feeds.Often, Actor: actorOf(ctx)}
		if in.Body.Every != nil {
			f.Every = time.Duration(*in.Body.Every) * time.Second
		}
		return s.jobs().cancellable(ctx, "feed", f.Name, func(ctx context.Context, tell progress.Tell) (any, error) {
			tell.Look("reading " + f.URL)
			f, err := s.Feeds.Add(ctx, f)
			return s.heard(ctx, f, err)
		})
	})
	huma.Register(h, op(http.MethodGet, "/feeds/{feed}", "get-feed", "A feed with what it announces, beside what is on servers", "feeds"), func(ctx context.Context, in *OnFeed) (*body[api.Feed], error) {
		f, err := s.Feeds.Find(ctx, in.Feed)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w, err := s.full(ctx, f)
		return &body[api.Feed]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/feeds/{feed}/check", "check-feed", "Look at a feed now; a job", "feeds"), func(ctx context.Context, in *OnFeed) (*accepted, error) {
		if _, err := s.Feeds.Find(ctx, in.Feed); err != nil {
			return nil, s.fail(ctx, err)
		}
		return s.startJob(ctx, in.Feed, actorOf(ctx))
	})
	huma.Register(h, op(http.MethodDelete, "/feeds/{feed}", "drop-feed", "Follow a feed no more; what was staged stays", "feeds"), func(ctx context.Context, in *OnFeed) (*done, error) {
		return nil, s.fail(ctx, s.Feeds.Drop(ctx, in.Feed))
	})
	huma.Register(h, op(http.MethodPost, "/feeds/{feed}/take", "take-release", "Download what a feed announces and stage it; a job", "feeds"), func(ctx context.Context, in *struct {
		OnFeed
		Body api.TakeRelease
	}) (*accepted, error) {
		f, r, err := s.Feeds.Release(ctx, in.Feed, in.Body.Addon)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "stage", r.URL, func(ctx context.Context, tell progress.Tell) (any, error) {
			return s.take(ctx, f, r, actor, tell)
		})
	})
	huma.Register(h, op(http.MethodPut, "/feeds/{feed}/taken", "take-always", "Have the next versions of an add-on staged by themselves, or no more", "feeds"), func(ctx context.Context, in *struct {
		OnFeed
		Body api.TakeAlways
	}) (*done, error) {
		return nil, s.fail(ctx, s.Feeds.TakeAlways(ctx, in.Feed, in.Body.Addon, in.Body.Always))
	})
}

// take downloads the file of a release and stages it, if it is what was announced.
func (s following) take(ctx context.Context, f model.Feed, r feed.Release, actor string, tell progress.Tell) (any, error) {
	u, err := s.Parts.Fetch(ctx, fetch.Exactly(r.Size, s.Web), r.URL, "", tell)
	if err != nil {
		return nil, err
	}
	u.Say = catalog.Say{Source: r.URL, Note: r.Notes, Expect: r.SHA256}
	return s.streaming().lay(ctx, u, goal{book: f.Rulebook}, actor, tell)
}

// CheckFeedByItself begins to look at a feed that nobody asked for just now, and stages what is to
// be staged by itself.
func (s *Server) CheckFeedByItself(ctx context.Context, name string) error {
	_, err := s.Jobs.Start(ctx, s.following().checking(name, "the feed "+name), s.following().check(name, "the feed "+name))
	return err
}

func (s following) checking(name, actor string) jobs.What {
	return jobs.What{Kind: "feed", Subject: name, Actor: actor, Cancellable: true}
}

func (s following) startJob(ctx context.Context, name, actor string) (*accepted, error) {
	return s.jobs().startJob(ctx, s.checking(name, actor), s.check(name, actor))
}

// check looks at a feed, and begins to stage what is to be staged by itself.
func (s following) check(name, actor string) jobs.Work {
	return func(ctx context.Context, tell progress.Tell) (any, error) {
		tell.Look("reading feed " + name)
		f, err := s.Feeds.Check(ctx, name)
		if err != nil {
			return nil, err
		}
		wanted, err := s.Feeds.Wanted(ctx, f)
		if err != nil {
			return nil, err
		}
		for _, r := range wanted {
			tell.Look("staging " + r.Addon + " " + r.Version)
			_, err := s.Jobs.Start(context.WithoutCancel(ctx), jobs.What{Kind: "stage", Subject: r.URL, Actor: "the feed " + name, Cancellable: true}, func(ctx context.Context, tell progress.Tell) (any, error) {
				return s.take(ctx, f, r, "the feed "+name, tell)
			})
			if err != nil {
				return nil, err
			}
		}
		return s.heard(ctx, f, nil)
	}
}

func (s following) heard(ctx context.Context, f model.Feed, err error) (any, error) {
	if err != nil {
		return nil, err
	}
	return s.full(ctx, f)
}

func wireFeed(f model.Feed) api.Feed {
	w := api.Feed{Name: f.Name, URL: f.URL, Rulebook: f.Rulebook, Signed: f.Key != "", Every: int64(f.Every.Seconds()), Taken: f.Taken, By: f.Actor, LookedAt: when(f.LookedAt), ChangedAt: when(f.ChangedAt), TriedAt: when(f.TriedAt), Trouble: f.Trouble}
	if f.Said != nil {
		w.Title, w.Made, w.Count = f.Said.Title, f.Said.Made, len(f.Said.Releases)
	}
	return w
}

// full is a feed with what it announces beside what is on the servers of its rulebook.
func (s following) full(ctx context.Context, f model.Feed) (api.Feed, error) {
	w := wireFeed(f)
	if f.Said == nil {
		return w, nil
	}
	book, _, err := s.Catalog.Book(ctx, f.Rulebook)
	if err != nil {
		return w, err
	}
	servers, err := s.Hosts.List(ctx)
	if err != nil {
		return w, err
	}
	held := map[string][]holder{}
	for _, srv := range servers {
		if srv.Rulebook != f.Rulebook {
			continue
		}
		st, err := s.Insight.Status(ctx, srv.Name)
		if err != nil {
			return w, err
		}
		for _, a := range st.Addons {
			held[a.Key] = append(held[a.Key], holder{srv, a})
		}
	}
	for _, r := range f.Said.Releases {
		x := api.Release{Addon: r.Addon, Version: r.Version, Game: r.Game, Loaders: r.Loaders, Side: r.Side, URL: r.URL, Size: r.Size, SHA256: r.SHA256.String(), Date: r.Date, Notes: r.Notes}
		if x.Staged, err = s.Feeds.There(ctx, r); err != nil {
			return w, err
		}
		for _, h := range held[r.Key()] {
			x.On = append(x.On, api.ReleaseOn{Server: h.server.Name, Installed: h.addon.Version, Newer: version.Compare(r.Version, h.addon.Version) > 0,
				Fit: wireFit(fit.Judge(fit.Told(book, r.Facts("the feed "+f.Name)), h.server.Known()))})
		}
		w.Releases = append(w.Releases, x)
	}
	return w, nil
}

type holder struct {
	server model.Server
	addon  insight.Addon
}

// announce tells beside updates what feeds announce that is newer than what is there.
func (s following) announce(ctx context.Context, server string, list []insight.Update, to []api.Update) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	book, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	have := make([]feed.Have, len(list))
	for i, u := range list {
		have[i] = insight.HaveOf(u.Addon)
	}
	newest, err := s.Feeds.Beside(ctx, book, srv.Known(), have)
	for i, best := range newest {
		if best != nil {
			to[i].Announced = &api.Announced{Feed: best.Feed, Version: best.Version, Date: best.Date, Notes: best.Notes, Size: best.Size, Fit: wireFit(best.Verdict)}
		}
	}
	return err
}
