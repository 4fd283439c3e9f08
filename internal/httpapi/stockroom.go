package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/tidying"
)

// stockroomOps are about what the stockroom holds, and how room is freed.
func (s keeping) stockroomOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/stockroom/archives", "list-archives", "Every download that the stockroom holds, or held, the newest first", "service"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.KeptArchive]], error) {
		all, err := s.Tidying.List(ctx)
		return &body[api.Page[api.KeptArchive]]{page(all, -1, func(tidying.Listed) int64 { return 0 }, func(l tidying.Listed) api.KeptArchive {
			return api.KeptArchive{Archive: wireArchive(l.Archive), Servers: append([]string{}, l.Servers...), Newer: l.Newer, Dropped: l.DroppedAt}
		})}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/stockroom/plan", "plan-tidying", "What tidying the stockroom would free; changes nothing", "service"), func(ctx context.Context, in *body[api.Tidy]) (*body[api.TidyPlan], error) {
		p, err := s.Tidying.Plan(ctx, in.Body.Policy, func(string) {})
		return &body[api.TidyPlan]{wirePlan(p)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/stockroom/tidy", "tidy-stockroom", "Free what a plan says that was read; a job", "service"), func(ctx context.Context, in *body[api.Tidy]) (*accepted, error) {
		if !in.Body.Policy.Says() {
			return nil, s.fail(ctx, fault.New(fault.Usage, "bad-request", "say what may go: by age, by versions, by room, or by name"))
		}
		actor := actorOf(ctx)
		return s.jobs().alone(ctx, "tidy-stockroom", func(ctx context.Context, tell progress.Tell) (any, error) {
			p, err := s.Tidying.Tidy(ctx, in.Body.Policy, in.Body.Digest, actor, tell.Look)
			return wirePlan(p), err
		})
	})
}

func wirePlan(p tidying.Plan) api.TidyPlan {
	w := api.TidyPlan{Archives: []api.Going{}, Copies: []api.Going{}, GivenUp: append([]string{}, p.GivenUp...), Kept: []api.KeptReason{}, Total: p.Total, Freed: p.Freed, Digest: p.Digest}
	for _, g := range p.Archives {
		w.Archives = append(w.Archives, api.Going(g))
	}
	for _, g := range p.Copies {
		w.Copies = append(w.Copies, api.Going(g))
	}
	at := map[string]int{}
	for _, k := range p.Kept {
		i, ok := at[k.Why]
		if !ok {
			i = len(w.Kept)
			at[k.Why] = i
			w.Kept = append(w.Kept, api.KeptReason{Why: k.Why})
		}
		w.Kept[i].Names, w.Kept[i].Bytes = append(w.Kept[i].Names, k.Filename), w.Kept[i].Bytes+k.Size
	}
	return w
}
