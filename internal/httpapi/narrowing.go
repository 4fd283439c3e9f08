package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/service/narrowing"
)

// narrowingOps are about finding the add-on that does something wrong.
func (s looking) narrowingOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/narrowing", "get-narrowing", "How the search on a server stands; 404 where there is none", "insight"), func(ctx context.Context, in *OnServer) (*body[api.Narrowing], error) {
		st, err := s.Narrowing.At(ctx, in.Server)
		return &body[api.Narrowing]{wireNarrowing(st)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/narrowing", "begin-narrowing", "Look for the add-on that does something wrong: half of the suspects are disabled; a job", "insight"), func(ctx context.Context, in *struct {
		OnServer
		Body api.BeginNarrowing
	}) (*accepted, error) {
		return s.narrowed(ctx, in.Server, func(ctx context.Context, actor string, tell progress.Tell) (narrowing.Stand, error) {
			return s.Narrowing.Begin(ctx, in.Server, in.Body.Suspects, in.Body.ByStart, actor, tell)
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/narrowing/answer", "answer-narrowing", "Say whether it still happens; a job", "insight"), func(ctx context.Context, in *struct {
		OnServer
		Body api.AnswerNarrowing
	}) (*accepted, error) {
		return s.narrowed(ctx, in.Server, func(ctx context.Context, actor string, tell progress.Tell) (narrowing.Stand, error) {
			return s.Narrowing.Answer(ctx, in.Server, in.Body.Tried, in.Body.Still, actor, tell)
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/narrowing/end", "end-narrowing", "Give the search up, and have everything as it was; a job", "insight"), func(ctx context.Context, in *OnServer) (*accepted, error) {
		return s.narrowed(ctx, in.Server, func(ctx context.Context, actor string, tell progress.Tell) (narrowing.Stand, error) {
			return s.Narrowing.End(ctx, in.Server, actor, tell)
		})
	})
}

// narrowed does one step of a search in a job.
func (s looking) narrowed(ctx context.Context, server string, do func(ctx context.Context, actor string, tell progress.Tell) (narrowing.Stand, error)) (*accepted, error) {
	if _, err := s.Hosts.Find(ctx, server); err != nil {
		return nil, s.fail(ctx, err)
	}
	actor := actorOf(ctx)
	return s.jobs().job(ctx, "narrow", server, func(ctx context.Context, tell progress.Tell) (any, error) {
		st, err := do(ctx, actor, tell)
		return wireNarrowing(st), err
	})
}

func wireNarrowing(st narrowing.Stand) api.Narrowing {
	return api.Narrowing{Suspects: append([]string{}, st.Search.Suspects...), Off: append([]string{}, st.Search.Off...), Tried: st.Search.Tried, Most: st.Most, Over: st.Over, By: st.Actor, ByStart: st.Search.ByStart, Down: st.Down, Note: st.Note, Says: st.Says(), Blamed: st.Blamed()}
}
