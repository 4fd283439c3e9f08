package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/desk"
)

// deskOps are about what needs a person.
func (s looking) deskOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/desk", "look-at-desk", "What needs a person, over all servers, and how these stand", "insight"), func(ctx context.Context, _ *struct{}) (*body[api.Desk], error) {
		d, err := s.Desk.Look(ctx)
		w := api.Desk{Needs: []api.Need{}, Servers: []api.Stand{}}
		for _, n := range d.Needs {
			w.Needs = append(w.Needs, api.Need{Kind: string(n.Kind), Level: string(n.Level), Server: n.Server, What: n.What, More: n.More, Line: n.Line, Since: moment(n.Since), Deeds: append([]api.Remedy{}, remedies(n.Deeds)...)})
		}
		for _, st := range d.Stands {
			w.Servers = append(w.Servers, wireStand(st))
		}
		return &body[api.Desk]{w}, s.fail(ctx, err)
	})
}

func wireStand(st desk.Stand) api.Stand {
	w := api.Stand{Server: st.Server.Name, Rulebook: st.Server.Rulebook, Game: st.Server.Known()["game"], Addons: st.Addons, Files: st.Files,
		Loaded: st.Loaded, Asked: st.Asked, Failed: st.Failed, RolledAt: when(st.RolledAt), Condition: st.Seen.Condition, Told: st.Seen.Words, FoundAt: when(st.Seen.ConditionAt),
		TriedAt: when(st.Seen.TriedAt), ReachedAt: when(st.Seen.ReachedAt), Different: st.Different, Join: st.Join, Open: wireBrief(st.Open), Last: wireBrief(st.Last)}
	if f := st.Seen.Trouble; f != nil {
		w.Trouble = &findings([]finding.Finding{*f})[0]
	}
	w.LookedAt, w.LookedBy = when(st.LookedAt), st.LookedBy
	if st.Survey != nil && st.Survey.At.After(st.LookedAt) {
		w.LookedAt, w.LookedBy = &st.Survey.At, ""
	}
	return w
}

func wireBrief(d *model.Deployment) *api.Deployment {
	if d == nil {
		return nil
	}
	w := wireDeployment(*d)
	return &w
}

// moment is a time of the core: none for 0.
func moment(millis int64) *time.Time {
	if millis == 0 {
		return nil
	}
	t := time.UnixMilli(millis).UTC()
	return &t
}
