package httpapi

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/insight"
)

// updateOps are about the next versions of what is on servers.
func (s looking) updateOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/updates", "list-updates", "What is on a server beside the newest that is staged and fits", "servers"), func(ctx context.Context, in *OnServer) (*body[api.Page[api.Update]], error) {
		list, err := s.Insight.Updates(ctx, in.Server)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		out := page(list, -1, func(insight.Update) int64 { return 0 }, wireUpdate)
		return &body[api.Page[api.Update]]{out}, s.fail(ctx, s.following().announce(ctx, in.Server, list, out.Items))
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/updates/looked", "looked-for-updates", "Note that a person has looked for updates of a server now", "insight"), func(ctx context.Context, in *OnServer) (*done, error) {
		return nil, s.fail(ctx, s.Surveys.LookedForUpdates(ctx, in.Server, actorOf(ctx)))
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/addons/{addon}/hold", "hold-addon", "Say how an add-on is updated: not at all, or by which builds", "servers"), func(ctx context.Context, in *struct {
		OnServer
		Addon string `path:"addon"`
		Body  api.Hold
	}) (*done, error) {
		return nil, s.fail(ctx, s.Insight.Hold(ctx, in.Server, model.Hold{Addon: in.Addon, Held: in.Body.Held, Channel: in.Body.Channel, Note: in.Body.Note, Actor: actorOf(ctx)}))
	})
}

func wireUpdate(u insight.Update) api.Update {
	w := api.Update{Addon: u.Addon.Name, Installed: u.Addon.Version, Fit: wireFit(u.Addon.Fit), Available: u.Available, Channel: u.Channel, StagedAt: when(u.StagedAt),
		In: u.In, Changed: u.Changed, Out: u.Out, Unfit: (*api.Unfit)(u.Addon.NewerUnfit), Hold: wireHold(u.Addon.Hold)}
	if u.Available != "" {
		w.Crate = u.Crate.String()
	}
	for _, p := range u.Settings {
		w.Settings = append(w.Settings, string(p))
	}
	for _, n := range u.Needs {
		w.Needs = append(w.Needs, strings.TrimSpace(n))
	}
	return w
}

func wireHold(h model.Hold) *api.Hold {
	if h.Addon == "" || !h.Held && h.Channel == model.Stable {
		return nil
	}
	return &api.Hold{Held: h.Held, Channel: h.Channel, Note: h.Note, By: h.Actor}
}
