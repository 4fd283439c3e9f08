package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/survey"
)

// shownTurns is how many files a comparison names.
const shownTurns = 1000

// compareOps are about how a server stood at other times.
func (s looking) compareOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/comparison", "compare-moments", "What differs between how a server stood after one deployment and after another, by its ledger", "insight"), func(ctx context.Context, in *struct {
		OnServer
		From int `query:"from" minimum:"0" required:"true" doc:"After this deployment; 0: before the first"`
		To   int `query:"to" minimum:"-1" default:"-1" doc:"After this one; -1: now"`
	}) (*body[api.Between], error) {
		var to *int
		if in.To >= 0 {
			to = &in.To
		}
		c, err := s.Insight.Compare(ctx, in.Server, in.From, to)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		told, err := s.Surveys.Turned(ctx, in.Server, c.Paths)
		return &body[api.Between]{wireBetween(c, told)}, s.fail(ctx, err)
	})
}

func wireBetween(c insight.Compared, told map[tree.Path]survey.Told) api.Between {
	w := api.Between{From: c.From, To: c.To, Addons: []api.AddonTurn{}, Files: []api.FileTurn{}}
	for _, a := range c.Addons {
		w.Addons = append(w.Addons, api.AddonTurn(a))
	}
	for _, p := range c.Paths {
		what := "changed"
		switch {
		case p.Was.Being != tree.Content:
			what = "in"
			w.In++
		case p.Is.Being != tree.Content:
			what = "out"
			w.Out++
		default:
			w.Changed++
		}
		if len(w.Files) < shownTurns {
			t := told[p.Path]
			f := api.FileTurn{Path: string(p.Path), What: what, Was: wireState(p.Was), Is: wireState(p.Is), Of: p.Of, Diff: t.Diff, Why: t.Why}
			for _, v := range t.Values {
				f.Values = append(f.Values, api.ValueTurn(v))
			}
			w.Files = append(w.Files, f)
		}
	}
	return w
}
