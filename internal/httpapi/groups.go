package httpapi

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/promotion"
)

// several are the operations about more than one server.
type several struct{ *Server }

func (s *Server) several() several { return several{s} }

// OnGroup names a group.
type OnGroup struct {
	Group string `path:"group"`
}

func (s several) groupOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/groups", "list-groups", "Servers that are deployed to together", "groups"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Group]], error) {
		list, err := s.Groups.List(ctx)
		return &body[api.Page[api.Group]]{page(list, -1, func(g model.Group) int64 { return g.ID }, wireGroup)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/groups", "add-group", "Name servers that are deployed to together", "groups"), func(ctx context.Context, in *struct{ Body api.NewGroup }) (*body[api.Group], error) {
		g, err := s.Groups.Add(ctx, in.Body.Name, in.Body.Servers, actorOf(ctx))
		return &body[api.Group]{wireGroup(g)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/groups/{group}", "get-group", "A group with what was done on it last", "groups"), func(ctx context.Context, in *OnGroup) (*body[api.Group], error) {
		g, err := s.Groups.One(ctx, in.Group)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		w := wireGroup(g)
		if r, err := s.Groups.Last(ctx, in.Group); err == nil {
			last := wireGroupRun(r)
			w.Last = &last
		}
		return &body[api.Group]{w}, nil
	})
	huma.Register(h, op(http.MethodDelete, "/groups/{group}", "drop-group", "Forget a group; nothing is done to its servers", "groups"), func(ctx context.Context, in *OnGroup) (*done, error) {
		return nil, s.fail(ctx, s.Groups.Drop(ctx, in.Group))
	})
	huma.Register(h, op(http.MethodPost, "/groups/{group}/drafts", "draft-group", "Draft the same on every server of a group; a job", "groups"), func(ctx context.Context, in *struct {
		OnGroup
		Body api.NewDraft
	}) (*accepted, error) {
		ask, err := unwireAsk(in.Body)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		accepts, err := parseAccepts(in.Body.Accept)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.onGroup(ctx, in.Group, func(ctx context.Context, tell progress.Tell) (any, error) {
			r, drafts, err := s.Groups.Draft(ctx, in.Group, ask, accepts, actor, tell)
			if err != nil {
				return nil, err
			}
			w := wireGroupRun(r)
			for _, d := range drafts {
				w.Drafts = append(w.Drafts, wireDeployment(d))
			}
			return w, nil
		})
	})
	huma.Register(h, op(http.MethodPost, "/groups/{group}/run", "run-group", "Run the drafts of a group that were read; a job", "groups"), func(ctx context.Context, in *struct {
		OnGroup
		Body api.RunGroup
	}) (*accepted, error) {
		accepts, err := parseAccepts(in.Body.Accept)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.onGroup(ctx, in.Group, func(ctx context.Context, tell progress.Tell) (any, error) {
			r, err := s.Groups.Run(ctx, in.Group, in.Body.ID, accepts, in.Body.SideBySide, actor, tell)
			return wireGroupRun(r), err
		})
	})
	huma.Register(h, op(http.MethodPost, "/groups/{group}/back", "take-group-back", "Take back what was done on a group last, on all of its servers; a job", "groups"), func(ctx context.Context, in *OnGroup) (*accepted, error) {
		actor := actorOf(ctx)
		return s.onGroup(ctx, in.Group, func(ctx context.Context, tell progress.Tell) (any, error) {
			r, err := s.Groups.Back(ctx, in.Group, actor, tell)
			return wireGroupRun(r), err
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/promotion", "look-at-promotion", "What would go to a server from another; a job that looks at both", "groups"), func(ctx context.Context, in *struct {
		OnServer
		From string `query:"from" required:"true"`
	}) (*accepted, error) {
		return s.jobs().cancellable(ctx, "promotion", in.From+" to "+in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
			p, err := s.Promotion.Look(ctx, in.From, in.Server, tell)
			return wirePromotion(p), err
		})
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/apart", "keep-apart", "Say that a value differs between two servers on purpose, or no more", "groups"), func(ctx context.Context, in *struct {
		OnServer
		Body api.KeepApart
	}) (*done, error) {
		b := in.Body
		return nil, s.fail(ctx, s.Promotion.Keep(ctx, b.From, in.Server, model.Apart{Path: tree.Path(b.Path), Value: b.Value, Actor: actorOf(ctx)}, b.Keep))
	})
	huma.Register(h, op(http.MethodGet, "/comparison", "compare-servers", "What differs between two servers of one rulebook, each at a moment, by their ledgers", "insight"), func(ctx context.Context, in *struct {
		A      string    `query:"a" required:"true" doc:"A server"`
		B      string    `query:"b" required:"true" doc:"Another one"`
		AAfter int       `query:"aAfter" minimum:"-1" default:"-1" doc:"As it stood after this deployment; 0: before the first"`
		BAfter int       `query:"bAfter" minimum:"-1" default:"-1"`
		AAt    time.Time `query:"aAt" doc:"As it stood at this time"`
		BAt    time.Time `query:"bAt"`
	}) (*body[api.Between], error) {
		stand := func(server string, after int, at time.Time) insight.Stand {
			t := insight.Stand{Server: server, At: at}
			if after >= 0 {
				t.After = &after
			}
			return t
		}
		c, err := s.Insight.CompareServers(ctx, stand(in.A, in.AAfter, in.AAt), stand(in.B, in.BAfter, in.BAt))
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		told, err := s.Surveys.Turned(ctx, in.A, c.Paths, in.B)
		return &body[api.Between]{wireBetween(c, told)}, s.fail(ctx, err)
	})
}

func (s several) onGroup(ctx context.Context, group string, work func(ctx context.Context, tell progress.Tell) (any, error)) (*accepted, error) {
	if _, err := s.Groups.One(ctx, group); err != nil {
		return nil, s.fail(ctx, err)
	}
	return s.jobs().job(ctx, "group", group, work)
}

func wireGroup(g model.Group) api.Group {
	w := api.Group{Name: g.Name, Servers: []string{}, By: g.Actor}
	for _, s := range g.Servers {
		w.Servers = append(w.Servers, s.Name)
	}
	return w
}

func wireGroupRun(r model.GroupRun) api.GroupRun {
	w := api.GroupRun{ID: r.ID, State: r.State, Parts: []api.GroupPart{}, By: r.Actor, At: r.At}
	named := func(server string, number int) string {
		if number == 0 {
			return ""
		}
		return fmt.Sprintf("%s#%d", server, number)
	}
	for _, p := range r.Parts {
		w.Parts = append(w.Parts, api.GroupPart{Server: p.Server, Deployment: named(p.Server, p.Number), State: p.State, Words: p.Words, Back: named(p.Server, p.Back)})
	}
	return w
}

func wirePromotion(p promotion.Promotion) api.Promotion {
	w := api.Promotion{From: p.From, To: p.To, Addons: []api.PromotedAddon{}, Enable: p.Enable, Disable: p.Disable, Values: []api.PromotedValue{}, Secrets: p.Secrets}
	for _, a := range p.Crates {
		w.Addons = append(w.Addons, api.PromotedAddon{Name: a.Name, Version: a.Version, Was: p.Was[a.Key], Crate: a.Crate.String()})
	}
	for _, a := range p.Others {
		w.Others = append(w.Others, api.PromotedAddon{Name: a.Name, Version: a.Version, Crate: a.Crate.String()})
	}
	for _, v := range p.Values {
		w.Values = append(w.Values, api.PromotedValue{Path: string(v.Path), Value: v.At, From: v.From, To: v.To, Apart: v.Apart})
	}
	return w
}
